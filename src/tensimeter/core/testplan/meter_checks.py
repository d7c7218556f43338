"""Displays, meters and settings held against references by readings of a job: what each is off by."""

from collections.abc import Iterable, Sequence
from typing import cast, get_args

import numpy as np
from msgspec import Struct

from tensimeter.core.analysis.comparison import Comparison, compared
from tensimeter.core.analysis.meter_setting import points_for
from tensimeter.core.arrays import Array
from tensimeter.core.design.reach import volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import PRETENDED, Measurand, Origin, Reading, counting
from tensimeter.core.model.job import Job
from tensimeter.core.parts.figures import KeptQuantity, MeterCheckRecord
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.compared_pairs import Pair, Subject, compared_pairs, widest

#: How long a check is good for where nothing else is said, months, a rule of thumb; s of a month.
USUAL_MONTHS, MONTH_S = 12.0, 30.44 * 86400
MOST_MONTHS = 1200.0
#: Digits that a panel is taken to have where nothing was read of it: as most show.
USUAL_DIGIT = 0.01


class MeterCheck(Struct, frozen=True):
    """One subject: its pairs in the order read, and what they tell, or why they tell nothing."""

    subject: Subject
    pairs: tuple[Pair, ...]
    found: Comparison | None
    said: str
    #: Values still to be compared, in the order to take them.
    points: tuple[float, ...]

    @property
    def place(self) -> str:
        """Where readings of it are filed."""
        return self.subject.place

    @property
    def name(self) -> str:
        """What it is called."""
        return self.subject.name

    @property
    def output(self) -> str:
        """The output that it belongs to; empty for what may be put anywhere."""
        return self.subject.output

    @property
    def quantity(self) -> Measurand:
        """What it shows, or is set to."""
        return self.subject.quantity

    @property
    def part(self) -> str | None:
        """The part of the stock that keeps what is found; None where nothing in the path says so."""
        return self.subject.part

    @property
    def unit(self) -> str:
        """Its unit."""
        return self.quantity

    @property
    def pretended(self) -> Origin | None:
        """The origin of its newest pair, where nothing of it was real."""
        origins = [p.shown.origin for p in self.pairs]
        return origins[-1] if origins and PRETENDED.issuperset(origins) else None


def meter_checks(job: Job, readings: Iterable[Reading]) -> tuple[MeterCheck, ...]:
    """Every display, meter and setting that was read beside a reference."""
    return tuple(_check(job, subject, pairs) for subject, pairs in compared_pairs(job, counting(readings)))


def as_check(
    job: Job, check: MeterCheck, at: float, months: float | None = USUAL_MONTHS, *, earlier_too: bool = False
) -> MeterCheckRecord:
    """What a comparison has shown, as its meter keeps it from `at` on, s since 1970; None: for good.

    UserError where it tells nothing, where it was made up, where no part of the stock is the display, or
    where it would be good for no time, or for ever.
    """
    if months is not None and not 0 < months <= MOST_MONTHS:
        raise UserError("A check is good for some months: more than none, a hundred years at the most.")
    found = check.found
    if found is None:
        raise UserError(check.said)
    if check.pretended and not job.demo:
        raise UserError("What was simulated or practised says nothing of a real meter; nothing was kept.")
    if check.part is None:
        raise UserError("Only a meter of the stock keeps a check: put a panel meter into the path first.")
    gain, offset = (found.line.gain, found.line.offset) if found.tells_gain else (1.0, 0.0)
    if not found.tells_gain:
        # Points that lie close together tell an offset alone.
        offset = float(np.mean(found.reference - found.shown))
    own = found.excess * float(np.max(found.line.deviation(found.shown)))
    line = 1.96 * own if found.tells_gain else 0.0
    scatter = 1.96 * float(np.hypot(found.standard.scatter, found.subject.scatter)) / len(found.shown) ** 0.5
    reference = job.part(check.pairs[-1].reference.instrument)
    return MeterCheckRecord(
        quantity=_kept_quantity(check), setting=check.subject.sets,
        gain=gain, offset=offset, of_reading=found.standard.of_reading,
        rest=found.standard.offset + max(line, scatter) + found.floor,
        low=float(found.shown.min()), high=float(found.shown.max()), at=at,
        until=None if months is None else at + months * MONTH_S,
        room_C=job.settings.ambient_C, reference=reference.name if reference is not None else "",
        earlier_too=earlier_too,
    )  # fmt: skip


def _kept_quantity(check: MeterCheck) -> KeptQuantity:
    if check.quantity in get_args(KeptQuantity):
        return cast(KeptQuantity, check.quantity)
    raise UserError(f"Nothing is kept of what is read in {check.quantity}.")


def proposed(
    job: Job, output: OutputLink, quantity: Measurand, digit: float = USUAL_DIGIT
) -> tuple[float, ...]:
    """Values at which a display is to be compared: over the range that its output is used in."""
    return _spread_over(*_range(job, output, quantity), digit)


def _spread_over(low: float, high: float, digit: float) -> tuple[float, ...]:
    try:
        return points_for(low, high, digit)
    except UserError:
        # A display so coarse, or a range so narrow, that there is nothing between its ends.
        return (low, high) if high > low else ()


def _range(job: Job, output: OutputLink, quantity: Measurand) -> tuple[float, float]:
    if quantity == "A":
        return 0.05 * output.full_load_A, output.full_load_A
    if output.adjustable:
        try:
            return volts_span(job, output.id)
        except UserError:
            pass
    # What is not set in use is trimmed about its nominal volts.
    return 0.9 * output.nominal_V, 1.1 * output.nominal_V


def _check(job: Job, subject: Subject, pairs: tuple[Pair, ...]) -> MeterCheck:
    digits = [p.shown.accuracy.resolution for p in pairs if p.shown.accuracy is not None]
    # Trailing zeros are often not typed: the finest digit seen is the display's own.
    digit = min(digits, default=USUAL_DIGIT)
    # With everything else off the negative it is another circuit: that tells why, and of no line.
    joined = [p for p in pairs if not p.alone] or list(pairs)
    shown = np.array([p.shown.value for p in joined])
    true = np.array([p.reference.value for p in joined])
    comparison, said = None, ""
    try:
        own = Accuracy(of_reading=0, resolution=digit)
        comparison = compared(shown, true, own, widest(job, joined), **_beside(joined, subject))
    except UserError as trouble:
        said = str(trouble)
    wanted = _wanted(job, subject, digit)
    near = 0.05 * (max(wanted) - min(wanted)) if wanted else 0.0
    left = tuple(p for p in dict.fromkeys(wanted) if not np.any(np.abs(true - p) <= near))
    return MeterCheck(subject, pairs, comparison, said, left)


def _beside(pairs: Sequence[Pair], subject: Subject) -> dict[str, Array | None]:
    """When each pair was read, s, and at what volts, where it is amps or watts and all were read."""
    volts = [p.volts_V for p in pairs] if subject.quantity != "V" else []
    known = [v for v in volts if v is not None]
    return {
        "time_s": np.array([p.reference.at for p in pairs]),
        "volts": np.array(known) if known and len(known) == len(volts) else None,
    }


def _wanted(job: Job, subject: Subject, digit: float) -> tuple[float, ...]:
    """Values at which a subject is to be compared: over the range that it is used in."""
    if subject.output:
        return proposed(job, job.output(subject.output), subject.quantity, digit)
    load = job.part(subject.part)
    if not isinstance(load, SetLoad):
        return ()
    outputs = job.design.outputs()
    amps = min([load.max_A, *([max(o.full_load_A for o in outputs)] if outputs else [])])
    volts = max([o.nominal_V for o in outputs], default=load.max_V)
    top = {"V": volts, "A": amps, "W": min(load.max_W, volts * amps), "ohm": 10 * volts / amps}
    bottom = {"ohm": volts / amps}
    if subject.quantity not in top:
        return ()
    end = top[subject.quantity]
    return _spread_over(bottom.get(subject.quantity, 0.05 * end), end, digit)
