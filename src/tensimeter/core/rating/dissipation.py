"""Heat of a design at an operating point: what is lost where, the air inside, the hot spots."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import SinkPart
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import HEATED, ConverterLink, Link
from tensimeter.core.rating.fan_cooling import (
    FanStep,
    Phase,
    box_resistance,
    fan_of,
    fan_steps,
    resistance_at,
    seconds_to,
    settled,
    still_air_K_W,
)
from tensimeter.core.thermal.derating import hottest_at
from tensimeter.core.thermal.heatsink import SinkFigures


class HotSpot(Struct, frozen=True):
    """The hottest place of one part; °C, W, s; arrays over operating points."""

    link: str
    name: str
    loss_W: Array
    air_C: Figure
    sink_C: Array
    hot_C: Array
    limit_C: Figure
    #: Rise of the hot spot above the sink, which is there at once.
    above_sink_K: Array
    #: How its sink warms, phase by phase as the fan comes on; one phase without a fan.
    phases: tuple[Phase, ...]

    @property
    def time_constant_s(self) -> float:
        """The slowest of its phases."""
        return max(phase.time_constant_s for phase in self.phases)

    def minutes(self) -> Array:
        """Minutes from cold to the limit: infinite where it never gets there, 0 where at once.

        The sink rises as 1 − exp(−t/τ); hot spot above sink and air inside follow at once.
        """
        return seconds_to(self.phases, self.air_C, self.limit_C - self.above_sink_K) / 60

    def worked(self) -> Derivation:
        """Why it gets this hot; for a single operating point."""
        sink = float(self.sink_C)
        assumed = ["all its loss heats the hot spot; long after the load is on"]
        if len(self.phases) > 1:
            assumed.append("the fan's sensor sits on this sink; where the fan hunts, the top of the swing")
        return Derivation(
            f"Hot spot of {self.name}",
            "T = T_air + P·(θ_sink + θ_switch)",
            (
                Input("T_air", "air inside", float(self.air_C), "C"),
                Input("P", "lost in it", float(self.loss_W), "W"),
                Input("P·θ_sink", "rise of its sink", sink - float(self.air_C), "K"),
                Input("P·θ_switch", "hot spot above its sink", float(self.above_sink_K), "K"),
            ),
            float(self.hot_C),
            "C",
            tuple(assumed),
            "Thermal resistances in series",
        )


def losses(job: Job, solution: Solution) -> dict[str, Array]:
    """What each link turns into heat inside the box, in W by link id; leads lie outside."""
    found = {}
    for link in job.design.links:
        point = solution.points.get(link.id)
        if point is None or link.kind in ("lead", "output"):
            continue
        part = job.part(link.part)
        lost = part.loss_W(job, link, solution) if isinstance(part, SourcePart) else point.loss
        # What a fan or a meter takes for itself stays inside as well.
        found[link.id] = point.V * point.I if link.kind in HEATED else np.asarray(lost)
    return found


def wall_W(job: Job, solution: Solution) -> Array:
    """W that all sources take in: what each gives at its own terminals, and what it loses by itself."""
    taken: list[Array] = []
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, SourcePart) and link.id in solution.points:
            point = solution[link.id]
            below = solution[link.fed_by].V if link.fed_by else 0.0
            taken.append(np.asarray((point.V - below) * point.I + part.loss_W(job, link, solution)))
    return np.asarray(sum(taken, start=np.float64(0.0)))


def inside_air_C(job: Job, solution: Solution, speed: float = 0.0) -> Figure:
    """Temperature in °C of the air inside, from all that is lost there, at a share of the fan's speed."""
    ohms = box_resistance(still_air_K_W(job), fan_of(job), speed)
    if not ohms:
        return job.settings.ambient_C
    total = sum(losses(job, solution).values(), start=np.float64(0.0))
    return np.asarray(job.settings.ambient_C + ohms * total)


def hot_spots(job: Job, solution: Solution) -> list[HotSpot]:
    """Every converter whose thermal resistances are known, at the solution's operating points."""
    steps, found = fan_steps(job), []
    speeds = (
        [0.0, *(s.speed for s in steps)] if not steps or np.isfinite(steps[0].from_C) else [steps[0].speed]
    )
    air = [inside_air_C(job, solution, speed) for speed in speeds]
    lost: dict[str, Array] | None = None
    for link in job.design.links:
        hot = hot_part_of(job, link)
        if hot is None or hot.sink is None or link.id not in solution.points:
            continue
        lost = losses(job, solution) if lost is None else lost
        loss, amps = lost[link.id] * hot.loss_share, solution[link.id].I * hot.current_share
        found.append(_hot_spot(link, hot, hot.sink, loss, amps, speeds, air, steps))
    return found


def hottest_allowed_C(hot: HotPart, amps: Figure) -> Figure:
    """°C that a hot spot may come to: its limit, and by its derating curve less at many amps through it."""
    if len(hot.derating) < 2:
        return hot.limit_C
    curve = [(point.hot_C, point.amps) for point in hot.derating]
    return np.minimum(hot.limit_C, hottest_at(curve, amps))


def hot_part_of(job: Job, link: Link) -> HotPart | None:
    """What gets hottest in a link's part, on the sink it stands on; None where nothing is told of it."""
    part = job.part(link.part)
    hot = part.hot_part() if isinstance(part, PathPart) else None
    other = job.part(link.sink) if isinstance(link, ConverterLink) else None
    return replace(hot, sink=other.as_sink()) if hot and isinstance(other, SinkPart) else hot


def _hot_spot(
    link: Link,
    hot: HotPart,
    sink: SinkFigures,
    loss: Array,
    amps: Array,
    speeds: Sequence[float],
    air: Sequence[Figure],
    steps: Sequence[FanStep],
) -> HotSpot:
    begins = [-np.inf, *(s.from_C for s in steps)][-len(speeds) :]
    back = [-np.inf, *(s.back_C for s in steps)][-len(speeds) :]
    phases = []
    for k, (speed, inside) in enumerate(zip(speeds, air, strict=True)):
        ohms = resistance_at(sink.still_K_W, sink.blown_K_W, speed)
        ends = begins[k + 1] if k + 1 < len(speeds) else np.inf
        final = np.asarray(inside + loss * ohms)
        phases.append(Phase(final, ohms * sink.capacity_J_K, begins[k], back[k], ends, speed))
    above = np.asarray(loss * (hot.above_sink_K_W or 0.0))
    held = settled(phases)
    limit = hottest_allowed_C(hot, amps)
    name = f"{link.name}, {hot.what}" if hot.what else link.name
    return HotSpot(link.id, name, loss, air[0], held, held + above, limit, above, tuple(phases))
