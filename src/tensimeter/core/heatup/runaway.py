"""Thermal runaway: a temperature whose slope grows, significantly, and keeps growing.

A part that warms under constant heat climbs ever more slowly. One whose own loss grows with its temperature
by more than its sink carries away climbs ever faster. Right after a step of the load a lagging thermometer
looks like that too, so nothing is said before the step is well past. So does a room that swings: what it
swings by, over hours and with the sink's delay, can bend a record by no more, and less than that is no alarm.
"""

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.heatup.record import HeatUp, digit_of, noise_of

#: Seconds after a step of the load before a growing slope counts, and the thermometer's lags: rules of thumb.
SETTLED_S, SETTLED_LAGS = 100.0, 8.0
#: The bend must be so many times its own uncertainty in a window, and in the later half of it alone.
SIGNIFICANT, STILL = 4.0, 1.0
#: K from the bottom to the top of a room's swing where the room was not read: a rule of thumb.
ROOM_SWING_K = 3.0
#: Windows in s that are looked at, up to now, and the fewest readings in one.
WINDOWS_S, FEWEST = (120.0, 240.0, 480.0, 960.0, 1920.0, 3840.0, 7680.0), 8
#: Independent readings that coarse digits leave for each digit passed.
PER_DIGIT = 2.0


def runs_away(record: HeatUp) -> bool:
    """Whether a record bends upwards, and still does in the later half, by more than the room can bend it.

    Both the temperature and its rise over the room have to.
    """
    t = np.asarray(record.time_s, float)
    rise = np.asarray(record.celsius, float) - np.broadcast_to(np.asarray(record.ambient_C, float), t.shape)
    last = max((s for s in record.steps_s if s < t[-1]), default=float(t[0]))
    begin = last + max(SETTLED_S, SETTLED_LAGS * record.lag_s)
    celsius = np.asarray(record.celsius, float)
    digit = digit_of(celsius)
    noise = record.noise_K if record.noise_K is not None else noise_of(t, rise, digit)
    sigma = float(np.hypot(noise, digit / np.sqrt(12)))
    room = np.asarray(record.ambient_C, float)
    allowed = max(0.4 * digit, noise, ROOM_SWING_K if room.ndim == 0 else float(np.ptp(room)))
    since = float(t[-1]) - begin
    for window in (*(w for w in WINDOWS_S if w < since), since):
        if window < WINDOWS_S[0]:
            continue
        whole, later = t >= t[-1] - window, t >= t[-1] - window / 2
        if later.sum() < FEWEST:
            continue
        # It must have climbed: what cools down bends upwards too. And the bend must show against digits,
        # noise and the room as they are, not only against their means.
        seen = [_bend(t[whole], track[whole], sigma, digit) for track in (rise, celsius)]
        if any(bent < SIGNIFICANT or slope <= 0 or sagitta < allowed for bent, sagitta, slope in seen):
            continue
        if _bend(t[later], rise[later], sigma, digit)[0] > STILL:
            return True
    return False


def _bend(t: Array, rise: Array, sigma: float, digit: float) -> tuple[float, float, float]:
    """The bend of a parabola through a window over its uncertainty, its height in K, its middle slope."""
    half = (t[-1] - t[0]) / 2
    x = (t - t[0]) / half - 1
    design = np.column_stack([np.ones_like(x), x, x * x])
    level, *_ = np.linalg.lstsq(design, rise, rcond=None)
    left = rise - design @ level
    random = max(sigma, float(np.sqrt(left @ left / max(len(x) - 3, 1))))
    count = float(len(x))
    if digit > 2 * sigma or digit > 0.25:
        count = min(count, max(PER_DIGIT * float(np.ptp(rise)) / digit, 4.0))
    covariance = np.linalg.inv(design.T @ design) * len(x) / count
    return (float(level[2] / (random * np.sqrt(covariance[2, 2]))), float(level[2]), float(level[1] / half))
