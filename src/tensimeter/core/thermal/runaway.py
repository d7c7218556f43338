"""Thermal runaway: a temperature whose slope grows, significantly, and keeps growing.

A part that warms under constant heat climbs ever more slowly. One whose own loss grows with its temperature
by more than its sink carries away climbs ever faster. Right after a step of the load a lagging thermometer
looks like that too, so nothing is said before the step is well past.
"""

import itertools

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.thermal.heatup import HeatUp, digit_of, noise_of

#: Seconds after a step of the load before a growing slope counts, and the thermometer's lags: rules of thumb.
SETTLED_S, SETTLED_LAGS = 300.0, 8.0
#: The growth of the slope must be this many times its own uncertainty, in every window looked at.
SIGNIFICANT = 5.0
#: Parts of a window whose slopes are compared, and the windows in s.
PARTS, WINDOWS_S = 4, (300.0, 600.0, 1200.0, 2400.0, 4800.0)
_FEWEST = 5


def runs_away(record: HeatUp) -> bool:
    """Whether the rise over ambient grows ever faster: four parts of a window, each steeper than the last."""
    t = np.asarray(record.time_s, float)
    rise = np.asarray(record.celsius, float) - np.broadcast_to(np.asarray(record.ambient_C, float), t.shape)
    last = max((s for s in record.steps_s if s < t[-1]), default=float(t[0]))
    begin = last + max(SETTLED_S, SETTLED_LAGS * record.lag_s)
    digit = digit_of(np.asarray(record.celsius, float))
    noise = record.noise_K if record.noise_K is not None else noise_of(t, rise, digit)
    for window in WINDOWS_S:
        if t[-1] - begin < window:
            break
        inside = t >= t[-1] - window
        if _grows(t[inside], rise[inside], noise, digit):
            return True
    return False


def _grows(t: Array, rise: Array, noise: float, digit: float) -> bool:
    edges = np.linspace(t[0], t[-1], PARTS + 1)
    slopes, errors = [], []
    for low, high in itertools.pairwise(edges):
        part = (t >= low) & (t <= high)
        if part.sum() < _FEWEST:
            return False
        x, y = t[part] - t[part].mean(), rise[part]
        spread = float(x @ x)
        slope = float(x @ y) / spread
        left = y - y.mean() - slope * x
        # Rounding to coarse digits does not average out: it counts once, not once a sample.
        random = max(noise, float(np.sqrt(left @ left / max(len(x) - 2, 1)))) / np.sqrt(spread)
        slopes.append(slope)
        errors.append(float(np.hypot(random, digit / (high - low) if digit > 2 * noise else 0.0)))
    steps = np.diff(slopes)
    growth, error = slopes[-1] - slopes[0], float(np.hypot(errors[0], errors[-1]))
    # What the growth adds over the window must show against noise and digits, not only against their means.
    seen = growth * (t[-1] - t[0]) / PARTS
    return bool(
        (steps > 0).all() and slopes[-1] > 0 and growth > SIGNIFICANT * error and seen > max(digit, 2 * noise)
    )
