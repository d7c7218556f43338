"""Two runs of one test laid over one another: what changed, by how much, and whether that can be told."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import heats, thermometer
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.readings import Measurand, Reading, counting
from tensimeter.core.model.instruments import accuracy_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import states_in_order
from tensimeter.core.quantity import show, with_uncertainty
from tensimeter.core.testplan.destination import near_steps
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.soak.run import SoakRun, link_of, soak_runs
from tensimeter.core.testplan.step import Plan
from tensimeter.core.testplan.taken import NEAR_SHARE, taken_of

Change = Literal["better", "worse", "alike", "cannot_tell"]
#: Coverage factor of what decides (GUM, 6.3.3).
FACTOR = 2.0
#: A change of less than this share of what is allowed is none that matters; a rule of thumb.
MATTERS = 0.1
#: Scatter that is so many times what the meters state is of the supply itself; a rule of thumb.
FAR_MORE = 2.0
#: K that do not matter, and what a room that was not read may have been off by.
MATTERS_K, ROOM_K = 1.0, 2.0


class Lap(Struct, frozen=True, eq=False):
    """One time that a test was gone through: its newest readings by step, place and quantity."""

    name: str
    at: float
    run: int | None
    rows: Mapping[tuple[int, str, Measurand], Reading]
    heat: SoakRun | None = None


class Point(Struct, frozen=True):
    """One figure of both runs: where, at what load, before and after, and what it changed by (k = 2)."""

    where: str
    quantity: Measurand
    amps_A: float
    before: float
    after: float
    difference: Interval
    #: How far it came nearer to what is wanted; its deviation by scatter, and by what all points share.
    gain: float
    scatter: float
    shared: float


class TwoRuns(Struct, frozen=True, eq=False):
    """What changed between two runs; `gain` is how far the mean of its points came nearer to what is wanted.

    `more` is how many more readings of each point would tell; None where none would, or none are needed.
    """

    test: str
    before: Lap
    after: Lap
    points: tuple[Point, ...]
    gain: Interval
    verdict: Change
    more: int | None
    unit: str
    notes: tuple[str, ...]
    scatter: float
    shared: float

    @property
    def sentence(self) -> str:
        """The verdict in a sentence."""
        by = with_uncertainty(abs(self.gain.value), self.gain.half_width, self.unit)
        heat = self.unit == "K"
        if self.verdict == "better":
            text = f"Better: {'cooler' if heat else 'nearer to nominal'} by {by} in the mean."
        elif self.verdict == "worse":
            text = f"Worse: {'hotter' if heat else 'farther from nominal'} by {by} in the mean."
        elif self.verdict == "alike":
            text = f"Alike: within {with_uncertainty(self.gain.value, self.gain.half_width, self.unit)}."
        else:
            text = f"Can't be told: {with_uncertainty(self.gain.value, self.gain.half_width, self.unit)}."
            text += (
                f" {self.more} more reading{'s' * (self.more != 1)} of each point would tell."
                if self.more is not None
                else " No number of readings would tell: use one meter for both."
            )
        return " ".join((text, *self.notes))


def laps(job: Job, plan: Plan, readings: Iterable[Reading]) -> list[Lap]:
    """The times that a test was gone through, in order: each run of instruments, and of what was typed.

    What was read of another state of the supply is another time, named by what was changed before it.
    Of what was typed one goes up with the load, and perhaps down again; where it rises once more the next
    begins. A load that was read going up and going down counts as it was read last.
    """
    live = [r for r in counting(readings) if np.isfinite(r.value)]
    found: list[Lap] = []
    for numbers, what in states_in_order(job):
        rows = taken_of(job, plan, [r for r in live if r.state in numbers])
        if rows:
            found += _laps_of(plan, put_right(job, rows), what, len(found))
    return found


def _laps_of(plan: Plan, mine: list[Reading], what: str, before: int) -> list[Lap]:
    """The times within one state, numbered on from those before."""
    since = f", since “{what}”" if what else ""
    if kind_of(plan.test).heats:
        hot = [run for run in soak_runs(mine, plan.output.id) if run.celsius]
        return [Lap(f"run {before + k + 1}{since}", run.at, run.run, {}, run) for k, run in enumerate(hot)]
    found: list[tuple[float, int | None, dict[tuple[int, str, Measurand], Reading]]] = []
    for rows in _rounds(plan, [r for r in mine if r.step is not None]):
        first = rows[0]
        found.append((first.at, first.run, {(_step_of(plan, r), r.place, r.quantity): r for r in rows}))
    return [Lap(f"run {before + k + 1}{since}", at, run, rows) for k, (at, run, rows) in enumerate(found)]


def _rounds(plan: Plan, rows: Sequence[Reading]) -> list[list[Reading]]:
    """Readings by run; of those of no run, by where the load rises again after it fell."""
    near = NEAR_SHARE * plan.most_A
    found: list[list[Reading]] = []
    fell, last = False, 0.0
    for r in rows:
        amps = plan.steps[min(r.step or 0, len(plan.steps) - 1)].set_A
        if not found or found[-1][-1].run != r.run:
            found.append([])
            fell = False
        elif r.run is None and amps > last + near and fell:
            # What was read at the turning point begins the new one.
            *kept, _ = found[-1]
            while kept and kept[-1].step == found[-1][-1].step:
                kept.pop()
            turning = found[-1][len(kept) :]
            found[-1:] = [kept, turning] if kept else [turning]
            fell = False
        fell = fell or amps < last - near
        last = amps
        found[-1].append(r)
    return [rows for rows in found if rows]


def _step_of(plan: Plan, r: Reading) -> int:
    """The step that a reading counts at: of a run its own; of what was typed the first one at that load."""
    step = r.step or 0
    if r.run is not None or step >= len(plan.steps):
        return step
    near = near_steps(plan, plan.steps[step].set_A)
    own = plan.steps[step].place
    return next((s.index for s in near if s.place == own), step)


def compare(job: Job, plan: Plan, before: Lap, after: Lap) -> TwoRuns:
    """What changed from one run to another.

    Volts are brought to the same amps by the slope that was read, temperatures to the rise over the room and
    to the same watts. Gain and offset of a meter that read both fall out of the difference.

    Raises
    ------
    UserError
        Where both have no figure in common.
    """
    if before.heat is not None and after.heat is not None:
        points, notes = _of_heat(job, plan, before.heat, after.heat)
        unit, matters = "K", MATTERS_K
    else:
        points, notes = _of_steps(job, plan, before, after)
        unit, matters = "V", MATTERS * plan.output.nominal_V * plan.output.tolerance
    if not points:
        raise UserError("These two runs have no figure in common: read the same steps in both.")
    gains = np.array([p.gain for p in points])
    stated = float(np.sqrt(np.mean([p.scatter**2 for p in points])))
    seen = _about_line(np.array([p.amps_A for p in points]), gains)
    # Points that differ far more than their meters can, and not by the load: that scatter counts.
    each = seen if seen > FAR_MORE * stated else stated
    own, shared = each / np.sqrt(len(gains)), float(np.mean([p.shared for p in points]))
    mean, half = float(gains.mean()), FACTOR * float(np.hypot(own, shared))
    gain = Interval(mean, mean - half, mean + half)
    verdict = _verdict(gain, matters)
    more = _more(mean, own, shared, matters) if verdict == "cannot_tell" else None
    return TwoRuns(
        plan.test.id, before, after, tuple(points), gain, verdict, more, unit, tuple(notes), each, shared
    )


def worked(found: TwoRuns) -> Derivation:
    """How the change between two runs came about."""
    n = float(len(found.points))
    return Derivation(
        f"What changed from {found.before.name} to {found.after.name}",
        "mean of (distance to what is wanted before − after) ± 2·√(s²/n + g²)",
        (
            Input("n", "points that both read", n, ""),
            Input("s", "scatter of one, both meters", found.scatter, found.unit),
            Input("g", "what all points share: the meters’ gain and offset", found.shared, found.unit),
        ),
        found.gain.value,
        found.unit,
        ("gain and offset of one meter that read both fall out of the difference", *found.notes),
        "Coverage factor 2: GUM, 6.3.3; shared errors: GUM, F.1.2",
        (found.gain.low, found.gain.high),
    )


def _about_line(amps: Array, gains: Array) -> float:
    """Scatter of gains about their line over the load; 0 of too few to tell."""
    if len(gains) < 4 or not np.isfinite(amps).all():
        return 0.0
    design = np.column_stack([np.ones_like(amps), amps])
    fitted, _, rank, _ = np.linalg.lstsq(design, gains, rcond=None)
    freedom = len(gains) - int(rank)
    return float(np.sqrt(np.sum((gains - design @ fitted) ** 2) / freedom))


def _verdict(gain: Interval, matters: float) -> Change:
    if gain.low > 0:
        return "better"
    if gain.high < 0:
        return "worse"
    return "alike" if max(-gain.low, gain.high) <= matters else "cannot_tell"


def _more(mean: float, own: float, shared: float, matters: float) -> int | None:
    """How many more times each point is to be read until the difference is told, or is none that matters."""
    target = max(abs(mean), matters - abs(mean)) / FACTOR
    room = target**2 - shared**2
    if room <= 0:
        return None
    return max(int(np.ceil(own**2 / room)) - 1, 1)


def _of_steps(job: Job, plan: Plan, before: Lap, after: Lap) -> tuple[list[Point], list[str]]:
    """Volts of both at the steps that both read."""
    points, moved = [], False
    slope = _slope(plan, before)
    for (step, place, quantity), a in before.rows.items():
        b = after.rows.get((step, place, quantity))
        own = plan.steps[step].place or plan.output.id if step < len(plan.steps) else ""
        if b is None or quantity != "V" or place != own:
            continue
        amps = [lap.rows.get((step, place, "A")) for lap in (before, after)]
        at = amps[0].value if amps[0] is not None else plan.steps[step].set_A
        shift = slope * (at - amps[1].value) if amps[1] is not None else 0.0
        moved |= abs(shift) > 1e-4 * plan.output.nominal_V
        points.append(_point(job, plan, step, a, b, at, shift))
    notes = ["Brought to the same amps by the slope that was read."] if moved else []
    if any(a.instrument != after.rows[k].instrument for k, a in before.rows.items() if k in after.rows):
        notes.append("Both were not read with the same meter: its whole uncertainty counts.")
    return points, notes


def _slope(plan: Plan, lap: Lap) -> float:
    """V an ampere, as a run read it; 0 where it read one load alone."""
    pairs = [
        (amps.value, r.value)
        for (step, place, q), r in lap.rows.items()
        if q == "V" and (amps := lap.rows.get((step, place, "A"))) is not None and place == plan.output.id
    ]
    if len(pairs) < 2 or np.ptp([a for a, _ in pairs]) == 0:
        return 0.0
    amps, volts = np.array(pairs).T
    return float(np.polyfit(amps, volts, 1)[0])


def _point(job: Job, plan: Plan, step: int, a: Reading, b: Reading, amps_A: float, shift: float) -> Point:
    of_a, of_b = (x.accuracy or accuracy_of(job, x.instrument, "V", x.value)[0] for x in (a, b))
    after = b.value + shift
    scatter = float(np.hypot(of_a.scatter, of_b.scatter))
    same = a.instrument == b.instrument and a.instrument != "" and of_a == of_b
    if same:
        bounds = [of_a.of_reading * abs(after - a.value)]
    else:
        both = ((of_a, a.value), (of_b, b.value))
        bounds = [x for accuracy, v in both for x in (accuracy.of_reading * abs(v), accuracy.offset)]
    shared = float(np.sqrt(np.sum(np.square(bounds)) / 3))
    half = FACTOR * float(np.hypot(scatter, shared))
    nominal = plan.output.nominal_V
    gain = abs(a.value - nominal) - abs(after - nominal)
    difference = after - a.value
    title = plan.steps[step].title or show(amps_A, "A", 3)
    return Point(
        title, "V", amps_A, a.value, after, Interval(difference, difference - half, difference + half),
        gain, scatter, shared,
    )  # fmt: skip


def _of_heat(job: Job, plan: Plan, a: SoakRun, b: SoakRun) -> tuple[list[Point], list[str]]:
    """Rise over the room of both at the last moment that both have, at the same watts."""
    end = min(a.time_s[-1], b.time_s[-1])
    notes = [f"At {end / 60:.0f} min, the last moment of both; rise over the room."]
    share, said = _watts(job, plan, a, b, end)
    notes += said
    accuracy_K = thermometer(job).accuracy_K
    points = []
    unread = any("ambient" not in run.celsius for run in (a, b))
    if unread:
        notes.append(f"The room was not read in both: it may have been off by {ROOM_K:g} K.")
    for place in a.celsius:
        if place == "ambient" or place not in b.celsius:
            continue
        before, after = _rise(job, a, place, end), share * _rise(job, b, place, end)
        scatter = float(np.hypot(_noise(a, place), _noise(b, place)))
        # The same probe at the same place: what it is off by falls out, save for how it sits anew.
        shared = float(np.hypot(0.5 * accuracy_K / np.sqrt(3), ROOM_K / np.sqrt(3) if unread else 0.0))
        half = FACTOR * float(np.hypot(scatter, shared))
        d = after - before
        points.append(
            Point(place, "C", _amps(b, end), before, after, Interval(d, d - half, d + half),
                  before - after, scatter, shared)
        )  # fmt: skip
    return points, notes


def _rise(job: Job, run: SoakRun, place: str, end: float) -> float:
    t, celsius = run.track(place)
    room_t, room = run.track("ambient")
    at_room = float(np.interp(end, room_t, room)) if len(room) else job.settings.ambient_C
    return float(np.interp(end, t, celsius)) - at_room


def _noise(run: SoakRun, place: str) -> float:
    """Scatter of a probe, by the second differences of its last readings; K."""
    values = run.track(place)[1][-40:]
    if len(values) < 6:
        return 0.5
    return max(float(np.sqrt(np.mean(np.diff(values, 2) ** 2) / 6)), 0.03)


def _amps(run: SoakRun, end: float) -> float:
    there = np.isfinite(run.amps) & (run.time_s <= end)
    return float(run.amps[there][-1]) if there.any() else float("nan")


def _watts(job: Job, plan: Plan, a: SoakRun, b: SoakRun, end: float) -> tuple[float, list[str]]:
    """What the second run's rises are multiplied by to be of the first one's watts."""
    amps = _amps(a, end), _amps(b, end)
    link = link_of(job, plan)
    if not np.isfinite(amps).all() or link is None or abs(amps[0] - amps[1]) < 0.005 * amps[0]:
        return 1.0, []
    own, rest = heats(job, plan.output.id, amps, link)
    lost = own + rest
    if not lost[1] > 0:
        return 1.0, []
    return float(lost[0] / lost[1]), ["Brought to the same watts by the design's losses."]


def changed_between(before: Lap, after: Lap, plan: Plan, deeds: Sequence[tuple[float, str]]) -> list[str]:
    """What was done between two runs: changes that the test tells, and edits of the job (time, words)."""
    told = [
        c.what for c in plan.test.changes_made
        if c.after_run is not None and before.run is not None and after.run is not None
        and before.run <= c.after_run < after.run
    ]  # fmt: skip
    return [*told, *(words for at, words in deeds if before.at < at < after.at)]


def picture(found: TwoRuns) -> Picture:
    """Both runs over the load, or in their order where it is heat."""
    heat = found.unit == "K"
    order = sorted(found.points, key=lambda p: p.amps_A) if not heat else list(found.points)
    x = np.arange(len(order), dtype=float) if heat else np.array([p.amps_A for p in order])
    half = [p.difference.half_width for p in order]
    spots = [Spot(float(at), p.after, h) for at, p, h in zip(x, order, half, strict=True)]

    before = Line(found.before.name, x, np.array([p.before for p in order]), "prediction")
    after = Line(found.after.name, x, np.array([p.after for p in order]), "fit")
    across, up = ("place", "rise over the room, K") if heat else ("load, A", "volts, V")
    names = tuple(p.where for p in order) if heat else ()
    return Picture(across, up, tuple(spots), (before, after), names=names)
