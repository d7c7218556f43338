"""What would make a hot part cooler, and by how much: ranked."""

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.errors import UserError
from tensimeter.core.thermal.heatsink import mounted, shares

#: What each remedy changes unless it is said otherwise: rules of thumb.
BIGGER_SINK, LESS_POWER, FAN_STEP = 0.7, 0.85, 0.6


class Part(Struct, frozen=True):
    """Devices on one sink: W of all, how many, K/W from junction outwards, air in °C, limit in °C."""

    power_W: float
    count: int
    junction_K_W: float
    case_K_W: float
    sink_K_W: float
    air_C: float
    limit_C: float
    #: How much more than its part one device takes.
    mismatch: float = 0.2

    @property
    def hottest_C(self) -> float:
        """The hottest junction with this remedy, °C."""
        uneven = self.mismatch if self.count > 1 else 0.0
        powers = [self.power_W * s for s in shares(self.count, uneven)]
        return mounted(powers, self.sink_K_W, self.case_K_W, self.junction_K_W, self.air_C).hottest_C


class Remedy(Struct, frozen=True):
    """A change, °C of the hottest junction after it, K that it buys."""

    what: str
    hottest_C: float
    buys_K: float


def changes(
    part: Part, blown_K_W: float | None = None, reseated_K_W: float | None = None
) -> list[tuple[str, Part]]:
    """Twice the parts, a bigger sink, a fan step, less power, a better mounting: words and the part."""
    fan = blown_K_W if blown_K_W is not None else part.sink_K_W * FAN_STEP
    bigger = part.sink_K_W * BIGGER_SINK
    found = [
        ("twice as many parts", replace(part, count=2 * part.count)),
        (f"a sink of {bigger:.3g} K/W", replace(part, sink_K_W=bigger)),
        (f"a fan step, sink at {fan:.3g} K/W", replace(part, sink_K_W=fan)),
        (f"{100 * (1 - LESS_POWER):.0f} % less power", replace(part, power_W=part.power_W * LESS_POWER)),
    ]
    if reseated_K_W is not None:
        better = min(reseated_K_W, part.case_K_W)
        found.append((f"its mounting as designed, {better:.3g} K/W", replace(part, case_K_W=better)))
    return found


def remedies(part: Part, blown_K_W: float | None = None, reseated_K_W: float | None = None) -> list[Remedy]:
    """What each change makes of a part, what buys most first."""
    if part.power_W <= 0:
        raise UserError("Without power nothing gets warm.")
    before = part.hottest_C
    found = [
        Remedy(words, new.hottest_C, before - new.hottest_C)
        for words, new in changes(part, blown_K_W, reseated_K_W)
    ]
    return sorted((r for r in found if r.buys_K > 0), key=lambda r: -r.buys_K)
