"""A fan."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import CurrentSink
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.path_part import BlowerPart
from tensimeter.core.parts.steps import IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.path import FanLink, Link
from tensimeter.core.quantity import show
from tensimeter.core.record import Positive
from tensimeter.core.settings import Spread


class Fan(BlowerPart):
    """A fan; it starts at `start_V`, moves `flow_m3_h` at its rated volts, and is then `loudness_dB` loud."""

    shelf: ClassVar[str] = "Panel meters, fans, heat sinks"
    in_wall: ClassVar[bool] = True

    kind: Literal["fan"] = "fan"
    rated_V: Annotated[Positive, Quantity("V", "rated", "volts it is made for")] = 12.0
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")] = 0.15
    start_V: Annotated[
        Positive, Quantity("V", "start", "input volts at which it begins to run; of a fan, to turn")
    ] = 5.0
    flow_m3_h: Annotated[Positive, Quantity("m³/h", "flow", "air it moves at its rated volts")] = 40.0
    loudness_dB: Annotated[
        Positive | None, Quantity("dB", "loudness", "how loud it is at its rated volts")
    ] = None

    def summary(self) -> tuple[str, str]:
        return (
            f"{self.rated_V:g} V  {self.rated_A:g} A",
            f"{self.flow_m3_h:g} m³/h, starts at {self.start_V:g} V",
        )

    def rated(self) -> None:
        return None

    def ratings_text(self, link: Link) -> str:
        return f"{show(self.rated_V, 'V')} {show(self.rated_A, 'A')}"

    def as_link(self, link_id: str, name: str) -> Link:
        return FanLink(id=link_id, name=name, part=self.id)

    def element(self, job: Surroundings, link: Link) -> CurrentSink:
        return CurrentSink(link.id, link.fed_by, own_A=self.rated_A)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {}

    def limits(self, here: Operating) -> list[Limit]:
        note = "15 % over its rating, rule of thumb"
        return [limit(here.link, "volts", here.point.V, self.rated_V * 1.15, "V", note)]

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        yield incoming_step(
            self, "starts", "Raise the volts from zero until it starts by itself.", "its terminals", "V",
            Band(0.0, self.rated_V), expected=self.start_V, field="start_V",
            rules_out="It needs a push: its bearing is gone; it will stand still one day.",
        )  # fmt: skip
