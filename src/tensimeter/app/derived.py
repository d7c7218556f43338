"""What follows from one job and its readings."""

from collections import Counter
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from tensimeter.core.circuit.network import has_source
from tensimeter.core.design.reach import set_to
from tensimeter.core.electrical.elements import Network
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.guarded import guarded
from tensimeter.core.measurement.readings import Measurand, Reading, Wave
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.notice import Notice
from tensimeter.core.parts.limit import Limit
from tensimeter.core.procedure.matrix import numbered
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.envelope import State, envelope
from tensimeter.core.rating.ladder import at
from tensimeter.core.remembered import remembered
from tensimeter.core.testplan.evaluation import not_judged, outcome
from tensimeter.core.testplan.plan import as_read, plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.soak.identified import as_soaked
from tensimeter.core.testplan.step import Outcome, Plan

if TYPE_CHECKING:
    from tensimeter.core.heatup.soak_state import SoakState


@remembered("design", "stock", "policy", "settings", kept=8)
def _solved(
    job: Job, load: dict[str, float], volts: tuple[str, float] | None
) -> tuple[Network, Solution, list[Limit]] | None:
    amps = {k: np.float64(v) for k, v in load.items()}
    network = set_to(job, volts[0], volts[1], amps) if volts else None
    return at(job, amps, network)


#: A soak of fewer readings is judged at once, and any other test of fewer.
FEW, FEW_OF_OTHERS = 30, 20_000


class Derived:
    """What follows from one job and its readings; each figure is computed when first asked for.

    `plans` follow from the job alone: they are handed on while only readings or loads change.
    """

    def __init__(
        self,
        job: Job,
        readings: list[Reading],
        load: dict[str, float],
        plans: dict[str, Plan | None] | None = None,
        volts: tuple[str, float] | None = None,
        waves: Sequence[Wave] = (),
        judged: dict[str, tuple[tuple[object, ...], Outcome]] | None = None,
        running: "tuple[str, SoakState | None] | None" = None,
        read_before: ReadSoFar | None = None,
    ) -> None:
        self.job, self.readings, self.load, self.waves = job, readings, load, waves
        #: An output and the volts it is tried at, where those are not its own.
        self.volts = volts
        self.plans: dict[str, Plan | None] = {} if plans is None else plans
        #: Tests judged before, and how many readings and waveforms they were judged by.
        self.judged: dict[str, tuple[tuple[object, ...], Outcome]] = {} if judged is None else judged
        #: The test that a run is on with, and what that has told of its heat.
        self.running = running
        self._read_before = read_before

    @cached_property
    def solved(self) -> tuple[Network, Solution, list[Limit]] | None:
        """Network, solution and limits at the operating point; None where nothing can be solved."""
        if not has_source(self.job):
            return None
        return guarded(
            "The operating point", lambda: _solved(self.job, self.load, self.volts), lambda _: None
        )

    @cached_property
    def edges(self) -> dict[str, tuple[Limit, State]]:
        """Each limit where most of it is used, and in which state, by its name; least loads left out."""

        def worked_out() -> dict[str, tuple[Limit, State]]:
            found = envelope(self.job).worst() if has_source(self.job) else []
            return {limit.name: (limit, state) for limit, state in found if not limit.floor}

        return guarded("The edges", worked_out, lambda _: {})

    def plan(self, test_id: str | None) -> Plan | None:
        """A test worked out; None where there is no such test, or no path to plan it on."""
        test = next((t for t in (*self.job.campaign.tests, *self.as_read) if t.id == test_id), None)
        if test is None:
            return None
        if test.id not in self.plans:
            self.plans[test.id] = guarded("This test", lambda: plan(self.job, test), lambda _: None)
        return self.plans[test.id]

    def why_unplanned(self, test_id: str | None) -> str:
        """Why there is no plan of a test, in a sentence; empty where there is one, or no such test."""
        test = next((t for t in self.job.campaign.tests if t.id == test_id), None)
        if test is None or self.plan(test_id) is not None:
            return ""

        def planned() -> str:
            plan(self.job, test)
            return ""

        return guarded("This test", planned, str)

    def outcome(self, test_id: str | None) -> Outcome | None:
        """A test judged by all readings; None where there is no plan of it."""
        worked_out = self.plan(test_id)
        if worked_out is None:
            return None
        key = worked_out.test.id
        count = self._judged_by(key)
        *_, on, soak = count
        known = self.judged.get(key)
        if known is None or known[0] != count:
            mine = self.so_far.taken(worked_out)
            judged = guarded(
                "This test",
                lambda: outcome(
                    self.job, worked_out, mine, self.waves, running=bool(on), soak=soak, are_taken=True
                ),
                lambda s: not_judged(worked_out, s),
            )
            known = (count, judged)
            self.judged[key] = known
        return known[1]

    def _judged_by(self, test_id: str) -> "tuple[tuple[int, int, int], int, str, SoakState | None]":
        """What a judgement follows from beside the job."""
        on, soak = self.running if self.running and self.running[0] == test_id else ("", None)
        return (self._newest(test_id), self._waves[test_id], on, soak)

    def answers_at_once(self, test_id: str | None) -> bool:
        """Whether `outcome` does: of a soak it fits a forecast first, unless a run tells it; a day of scans
        takes as long."""
        test = next((t for t in self.job.campaign.tests if t.id == test_id), None)
        if test is None or sum(self.so_far.counts(test.id)) < (FEW if test.soaks else FEW_OF_OTHERS):
            return True
        known = self.judged.get(test.id)
        on = self.running is not None and self.running[0] == test.id
        return on or (known is not None and known[0] == self._judged_by(test.id))

    def was_read(self, test_id: str) -> bool:
        """Whether anything was read or recorded for a test, or a run is on with it."""
        running = self.running is not None and self.running[0] == test_id
        return running or self.so_far.was_read(test_id) or bool(self._waves[test_id])

    @cached_property
    def so_far(self) -> ReadSoFar:
        """What was read at which steps; looked at anew only as far as it is new."""
        return ReadSoFar(self.job, self.readings, self._read_before)

    @cached_property
    def numbered(self) -> dict[int, tuple[str, str, Measurand]]:
        """The points of the isolation matrix by their number: place, name, what is read."""
        return guarded("The matrix", lambda: numbered(self.job), lambda _: {})

    def _newest(self, test_id: str) -> tuple[int, int, int]:
        """How many readings a test may take, and the newest of them."""
        return (*self.so_far.counts(test_id), self.so_far.newest_id(test_id))

    @cached_property
    def _waves(self) -> Counter[str | None]:
        return Counter(w.test for w in self.waves)

    def outcomes(self, *, read_only: bool = False) -> list[Outcome]:
        """Every test judged, in the campaign's order; or only those with a reading, which is quick.

        Behind them stands what was read of outputs that no test of the campaign rates.
        """
        wanted = [t.id for t in self.job.campaign.tests if not read_only or self.was_read(t.id)]
        wanted += [t.id for t in self.as_read if self.so_far.was_read_at(t.output)]
        return [o for o in map(self.outcome, wanted) if o is not None]

    @cached_property
    def as_read(self) -> list[LoadRegulation]:
        """Tests that no campaign has, by which what was read is judged all the same."""
        return as_read(self.job)

    @property
    def heat_at_once(self) -> bool:
        """Whether `heat_job` is told without a fit: it was asked before, or nothing was soaked."""
        soaked = (test.id for test in self.job.campaign.tests if test.soaks)
        return "heat_job" in vars(self) or not any(self.so_far.was_read(test) for test in soaked)

    @cached_property
    def heat_job(self) -> Job:
        """The job with its heat as its latest soak has shown it; as designed while none has."""
        return guarded("Its heat", self._as_soaked, lambda _: self.job)

    def _as_soaked(self) -> Job:
        if self.running is not None:
            return self.job

        def read_in(test: str) -> list[Reading]:
            worked_out = self.plan(test)
            return self.so_far.taken(worked_out) if worked_out is not None else []

        return as_soaked(self.job, read_in, self.plan)

    def with_load(self, load: dict[str, float], volts: tuple[str, float] | None = None) -> "Derived":
        """The same at another operating point; judgements do not depend on it."""
        return Derived(
            self.job,
            self.readings,
            load,
            self.plans,
            volts,
            self.waves,
            self.judged,
            self.running,
            self.so_far,
        )

    @cached_property
    def notices(self) -> list[Notice]:
        return notices(self.job, self.readings)
