"""Ripple figures and spectrum of a long record, against scipy's own transform of it."""

import numpy as np
from scipy.fft import rfft

from benchmarks.measure import Row, in_turns
from tensimeter.core.analysis.ripple import ripple

_RATE = 100e6


def rows() -> list[Row]:
    found = []
    for count in (1_000_000, 10_000_000):
        t = np.arange(count) / _RATE
        rng = np.random.default_rng(2)
        volts = 12 + 0.05 * np.sin(2 * np.pi * 100.3 * t) + rng.normal(0, 0.002, count)
        volts += 0.012 * np.sin(2 * np.pi * 65e3 * t)
        times = in_turns(lambda v=volts: ripple(v, _RATE, 50.0, 65e3), lambda v=volts: rfft(v), 5)
        found.append(Row("ripple figures and spectrum", f"{count} samples", *times, 2.5))
    return found
