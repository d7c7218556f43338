"""A temperature sensor against a reference, and which of several places is hottest."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval


class Calibration(Struct, frozen=True):
    """reference ≈ gain·sensor + offset; with one reading only the offset; worst errors before, after."""

    gain: Interval | None
    offset_K: Interval
    worst_before_K: float
    worst_after_K: float

    def right(self, celsius: float) -> float:
        """What a sensor's figure means."""
        return (self.gain.value if self.gain else 1.0) * celsius + self.offset_K.value


def calibrated(sensor_C: Array, reference_C: Array, sd_K: float) -> Calibration:
    """Gain and offset from readings of both (n,); `sd_K` is the deviation of their difference.

    Straight line by least squares; with fewer than two temperatures ten kelvin apart, the offset alone.
    """
    s, r = np.asarray(sensor_C, float), np.asarray(reference_C, float)
    if len(s) < 1 or s.shape != r.shape:
        raise UserError("A sensor is checked by readings of it and of a reference at the same moment.")
    off = r - s
    before = float(np.abs(off).max())
    if len(s) < 2 or np.ptp(s) < 10:
        half = 1.96 * sd_K / np.sqrt(len(s))
        mean = float(off.mean())
        return Calibration(
            None, Interval(mean, mean - half, mean + half), before, float(np.abs(off - mean).max())
        )
    design = np.column_stack([s, np.ones_like(s)])
    (gain, offset), *_ = np.linalg.lstsq(design, r, rcond=None)
    halves = 1.96 * sd_K * np.sqrt(np.diag(np.linalg.inv(design.T @ design)))
    after = float(np.abs(r - design @ [gain, offset]).max())
    return Calibration(
        Interval(float(gain), float(gain - halves[0]), float(gain + halves[0])),
        Interval(float(offset), float(offset - halves[1]), float(offset + halves[1])),
        before,
        after,
    )


class Hottest(Struct, frozen=True):
    """The hottest place by readings, by how much, and whether the thermometer can tell it from the next."""

    place: str
    above_next_K: Interval
    sure: bool


def hottest(celsius: dict[str, float], sd_K: float) -> Hottest:
    """Which of several places is hottest; `sd_K` is the deviation of one reading against another."""
    if len(celsius) < 2:
        raise UserError("Read two places or more, soon after one another, to find the hottest.")
    first, second, *_ = sorted(celsius, key=lambda p: -celsius[p])
    gap, half = celsius[first] - celsius[second], 1.96 * np.sqrt(2) * sd_K
    return Hottest(first, Interval(gap, float(gap - half), float(gap + half)), gap > half)
