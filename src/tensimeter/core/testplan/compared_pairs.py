"""What a meter showed, or a setter was set to, and the reference beside it: pairs, out of readings."""

from collections.abc import Callable, Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Measurand, Reading
from tensimeter.core.model.compared_places import SET, SHOWS, set_of, setter_of, shows_of
from tensimeter.core.model.instruments import accuracy_of, display_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.parts.instrument_part import Instrument, SetLoad
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.step import displays_of, panel_of, value_of
from tensimeter.core.testplan.taken import amps_of

#: What a display of an output may show, what a meter may, and what a load may be set to.
SHOWN: tuple[Measurand, ...] = ("V", "A")
READ: tuple[Measurand, ...] = ("V", "A", "C")
SET_TO: tuple[Measurand, ...] = ("A", "W", "ohm")
#: Two meters read the same thing within so many seconds of one another; a rule of thumb.
BESIDE_S = 600.0


class Subject(Struct, frozen=True):
    """What is held against a reference: where it is filed, what it is, the part that keeps it."""

    place: str
    name: str
    quantity: Measurand
    part: str | None
    #: The output that it belongs to; none of a meter that may be put anywhere.
    output: str = ""
    #: Whether it is set, and not read.
    sets: bool = False


class Pair(Struct, frozen=True):
    """What a subject showed, and what the reference beside it read."""

    shown: Reading
    reference: Reading
    #: Amps that flowed and volts that stood there, where read; whether all else was off the negative.
    amps_A: float | None = None
    alone: bool = False
    volts_V: float | None = None


def compared_pairs(job: Job, live: Sequence[Reading]) -> list[tuple[Subject, tuple[Pair, ...]]]:
    """Every subject of a job that was read beside a reference, with its pairs in the order read.

    A display's reading belongs to what was read at the same moment of the same output and quantity; a
    meter's to what a better one read last before it; a setting stands for all that is read after it, until
    the next.
    """
    counted = put_right(job, live)
    places = {r.place for r in live}
    found: list[tuple[Subject, tuple[Pair, ...]]] = []
    for output in job.design.outputs():
        for quantity in SHOWN:
            part = display_of(job, output.id, quantity)[1]
            own = Subject(panel_of(output.id), f"{output.name}, own display", quantity, part, output.id)
            if places.intersection(displays_of(output.id)):
                found.append((own, _beside_output(live, counted, own)))
        setter = setter_of(job, output)
        if setter is not None and set_of(output.id) in places:
            found += [(s, _after_setting(job, live, counted, s)) for s in _set_at(output, setter.id)]
    for part_ in job.stock:
        if isinstance(part_, SetLoad) and set_of(part_.id) in places:
            of = [Subject(set_of(part_.id), f"{part_.name}, set", q, part_.id, sets=True) for q in SET_TO]
            found += [(s, _after_setting(job, live, counted, s)) for s in of]
        if isinstance(part_, Instrument) and shows_of(part_.id) in places:
            shown = [Subject(shows_of(part_.id), part_.name, q, part_.id) for q in READ]
            found += [(s, _beside_better(job, live, counted, s)) for s in shown]
    return [(subject, pairs) for subject, pairs in found if pairs]


def _set_at(output: OutputLink, setter: str) -> list[Subject]:
    return [Subject(set_of(output.id), f"{output.name}, set", q, setter, output.id, sets=True) for q in SHOWN]


def _beside_output(live: Sequence[Reading], counted: Sequence[Reading], of: Subject) -> tuple[Pair, ...]:
    """A display beside what was read together with it at its output, and beside nothing else."""
    output, quantity = of.output, of.quantity
    panel, alone = displays_of(output)
    moments: dict[int, list[tuple[Reading, Reading]]] = {}
    for r, right in zip(live, counted, strict=True):
        if np.isfinite(r.value) and r.place in (output, panel, alone):
            moments.setdefault(r.scan, []).append((r, right))
    found = []
    for rows in moments.values():
        shown = [r for r, _ in rows if r.place != output and r.quantity == quantity]
        read = [
            right for r, right in rows if r.place == output and r.quantity == quantity and r.known == "read"
        ]
        if not shown or not read:
            continue
        here = [r for r, _ in rows]
        amps, volts = amps_of(here, output), value_of(here, output, "V")
        found += [Pair(r, read[-1], amps, r.place == alone, volts) for r in shown]
    return tuple(found)


def _beside_better(
    job: Job, live: Sequence[Reading], counted: Sequence[Reading], of: Subject
) -> tuple[Pair, ...]:
    """A meter of the stock beside what another one, that reads as well at the least, read just before."""
    latest: Reading | None = None
    found = []
    for r, right in zip(live, counted, strict=True):
        if r.quantity != of.quantity or not np.isfinite(r.value) or _is_subject(job, r.place):
            continue
        if r.place == of.place:
            better = latest is not None and _half(job, latest) <= _half(job, r)
            if latest is not None and better and abs(r.at - latest.at) <= BESIDE_S:
                found.append(Pair(r, latest))
        elif r.instrument and r.instrument != of.part and r.known == "read":
            latest = right
    return tuple(found)


def _is_subject(job: Job, place: str) -> bool:
    """Whether a place is of a display or of a setting, which are no reference."""
    return place.endswith(SET) or any(place in displays_of(o.id) for o in job.design.outputs())


def _after_setting(
    job: Job, live: Sequence[Reading], counted: Sequence[Reading], of: Subject
) -> tuple[Pair, ...]:
    """A setting beside each that was read of it until the next one."""
    now: Reading | None = None
    seen: dict[str, Reading] = {}
    found = []
    scans = _scans_with_volts(live)
    for r, right in _setting_first(live, counted, of.place):
        if r.place == of.place:
            now = r if r.quantity == of.quantity and np.isfinite(r.value) else None
            seen = {}
            continue
        if now is None or not np.isfinite(r.value) or not _reads(job, r, of):
            continue
        if of.output and of.quantity == "A" and r.quantity == "A" and r.scan in scans:
            # Amps beside volts are what the load draws; amps alone are where it limits.
            continue
        seen[r.quantity] = right
        reference = _as_reference(job, seen, of.quantity) if r.quantity in _MADE_OF[of.quantity] else None
        if reference is not None:
            volts, amps = seen.get("V"), seen.get("A")
            found.append(
                Pair(now, reference, amps.value if amps else None, volts_V=volts.value if volts else None)
            )
    return tuple(found)


def _setting_first(
    live: Sequence[Reading], counted: Sequence[Reading], place: str
) -> list[tuple[Reading, Reading]]:
    """Readings as they came, each moment's with what was set before what was read then."""
    began: dict[int, int] = {}
    for k, r in enumerate(live):
        began.setdefault(r.scan, k)
    rows = list(zip(live, counted, strict=True))
    return sorted(rows, key=lambda row: (began[row[0].scan], row[0].place != place))


#: What the reference of a setting ends with: of watts and ohms the amps, which come after the volts.
_MADE_OF: dict[str, tuple[str, ...]] = {"V": ("V",), "A": ("A",), "W": ("A",), "ohm": ("A",)}


def _scans_with_volts(live: Sequence[Reading]) -> set[int]:
    return {r.scan for r in live if r.quantity == "V" and r.known == "read"}


def _reads(job: Job, r: Reading, of: Subject) -> bool:
    """Whether a reading is of what a setting brings about, by a meter other than the setter itself.

    A load that is not the campaign's may be anywhere: of it only what a meter shows is known to be.
    """
    if r.instrument == of.part or r.known != "read":
        return False
    if r.place.endswith(SHOWS):
        return r.quantity in SHOWN
    if of.output:
        return r.place == of.output
    joined = of.part in (job.campaign.load, *job.campaign.parallel_loads)
    return joined and any(r.place == o.id for o in job.design.outputs())


def _as_reference(job: Job, seen: dict[str, Reading], quantity: Measurand) -> Reading | None:
    """What was read, as the quantity that is set: watts and ohms out of volts and amps."""
    if quantity in seen:
        return seen[quantity]
    volts, amps = seen.get("V"), seen.get("A")
    if volts is None or amps is None or not volts.value or not amps.value:
        return None
    of: Callable[[float, float], float] = (lambda v, a: v * a) if quantity == "W" else (lambda v, a: v / a)
    value = of(volts.value, amps.value)
    a, b = accuracy_by(job, volts), accuracy_by(job, amps)
    # A product and a quotient both stray by the sum of what their factors stray by, as shares.
    shares = [x.offset / abs(r.value) for x, r in ((a, volts), (b, amps))]
    noise = float(np.hypot(a.scatter / volts.value, b.scatter / amps.value)) * abs(value)
    digit = max(abs(value) * 1e-6, 1e-9)
    return amps._replace(
        quantity=quantity,
        value=value,
        accuracy=Accuracy(
            of_reading=min(a.of_reading + b.of_reading + sum(shares), 1.0),
            counts=0.0,
            resolution=digit,
            noise_counts=noise / digit,
        ),
    )


def accuracy_by(job: Job, reading: Reading) -> Accuracy:
    """How well a reading is known: as it was filed, or what its instrument is assumed to do."""
    return reading.accuracy or accuracy_of(job, reading.instrument, reading.quantity, reading.value)[0]


def _half(job: Job, reading: Reading) -> float:
    return accuracy_by(job, reading).half_width(reading.value)


def widest(job: Job, pairs: Sequence[Pair]) -> Accuracy:
    """The references' accuracy; of several ranges or meters the worst of each term."""
    of = [accuracy_by(job, p.reference) for p in pairs]
    digit = max(a.resolution for a in of)
    return Accuracy(
        of_reading=max(a.of_reading for a in of),
        counts=max(a.offset for a in of) / digit,
        resolution=digit,
        noise_counts=max(a.noise_counts * a.resolution for a in of) / digit,
    )
