"""Sources that bend, act on one another, or share a common; and the demo jobs' own problems."""

import numpy as np
import pytest

from tensimeter.core.assembly.wiring import wire_list
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import build
from tensimeter.core.circuit.sources import bonded, commons
from tensimeter.core.design.bands import trim
from tensimeter.core.design.reach import reach
from tensimeter.core.design.startup import lock_ins
from tensimeter.core.electrical.rectifier import rectified
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, new_link, with_link, without_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.donor import Donor
from tensimeter.core.path import UnitLink
from tensimeter.core.procedure.first_power import power_up_results
from tensimeter.core.procedure.matrix import matrix
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.ladder import at, continuous_full_load, ranked
from tensimeter.core.testplan.design_expectation import limit_A
from tensimeter.demo.library import demo_job


@pytest.fixture(scope="module")
def dome() -> Job:
    return demo_job("dome-workshop")


@pytest.fixture(scope="module")
def finisher() -> Job:
    return demo_job("finishers-bench")


def test_rails_act_on_one_another(dome: Job) -> None:
    """12.04 V − 11 mΩ·6 A + 45 mΩ·14 A; 5.04 V − 6 mΩ·14 A + 4 mΩ·6 A, by hand."""
    solution = solve(build(dome), {"shutter": np.array([0.0, 6.0]), "panel": 14.0})
    twelve, five = solution.whole(solution["rail-12"].V), solution.whole(solution["rail-5"].V)
    assert twelve == pytest.approx([12.04 + 0.63, 12.04 - 0.066 + 0.63])
    assert five == pytest.approx([5.04 - 0.084, 5.04 - 0.084 + 0.024])


def test_the_dome_supply_climbs_out_of_its_band(dome: Job) -> None:
    found = {n.id: n for n in notices(dome)}
    assert "12.661 V without load, the others loaded" in found["band:shutter"].text
    assert found["band:shutter"].kind == "miss"
    assert "band:panel" not in found
    # With its 12 V loaded by a dummy the shutter stays inside.
    calm = with_link(dome, changed(dome.design.link("panel"), full_load_A=8.0))
    assert "band:shutter" not in {n.id for n in notices(calm)}


def test_limits_of_rails(dome: Job) -> None:
    _, _, limits = at(dome, full_load(dome))
    by_name = {limit.name: limit for limit in limits}
    assert by_name["12 V rail, wires and contacts"].allowed == 12
    assert by_name["24-pin PC supply, 450 W, 5 V + 3.3 V"].allowed == pytest.approx(104)
    assert float(by_name["12 V rail, least load"].fraction) == pytest.approx(0.3 / 6.8)
    idle = {limit.name: limit for limit in at(dome, {"shutter": 3.0})[2]}
    assert float(idle["5 V rail, least load"].fraction) > 1


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"fed_by": "rail-5"}, "bonded to earth"),
        ({"rail": "24 V"}, "names no rail"),
        ({"rail": "5 V"}, "5 V rail of its supply a second time"),
        ({"part": "two-taps"}, "no donor"),
    ],
)
def test_rails_that_cannot_be(dome: Job, change: dict, word: str) -> None:
    wrong = with_link(dome, changed(dome.design.link("rail-12"), **change))
    assert any(word in text for text in problems(wrong.design, wrong.stock).values())


def test_a_supply_with_rails_joins_as_its_rails(dome: Job) -> None:
    empty = dome.model_copy(update={"design": dome.design.model_copy(update={"links": ()})})
    joined = new_link(empty, "24-pin", None)
    assert [link.name for link in joined.design.links] == ["12 V", "5 V", "3.3 V"]
    assert not problems(joined.design, joined.stock)
    with pytest.raises(UserError, match="in the path already"):
        new_link(joined, "24-pin", None)


def test_a_transformer_is_the_curve_of_its_reservoir(finisher: Job) -> None:
    """At 0.9 A the path's source stands where the reservoir integrated alone does."""
    part = finisher.part("two-taps")
    alone = rectified(part.circuit(1, 50.0), load_A=0.9)
    for link in ("fan", "aux", "meter"):
        finisher = without_link(finisher, link)
    solution = solve(build(finisher), {"bath": np.array([0.0, 0.9 - 0.0071])})
    volts, amps = solution.whole(solution["transformer"].V), solution.whole(solution["transformer"].I)
    assert amps[1] == pytest.approx(0.9, abs=2e-3)
    assert volts[1] == pytest.approx(float(alone.mean_V), abs=0.03)
    assert volts[0] == pytest.approx(25.6 * np.sqrt(2) - 1.8, abs=0.5)
    source = part.source_curve(1, 50.0)
    assert float(source.winding_A.at(np.array(0.9))) == pytest.approx(
        float(alone.transformer_rms_A), rel=0.01
    )
    assert source.no_load_high_line_V == pytest.approx(1.05 * 1.1 * 25.6 * np.sqrt(2) - 1.8)
    with pytest.raises(UserError, match="no tap 3"):
        build(with_link(finisher, changed(finisher.design.link("transformer"), tap=2)))


def test_the_finishers_two_taps(finisher: Job) -> None:
    """High tap: too hot at low volts. Low tap: cool there, but it drops out in the valleys above."""
    volts, amps = np.array([1.0, 12.0, 15.0]), np.linspace(0, 1.6, 161)
    high = reach(finisher, "bath", volts, amps).border()
    low_tap = with_link(finisher, changed(finisher.design.link("transformer"), tap=0))
    low = reach(low_tap, "bath", volts, amps).border()
    assert high[0].limiter == "Regulator, hot spot"
    assert low[0].amps > high[0].amps
    assert low[2].limiter == "Regulator, headroom"
    assert high[2].amps > 1.5 > np.nan_to_num(low[2].amps)
    # The valley counts, not the mean: by the reservoir integrated at low line.
    part = finisher.part("two-taps")
    _, solution, found = at(low_tap, {"bath": 1.0})
    valley = rectified(part.circuit(0, 50.0, 0.9), load_A=float(solution["transformer"].I)).valley_V
    limits = {x.name: x for x in found}
    assert float(limits["Regulator, headroom"].allowed) == pytest.approx(float(valley), abs=0.05)
    weak = with_part(finisher, changed(part, capacitor_V=35.0))
    assert ranked(at(weak, {"bath": 0.5})[2])[0].short == "reservoir volts"


@pytest.mark.parametrize("name", ["ridge-pier", "dome-workshop", "finishers-bench"])
def test_every_demo_can_be_proven(name: str) -> None:
    job = demo_job(name)
    assert not problems(job.design, job.stock)
    for output in job.design.outputs():
        assert continuous_full_load(job, output.id).amps == pytest.approx(output.full_load_A)


def test_a_rail_that_limits_by_itself(dome: Job) -> None:
    part = dome.part("pc-450")
    rails = tuple(changed(r, limit_A=7.0) if r.name == "12 V" else r for r in part.rails)
    limited = with_part(dome, changed(part, rails=rails))
    assert limit_A(dome, "shutter") is None
    assert limit_A(limited, "shutter") == pytest.approx(7.0, rel=0.01)


def test_one_unit_is_no_two_sources(demo: Job) -> None:
    link = UnitLink(id="third", name="Third", part="enclosed-a")
    design = demo.design.model_copy(update={"links": (*demo.design.links, link)})
    assert "a second time" in problems(design, demo.stock)["third"]


def test_a_current_limited_source_may_lock_in(demo: Job) -> None:
    """109 W and its loss at 7.4 A clear only above some 23 V: a module that runs from 7 V may stay down."""
    assert "start:front-end" not in {n.id for n in notices(demo)}
    holding = with_part(demo, changed(demo.part("enclosed-b"), beyond="constant_current", limit_A=4.0))
    found = {lock.link: lock for lock in lock_ins(holding)}
    power = float(solve(build(holding), full_load(holding))["front-end"].power_in)
    assert found["front-end"].clear_V == pytest.approx(power / 4.0)
    assert found["front-end"].source == "Donor B"
    assert "hub-module" not in found
    late = with_part(holding, changed(demo.part("front-end-40"), start_V=40.0))
    assert "front-end" not in {lock.link for lock in lock_ins(late)}
    assert any("lock in" in n.text for n in notices(holding) if n.id == "start:front-end")


def test_a_stacked_pair_is_compared_field_by_field(demo: Job) -> None:
    text = next(n.text for n in notices(demo) if n.id == "pair:donor-b")
    assert "no-load volts" in text
    assert "note" in text
    assert "rated amps" not in text
    alike = with_part(demo, changed(demo.part("enclosed-b"), no_load_V=24.1, note=""))
    assert "pair:donor-b" not in {n.id for n in notices(alike)}


NONSENSE = {
    "a converter set above its input": ("front-end", {"set_V": 40.0}, {}, "headroom"),
    "a fuse below the load": ("mount-fuse", {"part": "fuse-4"}, {}, "Fuse 16 A, continuous"),
    "a lead that is too thin": ("mount-lead", {"part": "lead-thin"}, {}, "wire heat"),
}


@pytest.mark.parametrize("case", NONSENSE)
def test_nonsense_is_named_at_its_block_and_left_as_it_is(demo: Job, case: str) -> None:
    link, change, _, word = NONSENSE[case]
    thin = changed(demo.part("lead-2m"), id="lead-thin", area_mm2=0.2)
    low = changed(demo.part("enclosed-b"), no_load_V=12.0)
    job = with_part(with_part(demo, thin), low) if "above" in case else with_part(demo, thin)
    wrong = with_link(job, changed(job.design.link(link), **change))
    found = [n for n in notices(wrong) if n.kind == "miss" and n.link in (link, "front-end", "mount")]
    assert any(word in n.title for n in found), [n.title for n in found]
    # Nothing was corrected behind the builder's back.
    assert getattr(wrong.design.link(link), next(iter(change))) == next(iter(change.values()))


def test_two_earths_in_a_stack_are_refused_with_the_reason(demo: Job) -> None:
    earthed = with_link(demo, changed(demo.design.link("donor-a"), earthed=True))
    assert not problems(earthed.design, earthed.stock)
    both = with_link(earthed, changed(demo.design.link("donor-b"), earthed=True))
    assert "shorts that one" in problems(both.design, both.stock)["donor-b"]
    assert any(n.link == "donor-b" and n.kind == "miss" for n in notices(both))


def test_a_cold_lamp_trips_the_limit(demo: Job) -> None:
    lamp = with_link(demo, changed(demo.output("mount"), inrush_A=40.0))
    said = next(n for n in notices(lamp) if n.id == "inrush:mount")
    assert (said.kind, said.link) == ("miss", "mount")
    assert "draws 40 A at first; Front end gives 11 A" in said.text
    small = with_link(demo, changed(demo.output("mount"), inrush_A=10.0))
    assert "inrush:mount" not in {n.id for n in notices(small)}


def test_a_lead_of_no_length_has_its_contacts_only(demo: Job) -> None:
    short = with_part(demo, changed(demo.part("lead-2m"), length_m=0.0))
    solution = solve(build(short), {"mount": 8.0})
    drop = float(solution["mount-fuse"].V - solution["mount"].V)
    assert drop == pytest.approx(8 * 4 * 0.0015)


def test_the_trim_follows_where_it_is_aimed(demo: Job) -> None:
    """At the terminals 8 A lose 10.1 mΩ in module and fuse; at the far end 33.6 mΩ of lead on top."""
    output = demo.output("mount")
    near = trim(demo, output)
    assert near.set_V == pytest.approx(13.6 + 8 * 0.0101, abs=1e-6)
    far = trim(demo, changed(output, aim="far_end"))
    copper = 2 * 2 * 1.7241e-8 / 2.5e-6
    assert far.set_V == pytest.approx(13.6 + 8 * (0.0101 + copper + 0.006), abs=1e-6)
    assert far.no_load_V == far.set_V
    assert "far end" in far.worked(13.6).text()
    # Set so, the nominal stands there: solved again.
    moved = with_link(demo, changed(demo.design.link("front-end"), set_V=far.set_V))
    assert float(solve(build(moved), {"mount": 8.0})["mount"].V) == pytest.approx(13.6)
    assert trim(demo_job("dome-workshop"), demo_job("dome-workshop").output("panel")) is None


def _side_by_side(**policy: str) -> Job:
    """A stack of two with an outlet, and beside it a floating unit with one of its own."""
    ridge = demo_job("ridge-pier")
    brick = Donor(id="brick", name="Brick", no_load_V=19.2, rated_A=3.0, rated_W=57.0, trip_V=24.0)
    job = with_part(ridge.model_copy(update={"policy": changed(ridge.policy, **policy)}), brick)
    job = new_link(job, "and Brick", "mount")
    return new_link(job, "output LAPTOP 19V 2A", "brick")


def test_sources_that_stand_side_by_side() -> None:
    job = _side_by_side()
    assert not problems(job.design, job.stock)
    assert [[u.id for u in g] for g in commons(job)] == [["donor-a", "donor-b"], ["brick"]]
    alone = at(demo_job("ridge-pier"), {"mount": 8.0})[1]
    beside = at(job, {"mount": 8.0, "laptop": 2.0})[1]
    # Neither knows of the other.
    assert float(beside["mount"].V) == pytest.approx(float(alone["mount"].V))
    assert float(beside["brick"].I) == pytest.approx(2.0)
    names = {p.name: p for p in matrix(job)}
    assert names["MOUNT − to LAPTOP −"].kind == "apart"
    assert (names["MOUNT + to LAPTOP +"].kind, names["MOUNT + to LAPTOP +"].hold) == ("not_shorted", True)
    # What insulates a unit of the stack must stand the stack, not the brick beside it.
    assert "60 V" in names["Donor A − to Donor A case"].why
    joined = {p.name: p.kind for p in matrix(_side_by_side(commons="joined"))}
    assert joined["MOUNT − to LAPTOP −"] == "joined"
    wires = {(w.start.link, w.end.link) for w in wire_list(_side_by_side(commons="joined"))}
    assert ("brick", "donor-a") in wires
    # Each that floats is read to earth.
    steps = [r.step.id for r in power_up_results(job, [], lambda reading: None)]
    assert {"earth-open", "earth-open-laptop"} <= set(steps)


def test_one_earthed_common_beside_a_floating_one(dome: Job) -> None:
    floating = dome.model_copy(update={"policy": changed(dome.policy, reference="floating")})
    assert bonded(floating, "shutter")
    assert not bonded(floating, "lights")
    assert bonded(
        floating.model_copy(update={"policy": changed(floating.policy, commons="joined")}), "lights"
    )
    expected = {n.lifted_by: n.expect for n in notices(floating) if n.id.startswith("earth:")}
    assert expected["earth-shutter"] == "up to 1 Ω"
    assert expected["earth-lights"] == "100 kΩ or more, or OL"


def test_a_branch_swallows_nothing(demo: Job) -> None:
    grown = new_link(demo, "and Step-down module 3 A", "mount")
    branch = grown.design.links[-1]
    assert branch.fed_by == "front-end"
    assert grown.design.link("mount-fuse").fed_by == "front-end"
    assert new_link(demo, "and Fuse 16 A slow, holder", "donor-b").design.links[-1].fed_by == "donor-b"
