"""A meter or a setter against a reference: its gain and offset, what is odd about it, what to set."""

from functools import cached_property

import numpy as np
from msgspec import Struct
from scipy.special import chdtri, stdtrit

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


class StraightLine(Struct, frozen=True):
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


class Comparison(Struct, frozen=True, dict=True):
    """What a subject shows (n,) beside a reference, in the order read: true = gain·shown + offset.

    `subject` is what is known of its own digits; its gain and offset are what is looked for.
    """

    shown: Array
    reference: Array
    subject: Accuracy
    standard: Accuracy
    #: When each was read, s, and the volts that stood there (n,), where that is known.
    time_s: Array | None = None
    volts: Array | None = None

    @cached_property
    def line(self) -> StraightLine:
        """The line by what scatters alone; what the reference has in common is in none of its points."""
        return line_through(self.shown, self.reference, self.subject.scatter, self.standard.scatter)

    @property
    def gain(self) -> Interval:
        """What a shown value is multiplied by; the reference's own gain is in its interval."""
        half = half_width_95(
            (self.standard.of_reading * abs(self.line.gain),),
            self.excess * float(self.line.covariance[0, 0]) ** 0.5,
        )
        return _around(self.line.gain, half)

    @property
    def offset(self) -> Interval:
        """What is added then, in the unit of the reading."""
        bounds = (self.standard.offset, self.standard.of_reading * abs(self.line.offset))
        own = self.excess * float(self.line.covariance[1, 1]) ** 0.5
        return _around(self.line.offset, half_width_95(bounds, own))

    @property
    def excess(self) -> float:
        """How many times what the digits allow the points scatter about the line; 1 where chance may do it.

        The square root of chi-squared a degree of freedom, once that is beyond 99.9 % (Birge, Phys. Rev. 40
        (1932) 207).
        """
        free = len(self.shown) - 2
        if free < 1 or self.line.chi2 <= float(chdtri(free, 1e-3)):
            return 1.0
        return float(np.sqrt(self.line.chi2 / free))

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

    def _drift_sentence(self, drift: Interval) -> str:
        late = self.drift_late
        if late is not None and not _sure(late) and late.half_width < abs(drift.value):
            return "It drifts while it warms up and stands then: compare again once it is warm."
        return "It drifts: what it shows of the same changes with time; let it warm up, and compare again."

    def _left(self, shown: float) -> float:
        true = self.line.gain * shown + self.line.offset
        bounds = (self.standard.of_reading * abs(true), self.standard.offset, self.floor)
        return half_width_95(bounds, self.excess * float(self.line.deviation(shown)))

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

    @property
    def per_volt(self) -> Interval | None:
        """What there is more for each volt at one setting, a volt; None where it can't be told."""
        return self._beside(self.volts)

    @property
    def drift(self) -> Interval | None:
        """What the reference reads more for each second at one value shown; None where it can't be told."""
        return self._beside(self.time_s)

    @property
    def drift_late(self) -> Interval | None:
        """As `drift`, of the later half of the pairs: what is left once it is warm."""
        if self.time_s is None or len(self.time_s) < 8:
            return None
        late = self.time_s >= np.median(self.time_s)
        return self._beside(np.where(late, self.time_s, np.nan))

    def _beside(self, other: Array | None) -> Interval | None:
        """How the reference goes with something else at one value shown: least squares, all three at once."""
        if other is None:
            return None
        use = np.isfinite(other)
        if use.sum() < 5 or np.ptp(other[use]) == 0:
            return None
        x, z = self.shown[use], other[use] - float(np.mean(other[use]))
        z = z / np.abs(z).max()
        design = np.column_stack([x, np.ones_like(x), z])
        if np.ptp(x) == 0:
            design = design[:, 1:]
        if np.linalg.matrix_rank(design) < design.shape[1]:
            return None
        inverse = np.linalg.pinv(design)
        fitted = inverse @ self.reference[use]
        gap = self.reference[use] - design @ fitted
        free = len(gap) - design.shape[1]
        sd = max(self._sd, float(np.sqrt(gap @ gap / free))) * float(np.linalg.norm(inverse[-1]))
        scale = float(np.abs(other[use] - np.mean(other[use])).max())
        return _around(float(fitted[-1]) / scale, float(stdtrit(free, 0.975)) * sd / scale)

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
        if (drift := self.drift) is not None and _sure(drift):
            said.append(self._drift_sentence(drift))
        if self.worst_before.half_width > abs(self.worst_before.value):
            said.append("The reference can't tell this meter's error from its own; a better one would.")
        return tuple(said)


def _sure(found: Interval) -> bool:
    """Whether it is surely not zero."""
    return abs(found.value) > SURE_DEVIATIONS / 1.96 * found.half_width


def compared(
    shown: Array,
    reference: Array,
    subject: Accuracy,
    standard: Accuracy,
    *,
    time_s: Array | None = None,
    volts: Array | None = None,
) -> Comparison:
    """A subject held against a reference at the same moments.

    Parameters
    ----------
    shown, reference : array (n,)
        What each read, in the order taken.
    subject : Accuracy
        The subject's last digit and noise; its gain and offset are not believed.
    standard : Accuracy
        The reference's.
    time_s, volts : array (n,), optional
        When each was read, and the volts that stood there: a drift, and what goes with the volts.

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
    found = Comparison(shown, reference, subject, standard, time_s, volts)
    if found.line.gain <= 0:
        raise UserError(
            "What it shows falls while the reference rises; the columns or the leads are swapped."
        )
    return found


def _around(value: float, half: float) -> Interval:
    return Interval(float(value), float(value - half), float(value + half))
