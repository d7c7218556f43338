"""A closed box: what its air warms by for each watt that is lost in it."""

import math

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.thermal.heatsink import AIR_DENSITY, AIR_HEAT, CONVECTION, EMISSIVITY, SIGMA

#: Inside, between air and wall: free convection alone, W/(m²·K); what parts radiate to the wall is left out.
INSIDE = 5.0
#: A plastic wall: m, and W/(m·K) of the usual kinds: rules of thumb. A metal one is no hindrance.
PLASTIC_M, PLASTIC_W_MK = 0.003, 0.2
#: Rise at which a vent's draught is taken, K, and how much of its area counts (a sharp-edged opening).
DRAUGHT_K, DISCHARGE = 10.0, 0.6
GRAVITY = 9.81


class Enclosure(Struct, frozen=True):
    """A box in m; `vents_m2` are its openings, half of them low and half of them high."""

    length_m: float
    width_m: float
    height_m: float
    metal: bool = True
    vents_m2: float = 0.0

    @property
    def surface_m2(self) -> float:
        """Its outside but for the floor that it stands on, m²."""
        around = 2 * (self.length_m + self.width_m) * self.height_m
        return self.length_m * self.width_m + around


def air_K_W(box: Enclosure, ambient_C: float = 20.0) -> float:
    """Rise of the air in a box over the room for each watt lost in it.

    Parameters
    ----------
    box : Enclosure
        Its size, wall and openings.
    ambient_C : float
        The room, °C.

    Returns
    -------
    float
        K/W, on the high side: what parts radiate to the walls and what its floor passes on is left out.

    Raises
    ------
    UserError
        For a box without a surface.

    Notes
    -----
    Two films and the wall in series, R = (1/h_i + d/k + 1/h_o)/A with h_o = h + 4·ε·σ·T³ (free convection
    and radiation, the latter straightened at the room's temperature); beside them the draught through the
    vents, Q = C_d·A·√(2·g·Δh·ΔT/T) of the stack effect at a rise of 10 K, two openings in series.
    """
    if box.surface_m2 <= 0:
        raise UserError("A box has a length, a width and a height above zero.")
    room = ambient_C + 273.15
    outside = CONVECTION + 4 * EMISSIVITY * SIGMA * room**3
    wall = 0.0 if box.metal else PLASTIC_M / PLASTIC_W_MK
    through_walls = box.surface_m2 / (1 / INSIDE + wall + 1 / outside)
    each = box.vents_m2 / 2 / math.sqrt(2)
    flow = DISCHARGE * each * math.sqrt(2 * GRAVITY * box.height_m / 2 * DRAUGHT_K / room)
    return 1 / (through_walls + AIR_DENSITY * AIR_HEAT * flow)
