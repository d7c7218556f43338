"""A fuse with its holder."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Series
from tensimeter.core.electrical.fuse import TYPICAL_DROP_V, continuous_A, fusing_factor
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.path_part import OvercurrentPart
from tensimeter.core.parts.steps import FaultCurrent, IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, worse_contact
from tensimeter.core.path import FuseLink, Link
from tensimeter.core.quantity import show
from tensimeter.core.record import Positive
from tensimeter.core.settings import Spread


class FusePart(OvercurrentPart):
    """A fuse with its holder; resistance None: estimated from its rating."""

    shelf: ClassVar[str] = "Fuses, switches"
    inside_box: ClassVar[bool] = False
    link_kind: ClassVar[str] = "fuse"

    kind: Literal["fuse"] = "fuse"
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    rated_V: Annotated[Positive, Quantity("V", "rated", "volts it is made for")] = 58.0
    speed: Annotated[Literal["fast", "slow"], Quantity("", "speed", "how soon it blows")] = "slow"
    #: Says at what multiple of its rating it blows for certain.
    family: Annotated[
        Literal["not known", "cartridge", "blade", "line"],
        Quantity("", "family", "how it is built: a glass or ceramic cartridge, a blade, a line fuse (gG)"),
    ] = "not known"
    #: What it can break at its volts; None: not known.
    breaking_A: Annotated[
        Positive | None, Quantity("A", "breaking", "amps that it can break at its volts")
    ] = None
    resistance_ohm: Annotated[Positive | None, Quantity("Ω", "resistance", "its resistance")] = None

    def summary(self) -> tuple[str, str]:
        return f"{self.rated_A:g} A {self.speed}", f"breaks {self.rated_V:g} V DC"

    def rated(self) -> None:
        return None

    @property
    def ohms(self) -> float:
        """Resistance in Ω, as stated or from the typical drop at its rating."""
        return self.resistance_ohm or TYPICAL_DROP_V / self.rated_A

    @property
    def certain_A(self) -> float:
        return fusing_factor(self.family, self.rated_A) * self.rated_A

    def can_blow(self, most_A: float) -> bool:
        return most_A >= self.certain_A

    def explain_resistance(self) -> Derivation:
        """Why it is taken to have this resistance."""
        if self.resistance_ohm is not None:
            given = (Input("R", "as stated for the part", self.resistance_ohm, "ohm"),)
            return Derivation("Resistance of the fuse", "R", given, self.resistance_ohm, "ohm")
        return Derivation(
            "Resistance of the fuse",
            "R = U / I_rated",
            (
                Input("U", "typical drop at the rating", TYPICAL_DROP_V, "V"),
                Input("I_rated", "rating", self.rated_A, "A"),
            ),
            self.ohms,
            "ohm",
            ("a rule of thumb; measure it and enter the figure",),
        )

    def as_link(self, link_id: str, name: str) -> Link:
        return FuseLink(id=link_id, name=name, part=self.id)

    def element(self, job: Surroundings, link: Link) -> Series:
        return Series(link.id, link.fed_by, resistance=self.ohms)

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield worse_contact(link, "The fuse's clips and the solder tags of its holder")

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {"resistance": spread.fuse_ohm}

    def limits(self, here: Operating) -> list[Limit]:
        share = here.job.policy.fuse_share
        carries, note = continuous_A(self.rated_A, share), f"{share * 100:.0f} % of {self.rated_A:g} A"
        return [
            limit(here.link, "continuous", here.point.I, carries, "A", note, self.rated_A),
            limit(here.link, "volts to break", here.point.V, self.rated_V, "V", "DC rating"),
        ]

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        fault = fault_A()
        if fault is None or self.breaking_A is None or fault <= self.breaking_A:
            return []
        text = (
            f"{show(fault, 'A', 3)} may flow into a short there; {self.name} breaks "
            f"{show(self.breaking_A, 'A', 3)} at most and may arc on. Take one of higher breaking capacity."
        )
        title = f"{link.name} can't break a short"
        return [Notice(f"breaks:{link.id}", "miss", title, text, "design", link.id)]

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        yield incoming_step(
            self, "ohms", "Out of its circuit, the probes' ohms taken off.", "end to end in its holder",
            "ohm", Band(0.0, 2.0), expected=self.resistance_ohm, field="resistance_ohm",
            rules_out="Open, or a holder that does not grip.",
        )  # fmt: skip
