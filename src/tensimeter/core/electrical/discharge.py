"""Stored charge: how long a resistor takes, what it must stand, and that the volts creep back."""

import math

from msgspec import Struct

from tensimeter.core.errors import UserError

#: Share of the start volts to which an electrolytic may creep back by itself: a rule of thumb.
CREEP_SHARE = 0.1


class Discharge(Struct, frozen=True):
    """s, W at the start, J, A at the start, V it may creep back to."""

    time_s: float
    power_W: float
    energy_J: float
    current_A: float
    creeps_to_V: float


def discharge(farad: float, start_V: float, end_V: float, resistance_ohm: float) -> Discharge:
    """A capacitor emptied through a resistor: how long, and what the resistor must stand.

    t = R·C·ln(V0/V), P = V0²/R, E = ½·C·V0².

    Parameters
    ----------
    farad, start_V, end_V, resistance_ohm : float
        C in F, volts at first and when it counts as empty in V, R in Ω.

    Raises
    ------
    UserError
        For figures at or below zero, or an end above the start.

    Examples
    --------
    220 µF from 325 V to 5 V through 10 kΩ: 2.2 s · ln 65 = 9.18 s.

    >>> round(discharge(220e-6, 325, 5, 10e3).time_s, 2)
    9.18
    """
    if min(farad, start_V, end_V, resistance_ohm) <= 0 or end_V >= start_V:
        raise UserError("Capacitance, volts and resistance must be above zero, and the end below the start.")
    return Discharge(
        resistance_ohm * farad * math.log(start_V / end_V),
        start_V**2 / resistance_ohm,
        0.5 * farad * start_V**2,
        start_V / resistance_ohm,
        CREEP_SHARE * start_V,
    )
