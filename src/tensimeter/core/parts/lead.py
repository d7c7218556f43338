"""Leads, and wire by the metre."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.electrical import wire
from tensimeter.core.electrical.elements import Series
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.path_part import WirePart
from tensimeter.core.parts.steps import IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, other_length, worse_contact
from tensimeter.core.path import LeadLink, Link
from tensimeter.core.quantity import show
from tensimeter.core.record import NotNegative, Positive
from tensimeter.core.settings import Spread


def _element(link: Link, leg_m: float, area_mm2: float, contact_ohm: float, ambient_C: float) -> Series:
    """Ohms of wire and contacts apart."""
    ohms = wire.resistance(leg_m, area_mm2 * 1e-6, ambient_C)
    return Series(link.id, link.fed_by, resistance=ohms, contact=4 * contact_ohm)


def _limits(here: Operating, area_mm2: float, carries: float) -> list[Limit]:
    note = f"{area_mm2:g} mm² in free air, rule of thumb"
    return [limit(here.link, "wire heat", here.point.I, carries, "A", note)]


class LeadPart(WirePart):
    """A two-conductor lead with a connection at each end of each leg."""

    shelf: ClassVar[str] = "Leads, wire, connectors"
    inside_box: ClassVar[bool] = False
    link_kind: ClassVar[str] = "lead"

    kind: Literal["lead"] = "lead"
    length_m: Annotated[NotNegative, Quantity("m", "length", "length of one leg")]
    area_mm2: Annotated[Positive, Quantity("mm²", "area", "copper of one conductor")]
    contact_ohm: Annotated[NotNegative, Quantity("Ω", "contact", "one contact")] = 0.001
    insulation_C: Annotated[Positive, Quantity("°C", "insulation", "hottest that the insulation may get")] = (
        70.0
    )
    measured_ohm: Annotated[
        Positive | None, Quantity("Ω", "measured", "both legs with their contacts, as measured")
    ] = None

    def summary(self) -> tuple[str, str]:
        measured = f"{show(self.measured_ohm, 'ohm')} measured" if self.measured_ohm else ""
        size = f"{self.length_m:g} m  {self.area_mm2:.3g} mm²"
        return size, measured or f"{show(self.contact_ohm, 'ohm')} a contact"

    def rated(self) -> None:
        return None

    def as_link(self, link_id: str, name: str) -> Link:
        return LeadLink(id=link_id, name=name, part=self.id)

    def leg_m(self, link: Link) -> float | None:
        own = link.length_m if isinstance(link, LeadLink) else None
        return self.length_m if own is None else own

    def carries_A(self, ambient_C: float) -> float:
        return wire.ampacity(self.area_mm2 * 1e-6, self.insulation_C, ambient_C)

    def element(self, job: Surroundings, link: Link) -> Series:
        if self.measured_ohm is not None:
            return Series(link.id, link.fed_by, resistance=self.measured_ohm)
        leg = self.leg_m(link) or 0.0
        return _element(link, leg, self.area_mm2, self.contact_ohm, job.settings.ambient_C)

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield worse_contact(link, "Its lugs, crimps and screws")
        yield other_length(link)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        share = 0.02 if self.measured_ohm else spread.wire_ohm
        return {"resistance": share, "contact": spread.contact_ohm}

    def limits(self, here: Operating) -> list[Limit]:
        return _limits(here, self.area_mm2, self.carries_A(here.job.settings.ambient_C))

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        yield incoming_step(
            self, "ohms", "Far ends joined; an ampere through it and volts read, or ohms less the probes'.",
            "both near ends", "ohm", Band(0.0, 2.0), field="measured_ohm",
            rules_out="Far more than its copper: a bad crimp, or a wire broken inside its sleeve.",
        )  # fmt: skip


class Wire(WirePart):
    """Wire by the metre; a lead of the path says how much of it is taken."""

    shelf: ClassVar[str] = "Leads, wire, connectors"
    inside_box: ClassVar[bool] = False
    link_kind: ClassVar[str] = "lead"

    kind: Literal["wire"] = "wire"
    area_mm2: Annotated[Positive, Quantity("mm²", "area", "copper of one conductor")]
    insulation_C: Annotated[Positive, Quantity("°C", "insulation", "hottest that the insulation may get")] = (
        70.0
    )
    contact_ohm: Annotated[NotNegative, Quantity("Ω", "contact", "one contact")] = 0.001

    def summary(self) -> tuple[str, str]:
        return f"{self.area_mm2:.3g} mm²", f"insulation to {self.insulation_C:g} °C"

    def rated(self) -> None:
        return None

    def as_link(self, link_id: str, name: str) -> Link:
        return LeadLink(id=link_id, name=name, part=self.id, length_m=1.0)

    def problem(self, link: Link) -> str:
        if isinstance(link, LeadLink) and link.length_m is None:
            return f"{link.name} is cut from {self.name}: say how long each leg is."
        return ""

    def leg_m(self, link: Link) -> float | None:
        return link.length_m if isinstance(link, LeadLink) else None

    def carries_A(self, ambient_C: float) -> float:
        return wire.ampacity(self.area_mm2 * 1e-6, self.insulation_C, ambient_C)

    def element(self, job: Surroundings, link: Link) -> Series:
        leg = self.leg_m(link) or 0.0
        return _element(link, leg, self.area_mm2, self.contact_ohm, job.settings.ambient_C)

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield worse_contact(link, "Its lugs, crimps and screws")
        yield other_length(link)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {"resistance": spread.wire_ohm, "contact": spread.contact_ohm}

    def limits(self, here: Operating) -> list[Limit]:
        return _limits(here, self.area_mm2, self.carries_A(here.job.settings.ambient_C))

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        return iter(())
