"""Adjustable linear regulator: range, resistors, headroom, dissipation, and the worst point of each."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.errors import UserError


class Regulator(Struct, frozen=True):
    """An adjustable three-terminal regulator with its divider; V, Ω, A.

    R1 stands between output and adjust pin, R2 from there to common: a fixed part and a potentiometer.
    """

    r1_ohm: float
    r2_ohm: float = 0.0
    pot_ohm: float = 0.0
    reference_V: float = 1.25
    adjust_A: float = 50e-6
    dropout_V: float = 2.0
    minimum_A: float = 0.010

    def volts(self, wiper: Figure = 1.0) -> Array:
        """Output volts with the potentiometer turned by `wiper` (0 to 1).

        V = Vref·(1 + R2/R1) + Iadj·R2, from the currents at the adjust pin.

        >>> float(Regulator(240, 2400, adjust_A=0).volts())
        13.75
        """
        r2 = self.r2_ohm + self.pot_ohm * np.asarray(wiper, float)
        return np.asarray(self.reference_V * (1 + r2 / self.r1_ohm) + self.adjust_A * r2)

    @property
    def span_V(self) -> tuple[float, float]:
        """Volts at the two ends of the pot, V."""
        return float(self.volts(0.0)), float(self.volts(1.0))

    def volts_per_turn(self, turns: float) -> float:
        """How far one turn of the potentiometer moves the output, V."""
        if not turns > 0:
            raise UserError("A potentiometer has a turn, or a part of one: type more than none.")
        low, high = self.span_V
        return (high - low) / turns

    @property
    def programming_A(self) -> float:
        """What the divider itself draws: it has to cover the least load that keeps it regulating."""
        return self.reference_V / self.r1_ohm


def checked(regulator: Regulator) -> Regulator:
    """Itself; UserError where a figure can't be."""
    if not (regulator.r1_ohm > 0 and regulator.reference_V > 0):
        raise UserError("R1 and the reference must be above zero.")
    if min(regulator.r2_ohm, regulator.pot_ohm, regulator.adjust_A, regulator.dropout_V) < 0:
        raise UserError("R2, the potentiometer, the adjust current and the dropout are zero or above.")
    return regulator


def r2_for(regulator: Regulator, volts: float) -> float:
    """R2 in Ω that gives these volts; UserError below the reference."""
    if volts < regulator.reference_V:
        raise UserError(f"{volts:g} V is below the reference of {regulator.reference_V:g} V.")
    return (volts - regulator.reference_V) / (regulator.reference_V / regulator.r1_ohm + regulator.adjust_A)


class Made(Struct, frozen=True):
    """A resistance made of one or two resistors, Ω."""

    ohms: float
    parts: tuple[float, ...]
    joined: str


def nearest(wanted_ohm: float, bin_ohm: Sequence[float]) -> Made:
    """The one resistor, or the two in series or in parallel, of a bin that come nearest to a value.

    >>> nearest(2349, [2200, 220, 150])
    Made(ohms=2350, parts=(150, 2200), joined='in series')
    """
    values = sorted({v for v in bin_ohm if v > 0})
    if not values:
        raise UserError("The bin holds no resistor above zero.")
    single = [Made(v, (v,), "alone") for v in values]
    pairs = [(a, b) for i, a in enumerate(values) for b in values[i:]]
    series = [Made(a + b, (a, b), "in series") for a, b in pairs]
    parallel = [Made(a * b / (a + b), (a, b), "in parallel") for a, b in pairs]
    return min([*single, *series, *parallel], key=lambda made: abs(made.ohms - wanted_ohm))


def tapped_input(volts: Figure, taps: Sequence[tuple[float, float]]) -> Array:
    """Input volts that a tap switch gives at an output.

    Parameters
    ----------
    volts : float or array
        Output, V.
    taps : sequence of (float, float)
        Input V and up to which output V it is used, rising.

    Returns
    -------
    array
        Of the lowest tap whose `up_to` lies at or above the output; above the last one the last counts, V.

    Examples
    --------
    >>> tapped_input([5.0, 8.0, 12.0, 30.0], [(12.0, 8.0), (24.0, 20.0)]).tolist()
    [12.0, 12.0, 24.0, 24.0]
    """
    steps = sorted(taps, key=lambda tap: tap[1])
    which = np.searchsorted([up_to for _, up_to in steps], np.asarray(volts, float), side="left")
    inputs = np.array([source for source, _ in steps])
    return np.asarray(inputs[np.minimum(which, len(steps) - 1)])


def dissipation(input_V: Figure, output_V: Figure, current_A: Figure) -> Array:
    """Heat of a linear stage.

    Parameters
    ----------
    input_V, output_V, current_A : float or array
        Mean input volts, output volts and current; they broadcast.

    Returns
    -------
    array
        (Vin − Vout)·I, W.

    Examples
    --------
    >>> float(dissipation(15.0, 12.0, 2.0))
    6.0
    """
    return np.asarray((np.asarray(input_V, float) - output_V) * current_A)


def headroom(valley_V: Figure, output_V: Figure, dropout_V: float) -> Array:
    """Volts to spare over the dropout at the reservoir's valley.

    Parameters
    ----------
    valley_V, output_V : float or array
        Least input volts in a half cycle, and the output's, V.
    dropout_V : float
        What the stage needs across itself, V.

    Returns
    -------
    array
        Valley − output − dropout, V; below zero it drops out each half cycle.

    Examples
    --------
    >>> float(headroom(15.0, 12.0, 2.0)), float(headroom(13.5, 12.0, 2.0))
    (1.0, -0.5)
    """
    return np.asarray(np.asarray(valley_V, float) - output_V - dropout_V)
