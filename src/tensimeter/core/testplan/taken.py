"""Which readings a test takes, and at which of its points: by the circumstances under which they were read.

A plan only advises. Volts with amps that were read or said are a point of their output, whoever asked for it,
and belong to every test whose question they answer: each takes those of one state of the supply, at its own
setting and mains, with the other outputs as it has them. What nobody said is no circumstance: volts without
amps are taken by none.

What an instrument set in a run, and what is no point of an output (heat, waveforms, trips), stays with the
test that it was read for.
"""

import math
from collections.abc import Iterable, Sequence

from tensimeter.core.circuit.network import has_source
from tensimeter.core.measurement.readings import AS_SAID, AS_SET, CLOCK, FAILED_BY, Measurand, Reading
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import of_newest
from tensimeter.core.model.tests import Test
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan, Step, displays_of, value_of

#: A current is that of a point where it is within this share of the largest planned.
NEAR_SHARE = 0.05
#: Volts that were set, and those of the mains, are those of a point within these shares of them.
SET_SHARE, MAINS_SHARE = 0.02, 0.03
#: Where the mains' volts are filed, as read or said.
MAINS = "mains"


def by_points(plan: Plan) -> bool:
    """Whether a test is a question over points of an output: it takes what fits, whoever asked for it."""
    return asks_points(plan.test)


def asks_points(test: Test) -> bool:
    """Whether what a test asks are points of an output: volts over amps, under conditions that it tells."""
    kind = kind_of(test)
    return kind.by_current or kind.in_reach or kind.by_conditions


def takes_all(test: Test) -> bool:
    """Whether a test takes what fits it, whoever asked for it: points, or a load held over time."""
    return asks_points(test) or kind_of(test).by_time


#: Where a reading has its test, and its step behind it.
_TEST, _MADE = Reading._fields.index("test"), tuple.__new__
#: What was read or said at a moment, by place and quantity.
Told = dict[tuple[str, Measurand], float]


class Sorter:
    """Sorts readings by the test that they belong to, once for all tests of a job."""

    def __init__(self, job: Job, *further: Test) -> None:
        # What was once filed under a test that tells its points by conditions was asked for with those.
        self.by_points = frozenset(
            t.id for t in job.campaign.tests if asks_points(t) and not kind_of(t).by_conditions
        )
        self.known = frozenset(t.id for t in (*job.campaign.tests, *further))

    def is_free(self, r: Reading) -> bool:
        """Whether a reading belongs to whichever test it fits: it was read outside a run, as a point.

        So does what was read for a test that was taken out since: it was read all the same.
        """
        if r.test is not None and r.test not in self.known:
            return True
        return r.run is None and (r.test is None or r.test in self.by_points)


def taken(job: Job, plan: Plan, readings: Iterable[Reading]) -> list[Reading]:
    """The readings that a test takes, each with its point; in the order kept.

    `readings` are those that stand; only those of the newest state are taken.
    """
    return taken_of(job, plan, of_newest(job, readings))


def taken_of(job: Job, plan: Plan, live: Iterable[Reading]) -> list[Reading]:
    """The same of readings of one state, whichever that is: to lay a state beside another."""
    test = plan.test
    if not takes_all(test):
        return [r for r in live if r.test == test.id]
    sorter, own, free = Sorter(job, test), list[Reading](), list[Reading]()
    for r in live:
        if sorter.is_free(r):
            free.append(r)
        elif r.test == test.id:
            own.append(r)
    return in_order(own, Placing(job, plan).through(free))


def in_order(own: Sequence[Reading], placed: Sequence[Reading]) -> list[Reading]:
    """Readings of a test's own and those that it takes, in the order kept."""
    if not own:
        return list(placed)
    return sorted([*own, *placed], key=lambda r: r.id or 0)


#: The readings of a moment, and what they tell.
Moment = tuple[list[Reading], Told]


def moments_of(free: Iterable[Reading]) -> list[Moment]:
    """Readings by the moment that they share, in the order in which the moments began."""
    found: dict[int, list[Reading]] = {}
    for r in free:
        if r.scan in found:
            found[r.scan].append(r)
        else:
            found[r.scan] = [r]
    return [(rows, {(r.place, r.quantity): r.value for r in rows}) for rows in found.values()]


class Placing:
    """Finds the points of a test that moments fit, one moment after another."""

    def __init__(self, job: Job, plan: Plan) -> None:
        self.job, self.plan, self.kind = job, plan, kind_of(plan.test)
        self.near_A = NEAR_SHARE * plan.most_A
        #: Whether what nobody said of its setting may be any.
        self.set_by_hand = plan.output.adjustable and not has_source(job)
        self.rates = self.kind.rates(plan.test)
        #: Points at volts that none was planned at count as well.
        self.elsewhere = (
            any(s.trim_V is not None for s in plan.steps) and self.kind.in_reach and not self.kind.by_current
        )
        #: What was read at a mains of which nobody asked counts beside its points.
        self.any_mains = self.kind.by_conditions and any(s.line_V is not None for s in plan.steps)
        #: Steps whose circumstances but for their amps are the same, by place.
        self.alike: dict[str, list[list[Step]]] = {}
        by: dict[tuple[object, ...], list[Step]] = {}
        for s in plan.steps:
            place = s.place or plan.output.id
            key = (place, s.capture is None, s.also, s.trim_V, s.line_V, s.others)
            if key not in by:
                by[key] = []
                self.alike.setdefault(place, []).append(by[key])
            by[key].append(s)
        #: What tells of a point of each place.
        self.told_by: dict[str, frozenset[tuple[str, Measurand]]] = {
            place: frozenset(((place, "V"), (place, "Vpp"), (place, "event")))
            for place in self.alike or (plan.output.id,)
        }
        #: Where what a place is set to is filed.
        self.set_at = {place: set_of(place) for place in self.alike}
        #: What is read at a place, and beside it at each of its steps.
        self.wanted = {
            place: {None: frozenset((place, *displays_of(place)))}
            | {
                s.index: frozenset((place, *displays_of(place), *(where for where, _ in s.also)))
                for steps in groups
                for s in steps
            }
            for place, groups in (self.alike or {plan.output.id: []}).items()
        }
        #: The last amps of each place, and whether they fell to that.
        self.last: dict[str, tuple[float, bool]] = {}

    def copy(self) -> "Placing":
        """As it stands now, to go on from later."""
        made = Placing.__new__(Placing)
        made.__dict__ = {**self.__dict__, "last": dict(self.last)}
        return made

    def through(self, free: Iterable[Reading]) -> list[Reading]:
        """The readings that fit, each with its step; what lies between points has none."""
        found = [r for moment in moments_of(free) for r in self.take(moment)]
        found.sort(key=lambda r: r.id or 0)
        return found

    def take(self, moment: Moment) -> list[Reading]:
        """What of a moment is taken."""
        rows, told = moment
        if self.kind.by_time:
            return self._in_time(rows, told)
        found: list[Reading] = []
        for place, its in self.told_by.items():
            # Most of what is read elsewhere tells nothing of a place.
            if not its.isdisjoint(told):
                found += self._at(place, rows, told)
        return found

    def _at(self, place: str, rows: Sequence[Reading], told: Told) -> list[Reading]:
        plan = self.plan
        if self.rates and (place, "event") in told and any(_failed(r, place) for r in rows):
            return self._labelled(place, rows, None)
        if (place, "V") not in told and (place, "Vpp") not in told:
            return []
        amps = amps_of(rows, place)
        if amps is None:
            return []
        before, falls = self.last.get(place, (amps, False))
        if abs(amps - before) > self.near_A:
            falls = amps < before
        self.last[place] = (amps, falls)
        groups = [x for x in self.alike.get(place, ()) if self._fits(x[0], rows, told)]
        fitting = groups[0] if len(groups) == 1 else [s for steps in groups for s in steps]
        between = self.rates or self.elsewhere
        if not fitting and self.any_mains and (MAINS, "V") in told:
            near = any(abs(s.set_A - amps) <= self.near_A + 1e-9 for s in plan.steps)
            return self._labelled(place, rows, None) if near else []
        if not fitting:
            set_elsewhere = self.elsewhere and (self.set_at[place], "V") in told
            return self._labelled(place, rows, None) if set_elsewhere else []
        step = self._nearest(fitting, amps, falls=falls)
        return self._labelled(place, rows, step) if step is not None or between else []

    def _in_time(self, rows: Sequence[Reading], told: Told) -> list[Reading]:
        """All of a moment of which somebody said how long its load had been on, where it is one of these."""
        amps = amps_of(rows, self.plan.output.id)
        if (CLOCK, "s") not in told or amps is None:
            return []
        near = [s for s in self.plan.steps if abs(s.set_A - amps) <= self.near_A + 1e-9]
        near = [s for s in near if _same_elsewhere(self.plan, s, rows)]
        if not near:
            return []
        step = min(near, key=lambda s: (abs(s.set_A - amps), -s.index))
        return [r._replace(test=self.plan.test.id, step=step.index) for r in rows]

    def _fits(self, step: Step, rows: Sequence[Reading], told: Told) -> bool:
        """Whether a moment's circumstances, but for its amps, are those of a point."""
        output = self.plan.output
        place = step.place or output.id
        if (place, "Vpp" if step.capture is not None else "V") not in told:
            return False
        if step.also and not any(what in told for what in step.also):
            return False
        set_V = told.get((self.set_at[place], "V"))
        if set_V is None:
            read = told.get((output.id, "V")) if self.set_by_hand else None
            if step.trim_V is not None or (read is not None and not near_own(self.job, output, read)):
                return False
        elif not is_set_to(set_V, step.trim_V or output.nominal_V):
            return False
        if step.line_V is None and not step.others:
            return True
        return _same_elsewhere(self.plan, step, rows)

    def _nearest(self, fitting: Sequence[Step], amps: float, *, falls: bool) -> Step | None:
        """The point whose current is nearest; of two alike the one on the same side of the largest."""
        low, high = amps - self.near_A - 1e-9, amps + self.near_A + 1e-9
        near = [s for s in fitting if low <= s.set_A <= high]
        if len(near) < 2:
            return near[0] if near else None
        peak = max(fitting, key=lambda s: (s.set_A, -s.index)).index
        return min(near, key=lambda s: (round(abs(s.set_A - amps), 9), (s.index > peak) != falls, s.index))

    def _labelled(self, place: str, rows: Sequence[Reading], step: Step | None) -> list[Reading]:
        """What of a moment the test reads, named by it; amps that were read stand for what was said."""
        index = step.index if step is not None else None
        wanted = self.wanted[place][index]
        kept = [r for r in rows if r.place in wanted or r.range == AS_SAID]
        if AS_SET in [r.range for r in kept] and any(
            r.quantity == "A" and r.place == place and r.known == "read" for r in rows
        ):
            kept = [r for r in kept if not (r.range == AS_SET and r.place == place)]
        # As `_replace` gives it, which takes half of all the time that points are looked for.
        named = (self.plan.test.id, index)
        return [_MADE(Reading, r[:_TEST] + named + r[_TEST + 2 :]) for r in kept]


def _failed(r: Reading, place: str) -> bool:
    """Whether it tells that an output gave way."""
    return r.quantity == "event" and r.place == place and r.range in FAILED_BY


def amps_of(rows: Sequence[Reading], place: str) -> float | None:
    """The amps of an output at a moment: as read, else as set or said; None where nobody knows them."""
    found: float | None = None
    for r in rows:
        if r.quantity == "A" and r.place == place and math.isfinite(r.value):
            if r.range != AS_SAID and r.range != AS_SET:
                return r.value
            found = r.value
    return found


def is_set_to(set_V: float, wanted_V: float) -> bool:
    """Whether volts that an output was set to are those that are wanted."""
    return abs(set_V - wanted_V) <= SET_SHARE * wanted_V


def near_own(job: Job, output: OutputLink, volts: float) -> bool:
    """Whether volts that were read are an output's own, whatever nobody said of its setting.

    A supply that is drawn is built for its own volts, and is read at those where nothing else is said. Of one
    that is not, and can be set, what reads otherwise may have been set lower, or have given way.
    """
    if not output.adjustable or has_source(job):
        return True
    return abs(volts - output.nominal_V) <= output.tolerance * output.nominal_V


def _same_elsewhere(plan: Plan, step: Step, rows: Sequence[Reading]) -> bool:
    """Whether mains and the other outputs are as a point has them; not said is as it should be."""
    mains = value_of(rows, MAINS, "V")
    if step.line_V is not None and (mains is None or abs(mains - step.line_V) > MAINS_SHARE * step.line_V):
        return False
    place = step.place or plan.output.id
    others = dict(step.others)
    told = {r.place: r.value for r in rows if r.quantity == "A" and r.place != place}
    near = all(abs(told[o] - a) <= NEAR_SHARE * max(a, 1.0) for o, a in others.items() if o in told)
    if kind_of(plan.test).by_conditions:
        near &= all(told.get(o, 0.0) == 0.0 for o in told if o not in others)
    return near and all(o in told for o, a in others.items() if a)
