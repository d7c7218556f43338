"""Displays held against references by readings of a job: what each output's own display is off by."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from tensimeter.core.analysis.comparison import Comparison, compared, points_for
from tensimeter.core.design.reach import volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Measurand, Origin, Reading, counting
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.step import panel_of

#: What a display of an output may show.
SHOWN: tuple[Measurand, ...] = ("V", "A")
#: Digits that a panel is taken to have where nothing was read of it: as most show.
USUAL_DIGIT = 0.01


@dataclass(frozen=True)
class Pair:
    """What a display showed, and what the reference beside it read."""

    shown: Reading
    reference: Reading


@dataclass(frozen=True)
class MeterCheck:
    """One display and quantity: its pairs in the order read, and what they tell, or why they tell nothing."""

    output: str
    name: str
    quantity: Measurand
    pairs: tuple[Pair, ...]
    found: Comparison | None
    said: str
    #: Values still to be compared, in the order to take them.
    points: tuple[float, ...]

    @property
    def place(self) -> str:
        """Where readings of it are filed."""
        return panel_of(self.output)

    @property
    def unit(self) -> str:
        """Its unit."""
        return self.quantity

    @property
    def pretended(self) -> Origin | None:
        """The origin of its newest pair, where nothing of it was real."""
        origins = [p.shown.origin for p in self.pairs]
        return origins[-1] if origins and all(o in ("simulated", "practice") for o in origins) else None


def meter_checks(job: Job, readings: Iterable[Reading]) -> tuple[MeterCheck, ...]:
    """Every display of an output that was read, volts and amps each.

    A display's reading belongs to the reference that was read last before it, of the same output, quantity
    and test.
    """
    live = counting(readings)
    found = []
    for output in job.design.outputs():
        for quantity in SHOWN:
            pairs = _pairs(live, output.id, quantity)
            if pairs:
                found.append(_check(job, output, quantity, pairs))
    return tuple(found)


def proposed(
    job: Job, output: OutputLink, quantity: Measurand, digit: float = USUAL_DIGIT
) -> tuple[float, ...]:
    """Values at which a display is to be compared: over the range that its output is used in."""
    low, high = _range(job, output, quantity)
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


def _pairs(live: Sequence[Reading], output: str, quantity: Measurand) -> tuple[Pair, ...]:
    latest: dict[str | None, Reading] = {}
    found = []
    for r in live:
        if r.quantity != quantity or not np.isfinite(r.value):
            continue
        if r.place == output:
            latest[r.test] = r
        elif r.place == panel_of(output) and r.test in latest:
            found.append(Pair(r, latest[r.test]))
    return tuple(found)


def _check(job: Job, output: OutputLink, quantity: Measurand, pairs: tuple[Pair, ...]) -> MeterCheck:
    digits = [p.shown.accuracy.resolution for p in pairs if p.shown.accuracy is not None]
    # Trailing zeros are often not typed: the finest digit seen is the display's own.
    digit = min(digits, default=USUAL_DIGIT)
    shown = np.array([p.shown.value for p in pairs])
    true = np.array([p.reference.value for p in pairs])
    comparison, said = None, ""
    try:
        comparison = compared(shown, true, Accuracy(of_reading=0, resolution=digit), _widest(job, pairs))
    except UserError as trouble:
        said = str(trouble)
    wanted = proposed(job, output, quantity, digit)
    near = 0.05 * (max(wanted) - min(wanted)) if wanted else 0.0
    left = tuple(p for p in dict.fromkeys(wanted) if not np.any(np.abs(true - p) <= near))
    return MeterCheck(output.id, output.name, quantity, pairs, comparison, said, left)


def _widest(job: Job, pairs: Sequence[Pair]) -> Accuracy:
    """The reference's accuracy; of several ranges or meters the worst of each term."""
    of = [
        p.reference.accuracy or accuracy_of(job, None, p.reference.quantity, p.reference.value)[0]
        for p in pairs
    ]
    digit = max(a.resolution for a in of)
    return Accuracy(
        of_reading=max(a.of_reading for a in of),
        counts=max(a.offset for a in of) / digit,
        resolution=digit,
        noise_counts=max(a.noise_counts for a in of),
    )
