"""What a test sets, draws and says, where its kind decides it."""

import math

import numpy as np
import pytest

from tensimeter.core.design.reach import reach
from tensimeter.core.held.points import shown_A
from tensimeter.core.measurement.conformity import Accuracy, Band, Verdict
from tensimeter.core.measurement.readings import Reading, interval_of
from tensimeter.core.model.edits import changed, with_campaign, with_link, with_test
from tensimeter.core.model.heat_tests import FanTest, Soak
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.model.tests import LoadRegulation, Overload, Tolerance
from tensimeter.core.parts.plain_loads import Resistor
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.kinds.heat_kind import heat_picture
from tensimeter.core.testplan.kinds.volts import changes_words
from tensimeter.core.testplan.picture import in_band
from tensimeter.core.testplan.plain_loads import points
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.reach_points import reach_points
from tensimeter.core.testplan.registry import KINDS
from tensimeter.core.testplan.step import OPEN, Plan
from tensimeter.demo.library import demo_job

METER = Accuracy(of_reading=0.0, counts=10, resolution=0.001)


def read(worked_out: Plan, *rows: tuple[int, str, float], at: float = 0.0, run: int = 1) -> list[Reading]:
    found = []
    for k, (step, key, value) in enumerate(rows):
        place, _, quantity = key.rpartition(" ")
        where = place or worked_out.steps[step].place or worked_out.output.id
        row = (step, at + k, where, quantity, value, "hand-meter", METER, "four-wire", "typed", "")
        found.append(Reading(*row, worked_out.test.id, step, run, id=k + 1))
    return found


def test_what_each_kind_is_taken_for() -> None:
    """Temperatures over time, amps that tell the step, limits passed on purpose, points in the reach."""
    flags = {
        "heats": {"endurance", "fan", "over-temperature", "sensor", "soak"},
        "by_current": {"efficiency", "load-regulation", "minimum-load", "ripple"},
        "past_limits": {"current-limit", "over-voltage", "short-circuit"},
        "in_reach": {"load-regulation", "reach"},
    }
    for flag, kinds in flags.items():
        assert {k for k, kind in KINDS.items() if getattr(kind, flag)} == kinds, flag


def test_a_load_that_holds_ohms_or_watts_is_set_to_draw_the_amps_of_its_step(demo: Job) -> None:
    for mode, field in (("CC", None), ("CR", "ohms"), ("CP", "watts")):
        steps = plan(demo, LoadRegulation(id="t", output="mount", mode=mode)).steps
        assert (steps[0].ohms, steps[0].watts) == (None, None)
        for s in (s for s in steps if s.set_A):
            volts = s.predicted_V.value
            wanted = {None: None, "ohms": volts / s.set_A, "watts": volts * s.set_A}[field]
            assert getattr(s, field or "ohms") == (None if wanted is None else pytest.approx(wanted))


def test_a_trim_is_turned_just_past_what_it_must_reach(demo: Job) -> None:
    test = Tolerance(id="t", output="mount", span_V=(12.0, 15.0))
    low, high = plan(demo, test).steps[1:3]
    assert (low.trim_V, low.allowed) == (pytest.approx(12 * 0.985), Band(None, 12.0))
    assert (high.trim_V, high.allowed) == (pytest.approx(15 * 1.015), Band(15.0, None))


def test_how_fine_a_meter_tells_changes_apart(demo: Job) -> None:
    """Two readings of one range scatter by 1.96·√2 of what one does."""
    worked_out = plan(demo, LoadRegulation(id="t", output="mount"))
    nominal = worked_out.output.nominal_V
    scatter = accuracy_of(demo, demo.campaign.voltmeter, "V", nominal)[0].scatter
    half = 100 * 1.96 * math.sqrt(2) * scatter / nominal
    words = changes_words(demo, worked_out, 0.02)
    told = float(words.split("± ")[1].split(" ")[0].replace("m", "e-3"))
    assert told == pytest.approx(half, rel=0.02) or told == pytest.approx(half * 10, rel=0.02)
    assert "fine enough" in words
    assert "too coarse" in changes_words(demo, worked_out, 3.2 * half / 100)


def test_the_corners_of_a_reach_lie_inside_it(demo: Job) -> None:
    """At nineteen twentieths of the border, and within what the load sinks."""
    free = with_campaign(demo, load=None)
    corners = reach_points(free, "mount")
    assert len(corners) >= 3
    for corner in corners:
        border = reach(free, "mount", np.array([corner.volts]), np.linspace(0, 25, 2501)).border()[0]
        assert 0.93 * border.amps < corner.amps < 0.96 * border.amps


def test_a_fan_is_also_tried_where_a_linear_stage_loses_most() -> None:
    bench = demo_job("finishers-bench")
    output = bench.design.outputs()[0]

    def last(job: Job) -> float | None:
        return plan(job, FanTest(id="fan", output=output.id)).steps[-1].trim_V

    assert last(bench) is not None
    assert last(with_link(bench, changed(output, adjustable=False))) is None
    part = next(p for p in bench.stock if p.kind == "converter" and p.topology == "linear")
    assert last(with_part(bench, changed(part, topology="step_down"))) is None


def test_few_points_are_kept_of_many_loads(demo: Job) -> None:
    job, ids = demo, []
    for k, ohms in enumerate((20, 24, 27, 33, 39)):
        job = with_part(job, Resistor(id=f"r{k}", name=f"R{k}", resistance_ohm=ohms, rated_W=50))
        ids.append(f"r{k}")
    few, _ = points(with_campaign(job, load="r0", other_loads=("r1", "r2")), 13.6, 8.0)
    assert len(few) == 9 - 1 or len(few) == 8
    many, _ = points(with_campaign(job, load="r0", other_loads=tuple(ids[1:])), 13.6, 8.0)
    assert len(many) == 8
    amps = [load.amps for load in many]
    assert amps[:-1] == sorted(amps[:-1])
    # The least and the most of what can be joined are among them.
    assert amps[0] == amps[-1] == 0.0
    assert max(amps) == pytest.approx(13.6 * (1 / 20 + 1 / 24 + 1 / 27))


def test_points_are_drawn_as_shares_of_their_own_bands(demo: Job) -> None:
    """13.6 V in 13.328 to 13.872 V is its middle; half a volt below an open end is five times out."""
    worked_out = plan(demo, Tolerance(id="t", output="mount", span_V=(12.0, 15.0)))
    low, high = worked_out.steps[0].allowed.ends
    rows = [(0, "V", (low + high) / 2 + (high - low) / 4), (1, "V", 11.4), (2, "V", 15.3)]
    result = outcome(demo, worked_out, read(worked_out, *rows))
    drawn = in_band(result)
    assert drawn.band == (-100.0, 100.0)
    assert drawn.names == tuple(s.title for s in worked_out.steps)
    assert [spot.y for spot in drawn.spots[:3]] == [
        pytest.approx(50.0),
        # Its allowed side is below 12 V: a tenth of it is the half of the band.
        pytest.approx(100 * (11.4 - (12 - 1.2)) / 1.2),
        pytest.approx(100 * (15.3 - (15 + 1.5)) / 1.5),
    ]
    half = 100 * 0.010 / ((high - low) / 2)
    assert drawn.spots[0].half == pytest.approx(half, rel=0.25)


def test_a_limit_that_cannot_be_read_off_says_so_only_where_something_was_read(demo: Job) -> None:
    worked_out = plan(demo, Overload(id="t", output="mount"))
    assert not outcome(demo, worked_out, []).findings
    result = outcome(demo, worked_out, read(worked_out, (0, "V", 13.6), (0, "A", 0.0)))
    assert all(f.is_note for f in result.findings if f.key == "kind")
    back = [s for s in worked_out.steps if s.phase == "back"]
    assert [s.reset for s in back] == [False, True]
    assert [s.set_A for s in back] == [0.0, 0.0]
    assert all(s.allowed == OPEN for s in back)


def test_a_soak_is_drawn_from_its_latest_run(demo: Job) -> None:
    job = with_test(demo, Soak(id="hot", output="mount"))
    worked_out = plan(job, job.test("hot"))
    readings = []
    for run, begin in ((1, 0.0), (2, 9000.0)):
        for k in range(4):
            rows = [(0, "V", 13.5), (0, "A", 8.0), (0, "front-end-sink C", 30.0 + k + run)]
            readings += [
                r._replace(scan=100 * run + k, id=len(readings) + 100 * run + i, at=begin + 60.0 * k)
                for i, r in enumerate(read(worked_out, *rows, run=run))
            ]
    drawn = heat_picture(outcome(job, worked_out, readings))
    line = next(x for x in drawn.lines if x.role == "measured")
    assert (drawn.across, drawn.up) == ("minutes", "°C")
    assert line.x.tolist() == [0.0, 1.0, 2.0, 3.0]
    assert line.y.tolist() == [32.0, 33.0, 34.0, 35.0]
    assert Verdict.NOT_MEASURED is outcome(job, worked_out, []).verdict


def test_what_is_shown_is_what_flowed_for_certain(demo: Job) -> None:
    """Planned 8 A, read 7.50 ± 0.01 A: 7.49 A is shown, and nothing above a point that fails."""
    test = LoadRegulation(id="t", output="mount", points=(0.0, 0.5, 1.0))
    worked_out = plan(demo, test)
    rows = []
    for s, amps in zip(worked_out.steps, (0.0, 4.2, 7.5), strict=True):
        rows += [(s.index, "V", 13.6 - 0.03 * amps), (s.index, "A", amps)]
    result = outcome(demo, worked_out, read(worked_out, *rows))
    flowed = interval_of(result.steps[2].pair.amps)
    assert 7.45 < flowed.low < 7.5
    assert shown_A(result) == pytest.approx(flowed.low)
    rows[4] = (2, "V", 11.0)
    failing = outcome(demo, worked_out, read(worked_out, *rows))
    assert shown_A(failing) == pytest.approx(interval_of(failing.steps[1].pair.amps).low)
    assert shown_A(outcome(demo, worked_out, [])) is None
