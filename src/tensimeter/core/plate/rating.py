"""What may be written on a plate, of every outlet and of the whole: from readings that hold alone."""

import math
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.sources import signed_V
from tensimeter.core.held.circumstances import mains_hull, most_W, not_read, room_hull
from tensimeter.core.held.points import Point, held_point, held_rows, loaded, points, real
from tensimeter.core.held.reach import held_reach, most_at
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import Reading, counting, interval_of, real_ones
from tensimeter.core.model.instruments import checks_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import of_newest, open_state, states_words
from tensimeter.core.parts.path_part import OvercurrentPart
from tensimeter.core.parts.sink_circuit import LoadByCircuit
from tensimeter.core.path import LoadLink, OutputLink
from tensimeter.core.plate.derated import derated_A
from tensimeter.core.procedure.first_power import newest_touches
from tensimeter.core.procedure.matrix import checked
from tensimeter.core.quantity import parse, show, show_at_least, show_at_most
from tensimeter.core.testplan.meter_checks import MONTH_S
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Outcome, StepResult

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
    def most_A(self) -> float | None:
        """The most amps that it is rated for at its own volts; None where it is not."""
        amps = [e.value for e in self.entries if e.key in ("continuous", "minutes", "moments")]
        return max((a for a in amps if a is not None), default=None)

    @property
    def lasting_A(self) -> float | None:
        """The most amps that it is rated for over minutes, or for good; None where it is not."""
        amps = (e.value for e in self.entries if e.key in ("continuous", "minutes"))
        return max((a for a in amps if a is not None), default=None)

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
    rows = of_newest(job, rows)
    marks = [*(f"overruled: {h}" for h in holds), *_not_mended(job), *_checks_over(job, rows, now)]
    outlets = tuple(outlet_plate(job, judged, o) for o in job.design.outputs())
    rated = any(o.rated for o in outlets)
    whole = [*_state(job, rated=rated), *_at_once(job, judged, outlets), *_whole(job, judged, rows)]
    if rated and (lacking := not_read(held_rows(job, judged))):
        whole.append(Entry("not_read", lacking))
    foot = _foot(job, rows, rated=rated)
    return Plate(
        job.name, outlets, tuple(whole), tuple(foot),
        tuple(dict.fromkeys([*marks, *(m for o in outlets for m in o.marks)])), "DEMO" if job.demo else "",
    )  # fmt: skip


def _state(job: Job, *, rated: bool) -> list[Entry]:
    """Which state of the supply a rating is of, where it was changed; why nothing is rated after an edit."""
    words = states_words(job)
    if open_state(job) is not None:
        return [Entry("state", f"nothing is rated: {words}")]
    return [Entry("state", f"as of {words}")] if rated and words else []


def _at_once(job: Job, judged: Sequence[Outcome], outlets: Sequence[OutletPlate]) -> list[Entry]:
    """That outlets were read one after the other, where what they are rated for was never read at once.

    What they are rated for over time was held at once where one soak held all of it.
    """
    rated = {o.output: m for o in outlets if (m := o.most_A) is not None and m > 0}
    if len(rated) < 2:
        return []
    read = (p for o in rated for p in points(job, judged, o) if p.holds and _with(p.beside, o, p.amps, rated))
    if next(read, None) is None:
        return [Entry("apart", "each outlet by itself, not all at once")]
    lasting = {o.output: m for o in outlets if (m := o.lasting_A) is not None}
    if len(lasting) < 2:
        return []
    held = {o: loaded(job, judged, o) for o in lasting}
    wanted = max(one.minutes for o, m in lasting.items() for one in held[o] if one.amps >= m)
    for output, soaks in held.items():
        if any(s.minutes >= wanted and _with(s.beside, output, s.amps, lasting) for s in soaks):
            return []
    return [Entry("apart", "all at once for moments only")]


def _with(beside: Sequence[tuple[str, float]], output: str, amps: float, wanted: Mapping[str, float]) -> bool:
    """Whether an output and those beside it carried what is wanted of each."""
    together = {**dict(beside), output: amps}
    return all(together.get(o, 0.0) >= a for o, a in wanted.items())


def outlet_plate(job: Job, judged: Sequence[Outcome], output: OutputLink) -> OutletPlate:
    """What may be written of one outlet."""
    if isinstance(output, LoadLink):
        return _load_plate(job, real(job, judged, output.id), output)
    found, mine = points(job, judged, output.id), real(job, judged, output.id)
    corners = held_reach(found, output.nominal_V) if output.adjustable else np.zeros((0, 2))
    fuses = [p for x in job.design.path_to(output.id) if isinstance(p := job.part(x.part), OvercurrentPart)]
    entries = (
        *_reach_entries(corners, found),
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
    volts = show(signed_V(job, output), "V", 4)
    ends = min((p.amps for p in found if not p.holds and p.set_V is None), default=math.inf)
    kept = [one for one in loaded(job, judged, output.id) if 0 < one.amps < ends]
    told: list[Entry] = []
    most = 0.0
    for one in sorted(kept, key=lambda one: -one.minutes):
        if one.amps <= most:
            continue
        most = one.amps
        amps, said = show_at_least(one.amps, "A"), _how(one.known)
        if one.steady:
            told.append(Entry("continuous", f"{volts} · {amps} continuous{said}", one.amps))
        else:
            text = f"{volts} · {amps} for {one.minutes:.0f} min from cold{said}"
            told.append(Entry("minutes", text, one.amps))
    point = held_point(found)
    held = point.amps if point is not None else None
    if point is not None and held is not None and held > most:
        text = f"{volts} · {show_at_least(held, 'A')} for moments{_how(point.known)}"
        told.append(Entry("moments", text, held))
    elif held == 0 and not told:
        told.append(Entry("no_load", f"{volts} · shown at no load only", 0.0))
    return told


def _how(known: str) -> str:
    """How amps are known, where they were not read."""
    return "" if known == "read" else f" (amps {known}, not read)"


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


def _reach_entries(corners: Array, found: Sequence[Point]) -> list[Entry]:
    """The shown reach in words: amps at each of its corners, from the lowest volts up."""
    if not len(corners):
        return []
    low, high = float(corners[0, 0]), float(corners[-1, 0])
    most = float(corners[:, 1].max())
    least = float(corners[:, 1].min())
    known = {p.known for p in found if p.holds and p.amps > 0} - {"read"}
    how = _how(" or ".join(sorted(known)) or "read")
    if len(corners) == 1:
        volts = next((p.set_V for p in found if p.holds and p.volts == low and p.set_V is not None), low)
        amps = f"{show_at_least(most, 'A')} for moments" if most > 0 else "shown at no load only"
        return [Entry("reach", f"{show(volts, 'V', 4)} · {amps}{how if most > 0 else ''}", most)]
    volts_words = f"{show_at_most(low, 'V')} to {show_at_least(high, 'V')}"
    everywhere = f" · {show_at_least(least, 'A')} everywhere" if least > 0 else ""
    told = [Entry("reach", volts_words + everywhere + how, least)]
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
    """The most ripple that was seen, where every point of it holds, and up to which load it was looked at."""
    seen = [f for o in mine for f in o.findings if f.key.startswith("pp:") and f.value is not None]
    if not seen or any(f.verdict is not Verdict.CONFORMS for f in seen):
        return []
    most = max(f.value.high for f in seen if f.value is not None)
    looked = [(o, r) for o in mine for r in o.steps if r.step.capture is not None and r.taken]
    amps = max((x for o, r in looked for x in _amps_at(o, r)), default=None)
    at = "at no load only" if amps == 0 else "its load not read"
    if amps:
        at = f"up to {show_at_least(amps, 'A')}"
    return [Entry("ripple", f"ripple under {show_at_most(most, 'V', 2)} p-p {at}", most)]


def _amps_at(o: Outcome, r: StepResult) -> list[float]:
    """The amps that flowed for certain at a step, as read or said; none where nobody did either."""
    place = r.step.place or o.plan.output.id
    amps = o.facts.interval(r.step.index, "A", place) if o.facts is not None else None
    return [max(amps.low, 0.0)] if amps is not None else []


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
    held = held_rows(job, judged)
    mains, drawn = mains_hull(held), most_W(rows)
    parts = [mains.words("V").replace(" V", " V~") if mains is not None else ""]
    parts.append(f"{show_at_most(drawn, 'W')} as read" if drawn is not None else "")
    if any(parts):
        # Watts, not amps: how the mains' amps lie in time nobody has read.
        told.append(Entry("mains", " · ".join(p for p in parts if p), drawn))
    found = newest_touches(job, rows)
    read = [t for t in found if t is not None and t.verdict is Verdict.CONFORMS]
    if found and len(read) == len(found):
        most = max(t.touch_current_A.high for t in read)
        told.append(Entry("touch", f"touch current under {show_at_most(most, 'A', 2)}", most))
    told += _to_earth(job, rows)
    rooms = room_hull(held)
    # A room in which nobody knows what flowed is none in which anything was proven.
    loaded_at_all = any(r.quantity == "A" for r in held)
    if rooms is not None and loaded_at_all and math.floor(rooms.high) >= math.ceil(rooms.low):
        low, high = math.ceil(rooms.low - 1e-9), math.floor(rooms.high + 1e-9)
        said = "" if rooms.read else ", as said"
        told.append(Entry("room", f"proven at {low:.0f} to {high:.0f} °C{said}", rooms.high))
    return told


def _to_earth(job: Job, rows: Sequence[Reading]) -> list[Entry]:
    """Whether the outputs float, or are earthed: told where every one of them was read, and holds."""
    places = {f"earth-{o.id}" for o in job.design.outputs()}
    read = [c for c in checked(job, list(rows)) if c.pair.place in places]
    if not read or len(read) < len(places) or any(c.verdict is not Verdict.CONFORMS for c in read):
        return []
    floating = job.policy.reference == "floating"
    return [Entry("reference", "outputs float" if floating else "negative joined to earth")]


def _foot(job: Job, rows: Sequence[Reading], *, rated: bool) -> list[Entry]:
    """When it was proven and is due again, its number, who built it; with what stands on the sheet."""
    told = []
    own = job.plate
    proving = _proving(job, rows)
    at = max((r.at for r in proving), default=None) if rated else None
    if at is not None:
        told.append(Entry("proven", f"proven {_day(at)}", at))
        if own.retest_months is not None:
            due = at + own.retest_months * MONTH_S
            told.append(Entry("due", f"again by {_day(due)}", due))
    names = [p.name for p in job.stock if p.id in {r.instrument for r in proving}]
    if rated and names:
        more = f" and {len(names) - MOST_NAMES} more" if len(names) > MOST_NAMES else ""
        told.append(Entry("proven_with", f"proven with {', '.join(names[:MOST_NAMES])}{more}"))
    if own.serial.strip():
        told.append(Entry("serial", f"no. {own.serial.strip()}"))
    if own.built_by.strip():
        told.append(Entry("built_by", f"built by {own.built_by.strip()}"))
    return told


def _proving(job: Job, rows: Sequence[Reading]) -> list[Reading]:
    """The readings that a rating may rest on: of tests, and points of outputs."""
    places = {o.id for o in job.design.outputs()}
    return [r for r in rows if r.test is not None or r.place in places]


def _day(at: float) -> str:
    return datetime.fromtimestamp(at, UTC).strftime("%Y-%m-%d")


def _not_mended(job: Job) -> list[str]:
    """Causes that were found and taken into the design, and are not mended yet."""
    return [f"{link.name}: {f.reason}" for link in job.design.links for f in link.found]


def _checks_over(job: Job, rows: Sequence[Reading], now: float) -> list[str]:
    """Meters that were read with and whose newest check is over."""
    used = {r.instrument for r in _proving(job, rows) if r.instrument}
    told = []
    for part in job.stock:
        newest = checks_of(job, part.id)[-1:] if part.id in used else ()
        told += [
            f"{part.name}: its check was good until {_day(c.until)}"
            for c in newest
            if c.until is not None and c.until < now
        ]
    return told
