"""How quietly a fan may turn: the least speed that keeps every part under its limit at its worst.

From that its thresholds, or a curve of volts over its sink's temperature that a controller may follow.
"""

from collections.abc import Iterable, Mapping
from functools import cached_property, reduce

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.design.reach import adjustable, volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import as_fitted, chain, heats, watched
from tensimeter.core.measurement.readings import Reading, standing
from tensimeter.core.model.edits import with_link
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import BlowerPart
from tensimeter.core.path import FanLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.fan_cooling import fan_V
from tensimeter.core.rating.fan_speed import AtSpeeds, at_speeds, worse
from tensimeter.core.testplan.soak.identified import as_soaked
from tensimeter.core.testplan.step import Plan
from tensimeter.core.thermal.fan import hunting
from tensimeter.core.thermal.rc_ladder import CauerLadder
from tensimeter.core.tuning.fan_sweep import FanRow, FanSweep, fan_sweep

#: K that every part is kept below its limit; what a sensor at the sink is off by; both may be changed.
KEEP_K, SENSOR_K = 10.0, 2.0
#: A fan that comes and goes more often than this is a nuisance, s; K between on and off, least and most.
LEAST_PERIOD_S, LEAST_BETWEEN_K, MOST_BETWEEN_K = 120.0, 4.0, 25.0
#: K over which a curve rises, its steps, and speeds that are tried.
CURVE_K, CURVE_STEPS, TRIED = 15.0, 7, 101
#: Shares of the worst heat at which it is looked whether a fan hunts.
SHARES = tuple(np.linspace(0.1, 1.0, 181).tolist())


class CurvePoint(Struct, frozen=True):
    """One point of a curve: °C of the sink, volts of the fan, its share of full speed, its loudness."""

    sink_C: float
    volts: float
    speed: float
    loud_dB: float | None


class SinkFound(Struct, frozen=True):
    """A sink's K/W as the rows say, as a share of the design's: its mean, and how far the rows stray."""

    link: str
    share: float
    spread: float
    rows: int


class FanPlan(Struct, frozen=True, eq=False, dict=True):
    """A fan against the parts that it cools, each at its worst operating point and in the warmest room."""

    job: Job
    sweep: FanSweep
    volts: Array
    parts: tuple[AtSpeeds, ...]
    found: tuple[SinkFound, ...]
    keep_K: float

    @cached_property
    def room_K(self) -> Array:
        """What is left of the hottest part to its limit less `keep_K`, at each of `volts`."""
        return np.asarray(np.min([p.room_K for p in self.parts], axis=0) - self.keep_K)

    @cached_property
    def quietest(self) -> int | None:
        """Which of `volts` is the lowest that keeps all parts cool enough; None where none does."""
        held = np.flatnonzero(self.room_K >= 0)
        return int(held[0]) if len(held) else None

    @property
    def quietest_V(self) -> float | None:
        """The lowest volts that hold at the worst operating point; 0: it may stand still there."""
        return None if self.quietest is None else float(self.volts[self.quietest])

    @property
    def hottest(self) -> AtSpeeds:
        """The part nearest to its limit at the quietest setting, or at full speed where none holds."""
        at = self._at
        return min(self.parts, key=lambda p: float(p.room_K[at]))

    @property
    def _at(self) -> int:
        return len(self.volts) - 1 if self.quietest is None else self.quietest

    @property
    def unseen(self) -> tuple[AtSpeeds, ...]:
        """Parts that need the fan as well, though its sensor sits on another one's sink."""
        return tuple(p for p in self.parts if p is not self.hottest and p.room_K[0] < self.keep_K)

    @cached_property
    def top_C(self) -> float:
        """°C of the sink at which the hottest part is `keep_K` below its limit, less a sensor's error."""
        p, at = self.hottest, self._at
        above = float(p.hot_C[at] - p.sink_C[at])
        return float(p.limit_C[at]) - self.keep_K - above - SENSOR_K

    @cached_property
    def thresholds(self) -> tuple[float, float] | None:
        """°C of the sink at which it comes on and goes off; None where it need not turn, or can't hold.

        As close as lets it come and go no oftener than every `LEAST_PERIOD_S` at any heat.
        """
        if not self.quietest_V:
            return None
        for between in np.arange(LEAST_BETWEEN_K, MOST_BETWEEN_K + 1, 1.0).tolist():
            if self.period_s(between) >= LEAST_PERIOD_S:
                return self.top_C, self.top_C - between
        return self.top_C, self.top_C - MOST_BETWEEN_K

    def period_s(self, between_K: float) -> float:
        """The shortest time from one coming on to the next, over all heats, s; infinite: it never hunts."""
        p, at = self.hottest, self._at
        room = self.job.settings.warmest_C
        power = float(p.own_W[at])
        still = (float(p.sink_C[0]) - room) / float(p.own_W[0])
        blown = (float(p.sink_C[at]) - room) / power
        if not still > blown > 0:
            return float("inf")
        ends = (self.top_C, self.top_C - between_K)
        found = [hunting(power * s, room, still, blown, p.capacity_J_K, *ends).period_s for s in SHARES]
        return min((x for x in found if x is not None), default=float("inf"))

    @property
    def back_K(self) -> float:
        """How much colder its sink must be before it slows down again than where it sped up."""
        return self.thresholds[0] - self.thresholds[1] if self.thresholds else LEAST_BETWEEN_K

    @cached_property
    def curve(self) -> tuple[CurvePoint, ...]:
        """Volts over the sink's °C: from where it starts up to full; empty where it need not turn."""
        if self.quietest_V == 0:
            return ()
        sinks = np.linspace(self.top_C - CURVE_K, self.top_C, CURVE_STEPS)
        volts = np.linspace(self.sweep.least_V, self.sweep.full_V, CURVE_STEPS)
        return tuple(
            CurvePoint(round(float(c), 1), round(v, 2), self.sweep.speed(v), self.sweep.loud_dB(v))
            for c, v in zip(sinks, volts.tolist(), strict=True)
        )


def fan_plan(
    job: Job, readings: Iterable[Reading], plans: Mapping[str, Plan | None], keep_K: float = KEEP_K
) -> FanPlan:
    """What a design's fan must do, by what was read of it and by the heat as soaks and rows have shown it.

    UserError where there is no fan, or where no part says how it sheds its heat: of that nothing is guessed.
    """
    if not 0 <= keep_K <= 100:
        raise UserError("Parts are kept 0 to 100 K below their limits.")
    link = next((x for x in job.design.links if isinstance(x, FanLink)), None)
    fan = job.part(link.part) if link is not None else None
    if link is None or not isinstance(fan, BlowerPart):
        raise UserError("There is no fan in this design; put one on a rail in Design, and read it here.")
    rows = list(readings)
    sweep = fan_sweep(job, rows, fan, fan_V(job, link, fan))
    by_test: dict[str, list[Reading]] = {}
    for r in standing(rows):
        if r.test is not None:
            by_test.setdefault(r.test, []).append(r)
    warm = as_soaked(job, lambda test: by_test.get(test, []), plans.get)
    found = _sinks(warm, sweep)
    for one in found:
        warm = _with_sink(warm, one)
    volts = np.concatenate([[0.0], np.linspace(sweep.least_V, sweep.full_V, TRIED)])
    speeds = np.array([sweep.speed(v) for v in volts.tolist()])
    parts = [_told(at_speeds(one, speeds), words) for words, one in _settings(warm)]
    if not parts[0]:
        raise UserError(
            "No part of this design says how it sheds its heat; give a converter K/W of switch and sink."
        )
    return FanPlan(
        warm, sweep, volts, tuple(reduce(worse, of) for of in zip(*parts, strict=True)), found, keep_K
    )


def _told(parts: list[AtSpeeds], words: str) -> list[AtSpeeds]:
    """Parts whose states say to what volts an output was set."""
    if not words:
        return parts
    return [replace(p, states=tuple(replace(s, load=f"{s.load}, {words}") for s in p.states)) for p in parts]


def _settings(job: Job) -> list[tuple[str, Job]]:
    """The job as set, and with each adjustable output at either end: low, a linear part is hottest."""
    found = [("", job)]
    for output in job.design.outputs():
        if not output.adjustable:
            continue
        try:
            converter, ends = adjustable(job, output.id), volts_span(job, output.id)
        except UserError:
            continue
        found += [
            (
                f"{output.name} set to {show(v, 'V', 3)}",
                with_link(job, converter.model_copy(update={"set_V": v})),
            )
            for v in ends
        ]
    return found


def _sinks(job: Job, sweep: FanSweep) -> tuple[SinkFound, ...]:
    """Each sink that was read beside the fan: how much better or worse than it was taken for."""
    shares: dict[str, list[float]] = {}
    for row in sweep.rows:
        for link, celsius in row.sinks_C:
            share = _share(job, sweep, row, link, celsius)
            if share is not None:
                shares.setdefault(share[0], []).append(share[1])
    return tuple(
        SinkFound(link, float(np.exp(np.mean(np.log(of)))), float(np.ptp(of)), len(of))
        for link, of in shares.items()
    )


def _share(job: Job, sweep: FanSweep, row: FanRow, place: str, celsius: float) -> tuple[str, float] | None:
    """A sink's K/W by one row as a share of the design's; None where what flowed or its part is not known."""
    loaded = max(row.amps, key=lambda of: of[1], default=None)
    if loaded is None or loaded[1] <= 0:
        return None
    try:
        link = place or watched(job, loaded[0])
        own, rest = (float(w[0]) for w in heats(job, loaded[0], (loaded[1],), link))
        stages = chain(job, link, sweep.speed(row.volts) if row.rpm != 0 else 0.0)
    except (KeyError, UserError):
        return None
    if stages is None or own <= 0:
        return None
    room = row.room_C if row.room_C is not None else job.settings.ambient_C
    rise = celsius - room - stages.theta_K_W.get("air", 0.0) * (own + rest)
    share = rise / own / stages.theta_K_W["sink"]
    return (link, share) if 0.1 < share < 10 else None


def _with_sink(job: Job, found: SinkFound) -> Job:
    """The job with a sink as it was found."""
    stages = chain(job, found.link)
    assert stages is not None
    theta = {**stages.theta_K_W, "sink": stages.theta_K_W["sink"] * found.share}
    return as_fitted(job, found.link, CauerLadder(theta, stages.capacity_J_K))
