"""A set-point made of filtered pulses, and what the counts of a converter come to."""

import math

from msgspec import Struct

from tensimeter.core.errors import UserError


class PwmDac(Struct, frozen=True):
    """Ripple and settling of a filtered pulse train; V, s. `bits_left` is what the ripple leaves."""

    ripple_pp_V: float
    step_V: float
    settling_s: float
    bits_left: float
    half_step_ripple: bool


def pwm_dac(supply_V: float, frequency_Hz: float, bits: int, resistance_ohm: float, farad: float) -> PwmDac:
    """A volts setting from a pulse train of `bits` behind a single RC.

    Parameters
    ----------
    supply_V, frequency_Hz : float
        Of the pulses, V and Hz.
    bits : int
        Steps of duty are 2^bits.
    resistance_ohm, farad : float
        The RC.

    Notes
    -----
    Ripple at half duty, where it is largest: Vpp = Vcc/(4·f·R·C) for RC well above the period (a charge
    of Vcc/2 over R for half a period). Settling to half a step: RC·ln(2^(bits+1)).

    Raises
    ------
    UserError
        For figures at or below zero.
    """
    if min(supply_V, frequency_Hz, resistance_ohm, farad) <= 0 or not 1 <= bits <= 24:
        raise UserError("Supply, frequency, R and C must be above zero, bits from 1 to 24.")
    constant = resistance_ohm * farad
    # The exact figure of a square wave through one RC; Vcc/(4·f·R·C) is its limit.
    ripple = supply_V * math.tanh(1 / (4 * frequency_Hz * constant))
    step = supply_V / 2**bits
    return PwmDac(
        ripple, step, constant * math.log(2 ** (bits + 1)), math.log2(supply_V / ripple), ripple <= step / 2
    )
