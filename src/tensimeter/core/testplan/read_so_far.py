"""What was read so far, by test and by step; what is new is added to what was known."""

from collections.abc import Callable, Iterable, Sequence
from itertools import groupby
from operator import attrgetter

from tensimeter.core.measurement.readings import CLOCK, Measurand, Reading, standing
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import newest
from tensimeter.core.testplan.approach import Approach
from tensimeter.core.testplan.by_hand import is_by_strides, next_by_hand
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import OPEN, Plan
from tensimeter.core.testplan.taken import Moment, Placing, Sorter, in_order, moments_of, takes_all

#: The latest reading by step, place and quantity.
At = dict[tuple[int, str, Measurand], Reading]


_NONE: list[Reading] = []


def _kept(r: Reading) -> int:
    """What readings are ordered by as they were kept."""
    return r.id or 0


def _alike(readings: list[Reading]) -> list[list[Reading]]:
    """Readings apart by their test and whether they are of a run; a log is of one, and is left whole."""
    found: dict[tuple[str | None, bool], list[Reading]] = {}
    # Most of a run, or of what is typed, follows one upon another.
    for (test, run), stretch in groupby(readings, attrgetter("test", "run")):
        found.setdefault((test, run is None), []).extend(stretch)
    return list(found.values())


class Taken:
    """What a test takes of the points read so far; those before the last moment are settled."""

    def __init__(self, job: Job, plan: Plan, own: list[Reading]) -> None:
        self.job, self.plan, self.own = job, plan, own
        #: How many points were looked at, up to where they are settled, and what was placed of those.
        self.count = self.settled = 0
        self.newest: Reading | None = None
        self._placing = Placing(job, plan)
        self._placed: list[Reading] = []
        self.rows = in_order(own, ())
        self._at_settled: At = _latest({}, self.rows)
        self.at = self._at_settled

    def is_of(self, free: list[Reading]) -> bool:
        """Whether it follows from the beginning of these."""
        return self.count <= len(free) and (not self.count or free[self.count - 1] is self.newest)

    def with_more(self, free: list[Reading], moments: Callable[[], list[Moment]]) -> "Taken":
        """It with the points that came since; a moment that was settled is begun anew where more is of it.

        `moments` are those of all points, which the tests of a job share.
        """
        fresh = free[self.settled :]
        settled = {r.scan for r in free[: self.settled]} if self.settled and len(fresh) < len(free) else set()
        if any(r.scan in settled for r in free[self.count :]):
            return Taken(self.job, self.plan, self.own).with_more(free, moments)
        made = Taken.__new__(Taken)
        made.job, made.plan, made.own = self.job, self.plan, self.own
        placing, placed = self._placing.copy(), list(self._placed)
        *before, last = moments_of(fresh) if self.settled else moments()
        for moment in before:
            placed += placing.take(moment)
        made.settled = len(free) - len(last[0])
        made._placing, made._placed = placing.copy(), placed
        made.count, made.newest = len(free), free[-1]
        newest = placing.take(last)
        made.rows = in_order(self.own, [*placed, *newest])
        made.at = (
            _latest({}, made.rows) if self.own else _latest(self.at, [*placed[len(self._placed) :], *newest])
        )
        return made


#: By what the latest of readings is told.
_KEY = attrgetter("step", "place", "quantity")


def _latest(at: At, rows: Sequence[Reading]) -> At:
    """The latest of each step, place and quantity; what has no step is none."""
    found = {**at, **dict(zip(map(_KEY, rows), rows, strict=True))}
    if any(key[0] is None for key in found):
        found = {key: r for key, r in found.items() if key[0] is not None}
    return found


class ReadSoFar:
    """The readings that stand, of the newest state of the supply, and at which steps of which tests.

    `before` is the same of an earlier moment: where readings were only added since, only those are looked at.
    What it holds is not changed, and is shared.
    """

    count: int
    #: Places that have readings.
    places: list[str]

    def __init__(self, job: Job, readings: Iterable[Reading], before: "ReadSoFar | None" = None) -> None:
        every = list(readings)
        self.job, self.states = job, newest(job)
        if before is not None and before.job.campaign.tests is not job.campaign.tests:
            before = before if before.job.campaign.tests == job.campaign.tests else None
        if before is not None and before.states != self.states:
            before = None
        known = before.count if before is not None and before._goes_on_in(every) else 0
        fresh = every[known:]
        if before is None or not known or any(r.corrects is not None for r in fresh):
            before, fresh = None, standing(every)
        self.count, self.newest = len(every), every[-1] if every else None
        #: Readings by the test that they were read for; None: points, which belong to every test they fit.
        self.by_test: dict[str | None, list[Reading]] = dict(before.by_test) if before else {}
        self._free_places: set[str] = set(before._free_places) if before else set()
        self._at: dict[str, At] = dict(before._at) if before else {}
        self._taken: dict[str, Taken] = dict(before._taken) if before else {}
        places = dict.fromkeys(before.places if before else ())
        self._shared: list[Moment] | None = None
        sorter = Sorter(job)
        added: dict[str | None, list[Reading]] = {}
        places.update(dict.fromkeys(map(attrgetter("place"), fresh)))
        # Of a supply that was never changed all is of one state.
        mine = [r for r in fresh if r.state in self.states] if job.states else fresh
        for rows in _alike(mine):
            test = rows[0].test
            if sorter.is_free(rows[0]):
                self._free_places.update([r.place for r in rows])
                test = None
            added[test] = sorted([*added[test], *rows], key=_kept) if test in added else rows
        self.places = list(places)
        for test, rows in added.items():
            self.by_test[test] = [*self.by_test.get(test, ()), *rows]
            if test is not None:
                self._at[test] = _latest(self._at.get(test, {}), rows)

    def counts(self, test_id: str) -> tuple[int, int]:
        """How many readings a test may take: its own, and points; that of a test of something else is 0."""
        test = next((t for t in self.job.campaign.tests if t.id == test_id), None)
        # Of no campaign are those by which what was read is judged without any.
        takes = test is None or takes_all(test)
        if test is not None and kind_of(test).by_time:
            takes = CLOCK in self._free_places
        free = len(self.by_test.get(None, ())) if takes else 0
        return len(self.by_test.get(test_id, ())), free

    def newest_id(self, test_id: str) -> int:
        """The number of the newest reading that it may take."""
        keys: tuple[str | None, ...] = (test_id, None) if self.counts(test_id)[1] else (test_id,)
        return max((rows[-1].id or 0 for key in keys if (rows := self.by_test.get(key))), default=0)

    def was_read(self, test_id: str) -> bool:
        """Whether anything was read that a test may take."""
        own, free = self.counts(test_id)
        output = next((t.output for t in self.job.campaign.tests if t.id == test_id), None)
        return own > 0 or (free > 0 and output in self._free_places)

    def was_read_at(self, output: str) -> bool:
        """Whether points of an output were read outside of what was filed under a test."""
        return output in self._free_places

    def taken(self, plan: Plan) -> list[Reading]:
        """The readings that a test takes, each with its step."""
        return self._of(plan)[0]

    def at(self, plan: Plan) -> At:
        """The latest reading by step, place and quantity, of a test."""
        return self._of(plan)[1]

    def _of(self, plan: Plan) -> tuple[list[Reading], At]:
        key = plan.test.id
        own = self.by_test.get(key, _NONE)
        if not self._free or not takes_all(plan.test):
            return own, self._at.get(key, {})
        known = self._taken.get(key)
        if known is None or known.plan is not plan or known.own is not own or not known.is_of(self._free):
            known = Taken(self.job, plan, own)
        if known.count < len(self._free):
            known = known.with_more(self._free, self._moments)
        self._taken[key] = known
        return known.rows, known.at

    def _moments(self) -> list[Moment]:
        """All points by the moment that they share."""
        if self._shared is None:
            self._shared = moments_of(self._free)
        return self._shared

    @property
    def _free(self) -> list[Reading]:
        return self.by_test.get(None, _NONE)

    def _goes_on_in(self, readings: list[Reading]) -> bool:
        """Whether all that was known here is there still, with nothing but more behind it."""
        return 0 < self.count <= len(readings) and readings[self.count - 1] is self.newest

    def done(self, plan: Plan) -> set[int]:
        """Steps of a plan that have what they ask for; where no volts are judged, all that is read beside."""
        mine = self.at(plan)
        read = {(step, quantity) for step, _, quantity in mine}
        found = set()
        for step in plan.steps:
            asked = {"V", "Vpp", step.asks}
            beside = step.also and step.allowed == OPEN
            if any((step.index, q) in read for q in asked) or (
                beside and all((step.index, *what) in mine for what in step.also)
            ):
                found.add(step.index)
        return found

    def next_step(self, plan: Plan) -> int:
        """The first step that is open and still tells something; the first of all where none is.

        A load that is held stays on until another is read: its step stays in hand.
        """
        done, approach = self.done(plan), Approach(plan)
        mine = self.at(plan)
        if mine and any(s.hold_s is not None for s in plan.steps):
            return max(mine.values(), key=lambda r: r.id or 0).step or 0
        if is_by_strides(plan):
            return next_by_hand(plan, mine) or 0
        for step in plan.steps:
            volts = mine.get((step.index, step.place or plan.output.id, "V"))
            if volts is not None:
                approach.take(step, volts.value)
            elif step.index not in done and approach.wants(step):
                return step.index
        return 0
