"""Measurement uncertainty and the four verdicts.

An instrument's accuracy is not drawn anew at each reading. Each instrument and range has one
unknown gain and one unknown offset, shared by all its readings, both rectangular within the
stated accuracy; noise and quantisation are independent from reading to reading.
"""

import math
import re
from collections.abc import Iterable, Sequence
from enum import StrEnum
from functools import lru_cache
from typing import Annotated

import numpy as np
from msgspec import Struct
from pydantic import BaseModel, ConfigDict, Field

from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.described import Quantity
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import show


class Verdict(StrEnum):
    """The four verdicts, from best to worst in `ORDER`."""

    CONFORMS = "holds"
    NOT_MEASURED = "not_measured"
    TOO_CLOSE = "too_close"
    NONCONFORMING = "misses"

    @property
    def words(self) -> str:
        """The verdict in words."""
        return {"too_close": "too close to call", "not_measured": "not measured"}.get(self.value, self.value)


_ORDER = (Verdict.CONFORMS, Verdict.NOT_MEASURED, Verdict.TOO_CLOSE, Verdict.NONCONFORMING)


def worst(verdicts: Iterable[Verdict]) -> Verdict:
    """The worst verdict of several; nothing measured when there is none."""
    return max(verdicts, key=_ORDER.index, default=Verdict.NOT_MEASURED)


class Accuracy(BaseModel):
    """±(`of_reading`·reading + `counts`·`resolution`), with noise of `noise_counts` (rms)."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    of_reading: Annotated[float, Field(ge=0, le=1), Quantity("%", "of reading", "share of what it reads")]
    counts: Annotated[float, Field(ge=0), Quantity("", "counts", "last digits beside that")] = 0.0
    resolution: Annotated[float, Field(gt=0), Quantity("", "resolution", "value of the last digit")]
    noise_counts: Annotated[float, Field(ge=0), Quantity("", "noise", "scatter in last digits, rms")] = 0.5

    @property
    def offset(self) -> float:
        """Bound of the unknown shared offset, in the unit of the reading."""
        return self.counts * self.resolution

    @property
    def scatter(self) -> float:
        """Standard deviation of what is not shared: noise and quantisation (GUM, 4.3.7)."""
        return self.resolution * math.sqrt(self.noise_counts**2 + 1 / 12)

    def half_width(self, value: float, extra: Sequence[float] = ()) -> float:
        """95 % half-width of one reading; `extra` are bounds of further rectangular terms."""
        return half_width_95((self.of_reading * abs(value), self.offset, *extra), self.scatter)

    def at_most(self, value: float, extra: float = 0.0) -> float:
        """What its 95 % half-width does not exceed, far quicker: all bounds and 1.96 σ together."""
        return self.of_reading * abs(value) + self.offset + extra + 1.96 * self.scatter

    def text(self) -> str:
        """As it is typed: `0.5%+2@0.01`."""
        return f"{self.of_reading * 100:g}%+{self.counts:g}@{self.resolution:g}"


_ACCURACY = re.compile(
    r"^\s*±?\s*\(?\s*(?P<reading>\d+\.?\d*|\.\d+)\s*%\s*(?:\+\s*(?P<counts>\d+\.?\d*|\.\d+)\s*)?\)?"
    r"(?:@\s*(?P<resolution>(?:\d+\.?\d*|\.\d+)(?:e-?\d+)?[muµ]?)\s*[VAΩ]?)?\s*\)?\s*$",
    re.ASCII,
)


def parse_accuracy(text: str, resolution: float | None = None) -> Accuracy:
    """An accuracy written `0.5%+2@0.01`: per cent of reading, counts, value of one count.

    `resolution` is used when none is written. Raises UserError when it can't be read.
    """
    match = _ACCURACY.match(text.replace(",", "."))
    step = resolution
    if match and match["resolution"]:
        raw = match["resolution"]
        scale = {"m": 1e-3, "u": 1e-6, "µ": 1e-6}.get(raw[-1], 1.0)
        step = float(raw.rstrip("muµ")) * scale
    if not match or not step:
        raise UserError(
            f"“{text}” is not an accuracy; write per cent of reading, counts and the value of "
            "one count, for example 0.5%+2@0.01."
        )
    try:
        return Accuracy(
            of_reading=float(match["reading"]) / 100, counts=float(match["counts"] or 0), resolution=step
        )
    except ValueError as error:
        raise UserError(f"“{text}” is not an accuracy that a meter can have.") from error


def half_width_95(rectangulars: Sequence[float], sigma: float = 0.0) -> float:
    """Half-width h with P(|x| ≤ h) = 0.95 of a sum of independent errors.

    `rectangulars` are half-widths of rectangular distributions, `sigma` the standard deviation of
    a normal one. Of one or two rectangular terms, as of any single reading, it is exact; of more up to the
    grid: the characteristic functions are multiplied and transformed back, as in the convolution of input
    quantities (GUM Supplement 1, 5.2).

    >>> round(half_width_95([1.0]), 6), round(half_width_95([1.0, 1.0]), 6)
    (0.95, 1.552786)
    """
    terms = sorted((abs(float(a)) for a in rectangulars if a), reverse=True)
    if not terms:
        return 1.959964 * sigma
    if len(terms) == 1 and sigma < 1e-9 * terms[0]:
        return 0.95 * terms[0]
    if len(terms) < 3 or terms[2] < NEGLIGIBLE * terms[0]:
        second = terms[1] if len(terms) > 1 and terms[1] > NEGLIGIBLE * terms[0] else 0.0
        return _of_two(terms[0], second, float(sigma))
    return _transformed(tuple(terms), float(sigma))


#: Of the largest term: what is smaller moves no digit of the whole.
NEGLIGIBLE = 1e-6


@lru_cache(maxsize=16384)
def _of_two(a: float, b: float, sigma: float) -> float:
    """As `half_width_95`, of one (b = 0) or two rectangular terms, a the larger, and a normal one.

    A rectangular term differences the integral of what it is added to: with Φ integrated once (G1) or twice
    (G2), P(x ≤ h) is Σ ±G2(h ± a ± b)/4ab. It is concave above zero, so that Newton's method from zero closes
    in from one side.
    """
    if sigma < NEGLIGIBLE * a:
        return _of_two_alone(a, b)
    # Far below the noise a rectangular term differences digits away: added to the noise it is the same.
    if b and b < 1e-3 * sigma:
        return _of_two(a, 0.0, math.hypot(sigma, b / math.sqrt(3)))
    if a < 1e-3 * sigma:
        return 1.959964 * math.hypot(sigma, a / math.sqrt(3))

    def normal(t: float) -> tuple[float, float, float]:
        """Φ, and its first and second integral."""
        u = t / sigma
        whole = 0.5 * math.erfc(-u / math.sqrt(2))
        density = math.exp(-0.5 * u * u) / math.sqrt(2 * math.pi)
        return whole, t * whole + sigma * density, 0.5 * sigma * (sigma * (u * u + 1) * whole + t * density)

    h = 0.0
    for _ in range(60):
        if b:
            ends = [(s * r, normal(h + s * a + r * b)) for s in (1, -1) for r in (1, -1)]
            below = sum(sign * g2 for sign, (_, _, g2) in ends) / (4 * a * b)
            density = sum(sign * g1 for sign, (_, g1, _) in ends) / (4 * a * b)
        else:
            (p0, p1, _), (m0, m1, _) = normal(h + a), normal(h - a)
            below, density = (p1 - m1) / (2 * a), (p0 - m0) / (2 * a)
        step = (0.975 - below) / density
        h += step
        if abs(step) < 1e-10 * h:
            break
    return h


def _of_two_alone(a: float, b: float) -> float:
    """Of two rectangular terms, a the larger, without noise: a trapezium, flat as far as a − b."""
    # 2.5 % lie beyond h: (a + b − h)²/8ab where it slopes, which holds them from b = a/20 on.
    return a + b - math.sqrt(0.2 * a * b) if b >= a / 20 else 0.95 * a


@lru_cache(maxsize=16384)
def _transformed(terms: tuple[float, ...], sigma: float) -> float:
    """As `half_width_95`, for terms above zero: the same reading is looked at again and again."""
    points = 4096
    reach = sum(terms) + 6 * sigma
    step = 2.4 * reach / points
    omega = 2 * np.pi * np.fft.rfftfreq(points, step)
    transform = np.exp(-0.5 * (sigma * omega) ** 2)
    for bound in terms:
        transform = transform * np.sinc(bound * omega / np.pi)
    density = np.clip(np.fft.irfft(transform, points), 0, None)
    # Mass within ±k steps: the centre cell by half on each side, then both sides alike.
    side = np.cumsum(density[1 : points // 2])
    inside = np.concatenate(([density[0]], density[0] + 2 * side))
    inside /= inside[-1]
    edges = (np.arange(len(inside)) + 0.5) * step
    return float(np.interp(0.95, inside, edges))


def scatter_that_counts(found: float, stated: float, freedom: int) -> float:
    """What readings scatter by about a fit: as stated, unless they scatter more at the 5 % level.

    Parameters
    ----------
    found, stated : float
        Standard deviation of the residuals, and of what is stated.
    freedom : int
        Readings less parameters.

    Returns
    -------
    float
        `found` where its reduced chi-squared passes the 95 % point of chance (Wilson–Hilferty), else
        `stated`.
    """
    if freedom <= 0 or stated <= 0:
        return max(found, stated)
    bound = (1 - 2 / (9 * freedom) + 1.645 * np.sqrt(2 / (9 * freedom))) ** 3
    return found if (found / stated) ** 2 > bound else stated


class Interval(Struct, frozen=True):
    """A value with its 95 % interval."""

    value: float
    low: float
    high: float

    @property
    def half_width(self) -> float:
        """Half the width: the expanded uncertainty of a symmetrical interval."""
        return (self.high - self.low) / 2


class Band(Struct, frozen=True):
    """The allowed range of a quantity; an end that is None is open."""

    low: float | None
    high: float | None

    @classmethod
    def around(cls, nominal: float, tolerance: float) -> "Band":
        """nominal ± tolerance (a fraction)."""
        width = abs(nominal) * tolerance
        return cls(nominal - width, nominal + width)

    @property
    def ends(self) -> tuple[float, float]:
        """Both ends; an open one is infinite."""
        return (-np.inf if self.low is None else self.low, np.inf if self.high is None else self.high)

    def words(self, unit: str) -> str:
        """Up to, from, or both ends; nothing where both are open."""
        low, high = self.ends
        if np.isfinite(low) and np.isfinite(high):
            if low == -high:
                return f"± {show(high, unit, 4)}"
            return f"{show(low, unit, 4)} … {show(high, unit, 4)}"
        if np.isfinite(high):
            return f"to {show(high, unit, 4)}"
        return f"from {show(low, unit, 4)}" if np.isfinite(low) else ""


def judge(interval: Interval | None, band: Band) -> Verdict:
    """Verdict by guard band: the whole 95 % interval decides (ISO 14253-1, decision rule).

    Holds when it lies inside the band, misses when it lies wholly outside, else too close.
    """
    if interval is None:
        return Verdict.NOT_MEASURED
    low, high = band.ends
    if interval.low >= low and interval.high <= high:
        return Verdict.CONFORMS
    if interval.high < low or interval.low > high:
        return Verdict.NONCONFORMING
    return Verdict.TOO_CLOSE


class Capability(Struct, frozen=True):
    """Whether a meter can settle a limit at all, before anything is measured."""

    half_width: float
    room: float

    @property
    def can_hold(self) -> bool:
        """Some reading exists whose whole interval is inside the band."""
        return self.half_width < self.room

    @property
    def share(self) -> float:
        """Share of the band's half-width that the uncertainty takes."""
        return self.half_width / self.room if self.room > 0 else np.inf


def capability(accuracy: Accuracy, band: Band, value: float) -> Capability:
    """Whether this accuracy can ever call `band` held, for readings near `value`."""
    low, high = band.ends
    room = (high - low) / 2 if np.isfinite(high - low) else np.inf
    return Capability(accuracy.half_width(value), float(room))


def explain_reading(
    title: str, value: float, unit: str, accuracy: Accuracy, interval: Interval
) -> Derivation:
    """Why a reading is uncertain by this much."""
    return Derivation(
        title,
        "x ± h95 of (gain ±g·x, offset ±n·d, noise and quantisation s)",
        (
            Input("x", "reading", value, unit),
            Input("g", "accuracy, share of reading", accuracy.of_reading, "%"),
            Input("n·d", "accuracy, counts times value of a count", accuracy.offset, unit),
            Input("s", "noise and quantisation, rms", accuracy.scatter, unit),
        ),
        interval.value,
        unit,
        ("gain and offset are rectangular and shared by all readings on this range",),
        "Propagation of distributions: GUM Supplement 1 (JCGM 101); rectangular: GUM 4.3.7",
        (interval.low, interval.high),
    )
