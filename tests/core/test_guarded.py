"""Whatever was read: each finding stands for itself, and what can't be worked out says so."""

import logging
import random
from collections.abc import Callable

import numpy as np
import pytest

from tensimeter.core.analysis.regulation import Readings, regulation
from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.heat_tests import Soak
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.procedure import notices as all_notices
from tensimeter.core.procedure.notices import must_be_lifted, notices, open_holds
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.generator import generated
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.registry import KINDS, kind_of
from tensimeter.core.testplan.step import Plan
from tensimeter.demo.library import demo_job

ODD = (0.0, -0.0, 1.0, -1.0, 1e-9, 1e9, -1e9, float("inf"), 12.0, 13.59, 25.0, 1e4, -40.0)


def odd_readings(worked_out: Plan, chance: random.Random, count: int) -> list[Reading]:
    """Readings of a test by chance: any quantity anywhere, any value, out of order."""
    found, at = [], 0.0
    for k in range(count):
        at += chance.choice([0.0, 1.0, 60.0, -5.0])
        step = chance.choice([None, *worked_out.steps])
        for quantity in chance.sample(["V", "A", "C", "W", "ohm", "dB", "Vpp", "s"], 3):
            asked = [where for where, what in (step.also if step else ()) if what == quantity]
            place = chance.choice([*asked, worked_out.output.id, "front-end-case", "ambient", "wall"])
            value = chance.choice(ODD) if chance.random() < 0.5 else chance.gauss(12, 5)
            number = None if step is None else step.index
            row = (k, at, place, quantity, value, "hand-meter", None, "two-wire", "typed", "")
            run = chance.choice([1, 2, None])
            found.append(Reading(*row, worked_out.test.id, number, run, id=len(found) + 1))
    return found


@pytest.mark.parametrize("name", ["ridge-pier", "finishers-bench"])
def test_no_reading_whatsoever_breaks_a_finding(name: str, caplog: pytest.LogCaptureFixture) -> None:
    job, chance = generated(demo_job(name)), random.Random(3)
    for test in job.campaign.tests:
        worked_out = plan(job, test)
        for count in (1, 2, 12):
            result = outcome(job, worked_out, odd_readings(worked_out, chance, count))
            kind_of(test).picture(result, test)
            assert not [f for f in result.findings if f.key.startswith("failed:")], test.id
    assert not caplog.records


def test_a_soak_whose_last_row_draws_nothing_is_told_all_the_same(demo: Job) -> None:
    """Without a fixed loss no load is no heat at all; the rows before it still tell theirs."""
    part = demo.part("front-end-40").with_fields(loss_fixed_W=0.0)
    job = with_campaign(with_part(demo, part), tests=(Soak(id="hot", output="mount"),))
    worked_out, readings = plan(job, job.test("hot")), []
    for k in range(60):
        rise = 60 * (1 - np.exp(-k / 20))
        for place, quantity, value in (
            ("mount", "V", 13.5),
            ("mount", "A", 0.0 if k == 59 else 8.0),
            ("front-end-case", "C", round(20 + rise, 1)),
        ):
            row = (k, 30.0 * k, place, quantity, value, "hand-meter", None, "two-wire", "typed", "")
            readings.append(Reading(*row, "hot", 0, 1, id=len(readings) + 1))
    result = outcome(job, worked_out, readings)
    assert result.findings
    assert result.verdict is not Verdict.CONFORMS
    assert "Without power" not in " ".join(f.text for f in result.findings)


def test_a_finding_that_fails_says_so_and_proves_nothing(
    demo: Job, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def broken(*_: object) -> list:
        raise ZeroDivisionError("by the test")

    test = demo.campaign.tests[0]
    worked_out = plan(demo, test)
    monkeypatch.setattr(type(KINDS[test.kind]), "findings", broken)
    readings = []
    for s in worked_out.steps:
        for quantity, value in (("V", s.predicted_V.value), ("A", s.set_A)):
            accuracy = Accuracy(of_reading=1e-5, resolution=1e-4)
            row = (s.index, 0.0, "mount", quantity, value, "x", accuracy, "four-wire", "typed", "")
            readings.append(Reading(*row, test.id, s.index, id=len(readings) + 1))
    result = outcome(demo, worked_out, readings)
    assert all(r.verdict is Verdict.CONFORMS for r in result.steps)
    failed = next(f for f in result.findings if f.key == "failed:test")
    assert "ZeroDivisionError: by the test" in failed.text
    assert "kept" in failed.text
    assert result.verdict is Verdict.NOT_MEASURED
    assert result.regulation is not None
    assert caplog.records[-1].exc_info is not None
    assert caplog.records[-1].levelno == logging.ERROR


def test_holds_that_cannot_be_told_stop_all_the_same(demo: Job, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object) -> list:
        raise KeyError("a link that is gone")

    monkeypatch.setattr(all_notices, "build_notices", broken)
    told = [n for n in notices(demo) if n.id.startswith("failed:")]
    # What stands before building stands before first power as well.
    assert [(n.kind, n.stage) for n in told] == [("hold", "assemble"), ("hold", "wake")]
    assert [open_holds(told, stage, "mount") for stage in ("assemble", "wake")] == [told[:1], told[1:]]
    monkeypatch.setattr(all_notices, "prove_notices", lambda *_: [])
    with pytest.raises(UserError, match="Not worked out"):
        must_be_lifted(demo, [], "mount")


def test_one_huge_reading_leaves_the_scatter_computable() -> None:
    meter = Accuracy(of_reading=0.005, counts=2, resolution=0.01)
    volts, amps = np.array([13.6, 1e9, 13.4, 13.3]), np.array([0.0, 2.0, 4.0, 8.0])
    data = Readings(volts, amps, ["m"] * 4, ["a"] * 4, {"m": meter, "a": meter})
    assert np.isfinite(regulation(data, 13.6).birge)


def test_what_fails_by_the_user_is_said_in_the_users_words() -> None:
    def call(make: Callable[[], str]) -> str:
        return guarded("The line", make, str)

    assert call(lambda: "fine") == "fine"
    assert "IndexError" in call(lambda: [""][1])
