"""A switch, relay or breaker-less isolator in the path."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Series
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.path_part import PassivePart
from tensimeter.core.parts.steps import FaultCurrent, IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, worse_contact
from tensimeter.core.path import ConnectorLink, Link
from tensimeter.core.quantity import show
from tensimeter.core.record import NotNegative, Positive
from tensimeter.core.settings import Spread

#: Ω that a closed contact reads at the most with a handheld meter, its leads' own taken off: a rule of thumb.
CLOSED_OHM = 0.5
#: DC volts up to which a contact that is rated for AC alone still parts its amps: a rule of thumb.
AC_ONLY_V = 28.0


class Switch(PassivePart):
    """What opens the path by hand or by a coil.

    A contact parts far less DC than AC: `rated_V` is what it parts as DC; None: only its AC rating is known.
    """

    shelf: ClassVar[str] = "Fuses, switches"
    link_kind: ClassVar[str] = "connector"
    in_wall: ClassVar[bool] = True

    kind: Literal["switch"] = "switch"
    family: Annotated[Literal["switch", "relay"], Quantity("", "family", "by hand, or by a coil")] = "switch"
    poles: Annotated[Literal[1, 2], Quantity("", "poles", "one leg of the path, or both")] = 1
    contact_ohm: Annotated[NotNegative, Quantity("Ω", "contact", "one closed contact")] = 0.01
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    rated_V: Annotated[
        Positive | None, Quantity("V", "rated, DC", "DC volts at which it parts its amps; empty: not known")
    ] = None

    def summary(self) -> tuple[str, str]:
        parts = f"{self.rated_V:g} V DC" if self.rated_V else "DC rating not known"
        return (
            f"{self.rated_A:g} A, {parts}",
            f"{self.poles}-pole {self.family}, {show(self.contact_ohm, 'ohm')}",
        )

    def rated(self) -> None:
        return None

    def as_link(self, link_id: str, name: str) -> Link:
        return ConnectorLink(id=link_id, name=name, part=self.id)

    def element(self, job: Surroundings, link: Link) -> Series:
        return Series(link.id, link.fed_by, contact=self.poles * self.contact_ohm)

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield worse_contact(link, "Its tags, and the switch itself")

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {"contact": spread.contact_ohm}

    def limits(self, here: Operating) -> list[Limit]:
        note = "rating" if self.rated_V else "its DC rating is not known: rule of thumb for an AC one"
        return [
            limit(here.link, "contacts", here.point.I, self.rated_A, "A", "rating"),
            limit(here.link, "volts", here.point.V, self.rated_V or AC_ONLY_V, "V", note),
        ]

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        if self.rated_V is not None:
            return []
        text = (
            f"{link.name} is rated for AC: DC does not pass through zero, so its arc goes on. Above "
            f"{show(AC_ONLY_V, 'V')} (rule of thumb) take one with a DC rating, or switch the side before it."
        )
        return [Notice(f"switch:{link.id}", "caution", "A switch that parts AC", text, "design", link.id)]

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        yield incoming_step(
            self, "closed", "Out of the path, closed: read ohms.", "across its contact", "ohm",
            Band(None, CLOSED_OHM), expected=self.contact_ohm,
            rules_out="Its contact is burnt: it will get hot.", field="contact_ohm",
        )  # fmt: skip
        yield incoming_step(
            self, "open", "Open: read ohms.", "across its contact", "ohm", Band(1e6, None),
            rules_out="It does not part: welded, or the wrong pair of terminals.",
        )  # fmt: skip
