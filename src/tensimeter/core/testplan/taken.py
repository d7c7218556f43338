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

from tensimeter.core.measurement.readings import FAILED_BY, Reading
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import of_newest
from tensimeter.core.model.tests import Test
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan, Step, displays_of, value_of

#: A current is that of a point where it is within this share of the largest planned.
NEAR_SHARE = 0.05
#: Volts that were set, and those of the mains, are those of a point within these shares of them.
SET_SHARE, MAINS_SHARE = 0.02, 0.03
#: Where the mains' volts are filed, as read or said.
MAINS = "mains"
#: Where the seconds since the load began are filed, where somebody said them.
CLOCK = "clock"


def by_points(plan: Plan) -> bool:
    """Whether a test is a question over points of an output: it takes what fits, whoever asked for it."""
    return asks_points(plan.test)


def asks_points(test: Test) -> bool:
    """Whether what a test asks are points of an output: volts over amps, at its own volts or at others."""
    kind = kind_of(test)
    return kind.by_current or kind.in_reach


class Sorter:
    """Sorts readings by the test that they belong to, once for all tests of a job."""

    def __init__(self, job: Job) -> None:
        self.by_points = frozenset(t.id for t in job.campaign.tests if asks_points(t))

    def is_free(self, r: Reading) -> bool:
        """Whether a reading belongs to whichever test it fits: it was read outside a run, as a point."""
        return r.run is None and (r.test is None or r.test in self.by_points)


def taken(job: Job, plan: Plan, readings: Iterable[Reading]) -> list[Reading]:
    """The readings that a test takes, each with its point; in the order kept.

    `readings` are those that stand; only those of the newest state are taken.
    """
    return taken_of(job, plan, of_newest(job, readings))


def taken_of(job: Job, plan: Plan, live: Iterable[Reading]) -> list[Reading]:
    """The same of readings of one state, whichever that is: to lay a state beside another."""
    test = plan.test
    if not by_points(plan):
        return [r for r in live if r.test == test.id]
    sorter = Sorter(job)
    moments: dict[int, list[Reading]] = {}
    own = []
    for r in live:
        if sorter.is_free(r):
            moments.setdefault(r.scan, []).append(r)
        elif r.test == test.id:
            own.append(r)
    found = [*own, *_placed(plan, list(moments.values()))]
    found.sort(key=lambda r: r.id or 0)
    return found


def _placed(plan: Plan, moments: Sequence[Sequence[Reading]]) -> list[Reading]:
    """The readings of moments that fit, with the step of each; what lies between points has none."""
    places = {s.place or plan.output.id for s in plan.steps} or {plan.output.id}
    found: list[Reading] = []
    for place in sorted(places):
        steps = [s for s in plan.steps if (s.place or plan.output.id) == place]
        last: float | None = None
        falls = False
        for rows in moments:
            amps = amps_of(rows, place)
            if kind_of(plan.test).rates(plan.test) and any(_failed(r, place) for r in rows):
                found += _labelled(plan, place, rows, None)
                continue
            if amps is None or not any(r.place == place and r.quantity in ("V", "Vpp") for r in rows):
                continue
            if last is not None and abs(amps - last) > NEAR_SHARE * plan.most_A:
                falls = amps < last
            last = amps
            fitting = [s for s in steps if _fits(plan, s, rows)]
            if not fitting:
                if kind_of(plan.test).in_reach and _is_set_elsewhere(plan, rows, place):
                    found += _labelled(plan, place, rows, None)
                continue
            step = _nearest(plan, fitting, amps, falls)
            kind = kind_of(plan.test)
            if step is None and not (kind.rates(plan.test) or (kind.in_reach and not kind.by_current)):
                continue
            found += _labelled(plan, place, rows, step)
    return found


def _failed(r: Reading, place: str) -> bool:
    """Whether it tells that an output gave way."""
    return r.quantity == "event" and r.place == place and r.range in FAILED_BY


def _labelled(plan: Plan, place: str, rows: Sequence[Reading], step: Step | None) -> list[Reading]:
    """What of a moment a test reads, named by it; amps that were read stand for those that were said."""
    wanted = {place, *displays_of(place), *(where for where, _ in (step.also if step is not None else ()))}
    read = any(r.quantity == "A" and r.place == place and r.known == "read" for r in rows)
    index = step.index if step is not None else None
    kept = [
        r
        for r in rows
        if r.known == "said" or (r.place in wanted and not (read and r.known == "set" and r.place == place))
    ]
    return [r._replace(test=plan.test.id, step=index) for r in kept]


def amps_of(rows: Sequence[Reading], place: str) -> float | None:
    """The amps of an output at a moment: as read, else as set or said; None where nobody knows them."""
    found: float | None = None
    for r in rows:
        if r.quantity == "A" and r.place == place and math.isfinite(r.value):
            if r.known == "read":
                return r.value
            found = r.value
    return found


def _fits(plan: Plan, step: Step, rows: Sequence[Reading]) -> bool:
    """Whether a moment's circumstances, but for its amps, are those of a point."""
    place = step.place or plan.output.id
    has = {(r.place, r.quantity) for r in rows}
    if step.capture is not None and (place, "Vpp") not in has:
        return False
    if step.capture is None and (place, "V") not in has:
        return False
    if step.also and not any(what in has for what in step.also):
        return False
    volts, nominal = value_of(rows, set_of(place), "V"), plan.output.nominal_V
    wanted = step.trim_V if step.trim_V is not None else nominal
    if volts is None and step.trim_V is not None:
        # Where nobody said what it was set to it is taken to stand at its own volts, and misses else.
        return False
    if volts is not None and abs(volts - wanted) > SET_SHARE * wanted:
        return False
    return _same_elsewhere(plan, step, rows)


def _same_elsewhere(plan: Plan, step: Step, rows: Sequence[Reading]) -> bool:
    """Whether mains and the other outputs are as a point has them; not said is as it should be."""
    mains = value_of(rows, MAINS, "V")
    if step.line_V is not None and (mains is None or abs(mains - step.line_V) > MAINS_SHARE * step.line_V):
        return False
    place = step.place or plan.output.id
    others = dict(step.others)
    told = {r.place: r.value for r in rows if r.quantity == "A" and r.place != place}
    near = all(abs(told[o] - a) <= NEAR_SHARE * max(a, 1.0) for o, a in others.items() if o in told)
    return near and all(o in told for o, a in others.items() if a)


def _is_set_elsewhere(plan: Plan, rows: Sequence[Reading], place: str) -> bool:
    """Whether a moment is one of an output that was set to volts of which no point was planned."""
    planned = any(s.trim_V is not None for s in plan.steps) and not kind_of(plan.test).by_current
    return planned and value_of(rows, set_of(place), "V") is not None


def _nearest(plan: Plan, fitting: Sequence[Step], amps: float, falls: bool) -> Step | None:
    """The point whose current is nearest; of two alike the one on the same side of the largest."""
    near = [s for s in fitting if abs(s.set_A - amps) <= NEAR_SHARE * plan.most_A + 1e-9]
    if not near:
        return None
    top = max(range(len(fitting)), key=lambda k: (fitting[k].set_A, -k))
    peak = fitting[top].index
    return min(near, key=lambda s: (round(abs(s.set_A - amps), 9), (s.index > peak) != falls, s.index))
