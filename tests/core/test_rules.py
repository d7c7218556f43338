"""Where the rules bite: thresholds, rules of thumb, worst ends, each against a figure by hand."""

import math

import numpy as np
import pytest

from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.design.bands import allowed
from tensimeter.core.measurement.conformity import Accuracy, Band, Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, readings_first, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.figures import FeedbackDivider
from tensimeter.core.path import Design
from tensimeter.core.procedure.causes import causes
from tensimeter.core.procedure.first_power import bare_seconds, power_up_results, power_up_steps
from tensimeter.core.procedure.incoming_check import outcome, tried
from tensimeter.core.procedure.matrix import matrix
from tensimeter.core.procedure.notices import notices
from tensimeter.core.procedure.stored_energy import how_long, stored, ways
from tensimeter.core.rating.dissipation import hot_spots
from tensimeter.core.rating.fan_cooling import FanStep, Phase, fan_steps, resistance_at, swing
from tensimeter.core.rating.ladder import at, fault_notes
from tensimeter.demo.library import demo_job


@pytest.fixture
def bench() -> Job:
    return demo_job("finishers-bench")


def typed(place: str, quantity: str, value: float) -> Reading:
    accuracy = Accuracy(of_reading=0.005, counts=2, resolution=0.01)
    return Reading(1, 1.0, place, quantity, value, "hand-meter", accuracy, "two-wire", "typed", id=1)


# -- heat and its fan -------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("control", "steps"),
    [
        ("always", [(-math.inf, -math.inf, 1.0)]),
        ("threshold", [(55, 45, 1.0)]),
        ("steps", [(55, 45, 0.5), (65, 55, 1.0)]),
        ("proportional", [(55, 45, 0.5), (60, 60, 4 / 6), (65, 65, 5 / 6), (70, 70, 1.0)]),
    ],
)
def test_a_fans_speeds_and_where_each_begins(bench: Job, control: str, steps: list) -> None:
    fan = next(x for x in bench.design.links if x.kind == "fan")
    job = with_link(bench, changed(fan, control=control, on_C=55.0, off_C=45.0, slow_V=6.0))
    found = [(s.from_C, s.back_C, s.speed) for s in fan_steps(job)]
    assert found == [pytest.approx(s) for s in steps]


def test_what_a_fan_does_past_its_last_step_and_what_blows_on_nothing() -> None:
    hot = Phase(np.asarray(90.0), 100.0, -math.inf, -math.inf, 60.0, 0.0)
    assert swing([hot]) == swing([hot, hot])
    assert (swing([hot]).words, swing([hot]).share) == ("runs at full speed", 1.0)
    assert resistance_at(2.2, None, 1.0) == 2.2
    # Conductance with flow^0.6: 0.4545 + (1.25 − 0.4545)·0.5^0.6 W/K.
    assert resistance_at(2.2, 0.8, 0.5) == pytest.approx(1 / (0.454545 + 0.795455 * 0.659754), rel=1e-5)
    assert FanStep(55, 45, 1.0).back_C == 45


def test_a_hot_spot_without_a_known_switch_is_as_hot_as_its_sink(bench: Job) -> None:
    job = with_part(bench, changed(bench.part("linear"), switch_K_W=None))
    _, solution, _ = at(job, {"bath": np.float64(0.5)})
    for spot in hot_spots(job, solution):
        if spot.link == "regulator":
            assert float(spot.hot_C) == float(spot.sink_C)
            assert spot.phases[0].begins_C == -math.inf


def test_past_its_limits_a_path_is_only_solved_when_that_is_asked_for(demo: Job) -> None:
    """At 16 A the front end limits at 11 A; its share of the limit is told all the same."""
    far = {"mount": np.float64(16.0)}
    assert np.isnan(float(at(demo, far)[1]["mount"].V)) or float(at(demo, far)[1]["mount"].V) == 0.0
    _, solution, limits = at(demo, far, as_set=True)
    assert float(solution["mount"].V) > 12
    used = {x.name: float(x.fraction) for x in limits}
    assert used["Front end, current limit"] == pytest.approx(16 / 11)
    assert used["Front end, rated amps"] == pytest.approx(16 / 12)


def test_a_fuse_behind_a_limit_is_told_wherever_it_stands(demo: Job) -> None:
    assert [link for link, _ in fault_notes(demo)] == ["mount-fuse"]
    assert "needs about 33.6 A" in fault_notes(demo)[0][1]


def test_the_narrower_of_band_and_device_is_allowed(demo: Job) -> None:
    """13.6 V ± 5 % is 12.92 to 14.28 V; a device that stands 14.0 V takes the rest."""
    mount = demo.output("mount")
    tight = with_link(demo, changed(mount, tolerance=0.05, device_max_V=14.0))
    low, high = allowed(tight, tight.output("mount"))
    assert (low, high) == (pytest.approx(12.92, rel=0.02), 14.0)
    wide = with_link(demo, changed(mount, tolerance=0.05, device_max_V=30.0))
    assert allowed(wide, wide.output("mount"))[1] == pytest.approx(13.6 * 1.05, rel=0.02)
    outlet = next(s for s in power_up_steps(tight) if s.id == "outlet-mount")
    assert outlet.band.high == 14.0


# -- assembling and first power ---------------------------------------------------------------------


def test_what_two_nodes_must_read(demo: Job) -> None:
    bands = {p.kind: p.band for p in matrix(demo)}
    assert bands["joined"] == Band(None, 1.0)
    assert bands["apart"] == Band(1e6, None)
    assert bands["not_shorted"] == Band(10.0, None)
    assert bands["diode"] == Band(0.15, 0.9)


def test_volts_to_earth_open_and_loaded_are_shares_of_the_mains(demo: Job) -> None:
    steps = {s.id: s for s in power_up_steps(demo)}
    assert steps["earth-open"].band == Band(0.0, 138.0)
    assert steps["earth-loaded"].band == Band(0.0, 23.0)


def test_nothing_is_woken_without_a_source_or_with_a_broken_path(demo: Job) -> None:
    # One that exists already is read to earth, and nothing else of it.
    shed = power_up_steps(readings_first("Shed", "12V 5A"))
    assert {s.id.split("-")[0] for s in shed} == {"earth"}
    assert not any(s.hold for s in shed)
    assert power_up_steps(Job(name="empty")) == []
    loose = changed(demo.design.links[2], fed_by=None)
    assert power_up_steps(with_link(demo, loose)) == []


def test_a_bare_part_stands_its_loss_for_so_many_joules(demo: Job) -> None:
    """1.5 J/K and 60 K: 90 J."""
    _, solution, _ = at(demo, full_load(demo), as_set=True)
    for link, seconds in bare_seconds(demo).items():
        assert seconds * float(solution[link].loss) == pytest.approx(90.0)


def test_how_far_a_trim_moves_is_told_by_its_divider(demo: Job) -> None:
    """2.5 V across 2.5 kΩ drive 1 mA through 5 kΩ: 5 V over ten turns."""
    divider = FeedbackDivider(reference_V=2.5, lower_ohm=2500, pot_ohm=5000)
    job = with_part(demo, changed(demo.part("front-end-40"), feedback=divider))
    step = next(s for s in power_up_steps(job) if s.id == "trim-front-end")
    assert "about 500 mV a turn" in step.do


def test_a_stack_that_reads_one_unit_less_is_explained(demo: Job) -> None:
    step = next(s for s in power_up_steps(demo) if s.id == "stack-donor-b")
    alone = demo.part("enclosed-a").stack_unit().volts
    read = typed(step.place, "V", step.expected - alone)
    result = next(r for r in power_up_results(demo, [read]) if r.step.id == step.id)
    assert result.verdict is Verdict.NONCONFORMING
    assert any("its joint is open" in c.words for c in causes(demo, result))


def test_an_open_circuit_answers_an_ohms_step_either_way(demo: Job) -> None:
    part = demo.part("step-down-5a")
    steps = {r.step.id: r.step for r in tried(demo, part, [])}

    def verdict(name: str, value: float, quantity: str = "ohm") -> Verdict:
        read = typed(steps[name].place, quantity, value)
        return next(r.verdict for r in tried(demo, part, [read]) if r.step.id == name)

    open_ended = [k for k, s in steps.items() if s.quantity == "ohm" and s.band.high is None]
    closed = [k for k, s in steps.items() if s.quantity == "ohm" and s.band.high is not None]
    assert open_ended
    assert all(verdict(k, math.inf) is Verdict.CONFORMS for k in open_ended)
    assert all(verdict(k, math.inf) is Verdict.NONCONFORMING for k in closed)
    # Volts that were filed at the place of an ohms step say nothing of its ohms.
    assert verdict(open_ended[0], 5.0, "V") is Verdict.NOT_MEASURED
    assert outcome(tried(demo, part, [])) is Verdict.NOT_MEASURED


def test_only_untested_parts_that_are_used_are_told(demo: Job) -> None:
    part = changed(demo.part("step-down-5a"), condition="untested")
    job = with_part(demo, part)
    unused = with_part(job, changed(part, id="spare", name="Spare module"))

    def told(job: Job) -> str:
        return " ".join(n.text for n in notices(job) if n.id == "stock:untested")

    assert part.name in told(unused)
    assert "Spare module" not in told(unused)
    cut = job.model_copy(update={"design": Design(links=job.design.links[:2])})
    assert part.name not in told(cut)


def test_limits_that_are_passed_are_told_six_at_the_most(demo: Job) -> None:
    assert not [n for n in notices(demo) if n.id.startswith("over:")]
    job = demo
    for output in demo.design.outputs():
        job = with_link(job, changed(output, full_load_A=60.0))
    _, _, limits = at(job, full_load(job), as_set=True)
    past = [x for x in limits if float(x.fraction) > 1]
    assert len(past) > 6
    assert len([n for n in notices(job) if n.id.startswith("over:")]) == 6


def test_tens_of_amperes_begin_at_fifteen(demo: Job) -> None:
    def told(limit: float) -> bool:
        job = demo
        for name in ("enclosed-a", "enclosed-b"):
            job = with_part(job, changed(job.part(name), rated_A=limit, limit_A=20.0))
        return any(n.id == "assemble:thick" for n in notices(job))

    assert (told(14.9), told(15.0)) == (False, True)


def test_what_empties_a_reservoir_and_how_long_that_is(bench: Job) -> None:
    at_ = stored(bench)[0]
    bare = bench.model_copy(update={"stock": tuple(p for p in bench.stock if p.kind != "resistor")})
    names = [w.name for w in ways(bare, at_)]
    assert names == ["the meter left connected", "10 kΩ 5 W, insulated probes"]
    assert [w.ohm for w in ways(bare, at_)] == [10e6, 10e3]
    assert [how_long(s) for s in (119, 120, 7199, 7200)] == ["119 s", "2 min", "120 min", "2 h"]
