"""Loads of what is in the bin: resistors and lamps in banks, strings of LEDs, motors, pulses.

What a bank draws at volts, what each piece takes, how soon it is too hot to touch; what a clamp and a
display make of a pulse.
"""

import math
from collections.abc import Sequence
from itertools import combinations

from msgspec import Struct

from tensimeter.core.electrical.dummy_load import DERATING, RISE_AT_RATING_K
from tensimeter.core.errors import UserError

#: Pieces of a bank at the most; °C that a hand stands for a moment; time in which a power resistor warms, s;
#: how a wound resistor's Ω go with heat. Rules of thumb.
MOST_PIECES, TOUCH_C, WARMS_S, PER_K = 4, 55.0, 240.0, 1e-4
#: Most pieces of a bin that are combined.
MOST_BIN = 14


class Piece(Struct, frozen=True):
    """One resistor of the bin: Ω cold, W on its label."""

    ohm: float
    rated_W: float


class Bank(Struct, frozen=True):
    """Pieces in parallel, or in series, at volts: hot Ω and A, W and °C of each, s until too hot to touch."""

    pieces: tuple[Piece, ...]
    series: bool
    volts: float
    ambient_C: float = 25.0
    per_K: float = PER_K

    def _each_W(self, ohms: Sequence[float]) -> list[float]:
        if self.series:
            amps = self.volts / math.fsum(ohms)
            return [amps**2 * r for r in ohms]
        return [self.volts**2 / r for r in ohms]

    @property
    def hot_ohm(self) -> list[float]:
        """Ω of each once it is warm: R = R0·(1 + α·ΔT), ΔT by its watts, until both agree."""
        ohms = [p.ohm for p in self.pieces]
        for _ in range(60):
            watts = self._each_W(ohms)
            rises = [RISE_AT_RATING_K * w / p.rated_W for w, p in zip(watts, self.pieces, strict=True)]
            ohms = [p.ohm * (1 + self.per_K * k) for p, k in zip(self.pieces, rises, strict=True)]
        return ohms

    @property
    def amps(self) -> float:
        """What it draws once it is warm."""
        if self.series:
            return self.volts / math.fsum(self.hot_ohm)
        return math.fsum(self.volts / r for r in self.hot_ohm)

    @property
    def cold_A(self) -> float:
        """What it draws at first."""
        ohms = [p.ohm for p in self.pieces]
        return self.volts / math.fsum(ohms) if self.series else math.fsum(self.volts / r for r in ohms)

    @property
    def watts(self) -> list[float]:
        """W of each, warm."""
        return self._each_W(self.hot_ohm)

    @property
    def celsius(self) -> list[float]:
        """°C of each at its surface."""
        rated = (p.rated_W for p in self.pieces)
        return [self.ambient_C + RISE_AT_RATING_K * w / r for w, r in zip(self.watts, rated, strict=True)]

    @property
    def touch_s(self) -> float:
        """Seconds until one of them is too hot to touch; inf where none gets so."""
        rise = max(self.celsius) - self.ambient_C
        share = (TOUCH_C - self.ambient_C) / rise if rise > 0 else math.inf
        return math.inf if share >= 1 else -WARMS_S * math.log1p(-max(share, 0.0))

    @property
    def within(self) -> bool:
        """Whether every piece runs at no more than half of its rating."""
        return all(
            w <= DERATING * p.rated_W * (1 + 1e-9) for w, p in zip(self.watts, self.pieces, strict=True)
        )


def nearest_banks(of_bin: Sequence[Piece], volts: float, wanted_A: Sequence[float]) -> list[Bank]:
    """For each of some amps the bank of the bin that comes nearest and holds, or nearest if none holds.

    Raises
    ------
    UserError
        For an empty bin, a piece without Ω or W, or more pieces than can be combined.
    """
    if not of_bin or any(p.ohm <= 0 or p.rated_W <= 0 for p in of_bin) or volts <= 0:
        raise UserError("A bank wants volts above zero and resistors with ohms and watts: 10R@50W.")
    if len(of_bin) > MOST_BIN:
        raise UserError(f"More than {MOST_BIN} resistors make too many banks: name those that may serve.")
    banks = [
        Bank(group, series, volts)
        for count in range(1, min(len(of_bin), MOST_PIECES) + 1)
        for group in combinations(of_bin, count)
        for series in ((False, True) if count > 1 else (False,))
    ]
    if any(a <= 0 for a in wanted_A):
        raise UserError("Every point that is wanted has amps above zero.")
    return [min(banks, key=lambda b: (not b.within, abs(b.amps / a - 1))) for a in wanted_A]


class LedString(Struct, frozen=True):
    """LEDs in a row: V where they begin, Ω beyond, how many, V/K of one."""

    threshold_V: float
    slope_ohm: float
    leds: int = 1
    per_K: float = -0.002

    def amps(self, volts: float, above_25_K: float = 0.0) -> float:
        """(V − Vth − n·k·ΔT)/R, nothing below.

        >>> round(LedString(9.0, 1.0, 3).amps(12.0, 50.0), 3)
        3.3
        """
        begins = self.threshold_V + self.leds * self.per_K * above_25_K
        return max(volts - begins, 0.0) / self.slope_ohm

    def share(self, strings: int, differ_V: float, volts: float) -> float:
        """Share of all amps in the string that begins `differ_V` lower than the others beside it."""
        most, other = self.amps(volts + differ_V), self.amps(volts)
        return most / (most + (strings - 1) * other) if most else 1 / strings


class Motor(Struct, frozen=True):
    """A motor at volts: Ω of its winding, and the share of the volts that it makes itself as it runs."""

    volts: float
    winding_ohm: float
    own_share: float = 0.85

    @property
    def stalled_A(self) -> float:
        """As it starts or stands: V/R."""
        return self.volts / self.winding_ohm

    @property
    def running_A(self) -> float:
        """As it runs: (V − E)/R."""
        return self.volts * (1 - self.own_share) / self.winding_ohm

    @property
    def reversed_A(self) -> float:
        """As it is reversed while it runs: (V + E)/R."""
        return self.volts * (1 + self.own_share) / self.winding_ohm

    @property
    def feeds_back_V(self) -> float:
        """What it gives back while its supply is off and it still turns."""
        return self.volts * self.own_share


class Pulsed(Struct, frozen=True):
    """Amps that come and go: high for a share of the time, low for the rest."""

    high_A: float
    low_A: float
    share: float

    @property
    def mean_A(self) -> float:
        """What a clamp for DC and most displays show."""
        return self.share * self.high_A + (1 - self.share) * self.low_A

    @property
    def rms_A(self) -> float:
        """What heats wires and fuses: √(D·Ih² + (1 − D)·Il²).

        >>> Pulsed(10.0, 0.0, 0.25).rms_A, Pulsed(10.0, 0.0, 0.25).mean_A
        (5.0, 2.5)
        """
        return math.sqrt(self.share * self.high_A**2 + (1 - self.share) * self.low_A**2)
