"""Capacity of a battery or power bank: charge and energy down to a cut-off, from volts and amps over time."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95

#: Readings over which the fall of the volts at the cut-off is taken.
FALL_READINGS = 6


class Capacity(Struct, frozen=True):
    """Ah, Wh and s until the cut-off, or until the record ends before it; each with its 95 % interval."""

    charge_Ah: Interval
    energy_Wh: Interval
    duration_s: Interval
    reached_cutoff: bool


def capacity(
    time_s: Array,
    volts: Array,
    amps: Array,
    cutoff_V: float,
    own_A: float = 0.0,
    *,
    voltmeter: Accuracy | None = None,
    ammeter: Accuracy | None = None,
    own_share: float = 0.0,
) -> Capacity:
    """∫I dt and ∫U·I dt by the trapezium rule up to the moment at which the volts cross the cut-off.

    Parameters
    ----------
    time_s, volts, amps : array (n,)
        In s, V, A.
    cutoff_V, own_A : float
        The cut-off, and what the load draws for itself beside what it shows, A.
    voltmeter, ammeter : Accuracy, optional
        Gain and offset of each are shared by all readings; exact where not given.
    own_share : float
        How far the load's own draw may be off, a share.

    Returns
    -------
    Capacity
        The moment lies between two readings, where a straight line meets the cut-off.

    Raises
    ------
    UserError
        For a time that does not rise, or fewer than two readings.

    Notes
    -----
    A voltmeter's gain and offset also move the moment of the cut-off, by their volts over the fall of the
    volts there; what scatters moves that moment alone, since it averages out of the sums.
    """
    t, v, i = (np.asarray(x, float) for x in (time_s, volts, amps))
    if len(t) < 2 or not (np.diff(t) > 0).all():
        raise UserError("Capacity needs two readings or more whose time rises.")
    if cutoff_V < 0 or own_A < 0:
        raise UserError("The cut-off and the load's own draw are zero or above.")
    i = i + own_A
    below = np.flatnonzero(v <= cutoff_V)
    reached = bool(len(below)) and int(below[0]) > 0
    if len(below) and int(below[0]) == 0:
        raise UserError(f"The first reading is at or below the cut-off of {cutoff_V:g} V already.")
    fall = 0.0
    if reached:
        k = int(below[0])
        first = max(k - FALL_READINGS, 0)
        fall = float((v[first] - v[k]) / (t[k] - t[first]))
        share = (v[k - 1] - cutoff_V) / (v[k - 1] - v[k])
        end = t[k - 1] + share * (t[k] - t[k - 1])
        t = np.append(t[:k], end)
        i = np.append(i[:k], i[k - 1] + share * (i[k] - i[k - 1]))
        v = np.append(v[:k], cutoff_V)
        if t[-1] == t[-2]:
            t, v, i = t[:-1], v[:-1], i[:-1]
    sums = _Sums(t, v, i, fall, own_A * own_share)
    return Capacity(
        sums.interval(voltmeter, ammeter, charge=True),
        sums.interval(voltmeter, ammeter, charge=False),
        sums.duration(voltmeter),
        reached,
    )


class _Sums:
    """What a run came to, and how each error moves it; `fall` is that of the volts at its end, V/s."""

    def __init__(self, t: Array, v: Array, i: Array, fall: float, own: float) -> None:
        self.duration_s, self.end_V, self.end_A = float(t[-1] - t[0]), float(v[-1]), float(i[-1])
        self.charge, self.energy = float(np.trapezoid(i, t)), float(np.trapezoid(v * i, t))
        self.volts, self.own = float(np.trapezoid(v, t)), own
        self.later_s = 1 / fall if fall > 0 else 0.0
        self.steps = np.diff(t)

    def interval(self, voltmeter: Accuracy | None, ammeter: Accuracy | None, *, charge: bool) -> Interval:
        """Charge or energy, Ah or Wh."""
        value = self.charge if charge else self.energy
        at_end = self.end_A if charge else self.end_A * self.end_V
        terms, sigma = [self.own * (self.duration_s if charge else self.volts)], 0.0
        if ammeter is not None:
            terms.append(ammeter.of_reading * value)
            terms.append(ammeter.offset * (self.duration_s if charge else self.volts))
            sigma = ammeter.scatter * float(np.linalg.norm(self.steps)) * (1.0 if charge else self.end_V)
        if voltmeter is not None:
            gained, shifted = (0.0, 0.0) if charge else (value, self.charge)
            terms.append(voltmeter.of_reading * (gained + at_end * self.later_s * self.end_V))
            terms.append(voltmeter.offset * (shifted + at_end * self.later_s))
            sigma = float(np.hypot(sigma, voltmeter.scatter * at_end * self.later_s))
        half = half_width_95(terms, sigma) / 3600
        return Interval(value / 3600, value / 3600 - half, value / 3600 + half)

    def duration(self, voltmeter: Accuracy | None) -> Interval:
        """Until the cut-off, s."""
        half = 0.0
        if voltmeter is not None:
            terms = (voltmeter.of_reading * self.end_V * self.later_s, voltmeter.offset * self.later_s)
            half = half_width_95(terms, voltmeter.scatter * self.later_s)
        return Interval(self.duration_s, self.duration_s - half, self.duration_s + half)
