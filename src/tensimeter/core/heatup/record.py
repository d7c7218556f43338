"""A heat-up as it was read: uneven samples, coarse digits, an ambient that drifts, steps of the load."""

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array, Figure, IntArray
from tensimeter.core.errors import UserError

#: A record longer than this many samples is gathered into about so many bins of time.
FEW, BINS = 200, 140
#: Digits no larger than this are finer than any two time constants fit a real part.
FINE_K = 0.25
#: Stretches in which the ambient may change its drift, at most.
MOST_KNOTS = 8


class HeatUp(Struct, frozen=True, eq=False):
    """Samples in s and °C (n,), the ambient in °C beside each, when the load was stepped, what is known.

    `start_C` is the temperature as the load came on, where it is known; `noise_K` the thermometer's, rms;
    `lag_s` its time constant. Samples before the first step say what the start was.
    """

    time_s: Array
    celsius: Array
    ambient_C: Figure
    steps_s: tuple[float, ...] = ()
    start_C: float | None = None
    noise_K: float | None = None
    lag_s: float = 0.0
    #: Whether it was warm already as the load came on: part of that leaves with the fast time constant.
    warm: bool = False

    def __post_init__(self) -> None:
        t, c = np.asarray(self.time_s, float), np.asarray(self.celsius, float)
        if t.shape != c.shape or t.ndim != 1 or not (np.isfinite(t).all() and np.isfinite(c).all()):
            raise UserError("A heat-up is a column of times and one of temperatures, all of them numbers.")
        if len(t) and (np.diff(t) < 0).any():
            raise UserError("The times of a heat-up must not run backwards.")

    @property
    def on_s(self) -> float:
        """When the load came on."""
        return self.steps_s[0] if self.steps_s else float(self.time_s[0])

    @property
    def now_s(self) -> float:
        """When the last reading was taken, s."""
        return float(self.time_s[-1])

    def between(self, begin_s: float, end_s: float) -> "HeatUp":
        """A part of it. One that begins later than the load did begins warm, with a step of its own."""
        t = np.asarray(self.time_s, float)
        keep = (t >= begin_s) & (t < end_s)
        ambient = self.ambient_C if np.ndim(self.ambient_C) == 0 else np.asarray(self.ambient_C)[keep]
        later = begin_s > self.on_s
        steps = tuple(s for s in self.steps_s if begin_s < s < end_s) if later else self.steps_s
        return replace(
            self,
            time_s=t[keep],
            celsius=np.asarray(self.celsius, float)[keep],
            ambient_C=ambient,
            steps_s=(begin_s, *steps) if later else steps,
            start_C=None if later else self.start_C,
            warm=self.warm or later,
        )


class Cells(Struct, frozen=True, eq=False):
    """A heat-up gathered for fitting: per bin s after load on, mean °C, samples; ambient; digits, noise.

    `coarse` is whether a digit is so large against the noise that its rounding is no noise.
    """

    time_s: Array
    celsius: Array
    count: Array
    ambient_C: Array
    steps_s: Array
    digit_K: float
    noise_K: float
    start_C: float
    start_sd_K: float
    ambient_sd_K: float
    warm: bool
    #: Where the ambient changes its drift, s, and by how much, K/s.
    knots_s: Array
    turns_K_s: Array
    #: Each bin's figures one by one, where digits are coarse: bin, °C shown, samples.
    codes: tuple[Array, Array, Array]

    @property
    def span_s(self) -> float:
        """How long the record is, s."""
        return float(self.time_s[-1])

    @property
    def coarse(self) -> bool:
        """Whether the steps of the display hide its noise."""
        return self.digit_K > max(2 * self.noise_K, FINE_K)

    @property
    def sigma_K(self) -> Array:
        """Standard deviation of each bin's mean."""
        one = np.hypot(self.noise_K, self.digit_K / np.sqrt(12))
        return np.asarray(one / np.sqrt(self.count))


def gathered(record: HeatUp) -> Cells:
    """Bins, digits and noise of a heat-up; UserError where there are too few samples after load on."""
    t, c = np.asarray(record.time_s, float), np.asarray(record.celsius, float)
    ambient = np.broadcast_to(np.asarray(record.ambient_C, float), t.shape)
    on = record.on_s
    after = t >= on
    if after.sum() < 5 or t[-1] <= on:
        raise UserError("Five temperatures or more after the load came on are needed for a forecast.")
    digit = digit_of(c)
    noise = record.noise_K if record.noise_K is not None else noise_of(t[after], c[after], digit)
    start, start_sd = _start(record, c[~after], noise, digit)
    u = t[after] - on
    steps = np.array([s - on for s in record.steps_s if s < t[-1]] or [0.0])
    bins = _bins(u, steps)
    count = np.bincount(bins).astype(float)
    mean_u = np.bincount(bins, u) / count
    mean_c = np.bincount(bins, c[after]) / count
    knots, level, sd = _ambient(u, ambient[after])
    turns = np.diff(np.diff(level) / np.diff(knots), prepend=0.0)
    values, inverse = np.unique(np.stack([bins, np.round(c[after] / digit)]), axis=1, return_inverse=True)
    codes = values[0], values[1] * digit, np.bincount(inverse.ravel()).astype(float)
    smooth = np.interp(mean_u, knots, level)
    return Cells(
        mean_u, mean_c, count, smooth, steps, digit, max(noise, 1e-9), start, start_sd, sd, record.warm,
        knots[:-1], turns, codes,
    )  # fmt: skip


def digit_of(celsius: Array) -> float:
    """The step in K in which a record's figures come; tiny where they come in none."""
    steps = np.diff(np.unique(np.round(celsius, 9)))
    if not len(steps):
        return 1.0
    step = float(steps.min())
    even = np.abs(steps / step - np.round(steps / step)).max() < 0.01
    # Figures that all differ by chance come in no step that matters.
    return step if even and step > 1e-6 else 1e-6


def noise_of(time_s: Array, celsius: Array, digit_K: float) -> float:
    """Noise in K, rms, from how each sample differs from the line between its neighbours."""
    if len(time_s) < 8:
        # Too few to tell noise from bend: the fit's own residuals widen it later.
        return float(max(digit_K / np.sqrt(12), 0.01 * np.ptp(celsius)))
    before, here, after = celsius[:-2], celsius[1:-1], celsius[2:]
    gap = time_s[2:] - time_s[:-2]
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.where(gap > 0, (time_s[1:-1] - time_s[:-2]) / gap, 0.5)
    off = here - (before + share * (after - before))
    scale = np.sqrt(1 + share**2 + (1 - share) ** 2)
    total = float(np.sqrt(np.mean((off / scale) ** 2)))
    return float(np.sqrt(max(total**2 - digit_K**2 / 12, (0.02 * digit_K) ** 2)))


def _start(record: HeatUp, before: Array, noise: float, digit: float) -> tuple[float, float]:
    """What the temperature was as the load came on, and how well that is known."""
    if record.start_C is not None:
        return record.start_C, 1e-4
    if len(before) >= 3:
        late = before[-max(len(before) // 2, 3) :]
        return float(late.mean()), float(np.hypot(noise / np.sqrt(len(late)), 0.5 * digit + 0.1))
    first = np.asarray(record.celsius, float)[np.asarray(record.time_s) >= record.on_s]
    # The heat-up itself tells; this only keeps it near its first readings.
    return float(first[:3].mean()), 10.0 + 10 * (noise + digit)


def _bins(u: Array, steps: Array) -> IntArray:
    if len(u) <= FEW:
        return np.arange(len(u))
    width = u[-1] / BINS
    segment = np.searchsorted(steps, u, side="right")
    _, found = np.unique(segment * 100_000 + np.floor(u / width).astype(int), return_inverse=True)
    return np.asarray(found)


def _ambient(u: Array, read: Array) -> tuple[Array, Array, float]:
    """A smooth ambient: straight between as few knots (s, °C) as its readings ask for; how sure it is."""
    span = float(u[-1])
    if np.ptp(read) == 0:
        return np.array([0.0, span]), np.full(2, float(read[0])), 0.0
    digit = digit_of(read)
    best: tuple[float, Array, Array, float] | None = None
    for pieces in range(1, MOST_KNOTS + 1):
        if len(u) < 6 * (pieces + 1) and best is not None:
            break
        knots = np.linspace(0, span, pieces + 1)
        basis = np.array([np.interp(u, knots, row) for row in np.eye(pieces + 1)]).T
        level, *_ = np.linalg.lstsq(basis, read, rcond=None)
        left = read - basis @ level
        variance = max(float(left @ left) / max(len(u) - pieces - 1, 1), (0.01 * digit) ** 2, 1e-12)
        score = len(u) * np.log(variance) + (pieces + 1) * np.log(len(u))
        if best is None or score < best[0]:
            best = score, knots, level, variance
    assert best is not None
    noise = np.sqrt(max(best[3] - digit**2 / 12, 0.0))
    # Coarse digits leave a slope that no number of readings takes away.
    rounding = 0.5 * digit / np.sqrt(12) if digit > 2 * noise else 0.0
    return best[1], best[2], float(np.hypot(rounding, 2 * np.sqrt(best[3] / len(u))))
