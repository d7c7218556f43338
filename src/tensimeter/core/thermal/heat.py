"""Heat of a design at an operating point: what is lost where, the air inside, the hot spots."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.electrical.solver import Solution
from tensimeter.core.explain import Given, Worked
from tensimeter.core.job.document import Job
from tensimeter.core.job.parts import Converter, Donor


@dataclass(frozen=True)
class HotSpot:
    """The hottest place of one converter; °C, W, s; arrays over operating points."""

    link: str
    name: str
    loss_W: Array
    air_C: Figure
    sink_C: Array
    hot_C: Array
    limit_C: float
    time_constant_s: float
    #: Rise of the hot spot above the sink, which is there at once.
    above_sink_K: Array

    def minutes(self) -> Array:
        """Minutes from cold to the limit: infinite where it never gets there, 0 where at once.

        The sink rises as 1 − exp(−t/τ); hot spot above sink and air inside follow at once.
        """
        sink_rise = np.asarray(self.sink_C - self.air_C, float)
        room = self.limit_C - self.air_C - self.above_sink_K
        with np.errstate(divide="ignore", invalid="ignore"):
            share = room / sink_rise
            seconds = -self.time_constant_s * np.log1p(-np.clip(share, 0.0, 1.0))
        return np.where(share >= 1, np.inf, seconds / 60)

    def worked(self) -> Worked:
        """Why it gets this hot; for a single operating point."""
        sink = float(self.sink_C)
        return Worked(
            f"Hot spot of {self.name}",
            "T = T_air + P·(θ_sink + θ_switch)",
            (
                Given("T_air", "air inside", float(self.air_C), "C"),
                Given("P", "lost in it", float(self.loss_W), "W"),
                Given("P·θ_sink", "rise of its sink", sink - float(self.air_C), "K"),
                Given("P·θ_switch", "hot spot above its sink", float(self.above_sink_K), "K"),
            ),
            float(self.hot_C),
            "C",
            ("all its loss heats the hot spot; long after the load is on",),
            "Thermal resistances in series",
        )


def losses(job: Job, solution: Solution) -> dict[str, Array]:
    """What each link turns into heat inside the box, in W by link id; leads lie outside."""
    found = {}
    for link in job.design.links:
        part, point = job.part(link.part), solution.points.get(link.id)
        if point is None or link.kind in ("lead", "output"):
            continue
        lost = point.loss
        if isinstance(part, Donor):
            below = solution[link.fed_by].V if link.fed_by else 0.0
            lost = (point.V - below) * point.I * (1 / part.efficiency - 1)
        found[link.id] = np.asarray(lost)
    return found


def inside_air_C(job: Job, solution: Solution) -> Figure:
    """Temperature in °C of the air inside, from all that is lost there."""
    if not job.settings.box_K_W:
        return job.settings.ambient_C
    total = sum(losses(job, solution).values(), start=np.float64(0.0))
    return np.asarray(job.settings.ambient_C + job.settings.box_K_W * total)


def hot_spots(job: Job, solution: Solution) -> list[HotSpot]:
    """Every converter whose thermal resistances are known, at the solution's operating points."""
    air, found = inside_air_C(job, solution), []
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(part, Converter) or part.sink_K_W is None or link.id not in solution.points:
            continue
        loss = solution[link.id].loss
        above = np.asarray(loss * (part.switch_K_W or 0.0))
        sink = np.asarray(air + loss * part.sink_K_W)
        found.append(
            HotSpot(
                link.id, link.name, loss, air, sink, sink + above, part.hot_limit_C,
                part.sink_K_W * part.sink_J_K, above,
            )
        )  # fmt: skip
    return found
