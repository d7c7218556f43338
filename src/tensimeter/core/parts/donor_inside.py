"""What is known of the inside of a donor that was opened: its hottest part, and how that sheds its heat."""

from typing import Annotated

from tensimeter.core.described import Quantity
from tensimeter.core.parts.figures import HotPoint
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.record import Count, Derating, Fraction, Name, NotNegative, Positive, Record
from tensimeter.core.thermal.heatsink import SinkFigures


class Inside(Record):
    """The hottest part of a donor, such as its output rectifier: how many share the sink, how they share.

    Its defaults are rules of thumb; the θ of the part is on its sheet.
    """

    what: Annotated[Name, Quantity("", "hot part", "what gets hottest in it")] = "rectifier"
    count: Annotated[Count, Quantity("", "how many", "parts that share the current, on one sink")] = 1
    current_share: Annotated[
        Fraction | None,
        Quantity("%", "share of current", "of the output current, in the one that takes most; empty: evenly"),
    ] = None
    loss_share: Annotated[
        Fraction, Quantity("%", "share of loss", "of what the unit loses, in all of them; a rule of thumb")
    ] = 0.4
    junction_K_W: Annotated[
        NotNegative, Quantity("K/W", "inside the part", "junction above its case, of its sheet")
    ] = 1.5
    mounting_K_W: Annotated[NotNegative, Quantity("K/W", "its mounting", "its case above the sink")] = 0.5
    case_J_K: Annotated[Positive, Quantity("J/K", "its case and tab", "heat that its case and tab take")] = (
        6.0
    )
    sink_K_W: Annotated[Positive, Quantity("K/W", "its sink", "sink above the air around the unit")] = 4.0
    sink_J_K: Annotated[Positive, Quantity("J/K", "its sink", "heat that the sink takes")] = 120.0
    hot_limit_C: Annotated[
        Positive, Quantity("°C", "hottest it may get", "hottest that its junction may get")
    ] = 125.0
    hot_derating: Annotated[
        tuple[HotPoint, ...],
        Derating,
        Quantity("", "derating: °C of its junction = A", "amps that one may carry at a junction temperature"),
    ] = ()

    def hot_part(self) -> HotPart:
        """How the one that takes most gets hot; its sink takes the heat of all."""
        share = self.current_share or 1 / self.count
        return HotPart(
            above_sink_K_W=(self.junction_K_W + self.mounting_K_W) * share,
            junction_K_W=self.junction_K_W * share,
            case_J_K=self.case_J_K * self.count,
            sink=SinkFigures(self.sink_K_W, None, self.sink_J_K),
            limit_C=self.hot_limit_C,
            derating=self.hot_derating,
            loss_share=self.loss_share,
            current_share=share,
            what=self.what,
        )

    def as_read(self, case_K_W: float, case_J_K: float, sink: SinkFigures) -> "Inside":
        """It with its heat as it was read; `case_K_W` is of the whole loss, as `HotPart` counts."""
        share = self.current_share or 1 / self.count
        return self.with_fields(
            mounting_K_W=case_K_W / share,
            case_J_K=case_J_K / self.count,
            sink_K_W=sink.still_K_W,
            sink_J_K=sink.capacity_J_K,
        )
