"""Tests of a plan at the points where one would go wrong unseen: what is passed over, what comes first."""

import numpy as np
import pytest
from msgspec.structs import replace

from tensimeter.core.measurement.conformity import Accuracy, Band
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, readings_first
from tensimeter.core.model.heat_tests import SensorCheck, Soak
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import CapacityDown, CrossRegulation, Overload
from tensimeter.core.testplan.advice import meter_sentence
from tensimeter.core.testplan.approach import Approach
from tensimeter.core.testplan.compared_pairs import _as_reference
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.kinds.overload import limit_of
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.core.testplan.registry import kind_of
from tensimeter.demo.library import demo_job
from tests.core.test_kinds_of_test import Notes
from tests.core.test_made_parts import read


def test_a_supply_that_sags_evenly_has_not_left_regulation(demo: Job) -> None:
    """0.2 Ω all the way: at 3 A it is 0.6 V down and on its own line; 0.5 V below that line it has left."""
    worked_out = plan(demo, Overload(id="t", output="dew"))
    steps = [s for s in worked_out.steps if s.phase == "approach"]
    approach = Approach(worked_out)
    assert len(steps) > 5
    for step in steps:
        assert not approach.take(step, 12.0 - 0.2 * step.set_A)
    assert not approach.left
    assert approach.take(steps[-1], 12.0 - 0.2 * steps[-1].set_A - 0.5)
    assert approach.left


@pytest.mark.parametrize("taken", [3, 4])
def test_four_points_are_the_fewest_that_show_a_limit(demo: Job, taken: int) -> None:
    notes = Notes(plan(demo, Overload(id="t", output="dew")))
    rows = [(12.0, 1.0), (11.9, 2.0), (11.8, 3.0), (6.0, 3.5)][-taken:]
    for k, (volts, amps) in enumerate(rows):
        # Typed at one and the same moment: no time runs, and none is made up.
        notes.put(k, at=100.0, V=volts, A=amps)
    found = limit_of(notes.judged(demo).facts)
    assert (found is None) is (taken < 4)


def test_two_points_make_the_line_that_is_followed(demo: Job) -> None:
    notes = Notes(plan(demo, Overload(id="t", output="dew")))
    for count in (1, 2):
        notes.put(count - 1, V=12.0 - 0.1 * count, A=0.5 * count)
        result = notes.judged(demo)
        picture = kind_of(result.plan.test).picture(result, result.plan.test)
        assert any(line.role == "path" for line in picture.lines) is (count == 2)


def test_a_discharge_is_drawn_from_its_first_reading(demo: Job) -> None:
    notes = Notes(plan(demo, CapacityDown(id="t", output="mount", share=0.5, cutoff_V=11.0, own_A=0.0)))
    for k, volts in enumerate((13.0, 12.5, 12.0)):
        notes.put(0, at=1000.0 + 60 * k, V=volts, A=4.0)
    result = notes.judged(demo)
    spots = kind_of(result.plan.test).picture(result, result.plan.test).spots
    assert [s.x for s in spots] == pytest.approx([0.0, 1.0, 2.0])


def test_a_case_that_was_left_out_leaves_the_others(demo: Job) -> None:
    """Of four cases of two outputs the second is missing: three remain, and tell the same resistances."""
    notes = Notes(plan(demo, CrossRegulation(id="t", output="mount", others=("dew",))))
    for step, of in enumerate(notes.plan.steps):
        a, b = of.set_A, dict(of.others).get("dew", 0.0)
        row = {"V": 13.6 - 0.045 * a - 0.010 * b, "A": a, "dew__V": 12 + 0.004 * a - 0.15 * b}
        if step == 1:
            row.pop("dew__V")
        notes.put(step, **row, **({"dew__A": b} if b else {}))
    found = {f.name: f.value.value for f in notes.judged(demo).findings if f.value is not None}
    assert found["MOUNT by DEW HEATER"] == pytest.approx(0.010, abs=1e-5)
    assert found["DEW HEATER by MOUNT"] == pytest.approx(-0.004, abs=1e-5)


def test_a_sensor_is_read_cool_first(demo: Job) -> None:
    titles = [s.title for s in plan(demo, SensorCheck(id="t", output="mount", points=(0.0, 0.5))).steps]
    assert titles == ["cool", "warm, 4 A"]


def test_a_soak_stays_at_the_step_that_is_held(demo: Job) -> None:
    soak = plan(demo, next(t for t in demo.campaign.tests if isinstance(t, Soak)))
    held = next(s.index for s in soak.steps if s.hold_s is not None)
    notes = Notes(soak).put(held, V=13.5, A=8.0)
    assert ReadSoFar(demo, notes.readings).next_step(soak) == held


def test_a_product_strays_by_what_both_factors_stray_by(demo: Job) -> None:
    """12 V ± 1 % and 2 A ± 2 %: 24 W ± 3 %; factors that are quite unknown leave no more than all of it."""

    def pair(volts: float, amps: float, of_V: float, of_A: float) -> dict[str, Reading]:
        by = [Accuracy(of_reading=share, counts=0, resolution=0.001) for share in (of_V, of_A)]
        base = Reading(1, 1.0, "mount", "V", volts, "m", by[0], "four-wire", "typed", id=1)
        return {"V": base, "A": base._replace(quantity="A", value=amps, accuracy=by[1], id=2)}

    product = _as_reference(demo, pair(12.0, 2.0, 0.01, 0.02), "W")
    assert product is not None
    assert product.value == pytest.approx(24.0)
    assert product.accuracy.of_reading == pytest.approx(0.03)
    quotient = _as_reference(demo, pair(12.0, 2.0, 0.7, 0.8), "ohm")
    assert (quotient.value, quotient.accuracy.of_reading) == (pytest.approx(6.0), 1.0)


def test_a_made_load_is_drawn_between_what_its_circuit_allows() -> None:
    job = demo_job("test-load")
    worked = plan(job, job.campaign.tests[0])
    points = enumerate(worked.steps[:3], start=1)
    rows = [read(k, "test-load", "A", s.set_A + 0.004, s.index) for k, s in points]
    # The second point was read by a meter that nothing is known of: it has no place, the third has one.
    rows[1] = rows[1]._replace(accuracy=None)
    result = outcome(job, worked, rows)
    picture = kind_of(worked.test).picture(result, worked.test)
    assert [s.x for s in picture.spots] == [0.3, 3.0]
    assert [s.y for s in picture.spots] == pytest.approx([4.0, 4.0])
    upper, lower = picture.lines
    # A per cent of shunt and what its reference strays by: milliamperes of the amps, growing with them.
    assert np.all(np.diff(upper.y) > 0)
    assert 0.01 * 3000 < upper.y[-1] < 0.1 * 3000
    assert lower.y == pytest.approx(-upper.y)


def test_a_band_without_a_top_asks_nothing_of_a_meter(demo: Job) -> None:
    whole = plan(demo, demo.campaign.tests[0])
    assert meter_sentence(demo, whole)
    for band, said in ((Band(13.0, None), False), (Band(None, 14.0), True)):
        first = replace(whole.steps[0], allowed=band)
        assert bool(meter_sentence(demo, replace(whole, steps=(first, *whole.steps[1:])))) is said


def test_what_a_path_gives_is_predicted_and_what_is_only_read_is_not(demo: Job) -> None:
    assert all(s.predicted_V is not None for s in plan(demo, demo.campaign.tests[0]).steps)
    shed = readings_first("Shed supply", "12V 5A")
    assert all(s.predicted_V is None for s in plan(shed, shed.campaign.tests[0]).steps)


def test_a_made_load_is_asked_for_no_more_than_its_watts_and_told_how_it_follows_the_volts() -> None:
    job = demo_job("test-load")
    test = changed(job.campaign.tests[0], volts=(19.0, 30.0))
    load = job.part("own-sink")
    worked = plan(job, test)
    at_30 = [s for s in worked.steps if "30 V" in s.title]
    assert at_30
    assert all(s.set_A <= load.max_W / 30.0 + 1e-9 for s in at_30)
    assert any(s.set_A < 0.999 * load.max_A for s in at_30)
    # The same amps at both volts, 1 % more at the higher: that is what it is off by for the volts.
    low = next(s for s in worked.steps if s.set_A == 0.3)
    high = next(s for s in at_30 if s.set_A == 0.3)
    rows = [read(1, "test-load", "A", 0.300, low.index), read(2, "test-load", "A", 0.303, high.index)]
    found = {f.key: f for f in outcome(job, worked, rows).findings}
    assert found["over_volts:0.3"].value.value == pytest.approx(0.01)
