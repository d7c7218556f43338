"""The hottest place of a part, and how it sheds its heat."""

from msgspec import Struct

from tensimeter.core.parts.figures import HotPoint
from tensimeter.core.thermal.heatsink import SinkFigures


class HotPart(Struct, frozen=True):
    """What gets hottest in a part: K/W, J/K, °C.

    `above_sink_K_W` is the hot spot above its sink, of which `junction_K_W` lies inside it; None: not known.
    `loss_share` of what its part loses heats it, `current_share` of the current flows through it. `what` is
    empty where it is the part itself.
    """

    above_sink_K_W: float | None
    junction_K_W: float
    case_J_K: float
    sink: SinkFigures | None
    limit_C: float
    derating: tuple[HotPoint, ...] = ()
    loss_share: float = 1.0
    current_share: float = 1.0
    what: str = ""
