"""One row of the coverage table: a reported figure, seeded truths, and how often its interval holds them."""

import zlib
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from tensimeter.core.measurement.conformity import Accuracy, Interval

#: How often a 95 % interval may hold the truth, and how wide it may be over a bare Monte Carlo.
SHARE, MOST_WIDE = (0.93, 0.97), 1.3
#: A truth and the interval found for it; None where nothing was found.
Once = Callable[[np.random.Generator], tuple[float, Interval | None]]


@dataclass(frozen=True)
class Told:
    """A row as it is printed, and whether it holds what it promises."""

    line: str
    good: bool


@dataclass(frozen=True)
class Row:
    """A figure: its name, one seeded run of it, and why it may cover more than 95 % where it must."""

    name: str
    once: Once
    why: str = ""

    def run(self, runs: int) -> Told:
        """So many seeded truths."""
        inside, halves, errors = 0, [], []
        for seed in range(runs):
            rng = np.random.default_rng([zlib.crc32(self.name.encode()), seed])
            truth, found = self.once(rng)
            if found is None or not np.isfinite([found.low, found.high]).all():
                continue
            inside += found.low <= truth <= found.high
            halves.append(found.half_width)
            errors.append((found.value - truth) / found.half_width)
        # The bare Monte Carlo: the 95 % spread of the errors themselves, each over its own interval.
        low, high = np.quantile(errors, [0.025, 0.975]) if errors else (np.nan, np.nan)
        ratio = 2 / (high - low) if high > low else np.nan
        share = inside / runs
        good = SHARE[0] <= share <= SHARE[1] and ratio <= MOST_WIDE
        good |= bool(self.why) and share >= SHARE[0]
        lost = f"; {runs - len(errors)} told nothing" if len(errors) < runs else ""
        said = "" if good else "  <-- does not hold"
        reason = f"  ({self.why})" if self.why else ""
        return Told(f"{self.name:34s} {inside:5d} of {runs:4d} {ratio:14.2f}{lost}{reason}{said}", good)


class Meter:
    """An instrument with hidden errors of its own: one gain, one offset, noise and digits."""

    def __init__(self, rng: np.random.Generator, accuracy: Accuracy) -> None:
        self.rng, self.accuracy = rng, accuracy
        self.gain = 1 + accuracy.of_reading * rng.uniform(-1, 1)
        self.offset = accuracy.offset * rng.uniform(-1, 1)

    def read(self, values: np.ndarray | float) -> np.ndarray:
        a = self.accuracy
        x = np.asarray(values, float) * self.gain + self.offset
        x = x + a.resolution * a.noise_counts * self.rng.standard_normal(np.shape(x))
        return np.round(x / a.resolution) * a.resolution
