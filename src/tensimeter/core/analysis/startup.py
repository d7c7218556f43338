"""Switching on and off from a waveform: delay, rise, overshoot, and how long the volts hold up."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval, half_width_95
from tensimeter.core.measurement.recorder import (
    Crossing,
    Recorder,
    crossing,
    level,
    lowest,
    noise_V,
    smoothed,
)

#: Noise that is left in a record before its crossings are read, as a share of the settled volts.
CALM_SHARE = 0.005
#: How far around a level a record counts as straight, as a share of the settled volts.
REACH_SHARE = 0.05


class StartUp(Struct, frozen=True):
    """s from the switch to half the settled volts, s from 10 to 90 %, overshoot as a share of them.

    Each with its 95 % interval.
    """

    delay_s: Interval
    rise_s: Interval
    overshoot: Interval
    settled_V: float
    #: Whether it fell back by a tenth of the settled volts or more on its way up.
    falls_back: bool


def start_up(time_s: Array, volts: Array, nominal_V: float, recorder: Recorder | None = None) -> StartUp:
    """Read a start from a waveform (n,) in s and V whose time is zero at the switch.

    Settled volts are those of the last tenth. A gain that is off moves none of these, since all are
    taken as shares of the settled volts. Raises UserError where the output does not come up, or was up
    before.
    """
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    recorder = recorder or Recorder()
    if len(t) < 50:
        raise UserError("A start needs fifty samples or more.")
    rest = max(len(v) // 10, 1)
    noise = noise_V(v[-rest:])
    settled, ended, off = level(v[-rest:], noise, recorder.step_V)
    if settled < 0.2 * nominal_V:
        raise UserError("The output did not come up within the record: take a longer one, or find out why.")
    calm, _ = smoothed(v, noise, CALM_SHARE * settled)
    crossed = [int(np.argmax(calm >= share * settled)) for share in (0.1, 0.5, 0.9)]
    if crossed[1] == 0:
        raise UserError("The output was up before it was switched on: leave it off for longer first.")
    ten, half_way, ninety = (
        crossing(t, v, k, share * settled, noise, REACH_SHARE * settled)
        for share, k in zip((0.1, 0.5, 0.9), crossed, strict=True)
    )
    peak = np.maximum.accumulate(calm)
    back = bool((peak[: crossed[2]] - calm[: crossed[2]] > 0.1 * settled).any())
    top, sure = lowest(-v, noise)
    over = max(-top / settled - 1, 0.0)
    half = half_width_95(
        (recorder.step_V / settled, recorder.step_V / settled), float(np.hypot(sure, ended)) / settled
    )
    return StartUp(
        recorder.moment(half_way.at_s, half_way, _of_settled(half_way, 0.5, ended, off)),
        recorder.moment(ninety.at_s - ten.at_s, ten, ninety, _of_settled(ninety, 0.9, ended, off)),
        Interval(over, max(over - half, 0.0), over + half),
        settled,
        back,
    )


def _of_settled(found: Crossing, share: float, noise: float, off: float) -> Crossing:
    """How far what is not known of the settled volts moves the moment of a share of them."""
    per_V = share / max(abs(found.slope), 1e-12)
    return Crossing(0.0, 0.0, noise * per_V, off * per_V)


def hold_up_s(
    time_s: Array, volts: Array, lowest_V: float, recorder: Recorder | None = None
) -> Interval | None:
    """Seconds after the switch (time zero) until the volts fall below `lowest_V`; None where they do not.

    Volts are compared with a figure from outside the record, so that its gain and a step of its digitiser
    move the moment, by their volts over the fall.
    """
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    recorder = recorder or Recorder()
    still = v[t <= 0]
    noise = noise_V(still if len(still) > 2 else v[: max(len(v) // 20, 3)])
    calm, _ = smoothed(v, noise, CALM_SHARE * lowest_V)
    below = np.flatnonzero((calm < lowest_V) & (t > 0))
    if not len(below):
        return None
    found = crossing(t, v, int(below[0]), lowest_V, noise, REACH_SHARE * lowest_V)
    per_V = 1 / max(abs(found.slope), 1e-12)
    terms = (recorder.gain_share * lowest_V * per_V, recorder.step_V / 2 * per_V, found.blur_s)
    half = half_width_95(terms, found.sigma_s)
    return Interval(found.at_s, max(found.at_s - half, 0.0), found.at_s + half)
