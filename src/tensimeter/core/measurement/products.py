"""Products and quotients of readings, with the 95 % interval that their meters leave."""

import math
from collections.abc import Iterable

from msgspec import Struct

from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95


class Factor(Struct, frozen=True):
    """One reading of a product; `power` −1 divides by it. Each meter errs by itself."""

    value: float
    accuracy: Accuracy
    power: int = 1


def product(factors: Iterable[Factor]) -> Interval:
    """The product of readings with its 95 % interval.

    Parameters
    ----------
    factors : iterable of Factor
        Readings that are not zero, each of a meter or a range of its own.

    Returns
    -------
    Interval
        Relative gains, offsets and noise of all of them, propagated to first order (GUM, 5.1.2).
    """
    value, rectangular, sigma = 1.0, [], 0.0
    for f in factors:
        value *= f.value**f.power
        rectangular += [f.accuracy.of_reading, f.accuracy.offset / abs(f.value)]
        sigma = math.hypot(sigma, f.accuracy.scatter / abs(f.value))
    half = abs(value) * half_width_95(rectangular, sigma)
    return Interval(value, value - half, value + half)
