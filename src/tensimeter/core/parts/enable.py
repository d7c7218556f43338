"""What holds the enable line of a source, so that it runs."""

from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.quantity import show
from tensimeter.core.record import Count, NotNegative


class Enable(PartRecord):
    """A resistor, a switch, an optocoupler or a relay from an enable line to its own common.

    `ways` are lines that it holds apart from each other; a plain resistor or switch has one.
    """

    shelf: ClassVar[str] = "Fuses, switches"
    elsewhere: ClassVar[str] = "is chosen at the source whose enable line it holds"

    kind: Literal["enable"] = "enable"
    by: Annotated[
        Literal["resistor", "switch", "optocoupler", "relay"], Quantity("", "by", "what joins the line")
    ] = "resistor"
    ohm: Annotated[NotNegative, Quantity("Ω", "in series", "between the line and common while it is on")] = (
        1e3
    )
    ways: Annotated[Count, Quantity("", "ways", "lines that it holds, each apart from the others")] = 1

    def summary(self) -> tuple[str, str]:
        apart = f"{self.ways} lines, apart" if self.ways > 1 else "one line"
        return f"{self.by}, {show(self.ohm, 'ohm')}", apart

    @property
    def enable_ways(self) -> int:
        return self.ways * self.count

    def rated(self) -> None:
        return None
