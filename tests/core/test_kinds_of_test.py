"""Each kind of test: its points within what is known, and its figures from readings whose truth is known."""

import numpy as np
import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import Reading, Wave
from tensimeter.core.model import edits, stock_edits
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import Corner
from tensimeter.core.model.tests import (
    Bought,
    CapacityDown,
    ClaimedFound,
    CrossRegulation,
    Efficiency,
    LineRegulation,
    LoadRegulation,
    MinimumLoad,
    Outlets,
    Overload,
    OverVoltage,
    ReachPoints,
    RealDevice,
    Ripple,
    ShortCircuit,
    StartUp,
    Tolerance,
    Transient,
)
from tensimeter.core.parts.plain_loads import Device, Lamp, Motor, Resistor
from tensimeter.core.testplan import advice
from tensimeter.core.testplan.design_expectation import efficiency_at, limit_A, trip_V
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.generator import blank, generated
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.points_text import points_from, points_text, units_from, units_text
from tensimeter.core.testplan.registry import KINDS, kind_of
from tensimeter.core.testplan.step import WALL, Outcome, Plan, panel_of
from tensimeter.demo.library import demo_job

METER = Accuracy(of_reading=0.0002, counts=1, resolution=0.001)


class Notes:
    """Readings put down for the steps of a plan, as an instrument would have left them."""

    def __init__(self, worked_out: Plan) -> None:
        self.plan = worked_out
        self.readings: list[Reading] = []
        self.waves: list[Wave] = []
        self._scan = 0

    def put(self, step: int, *, at: float | None = None, **values: float) -> "Notes":
        """`V=`, `A=` at the step's own place, others as `place__V=`."""
        self._scan += 1
        for key, value in values.items():
            place, _, quantity = key.rpartition("__")
            where = place.replace("_", "-") or self.plan.steps[step].place or self.plan.output.id
            self.readings.append(
                Reading(
                    self._scan,
                    at if at is not None else float(self._scan),
                    where,
                    quantity,
                    value,
                    "bench-meter",
                    METER,
                    "four-wire",
                    "instrument",
                    "60 V",
                    self.plan.test.id,
                    step,
                    id=len(self.readings) + 1,
                )
            )
        return self

    def wave(self, step: int, volts: np.ndarray, rate: float, start: float = 0.0) -> "Notes":
        place = self.plan.steps[step].place or self.plan.output.id
        self.waves.append(
            Wave(len(self.waves) + 1, 0.0, place, rate, start, len(volts), "scope-20", "instrument",
                 self.plan.test.id, step, None, "", lambda: volts)
        )  # fmt: skip
        return self

    def judged(self, job: Job) -> Outcome:
        return outcome(job, self.plan, self.readings, self.waves)


def found(result: Outcome, name: str):
    return next(f for f in result.findings if f.name.startswith(name))


def test_every_kind_is_planned_for_every_output_of_every_demo() -> None:
    for name in ("ridge-pier", "dome-workshop", "finishers-bench"):
        job = demo_job(name)
        for output in job.design.outputs():
            for kind in (k for k, of in KINDS.items() if of.fits(output)):
                test = blank(kind, job, output)
                worked_out = plan(job, test)
                empty = outcome(job, worked_out, [])
                assert (test.kind, worked_out.output.id) == (kind, output.id)
                assert (empty.measured, empty.verdict) == (0, Verdict.NOT_MEASURED)
                assert empty.findings == ()
                assert kind_of(empty.plan.test).picture(empty, empty.plan.test).spots == ()
                assert [s.index for s in worked_out.steps] == list(range(len(worked_out.steps)))
                assert bool(worked_out.steps) == (kind not in ("claimed-found", "reach")) or kind == "reach"
                assert advice.outcome_sentence(empty)
                if worked_out.steps:
                    assert worked_out.duration_s > 0
    with pytest.raises(UserError, match="no test “teapot”"):
        blank("teapot", job, output)


def test_a_whole_campaign_never_outruns_what_came_before(demo: Job) -> None:
    full = generated(demo)
    kinds = [t.kind for t in full.campaign.tests]
    assert sorted(kinds, key=list(KINDS).index) == kinds
    assert kinds.index("tolerance") < kinds.index("load-regulation") < kinds.index("current-limit")
    # What was planned stays as it was, and asking again changes nothing.
    assert set(demo.campaign.tests) <= set(full.campaign.tests)
    assert generated(full) == full
    assert len({t.id for t in full.campaign.tests}) == len(full.campaign.tests)
    points = next(t for t in full.campaign.tests if t.kind == "reach").points
    watts = [p.volts * p.amps for p in points]
    assert watts == sorted(watts)
    # Within what the device stands, and what the load in stock sinks.
    assert all(12 <= p.volts <= 15 and p.volts * p.amps <= 150 for p in points)
    gone = edits.without_link(full, "hub")
    assert all(t.output != "hub" and "hub" not in getattr(t, "others", ()) for t in gone.campaign.tests)
    bare = edits.with_campaign(demo, tests=(), oscilloscope=None, line_source=None)
    unused = {demo.campaign.oscilloscope, demo.campaign.line_source}
    bare = bare.model_copy(update={"stock": tuple(p for p in demo.stock if p.id not in unused)})
    assert {t.kind for t in generated(bare).campaign.tests}.isdisjoint({"ripple", "line-regulation"})


def test_tolerance_and_the_trims_ends(demo: Job) -> None:
    notes = Notes(plan(demo, Tolerance(id="t", output="mount", span_V=(12, 15))))
    titles = [s.title for s in notes.plan.steps]
    assert titles == ["as set", "trim lowest", "trim highest", "set again"]
    result = (
        notes.put(0, V=13.55, A=0).put(1, V=11.4, A=0).put(2, V=14.8, A=0).put(3, V=13.6, A=0).judged(demo)
    )
    assert found(result, "volts off").value.value == pytest.approx(13.55 / 13.6 - 1)
    assert found(result, "trim lowest").verdict is Verdict.CONFORMS
    assert found(result, "trim highest").verdict is Verdict.NONCONFORMING
    assert result.verdict is Verdict.NONCONFORMING
    assert result.complete


def test_line_regulation_counts_what_one_range_does_not_share(demo: Job) -> None:
    notes = Notes(plan(demo, LineRegulation(id="t", output="mount", allowed=0.0012)))
    assert [s.line_V for s in notes.plan.steps] == pytest.approx([207, 230, 253, 230])
    assert all(s.set_A == 8.0 for s in notes.plan.steps)
    for step, volts in enumerate((13.200, 13.205, 13.212, 13.205)):
        notes.put(step, V=volts, A=8.0)
    finding = found(notes.judged(demo), "line regulation")
    assert finding.value.value == pytest.approx(0.012 / 13.6)
    # Gain and offset of one range fall out: far finer than a single reading of ± 3.6 mV.
    assert finding.value.half_width * 13.6 < 0.0025
    assert finding.verdict is Verdict.CONFORMS
    one_line = Notes(plan(demo, LineRegulation(id="t", output="mount"))).put(1, V=13.2, A=8.0)
    assert not one_line.judged(demo).findings
    # 13.25 V are expected at full load, of at least 13.19 V.
    said = advice.next_sentence(demo, one_line.judged(demo), one_line.readings)
    assert said == "Line 207 V would settle most: it is expected 59 mV inside its band."
    assert advice.next_sentence(demo, notes.judged(demo), notes.readings) == ""
    assert "tells changes apart" in advice.settle_sentence(demo, notes.plan)


def test_cross_regulation_of_two_outputs(demo: Job) -> None:
    notes = Notes(plan(demo, CrossRegulation(id="t", output="mount", others=("dew",))))
    cases = [(s.set_A, dict(s.others)) for s in notes.plan.steps]
    assert cases == [(0, {}), (8, {}), (0, {"dew": 3}), (8, {"dew": 3})]
    for step, (a, others) in enumerate(cases):
        b = others.get("dew", 0.0)
        row = {"V": 13.6 - 0.045 * a - 0.010 * b, "A": a, "dew__V": 12 + 0.004 * a - 0.15 * b}
        notes.put(step, **row, **({"dew__A": b} if b else {}))
    result = notes.judged(demo)
    for name, ohms in (("MOUNT by DEW", 0.010), ("DEW HEATER by MOUNT", -0.004), ("DEW HEATER by DEW", 0.15)):
        assert found(result, name).value.value == pytest.approx(ohms, abs=1e-5)
    assert found(result, "MOUNT over all").value.value == pytest.approx(
        (8 * 0.045 + 3 * 0.01) / 13.6, rel=1e-3
    )
    shown = kind_of(result.plan.test).picture(result, result.plan.test)
    assert len(shown.spots) == 4
    assert shown.names[3] == "MOUNT 8 A, DEW HEATER 3 A"
    assert "per cent of the band" in shown.up


def test_efficiency_beside_what_the_design_says(demo: Job) -> None:
    notes = Notes(plan(demo, Efficiency(id="t", output="mount", least=0.75)))
    guess = efficiency_at(demo, "mount", 4.0)
    assert 0.7 < guess < 0.9
    for step in notes.plan.steps:
        volts = 13.6 - 0.045 * step.set_A
        wall = volts * step.set_A / 0.8 + 2.0 if step.set_A else 2.0
        notes.put(step.index, V=volts, A=step.set_A, **{f"{WALL}__W": wall})
    result = notes.judged(demo)
    at_8 = found(result, "efficiency at 8 A")
    out = (13.6 - 0.36) * 8
    assert at_8.value.value == pytest.approx(out / (out / 0.8 + 2))
    assert at_8.verdict is Verdict.CONFORMS
    assert found(result, "lost as heat at 8 A").value.value == pytest.approx(out / 4 + 2, rel=1e-6)
    assert found(result, "watts taken at no load").value.value == 2.0
    shown = kind_of(result.plan.test).picture(result, result.plan.test)
    assert [s.y for s in shown.spots][-1] == pytest.approx(100 * at_8.value.value)
    assert shown.lines[0].y[-1] == pytest.approx(100 * efficiency_at(demo, "mount", 8.0))
    assert efficiency_at(demo, "mount", 0.0) is None


def test_minimum_load_is_the_least_from_which_on_it_holds() -> None:
    job = demo_job("dome-workshop")
    notes = Notes(plan(job, MinimumLoad(id="t", output="shutter")))
    low, high = notes.plan.steps[0].allowed.ends
    for step in notes.plan.steps:
        notes.put(step.index, V=high + 0.2 if step.index < 2 else (low + high) / 2, A=step.set_A)
    result = notes.judged(job)
    assert found(result, "minimum load").text == "120 mA"
    for volts, said in (((low + high) / 2, "none needed"), (high + 0.2, "more than was tried")):
        other = Notes(notes.plan)
        for step in notes.plan.steps:
            other.put(step.index, V=volts, A=step.set_A)
        assert found(other.judged(job), "minimum load").text == said


def test_capacity_down_to_its_cut_off(demo: Job) -> None:
    test = CapacityDown(id="t", output="mount", share=0.5, cutoff_V=11.0, claimed_Ah=4.4, own_A=0.0)
    notes = Notes(plan(demo, test))
    assert (len(notes.plan.steps), notes.plan.steps[0].until_V, notes.plan.steps[0].set_A) == (1, 11.0, 4.0)
    for k in range(0, 3601, 100):
        notes.put(0, at=float(k), V=13.0 - 2.0 * k / 3600, A=4.0)
    part = Notes(notes.plan)
    part.readings = notes.readings[:20]
    assert "not reached" in found(part.judged(demo), "charge").text
    assert found(part.judged(demo), "charge").verdict is Verdict.NOT_MEASURED
    result = notes.judged(demo)
    assert found(result, "charge").value.value == pytest.approx(4.0, rel=1e-6)
    assert found(result, "energy").value.value == pytest.approx(4.0 * 12.0, rel=1e-6)
    assert found(result, "charge").verdict is Verdict.NONCONFORMING
    assert len(kind_of(result.plan.test).picture(result, result.plan.test).spots) == 37


def test_every_outlet_alone_and_together(demo: Job) -> None:
    test = Outlets(id="t", output="mount", others=("dew", "hub"))
    three = plan(demo, test)
    assert [s.title for s in three.steps] == ["MOUNT alone", "DEW HEATER alone", "CAMERA HUB alone"]
    assert "need 1 load more" in three.unreachable[-1]
    two = plan(demo, edits.changed(test, others=("dew",)))
    together = [s for s in two.steps if s.others]
    assert [(s.place, s.set_A, dict(s.others)) for s in together[-2:]] == [
        ("mount", 8.0, {"dew": 3.0}),
        # The second load stands 60 W: 60 W / 13.6 V, rounded down; it was asked for 8 A before, and let go.
        ("dew", 3.0, {"mount": 4.411}),
    ]
    assert "but MOUNT at 4.41 A" in together[-1].title
    notes = Notes(two)
    for step in two.steps:
        notes.put(step.index, V=13.3 if step.place == "mount" else 11.6, A=step.set_A)
    result = notes.judged(demo)
    assert result.verdict is Verdict.CONFORMS
    assert found(result, "DEW HEATER").text == "3 of 3 read"


def test_what_is_claimed_of_bought_units(demo: Job) -> None:
    units = units_from("left brick 12 V 2 A\nright one 5,1V 3A\n")
    assert units == (
        Bought(name="left brick", claimed_V=12, claimed_A=2),
        Bought(name="right one", claimed_V=5.1, claimed_A=3),
    )
    test = ClaimedFound(id="t", output="mount", units=units)
    assert units_from(units_text(test.units)) == units
    notes = Notes(plan(demo, test))
    notes.put(0, V=12.1, A=0).put(1, V=11.9, A=2.0).put(2, V=5.2, A=0).put(3, V=5.0, A=2.1)
    result = notes.judged(demo)
    assert found(result, "left brick").verdict is Verdict.CONFORMS
    # Its volts hold, but what was claimed did not flow.
    assert found(result, "right one").verdict is Verdict.NONCONFORMING
    assert "only 2.1 A flowed" in found(result, "right one").text
    for text in ("a unit", "brick 5 V", "brick 0 V 2 A"):
        with pytest.raises(UserError):
            units_from(text)


def test_points_of_a_reach_are_typed_and_shown(demo: Job) -> None:
    points = points_from("12 V 3 A lowest\n13,5 V 500 mA\n\n")
    assert points == (Corner(volts=12, amps=3, why="lowest"), Corner(volts=13.5, amps=0.5))
    test = ReachPoints(id="t", output="mount", points=points)
    assert points_from(points_text(test.points)) == points
    with pytest.raises(UserError, match="no point"):
        points_from("twelve volts")
    worked_out = plan(demo, test)
    # Set without load: what the load pulls is part of what is expected.
    assert worked_out.steps[0].predicted_V.value == pytest.approx(12 - 3 * 0.0436, abs=0.01)
    result = Notes(worked_out).put(0, V=11.87, A=3.0).judged(demo)
    assert found(result, "reach shown at").text == "1 of 2 points"
    assert not result.complete


def test_over_voltage_trips_between_two_trims() -> None:
    job = demo_job("ridge-pier")
    notes = Notes(plan(job, OverVoltage(id="t", output="mount", most_V=16.0, step=0.02)))
    trims = [s.trim_V for s in notes.plan.steps if s.phase == "approach"]
    assert trims[0] == pytest.approx(1.02 * 13.6)
    assert np.diff(trims) == pytest.approx(0.02 * 13.6)
    assert trims[-1] <= 16.0 * 1.05
    for k, trim in enumerate(trims[:6]):
        notes.put(k, V=trim if trim < 15.2 else 0.0, A=0.0)
    back = [s.index for s in notes.plan.steps if s.phase == "back"]
    notes.put(back[0], V=0.0, A=0.0).put(back[1], V=13.6, A=0.0)
    result = notes.judged(job)
    finding = found(result, "trips at")
    assert finding.value.low <= 15.2 <= finding.value.high
    assert finding.verdict is Verdict.CONFORMS
    assert found(result, "trim back").text == "it stays off"
    assert found(result, "after a reset").text == "the volts are back"
    assert len(kind_of(result.plan.test).picture(result, result.plan.test).spots) == 6
    never = Notes(notes.plan)
    for k, trim in enumerate(trims):
        never.put(k, V=trim, A=0.0)
    assert "not yet" in found(never.judged(job), "trip").text
    assert found(never.put(back[0], V=13.6, A=0).judged(job), "trip").verdict is Verdict.NONCONFORMING
    assert trip_V(job, "mount") is None


def test_current_limit_is_approached_traced_watched_and_left(demo: Job) -> None:
    assert limit_A(demo, "mount") == pytest.approx(11.0)
    assert limit_A(demo, "dew") == pytest.approx(3.5)
    worked_out = plan(demo, Overload(id="t", output="dew"))
    phases = [s.phase for s in worked_out.steps]
    assert [p for k, p in enumerate(phases) if k == 0 or p != phases[k - 1]] == [
        "approach",
        "trace",
        "watch",
        "back",
    ]
    assert worked_out.steps[-1].reset
    amps = [s.set_A for s in worked_out.steps if s.phase == "approach"]
    assert amps[-1] == pytest.approx(1.3 * 3.5, abs=2e-3)
    assert all(s.exposure_s for s in worked_out.steps if s.phase in ("trace", "watch"))
    # Never more than the load sinks: 150 W at 13.6 V.
    mount = [s.set_A for s in plan(demo, Overload(id="t", output="mount")).steps if s.phase == "approach"]
    assert mount[-1] == pytest.approx(150 / 13.6, abs=1e-3)
    notes = Notes(worked_out)
    for step in worked_out.steps:
        if step.phase == "approach" and step.set_A <= 3.3:
            notes.put(step.index, V=12 - 0.15 * step.set_A, A=step.set_A)
        elif step.phase == "trace":
            volts = 3.3 * step.ohms * 0.98
            notes.put(step.index, V=volts, A=3.3)
    early = notes.judged(demo)
    assert found(early, "kind of limit").text == "constant current"
    assert not early.complete
    notes.put(phases.index("back"), V=12.0, A=0.0)
    result = notes.judged(demo)
    assert found(result, "limit begins at").value.value == pytest.approx(3.3, rel=0.01)
    assert found(result, "comes back").text == "yes"
    names = [line.name for line in kind_of(result.plan.test).picture(result, result.plan.test).lines]
    assert names[0] == ""
    assert names[1:] == ["design: 3.5 A", "begins at 3.3 A"]


def test_a_short_counts_the_largest_of_its_looks(demo: Job) -> None:
    notes = Notes(plan(demo, ShortCircuit(id="t", output="hub", most_A=4.0)))
    assert [s.title for s in notes.plan.steps] == [
        "before it",
        "through 693 mΩ",
        "short",
        "after it",
        "after a reset",
    ]
    notes.put(0, V=5.2, A=0)
    for amps in (0.0, 2.8, 0.0, 2.79):
        notes.put(2, V=0.05, A=amps)
    notes.put(3, V=0.0, A=0.0)
    result = notes.judged(demo)
    assert found(result, "current into a short").value.value == 2.8
    assert found(result, "current into a short").verdict is Verdict.CONFORMS
    assert found(result, "after it").text == "it stays off"
    straight = edits.changed(demo.policy, short_circuit="straight")
    titles = [s.title for s in plan(demo.model_copy(update={"policy": straight}), notes.plan.test).steps]
    assert titles[1] == "short"


def test_ripple_from_a_waveform_or_off_the_screen(demo: Job) -> None:
    test = Ripple(id="t", output="mount", switching_Hz=100e3)
    notes = Notes(plan(demo, test))
    t = np.arange(50_000) / 1e6
    for step, size in enumerate((0.01, 0.03, 0.053)):
        volts = 13.5 + size * np.sin(2 * np.pi * 100 * t) + 0.3 * size * np.sin(2 * np.pi * 100e3 * t)
        notes.put(step, V=13.5, A=notes.plan.steps[step].set_A).wave(step, volts, 1e6)
    result = notes.judged(demo)
    assert found(result, "p-p at no load").value.value == pytest.approx(2 * 0.013, rel=0.02)
    assert found(result, "p-p at no load").verdict is Verdict.CONFORMS
    assert found(result, "p-p at 8 A").verdict is Verdict.TOO_CLOSE
    assert "2 × mains" in found(result, "rms at 8 A").text
    assert any(f.is_note and "bandwidth limit" in f.text for f in result.findings)
    assert "fine enough" in advice.settle_sentence(demo, notes.plan)
    typed = Notes(notes.plan).put(2, Vpp=0.2).judged(demo)
    assert found(typed, "p-p at 8 A").verdict is Verdict.NONCONFORMING
    without = edits.with_campaign(demo, oscilloscope=None)
    assert "42mVpp" in advice.settle_sentence(without, notes.plan)


def test_a_load_step_and_a_start_from_waveforms(demo: Job) -> None:
    notes = Notes(plan(demo, Transient(id="t", output="mount")))
    assert [(s.set_A, s.capture.to_A) for s in notes.plan.steps] == [(2, 6), (6, 2)]
    t = (np.arange(20_000) - 4000) / 1e6
    for step, sign in ((0, 1), (1, -1)):
        late = np.maximum(t, 0)
        notes.wave(step, 13.5 - sign * np.where(t >= 0, 0.1 + 0.3 * np.exp(-late / 5e-4), 0), 1e6, t[0])
    result = notes.judged(demo)
    assert found(result, "dip").value.value == pytest.approx(0.3, rel=0.01)
    assert found(result, "overshoot").value.value == pytest.approx(0.3, rel=0.01)
    # Into ± 1 % of 13.4 V: 0.3·e^(−t/0.5 ms) = 0.134 V.
    assert found(result, "recovery, 2 A").value.value == pytest.approx(5e-4 * np.log(0.3 / 0.134), rel=0.03)
    starts = Notes(plan(demo, StartUp(id="t", output="mount", others=("hub",))))
    t = (np.arange(20_000) - 2000) / 1e4
    for step, (volts, delay) in ((0, (13.6, 0.5)), (2, (5.2, 0.2))):
        rise = 1 - np.exp(-np.maximum(t - delay, 0) / 0.01)
        over = 0.08 * np.exp(-(((t - delay - 0.06) / 0.01) ** 2)) if step == 0 else 0
        starts.wave(step, volts * (rise + over), 1e4, t[0])
    starts.wave(1, np.where(t < 0.04, 13.6, 0.0), 1e4, t[0])
    result = starts.judged(demo)
    assert found(result, "overshoot, MOUNT").value.value == pytest.approx(0.08, rel=0.05)
    assert found(result, "overshoot, MOUNT").verdict is Verdict.NONCONFORMING
    assert found(result, "hold-up, MOUNT").value.value == pytest.approx(0.04, abs=1e-3)
    assert found(result, "order").text == "CAMERA HUB before MOUNT"
    dead = Notes(starts.plan).wave(0, np.zeros(20_000), 1e4, t[0]).judged(demo)
    assert "did not come up" in found(dead, "start").text


def test_a_real_device_and_loads_that_cannot_be_set(demo: Job) -> None:
    lamp = Lamp(id="lamp", name="Lamp 12 V 24 W", rated_V=12, rated_W=24)
    job = demo
    for part in (
        lamp,
        Resistor(id="r10", name="Resistor 10 Ω", resistance_ohm=10, rated_W=25),
        Resistor(id="r22", name="Resistor 2.2 Ω", resistance_ohm=2.2, rated_W=20),
        Motor(id="fan", name="Blower", rated_V=12, rated_A=0.8),
        Device(id="led", name="LED string", draws_A=0.3, highest_V=12.5, steep=True),
    ):
        job = stock_edits.with_part(job, part)
    notes = Notes(plan(job, RealDevice(id="t", output="mount", device="lamp")))
    assert notes.plan.steps[2].set_A == pytest.approx(2 * np.sqrt(13.6 / 12))
    notes.put(0, V=13.6, A=0).put(2, V=13.5, A=2.1).wave(1, np.linspace(13.6, 11.5, 1000), 1e4)
    result = notes.judged(job)
    assert found(result, "draws").value.value == 2.1
    assert found(result, "lowest volts").verdict is Verdict.NONCONFORMING
    assert found(result, "volts lost").value.value == pytest.approx(0.1)
    by_hand = edits.with_campaign(job, load="r10", other_loads=("lamp", "fan", "r22", "led"))
    worked_out = plan(by_hand, LoadRegulation(id="t", output="mount"))
    titles = {s.title: s.set_A for s in worked_out.steps}
    assert titles["Resistor 10 Ω"] == pytest.approx(1.36)
    assert titles["Resistor 10 Ω with Lamp 12 V 24 W with Blower"] == pytest.approx(
        1.36 + 2.129 + 0.8, abs=1e-3
    )
    assert [worked_out.steps[0].title, worked_out.steps[-1].title] == ["no load", "no load again"]
    assert any("2.2 Ω: would take 84.1 W of its 20 W" in u for u in worked_out.unreachable)
    assert any("LED string: does not stand 13.6 V" in u for u in worked_out.unreachable)
    assert worked_out.steps[1].predicted_V is not None


def test_the_panel_beside_the_reference(demo: Job) -> None:
    notes = Notes(plan(demo, LoadRegulation(id="t", output="mount")))
    for step, (true, shown) in enumerate(((13.60, 13.6), (13.53, 13.4))):
        notes.put(step, V=true, A=notes.plan.steps[step].set_A, **{f"{panel_of('mount')}__V": shown})
    finding = found(notes.judged(demo), "the panel")
    assert finding.value.value == pytest.approx(-0.13)
    assert "of 2 points" in finding.text


def test_load_regulation_at_several_set_volts(demo: Job) -> None:
    test = LoadRegulation(id="t", output="mount", set_V=(12.0, 15.0), points=(0.0, 0.5, 1.0))
    worked_out = plan(demo, test)
    assert [(s.trim_V, s.set_A) for s in worked_out.steps] == [
        (v, a) for v in (12.0, 15.0) for a in (0.0, 4.0, 8.0)
    ]
    assert worked_out.steps[3].predicted_V.value == pytest.approx(15.0, abs=1e-3)
    notes = Notes(worked_out)
    for step in worked_out.steps:
        notes.put(step.index, V=step.trim_V - 0.04 * step.set_A, A=step.set_A)
    fit = notes.judged(demo).regulation
    assert fit.no_load_V.value == pytest.approx(12.0, abs=2e-3)
    assert fit.output_resistance_ohm.value == pytest.approx(0.04, rel=1e-3)
