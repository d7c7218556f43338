"""What may be written on a plate, of every outlet and of the whole: from readings that hold alone."""

import math
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.network import has_source
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import Reading, counting, interval_of, real_ones
from tensimeter.core.model.instruments import checks_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import OvercurrentPart
from tensimeter.core.parts.sink_circuit import LoadByCircuit
from tensimeter.core.path import LoadLink, OutputLink
from tensimeter.core.plate.derated import derated_A
from tensimeter.core.plate.held import Point, held_A, loaded, points, real
from tensimeter.core.plate.reach_held import held_reach, most_at
from tensimeter.core.procedure.first_power import newest_touches
from tensimeter.core.procedure.matrix import checked
from tensimeter.core.quantity import parse, show, show_at_least, show_at_most
from tensimeter.core.testplan.meter_checks import MONTH_S
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Outcome

#: So many instruments are named at the most.
MOST_NAMES = 2
#: Refers to the data sheet.
MARK = "†"


class Entry(Struct, frozen=True):
    """One thing on the plate: its key, its words, the figure in it in SI units; `computed` and not read."""

    key: str
    text: str
    value: float | None = None
    computed: bool = False


class OutletPlate(Struct, frozen=True, eq=False):
    """What is written of one outlet, the rating first; `marks` say why it refers to the data sheet.

    `reach` are the corners of what an adjustable one has held, V and A (n, 2).
    """

    output: str
    name: str
    entries: tuple[Entry, ...]
    marks: tuple[str, ...]
    reach: Array

    @property
    def rated(self) -> bool:
        """Whether anything is proven of it."""
        return any(e.key in ("continuous", "minutes", "moments", "reach") for e in self.entries)


class Plate(Struct, frozen=True, eq=False):
    """A whole plate: title, outlets, what holds for all of them, its last line, why it is marked."""

    title: str
    outlets: tuple[OutletPlate, ...]
    whole: tuple[Entry, ...]
    foot: tuple[Entry, ...]
    marks: tuple[str, ...]
    #: Of a demo: printed across it.
    stamp: str = ""


def plate(
    job: Job, judged: Sequence[Outcome], readings: Iterable[Reading], now: float, holds: Sequence[str] = ()
) -> Plate:
    """The plate of a job at a time, s since 1970; `holds` are hold points that were overruled, in words."""
    counted = counting(readings)
    rows = counted if job.demo else real_ones(counted)
    marks = [*(f"overruled: {h}" for h in holds), *_not_mended(job), *_checks_over(job, rows, now)]
    outlets = tuple(outlet_plate(job, judged, o) for o in job.design.outputs())
    foot = _foot(job, rows, rated=any(o.rated for o in outlets))
    return Plate(
        job.name, outlets, tuple(_whole(job, judged, rows)), tuple(foot),
        tuple(dict.fromkeys([*marks, *(m for o in outlets for m in o.marks)])), "DEMO" if job.demo else "",
    )  # fmt: skip


def outlet_plate(job: Job, judged: Sequence[Outcome], output: OutputLink) -> OutletPlate:
    """What may be written of one outlet."""
    if isinstance(output, LoadLink):
        return _load_plate(job, real(job, judged, output.id), output)
    found, mine = points(job, judged, output.id), real(job, judged, output.id)
    corners = held_reach(found, output.nominal_V) if output.adjustable else np.zeros((0, 2))
    fuses = [p for x in job.design.path_to(output.id) if isinstance(p := job.part(x.part), OvercurrentPart)]
    entries = (
        *_reach_entries(corners),
        *_fixed(job, judged, output, found),
        *_derated(job, mine),
        *(e for o in mine for e in _protection(o)),
        *_ripple(mine),
        *_least_load(mine),
        *(Entry("fuse", f"fuse {p.summary()[0]}", computed=True) for p in fuses[-1:]),
    )
    return OutletPlate(output.id, output.name, entries, _marks(output, mine), corners)


def _marks(output: OutputLink, mine: Sequence[Outcome]) -> tuple[str, ...]:
    """The tests of an outlet that do not hold."""
    return tuple(
        f"{output.name}, {kind_of(o.plan.test).name}: does not hold"
        for o in mine
        if o.verdict is Verdict.NONCONFORMING
    )


def _load_plate(job: Job, mine: Sequence[Outcome], output: LoadLink) -> OutletPlate:
    """What may be written of a load that one makes: what it was shown to sink, and its lowest volts."""
    shown = [text for o in mine if (text := kind_of(o.plan.test).sinks(o))]
    part = job.part(output.part)
    entries = [Entry("continuous", f"sinks {text.replace(', ', ' · ')}") for text in shown[-1:]]
    if isinstance(part, LoadByCircuit):
        lowest = show_at_most(part.on_ohm * part.max_A, "V")
        entries.append(Entry("lowest", f"full amps from {lowest}", part.on_ohm * part.max_A, computed=True))
    return OutletPlate(output.id, output.name, tuple(entries), _marks(output, mine), np.zeros((0, 2)))


def _fixed(job: Job, judged: Sequence[Outcome], output: OutputLink, found: Sequence[Point]) -> list[Entry]:
    """Amps at an outlet's own volts: for good, for minutes, for moments, each more than the one before."""
    volts = show(output.nominal_V, "V", 4)
    ends = min((p.amps for p in found if not p.holds and p.set_V is None), default=math.inf)
    kept = [one for one in loaded(job, judged, output.id) if 0 < one.amps < ends]
    told: list[Entry] = []
    most = 0.0
    for one in sorted(kept, key=lambda one: -one.minutes):
        if one.amps <= most:
            continue
        most = one.amps
        amps = show_at_least(one.amps, "A")
        if one.steady:
            told.append(Entry("continuous", f"{volts} · {amps} continuous", one.amps))
        else:
            told.append(Entry("minutes", f"{volts} · {amps} for {one.minutes:.0f} min from cold", one.amps))
    held = held_A(found)
    if held is not None and held > most:
        told.append(Entry("moments", f"{volts} · {show_at_least(held, 'A')} for moments", held))
    elif held == 0 and not told:
        told.append(Entry("no_load", f"{volts} · shown at no load only", 0.0))
    return told


def _derated(job: Job, mine: Sequence[Outcome]) -> list[Entry]:
    """What it may be loaded with in a warmer room, by the last soak that holds: computed, and said so."""
    soaked = [o for o in mine if o.plan.test.soaks and o.verdict is Verdict.CONFORMS and o.complete]
    held = max((one.amps for o in soaked[-1:] for one in loaded(job, [o], o.plan.output.id)), default=0.0)
    found = derated_A(job, soaked[-1], held) if soaked else None
    if found is None:
        return []
    amps, room_C = found
    words = show_at_least(amps, "A") if amps > 0 else "nothing"
    return [Entry("derated", f"{words} at {room_C:.0f} °C, computed", amps, computed=True)]


def _reach_entries(corners: Array) -> list[Entry]:
    """The shown reach in words: amps at each of its corners, from the lowest volts up."""
    if not len(corners):
        return []
    low, high = float(corners[0, 0]), float(corners[-1, 0])
    most = float(corners[:, 1].max())
    least = float(corners[:, 1].min())
    volts = f"{show_at_most(low, 'V')} to {show_at_least(high, 'V')}"
    everywhere = f" · {show_at_least(least, 'A')} everywhere" if least > 0 else ""
    told = [Entry("reach", volts + everywhere, least)]
    if least < most:
        told += _corners(corners)
    return told


def _corners(corners: Array) -> list[Entry]:
    """Each corner in words; where its volts are rounded, the amps are those that the reach has there."""
    told = []
    for k, (volts, amps) in enumerate(corners.tolist()):
        at = show_at_least(volts, "V") if k else show_at_most(volts, "V")
        there = most_at(corners, parse(at))
        if there is not None and min(amps, there) > 0:
            told.append(Entry("corner", f"{show_at_least(min(amps, there), 'A')} at {at}", min(amps, there)))
    return told


#: What a test of protection gives that belongs on a plate: its key, before and behind its figure.
_PROTECTION = {"limit_begins_at": ("limits from", "A"), "trips_at": ("trips by", "V")}


def _protection(o: Outcome) -> list[Entry]:
    """A limit with its kind from its lower end, a trip by its upper end; what misses is none."""
    kind = next((f.text for f in o.findings if f.key == "kind_of_limit"), "")
    told = []
    for f in o.findings:
        if f.key not in _PROTECTION or f.value is None or f.verdict is not Verdict.CONFORMS:
            continue
        words, unit = _PROTECTION[f.key]
        if unit == "A":
            told.append(Entry("limit", f"{words} {show_at_least(f.value.low, 'A')}, {kind}", f.value.low))
        else:
            told.append(Entry("trip", f"{words} {show_at_most(f.value.high, 'V')}", f.value.high))
    return told


def _ripple(mine: Sequence[Outcome]) -> list[Entry]:
    """The most ripple that was seen, where every point of it holds."""
    seen = [f for o in mine for f in o.findings if f.key.startswith("pp:") and f.value is not None]
    if not seen or any(f.verdict is not Verdict.CONFORMS for f in seen):
        return []
    most = max(f.value.high for f in seen if f.value is not None)
    return [Entry("ripple", f"ripple under {show_at_most(most, 'V', 2)} p-p", most)]


def _least_load(mine: Sequence[Outcome]) -> list[Entry]:
    """The least load from which on the volts hold, where one is needed."""
    tested = [o for o in mine if o.plan.test.kind == "minimum-load"]
    if not tested:
        return []
    least: float | None = None
    for r in sorted(tested[-1].steps, key=lambda r: -r.step.set_A):
        if r.verdict is Verdict.NOT_MEASURED:
            continue
        if r.verdict is not Verdict.CONFORMS:
            break
        amps = interval_of(r.pair.amps) if r.pair is not None else None
        least = amps.high if amps is not None else r.step.set_A
    if least is None or least <= 0.005:
        return []
    return [Entry("least_load", f"least load {show_at_most(least, 'A')}", least)]


def _whole(job: Job, judged: Sequence[Outcome], rows: Sequence[Reading]) -> list[Entry]:
    """What holds for all outlets: mains, what it draws, touch current, reference, room it was proven in."""
    told = []
    if has_source(job):
        mains = f"{job.settings.mains_V:g} V~ {job.settings.mains_Hz:g} Hz"
        # Watts, not amps: how the mains' amps lie in time nobody has read.
        drawn = [i.high for r in rows if r.place == "wall" and r.quantity == "W" and (i := interval_of(r))]
        watts = f" · {show_at_most(max(drawn), 'W')} as read" if drawn else ""
        told.append(Entry("mains", mains + watts, max(drawn, default=None)))
    found = newest_touches(job, rows)
    read = [t for t in found if t is not None and t.verdict is Verdict.CONFORMS]
    if found and len(read) == len(found):
        most = max(t.touch_current_A.high for t in read)
        told.append(Entry("touch", f"touch current under {show_at_most(most, 'A', 2)}", most))
    told += _to_earth(job, rows)
    rooms = _rooms(job, judged)
    if rooms is not None:
        low, high = rooms
        told.append(
            Entry("room", f"proven at {math.ceil(low - 1e-9):.0f} to {math.floor(high + 1e-9):.0f} °C", high)
        )
    return told


def _to_earth(job: Job, rows: Sequence[Reading]) -> list[Entry]:
    """Whether the outputs float, or are earthed: told where every one of them was read, and holds."""
    places = {f"earth-{o.id}" for o in job.design.outputs()}
    read = [c for c in checked(job, list(rows)) if c.pair.place in places]
    if not read or len(read) < len(places) or any(c.verdict is not Verdict.CONFORMS for c in read):
        return []
    floating = job.policy.reference == "floating"
    return [Entry("reference", "outputs float" if floating else "negative joined to earth")]


def _rooms(job: Job, judged: Sequence[Outcome]) -> tuple[float, float] | None:
    """The coldest and the warmest room that was read while something held; None where it was not read."""
    held = [
        o
        for o in judged
        if o.verdict is Verdict.CONFORMS and (job.demo or not o.pretended) and o.facts is not None
    ]
    read = [
        r.value
        for o in held
        for r in (o.facts.readings if o.facts is not None else ())
        if r.place == "ambient" and r.quantity == "C" and math.isfinite(r.value)
    ]
    return (min(read), max(read)) if read and math.floor(max(read)) >= math.ceil(min(read)) else None


def _foot(job: Job, rows: Sequence[Reading], *, rated: bool) -> list[Entry]:
    """When it was proven and is due again, its number, who built it; with what stands on the sheet."""
    told = []
    own = job.plate
    tests = {t.id for t in job.campaign.tests}
    at = max((r.at for r in rows if r.test in tests), default=None) if rated else None
    if at is not None:
        told.append(Entry("proven", f"proven {_day(at)}", at))
        if own.retest_months is not None:
            due = at + own.retest_months * MONTH_S
            told.append(Entry("due", f"again by {_day(due)}", due))
    names = [p.name for p in job.stock if p.id in {r.instrument for r in rows if r.test in tests}]
    if rated and names:
        more = f" and {len(names) - MOST_NAMES} more" if len(names) > MOST_NAMES else ""
        told.append(Entry("proven_with", f"proven with {', '.join(names[:MOST_NAMES])}{more}"))
    if own.serial.strip():
        told.append(Entry("serial", f"no. {own.serial.strip()}"))
    if own.built_by.strip():
        told.append(Entry("built_by", f"built by {own.built_by.strip()}"))
    return told


def _day(at: float) -> str:
    return datetime.fromtimestamp(at, UTC).strftime("%Y-%m-%d")


def _not_mended(job: Job) -> list[str]:
    """Causes that were found and taken into the design, and are not mended yet."""
    return [f"{link.name}: {f.reason}" for link in job.design.links for f in link.found]


def _checks_over(job: Job, rows: Sequence[Reading], now: float) -> list[str]:
    """Meters that were read with and whose newest check is over."""
    used = {r.instrument for r in rows if r.test is not None and r.instrument}
    told = []
    for part in job.stock:
        newest = checks_of(job, part.id)[-1:] if part.id in used else ()
        told += [
            f"{part.name}: its check was good until {_day(c.until)}"
            for c in newest
            if c.until is not None and c.until < now
        ]
    return told
