"""How a waveform recorder errs, and what a noisy record says of a level and of a crossing."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.measurement.conformity import Interval, half_width_95

#: Gain error of a recorder that states none, as a share: a rule of thumb.
USUAL_GAIN = 0.03
#: Share of the quantity at hand below which noise is left in: it moves nothing that is shown.
QUIET = 0.02


@dataclass(frozen=True)
class Recorder:
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

    def moment(self, seconds: float, period_s: float, sigma_s: float = 0.0, samples: int = 2) -> Interval:
        """A time between two crossings with its 95 % interval: half a sample for each, the clock, noise."""
        half = half_width_95((*[period_s / 2] * samples, self.clock_share * seconds), sigma_s)
        return Interval(seconds, max(seconds - half, 0.0), seconds + half)


def noise_V(volts: Array) -> float:
    """Noise of a stretch that should stand still, V rms: from differences, so that a drift does not count."""
    v = np.asarray(volts, float)
    return float(np.std(np.diff(v)) / np.sqrt(2)) if len(v) > 2 else 0.0


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


def crossing(time_s: Array, volts: Array, at: int, level: float) -> tuple[float, float]:
    """When a record crosses a level between samples `at` − 1 and `at`, s, and its slope there, V/s."""
    if at <= 0:
        return float(time_s[0]), 0.0
    v0, v1 = float(volts[at - 1]), float(volts[at])
    gap = float(time_s[at] - time_s[at - 1])
    slope = (v1 - v0) / gap
    share = (level - v0) / (v1 - v0) if v1 != v0 else 1.0
    return float(time_s[at - 1]) + float(np.clip(share, 0.0, 1.0)) * gap, slope


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
