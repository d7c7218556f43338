"""A thermistor: its curve from two or three points, and its divider in a converter's counts."""

import math
from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.errors import UserError

ZERO_C = 273.15


class Thermistor(Struct, frozen=True):
    """1/T = a + b·ln R + c·(ln R)³, T in K (Steinhart and Hart 1968); with c = 0 it is the β equation."""

    a: float
    b: float
    c: float = 0.0

    def celsius(self, ohms: float) -> float:
        """Its temperature at `ohms`, °C; UserError at zero or below."""
        if ohms <= 0:
            raise UserError("A thermistor's resistance is above zero.")
        log = math.log(ohms)
        return 1 / (self.a + self.b * log + self.c * log**3) - ZERO_C

    def ohms(self, celsius: float) -> float:
        """The resistance in Ω at a temperature, by the cubic's real root (Cardano)."""
        inverse = 1 / (celsius + ZERO_C)
        if self.c == 0:
            return math.exp((inverse - self.a) / self.b)
        y = (self.a - inverse) / (2 * self.c)
        x = math.sqrt((self.b / (3 * self.c)) ** 3 + y * y)
        return math.exp(math.cbrt(x - y) - math.cbrt(x + y))

    @property
    def beta(self) -> float:
        """β in K where the curve is one of two points."""
        return 1 / self.b


def from_points(points: Sequence[tuple[float, float]]) -> Thermistor:
    """A thermistor from two points (β) or three (Steinhart–Hart) of °C and Ω."""
    logs = [(1 / (t + ZERO_C), math.log(r)) for t, r in points if r > 0 and t > -ZERO_C]
    distinct = min(len({t for t, _ in logs}), len({r for _, r in logs}))
    if len(logs) != len(points) or distinct != len(logs) or len(logs) not in (2, 3):
        raise UserError("Two or three points of different temperature and resistance are needed.")
    if len(logs) == 2:
        (y1, x1), (y2, x2) = logs
        b = (y1 - y2) / (x1 - x2)
        return Thermistor(y1 - b * x1, b)
    (y1, x1), (y2, x2), (y3, x3) = logs
    g2, g3 = (y2 - y1) / (x2 - x1), (y3 - y1) / (x3 - x1)
    c = (g3 - g2) / (x3 - x2) / (x1 + x2 + x3)
    b = g2 - c * (x1**2 + x1 * x2 + x2**2)
    return Thermistor(y1 - (b + x1**2 * c) * x1, b, c)


def from_beta(ohms_25C: float, beta_K: float) -> Thermistor:
    """A thermistor from its label: Ω at 25 °C and β."""
    if min(ohms_25C, beta_K) <= 0:
        raise UserError("Resistance and β must be above zero.")
    b = 1 / beta_K
    return Thermistor(1 / (25 + ZERO_C) - b * math.log(ohms_25C), b)


def counts(ohms: float, series_ohm: float, full_counts: int, *, to_ground: bool = True) -> float:
    """Counts that a converter shows for a thermistor in a divider fed by its own reference.

    Parameters
    ----------
    ohms, series_ohm : float
        The thermistor's and the other's resistance, Ω.
    full_counts : int
        Of the converter.
    to_ground : bool
        Whether the thermistor is the lower leg.

    Examples
    --------
    >>> counts(10e3, 10e3, 1024)
    512.0
    """
    if min(ohms, series_ohm, full_counts) <= 0:
        raise UserError("Resistances and counts must be above zero.")
    share = ohms / (ohms + series_ohm)
    return full_counts * (share if to_ground else 1 - share)
