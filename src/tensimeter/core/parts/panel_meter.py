"""A built-in meter."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Series
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.notice import Notice
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.path_part import InlineMeter
from tensimeter.core.parts.steps import FaultCurrent, IncomingStep
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, worse_contact
from tensimeter.core.path import Link, MeterLink
from tensimeter.core.quantity import show
from tensimeter.core.record import NotNegative, Positive
from tensimeter.core.settings import Spread


class PanelMeter(InlineMeter):
    """A built-in meter: what it can read, its shunt, and what it needs to run."""

    shelf: ClassVar[str] = "Panel meters, fans, heat sinks"
    in_wall: ClassVar[bool] = True

    kind: Literal["panel_meter"] = "panel_meter"
    reads_V: Annotated[Positive, Quantity("V", "reads", "end of its range of volts")]
    reads_A: Annotated[Positive, Quantity("A", "reads", "end of its range of amps")]
    shunt_ohm: Annotated[NotNegative, Quantity("Ω", "shunt", "its shunt")] = 0.005
    shunt_in: Annotated[
        Literal["negative", "positive"], Quantity("", "shunt in", "which leg its shunt sits in")
    ] = "negative"
    supply_min_V: Annotated[NotNegative, Quantity("V", "supply min", "least volts that it runs from")] = 4.5
    supply_max_V: Annotated[Positive, Quantity("V", "supply max", "most volts that it runs from")] = 30.0
    draws_A: Annotated[NotNegative, Quantity("A", "draws", "what it draws")] = 0.02
    volts: Annotated[Accuracy, Quantity("", "volts", "volts, or how well it reads them")]
    amps: Annotated[Accuracy, Quantity("", "amps", "amps, or how well it reads them")]

    def summary(self) -> tuple[str, str]:
        return (
            f"to {self.reads_V:g} V  {self.reads_A:g} A",
            f"runs from {self.supply_min_V:g}–{self.supply_max_V:g} V, shunt in the {self.shunt_in}",
        )

    def rated(self) -> None:
        return None

    def ratings_text(self, link: Link) -> str:
        return f"to {show(self.reads_V, 'V')} {show(self.reads_A, 'A')}"

    def as_link(self, link_id: str, name: str) -> Link:
        return MeterLink(id=link_id, name=name, part=self.id)

    def element(self, job: Surroundings, link: Link) -> Series:
        return Series(link.id, link.fed_by, resistance=self.shunt_ohm)

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield worse_contact(link, "The terminals of its shunt")

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {}

    def limits(self, here: Operating) -> list[Limit]:
        """What it can read and, where it runs from, what it needs."""
        link, point = here.link, here.point
        by = link.supplied_by if isinstance(link, MeterLink) else None
        supply = here.solution[by].V if by else point.V_in
        return [
            limit(link, "volts it can read", point.V, self.reads_V, "V", "end of its range"),
            limit(link, "amps it can read", point.I, self.reads_A, "A", "end of its range"),
            limit(link, "own supply, most", supply, self.supply_max_V, "V", "rating of its supply"),
            limit(link, "own supply, least", self.supply_min_V, supply, "V", "volts that it runs from"),
        ]

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        """A shunt in the negative is bypassed where another outlet's negative meets behind it."""
        own = [o for o in job.design.outputs() if link in job.design.path_to(o.id)]
        beside = [o.name for o in job.design.outputs() if o not in own]
        if self.shunt_in != "negative" or not beside or not own:
            return []
        text = (
            f"{link.name} measures in the negative of {own[0].name}. Where its negative meets that of "
            f"{', '.join(beside)} behind the meter, part of the current goes around the shunt and is not "
            "read."
        )
        return [Notice(f"return:{link.id}", "caution", "A second way back", text, "design", link.id)]

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        return iter(())
