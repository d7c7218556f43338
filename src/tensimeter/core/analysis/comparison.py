"""A meter or a setter against a reference: its gain and offset, what is odd about it, what to set."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95

#: A point is named as not of the line beyond so many deviations of what the others foretell; a rule of thumb
#: for the handful of points that a comparison has.
ODD_DEVIATIONS = 4.0
#: A gain that is not known to a twentieth is not told; a rule of thumb.
TOLD_SHARE = 0.05
#: Curvature and hysteresis are named beyond so many of their own deviations.
SURE_DEVIATIONS = 3.0


@dataclass(frozen=True)
class StraightLine:
    """y = `gain`·x + `offset` with the covariance (2, 2) of gain and offset, and its chi-squared."""

    gain: float
    offset: float
    covariance: Array
    chi2: float

    def deviation(self, x: Array | float) -> Array:
        """Standard deviation of the line at x."""
        at = np.stack([np.asarray(x, float), np.ones(np.shape(x))])
        return np.asarray(np.sqrt(np.einsum("i...,ij,j...->...", at, self.covariance, at)))


def line_through(x: Array, y: Array, sd_x: Array | float, sd_y: Array | float) -> StraightLine:
    """The straight line through points (n,) that err in both coordinates, independently of one another.

    Parameters
    ----------
    x, y : array (n,)
        Points, n ≥ 2 at two x or more.
    sd_x, sd_y : array (n,) or float
        Standard deviations of each coordinate; not both zero at a point.

    Returns
    -------
    StraightLine
        The line that is likeliest. Where one coordinate is without error it is weighted least squares.

    Raises
    ------
    UserError
        With fewer than two points, or all of them at one x.

    References
    ----------
    York, Evensen, López Martínez and De Basabe Delgado, Unified equations for the slope, intercept, and
    standard errors of the best straight line, Am. J. Phys. 72 (2004) 367, equations 13, without correlation.

    Examples
    --------
    Pearson's data with York's weights:

    >>> x = np.array([0.0, 0.9, 1.8, 2.6, 3.3, 4.4, 5.2, 6.1, 6.5, 7.4])
    >>> y = np.array([5.9, 5.4, 4.4, 4.6, 3.5, 3.7, 2.8, 2.8, 2.4, 1.5])
    >>> of_x = np.array([1000, 1000, 500, 800, 200, 80, 60, 20, 1.8, 1.0])
    >>> of_y = np.array([1, 1.8, 4, 8, 20, 20, 70, 70, 100, 500])
    >>> found = line_through(x, y, of_x**-0.5, of_y**-0.5)
    >>> round(found.gain, 7), round(found.offset, 6)
    (-0.4805334, 5.47991)
    """
    x, y = np.asarray(x, float), np.asarray(y, float)
    if len(x) < 2 or x.shape != y.shape or np.ptp(x) == 0:
        raise UserError("A line needs readings at two values or more; add one at the other end of the range.")
    var_x, var_y = (np.broadcast_to(np.square(s), x.shape).astype(float) for s in (sd_x, sd_y))
    gain = float(np.polyfit(x, y, 1)[0])
    for _ in range(500):
        weight = 1 / (var_y + gain**2 * var_x)
        share = weight / weight.sum()
        u, v = x - share @ x, y - share @ y
        beta = weight * (u * var_y + gain * v * var_x)
        before, gain = gain, float((weight * beta) @ v / ((weight * beta) @ u))
        if abs(gain - before) <= 1e-14 * abs(gain):
            break
    weight = 1 / (var_y + gain**2 * var_x)
    share = weight / weight.sum()
    middle = float(share @ x)
    offset = float(share @ y - gain * middle)
    beta = weight * ((x - middle) * var_y + gain * (y - share @ y) * var_x)
    adjusted = middle + beta
    centre = float(share @ adjusted)
    var_gain = 1 / float(weight @ np.square(adjusted - centre))
    var_offset = 1 / float(weight.sum()) + centre**2 * var_gain
    between = -centre * var_gain
    covariance = np.array([[var_gain, between], [between, var_offset]])
    chi2 = float(weight @ np.square(y - gain * x - offset))
    return StraightLine(gain, offset, covariance, chi2)


@dataclass(frozen=True)
class Comparison:
    """What a subject shows (n,) beside a reference, in the order read: true = gain·shown + offset.

    `subject` is what is known of its own digits; its gain and offset are what is looked for.
    """

    shown: Array
    reference: Array
    subject: Accuracy
    standard: Accuracy

    @cached_property
    def line(self) -> StraightLine:
        """The line by what scatters alone; what the reference has in common is in none of its points."""
        return line_through(self.shown, self.reference, self.subject.scatter, self.standard.scatter)

    @property
    def gain(self) -> Interval:
        """What a shown value is multiplied by; the reference's own gain is in its interval."""
        half = half_width_95(
            (self.standard.of_reading * abs(self.line.gain),), float(self.line.covariance[0, 0]) ** 0.5
        )
        return _around(self.line.gain, half)

    @property
    def offset(self) -> Interval:
        """What is added then, in the unit of the reading."""
        bounds = (self.standard.offset, self.standard.of_reading * abs(self.line.offset))
        return _around(self.line.offset, half_width_95(bounds, float(self.line.covariance[1, 1]) ** 0.5))

    @property
    def tells_gain(self) -> bool:
        """Whether the points lie far enough apart to tell gain from offset: the gain to a share of itself."""
        return self.gain.half_width <= TOLD_SHARE * self.line.gain

    @property
    def residual(self) -> Array:
        """Reference less line at each point (n,)."""
        return np.asarray(self.reference - self.line.gain * self.shown - self.line.offset)

    @property
    def residual_rms(self) -> float:
        """What is left about the line, rms."""
        return float(np.sqrt(np.mean(np.square(self.residual))))

    @property
    def floor(self) -> float:
        """Half the subject's last digit: what no correction goes below."""
        return self.subject.resolution / 2

    @property
    def worst_before(self) -> Interval:
        """The largest error as it shows now, shown less true, with its interval."""
        off = self.shown - self.reference
        k = int(np.argmax(np.abs(off)))
        bounds = (self.standard.of_reading * abs(float(self.reference[k])), self.standard.offset)
        sigma = float(np.hypot(self.standard.scatter, self.subject.scatter))
        return _around(float(off[k]), half_width_95(bounds, sigma))

    @property
    def worst_after(self) -> Interval:
        """The largest of the points' errors once gain and offset are put right, corrected less reference."""
        off = -self.residual
        k = int(np.argmax(np.abs(off)))
        return _around(float(off[k]), self._left(float(self.shown[k])))

    def _left(self, shown: float) -> float:
        true = self.line.gain * shown + self.line.offset
        bounds = (self.standard.of_reading * abs(true), self.standard.offset, self.floor)
        return half_width_95(bounds, float(self.line.deviation(shown)))

    @property
    def _sd(self) -> float:
        return float(np.hypot(self.standard.scatter, self.line.gain * self.subject.scatter))

    @property
    def curvature(self) -> Interval | None:
        """How far the middle of the range lies off the line through its ends; None with three points or less.

        Of a quadratic term, by least squares.
        """
        if len(np.unique(self.shown)) < 4:
            return None
        low, span = float(self.shown.min()), float(np.ptp(self.shown))
        u = 2 * (self.shown - low) / span - 1
        design = np.column_stack([np.ones_like(u), u, u**2])
        inverse = np.linalg.pinv(design)
        bow = float((inverse @ self.reference)[2])
        # From −1 to 1 the middle of c·u² lies c below the chord through its ends.
        return _around(-bow, 1.96 * self._sd * float(np.linalg.norm(inverse[2])))

    @property
    def hysteresis(self) -> Interval | None:
        """What the reference reads more going down than going up; None where it went one way only."""
        top = int(np.argmax(self.reference))
        up, down = self.residual[: top + 1], self.residual[top + 1 :]
        if len(up) < 2 or len(down) < 2:
            return None
        sd = self._sd * float(np.sqrt(1 / len(up) + 1 / len(down)))
        return _around(float(down.mean() - up.mean()), 1.96 * sd)

    @cached_property
    def odd_one(self) -> int | None:
        """The point that does not lie on the line of the others; None where none does not, or with three.

        Each is held against the line of the rest: the deletion residual, which the fit of all of them tells
        by its leverages (Cook and Weisberg, Residuals and Influence in Regression).
        """
        n, sd = len(self.shown), self._sd
        if n < 4:
            return None
        design = np.column_stack([self.shown, np.ones(n)])
        # What a point has to say of its own fitted value; a point that alone tells the slope says all of it.
        lever = np.einsum("ij,ji->i", design, np.linalg.pinv(design))
        rest = np.where(lever < 1 - 1e-9, 1 - lever, np.inf)
        gap = self.reference - design @ np.linalg.lstsq(design, self.reference, rcond=None)[0]
        # The rest must agree among themselves, or it is not this point that is odd.
        scatter = np.sqrt(np.maximum(np.sum(gap**2) - gap**2 / rest, 0.0) / (n - 3))
        off = np.abs(gap / rest) / np.hypot(np.maximum(sd, scatter), sd * np.sqrt(lever / rest))
        k = int(np.argmax(off))
        return k if off[k] > ODD_DEVIATIONS else None

    @property
    def warnings(self) -> tuple[str, ...]:
        """What is to be known before anything is corrected."""
        said = []
        if not self.tells_gain:
            said.append(
                "These points lie too close together to tell gain from offset: set the offset alone, or "
                "compare at both ends of the range."
            )
        if (odd := self.odd_one) is not None:
            said.append(
                f"Point {odd + 1} is not of the line of the others: a shunt that heats, headroom that is "
                "lost or a second way back. Read it again, or correct below it only."
            )
        bow = self.curvature
        if bow is not None and abs(bow.value) > SURE_DEVIATIONS / 1.96 * bow.half_width:
            said.append("It is curved: gain and offset can't put it right over the whole range.")
        way = self.hysteresis
        if way is not None and abs(way.value) > SURE_DEVIATIONS / 1.96 * way.half_width:
            said.append("It reads otherwise going down than going up: it warms up, or its knob has play.")
        if self.worst_before.half_width > abs(self.worst_before.value):
            said.append("The reference can't tell this meter's error from its own; a better one would.")
        return tuple(said)


def compared(shown: Array, reference: Array, subject: Accuracy, standard: Accuracy) -> Comparison:
    """A subject held against a reference at the same moments.

    Parameters
    ----------
    shown, reference : array (n,)
        What each read, in the order taken.
    subject : Accuracy
        The subject's last digit and noise; its gain and offset are not believed.
    standard : Accuracy
        The reference's.

    Raises
    ------
    UserError
        With fewer than two points, points at one value, or a value that is none.
    """
    shown, reference = np.asarray(shown, float), np.asarray(reference, float)
    if shown.shape != reference.shape or len(shown) < 2 or np.ptp(shown) == 0:
        raise UserError("A comparison needs what both read at two values or more, at both ends of the range.")
    if not np.isfinite(shown).all() or not np.isfinite(reference).all():
        raise UserError("A comparison takes no reading over range; leave it out.")
    found = Comparison(shown, reference, subject, standard)
    if found.line.gain <= 0:
        raise UserError(
            "What it shows falls while the reference rises; the columns or the leads are swapped."
        )
    return found


def _around(value: float, half: float) -> Interval:
    return Interval(float(value), float(value - half), float(value + half))


@dataclass(frozen=True)
class Correction:
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
