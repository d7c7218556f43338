"""How often gain and offset of a meter lie inside their 95 % intervals, over seeded comparisons.

python -m benchmarks.coverage_meters [COMPARISONS]
"""

import sys

import numpy as np

from tensimeter.core.analysis.comparison import compared
from tensimeter.core.analysis.meter_setting import points_for
from tensimeter.core.measurement.conformity import Accuracy

DIGIT, TOP = 0.01, 10.0


def covered(count: int, better: float, seed: int = 1) -> tuple[int, int, int]:
    """How many of `count` hold gain and offset, and name an odd point; the reference so many times better."""
    rng = np.random.default_rng(seed)
    standard = Accuracy(of_reading=0.01 / better, counts=2.0 / better, resolution=DIGIT / better)
    subject = Accuracy(of_reading=0.0, resolution=DIGIT)
    gain_in = offset_in = odd = 0
    for _ in range(count):
        gain, offset = rng.uniform(0.9, 1.1), rng.uniform(-0.1, 0.1)
        wanted = np.array(points_for(0.5, TOP, DIGIT))
        true = gain * wanted + offset
        shown = (true - offset) / gain + DIGIT * 0.5 * rng.standard_normal(len(true))
        shown = DIGIT * np.round(shown / DIGIT)
        share, shift = rng.uniform(-1, 1, 2) * (standard.of_reading, standard.offset)
        read = true * (1 + share) + shift + standard.scatter * rng.standard_normal(len(true))
        found = compared(shown, read, subject, standard)
        gain_in += found.gain.low <= gain <= found.gain.high
        offset_in += found.offset.low <= offset <= found.offset.high
        odd += found.odd_one is not None
    return gain_in, offset_in, odd


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    for better in (1.0, 4.0, 20.0):
        gain, offset, odd = covered(count, better)
        print(
            f"reference {better:g} × as good: gain {gain}, offset {offset} of {count} inside; "
            f"{odd} odd points named"
        )


if __name__ == "__main__":
    main()
