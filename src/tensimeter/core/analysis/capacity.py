"""Capacity of a battery or power bank: charge and energy down to a cut-off, from volts and amps over time."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError


@dataclass(frozen=True)
class Capacity:
    """Ah, Wh and s until the cut-off, or until the record ends before it."""

    charge_Ah: float
    energy_Wh: float
    duration_s: float
    reached_cutoff: bool


def capacity(time_s: Array, volts: Array, amps: Array, cutoff_V: float, own_A: float = 0.0) -> Capacity:
    """∫I dt and ∫U·I dt by the trapezium rule up to the moment at which the volts cross the cut-off.

    The moment lies between two readings, where a straight line meets the cut-off. `own_A` is what the load
    draws for itself beside what it shows. Arrays (n,), in s, V, A. Raises UserError for a time that does not
    rise, or fewer than two readings.
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
    if reached:
        k = int(below[0])
        share = (v[k - 1] - cutoff_V) / (v[k - 1] - v[k])
        end = t[k - 1] + share * (t[k] - t[k - 1])
        t = np.append(t[:k], end)
        i = np.append(i[:k], i[k - 1] + share * (i[k] - i[k - 1]))
        v = np.append(v[:k], cutoff_V)
        if t[-1] == t[-2]:
            t, v, i = t[:-1], v[:-1], i[:-1]
    charge, energy = np.trapezoid(i, t), np.trapezoid(v * i, t)
    return Capacity(float(charge) / 3600, float(energy) / 3600, float(t[-1] - t[0]), reached)
