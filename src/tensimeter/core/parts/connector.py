"""A plug and socket."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Series
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.path_part import PassivePart
from tensimeter.core.parts.steps import IncomingStep
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, contact_missing, worse_contact
from tensimeter.core.path import ConnectorLink, Link
from tensimeter.core.quantity import show
from tensimeter.core.record import Count, NotNegative, Positive
from tensimeter.core.settings import Spread


class Connector(PassivePart):
    """A plug and socket: `contacts` side by side on each leg, each of `contact_ohm` and `contact_A`."""

    shelf: ClassVar[str] = "Leads, wire, connectors"
    inside_box: ClassVar[bool] = False
    link_kind: ClassVar[str] = "connector"

    kind: Literal["connector"] = "connector"
    contacts: Annotated[Count, Quantity("", "contacts", "contacts side by side on each leg")] = 1
    contact_ohm: Annotated[NotNegative, Quantity("Ω", "contact", "one contact")] = 0.003
    contact_A: Annotated[Positive, Quantity("A", "contact", "amps that one contact carries")]
    rated_V: Annotated[Positive, Quantity("V", "rated", "volts it is made for")] = 60.0

    def summary(self) -> tuple[str, str]:
        return (f"{self.contacts} × {self.contact_A:g} A a leg", f"{show(self.contact_ohm, 'ohm')} a contact")

    def rated(self) -> None:
        return None

    def as_link(self, link_id: str, name: str) -> Link:
        return ConnectorLink(id=link_id, name=name, part=self.id)

    def element(self, job: Surroundings, link: Link) -> Series:
        return Series(link.id, link.fed_by, contact=2 * self.contact_ohm / self.contacts)

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield worse_contact(link, "Its pins and their crimps")
        if self.contacts > 1:
            yield contact_missing(link, self.contacts)

    def strand_ohm(self, link: Link) -> float | None:
        return self.contact_ohm / self.contacts if self.contacts > 1 else None

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {"contact": spread.contact_ohm}

    def limits(self, here: Operating) -> list[Limit]:
        carries = self.contacts * self.contact_A
        note = f"{self.contacts} contacts of {self.contact_A:g} A a leg"
        return [
            limit(here.link, "contacts", here.point.I, carries, "A", note),
            limit(here.link, "volts", here.point.V, self.rated_V, "V", "rating"),
        ]

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        return iter(())
