"""A heat sink."""

from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.parts.converter_part import SinkPart
from tensimeter.core.record import Positive
from tensimeter.core.thermal.heatsink import SinkFigures


class HeatSink(SinkPart):
    """A heat sink: K per W in still air and with a fan, J per K."""

    shelf: ClassVar[str] = "Panel meters, fans, heat sinks"

    kind: Literal["heat_sink"] = "heat_sink"
    still_K_W: Annotated[Positive, Quantity("K/W", "still", "above the air for each watt, in still air")]
    blown_K_W: Annotated[
        Positive | None, Quantity("K/W", "blown", "above the air for each watt, with a fan")
    ] = None
    capacity_J_K: Annotated[
        Positive, Quantity("J/K", "capacity", "heat that it takes to get a kelvin warmer")
    ] = 200.0

    outside: Annotated[
        bool, Quantity("", "outside the box", "it sticks out of a wall, in the air of the room")
    ] = False

    @property
    def sticks_out(self) -> bool:
        return self.outside

    def summary(self) -> tuple[str, str]:
        second = f"{self.blown_K_W:g} K/W with a fan" if self.blown_K_W else f"{self.capacity_J_K:g} J/K"
        return f"{self.still_K_W:g} K/W in still air", second

    def rated(self) -> None:
        return None

    def as_sink(self) -> SinkFigures:
        return SinkFigures(self.still_K_W, self.blown_K_W, self.capacity_J_K)
