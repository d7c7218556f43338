"""Batteries: volts by chemistry, hours at a draw, and what charging one asks for.

Volts per cell are the usual ones for the chemistry (rules of thumb; the cell's own sheet counts).
"""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Element, Extremes, Series
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import Unit
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.fed_part import Charging, Connected, FedPart
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.source_part import SourcePart, Stored
from tensimeter.core.parts.steps import LIGHT, Alone, FaultCurrent, IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, more_source_ohms, off_volts
from tensimeter.core.path import EitherLink, FuseLink, Link, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.record import Count, Positive
from tensimeter.core.settings import Spread

#: How far its volts stray between full and empty, as a fraction, at first power.
CHARGE_BAND = 0.15

Chemistry = Literal["lead", "lithium_ion", "lithium_iron", "nickel"]


class Cell(Struct, frozen=True):
    """One cell: V full, nominal, empty and at the end of charge; charge current as a share of capacity.

    `charge_C` are the temperatures between which it may be charged at all.
    """

    full_V: float
    nominal_V: float
    empty_V: float
    charge_V: float
    charge_share: float
    charge_C: tuple[float, float]
    lithium: bool = False


CELLS: dict[str, Cell] = {
    "lead": Cell(2.12, 2.0, 1.75, 2.40, 0.2, (-15, 45)),
    "lithium_ion": Cell(4.20, 3.6, 3.0, 4.20, 0.5, (0, 45), lithium=True),
    "lithium_iron": Cell(3.40, 3.2, 2.8, 3.65, 0.5, (0, 45), lithium=True),
    "nickel": Cell(1.40, 1.2, 1.0, 1.48, 0.1, (0, 40)),
}


class Battery(SourcePart, FedPart):
    """A battery of cells in series; `board` says whether a protection board is in its path."""

    shelf: ClassVar[str] = "Batteries"
    ohms_across: ClassVar[bool] = False
    isolates_mains: ClassVar[bool] = False
    common_earthed: ClassVar[bool] = False
    shorted_by_ohms: ClassVar[bool] = True
    fused_at_once: ClassVar[bool] = True

    kind: Literal["battery"] = "battery"
    chemistry: Annotated[Chemistry, Quantity("", "chemistry", "what its cells are of")] = "lead"
    cells: Annotated[Count, Quantity("", "cells", "cells in series")] = 6
    capacity_Ah: Annotated[Positive, Quantity("Ah", "capacity", "charge that it holds, at twenty hours")]
    resistance_ohm: Annotated[Positive, Quantity("Ω", "resistance", "its resistance")] = 0.02
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    board: Annotated[bool, Quantity("", "protection board", "a protection board is in its path")] = False
    board_trip_A: Annotated[
        Positive | None, Quantity("A", "board trip", "amps at which the board lets go")
    ] = None

    @property
    def cell(self) -> Cell:
        return CELLS[self.chemistry]

    @property
    def nominal_V(self) -> float:
        """No-load volts, nominal."""
        return self.cell.nominal_V * self.cells

    @property
    def span_V(self) -> tuple[float, float]:
        """Volts empty and full."""
        return self.cell.empty_V * self.cells, self.cell.full_V * self.cells

    @property
    def spread(self) -> float:
        """How far its volts stray from nominal between full and empty, as a fraction, the greater side."""
        empty, full = self.span_V
        middle = self.nominal_V
        return max(full - middle, middle - empty) / middle

    def hours(self, current_A: float) -> float:
        """Hours at a constant draw, capacity over current; a lead battery gives less at a high draw.

        For lead the capacity counts at 20 hours and shrinks by Peukert's law, t = H·(C/(I·H))^k with
        k = 1.2 (a rule of thumb). Raises UserError for a draw that is not above zero.

        >>> Battery(id="b", name="b", capacity_Ah=7.0, rated_A=7.0).hours(0.35)
        20.0
        """
        if current_A <= 0:
            raise UserError("Hours of a battery are told at a draw above zero.")
        if self.chemistry != "lead":
            return self.capacity_Ah / current_A
        return float(20.0 * (self.capacity_Ah / (current_A * 20.0)) ** 1.2)

    def hours_at(self, amps: float) -> float | None:
        return self.hours(amps)

    def explain_hours(self, name: str, amps: float) -> Derivation:
        lead = self.chemistry == "lead"
        rule = "full at the start, at room temperature; an exponent of 1.2 is a rule of thumb"
        return Derivation(
            f"How long {name} lasts",
            "t = 20 h·(C/(I·20 h))^1.2, Peukert" if lead else "t = C/I",
            (Input("C", "capacity", self.capacity_Ah, "Ah"), Input("I", "what is drawn", amps, "A")),
            self.hours(amps),
            "h",
            (rule,) if lead else (),
        )

    def summary(self) -> tuple[str, str]:
        board = "protection board" if self.board else "no protection board"
        return f"{self.nominal_V:g} V  {self.capacity_Ah:g} Ah  {self.rated_A:g} A", (
            f"{self.chemistry.replace('_', ' ')}, {self.cells} cells, {board}"
        )

    def rated(self) -> tuple[float, float, float]:
        return self.nominal_V, self.rated_A, self.nominal_V * self.rated_A

    def ratings_text(self, link: Link) -> str:
        return f"{show(self.nominal_V, 'V')} {show(self.capacity_Ah, 'Ah')}"

    # -- in the network -------------------------------------------------------------------------

    def as_link(self, link_id: str, name: str) -> Link:
        return UnitLink(id=link_id, name=name, part=self.id)

    def element(self, job: Surroundings, link: Link) -> Series:
        return Series(link.id, link.fed_by, emf=self.nominal_V, resistance=self.resistance_ohm)

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield off_volts(link, self.spread)
        yield more_source_ohms(link, job.policy.spread.source_ohm)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        # Full and empty are its ends: what lies between is not a tolerance, but acts like one.
        return {"emf": self.spread, "resistance": spread.source_ohm}

    def extremes(self, job: Surroundings, link: Link, element: Element, line: float = 1.0) -> Extremes:
        # Empty and full lie unevenly about nominal.
        moved = getattr(element, "emf", self.nominal_V) / self.nominal_V
        empty, full = self.span_V
        return {**super().extremes(job, link, element, line), "emf": (empty * moved, full * moved)}

    def stack_unit(self, tap_A: float = 0.0, *, believed: bool = False) -> Unit | None:
        return None

    # -- limits ---------------------------------------------------------------------------------

    def limits(self, here: Operating) -> list[Limit]:
        link, amps = here.link, here.point.I
        found = [limit(link, "discharge amps", amps, self.rated_A * self.believed, "A", "its rating")]
        if self.board and self.board_trip_A:
            found.append(limit(link, "board trips", amps, self.board_trip_A, "A", "its protection board"))
        return found

    def current_limit_A(self, link: Link) -> float | None:
        return self.board_trip_A if self.board else None

    @property
    def beyond_words(self) -> str:
        return ""

    @property
    def holds_at_A(self) -> float | None:
        return None

    @property
    def over_voltage_V(self) -> float | None:
        return None

    @property
    def drives_A(self) -> float:
        return self.rated_A

    # -- heat, charge, case ---------------------------------------------------------------------

    def loss_W(self, job: Surroundings, link: Link, solution: Solution) -> Array:
        return solution[link.id].loss

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

    # -- charged at an output -------------------------------------------------------------------

    def connected(self) -> Connected:
        return Connected(self.name, self.span_V[1], self.charging().volts)

    def charging(self) -> Charging:
        """Charge limits by chemistry. A lithium battery without a protection board is refused."""
        cell, refused = self.cell, ""
        if cell.lithium and not self.board:
            refused = (
                f"{self.name} is lithium and has no protection board in its path: Tensimeter plans no "
                "charging of it. Fit a board for its cells first."
            )
        return Charging(
            cell.charge_V * self.cells, cell.charge_share * self.capacity_Ah, cell.charge_C, refused
        )

    # -- before and at first power --------------------------------------------------------------

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        choosing = [x for x in job.design.links if isinstance(x, EitherLink) and link.id in x.others]
        behind = [*job.design.fed_from(link.id), *choosing]
        bare = [x.name for x in behind if not isinstance(x, FuseLink)]
        if not bare:
            return []
        fault = fault_A()
        amps = f" It drives {show(fault, 'A', 2)} into a short." if fault is not None else ""
        text = f"{', '.join(bare)} hangs on {link.name} without a fuse.{amps} Put one right at the battery."
        return [Notice(f"battery:{link.id}", "miss", "A battery without a fuse", text, "design", link.id)]

    @property
    def strays(self) -> float:
        return CHARGE_BAND

    def alone(self, link: Link) -> Alone | None:
        return None

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        empty, full = self.span_V
        alive, amps = Band(empty, full * 1.02), LIGHT * self.rated_A
        yield incoming_step(
            self, "rest", "At rest for an hour, nothing connected.", "terminals", "V", alive,
            expected=self.nominal_V,
            rules_out="Below empty: it was discharged too far; a lithium one is not to be charged again.",
            caution="It can't be switched off: cover one terminal while you work at the other.",
        )  # fmt: skip
        yield incoming_step(
            self, "light", f"Load it with about {amps:.2g} A for a minute.", "terminals", "V", alive,
            expected=self.nominal_V - amps * self.resistance_ohm,
            rules_out="It falls away: its capacity or its resistance is gone.",
        )  # fmt: skip
