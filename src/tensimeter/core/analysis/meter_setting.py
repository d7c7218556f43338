"""What to set in a meter that was compared, where to compare it, and whether a reference can settle it."""

import numpy as np
from msgspec import Struct

from tensimeter.core.analysis.comparison import Comparison
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy


class Correction(Struct, frozen=True):
    """What is set in a subject: gain and offset of what it shows, and the largest error left."""

    gain: float
    offset: float
    left: float


def correction(found: Comparison, lets: str, step: float = 0.0) -> Correction:
    """What to set where a subject lets its gain, its offset, both or nothing be set.

    Parameters
    ----------
    found : Comparison
        The subject against the reference.
    lets : str
        `both`, `gain`, `offset` or `nothing`.
    step : float
        The smallest step of what is set (of the offset in its unit where that is set, else of the gain).

    Returns
    -------
    Correction
        That with the least largest error over the range read; `left` is on top of what the reference leaves.

    Raises
    ------
    UserError
        For another word, or a step below zero.
    """
    ends = np.array([found.shown.min(), found.shown.max()])
    true = found.line.gain * ends + found.line.offset
    if step < 0 or lets not in ("both", "gain", "offset", "nothing"):
        raise UserError("A subject lets both, gain, offset or nothing be set, in steps of zero or more.")
    gain, offset = 1.0, 0.0
    if lets == "both":
        gain, offset = found.line.gain, found.line.offset
    elif lets == "offset":
        # Half way between the errors of both ends.
        offset = float(np.mean(true - ends))
    elif lets == "gain":
        # Both ends off by as much, to opposite sides; at zero no gain helps, so the far end is right.
        far = int(np.argmax(np.abs(ends)))
        gain = float(true.sum() / ends.sum() if ends.prod() > 0 else true[far] / ends[far])
    if step and lets in ("both", "offset"):
        offset = step * round(offset / step)
    elif step and lets == "gain":
        gain = step * round(gain / step)
    return Correction(gain, offset, float(np.abs(gain * ends + offset - true).max()))


def points_for(low: float, high: float, digit: float) -> tuple[float, ...]:
    """Values at which to compare, up and down again: both ends and the middle of the range in use.

    They lie between the subject's counts, each elsewhere between two, so that rounding averages out. A range
    must be of ten digits at the least, or UserError is raised.
    """
    if not high > low or not digit > 0 or high - low < 10 * digit:
        raise UserError("A range to compare over goes from a lower to a higher value, ten digits or more.")
    places = np.linspace(low, high, 5)
    # The golden section leaves no two of few points at the same place between counts.
    share = np.modf(0.618034 * np.arange(1, 10))[0]
    wanted = [*places, *places[-2::-1]]
    moved = [digit * (np.floor(v / digit) + s) for v, s in zip(wanted, share, strict=True)]
    return tuple(float(np.clip(v, low, high)) for v in moved)


def can_settle(standard: Accuracy, at: float, tolerance: float) -> bool:
    """Whether a reference can say at a value whether a meter is within a tolerance (same unit).

    Its own 95 % interval must be a quarter of the tolerance at the most: the test uncertainty ratio that
    calibration laboratories ask for, a rule of thumb.
    """
    return standard.half_width(at) <= tolerance / 4
