"""What was read so far, by test and by step; what is new is added to what was known."""

from collections.abc import Iterable

from tensimeter.core.measurement.readings import Measurand, Reading, standing
from tensimeter.core.testplan.approach import Approach
from tensimeter.core.testplan.step import OPEN, Plan


class ReadSoFar:
    """The readings that stand, and at which steps of which tests what was read.

    `before` is the same of an earlier moment: where readings were only added since, only those are looked at.
    What it holds is not changed, and is shared.
    """

    count: int
    #: Places that have readings.
    places: list[str]

    def __init__(self, readings: Iterable[Reading], before: "ReadSoFar | None" = None) -> None:
        every = list(readings)
        known = before.count if before is not None and before._goes_on_in(every) else 0
        fresh = every[known:]
        if before is None or not known or any(r.corrects is not None for r in fresh):
            before, fresh = None, standing(every)
        self.count, self.newest = len(every), every[-1] if every else None
        #: Readings by the test they count in; None for those that count in none.
        self.by_test: dict[str | None, list[Reading]] = dict(before.by_test) if before else {}
        #: The latest reading by step, place and quantity, of each test.
        self.at: dict[str, dict[tuple[int, str, Measurand], Reading]] = dict(before.at) if before else {}
        places = dict.fromkeys(before.places if before else ())
        added: dict[str | None, list[Reading]] = {}
        for r in fresh:
            added.setdefault(r.test, []).append(r)
            places[r.place] = None
        self.places = list(places)
        for test, rows in added.items():
            self.by_test[test] = [*self.by_test.get(test, ()), *rows]
            if test is not None:
                latest = {(r.step, r.place, r.quantity): r for r in rows if r.step is not None}
                self.at[test] = {**self.at.get(test, {}), **latest}

    def _goes_on_in(self, readings: list[Reading]) -> bool:
        """Whether all that was known here is there still, with nothing but more behind it."""
        return 0 < self.count <= len(readings) and readings[self.count - 1] is self.newest

    def done(self, plan: Plan) -> set[int]:
        """Steps of a plan that have what they ask for; where no volts are judged, all that is read beside."""
        mine = self.at.get(plan.test.id, {})
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
        mine = self.at.get(plan.test.id, {})
        if mine and any(s.hold_s is not None for s in plan.steps):
            return max(mine.values(), key=lambda r: r.id or 0).step or 0
        for step in plan.steps:
            volts = mine.get((step.index, step.place or plan.output.id, "V"))
            if volts is not None:
                approach.take(step, volts.value)
            elif step.index not in done and approach.wants(step):
                return step.index
        return 0
