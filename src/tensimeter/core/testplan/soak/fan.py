"""The fan of a supply in a run of a soak: when it turned by its thresholds, and what it holds a place at."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.heat_design.fanned import SENSOR_K, Rung, held, rungs, turns
from tensimeter.core.heat_design.measuring_points import MOUNTING_SHARE, chain, heats, stage_of, thermometer
from tensimeter.core.heatup.forecast import Forecast
from tensimeter.core.heatup.record import HeatUp
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import show
from tensimeter.core.testplan.soak.run import FIRST_SCANS, SoakRun, amps_of, loads_beside
from tensimeter.core.testplan.step import Plan

#: K that the difference of two places strays as read, and how many readings of it are taken.
BETWEEN_K, LATEST = 0.5, 5


class FanInSoak(Struct, frozen=True, eq=False):
    """A converter's fan in a run: W there and elsewhere at each load, K of the place above its sink.

    `turned` is when it went to which rung by the design's thresholds: a fan that does not come on shows
    itself in what follows. `measured` is whether the sink was read; else the design tells.
    """

    job: Job
    link: str
    own_W: Array
    rest_W: Array
    turned: tuple[tuple[float, int], ...]
    above_sink_K: float
    measured: bool

    def part(self, record: HeatUp) -> tuple[HeatUp, int]:
        """The latest stretch of a record at one speed of the fan that is long enough, and its rung."""
        ends = [*(t for t, _ in self.turned), np.inf]
        begins = [(-np.inf, 0), *self.turned]
        for (begin, at), end in reversed(list(zip(begins, ends, strict=True))):
            stretch = record.between(begin, end)
            if len(stretch.time_s) >= FIRST_SCANS:
                return stretch, at
        return record, 0

    def ladder(self, own_W: float, rest_W: float) -> tuple[Rung, ...]:
        """The fan's steps at a power of its own and of the rest, W."""
        return rungs(self.job, self.link, own_W, rest_W)

    def speed(self, at: int) -> float:
        """The share of full speed at a step."""
        return self.ladder(float(self.own_W[-1]), float(self.rest_W[-1]))[at].speed

    def held_at(
        self, found: Forecast, at: int, room_C: float, by: float, heat_W: tuple[float, float]
    ) -> Array:
        """°C (k,) that the place comes to with the fan turning as it gets there, at `by` times the heat."""
        rng = np.random.default_rng(17)
        final = room_C + (found.final_C - room_C) * by
        share = 1.0 if self.measured else 1 + MOUNTING_SHARE * rng.standard_normal(final.shape)
        # What the fast stage has still to come lies between place and sink.
        between = self.above_sink_K * share + (found.fast_K if self.above_sink_K else 0.0)
        between = by * (between + BETWEEN_K * rng.standard_normal(final.shape) * bool(self.above_sink_K))
        now = found.final_C - found.slow_K - found.fast_K - between / by
        return held(self.ladder(*heat_W), at, now, final - between, room_C, rng) + between

    def words(self, at: int) -> str:
        """What it is about to do, or does."""
        ladder = self.ladder(float(self.own_W[-1]), float(self.rest_W[-1]))
        if at + 1 < len(ladder):
            return f"with its fan, which comes on at {show(ladder[at + 1].from_C, 'C', 3)} of its sink"
        return "with its fan, which may come and go"


def fan_in_soak(job: Job, plan: Plan, run: SoakRun, link: str, place: str) -> FanInSoak | None:
    """The fan of a run; None where the design has none with a choice, or does not say what it does."""
    if stage_of(place) not in ("case", "sink") or len(rungs(job, link, 1.0, 1.0)) < 2:
        return None
    own, rest = heats(job, plan.output.id, amps_of(plan, run), link, loads_beside(job, run))
    time_s, celsius = run.track(place)
    read_s, sink_C = run.track(f"{link}-sink")
    measured = len(read_s) > 0
    if not measured:
        design = chain(job, link)
        assert design is not None
        load = np.searchsorted(run.steps_s, time_s, side="right") - 1
        above = own[np.clip(load, 0, len(own) - 1)] * design.theta_K_W["case"]
        read_s, sink_C = time_s, celsius - (above if stage_of(place) == "case" else 0.0)
    behind = celsius[-LATEST:] - np.interp(time_s[-LATEST:], read_s, sink_C)
    between = float(np.median(behind)) if stage_of(place) == "case" else 0.0
    off = SENSOR_K + thermometer(job).accuracy_K
    found = tuple(turns(rungs(job, link, float(own[-1]), float(rest[-1])), read_s, sink_C, off))
    return FanInSoak(job, link, own, rest, found, between, measured)
