"""Plans within reach, outcomes from facts, limits that rank, what may be printed."""

import numpy as np
import pytest
from msgspec.structs import replace

from tensimeter.core.circuit.load_line import explain_input, explain_volts, load_line
from tensimeter.core.circuit.network import build
from tensimeter.core.design.reach import load_reach_A
from tensimeter.core.electrical.solver import solve
from tensimeter.core.held.points import proven_A
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import Reading, standing
from tensimeter.core.model import edits, stock_edits
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.rating.ladder import at, continuous_full_load, ranked
from tensimeter.core.testplan import advice
from tensimeter.core.testplan.destination import step_for
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.step import Plan

FINE = Accuracy(of_reading=0.0001, counts=1, resolution=0.001)


def take(
    worked_out: Plan, volts: dict[int, float], accuracy: Accuracy = FINE, **fields: object
) -> list[Reading]:
    """Pairs of readings at some steps."""
    found = []
    for step, value in volts.items():
        amps = worked_out.steps[step].set_A
        for quantity, v in (("V", value), ("A", amps)):
            plain = {
                "scan": step + 1,
                "at": float(step),
                "place": worked_out.output.id,
                "instrument": "m",
                "accuracy": accuracy,
                "wiring": "four-wire",
                "origin": "typed",
                "id": 2 * step + (quantity == "A"),
                "test": worked_out.test.id,
                "step": step,
            }
            found.append(Reading(**{**plain, "quantity": quantity, "value": v, **fields}))
    return found


@pytest.fixture
def mount(demo: Job) -> Plan:
    return plan(demo, demo.campaign.tests[0])


def test_a_plan_goes_up_to_full_load_and_down(mount: Plan) -> None:
    amps = [s.set_A for s in mount.steps]
    assert amps == [0, 1.6, 3.2, 4.8, 6.4, 8.0, 4.0, 0]
    assert mount.full_load.reason == "the output's full load"
    assert not mount.unreachable
    for step in mount.steps:
        assert step.predicted_V is not None
        assert step.predicted_V.low < step.predicted_V.value < step.predicted_V.high
        assert step.allowed.ends == pytest.approx((13.192, 14.008))


def test_a_plan_stays_within_what_the_load_can_sink(demo: Job) -> None:
    small = edits.changed(demo.part("sink-150"), max_W=60)
    limited = plan(stock_edits.with_part(demo, small), demo.campaign.tests[0])
    assert limited.most_A == pytest.approx(60 / 13.6, abs=1e-3)
    assert limited.most_A * 13.6 <= 60
    assert "sinks 4.41 A there" in limited.unreachable[0]
    assert load_reach_A(small, 130) == 0
    assert load_reach_A(small, 0.2) == pytest.approx(4.0)


def test_a_plan_stays_within_the_policy(demo: Job) -> None:
    strict = demo.model_copy(update={"policy": edits.changed(demo.policy, fuse_share=0.375)})
    limited = plan(strict, strict.campaign.tests[0])
    assert limited.full_load.amps == pytest.approx(6.0, abs=0.01)
    assert limited.full_load.reason == "Fuse 16 A, continuous"
    assert "8 A was wanted" in limited.unreachable[0]


def test_what_gives_up_first_is_on_top(demo: Job) -> None:
    _, solution, limits = at(demo, {"mount": 8.0})
    order = ranked(limits)
    assert order[0].name == "Front end, hot spot"
    # 8 A through the front end lose 8.18 W; 8.9 K/W above 20 °C, of 85 K that are allowed.
    assert float(order[0].fraction) == pytest.approx(8.9 * (1.3 + 0.42 * 8 + 0.055 * 64) / 85)
    fuse = next(x for x in limits if x.name == "Fuse 16 A, continuous")
    assert float(fuse.fraction) == pytest.approx(8 / 12)
    text = fuse.worked().text()
    assert "75 % of 16 A" in text
    assert "12 A" in text
    watts = next(x for x in limits if x.name == "Donor B, continuous watts")
    unit_V = float(solution["donor-b"].V - solution["donor-a"].V)
    assert float(watts.used) == pytest.approx(unit_V * float(solution["donor-b"].I))
    assert watts.allowed == pytest.approx(120)
    assert continuous_full_load(demo, "hub").amps == 2.0


def test_the_band_is_seeded_and_holds_the_prediction(demo: Job) -> None:
    amps = np.linspace(0, 8, 5)
    one, two = load_line(demo, "mount", amps, seed=1), load_line(demo, "mount", amps, seed=1)
    assert one is not None
    assert two is not None
    np.testing.assert_array_equal(one.low, two.low)
    assert np.all((one.low < one.volts) & (one.volts < one.high))
    # No load: only the set tolerance of ±0.3 % counts, rectangular: 0.95·a.
    assert one.high[0] - one.volts[0] == pytest.approx(0.95 * 0.003 * 13.6, rel=0.05)


def test_every_volt_can_be_asked_why(demo: Job) -> None:
    network = build(demo)
    solution = solve(network, {"mount": 8.0})
    for link in demo.design.links:
        worked = explain_volts(demo, solution, network, link.id)
        assert worked.value == pytest.approx(float(solution[link.id].V))
        assert worked.formula in worked.text()
    figures = {g.symbol: g.value for g in explain_input(solution, network, "front-end", "Front end").given}
    by_hand = figures["U"] * figures["I"] + figures["P0"] + figures["a"] * 8 + figures["b"] * 64
    assert by_hand / figures["U_in"] == pytest.approx(float(solution["front-end"].I_in))


def test_nothing_read_is_not_a_verdict(demo: Job, mount: Plan) -> None:
    empty = outcome(demo, mount, [])
    assert empty.verdict is Verdict.NOT_MEASURED
    assert proven_A(empty) is None
    assert advice.outcome_sentence(empty) == "Nothing read yet. First: 0 A."


def test_a_point_that_misses_ends_the_rating_below_it(demo: Job, mount: Plan) -> None:
    volts = {k: 13.58 - 0.052 * s.set_A for k, s in enumerate(mount.steps)}
    found = outcome(demo, mount, take(mount, volts))
    assert found.steps[5].verdict is Verdict.NONCONFORMING
    assert found.verdict is Verdict.NONCONFORMING
    assert found.regulation_verdict is Verdict.CONFORMS
    # What flowed for certain: a little less than what was set.
    assert proven_A(found) == pytest.approx(6.4, rel=5e-3)
    assert "At 8 A the volts miss." in advice.outcome_sentence(found)
    # A second look at the same current that fails takes that current away, too.
    worse = take(mount, {**volts, 6: 12.0})
    assert proven_A(outcome(demo, mount, worse)) == pytest.approx(3.2, rel=5e-3)


def test_a_coarse_meter_is_too_close_and_says_what_would_settle_it(demo: Job, mount: Plan) -> None:
    coarse = Accuracy(of_reading=0.01, counts=5, resolution=0.01)
    volts = {k: 13.58 - 0.045 * s.set_A for k, s in enumerate(mount.steps)}
    found = outcome(demo, mount, take(mount, volts, coarse))
    assert found.steps[5].verdict is Verdict.TOO_CLOSE
    assert "too close to call" in advice.outcome_sentence(found)
    said = advice.meter_sentence(demo, mount, "hand-meter")
    assert "Bench multimeter would read" not in said or "0." in said
    tight = demo.model_copy(
        update={"design": edits.with_link(demo, edits.changed(mount.output, tolerance=0.004)).design}
    )
    said = advice.meter_sentence(tight, plan(tight, tight.campaign.tests[0]), "hand-meter")
    assert "can never call this held" in said
    assert "Bench multimeter would read" in said
    assert "fine enough" in advice.meter_sentence(demo, mount, "bench-meter")


def test_partial_readings_are_partial(demo: Job, mount: Plan) -> None:
    found = outcome(demo, mount, take(mount, {0: 13.58, 2: 13.42}))
    assert not found.complete
    assert found.measured == 2
    assert found.regulation is not None
    said = advice.outcome_sentence(found)
    assert said.startswith("2 of 8 points read.")
    assert "not measured at 8 A; the line would give 13.18 V" in said
    following = advice.next_sentence(demo, found, take(mount, {0: 13.58, 2: 13.42}))
    assert following.startswith("A reading at 8 A")
    alone = outcome(demo, mount, take(mount, {0: 13.58}))
    assert alone.regulation is None
    assert "A second current" in advice.outcome_sentence(alone)


def test_mixed_origins_and_a_lead_are_one_campaign(demo: Job, mount: Plan) -> None:
    lead = 0.021
    job = edits.with_campaign(demo, sense_lead_ohm=lead)
    far = {k: 13.58 - (0.05 + lead) * mount.steps[k].set_A for k in (0, 2, 4)}
    near = {k: 13.58 - 0.05 * mount.steps[k].set_A for k in (1, 3, 5)}
    readings = [*take(mount, far, wiring="two-wire"), *take(mount, near, origin="instrument")]
    found = outcome(job, plan(job, job.campaign.tests[0]), readings)
    assert found.regulation is not None
    assert found.regulation.output_resistance_ohm.value == pytest.approx(0.05, abs=2e-4)
    assert found.steps[4].volts is not None
    assert found.steps[4].volts.value == pytest.approx(13.58 - 0.05 * 6.4)


def test_a_correction_replaces_what_it_names(demo: Job, mount: Plan) -> None:
    wrong = take(mount, {0: 1.358})
    right = take(mount, {0: 13.58})
    right = [r._replace(id=50 + w.id, corrects=w.id) for r, w in zip(right, wrong, strict=True)]
    assert len(standing([*wrong, *right])) == 2
    found = outcome(demo, mount, [*wrong, *right])
    assert found.steps[0].verdict is Verdict.CONFORMS


def test_readings_find_their_step(mount: Plan) -> None:
    assert step_for(mount, 4.81, set()) == 3
    assert step_for(mount, 0.0, set()) == 0
    assert step_for(mount, 0.0, {0}) == 7
    assert step_for(mount, 0.0, {0, 7}) == 0
    assert step_for(mount, 5.6, set()) is None
    # Of two open ones within reach the nearer, not the first.
    beside = replace(mount.steps[1], index=9, set_A=mount.steps[1].set_A + 0.06)
    close = replace(mount, steps=(*mount.steps[:2], beside))
    assert step_for(close, close.steps[1].set_A + 0.05, set()) == 9


def test_accuracy_comes_from_the_range_that_was_used(demo: Job) -> None:
    fine, name = accuracy_of(demo, "bench-meter", "V", 5.2)
    assert (name, fine.resolution) == ("6 V", 0.0001)
    assert accuracy_of(demo, "bench-meter", "V", 13.6)[1] == "60 V"
    assert accuracy_of(demo, "bench-meter", "V", 900.0)[1] == "assumed"
    assert accuracy_of(demo, "sink-150", "A", 2.0)[0].resolution == 0.001
    assert accuracy_of(demo, "probe-k", "C", 40.0)[0].offset == pytest.approx(1.1)
    assumed, name = accuracy_of(demo, None, "V", 13.6, 0.1)
    assert (name, assumed.resolution) == ("assumed", 0.1)
