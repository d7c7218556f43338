"""Batteries: volts by chemistry, hours at a draw, and what charging one asks for.

Volts per cell are the usual ones for the chemistry (rules of thumb; the cell's own sheet counts).
"""

from dataclasses import dataclass

from tensimeter.core.errors import Trouble
from tensimeter.core.parts.kinds import Battery


@dataclass(frozen=True)
class Cell:
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


def nominal_V(battery: Battery) -> float:
    """No-load volts, nominal."""
    return CELLS[battery.chemistry].nominal_V * battery.cells


def span_V(battery: Battery) -> tuple[float, float]:
    """Volts empty and full."""
    cell = CELLS[battery.chemistry]
    return cell.empty_V * battery.cells, cell.full_V * battery.cells


def spread(battery: Battery) -> float:
    """How far its volts stray from nominal between full and empty, as a fraction, the greater side."""
    empty, full = span_V(battery)
    middle = nominal_V(battery)
    return max(full - middle, middle - empty) / middle


def hours(battery: Battery, current_A: float) -> float:
    """Hours at a constant draw, capacity over current; a lead battery gives less at a high draw.

    For lead the capacity counts at 20 hours and shrinks by Peukert's law, t = H·(C/(I·H))^k with k = 1.2
    (a rule of thumb). Raises Trouble for a draw that is not above zero.

    >>> hours(Battery(id="b", name="b", capacity_Ah=7.0, rated_A=7.0), 0.35)
    20.0
    """
    if current_A <= 0:
        raise Trouble("Hours of a battery are told at a draw above zero.")
    if battery.chemistry != "lead":
        return battery.capacity_Ah / current_A
    return float(20.0 * (battery.capacity_Ah / (current_A * 20.0)) ** 1.2)


@dataclass(frozen=True)
class Charging:
    """What a battery may be charged with: V at the end, A at most, °C between; and what forbids it."""

    volts: float
    most_A: float
    between_C: tuple[float, float]
    refused: str


def charging(battery: Battery) -> Charging:
    """Charge limits by chemistry. A lithium battery without a protection board is refused."""
    cell = CELLS[battery.chemistry]
    refused = ""
    if cell.lithium and not battery.board:
        refused = (
            f"{battery.name} is lithium and has no protection board in its path: Tensimeter plans no "
            "charging of it. Fit a board for its cells first."
        )
    return Charging(
        cell.charge_V * battery.cells, cell.charge_share * battery.capacity_Ah, cell.charge_C, refused
    )
