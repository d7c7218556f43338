"""How a waveform recorder errs, and what a noisy record says of a level and of a crossing."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.measurement.conformity import Interval, half_width_95

#: Gain error of a recorder that states none, as a share: a rule of thumb.
USUAL_GAIN = 0.03
#: Noise over a step from which on a mean tells less than a step apart.
DITHER = 0.4


class Recorder(Struct, frozen=True):
    """Share by which its gain may be off (shared by all samples), V of one step of its digitiser.

    `clock_share` is how far its time base may be off.
    """

    gain_share: float = USUAL_GAIN
    step_V: float = 0.0
    clock_share: float = 1e-4

    def span(self, value: float, sigma: float = 0.0, steps: int = 2) -> Interval:
        """A difference of volts with its 95 % interval: gain, so many half steps, and noise `sigma`."""
        half = half_width_95((self.gain_share * value, *[self.step_V / 2] * steps), sigma)
        return Interval(value, value - half, value + half)

    def moment(self, seconds: float, *crossed: "Crossing") -> Interval:
        """A time between crossings with its 95 % interval: edges within a sample, the clock, noise."""
        half = half_width_95(
            (*(abs(c.blur_s) for c in crossed), self.clock_share * seconds),
            float(np.linalg.norm([c.sigma_s for c in crossed])),
        )
        return Interval(seconds, max(seconds - half, 0.0), seconds + half)


def noise_V(volts: Array) -> float:
    """Noise of a stretch that should stand still, V rms: from differences, so that a drift does not count."""
    v = np.asarray(volts, float)
    return float(np.std(np.diff(v)) / np.sqrt(2)) if len(v) > 2 else 0.0


def level(volts: Array, noise: float, step_V: float) -> tuple[float, float, float]:
    """Volts of a stretch that stands still: the mean of its middle half, V rms by noise, a bound.

    The latter is half a step of the digitiser where too little noise averages over its steps.
    """
    v = np.sort(np.asarray(volts, float))
    quarter = len(v) // 4
    middle = float(v[quarter : max(len(v) - quarter, quarter + 1)].mean())
    # The middle half's mean scatters a tenth more than the mean of all (a normal distribution's).
    return middle, 1.1 * noise / float(np.sqrt(len(v))), (step_V / 2 if noise < DITHER * step_V else 0.0)


def smoothed(volts: Array, noise: float, wanted: float) -> tuple[Array, int]:
    """A record averaged over as few samples as bring its noise down to `wanted` V, and over how many."""
    v = np.asarray(volts, float)
    if noise <= wanted or wanted <= 0:
        return v, 1
    width = min(int(np.ceil((noise / wanted) ** 2)) | 1, max(len(v) // 50, 1) | 1)
    if width < 3:
        return v, 1
    padded = np.pad(v, width // 2, mode="edge")
    sums = np.cumsum(np.insert(padded, 0, 0.0))
    return (sums[width:] - sums[:-width]) / width, width


class Crossing(Struct, frozen=True):
    """When a record crosses a level, s; its slope there, V/s; how sure the time is by its noise, s rms.

    `blur_s` is half a sample where the edge is no longer than one, so that its place in it is not known.
    """

    at_s: float
    slope: float
    sigma_s: float
    blur_s: float = 0.0


def crossing(time_s: Array, volts: Array, at: int, level: float, noise: float, reach_V: float) -> Crossing:
    """When a noisy record crosses a level near sample `at`.

    A parabola through the samples around it, as many as rise out of the noise but no further than `reach_V`
    to each side, where a record bends little; straight between two samples where there is no noise.
    """
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    half = _samples_around(v, at, noise, reach_V)
    first, last = max(at - half, 0), min(at + half, len(t))
    if last - first < 7:
        return _between(t, v, at, level, noise, reach_V)
    period = float(t[1] - t[0])
    x = (t[first:last] - t[at]) / period
    design = np.column_stack([np.ones_like(x), x, x * x])
    bend, *_ = np.linalg.lstsq(design, v[first:last], rcond=None)
    roots = np.roots(bend[::-1] - np.array([0.0, 0.0, level]))
    real = roots[np.isreal(roots)].real
    inside = real[(real >= x[0]) & (real <= x[-1])]
    if not len(inside):
        return _between(t, v, at, level, noise, reach_V)
    moment = float(inside[np.argmin(np.abs(inside))])
    slope = float(bend[1] + 2 * bend[2] * moment) / period
    row = np.array([1.0, moment, moment**2])
    sigma = noise * float(np.sqrt(row @ np.linalg.inv(design.T @ design) @ row))
    return Crossing(float(t[at]) + moment * period, slope, sigma / max(abs(slope), 1e-12))


def _samples_around(v: Array, at: int, noise: float, reach_V: float) -> int:
    """How many samples to each side rise out of the noise, and no further than `reach_V`."""
    half = 1
    for _ in range(8 if noise > 0 else 0):
        first, last = max(at - half, 0), min(at + half, len(v) - 1)
        fall = abs(float(v[last] - v[first])) / max(last - first, 1)
        wanted = min(12 * noise, reach_V)
        if fall * half >= wanted or half >= len(v) // 20:
            break
        half = int(np.clip(1.2 * wanted / max(fall, noise / half / 4), half + 1, 2 * half + 4))
    return half


def _between(t: Array, v: Array, at: int, level: float, noise: float, reach_V: float) -> Crossing:
    """Straight between the samples before and at it."""
    if at <= 0:
        return Crossing(float(t[0]), 0.0, 0.0)
    v0, v1 = float(v[at - 1]), float(v[at])
    gap = float(t[at] - t[at - 1])
    share = float(np.clip((level - v0) / (v1 - v0), 0.0, 1.0)) if v1 != v0 else 1.0
    slope = (v1 - v0) / gap
    blur = gap / 2 if abs(v1 - v0) > reach_V else 0.0
    return Crossing(float(t[at - 1]) + share * gap, slope, noise / max(abs(slope), 1e-12), blur)


def lowest(volts: Array, noise: float, seed: int = 7) -> tuple[float, float]:
    """The lowest value that a noisy record would have without its noise, and how sure that is, V rms.

    The least of noisy samples lies too low; by how much is found by adding the same noise to the record once
    more, averaged a little, around its lowest place.
    """
    v = np.asarray(volts, float)
    least = float(v.min())
    if noise <= 0:
        return least, 0.0
    # Only samples that could be the least count; the record there is averaged over a few of its neighbours.
    calm, _ = smoothed(v, noise, noise / 2)
    near = np.sort(calm[calm < calm.min() + 6 * noise])[:400]
    drawn = near + noise * np.random.default_rng(seed).standard_normal((200, len(near)))
    found = drawn.min(1)
    return least - (float(found.mean()) - float(near.min())), float(found.std())
