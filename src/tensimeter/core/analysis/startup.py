"""Switching on and off from a waveform: delay, rise, overshoot, and how long the volts hold up."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError


@dataclass(frozen=True)
class StartUp:
    """s from the switch to half the settled volts, s from 10 to 90 %, overshoot as a share of them."""

    delay_s: float
    rise_s: float
    overshoot: float
    settled_V: float
    #: Whether it fell back by a tenth of the settled volts or more on its way up.
    falls_back: bool


def start_up(time_s: Array, volts: Array, nominal_V: float) -> StartUp:
    """Read a start from a waveform (n,) in s and V whose time is zero at the switch.

    Settled volts are the median of the last tenth. Raises UserError where the output does not come up, or was
    up before.
    """
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    if len(t) < 50:
        raise UserError("A start needs fifty samples or more.")
    settled = float(np.median(v[-len(v) // 10 :]))
    if settled < 0.2 * nominal_V:
        raise UserError("The output did not come up within the record: take a longer one, or find out why.")
    crossed = [int(np.argmax(v >= share * settled)) for share in (0.1, 0.5, 0.9)]
    if crossed[1] == 0:
        raise UserError("The output was up before it was switched on: leave it off for longer first.")
    ten, half, ninety = (float(t[k]) for k in crossed)
    peak = np.maximum.accumulate(v)
    back = bool((peak[: crossed[2]] - v[: crossed[2]] > 0.1 * settled).any())
    return StartUp(half, ninety - ten, max(float(v.max()) / settled - 1, 0.0), settled, back)


def hold_up_s(time_s: Array, volts: Array, lowest_V: float) -> float | None:
    """Seconds after the switch (time zero) until the volts fall below `lowest_V`; None where they do not."""
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    below = np.flatnonzero((v < lowest_V) & (t > 0))
    return float(t[below[0]]) if len(below) else None
