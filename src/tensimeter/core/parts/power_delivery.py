"""A USB-C charger that gives the volts it is asked for."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from tensimeter.core.arrays import Array
from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Series
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import Unit
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.source_part import SourcePart, Stored
from tensimeter.core.parts.source_share import donor_share
from tensimeter.core.parts.steps import LIGHT, MAINS, Alone, FaultCurrent, IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, more_source_ohms, off_volts
from tensimeter.core.path import Link, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.record import Efficiency, Fraction, NotNegative, Positive, Record
from tensimeter.core.settings import Spread

#: V that it gives until it is asked for others, and A of a cable that carries no chip (USB Type-C).
UNASKED_V, PLAIN_CABLE_A = 5.0, 3.0


class Profile(Record):
    """Volts that may be asked for, and the amps that it gives then."""

    volts: Annotated[Positive, Quantity("", "volts", "volts, or how well it reads them")]
    amps: Annotated[Positive, Quantity("", "amps", "amps, or how well it reads them")]


class PowerDelivery(SourcePart):
    """A USB-C charger with a trigger that asks for one of its profiles; the link's `tap` says which.

    `cable_A` is what the chip in its cable allows, 3 A without one. `limit_share` is where it acts, as a
    multiple of the amps allowed; None: not known.
    """

    shelf: ClassVar[str] = "Donors"
    tried_first: ClassVar[bool] = True
    ohms_across: ClassVar[bool] = False
    isolates_mains: ClassVar[bool] = False
    common_earthed: ClassVar[bool] = False
    #: What it gives into a short is its controller's choice.
    shorted_by_ohms: ClassVar[bool] = False
    fused_at_once: ClassVar[bool] = False
    shared_label: ClassVar[bool] = True
    lists: ClassVar[dict[str, str]] = {"profiles": "profile"}

    kind: Literal["power_delivery"] = "power_delivery"
    profiles: Annotated[
        tuple[Profile, ...],
        Field(min_length=1),
        Quantity("", "profiles", "volts that it may be asked for, and the amps of each"),
    ]
    cable_A: Annotated[Positive, Quantity("A", "cable", "what its cable allows: 3 A without a chip")] = (
        PLAIN_CABLE_A
    )
    tolerance: Annotated[Fraction, Quantity("%", "tolerance", "how far its volts may stray")] = 0.05
    output_resistance_ohm: Annotated[
        NotNegative, Quantity("Ω", "output resistance", "volts it loses for each ampere")
    ] = 0.05
    limit_share: Annotated[
        Annotated[float, Field(ge=1, le=3)] | None,
        Quantity("", "limit, times the amps allowed", "where it acts; empty where not known"),
    ] = None
    trip_V: Annotated[Positive | None, Quantity("V", "trip", "volts at which it switches itself off")] = None
    efficiency: Annotated[Efficiency, Quantity("%", "efficiency", "share of the input that comes out")] = 0.88

    def profile(self, link: Link) -> Profile:
        """The profile that a link's trigger asks for."""
        tap = link.tap if isinstance(link, UnitLink) else 0
        return self.profiles[min(tap, len(self.profiles) - 1)]

    def allowed_A(self, link: Link) -> float:
        """Amps of the profile, or of the cable where that is less."""
        return min(self.profile(link).amps, self.cable_A)

    def summary(self) -> tuple[str, str]:
        volts = " / ".join(f"{p.volts:g}" for p in self.profiles)
        most = max(p.volts * min(p.amps, self.cable_A) for p in self.profiles)
        return (
            f"{volts} V on request  {most:g} W",
            f"cable to {self.cable_A:g} A, ± {self.tolerance * 100:g} %",
        )

    def rated(self) -> tuple[float, float, float]:
        most = max(self.profiles, key=lambda p: p.volts * p.amps)
        return most.volts, min(most.amps, self.cable_A), most.volts * min(most.amps, self.cable_A)

    def ratings_text(self, link: Link) -> str:
        return f"{show(self.profile(link).volts, 'V')} {show(self.allowed_A(link), 'A')}"

    # -- in the network -------------------------------------------------------------------------

    def as_link(self, link_id: str, name: str) -> Link:
        return UnitLink(id=link_id, name=name, part=self.id, tap=len(self.profiles) - 1)

    def problem(self, link: Link) -> str:
        if isinstance(link, UnitLink) and link.tap >= len(self.profiles):
            return f"{link.name} asks for profile {link.tap + 1}; {self.name} has {len(self.profiles)}."
        return ""

    def element(self, job: Surroundings, link: Link) -> Series:
        return Series(
            link.id,
            link.fed_by,
            emf=self.profile(link).volts,
            resistance=self.output_resistance_ohm,
            limit_A=self.current_limit_A(link) or np.inf,
        )

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield off_volts(link, self.tolerance)
        yield more_source_ohms(link, job.policy.spread.source_ohm)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {"emf": self.tolerance, "resistance": spread.source_ohm}

    def stack_unit(self, tap_A: float = 0.0, *, believed: bool = False) -> Unit:
        share = self.believed if believed else 1.0
        most = max(self.profiles, key=lambda p: p.volts)
        amps = min(most.amps, self.cable_A) * share
        return Unit(most.volts, amps, most.volts * amps, self.tolerance, self.trip_V, None, tap_A)

    # -- limits ---------------------------------------------------------------------------------

    def limits(self, here: Operating) -> list[Limit]:
        share, note = donor_share(here.job.policy, self)
        asked, amps = self.profile(here.link), here.point.I
        cable = "its cable has no chip" if self.cable_A <= PLAIN_CABLE_A else "the chip in its cable"
        return [
            limit(here.link, "continuous amps", amps, asked.amps * share, "A", note, asked.amps),
            limit(here.link, "cable", amps, self.cable_A, "A", cable),
        ]

    def current_limit_A(self, link: Link) -> float | None:
        return None if self.limit_share is None else self.limit_share * self.allowed_A(link)

    @property
    def beyond_words(self) -> str:
        return "resets to 5 V"

    @property
    def when_tripped(self) -> str:
        return "it resets to 5 V, and its trigger asks again and again"

    @property
    def holds_at_A(self) -> float | None:
        return None

    @property
    def over_voltage_V(self) -> float | None:
        return self.trip_V

    @property
    def drives_A(self) -> float:
        return max(min(p.amps, self.cable_A) for p in self.profiles)

    # -- heat, charge, case ---------------------------------------------------------------------

    def loss_W(self, job: Surroundings, link: Link, solution: Solution) -> Array:
        point = solution[link.id]
        below = solution[link.fed_by].V if link.fed_by else 0.0
        return np.asarray((point.V - below) * point.I * (1 / self.efficiency - 1))

    def stored(self, job: Surroundings, link: Link) -> Stored | None:
        return None

    @property
    def metal_case(self) -> bool:
        return False

    @property
    def wired_to_mains(self) -> bool:
        return False

    @property
    def negative_on_case(self) -> bool:
        return False

    # -- before and at first power --------------------------------------------------------------

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        volts = self.profile(link).volts
        highest = max(p.volts for p in self.profiles)
        text = (
            f"{link.name} gives {show(UNASKED_V, 'V')} until its trigger asks for {show(volts, 'V')}, falls "
            f"back to it after an overload, and gives up to {show(highest, 'V')} with its trigger set wrong. "
            "Read it before anything is joined, and again after the trigger was touched."
        )
        return [Notice(f"asked:{link.id}", "caution", "Volts on request", text, "design", link.id)]

    @property
    def strays(self) -> float:
        return self.tolerance

    def alone(self, link: Link) -> Alone:
        volts = self.profile(link).volts
        return Alone(volts, self.tolerance, f"Set its trigger to {show(volts, 'V')}, then plug it in.")

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        yield incoming_step(
            self, "unasked", "Plugged in, a trigger that asks for nothing.", "trigger board + to −", "V",
            Band.around(UNASKED_V, 0.05), expected=UNASKED_V, caution=MAINS,
            rules_out="Nothing: its cable, or it is dead. More than 5 V: the trigger is set already.",
        )  # fmt: skip
        for k, asked in enumerate(self.profiles):
            yield incoming_step(
                self, f"profile-{k + 1}", f"Trigger set to {show(asked.volts, 'V')}, no load.",
                "trigger board + to −", "V", Band.around(asked.volts, self.tolerance), expected=asked.volts,
                rules_out="Still 5 V: it does not offer this profile, or its cable hinders the request.",
            )  # fmt: skip
        last = self.profiles[-1]
        light = LIGHT * min(last.amps, self.cable_A)
        loaded = last.volts - self.output_resistance_ohm * light
        yield incoming_step(
            self, "light", f"Load it lightly, about {light:.2g} A.", "trigger board + to −", "V",
            Band.around(loaded, self.tolerance), expected=loaded,
            rules_out="It falls back to 5 V: it is worn, or the cable's contacts are.",
        )  # fmt: skip
