"""The state of a soak worked out from its readings: the forecast, and the stages that it shows."""

from functools import cached_property, lru_cache

import numpy as np
from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import (
    chain,
    expected,
    heats,
    limit_C,
    measuring_points,
    spot_above,
    spot_spread,
    stage_of,
    thermometer,
)
from tensimeter.core.heatup.fit import fit_heat_up
from tensimeter.core.heatup.forecast import Forecast
from tensimeter.core.heatup.record import HeatUp
from tensimeter.core.heatup.runaway import runs_away
from tensimeter.core.heatup.soak_state import Call, SoakState
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import show
from tensimeter.core.testplan.soak.fan import FanInSoak, fan_in_soak
from tensimeter.core.testplan.soak.run import (
    FIRST_SCANS,
    SoakRun,
    amps_of,
    described_link,
    link_of,
    loads_beside,
    place_of,
    record_of,
    room,
    soak_runs,
)
from tensimeter.core.testplan.step import Facts, Plan
from tensimeter.core.thermal.rc_ladder import Fitted, Heating, Track, fit_ladder

#: Chance of passing a limit from which on it is called likely, and sure; below the last it stays below.
LIKELY, SURE, UNLIKELY = 0.5, 0.975, 0.025
#: The growth of the number of scans until it is worked out again.
GROWTH = 1.12
#: How well the heat of the design is known, as a share.
POWER_SHARE = 0.1


def state_of(facts: Facts) -> SoakState | None:
    """The state of the latest run of a soak; None while there is too little.

    Worked out anew only every so often, as its readings grow in number by a share.
    """
    runs = soak_runs(facts.readings, facts.plan.output.id)
    if not runs:
        return None
    # A run that took up where another was stopped says little at first; it still is what counts now.
    return state_at(facts.job, facts.plan, runs[-1])


def state_at(job: Job, plan: Plan, run: SoakRun) -> SoakState | None:
    """Where a soak stands by its readings; None where nothing that counts was read."""
    place = place_of(job, plan, run)
    if place is None:
        return None
    t = run.track(place)[0]
    if len(t) < FIRST_SCANS:
        return None
    link = link_of(job, plan)
    fan = fan_in_soak(job, plan, run, link, place) if link else None
    turned = int(np.searchsorted(t, fan.turned[-1][0])) if fan and fan.turned else 0
    return _state(_Key(job, plan, run, place, _checkpoint(len(t), turned)))


def _checkpoint(count: int, begun: int = 0) -> int:
    """The number of readings up to which it is worked out: one that grows by a share, from a turn on anew."""
    if begun:
        since = count - begun
        return begun + _checkpoint(since) if since >= FIRST_SCANS else _checkpoint(begun)
    wanted = FIRST_SCANS
    while wanted * GROWTH + 1 <= count:
        wanted = int(wanted * GROWTH + 1)
    return wanted


class _Key:
    """What a state is worked out from; equal where test, run and its readings are.

    A reading that was corrected leaves their number as it was: what they sum to counts, too.
    """

    def __init__(self, job: Job, plan: Plan, run: SoakRun, place: str, count: int) -> None:
        self.job, self.plan, self.run, self.place, self.count = job, plan, run, place, count
        campaign = job.campaign
        measured = (campaign.probes, campaign.thermometer, job.policy.proven_when)
        read = tuple(
            (p, float(np.nansum(c[:count]))) for x in (run.celsius, run.beside) for p, c in x.items()
        )
        self.same = (
            plan.test, run.run, run.at, place, count, read, job.settings, job.design, job.stock, measured
        )  # fmt: skip

    def __hash__(self) -> int:
        return hash((self.same[0].id, *self.same[1:5]))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and self.same == other.same


@lru_cache(maxsize=64)
def _state(key: _Key) -> SoakState | None:
    record = record_of(key.job, key.run, key.place, key.count)
    if len(record.time_s) < FIRST_SCANS:
        return None
    seen = _seen(key, record)
    job, test = key.job, key.plan.test
    measured, stretch, rung = seen.foreseen()
    spot, above = seen.on_spot(measured)
    if seen.by != 1.0:
        # What is learnt at part load says already where full load would end.
        spot = spot.scaled(seen.room_C, seen.by)
    limit = seen.limit_C
    measured, spot = seen.with_fan(measured, spot, rung)
    # Beyond what is planned nothing is promised; but a supply is left on for longer than a test.
    ahead = max(getattr(test, "hold_s", 7200.0) - seen.held_s, 2 * measured.time_constant.value)
    chance = spot.chance_above(limit, ahead)
    call = _call(chance, below=spot.final.high < limit)
    steady_K = test.steady_within_K
    away = runs_away(stretch)
    wait = _proven_after(job, measured, steady_K, seen.held_s)
    return SoakState(
        seen.link,
        key.place,
        measuring_points(job).get(key.place, key.place),
        limit,
        measured,
        spot,
        chance,
        call,
        # What climbs ever faster is not steady, however little its fit says is still to come.
        measured.steady(steady_K) and not away,
        away,
        float(record.time_s[-1]),
        seen.held_s,
        wait if seen.full else wait + seen.held_s,
        bool(seen.full and wait <= 0 and call == "stays below" and not away),
        seen.room_C,
        seen.known,
        "" if seen.full or seen.link is None else f"at {show(seen.most_A, 'A', 3)} ",
        above,
        seen.fan.words(rung) if seen.fan and spot.changes else "",
    )


class _Seen(Struct, frozen=True, eq=False, dict=True):
    """A run up to a moment: the record of its place, its loads in A, what is known of part and fan."""

    job: Job
    plan: Plan
    place: str
    record: HeatUp
    link: str | None
    amps: tuple[float, ...]
    #: What each other output carried at those loads, A.
    beside: dict[str, tuple[float, ...]]
    fan: FanInSoak | None
    #: Whether the last load of the plan is on, and whether the design says how heat gets to the junction.
    full: bool
    known: bool

    @property
    def most_A(self) -> float:
        return self.amps[-1] if self.full else max(s.set_A for s in self.plan.steps)

    @property
    def room_C(self) -> float:
        return float(np.broadcast_to(np.asarray(self.record.ambient_C, float), self.record.time_s.shape)[-1])

    @property
    def held_s(self) -> float:
        return float(self.record.time_s[-1]) - (self.record.steps_s[-1] if self.record.steps_s else 0.0)

    @property
    def limit_C(self) -> float:
        """The hottest that the junction may get at the test's largest load; a place's without a junction."""
        if self.link is None or not self.known:
            return self.plan.hottest_C
        most = max([*self.amps, *(s.set_A for s in self.plan.steps)])
        return limit_C(self.job, self.link, self.plan.output.id, most, self.beside)

    @cached_property
    def heats(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """W in the part and elsewhere inside, at the load in hand and at the largest."""
        assert self.link is not None
        beside = {o: (a[-1], a[-1]) for o, a in self.beside.items()}
        own, rest = heats(self.job, self.plan.output.id, (self.amps[-1], self.most_A), self.link, beside)
        return (float(own[0]), float(rest[0])), (float(own[1]), float(rest[1]))

    @cached_property
    def by(self) -> float:
        """How many times as much heat the largest load gives."""
        if self.full or self.link is None:
            return 1.0
        now, then = self.heats
        return then[0] / max(now[0], 1e-6)

    def foreseen(self) -> tuple[Forecast, HeatUp, int]:
        """The forecast of the place with the fan as it is; the stretch it is made from, the fan's rung."""
        stretch, rung = self.fan.part(self.record) if self.fan else (self.record, 0)
        prior = None
        if self.link and stage_of(self.place):
            first = int(np.searchsorted(self.record.steps_s, stretch.on_s, side="right")) - 1
            there = slice(max(first, 0), max(first, 0) + len(stretch.steps_s))
            loads, beside = self.amps[there], {o: a[there] for o, a in self.beside.items()}
            speed = self.fan.speed(rung) if self.fan else None
            prior = expected(self.job, self.plan.output.id, self.link, self.place, loads, speed, beside)
        found = fit_heat_up(stretch, prior)
        return found.read_with(thermometer(self.job).accuracy_K), stretch, rung

    def on_spot(self, measured: Forecast) -> tuple[Forecast, float]:
        """The same of the junction, where the design says how far it is; K that it lies above the place."""
        if self.link is None or not self.known:
            return measured, 0.0
        above = self.heats[0][0] * spot_above(self.job, self.link, self.place)
        spread = above * float(np.hypot(POWER_SHARE, spot_spread(self.place)))
        rng = np.random.default_rng(11)
        return measured.shifted(above + spread * rng.standard_normal(measured.final_C.shape)), above

    def with_fan(self, measured: Forecast, spot: Forecast, rung: int) -> tuple[Forecast, Forecast]:
        """Place and junction, held by a fan that comes on or goes off on the way."""
        if self.fan is None:
            return measured, spot
        now, then = self.heats
        at_place = self.fan.held_at(measured, rung, self.room_C, self.by, then)
        above = spot.final_C - (self.room_C + (measured.final_C - self.room_C) * self.by)
        here = self.fan.held_at(measured, rung, self.room_C, 1.0, now)
        return measured.held(here), spot.held(at_place + above)


def _seen(key: _Key, record: HeatUp) -> _Seen:
    job, plan, run = key.job, key.plan, key.run
    link = link_of(job, plan)
    now = float(record.time_s[-1])
    fan = fan_in_soak(job, plan, run.until(now), link, key.place) if link else None
    count = len(record.steps_s)
    amps = amps_of(plan, run)[:count]
    beside = {o: a[:count] for o, a in loads_beside(job, run).items()}
    in_hand = run.step[min(int(np.searchsorted(run.time_s, now)), len(run.step) - 1)]
    full = not plan.steps or in_hand >= len(plan.steps) - 1
    known = described_link(job, plan) is not None
    return _Seen(job, plan, key.place, record, link, amps, beside, fan, bool(full), known)


def _call(chance: float, *, below: bool) -> Call:
    """What is said of a chance to cross; that it stays below only where the end's whole interval does."""
    if chance >= SURE:
        return "will cross"
    if chance >= LIKELY:
        return "likely to cross"
    return "stays below" if below and chance <= UNLIKELY else "can't tell yet"


def _proven_after(job: Job, forecast: Forecast, steady_K: float, held_s: float) -> float:
    """Seconds until it may be called proven by the job's school."""
    school = job.policy.proven_when
    if school == "moments":
        return 0.0
    if school == "two_hours":
        return 7200.0 - held_s
    two = 2 * forecast.time_constant.value - held_s
    return max(two, 0.0 if forecast.steady(steady_K) else forecast.seconds_to_steady(steady_K).high)


def fitted_stages(job: Job, plan: Plan, run: SoakRun) -> tuple[str, Fitted] | None:
    """θ and C of the watched converter's stages by a run; None where its places were not read."""
    link = described_link(job, plan)
    if link is None:
        return None
    return _fitted(_Key(job, plan, run, link, _checkpoint(len(run.time_s))))


@lru_cache(maxsize=16)
def _fitted(key: _Key) -> tuple[str, Fitted] | None:
    job, plan, run, link = key.job, key.plan, key.run, key.place
    design = chain(job, link)
    if design is None or len(run.time_s) < 3 * FIRST_SCANS:
        return None
    probe = thermometer(job)
    fan = fan_in_soak(job, plan, run, link, place_of(job, plan, run) or "")
    # The stages are those with the fan at rest.
    until = fan.turned[0][0] if fan and fan.turned else np.inf
    tracks = []
    for place in run.celsius:
        if stage_of(place) and place in (f"{link}-{stage_of(place)}", "air", "case", "sink"):
            record = record_of(job, run, place).between(-np.inf, until)
            t, celsius = np.asarray(record.time_s), np.asarray(record.celsius)
            if len(t) >= FIRST_SCANS:
                noise = max(probe.resolution_K, 0.1)
                tracks.append(Track(stage_of(place), t, celsius, noise, probe.accuracy_K, probe.lag_s))
    if not tracks:
        return None
    own, rest = heats(job, plan.output.id, amps_of(plan, run), link, loads_beside(job, run))
    t = run.time_s
    ends = np.linspace(t[0], t[-1], 9)
    heating = Heating(np.array(run.steps_s), {"case": own, "air": rest}, ends, room(job, run, ends))
    try:
        return link, fit_ladder(design, heating, tracks)
    except (UserError, np.linalg.LinAlgError):
        return None
