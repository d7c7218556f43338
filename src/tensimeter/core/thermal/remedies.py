"""What would make a hot part cooler, and by how much: ranked."""

from dataclasses import dataclass, replace

from tensimeter.core.errors import Trouble
from tensimeter.core.thermal.heatsink import mounted, shares

#: What each remedy changes unless it is said otherwise: rules of thumb.
BIGGER_SINK, LESS_POWER, FAN_STEP = 0.7, 0.85, 0.6


@dataclass(frozen=True)
class Part:
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
        uneven = self.mismatch if self.count > 1 else 0.0
        powers = [self.power_W * s for s in shares(self.count, uneven)]
        return mounted(powers, self.sink_K_W, self.case_K_W, self.junction_K_W, self.air_C).hottest_C


@dataclass(frozen=True)
class Remedy:
    """A change, °C of the hottest junction after it, K that it buys, whether that is enough."""

    what: str
    hottest_C: float
    buys_K: float
    enough: bool


def remedies(part: Part, blown_K_W: float | None = None, reseated_K_W: float | None = None) -> list[Remedy]:
    """Twice the parts, a bigger sink, a fan step, less power, a better mounting: what buys most first."""
    if part.power_W <= 0:
        raise Trouble("Without power nothing gets warm.")
    fan = blown_K_W if blown_K_W is not None else part.sink_K_W * FAN_STEP
    bigger = part.sink_K_W * BIGGER_SINK
    changed = [
        ("twice as many parts", _with(part, count=2 * part.count)),
        (f"a sink of {bigger:.3g} K/W", _with(part, sink_K_W=bigger)),
        (f"a fan step, sink at {fan:.3g} K/W", _with(part, sink_K_W=fan)),
        (f"{100 * (1 - LESS_POWER):.0f} % less power", _with(part, power_W=part.power_W * LESS_POWER)),
    ]
    if reseated_K_W is not None and reseated_K_W < part.case_K_W:
        words = f"mounted as designed, {reseated_K_W:.3g} K/W"
        changed.append((words, _with(part, case_K_W=reseated_K_W)))
    before = part.hottest_C
    found = [
        Remedy(words, new.hottest_C, before - new.hottest_C, new.hottest_C <= part.limit_C)
        for words, new in changed
    ]
    return sorted(found, key=lambda r: -r.buys_K)


def _with(part: Part, **fields: float) -> Part:
    return replace(part, **fields)  # type: ignore[arg-type]
