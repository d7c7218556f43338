"""What a run of a soak has shown of the part it watched: its stages as fitted, its heat, its air."""

from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct

from tensimeter.core.heat_design.measuring_points import (
    JUNCTION_SHARE,
    Scenario,
    as_fitted,
    heats,
    hot_of,
    limit_C,
    steady_spot_C,
)
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.readings import Reading, real_ones
from tensimeter.core.model.job import Job
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.testplan.soak.estimation import fitted_stages
from tensimeter.core.testplan.soak.run import SoakRun, amps_of, loads_beside, soak_runs
from tensimeter.core.testplan.step import Plan
from tensimeter.core.thermal.rc_ladder import CauerLadder, Fitted
from tensimeter.core.thermal.remedies import Part, Remedy, changes, remedies

#: Stages that are drawn from a fit to tell how far a figure strays.
DRAWN = 400


class Shown(Struct, frozen=True, eq=False, dict=True):
    """W lost in the part and elsewhere inside at the last load; °C of the room, and what it may get."""

    job: Job
    link: str
    name: str
    fit: Fitted
    own_W: float
    rest_W: float
    room_C: float
    limit_C: float
    part: HotPart

    @property
    def air_C(self) -> float:
        """The air at the sink, by the fitted box."""
        return self._air_C(self.fit.stages)

    def _air_C(self, stages: CauerLadder) -> float:
        return self.room_C + stages.theta_K_W.get("air", 0.0) * (self.own_W + self.rest_W)

    @cached_property
    def drawn(self) -> list[tuple[CauerLadder, float]]:
        """Stages as the fit leaves them open, each with a θ inside the part."""
        rng, stages = np.random.default_rng(9), self.fit.drawn(DRAWN)
        inside = self.part.junction_K_W * (1 + JUNCTION_SHARE * rng.standard_normal(len(stages)))
        return list(zip(stages, inside.tolist(), strict=True))

    def as_part(
        self, limit_C: float, stages: CauerLadder | None = None, junction_K_W: float | None = None
    ) -> Part:
        """The part with its stages as fitted, or as drawn from what the fit leaves open."""
        stages = stages or self.fit.stages
        theta = stages.theta_K_W
        inside = self.part.junction_K_W if junction_K_W is None else junction_K_W
        return Part(self.own_W, 1, inside, theta["case"], theta["sink"], self._air_C(stages), limit_C)

    def remedies(self) -> list[tuple[Remedy, Interval]]:
        """What would make it cooler, what buys most first; each with the 95 % of its hottest °C."""
        limit, design = self.limit_C, self.fit.design.theta_K_W
        blown = self.part.sink.blown_K_W if self.part.sink else None

        def better(part: Part) -> tuple[Part, float | None, float | None]:
            # The fan's air helps a sink that is worse than designed as much as it would have helped that one.
            # Its mounting is no remedy that could be told where nothing was read before the sink.
            seated = design["case"] if "case" in self.fit.read else None
            return part, blown and blown * part.sink_K_W / design["sink"], seated

        best = self.as_part(limit)
        ranked = remedies(*better(best))
        ends = np.array(
            [[new.hottest_C for _, new in changes(*better(self.as_part(limit, *one)))] for one in self.drawn]
        )
        order = [words for words, _ in changes(*better(best))]
        spread = [np.quantile(ends[:, order.index(r.what)], [0.025, 0.975]) for r in ranked]
        return [
            (r, Interval(r.hottest_C, min(low, r.hottest_C), max(high, r.hottest_C)))
            for r, (low, high) in zip(ranked, spread, strict=True)
        ]

    def junction(self, scenario: Scenario) -> Interval:
        """°C of its junction in the end where something is otherwise, 95 %."""
        ends = [steady_spot_C(s, self.own_W, self.rest_W, inside, scenario) for s, inside in self.drawn]
        low, middle, high = np.quantile(ends, [0.025, 0.5, 0.975])
        return Interval(float(middle), float(low), float(high))


def as_soaked(
    job: Job, read_in: Callable[[str], Sequence[Reading]], plan_of: Callable[[str], Plan | None]
) -> Job:
    """The job with its heat as its latest soak has shown it; as designed while none has.

    `read_in` gives the readings of a test, `plan_of` its plan.
    """
    for test in reversed(job.campaign.tests):
        mine = read_in(test.id) if test.soaks else ()
        plan = plan_of(test.id) if mine else None
        # What was simulated says nothing of one's own supply; a demo is simulated as a whole.
        live = mine if job.demo else real_ones(mine)
        runs = soak_runs(live, test.output) if plan is not None else []
        found = fitted_stages(job, plan, runs[-1]) if plan is not None and runs else None
        if found is not None:
            return as_fitted(job, found[0], found[1].stages)
    return job


def shown(job: Job, plan: Plan, run: SoakRun) -> Shown | None:
    """What a run has shown; None where the places of its part were not read."""
    found = fitted_stages(job, plan, run)
    if found is None:
        return None
    link, fit = found
    amps = amps_of(plan, run)[-1:]
    beside = {o: a[-1:] for o, a in loads_beside(job, run).items()}
    own, rest = heats(job, plan.output.id, amps, link, beside)
    limit = limit_C(job, link, plan.output.id, amps[0], beside)
    room = run.track("ambient")[1][-5:]
    room_C = float(np.mean(room)) if len(room) else job.settings.ambient_C
    name = job.design.link(link).name
    return Shown(job, link, name, fit, float(own[0]), float(rest[0]), room_C, limit, hot_of(job, link))
