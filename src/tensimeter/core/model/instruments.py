"""How well an instrument of the stock reads."""

import math
from collections.abc import Iterable

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.compared_places import setter_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.compared import ComparedPart
from tensimeter.core.parts.figures import MeterCheckRecord
from tensimeter.core.parts.instrument_part import Instrument
from tensimeter.core.parts.path_part import InlineMeter

#: Said beside a reading that was put right by what a comparison of its meter has shown.
CORRECTED = "corrected"


def accuracy_of(
    job: Job, instrument: str | None, quantity: str, value: float, typed_resolution: float = 0.01
) -> tuple[Accuracy, str]:
    """Accuracy and range name for a value read on an instrument of the stock.

    Without an instrument, a plain handheld's accuracy is assumed at the digits that were typed.
    """
    part = job.part(instrument)
    beside = [p for i in job.campaign.parallel_loads if isinstance(p := job.part(i), Instrument)]
    if quantity == "A" and beside and instrument == job.campaign.load and isinstance(part, Instrument):
        return _together([part, *beside], value)
    found = part.accuracy_for(quantity, value) if isinstance(part, Instrument) else None
    if found is not None:
        return found
    if quantity in ("C", "dB"):
        return Accuracy(of_reading=0, counts=2.0, resolution=1.0), "assumed"
    return Accuracy(of_reading=0.005, counts=2, resolution=typed_resolution), "assumed"


def display_of(
    job: Job, output: str, quantity: str, typed_resolution: float = 0.01
) -> tuple[Accuracy, str | None]:
    """Accuracy of an output's own display and the part that it is: the panel meter in its path.

    Where there is none, a plain display's at the digits that were typed, and no part.
    """
    path = job.design.path_to(output)
    found = [p for link in reversed(path) if isinstance(p := job.part(link.part), InlineMeter)]
    if found and quantity in ("V", "A"):
        return (found[0].volts if quantity == "V" else found[0].amps), found[0].id
    # A front end that can be set mostly shows what it gives.
    setter = setter_of(job, job.output(output))
    return Accuracy(
        of_reading=0.01, counts=3, resolution=typed_resolution
    ), setter.id if setter is not None else None


def _together(loads: list[Instrument], amps: float) -> tuple[Accuracy, str]:
    """Of amps that several loads read together: the worst gain, every offset, all that scatters.

    Each carries a share that nobody has said; a gain of the whole is then at most the worst of them.
    """
    read = [found[0] for p in loads if (found := p.accuracy_for("A", amps / len(loads))) is not None]
    if not read:
        return Accuracy(of_reading=0.005, counts=2, resolution=0.01), "assumed"
    digit = max(a.resolution for a in read)
    return Accuracy(
        of_reading=max(a.of_reading for a in read),
        counts=sum(a.offset for a in read) / digit,
        resolution=digit,
        noise_counts=sum((a.noise_counts * a.resolution) ** 2 for a in read) ** 0.5 / digit,
    ), "loads in parallel"


def checks_of(job: Job, part_id: str | None) -> tuple[MeterCheckRecord, ...]:
    """What comparisons have shown of a meter, the newest last; empty for what is none."""
    part = job.part(part_id)
    return part.checks if isinstance(part, ComparedPart) else ()


def check_for(job: Job, reading: Reading) -> MeterCheckRecord | None:
    """The newest comparison that says something of a reading; None where none does."""
    if not reading.instrument or not math.isfinite(reading.value):
        return None
    known = checks_of(job, reading.instrument)
    covering = (c for c in reversed(known) if c.covers(reading.quantity, reading.value, reading.at))
    return next(covering, None)


def put_right(job: Job, readings: Iterable[Reading]) -> list[Reading]:
    """Readings as they count: those of a meter that was compared are put right, and known as well as it left.

    The facts stay as they were read; this is what is made of them. A reading put right says so in its range.
    """
    kept = list(readings)
    if not any(isinstance(p, ComparedPart) and p.checks for p in job.stock):
        return kept
    return [_put_right(r, check) if (check := check_for(job, r)) is not None else r for r in kept]


def _put_right(r: Reading, check: MeterCheckRecord) -> Reading:
    stated = r.accuracy or Accuracy(of_reading=0, resolution=0.001)
    return r._replace(
        value=check.gain * r.value + check.offset,
        accuracy=check.accuracy(stated),
        range=f"{r.range}, {CORRECTED}" if r.range else CORRECTED,
    )
