"""The readings of a soak run by run: what was read when, where, and the heat-up of one place."""

import itertools
import math
from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Flags
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import chain, thermometer, watched
from tensimeter.core.heatup.record import HeatUp
from tensimeter.core.measurement.readings import CLOCK, Reading
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.step import Plan

#: Scans before anything is said of where a run ends.
FIRST_SCANS = 8
#: An output is gone below this share of the volts that stood at the same step, or of all that stood.
GONE_SHARE, DEAD_SHARE = 0.5, 0.02
#: A clock that begins anew so long after the load began tells of another load, s.
ANEW_S = 1800.0
#: K over the room from which on a run is one that began warm: more than two probes differ by.
WARM_K = 3.0


class SoakRun(Struct, frozen=True, eq=False):
    """The readings of one run in the order taken: s from its first, V, A, °C by place (n,); load steps.

    Where a place was not read its figure is not a number.
    """

    run: int | None
    at: float
    time_s: Array
    volts: Array
    amps: Array
    celsius: dict[str, Array]
    step: Array
    #: What was read or said to flow at other places, A (n,); not a number where nobody told.
    beside: dict[str, Array] = {}

    @property
    def gone(self) -> Flags:
        """At which readings the output was gone (n,): it failed, or its protection acted."""
        seen = np.isfinite(self.volts)
        found = np.zeros(len(self.volts), bool)
        if seen.sum() < 2:
            return found
        for step in np.unique(self.step[seen]):
            # A step may set its output low: what is gone is far below what stood in the same step.
            there = seen & (self.step == step)
            found[there] = self.volts[there] < GONE_SHARE * self.volts[there].max()
        return np.asarray(found | (self.volts < DEAD_SHARE * self.volts[seen].max()))

    @property
    def ended_by_itself(self) -> bool:
        """Whether the output was gone at the last reading of its volts."""
        return bool(self.gone[np.isfinite(self.volts)][-1:].any())

    def until(self, end_s: float) -> "SoakRun":
        """The run as it was at an earlier moment."""
        keep = self.time_s <= end_s
        columns, beside = ({p: v[keep] for p, v in x.items()} for x in (self.celsius, self.beside))
        time_s, volts, amps = self.time_s[keep], self.volts[keep], self.amps[keep]
        return SoakRun(self.run, self.at, time_s, volts, amps, columns, self.step[keep], beside)

    def track(self, place: str) -> tuple[Array, Array]:
        """s and °C where a place was read."""
        values = self.celsius.get(place)
        if values is None:
            return np.zeros(0), np.zeros(0)
        there = np.isfinite(values)
        if there.all():
            return self.time_s, values
        return self.time_s[there], values[there]

    @property
    def steps_s(self) -> tuple[float, ...]:
        """When the load was stepped: the first reading at each new step."""
        new = np.flatnonzero(np.diff(self.step)) + 1
        return (float(self.time_s[0]), *self.time_s[new].tolist())

    @property
    def step_A(self) -> tuple[float, ...]:
        """The amps of each step, the median of what was read."""
        edges = [0, *(np.flatnonzero(np.diff(self.step)) + 1).tolist(), len(self.step)]
        parts = [self.amps[a:b] for a, b in itertools.pairwise(edges)]
        return tuple(float(np.nanmedian(p)) if np.isfinite(p).any() else np.nan for p in parts)


def soak_runs(readings: Sequence[Reading], output: str) -> list[SoakRun]:
    """The runs of a test by its readings, in the order taken; volts and amps are those of its output.

    What was typed or came in a file is one, until its clock begins anew.
    """
    clocks = {r.scan: (r.value, r.at - r.value) for r in readings if r.place == CLOCK}
    by_hand = _by_hand(readings, clocks) if clocks else {}
    found: dict[tuple[int | None, int], dict[int, list[Reading]]] = {}
    for r in readings:
        key = (r.run, by_hand.get(r.scan, 0)) if by_hand else (r.run, 0)
        if key not in found:
            found[key] = {}
        scans = found[key]
        if r.scan in scans:
            scans[r.scan].append(r)
        else:
            scans[r.scan] = [r]
    made = (_run(run, list(scans.values()), clocks, output) for (run, _), scans in found.items())
    runs = sorted(made, key=lambda r: r.at)
    # Loudness or volts typed beside a run of an instrument are no run of their own.
    return [r for r in runs if r.celsius] or [r for r in runs if len(r.time_s)]


#: By moment: how long after its load began it was, as that was said, s; and when that began.
Clocks = Mapping[int, tuple[float, float]]


def _by_hand(readings: Sequence[Reading], clocks: Clocks) -> dict[int, int]:
    """Which soak by hand each moment is of: another begins where the clock falls back, long after."""
    found: dict[int, int] = {}
    begun: list[float] = []
    last = (0.0, -math.inf)
    for scan, (clock_s, began) in clocks.items():
        if not begun or (clock_s < last[0] and began - last[1] > ANEW_S):
            begun.append(began)
        last, found[scan] = (clock_s, began), len(begun) - 1
    for r in readings:
        # What nobody said the time of is of the load that had begun by then.
        if r.run is None and r.scan not in found:
            found[r.scan] = max(sum(b <= r.at + 1.0 for b in begun) - 1, 0)
    return found


def _run(run: int | None, scans: list[list[Reading]], clocks: Clocks, output: str) -> SoakRun:
    # How long a load was held is told by what was said of it, not by when that was typed.
    said = [clocks[s[0].scan] for s in scans if s[0].scan in clocks] if clocks else []
    start = min(began for _, began in said) if said else min([s[0].at for s in scans])
    time = np.array([s[0].at for s in scans]) - start
    if said:
        time = np.array([clocks[s[0].scan][0] if s[0].scan in clocks else s[0].at - start for s in scans])
    if (np.diff(time) < 0).any():
        order = np.argsort(time, kind="stable")
        scans, time = [scans[k] for k in order.tolist()], time[order]
    places = sorted({r.place for scan in scans for r in scan if r.quantity == "C"})
    columns = {p: np.full(len(scans), np.nan) for p in places}
    others = sorted({r.place for scan in scans for r in scan if r.quantity == "A" and r.place != output})
    beside = {p: np.full(len(scans), np.nan) for p in others}
    volts, amps, step = (np.full(len(scans), np.nan) for _ in range(3))
    last = 0
    for k, scan in enumerate(scans):
        for r in scan:
            if r.quantity == "C":
                columns[r.place][k] = r.value
            elif r.place == output and r.quantity == "V" and r.known == "read":
                volts[k] = r.value
            elif r.place == output and r.quantity == "A":
                amps[k] = r.value
            elif r.quantity == "A":
                beside[r.place][k] = r.value
            last = r.step if r.step is not None else last
        step[k] = last
    return SoakRun(run, start, time, volts, amps, columns, step, beside)


def run_name(plan: Plan, run: SoakRun, index: int) -> str:
    """What a run is called beside others: its number, and what was changed before it."""
    changes = plan.test.changes_made
    before = [
        c.what for c in changes if c.after_run is not None and run.run is not None and c.after_run < run.run
    ]
    return f"run {index + 1}" + (f", {before[-1]}" if before else "")


def amps_of(plan: Plan, run: SoakRun) -> tuple[float, ...]:
    """The amps of each step of a run: as read, else as set."""
    edges = [0, *(np.flatnonzero(np.diff(run.step)) + 1).tolist()]
    steps = [min(int(run.step[k]), len(plan.steps) - 1) for k in edges]
    read = zip(run.step_A, steps, strict=True)
    return tuple(plan.steps[k].set_A if not np.isfinite(a) else a for a, k in read)


def loads_beside(job: Job, run: SoakRun) -> dict[str, tuple[float, ...]]:
    """The most that each other output carried in each step of a run, A; those that carried anything."""
    edges = [0, *(np.flatnonzero(np.diff(run.step)) + 1).tolist(), len(run.step)]
    found = {}
    for output in job.design.outputs():
        amps = run.beside.get(output.id)
        if amps is not None and np.nanmax(amps, initial=0.0) > 0:
            parts = (np.nan_to_num(amps[a:b]) for a, b in itertools.pairwise(edges))
            found[output.id] = tuple(float(p.max(initial=0.0)) for p in parts)
    return found


def place_of(job: Job, plan: Plan, run: SoakRun) -> str | None:
    """The place whose temperature is forecast: as the test says, the watched case, its sink, any."""
    test = plan.test
    named = test.watched_place
    link = link_of(job, plan)
    wished = [named, f"{link}-case", f"{link}-sink", "case", "sink"]
    there = (p for p in (*wished, *run.celsius) if p in run.celsius and p != "ambient")
    read = {p: count for p in there if (count := len(run.track(p)[0]))}
    # One that was read often enough for a forecast goes before one that was wished for and read less.
    enough = [p for p, count in read.items() if count >= FIRST_SCANS]
    return next(iter(enough), max(read, key=lambda p: read[p], default=None))


def link_of(job: Job, plan: Plan) -> str | None:
    """The converter that a test of heat watches: its own choice, else the hottest; None without one."""
    test = plan.test
    if test.watched_link in {x.id for x in job.design.links}:
        return test.watched_link
    try:
        return watched(job, plan.output.id)
    except UserError:
        return None


def described_link(job: Job, plan: Plan) -> str | None:
    """The same where the design says how it sheds its heat, down to its junction."""
    link = link_of(job, plan)
    return link if link is not None and chain(job, link) is not None else None


def record_of(job: Job, run: SoakRun, place: str, count: int | None = None) -> HeatUp:
    """The heat-up of one place of a run, its first `count` readings."""
    t, celsius = (x[:count] for x in run.track(place))
    # Readings after the output was gone are no heat-up.
    alive = np.isfinite(t)
    if run.ended_by_itself:
        alive = t < run.time_s[-1]
    t, celsius = t[alive], celsius[alive]
    steps = tuple(s for s in run.steps_s if s < t[-1])
    around = room(job, run, t)
    warm = bool(len(t) and celsius[0] - around[0] > WARM_K)
    return HeatUp(t, celsius, around, steps, lag_s=thermometer(job).lag_s, warm=warm)


def room(job: Job, run: SoakRun, t: Array) -> Array:
    """The ambient in °C at times of a run: as read, else as the job says."""
    at, read = run.track("ambient")
    if len(at) >= 2:
        return np.interp(t, at, read)
    return np.full(len(t), read[0] if len(read) else job.settings.ambient_C)
