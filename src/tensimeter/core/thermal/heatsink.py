"""Heat sinks: several devices on one, the sink that is needed, and the air inside a box."""

import math
from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.errors import UserError

#: Air at 20 °C: kg/m³ and J/(kg·K).
AIR_DENSITY, AIR_HEAT = 1.204, 1006.0
#: Stefan–Boltzmann constant, W/(m²·K⁴) (CODATA).
SIGMA = 5.670374e-8
#: Free convection from a small box's outside, W/(m²·K), and how well paint or oxide radiates.
CONVECTION, EMISSIVITY = 5.0, 0.9


class SinkFigures(Struct, frozen=True):
    """What a sink sheds heat with: K/W in still air and in the fan's, J/K."""

    still_K_W: float
    blown_K_W: float | None
    capacity_J_K: float


class Mounted(Struct, frozen=True):
    """Temperatures of devices that share a sink: °C, hottest first where asked."""

    sink_C: float
    case_C: tuple[float, ...]
    junction_C: tuple[float, ...]

    @property
    def hottest_C(self) -> float:
        """The hottest junction, °C."""
        return max(self.junction_C)


def shares(count: int, mismatch: float) -> tuple[float, ...]:
    """How devices in parallel share: one takes `mismatch` more than its part, the rest the remainder.

    >>> shares(2, 0.2)
    (0.6, 0.4)
    """
    if count < 1 or mismatch < 0 or (1 + mismatch) / count > 1:
        raise UserError("At least one device; its mismatch must leave something for the others.")
    first = (1 + mismatch) / count
    return (first, *[(1 - first) / (count - 1)] * (count - 1)) if count > 1 else (1.0,)


def mounted(
    power_W: Sequence[float], sink_ohm: float, case_ohm: float, junction_ohm: float, ambient_C: float = 25.0
) -> Mounted:
    """Devices of these powers on one sink.

    Parameters
    ----------
    power_W : sequence of float
        Of each device, W.
    sink_ohm, case_ohm, junction_ohm : float
        θ sink to air, case to sink and junction to case, K/W.
    ambient_C : float
        The air at the sink: inside a box it is warmer than the room.

    Returns
    -------
    Mounted
        Tj = Ta + ΣP·θsa + P·(θcs + θjc) of each, and the sink.

    Examples
    --------
    20 W through 1 + 0.5 + 1.5 K/W over 25 °C.

    >>> mounted([20.0], 1.0, 0.5, 1.5).hottest_C
    85.0
    """
    if min([*power_W, sink_ohm, case_ohm, junction_ohm]) < 0:
        raise UserError("Powers and thermal resistances are zero or above.")
    sink = ambient_C + sum(power_W) * sink_ohm
    cases = tuple(sink + p * case_ohm for p in power_W)
    return Mounted(sink, cases, tuple(c + p * junction_ohm for c, p in zip(cases, power_W, strict=True)))


def sink_needed(
    power_W: Sequence[float], case_ohm: float, junction_ohm: float, limit_C: float, ambient_C: float = 25.0
) -> float:
    """The largest θ of a sink that keeps the hottest junction at or below its limit.

    Parameters
    ----------
    power_W, case_ohm, junction_ohm, ambient_C
        As for `mounted`.
    limit_C : float
        Of the junction, °C.

    Returns
    -------
    float
        θsa, K/W.

    Raises
    ------
    UserError
        If none does.
    """
    total, most = sum(power_W), max(power_W, default=0.0)
    if total <= 0:
        raise UserError("Without power no sink is needed.")
    room = limit_C - ambient_C - most * (case_ohm + junction_ohm)
    if room <= 0:
        raise UserError(
            f"{most:.3g} W in one device heats it {most * (case_ohm + junction_ohm):.3g} K above its sink: "
            "no sink is big enough. Share the power among more devices, or mount them better."
        )
    return room / total


def air_rise_K(power_W: float, flow_m3_s: float) -> float:
    """How much air warms on its way through a box.

    Parameters
    ----------
    power_W, flow_m3_s : float
        Heat that it takes with it, W, and its flow, m³/s.

    Returns
    -------
    float
        ΔT = P/(ρ·c·Q), K.

    Raises
    ------
    UserError
        Without a flow.
    """
    if flow_m3_s <= 0:
        raise UserError("The flow of air must be above zero; without a fan the box's surface counts.")
    return power_W / (AIR_DENSITY * AIR_HEAT * flow_m3_s)


def closed_box_rise_K(power_W: float, surface_m2: float, ambient_C: float = 20.0) -> float:
    """Rise of a closed box's wall over the room.

    Parameters
    ----------
    power_W, surface_m2 : float
        Heat that it sheds, W, and its outer surface, m².
    ambient_C : float
        The room, °C.

    Returns
    -------
    float
        K.

    Notes
    -----
    P = A·(h·ΔT + ε·σ·(T⁴ − Ta⁴)), free convection and radiation, solved by Newton's method (it is
    convex and rising).
    """
    if power_W < 0 or surface_m2 <= 0:
        raise UserError("Power is zero or above, the surface above zero.")
    ambient, rise = ambient_C + 273.15, 0.0
    for _ in range(60):
        wall = ambient + rise
        shed = surface_m2 * (CONVECTION * rise + EMISSIVITY * SIGMA * (wall**4 - ambient**4))
        slope = surface_m2 * (CONVECTION + 4 * EMISSIVITY * SIGMA * wall**3)
        step = (power_W - shed) / slope
        rise += step
        if math.fabs(step) < 1e-10:
            break
    return rise
