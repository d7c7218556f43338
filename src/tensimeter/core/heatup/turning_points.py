"""What a logged temperature does by itself: turns up and down, hunting of a fan, cycling of a protection."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Flags, IntArray
from tensimeter.core.heatup.record import digit_of, noise_of
from tensimeter.core.measurement.conformity import Interval

#: Least K between a top and a bottom that counts as a turn, and times the noise.
LEAST_K, NOISES = 1.0, 6.0
#: Samples over which it is seen how steeply a place goes, as something acts.
SLOPE_OVER = 4


class Swinging(Struct, frozen=True):
    """Tops and bottoms in °C, moments of the tops in s; the period between them, None with fewer than two."""

    tops_C: Array
    bottoms_C: Array
    tops_s: Array

    @property
    def period_s(self) -> float | None:
        """From one top to the next, s; None where there are not two."""
        return float(np.median(np.diff(self.tops_s))) if len(self.tops_s) > 1 else None

    @property
    def hunts(self) -> bool:
        """Whether it goes up and down again and again: three tops or more about as far apart."""
        if len(self.tops_s) < 3:
            return False
        gaps = np.diff(self.tops_s)
        return bool(gaps.max() < 3 * gaps.min())


def swinging(time_s: Array, celsius: Array) -> Swinging:
    """Turns of a temperature (n,) over time (n,): one counts once it is gone back on by more than noise."""
    t, c = np.asarray(time_s, float), np.asarray(celsius, float)
    digit = digit_of(c) if len(c) > 1 else 0.0
    enough = max(LEAST_K, NOISES * noise_of(t, c, digit), 2.5 * digit if digit < 5 else 0.0)
    tops: list[int] = []
    bottoms: list[int] = []
    high = low = 0
    rising: bool | None = None
    for k in range(len(c)):
        high = k if c[k] > c[high] else high
        low = k if c[k] < c[low] else low
        if rising is not False and c[high] - c[k] > enough:
            tops.append(high)
            rising, low = False, k
        elif rising is not True and c[k] - c[low] > enough:
            if rising is not None:
                bottoms.append(low)
            rising, high = True, k
    return Swinging(c[tops], c[bottoms], t[tops])


class Thresholds(Struct, frozen=True):
    """°C at which a fan came on and went off, each with the interval that its samples leave; None unseen."""

    on_C: Interval | None
    off_C: Interval | None


def thresholds(celsius: Array, running: Flags, accuracy_K: float = 0.0) -> Thresholds:
    """On and off by whether the fan ran at each sample: each lies between two of them, or several tell."""
    change = np.diff(running.astype(int))
    on, off = np.flatnonzero(change > 0), np.flatnonzero(change < 0)
    return Thresholds(_between(celsius, on, accuracy_K), _between(celsius, off, accuracy_K))


def _between(celsius: Array, at: IntArray, accuracy_K: float) -> Interval | None:
    if not len(at):
        return None
    low = np.minimum(celsius[at], celsius[at + 1]).min()
    high = np.maximum(celsius[at], celsius[at + 1]).max()
    return Interval(float((low + high) / 2), float(low - accuracy_K), float(high + accuracy_K))


class Acted(Struct, frozen=True):
    """What a protection did: when it first acted, after how long the output came back, how often."""

    at_s: float
    back_s: float | None
    times: int
    #: Whether it goes off again and again: the temperature then stands between two marks while power pulses.
    cycles: bool

    @property
    def latches(self) -> bool:
        """Whether it stays off."""
        return self.back_s is None


def acted(time_s: Array, off: Flags) -> Acted | None:
    """When the output, off at these samples (n,), went away and came back; None where it never went."""
    alive = ~off
    gone = np.flatnonzero(alive[:-1] & ~alive[1:]) + 1
    if not len(gone):
        return None
    first = int(gone[0])
    later = np.flatnonzero(alive[first:])
    back = float(time_s[first + later[0]] - time_s[first]) if len(later) else None
    return Acted(float(time_s[first]), back, len(gone), len(gone) >= 3)


def acted_at(
    time_s: Array,
    celsius: Array,
    at_s: float,
    begun_s: float,
    half_K: float,
    lag_s: float = 0.0,
    *,
    rising: bool,
) -> Interval | None:
    """°C at which something acted that was first seen at `at_s`, by samples (n,) of a place; K around each.

    It acted between two samples, on the way up or down, so the place came at least as far as either shows.
    Since the one before it went on at most as steeply as it had gone from `begun_s` on; a probe that lags
    `lag_s` shows that much too little. None where too few samples tell how steep that was.
    """
    way = 1.0 if rising else -1.0
    y = way * celsius
    k = min(max(int(np.searchsorted(time_s, at_s)), 1), len(y) - 1)
    start = max(int(np.searchsorted(time_s, begun_s)), k - 1 - SLOPE_OVER)
    if start >= k - 1:
        return None
    slope = max(float(y[k - 1] - y[start]) / float(time_s[k - 1] - time_s[start]), 0.0)
    least = max(float(y[k - 1]), float(y[k]))
    most = max(least, float(y[k - 1]) + slope * float(time_s[k] - time_s[k - 1])) + lag_s * slope
    low, high = sorted((way * least, way * most))
    return Interval((low + high) / 2, low - half_K, high + half_K)
