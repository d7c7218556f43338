"""Fans against the heat they cool, the box, and what each link is sized by."""

import math

import numpy as np
import pytest

from tensimeter.core.assembly.box_fit import fit
from tensimeter.core.design.policies import POLICY_OPTIONS
from tensimeter.core.design.sizing import sized
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, new_link, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.figures import FeedbackDivider, PulseControl
from tensimeter.core.path import Design, FanLink, UnitLink
from tensimeter.core.procedure.first_power import power_up_steps
from tensimeter.core.procedure.notices import notices
from tensimeter.core.rating.dissipation import HotSpot, hot_spots, inside_air_C, losses
from tensimeter.core.rating.fan_cooling import box_resistance, fan_steps, fan_V, resistance_at, swing
from tensimeter.core.rating.ladder import at
from tensimeter.core.settings import BoxRecord
from tensimeter.demo.library import demo_job
from tensimeter.store.library import shipped_parts

GENERIC = {part.name: part for part in shipped_parts()}


@pytest.fixture
def bench() -> Job:
    return demo_job("finishers-bench")


def spot_at(job: Job, volts: float, amps: float) -> HotSpot:
    set_low = with_link(job, changed(job.design.link("regulator"), set_V=volts))
    _, solution, _ = at(set_low, {"bath": np.float64(amps)})
    return next(s for s in hot_spots(set_low, solution) if s.link == "regulator")


def stepped(spot: HotSpot, job: Job, seconds: float) -> tuple[float, list[float], float | None]:
    """The same sink in steps of 50 ms: where it swings to, when the fan comes on, when it is too hot."""
    fan: FanLink = next(x for x in job.design.links if x.kind == "fan")
    still, blown = spot.phases[0], spot.phases[1]
    sink, on, came_on, too_hot, top = float(spot.air_C), False, [], None, 0.0
    limit = spot.limit_C - float(spot.above_sink_K)
    for k in range(int(seconds / 0.05)):
        phase = blown if on else still
        sink += 0.05 * (float(phase.final_C) - sink) / phase.time_constant_s
        if not on and sink >= fan.on_C:
            on, _ = True, came_on.append(k * 0.05)
        elif on and sink <= fan.off_C:
            on = False
        if too_hot is None and sink >= limit:
            too_hot = k * 0.05
        top = max(top, sink)
    return top, came_on, too_hot


@pytest.mark.parametrize(
    ("volts", "amps", "blown", "words"),
    [(14.0, 0.4, 0.8, "rests"), (3.0, 1.2, 0.4, "hunts"), (3.0, 1.4, 1.2, "runs at full speed")],
)
def test_a_fan_rests_runs_or_hunts(bench: Job, volts: float, amps: float, blown: float, words: str) -> None:
    job = with_part(bench, changed(bench.part("linear"), sink_blown_K_W=blown))
    spot = spot_at(job, volts, amps)
    found = swing(spot.phases)
    assert found.words == words
    top, came_on, _ = stepped(spot, job, 4 * 3600)
    assert float(spot.sink_C) == pytest.approx(top, abs=0.1)
    if words == "hunts":
        assert found.period_s == pytest.approx(float(np.diff(came_on).mean()), rel=0.01)
        assert 0 < found.share < 1
    else:
        assert len(came_on) == (words != "rests")


def test_minutes_to_the_limit_follow_the_fan(bench: Job) -> None:
    job = with_part(bench, changed(bench.part("linear"), hot_limit_C=100.0))
    spot = spot_at(job, 2.0, 1.2)
    _, came_on, too_hot = stepped(spot, job, 3600)
    assert too_hot is not None
    assert came_on[0] < too_hot
    assert float(spot.minutes()) * 60 == pytest.approx(too_hot, rel=0.005)


def test_other_controls_lie_between_still_and_always(bench: Job) -> None:
    fan = bench.design.link("fan")
    found = {}
    for control in ("always", "threshold", "steps", "proportional"):
        job = with_link(bench, changed(fan, control=control, on_C=40, off_C=35, slow_V=7.0))
        found[control] = spot_at(job, 3.0, 1.3)
    still = found["threshold"].phases[0].final_C
    for control, spot in found.items():
        assert found["always"].sink_C - 1e-9 <= spot.sink_C <= still, control
        assert float(spot.minutes()) == math.inf
    assert len(found["proportional"].phases) == 5
    assert found["steps"].phases[1].speed == pytest.approx(7 / 12)


def test_another_sink_a_fan_and_the_box_cool() -> None:
    job = demo_job("ridge-pier")
    job = with_part(job, GENERIC["Heat sink 100 mm, finned"])
    front = job.design.link("front-end")
    moved = with_link(job, changed(front, sink=GENERIC["Heat sink 100 mm, finned"].id))

    def sink_C(made: Job) -> float:
        _, solution, _ = at(made, {"mount": np.float64(8.0)})
        return float(hot_spots(made, solution)[0].sink_C)

    _, solution, _ = at(job, {"mount": np.float64(8.0)})
    loss = float(solution["front-end"].loss)
    assert sink_C(job) == pytest.approx(20 + 6.0 * loss)
    assert sink_C(moved) == pytest.approx(20 + 2.2 * loss)
    assert resistance_at(2.2, 0.8, 1.0) == pytest.approx(0.8)
    assert resistance_at(2.2, 0.8, 0.0) == 2.2
    fan = GENERIC["Fan 60 mm 12 V"]
    # 15 m³/h in the box carry 1.204·1006·15/3600 W/K beside the walls.
    assert box_resistance(0.5, fan, 1.0) == pytest.approx(1 / (2 + 1.204 * 1006 * 15 / 3600))
    assert box_resistance(0.0, fan, 1.0) == 0.0


def test_every_watt_that_stays_inside_is_counted(bench: Job) -> None:
    _, solution, _ = at(bench, {"bath": np.float64(1.0)})
    lost = {k: float(v) for k, v in losses(bench, solution).items()}
    assert lost["fan"] == pytest.approx(12.0 * 0.12)
    assert lost["transformer"] > 2 * 0.9 * 1.0
    assert "clamp-lead" not in lost
    air = float(inside_air_C(bench, solution))
    assert air == pytest.approx(22.0 + 0.12 * sum(lost.values()))
    dome = demo_job("dome-workshop")
    _, solution, _ = at(dome, {"panel": np.float64(10.0)})
    rail = solution["rail-5"]
    assert float(losses(dome, solution)["rail-5"]) == pytest.approx(float(rail.V * rail.I) * (1 / 0.8 - 1))


def test_a_derating_curve_follows_the_air_inside() -> None:
    job = demo_job("ridge-pier")
    curve = ({"air_C": 40.0, "share": 1.0}, {"air_C": 60.0, "share": 0.5})
    job = with_part(job, changed(job.part("enclosed-a"), derating=curve))

    def used(box_K_W: float) -> float:
        placed = job.model_copy(update={"settings": changed(job.settings, box_K_W=box_K_W)})
        _, solution, limits = at(placed, {"mount": np.float64(8.0)})
        share = next(x for x in limits if x.name == "Donor A, continuous amps")
        air = float(inside_air_C(placed, solution))
        assert float(share.allowed) == pytest.approx(6.3 * 0.8 * np.interp(air, (40, 60), (1, 0.5)))
        return float(share.fraction)

    assert used(0.0) < used(0.75)


def test_a_hot_spot_may_come_to_less_at_many_amps() -> None:
    job = demo_job("ridge-pier")

    def spot(amps: float, *points: tuple[float, float]):
        curve = tuple({"hot_C": t, "amps": a} for t, a in points)
        part = changed(job.part("front-end-40"), hot_derating=curve)
        _, _, limits = at(with_part(job, part), {"mount": np.float64(amps)})
        return next(x for x in limits if x.name == "Front end, hot spot")

    plain = spot(8.0)
    assert plain.shown[1] == pytest.approx(105)
    # 8 A lie a third of the way from 9 A at 60 °C to 6 A at 120 °C; there the hot spot is at 92 °C.
    derated = spot(8.0, (60, 9), (120, 6))
    assert derated.shown == (pytest.approx(plain.shown[0]), pytest.approx(80.0, abs=0.01))
    assert float(derated.fraction) == pytest.approx((plain.shown[0] - 20) / 60, rel=1e-3)
    assert float(spot(8.0, (60, 7), (120, 6)).fraction) > 1e3
    for wrong in ([(60, 9)], [(60, 9), (60, 8)], [(60, 6), (90, 9)]):
        with pytest.raises(UserError, match="the second never"):
            spot(8.0, *wrong)


def test_the_box_has_room_or_says_what_finds_none() -> None:
    job = demo_job("ridge-pier")
    found = fit(job, BoxRecord(length_mm=320, width_mm=230, height_mm=90))
    assert found.fits
    assert len(found.placed) == 5
    for k, a in enumerate(found.placed):
        assert a.x_mm + a.length_mm <= 320 - 30 + 0.1
        assert a.y_mm + a.width_mm <= 230 + 0.1
        assert a.z_mm + a.height_mm <= 90 + 0.1
        for b in found.placed[k + 1 :]:
            apart = (
                a.x_mm + a.length_mm <= b.x_mm + 0.01
                or b.x_mm + b.length_mm <= a.x_mm + 0.01
                or a.y_mm + a.width_mm <= b.y_mm + 0.01
                or b.y_mm + b.width_mm <= a.y_mm + 0.01
                or a.z_mm + a.height_mm <= b.z_mm + 0.01
                or b.z_mm + b.height_mm <= a.z_mm + 0.01
            )
            assert apart
    small = fit(job, BoxRecord(length_mm=230, width_mm=130, height_mm=60))
    assert "No room was found" in small.sentence
    flat = fit(job, BoxRecord(length_mm=400, width_mm=300, height_mm=20))
    assert "however it is turned" in flat.sentence
    bare = with_part(job, changed(job.part("enclosed-a"), size_mm=None))
    assert "Enclosed 24 V 150 W, A" in fit(bare, BoxRecord(length_mm=320, width_mm=230, height_mm=90)).unknown
    # Two bricks of 100 × 80 × 40 mm, 5 mm apart: 85 mm of height hold one above the other, 84 mm do not.
    brick = changed(job.part("enclosed-a"), size_mm=(100.0, 80.0, 40.0))
    twice = changed(job.part("enclosed-b"), size_mm=(100.0, 80.0, 40.0))
    two = Job(name="x", stock=(brick, twice), design=Design(links=(
        UnitLink(id="a", name="a", part=brick.id), UnitLink(id="b", name="b", part=twice.id),
    )))  # fmt: skip
    tight = {"length_mm": 101, "width_mm": 81, "cable_mm": 0, "gap_mm": 5}
    assert sorted(p.z_mm for p in fit(two, BoxRecord(height_mm=85, **tight)).placed) == [0, 45]
    assert "on a shelf or a wall" in fit(two, BoxRecord(height_mm=85, **tight)).sentence
    assert not fit(two, BoxRecord(height_mm=84, **tight)).fits
    bench = demo_job("finishers-bench")
    low = fit(bench, BoxRecord(length_mm=400, width_mm=300, height_mm=25))
    assert "larger than a wall" in low.sentence


def figures(job: Job, link: str, loads: dict[str, float]) -> tuple[dict[str, float], str]:
    _, solution, _ = at(job, {k: np.float64(v) for k, v in loads.items()})
    found = sized(job, link, solution)
    return {w.title: w.value for w in found.figures}, " ".join(found.notes)


def test_sizes_of_the_ridge_pier() -> None:
    job, load = demo_job("ridge-pier"), {"mount": 8.0, "dew": 3.0, "hub": 2.0}
    found, said = figures(job, "mount-fuse", load)
    # 8 A at 75 % asks for 10.7 A: 12.5 A of the series; 11 A of the limit never blow 16 A for certain.
    assert found["Rating to take"] == 12.5
    assert found["Blows for certain at"] == pytest.approx(2.1 * 16)
    assert found["Fault current at Fuse 16 A"] == 11.0
    assert "protects nothing" in said
    found, said = figures(job, "dew-lead", load)
    assert "1 mm² is the least" in said
    assert found["1 mm²: drops"] == pytest.approx(3.0 * 2 * 1.7241e-8 * 3.0 / 1e-6)
    found, said = figures(job, "donor-b", load)
    assert found["Insulation to its case, at least"] == 60.0
    assert found["Reverse diode, amps"] == 7.4
    assert found["Reverse diode, volts"] == 30.0
    _, solution, _ = at(job, {k: np.float64(v) for k, v in load.items()})
    loss = float(solution["front-end"].loss)
    found, said = figures(job, "front-end", load)
    assert found["Sink, at most"] == pytest.approx((105 - 20 - 2.9 * loss) / loss)
    assert figures(job, "mount", load) == ({}, "")


def test_sizes_of_rails_transformer_and_fan(bench: Job) -> None:
    found, said = figures(demo_job("dome-workshop"), "rail-5", {"panel": 5.0})
    assert found["Dummy load"] == pytest.approx(5.04)
    assert found["Rating to take"] == 15
    bled = with_part(bench, changed(bench.part("two-taps"), bleed_ohm=100.0, bleed_W=5.0))
    found, said = figures(bled, "transformer", {"bath": 1.0})
    highest = 1.05 * 1.1 * 25.6 * math.sqrt(2) - 1.8
    assert found["Bled to 5 V in"] == pytest.approx(100 * 0.0068 * math.log(highest / 5), rel=1e-6)
    assert "it is rated 5 W" in said
    assert found["Winding, rms"] > 1.6 * 1.0
    found, said = figures(bench, "fan", {"bath": 1.2})
    # 10 kΩ at 25 °C, β 3950: 2.49 kΩ at 60 °C; 1023 counts over 10 kΩ.
    ohms = 10e3 * math.exp(3950 * (1 / 333.15 - 1 / 298.15))
    assert found["Counts where it comes on"] == pytest.approx(1023 * ohms / (ohms + 10e3))
    slow = with_link(bench, changed(bench.design.link("fan"), control="steps", slow_V=4.0))
    found, said = figures(slow, "fan", {"bath": 1.2})
    assert "does not start it" in said
    slow = with_link(bench, changed(bench.design.link("fan"), control="steps", slow_V=8.0))
    found, said = figures(slow, "fan", {"bath": 1.2})
    assert found["Quieter from 60 °C on by"] == pytest.approx(-50 * math.log10(8 / 12))


def test_a_divider_and_a_controlled_set_point_are_sized_at_their_converter(bench: Job) -> None:
    part = changed(
        bench.part("linear"),
        feedback=FeedbackDivider(reference_V=1.25, upper_ohm=2400, lower_ohm=240, pot_ohm=1000, trip_V=13.0),
        control=PulseControl(supply_V=5, pulse_Hz=1000, bits=10, filter_ohm=10e3, filter_F=1e-6),
    )
    found, said = figures(with_part(bench, part), "regulator", {"bath": 1.0})
    assert found["As its divider stands"] == pytest.approx(13.75)
    assert found["Upper leg for its set volts"] == pytest.approx((12 - 1.25) / (1.25 / 240 + 50e-6))
    assert found["Set-point ripple, p-p"] == pytest.approx(5 / (4 * 1000 * 1e4 * 1e-6), rel=0.01)
    assert "Nearest from E12" in said
    # A potentiometer in the adjust leg lets go of it altogether; 1.25 V · 1 kΩ/240 Ω over ten turns.
    assert "its input's volts: it fails high" in said
    assert found["A turn of ten moves it"] == pytest.approx(1.25 * 1000 / 240 / 10)
    trim = next(s for s in power_up_steps(with_part(bench, part)) if s.id == "trim-regulator")
    assert "520 mV a turn" in trim.do
    across = changed(part, feedback=changed(part.feedback, pot_at="across lower leg"))
    _, said = figures(with_part(bench, across), "regulator", {"bath": 1.0})
    assert "A fixed resistor of 240 Ω before its trim is assumed." in said
    assert "13.75 V: it fails low" in said
    assert "over-voltage trip" in said
    assert "of its 10 bits" in said


def test_every_policy_has_its_question_and_reason_and_says_what_it_does(bench: Job) -> None:
    asked = {school.field for school in POLICY_OPTIONS}
    assert set(type(bench.policy).model_fields) - asked == {"fuse_share", "spread"}
    for job in (bench, demo_job("ridge-pier"), demo_job("dome-workshop"), Job(name="empty")):
        for school in POLICY_OPTIONS:
            assert isinstance(school.consequence(job), str)
            for choice in school.choices:
                assert getattr(changed(job.policy, **{school.field: choice}), school.field) == choice
    ridge = demo_job("ridge-pier")
    said = {school.field: school.consequence(ridge) for school in POLICY_OPTIONS}
    assert "Donor A 5.04 A of 6.3 A" in said["donor_share"]
    assert "CAMERA HUB has neither" in said["protection"]
    # 6 K/W and 220 J/K: 22 minutes, twice.
    assert "44 min" in said["proven_when"]
    wants = ridge.model_copy(update={"policy": changed(ridge.policy, after_overload="off_until_reset")})
    overload = next(s for s in POLICY_OPTIONS if s.field == "after_overload")
    assert "not what is wanted" in overload.consequence(wants)
    far = ridge.model_copy(update={"policy": changed(ridge.policy, aim="far_end")})
    assert new_link(far, "output SPARE 12V 1A", "front-end").output("spare").aim == "far_end"


def test_a_donor_that_is_too_weak_says_what_would_do(demo: Job) -> None:
    """At 11 A the stack's 24.1 V units are asked for more than 60 % of their label."""
    found, said = figures(demo, "donor-a", {"mount": 8.0})
    assert found["Label, watts at least"] < 150
    assert "too weak" not in said
    careful = demo.model_copy(update={"policy": changed(demo.policy, donor_share=0.6)})
    found, said = figures(careful, "donor-a", {"mount": 11.0, "dew": 3.0, "hub": 2.0})
    solution = at(demo, {"mount": 11.0, "dew": 3.0, "hub": 2.0})[1]
    watts = float(solution["donor-a"].V * solution["donor-a"].I)
    assert found["Label, watts at least"] == pytest.approx(watts / 0.6)
    # 0.6 · 150 W at 24.1 V are 3.73 A; 0.6 · 6.3 A are 3.78 A.
    assert "gives 3.73 A for good. Nothing in the stock would do" in said


def test_a_fan_runs_as_its_volts_are() -> None:
    """12 V rated, starts at 6 V; fed with 12, 9 and 5 V by its module."""
    bench = demo_job("finishers-bench")

    def fed(volts: float) -> Job:
        return with_link(bench, changed(bench.design.link("aux"), set_V=volts))

    assert [s.speed for s in fan_steps(fed(12.0))] == [1.0]
    assert [s.speed for s in fan_steps(fed(9.0))] == [0.75]
    assert [s.speed for s in fan_steps(fed(5.0))] == [0.0]
    still = {n.title: n.kind for n in notices(fed(5.0))}
    assert still["Fan won't start"] == "miss"
    slow = with_link(bench, changed(bench.design.link("fan"), control="steps", slow_V=4.0))
    assert [s.speed for s in fan_steps(slow)] == [0.0, 1.0]
    assert "Fan stands still when slow" in [n.title for n in notices(slow)]
    # Beyond its rating no more is counted on, and a rail's own volts are known.
    assert [s.speed for s in fan_steps(fed(20.0))] == [1.0]
    dome = new_link(
        with_part(demo_job("dome-workshop"), bench.part("fan-60")), "and Fan 60 mm 12 V", "rail-5"
    )
    rail_fan = dome.design.links[-1]
    assert fan_V(dome, rail_fan, dome.part(rail_fan.part)) == pytest.approx(5.04)
    assert f"{rail_fan.name} won't start" in {n.title for n in notices(dome)}
    # Straight from a stack it has both of its units' volts.
    ridge = demo_job("ridge-pier")
    job = new_link(with_part(ridge, bench.part("fan-60")), "and Fan 60 mm 12 V", "donor-b")
    fan = job.design.links[-1]
    assert fan_V(job, fan, job.part(fan.part)) == pytest.approx(24.1 + 24.2)
