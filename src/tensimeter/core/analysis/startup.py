"""Switching on and off from a waveform: delay, rise, overshoot, and how long the volts hold up."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval, half_width_95
from tensimeter.core.measurement.recorder import Recorder, crossing, lowest, noise_V, smoothed

#: Noise that is left in a record before its crossings are read, as a share of the settled volts.
CALM_SHARE = 0.005


@dataclass(frozen=True)
class StartUp:
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

    Settled volts are the median of the last tenth. A gain that is off moves none of these, since all are
    taken as shares of the settled volts. Raises UserError where the output does not come up, or was up
    before.
    """
    t, v = np.asarray(time_s, float), np.asarray(volts, float)
    recorder = recorder or Recorder()
    if len(t) < 50:
        raise UserError("A start needs fifty samples or more.")
    rest = max(len(v) // 10, 1)
    settled, noise = float(np.median(v[-rest:])), noise_V(v[-rest:])
    if settled < 0.2 * nominal_V:
        raise UserError("The output did not come up within the record: take a longer one, or find out why.")
    calm, width = smoothed(v, noise, CALM_SHARE * settled)
    crossed = [int(np.argmax(calm >= share * settled)) for share in (0.1, 0.5, 0.9)]
    if crossed[1] == 0:
        raise UserError("The output was up before it was switched on: leave it off for longer first.")
    period = float(t[1] - t[0])
    times, blurs = [], []
    for share, k in zip((0.1, 0.5, 0.9), crossed, strict=True):
        moment, slope = crossing(t, calm, k, share * settled)
        times.append(moment)
        blurs.append(noise / np.sqrt(width) / max(abs(slope), 1e-12))
    peak = np.maximum.accumulate(calm)
    back = bool((peak[: crossed[2]] - calm[: crossed[2]] > 0.1 * settled).any())
    top, sure = lowest(-v, noise)
    over = max(-top / settled - 1, 0.0)
    half = half_width_95(
        (recorder.step_V / settled, recorder.step_V / settled),
        float(np.hypot(sure, 1.25 * noise / np.sqrt(rest))) / settled,
    )
    return StartUp(
        recorder.moment(times[1], period, float(blurs[1])),
        recorder.moment(times[2] - times[0], period, float(np.hypot(blurs[0], blurs[2]))),
        Interval(over, max(over - half, 0.0), over + half),
        settled,
        back,
    )


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
    calm, width = smoothed(v, noise, CALM_SHARE * lowest_V)
    below = np.flatnonzero((calm < lowest_V) & (t > 0))
    if not len(below):
        return None
    moment, slope = crossing(t, calm, int(below[0]), lowest_V)
    per_V = 1 / max(abs(slope), 1e-12)
    terms = (recorder.gain_share * lowest_V * per_V, recorder.step_V / 2 * per_V, float(t[1] - t[0]) / 2)
    half = half_width_95(terms, noise / np.sqrt(width) * per_V)
    return Interval(moment, max(moment - half, 0.0), moment + half)
