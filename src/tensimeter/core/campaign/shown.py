"""What a run of a soak has shown of the part it watched: its stages as fitted, its heat, its air."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.campaign.soakrun import SoakRun, amps_of
from tensimeter.core.campaign.step import Plan
from tensimeter.core.campaign.warmed import fitted_stages
from tensimeter.core.job.document import Job
from tensimeter.core.job.parts import Converter
from tensimeter.core.judge import Interval
from tensimeter.core.thermal.places import JUNCTION_SHARE, Scenario, heats, steady_spot_C
from tensimeter.core.thermal.remedies import Part, Remedy, remedies
from tensimeter.core.thermal.stages import Fitted

#: Stages that are drawn from a fit to tell how far a figure strays.
DRAWN = 400


@dataclass(frozen=True)
class Shown:
    """W lost in the part and elsewhere inside at the last load; °C of the room."""

    job: Job
    link: str
    name: str
    fit: Fitted
    own_W: float
    rest_W: float
    room_C: float
    part: Converter

    @property
    def air_C(self) -> float:
        """The air at the sink, by the fitted box."""
        box = self.fit.stages.theta_K_W.get("air", 0.0)
        return self.room_C + box * (self.own_W + self.rest_W)

    def as_part(self, limit_C: float) -> Part:
        theta = self.fit.stages.theta_K_W
        inside = self.part.junction_K_W
        return Part(self.own_W, 1, inside, theta["case"], theta["sink"], self.air_C, limit_C)

    def remedies(self) -> list[Remedy]:
        """What would make it cooler, what buys most first."""
        part = self.as_part(self.part.hot_limit_C)
        return remedies(part, self.part.sink_blown_K_W, self.fit.design.theta_K_W["case"])

    def junction(self, scenario: Scenario) -> Interval:
        """°C of its junction in the end where something is otherwise, 95 %."""
        rng, drawn = np.random.default_rng(9), self.fit.drawn(DRAWN)
        inside = self.part.junction_K_W * (1 + JUNCTION_SHARE * rng.standard_normal(len(drawn)))
        ends = [
            steady_spot_C(s, self.own_W, self.rest_W, float(k), scenario)
            for s, k in zip(drawn, inside, strict=True)
        ]
        low, middle, high = np.quantile(ends, [0.025, 0.5, 0.975])
        return Interval(float(middle), float(low), float(high))


def shown(job: Job, plan: Plan, run: SoakRun) -> Shown | None:
    """What a run has shown; None where the places of its part were not read."""
    found = fitted_stages(job, plan, run)
    if found is None:
        return None
    link, fit = found
    part = job.part(job.design.link(link).part)
    assert isinstance(part, Converter)
    own, rest = heats(job, plan.output.id, amps_of(plan, run)[-1:], link)
    room = run.track("ambient")[1][-5:]
    room_C = float(np.mean(room)) if len(room) else job.settings.ambient_C
    return Shown(job, link, job.design.link(link).name, fit, float(own[0]), float(rest[0]), room_C, part)
