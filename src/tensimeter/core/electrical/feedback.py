"""Feedback shift: what a resistor or potentiometer added to a converter's divider does.

The divider of a converter holds its tap at the reference: V = Vref·(1 + Rupper/Rlower). Something
across the lower leg raises the output, something across the upper one lowers it.
"""

from collections.abc import Sequence
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.errors import UserError

Leg = Literal["lower", "upper"]
#: How far the reference of a regulator strays, a share: of the usual kinds, a rule of thumb.
REFERENCE_TOLERANCE = 0.02


class Divider(Struct, frozen=True):
    """A feedback divider: legs in Ω, reference in V."""

    reference_V: float
    upper_ohm: float
    lower_ohm: float

    def volts(self, added_ohm: float | None = None, across: Leg = "lower") -> float:
        """Output volts, with `added_ohm` across one leg (None: as it was).

        >>> Divider(2.5, 10e3, 2e3).volts(), Divider(2.5, 10e3, 2e3).volts(10e3, "lower")
        (15.0, 17.5)
        """
        upper, lower = self.upper_ohm, self.lower_ohm
        if added_ohm is not None and across == "lower":
            lower = _parallel(lower, added_ohm)
        elif added_ohm is not None:
            upper = _parallel(upper, added_ohm)
        return self.reference_V * (1 + upper / lower)


def _parallel(a: float, b: float) -> float:
    if b <= 0:
        raise UserError("A resistor that is added must be above zero.")
    return a if np.isinf(b) else a * b / (a + b)


class Shift(Struct, frozen=True):
    """What an added leg does: the span it gives, and what is left when it opens; V."""

    before_V: float
    low_V: float
    high_V: float
    open_V: float
    trip_margin_V: float | None
    fails: Literal["low", "high"]


def shift(
    divider: Divider,
    fixed_ohm: float,
    pot_ohm: float = 0.0,
    across: Leg = "lower",
    *,
    trip_V: float | None = None,
    tolerance: float = 0.01,
    reference_tolerance: float = REFERENCE_TOLERANCE,
) -> Shift:
    """The span that a fixed resistor and a potentiometer in series give across one leg.

    `tolerance` is that of the resistors and of the trip, as a fraction, `reference_tolerance` that of the
    reference; the margin is from the highest output at one corner to the lowest trip at the other. An open
    wiper opens the added leg: the output goes back to what it was, which lies above the shifted one where it
    was lowered (it fails high).
    """
    if min(divider.reference_V, divider.upper_ohm, divider.lower_ohm, fixed_ohm + pot_ohm) <= 0:
        raise UserError("Reference, divider and added resistance must be above zero.")
    if fixed_ohm <= 0:
        raise UserError("With no fixed resistor the potentiometer's end shorts the leg; put one in series.")
    ends = (divider.volts(fixed_ohm, across), divider.volts(fixed_ohm + pot_ohm, across))
    before = divider.volts()
    high = max(ends)
    corner = Divider(
        divider.reference_V * (1 + reference_tolerance),
        divider.upper_ohm * (1 + tolerance),
        divider.lower_ohm * (1 - tolerance),
    )
    worst = max(
        corner.volts(fixed_ohm * (1 + sign * tolerance) + pot_ohm * share, across)
        for sign in (-1, 1)
        for share in (0.0, 1.0)
    )
    margin = None if trip_V is None else trip_V * (1 - tolerance) - worst
    return Shift(before, min(ends), high, before, margin, "low" if across == "lower" else "high")


def adjusted(
    divider: Divider,
    pot_ohm: float,
    *,
    trip_V: float | None = None,
    tolerance: float = 0.01,
    reference_tolerance: float = REFERENCE_TOLERANCE,
) -> Shift:
    """The span of a potentiometer in series with the upper leg, the adjust leg of a regulator.

    An open wiper leaves the tap without its upper leg: the output climbs as far as its input lets it, so that
    it fails high (`open_V` infinite). The margin is as in `shift`.
    """
    if min(divider.reference_V, divider.upper_ohm, divider.lower_ohm) <= 0 or pot_ohm < 0:
        raise UserError("Reference and divider must be above zero, the potentiometer zero or above.")
    ratio = (divider.upper_ohm + pot_ohm) / divider.lower_ohm
    highest = divider.reference_V * (1 + ratio)
    worst = divider.reference_V * (1 + reference_tolerance) * (1 + ratio * (1 + tolerance) / (1 - tolerance))
    margin = None if trip_V is None else trip_V * (1 - tolerance) - worst
    return Shift(divider.volts(), divider.volts(), highest, np.inf, margin, "high")


def per_turn_V(span: Shift, turns: float = 10.0) -> float:
    """How far one turn of a potentiometer moves the output, V, as if evenly over its span."""
    return (span.high_V - span.low_V) / turns


class Inferred(Struct, frozen=True):
    """An unknown divider, from what resistors across its lower leg did: V and V·Ω."""

    before_V: float
    slope_V_ohm: float
    residual_V: float

    def volts(self, added_ohm: float) -> float:
        """Volts with a resistor of `added_ohm` across its lower leg."""
        return self.before_V + self.slope_V_ohm / added_ohm

    def resistor_for(self, volts: float) -> float:
        """Ω across the lower leg for these volts; UserError where none gives them."""
        if (volts - self.before_V) * self.slope_V_ohm <= 0:
            raise UserError(f"No resistor there gives {volts:g} V; without one it is {self.before_V:.4g} V.")
        return self.slope_V_ohm / (volts - self.before_V)


def infer(pairs: Sequence[tuple[float, float]]) -> Inferred:
    """A network from two or more pairs (Ω across the lower leg, or inf; output volts).

    V = V0 + Vref·Rupper/R is a line over 1/R, whatever the network behind it (Thévenin). Raises UserError
    with fewer than two different resistances.
    """
    ohms = np.array([r for r, _ in pairs], float)
    volts = np.array([v for _, v in pairs], float)
    if len(set(ohms.tolist())) < 2 or (ohms <= 0).any() or not np.isfinite(volts).all():
        raise UserError("Two pairs of different resistances, and the volts they gave, are needed.")
    line = np.stack([np.ones_like(ohms), 1 / ohms], 1)
    scale = np.abs(line).max(0)
    found, *_ = np.linalg.lstsq(line / scale, volts, rcond=None)
    v0, slope = (found / scale).tolist()
    return Inferred(v0, slope, float(np.abs(line @ np.array([v0, slope]) - volts).max()))


def span_of(
    found: Inferred,
    fixed_ohm: float,
    pot_ohm: float = 0.0,
    *,
    trip_V: float | None = None,
    tolerance: float = 0.01,
) -> Shift:
    """The span that a fixed resistor and a potentiometer give across the lower leg of an inferred divider.

    As in `shift`, an open wiper leaves the divider as it was. What the pairs leave open (`residual_V`) is
    taken from the margin as well; `tolerance` is that of the resistors and of the trip.
    """
    if fixed_ohm <= 0 or pot_ohm < 0:
        raise UserError("The fixed resistor must be above zero, the potentiometer zero or above.")
    ends = (found.volts(fixed_ohm), found.volts(fixed_ohm + pot_ohm))
    worst = max(found.volts(fixed_ohm * (1 - tolerance)), *ends, found.before_V) + found.residual_V
    margin = None if trip_V is None else trip_V * (1 - tolerance) - worst
    fails: Literal["low", "high"] = "low" if found.before_V <= min(ends) else "high"
    return Shift(found.before_V, min(ends), max(ends), found.before_V, margin, fails)
