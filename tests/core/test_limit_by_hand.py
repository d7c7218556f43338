"""A limit that a hand looks for, following what is asked at a supply whose limit nobody knows."""

import itertools

import numpy as np
import pytest

from tensimeter.core.analysis.current_limit import LimitKind
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import Overload
from tensimeter.core.testplan.kinds.overload import limit_of
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.step import Facts, Step

METER = Accuracy(of_reading=0.0005, counts=2, resolution=0.001)


class Supply:
    """13.6 V that limits at a knee, or goes off there until it is reset, or until less is asked."""

    def __init__(self, kind: str, knee: float) -> None:
        self.kind, self.knee, self.is_off = kind, knee, False
        self.trips = 0

    def at(self, step: Step) -> tuple[float, float]:
        """Volts and amps as a load is set by a step."""
        if step.reset or (self.kind == "comes back" and step.set_A == 0):
            self.is_off = False
        if step.ohms is not None:
            asked = 13.5 / (step.ohms + 0.01)
            flows = min(asked, self.knee) if self.kind == "limits" else asked
        else:
            asked = flows = step.set_A
        if self.kind != "limits" and asked > self.knee and not self.is_off:
            self.is_off, self.trips = True, self.trips + 1
        if self.is_off:
            return 0.0, 0.0
        if step.ohms is not None:
            return flows * step.ohms, flows
        return (13.5 - 0.01 * asked, asked) if asked <= self.knee else (0.4, self.knee)


def followed(job: Job, supply: Supply) -> tuple[list[int], Facts]:
    """The steps that were asked one after another, and all that was read."""
    worked_out = plan(job, Overload(id="x", output="mount"))
    job = job.model_copy(update={"campaign": job.campaign.model_copy(update={"tests": (worked_out.test,)})})
    rows: list[Reading] = []
    asked: list[int] = []
    for scan in itertools.count(1):
        index = ReadSoFar(job, rows).next_step(worked_out)
        if asked and index == 0:
            break
        asked.append(index)
        assert scan < 60, asked
        volts, amps = supply.at(worked_out.steps[index])
        for quantity, value in (("V", volts), ("A", amps)):
            fact = (scan, float(scan), "mount", quantity, value, "m", METER, "two-wire", "typed", "20 A", "x")
            rows.append(Reading(*fact, index, id=len(rows) + 1))
    return asked, Facts(job, worked_out, tuple(rows))


@pytest.mark.parametrize("kind", ["limits", "latches", "comes back"])
def test_a_limit_is_found_by_hand_in_few_points(demo: Job, kind: str) -> None:
    wanted = {
        "limits": LimitKind.CONSTANT_CURRENT,
        "latches": LimitKind.LATCH_OFF,
        "comes back": LimitKind.UNSURE,
    }
    counts = []
    for seed in range(12):
        supply = Supply(kind, float(np.random.default_rng(seed).uniform(6.0, 10.9)))
        asked, facts = followed(demo, supply)
        counts.append(len(asked))
        found = limit_of(facts)
        assert found is not None
        assert found.kind is wanted[kind], (found, supply.knee, asked)
        assert found.knee_A.low - 0.02 <= supply.knee <= found.knee_A.high + 0.02
        if supply.knee > 9.4:
            # As near as one fine step of the plan.
            assert found.knee_A.half_width < 0.35
        assert supply.trips <= 4
    assert max(counts) <= 20


def test_a_limit_that_is_not_reached_ends_at_the_last_point(demo: Job) -> None:
    asked, facts = followed(demo, Supply("limits", 30.0))
    assert len(asked) <= 10
    assert limit_of(facts).kind in (LimitKind.NONE_REACHED, LimitKind.LOAD_LIMITED)
    steps = facts.plan.steps
    assert max(steps[k].set_A for k in asked if steps[k].phase == "approach") == max(
        s.set_A for s in steps if s.phase == "approach"
    )
    assert steps[asked[-1]].title == "back to no load"
