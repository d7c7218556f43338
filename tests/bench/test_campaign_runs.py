"""Every kind of test run on the stand-ins: what is hidden is found, hands are asked, faults end it well."""

import threading
from collections import Counter
from pathlib import Path

import numpy as np
import pytest

from tensimeter import guard as guard_process
from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.engine import Event, RunEngine
from tensimeter.bench.setup import Bench, open_bench, open_bench_file
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import changed, with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import Corner
from tensimeter.core.model.tests import (
    CapacityDown,
    CrossRegulation,
    Efficiency,
    LineRegulation,
    LoadRegulation,
    Outlets,
    Overload,
    OverVoltage,
    ReachPoints,
    RealDevice,
    Ripple,
    ShortCircuit,
    StartUp,
    Test,
    Tolerance,
    Transient,
)
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.step import Outcome
from tensimeter.demo.library import stand_ins as simulated
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook

#: Slow enough that a watch of a hiccup sees it cycle, quick enough for a test.
SPEED = 40.0


class Bed:
    """A job file and a bench of its own on which tests are run."""

    def __init__(self, file: JobFile, served: SimulatedBench, bench: Bench) -> None:
        self.file, self.served, self.bench = file, served, bench
        self.events: list[Event] = []

    def run(self, test: Test, act=None, **more: object) -> tuple[RunEngine, Outcome]:
        worked_out = plan(self.file.job, test)
        engine: RunEngine

        def tell(event: Event) -> None:
            self.events.append(event)
            if act:
                act(engine, event)

        engine = RunEngine(self.file, worked_out, self.bench, tell, **more)
        engine.start()
        engine.join(300)
        assert not engine.alive
        assert not self.served.load_drawing
        waves = WaveBook(self.file).waves()
        return engine, outcome(self.file.job, worked_out, self.file.readings(), waves)


@pytest.fixture
def timed(tmp_path: Path, demo: Job):
    """A bed whose time is the wall's, and quicker."""
    with JobFile.create(tmp_path / "bed.tensi", demo) as file, simulated(demo, seed=4, speed=SPEED) as served:
        bench = open_bench(demo, served.resources, speed=SPEED)
        yield Bed(file, served, bench)
        bench.close()


def value(result: Outcome, name: str):
    return next(f.value for f in result.findings if f.name.startswith(name))


def text(result: Outcome, name: str) -> str:
    return next(f.text for f in result.findings if f.name.startswith(name))


@pytest.fixture
def bed(tmp_path: Path, demo: Job):
    """A bed whose time passes only while it is waited for: what pulses is seen to."""
    clock = SteppedClock()
    with JobFile.create(tmp_path / "bed.tensi", demo) as file, simulated(demo, seed=4, clock=clock) as served:
        bench = open_bench(demo, served.resources, clock=clock)
        yield Bed(file, served, bench)
        bench.close()


def test_each_output_limits_in_its_own_way(bed: Bed) -> None:
    for output, kind, knee in (
        ("mount", "constant current", 10.62),
        ("dew", "foldback", 3.38),
        ("hub", "hiccup: it tries again and again", 2.83),
    ):
        engine, result = bed.run(Overload(id=f"limit-{output}", output=output))
        assert engine.ended.kind == "complete", engine.ended.text
        assert text(result, "kind of limit") == kind
        assert value(result, "limit begins at").value == pytest.approx(knee, rel=0.02)
        assert text(result, "comes back") == "yes"
        assert result.complete
        # The approach ended where the volts had left, and nothing past it was asked in constant current.
        approach = [r for r in result.steps if r.step.phase == "approach"]
        left = [r.step.set_A for r in approach if r.taken]
        assert left[-1] < 1.05 * knee
        assert not all(r.taken for r in approach)


@pytest.mark.parametrize("mode", ["CR", "CP"])
def test_a_load_that_holds_a_resistance_or_a_power(bed: Bed, mode: str) -> None:
    test = LoadRegulation(id="held", output="mount", mode=mode, points=(0.0, 0.5, 1.0), dwell_s=1)
    engine, result = bed.run(test)
    assert engine.ended.kind == "complete", engine.ended.text
    step = result.steps[2]
    asked = step.step.ohms if mode == "CR" else step.step.watts
    volts, amps = step.pair.volts.value, step.pair.amps.value
    assert (volts / amps if mode == "CR" else volts * amps) == pytest.approx(asked, rel=0.01)
    ohm = result.regulation.output_resistance_ohm
    assert ohm.low < 0.0472 < ohm.high
    assert step.step.title.endswith("Ω" if mode == "CR" else "W")


def test_a_latched_supply_is_reset_before_the_next_test(tmp_path: Path, demo: Job) -> None:
    from tensimeter.core.analysis.current_limit import LimitKind
    from tensimeter.simulation.behaviour import Behaviour

    latch = {"dew": Behaviour(limit=LimitKind.LATCH_OFF, limit_A=3.4)}
    with (
        JobFile.create(tmp_path / "bed.tensi", demo) as file,
        SimulatedBench(demo, behaviours=latch, seed=1, speed=SPEED) as served,
    ):
        bench = open_bench(demo, served.resources, speed=SPEED)
        bed = Bed(file, served, bench)
        _, result = bed.run(Overload(id="limit", output="dew"))
        assert text(result, "kind of limit") == "latch-off until reset"
        assert text(result, "comes back") == "no"
        # The last step switched it off and on again.
        assert result.steps[-1].volts.value == pytest.approx(12.0, abs=0.1)
        engine, after = bed.run(LoadRegulation(id="load", output="dew", dwell_s=1))
        assert (engine.ended.kind, after.complete) == ("complete", True)
        bench.close()


def test_trip_trim_line_and_short(bed: Bed) -> None:
    _, trip = bed.run(OverVoltage(id="trip", output="mount", most_V=16))
    assert value(trip, "trips at").value == pytest.approx(15.42, rel=0.01)
    assert text(trip, "after a reset") == "the volts are back"
    _, trim = bed.run(Tolerance(id="trim", output="mount", span_V=(12, 15)))
    assert trim.verdict is Verdict.CONFORMS
    _, line = bed.run(LineRegulation(id="line", output="dew"))
    assert value(line, "line regulation").value == pytest.approx(0.0002 * 2, abs=2e-4)
    # The line is back where it was.
    assert bed.served.world.supply.line_V == 230
    _, short = bed.run(ShortCircuit(id="short", output="dew"))
    assert value(short, "current into a short").value == pytest.approx(0.38 * 3.38, rel=0.06)
    _, reach = bed.run(ReachPoints(id="reach", output="mount", points=(Corner(volts=12.5, amps=3),)))
    assert reach.steps[0].volts.value == pytest.approx(12.5 - 3 * 0.0472, abs=0.02)
    # Whoever turned the trim turned it back.
    bed.served.world.supply.draw("mount", 0.0)
    assert bed.served.world.supply.settled("mount") == pytest.approx(13.6, abs=0.01)


def test_several_outputs_at_once(bed: Bed) -> None:
    _, cross = bed.run(CrossRegulation(id="cross", output="mount", others=("dew", "hub"), dwell_s=1))
    ohms = value(cross, "MOUNT by MOUNT")
    assert ohms.low < 0.0472 < ohms.high
    assert abs(value(cross, "MOUNT by DEW").value) < 2e-3
    _, outlets = bed.run(Outlets(id="outlets", output="mount", others=("dew",), dwell_s=1))
    assert outlets.complete
    places = Counter(r.place for r in bed.file.readings() if r.test == "outlets" and r.quantity == "A")
    assert places == {"mount": 3, "dew": 3}
    _, heat = bed.run(Efficiency(id="eff", output="mount", points=(0.5, 1.0)))
    assert value(heat, "efficiency at 8 A").value == pytest.approx(0.785, abs=0.02)
    alone = Bench(bed.bench.load, bed.bench.voltmeter, clock=bed.bench.clock)
    with pytest.raises(UserError, match="loads 2 outputs at once; the bench has 1 load"):
        RunEngine(
            bed.file, plan(bed.file.job, Outlets(id="o", output="mount", others=("dew",))), alone, print
        )


def test_waveforms_of_ripple_steps_and_starts(bed: Bed) -> None:
    _, ripple = bed.run(Ripple(id="ripple", output="mount", switching_Hz=117e3, record_s=0.05))
    # 9 mV rms at full load, hidden; the record's own scale and rounding on top.
    assert "switching 9" in text(ripple, "rms at 8 A")
    assert "2 × mains 6" in text(ripple, "rms at 8 A")
    peak, calm = value(ripple, "p-p at 8 A").value, value(ripple, "p-p without spikes at 8 A").value
    assert peak > 1.4 * calm
    _, step = bed.run(Transient(id="step", output="mount", record_s=0.004))
    assert value(step, "dip").value == pytest.approx(0.075 * 4, abs=0.09)
    assert value(step, "recovery, 2 A").value < 1e-3
    _, start = bed.run(StartUp(id="start", output="mount", others=("hub",)))
    assert text(start, "order") == "CAMERA HUB before MOUNT"
    assert value(start, "overshoot, CAMERA HUB").value == pytest.approx(0.02, abs=0.012)
    _, device = bed.run(RealDevice(id="device", output="mount"))
    assert value(device, "draws").value == pytest.approx(8.0, abs=0.02)
    kept = WaveBook(bed.file).waves()
    assert Counter(w.test for w in kept) == {"ripple": 3, "step": 2, "start": 4, "device": 1}
    assert kept[0].volts.shape == (kept[0].samples,)


def test_down_to_a_cut_off_and_over_a_skipped_point(bed: Bed) -> None:
    def pass_over(engine: RunEngine, event: Event) -> None:
        if event.kind == "step" and event.step.index == 2:
            engine.skip()

    engine, result = bed.run(LoadRegulation(id="load", output="mount"), pass_over)
    assert engine.ended.text.startswith("7 steps read. 1 passed over.")
    assert (result.measured, result.complete) == (7, False)
    done = frozenset(r.step.index for r in result.steps if r.taken)
    engine, result = bed.run(LoadRegulation(id="load", output="mount"), done=done)
    assert engine.ended.text.startswith("1 step read.")
    assert result.complete
    bed.file.edit("x", bed.file.job)
    engine, down = bed.run(
        CapacityDown(id="down", output="mount", cutoff_V=13.5, share=0.5, every_s=2.0, dwell_s=1)
    )
    # At half load less than the cut-off stands there: the first reading ends it.
    assert engine.ended.kind == "complete"
    assert down.measured == 1


def test_hands_are_asked_where_no_instrument_has_them(bed: Bed) -> None:
    bed.bench.hands, bed.bench.line = None, None
    asked: list[tuple[str, bool]] = []

    def answer(engine: RunEngine, event: Event) -> None:
        if event.kind == "ask":
            asked.append((event.text, bed.served.load_drawing))
            if "253" in event.text:
                engine.skip()
                return
            threading.Timer(0.05, engine.answer).start()

    engine, result = bed.run(LineRegulation(id="line", output="mount"), answer)
    assert [text[:19] for text, _ in asked] == [f"Set the line to {v}" for v in (207, 230, 253)]
    # Nothing is loaded while somebody is at the plugs.
    assert not any(drawing for _, drawing in asked)
    assert (result.measured, engine.ended.kind) == (3, "complete")
    asked.clear()
    _, trims = bed.run(Tolerance(id="trim", output="mount", span_V=(12, 15)), answer)
    assert "lowest" in asked[0][0]
    assert trims.complete
    assert "set it back" not in bed.events[-1].text

    def stop(engine: RunEngine, event: Event) -> None:
        if event.kind == "ask":
            engine.drop()

    engine, _ = bed.run(OverVoltage(id="trip", output="mount", most_V=16), stop)
    assert engine.ended.kind == "aborted"


def test_a_person_moves_leads_and_switches_while_the_volts_are_gone(bed: Bed) -> None:
    """The lead in the hand reads nothing, and so does a supply that is off: neither ends the run."""
    hands = bed.served.devices["hands"]
    bed.bench.hands, bed.bench.line = None, None
    asked: list[str] = []

    def act(engine: RunEngine, event: Event) -> None:
        if event.kind != "ask":
            return
        asked.append(event.text)
        word = "ON" if " on" in event.text else "OFF"
        command = f"POW {word}" if "Switch the supply" in event.text else "METE dew"
        for name, output in (("MOUNT", "mount"), ("DEW", "dew")):
            if "voltmeter" in event.text and name in event.text:
                command = f"METE {output}"
        if "load2" in event.text:
            command = "LOAD load2,dew"
        bed.served._loop.call_soon_threadsafe(hands.handle, command)
        threading.Timer(0.4, engine.answer).start()

    engine, start = bed.run(StartUp(id="start", output="mount"), act)
    assert engine.ended.kind == "complete", engine.ended.text
    assert value(start, "start, MOUNT").value == pytest.approx(0.61, abs=0.02)
    assert asked[-1] == "Switch the supply on again at the wall."
    asked.clear()
    engine, cross = bed.run(CrossRegulation(id="cross", output="mount", others=("dew",), dwell_s=1), act)
    assert engine.ended.kind == "complete", engine.ended.text
    assert any("voltmeter" in text for text in asked)
    ohms = value(cross, "DEW HEATER by DEW")
    assert ohms.low < 0.158 < ohms.high


@pytest.mark.parametrize(
    ("test", "role", "fault"),
    [
        (Overload(id="t", output="dew"), "load", "close"),
        (Overload(id="t", output="hub"), "voltmeter", "overload"),
        (CrossRegulation(id="t", output="mount", others=("dew",)), "load2", "close"),
        (CrossRegulation(id="t", output="mount", others=("dew",)), "voltmeter", "garble"),
        (Efficiency(id="t", output="mount"), "line", "overload"),
        (Ripple(id="t", output="mount"), "scope", "garble"),
        (Transient(id="t", output="mount"), "scope", "close"),
        (StartUp(id="t", output="mount"), "load", "late"),
        (OverVoltage(id="t", output="mount"), "voltmeter", "late"),
        (ShortCircuit(id="t", output="dew"), "load", "overload"),
    ],
)
def test_a_fault_at_each_kind_of_step(
    timed: Bed, qtbot, monkeypatch: pytest.MonkeyPatch, test: Test, role: str, fault: str
) -> None:
    monkeypatch.setattr(guard_process, "TRIES", 3)
    bed = timed
    worked_out = plan(bed.file.job, test)
    shown: set[int] = set()

    def strike(engine: RunEngine, event: Event) -> None:
        shown.update(r.id for r in event.readings)
        if event.step is not None and event.step.index >= len(worked_out.steps) // 2:
            bed.served.faults[role] = fault

    engine = RunEngine(bed.file, worked_out, bed.bench, lambda e: strike(engine, e))
    engine.start()
    engine.join(300)
    assert engine.ended.kind == "fault"
    # By command where the load still listens, by its watchdog where it does not.
    qtbot.waitUntil(lambda: not bed.served.load_drawing, timeout=60_000)
    assert shown <= {r.id for r in bed.file.readings()}
    assert "All readings taken were kept." in engine.ended.text
    assert len(engine.ended.text) < 300
    bed.served.faults.clear()
    # Where the machine itself stands still the load's watchdog acts, as it should.
    for _ in range(3):
        again = open_bench(bed.file.job, bed.served.resources, speed=SPEED)
        second = RunEngine(bed.file, worked_out, again, lambda e: None)
        second.start()
        second.join(300)
        again.close()
        if "switched itself off" not in second.ended.text:
            break
    assert second.ended.kind == "complete", second.ended.text


def test_a_record_comes_as_text_too_and_a_log_is_played_again(bed: Bed, tmp_path: Path, demo: Job) -> None:
    as_text = open_bench(demo, bed.served.resources, profiles={"scope": "generic-scope-text"}, speed=SPEED)
    bed.bench.close()
    bed.bench = as_text
    slow = changed(demo.part("scope-20"), samples=2000)
    bed.file.edit("fewer samples", demo.model_copy(
        update={"stock": tuple(slow if p.id == slow.id else p for p in demo.stock)}))  # fmt: skip
    _, result = bed.run(Ripple(id="r", output="mount", points=(0.5,), record_s=0.02))
    assert result.steps[0].wave.samples == 2000
    assert result.steps[0].wave.volts.mean() == pytest.approx(13.38, abs=0.02)
    amps = np.repeat([0.0, 2.0, 4.0, 2.0, 0.0], 3)
    rows = "\n".join(f"{13.5 - 0.05 * a},{a}" for a in amps)
    (tmp_path / "night.csv").write_text(f"volts [V],current [A]\n{rows}\n")
    path = tmp_path / "replay.toml"
    path.write_text('speed = 400\n[load]\nreplay = "night.csv"\n[voltmeter]\nreplay = "night.csv"\n')
    bench = open_bench_file(demo, path)
    assert bench.identities()["load"] == "replay of night.csv, 15 rows"
    replayed = with_campaign(
        demo, tests=(LoadRegulation(id="n", output="mount", points=(0.0, 0.25, 0.5, 0.0)),)
    )
    bed.bench = bench
    bed.file.edit("replayed", replayed)
    engine, result = bed.run(replayed.campaign.tests[0])
    assert engine.ended.kind == "complete", engine.ended.text
    assert result.regulation.output_resistance_ohm.value == pytest.approx(0.05, rel=1e-3)
    engine, _ = bed.run(LoadRegulation(id="m", output="mount", points=(0.0, 1.0)))
    assert "has no row at 8 A" in engine.ended.text
    engine, _ = bed.run(ShortCircuit(id="s", output="mount"))
    assert "is a log" in engine.ended.text
