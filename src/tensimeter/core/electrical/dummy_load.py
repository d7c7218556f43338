"""A dummy load: the resistor that gives a rail its minimum load, and how hot it gets."""

from msgspec import Struct

from tensimeter.core.errors import UserError

#: A resistor is run at half its rating, and at its rating its surface rises by this much: rules of thumb.
DERATING, RISE_AT_RATING_K = 0.5, 250.0
#: Ratings that power resistors are sold in, W.
RATINGS_W = (0.25, 0.5, 1, 2, 3, 5, 7, 10, 15, 25, 50, 100, 200)


class DummyLoad(Struct, frozen=True):
    """Ω, W drawn, W to buy, °C at its surface."""

    resistance_ohm: float
    power_W: float
    rating_W: float
    surface_C: float


def dummy_load(
    volts: float,
    amps: float,
    ambient_C: float = 25.0,
    *,
    share: float = DERATING,
    rise_K: float = RISE_AT_RATING_K,
) -> DummyLoad:
    """A resistor that draws `amps` at `volts`, of the next rating at which it runs at `share` of it.

    The surface's rise is taken in proportion to the share of the rating used.
    """
    if min(volts, amps, rise_K) <= 0 or not 0 < share <= 1:
        raise UserError("Volts, amps and rise must be above zero, the share of rating at most 100 %.")
    power = volts * amps
    rating = next((w for w in RATINGS_W if w * share >= power * (1 - 1e-9)), None)
    if rating is None:
        raise UserError(f"{power:.3g} W is more than one resistor of {RATINGS_W[-1]} W is for; use several.")
    return DummyLoad(volts / amps, power, rating, ambient_C + rise_K * power / rating)
