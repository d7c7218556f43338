"""What the plot of a test shows, before anything draws it: on the screen and on paper alike."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import OPEN, Outcome, StepResult


class Spot(Struct, frozen=True):
    """One point: where, half its 95 % interval upwards, its verdict, its name."""

    x: float
    y: float
    half: float = 0.0
    verdict: Verdict | None = None
    name: str = ""


class Line(Struct, frozen=True):
    """A line through points (n,): predicted, stated or fitted."""

    name: str
    x: Array
    y: Array
    role: str = "prediction"


class Picture(Struct, frozen=True):
    """Axes with their units, points, lines, an allowed band; `names` stand under the points of a list."""

    across: str
    up: str
    spots: tuple[Spot, ...]
    lines: tuple[Line, ...] = ()
    band: tuple[float, float] | None = None
    joined: bool = False
    names: tuple[str, ...] = ()


def in_band(result: Outcome) -> Picture:
    """Each point as per cent of its own band, 100 being the edge: volts of several outputs side by side."""
    spots, names = [], []
    for k, r in enumerate(result.steps):
        names.append(r.step.title or show(r.step.set_A, "A", 3))
        low, high = r.step.allowed.ends
        volts = r.volts
        if volts is None or r.step.allowed == OPEN:
            continue
        middle, half = _middle(low, high)
        spots.append(
            Spot(float(k), 100 * (volts.value - middle) / half, 100 * volts.half_width / half, r.verdict)
        )
    guesses = []
    for k, r in enumerate(result.steps):
        if r.step.predicted_V is not None and r.step.allowed != OPEN:
            middle, half = _middle(*r.step.allowed.ends)
            guesses.append((float(k), 100 * (r.step.predicted_V.value - middle) / half))
    lines: tuple[Line, ...] = ()
    if guesses:
        x, y = np.array(guesses).T
        lines = (Line("predicted", x, y),)
    return Picture("", "per cent of the band", tuple(spots), lines, (-100.0, 100.0), names=tuple(names))


def _middle(low: float, high: float) -> tuple[float, float]:
    """Middle and half of a band; of one with an open end, its edge and a tenth of it."""
    if np.isfinite(low) and np.isfinite(high):
        return (low + high) / 2, (high - low) / 2
    edge = low if np.isfinite(low) else high
    sign = 1.0 if np.isfinite(low) else -1.0
    return edge + sign * 0.1 * abs(edge), 0.1 * abs(edge)


def common_band(steps: tuple[StepResult, ...]) -> tuple[float, float] | None:
    """The band that every step shares; None where they differ or an end is open."""
    ends = {r.step.allowed.ends for r in steps}
    return next(iter(ends)) if len(ends) == 1 and all(np.isfinite(next(iter(ends)))) else None
