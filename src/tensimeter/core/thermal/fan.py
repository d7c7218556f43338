"""A fan with thresholds against the heat it cools: does it run, rest, or hunt, and how often."""

import math
from typing import Literal

from msgspec import Struct

from tensimeter.core.errors import UserError

#: dB for ten times the speed: the fan laws' fifth power.
LOUDNESS_POWER = 50.0


class Hunting(Struct, frozen=True):
    """What a fan does at a power: state, its period and share on, and the temperatures between; s, °C."""

    state: Literal["never on", "stays on", "hunts"]
    period_s: float | None
    share_on: float
    low_C: float
    high_C: float


def hunting(
    power_W: float,
    ambient_C: float,
    still_ohm: float,
    blown_ohm: float,
    capacity_J_K: float,
    on_C: float,
    off_C: float,
) -> Hunting:
    """A sink of one capacity that is cooled through `still_ohm` without and `blown_ohm` with the fan (K/W).

    Between the thresholds it follows two exponentials; the period is the sum of their times, exactly.
    """
    if not (still_ohm > blown_ohm > 0 and capacity_J_K > 0 and power_W >= 0):
        raise UserError("A fan must cool: θ without it above θ with it, both and the capacity above zero.")
    if not on_C > off_C:
        raise UserError("The fan must switch on above where it switches off: without hysteresis it chatters.")
    still, blown = ambient_C + power_W * still_ohm, ambient_C + power_W * blown_ohm
    if still <= on_C:
        return Hunting("never on", None, 0.0, still, still)
    if blown >= off_C:
        return Hunting("stays on", None, 1.0, blown, blown)
    warming = still_ohm * capacity_J_K * math.log((still - off_C) / (still - on_C))
    cooling = blown_ohm * capacity_J_K * math.log((on_C - blown) / (off_C - blown))
    return Hunting("hunts", warming + cooling, cooling / (warming + cooling), off_C, on_C)


def quieter_dB(speed_from: float, speed_to: float) -> float:
    """Change of loudness when a fan goes from one speed to another.

    Parameters
    ----------
    speed_from, speed_to : float
        In one unit.

    Returns
    -------
    float
        50·log10(n2/n1), dB; below zero is quieter.

    References
    ----------
    The fan laws: sound power goes with the fifth power of speed.

    Examples
    --------
    >>> round(quieter_dB(1.0, 0.5), 1)
    -15.1
    """
    if min(speed_from, speed_to) <= 0:
        raise UserError("Speeds must be above zero.")
    return LOUDNESS_POWER * math.log10(speed_to / speed_from)
