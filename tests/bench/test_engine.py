"""The run engine on real sockets: every way to end ends with the load off and the readings kept."""

import contextlib
import socket
import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from msgspec.structs import replace

from tensimeter import guard as guard_process
from tensimeter.app.imported_readings import import_log, import_typed
from tensimeter.bench.engine import Event, RunEngine, RunLimits
from tensimeter.bench.profile import load_profile
from tensimeter.bench.setup import Bench, open_bench, open_bench_file
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.readingline import InHand, understand
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.read_so_far import ReadSoFar
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import Log

from ..conftest import SPEED


def run(
    file: JobFile, bench: Bench, act: Callable[[RunEngine, Event], None] | None = None, **more: object
) -> RunEngine:
    """Run the first test to its end; `act` is called at every event, in the run's thread."""
    engine: RunEngine

    def tell(event: Event) -> None:
        shown = {r.id for r in event.readings}
        # What is told was kept before: another connection sees it.
        if shown:
            with JobFile(file.path, read_only=True) as other:
                assert shown <= {r.id for r in other.readings()}
        if act:
            act(engine, event)

    engine = RunEngine(file, plan(file.job, file.job.campaign.tests[0]), bench, tell, **more)
    engine.start()
    engine.join(300)
    assert not engine.alive
    return engine


def test_a_whole_run(job_file: JobFile, bench: Bench, stand_ins: SimulatedBench) -> None:
    kinds: list[str] = []
    engine = run(job_file, bench, lambda _, e: kinds.append(e.kind))
    assert engine.ended is not None
    assert engine.ended.kind == "complete"
    assert kinds.count("kept") == 8
    assert kinds[0] == "started"
    assert not stand_ins.load_drawing
    readings = job_file.readings()
    # Volts, amps and three temperatures.
    assert len(readings) == 8 * 5
    assert {r.origin for r in readings} == {"simulated"}
    assert {r.range for r in readings if r.quantity == "V"} == {"60 V"}
    found = outcome(job_file.job, engine.plan, readings)
    assert found.complete
    assert found.regulation is not None
    # The hidden truth: output resistance of front end, fuse, lead and its bad contact.
    truth = 0.0047 + 0.0061 + 2 * 1.7241e-8 * 2 / 2.5e-6 + 0.0088
    assert found.regulation.output_resistance_ohm.low < truth < found.regulation.output_resistance_ohm.high
    assert job_file.runs()[0].ended == "complete"
    assert "electronic load" in job_file.runs()[0].instruments["load"]


def fail_at(step: int, action: Callable[[RunEngine], None]) -> Callable[[RunEngine, Event], None]:
    """Do something once when a step begins."""
    done = threading.Event()

    def act(engine: RunEngine, event: Event) -> None:
        if event.kind == "step" and event.step is not None and event.step.index == step and not done.is_set():
            done.set()
            action(engine)

    return act


@pytest.mark.parametrize("role", ["load", "voltmeter", "thermometer"])
@pytest.mark.parametrize("fault", ["silent", "garble", "close"])
def test_a_failing_instrument_ends_the_run(
    job_file: JobFile, bench: Bench, stand_ins: SimulatedBench, qtbot, role: str, fault: str
) -> None:
    engine = run(job_file, bench, fail_at(3, lambda _: stand_ins.faults.__setitem__(role, fault)))
    assert engine.ended is not None
    assert engine.ended.kind == "fault"
    # By command where the load still listens, by its watchdog where it does not.
    qtbot.waitUntil(lambda: not stand_ins.load_drawing, timeout=60_000)
    assert len([r for r in job_file.readings() if r.quantity == "V"]) == 3
    assert "All readings taken were kept." in engine.ended.text
    assert job_file.runs()[0].ended == "fault"
    if role == "load":
        # Its own link is dead: what powers the supply is cut, and nothing claims that the load obeyed.
        assert not engine.load_off
        assert "watchdog" in engine.ended.text or "cut the supply" in engine.ended.text


def test_the_whole_bench_disappears(
    job_file: JobFile, bench: Bench, stand_ins: SimulatedBench, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(guard_process, "TRIES", 3)
    engine = run(job_file, bench, fail_at(2, lambda _: stand_ins.stop()))
    assert engine.ended is not None
    assert engine.ended.kind == "fault"
    assert not engine.load_off
    assert len([r for r in job_file.readings() if r.quantity == "V"]) == 2


def test_dropping_the_load(job_file: JobFile, bench: Bench, stand_ins: SimulatedBench) -> None:
    engine = run(job_file, bench, fail_at(4, RunEngine.drop))
    assert engine.ended is not None
    assert (engine.ended.kind, engine.load_off) == ("aborted", True)
    assert not stand_ins.load_drawing
    assert len([r for r in job_file.readings() if r.quantity == "V"]) == 4


def test_a_pause_takes_the_load_off_and_goes_on(
    job_file: JobFile, bench: Bench, stand_ins: SimulatedBench
) -> None:
    seen = []

    def act(engine: RunEngine, event: Event) -> None:
        if event.kind == "kept" and event.step is not None and event.step.index == 2:
            engine.pause()
        if event.kind == "paused":
            seen.append(stand_ins.load_drawing)
            threading.Timer(0.3, engine.resume).start()

    engine = run(job_file, bench, act)
    assert seen == [False]
    assert engine.ended is not None
    assert engine.ended.kind == "complete"


@pytest.mark.parametrize(
    ("limit", "value", "words"),
    [("min_V", 13.4, "below the limit"), ("max_A", 3.0, "above the limit"), ("max_C", 20.0, "°C is above")],
)
def test_a_crossed_limit(
    job_file: JobFile, bench: Bench, stand_ins: SimulatedBench, limit: str, value: float, words: str
) -> None:
    limits = replace(RunLimits.for_plan(plan(job_file.job, job_file.job.campaign.tests[0])), **{limit: value})
    engine = run(job_file, bench, limits=limits)
    assert engine.ended is not None
    assert engine.ended.kind == "protected"
    assert words in engine.ended.text
    assert not stand_ins.load_drawing


def test_an_exception_in_the_listener(job_file: JobFile, bench: Bench, stand_ins: SimulatedBench) -> None:
    def boom(engine: RunEngine) -> None:
        raise ZeroDivisionError("listener")

    engine = run(job_file, bench, fail_at(2, boom))
    assert engine.ended is not None
    assert "ZeroDivisionError" in engine.ended.text
    assert not stand_ins.load_drawing


def test_a_load_that_lets_go_is_not_the_supplys_limit(
    job_file: JobFile, bench: Bench, stand_ins: SimulatedBench
) -> None:
    load = stand_ins.devices["load"]
    engine = run(job_file, bench, fail_at(3, lambda _: stand_ins._loop.call_soon_threadsafe(load.drop)))
    assert engine.ended is not None
    assert engine.ended.kind == "fault"
    assert "load switched itself off" in engine.ended.text


def test_a_supply_that_is_off_is_asked_about(job_file: JobFile, demo: Job) -> None:
    dead = {("donor-a", "emf"): 0.1, ("donor-b", "emf"): 0.1}
    with SimulatedBench(demo, truths=dead, speed=SPEED) as served:
        bench = open_bench(demo, served.resources, speed=SPEED)
        engine = run(job_file, bench)
        bench.close()
    assert engine.ended is not None
    assert "Is the supply on" in engine.ended.text
    assert job_file.runs() == []


def test_a_load_without_watchdog_wants_presence(
    job_file: JobFile, demo: Job, stand_ins: SimulatedBench, tmp_path
) -> None:
    text = "\n".join(
        line for line in load_profile_text("generic-load").splitlines() if not line.startswith("watchdog")
    )
    own = tmp_path / "plain-load.toml"
    own.write_text(text)
    bench = open_bench(demo, stand_ins.resources, profiles={"load": str(own)}, speed=SPEED)
    with pytest.raises(UserError, match="no watchdog"):
        RunEngine(job_file, plan(demo, demo.campaign.tests[0]), bench, lambda _: None)
    engine = run(job_file, bench, present=True)
    assert engine.ended is not None
    assert engine.ended.kind == "complete"
    bench.close()


def load_profile_text(name: str) -> str:
    from importlib import resources

    return resources.files("tensimeter.bench").joinpath("profiles", f"{name}.toml").read_text()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("role = 'load'\n[commands]\non = 'x'", "lacks the command"),
        ("role = 'teapot'\n[commands]\n", "not one that can be used"),
        ("role = ", "not one that can be used"),
        ("role = 'voltmeter'\nsurprise = 1\n[commands]\nread_volts = 'V?'", "not one that can be used"),
    ],
)
def test_profiles_that_cannot_be_used(tmp_path, text: str, words: str) -> None:
    path = tmp_path / "p.toml"
    path.write_text(text)
    with pytest.raises(UserError, match=words):
        load_profile(str(path))
    with pytest.raises(UserError, match="can't be read"):
        load_profile(str(tmp_path / "none.toml"))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "names none"),
        ("[load]\n", "needs a line resource"),
        ("[teapot]\nresource = 'x'", "is no role"),
        ("[load]\nresource = 'TCPIP::127.0.0.1::1::SOCKET'", "can't be reached|could not be opened"),
        ("[load]\nresource = 'nonsense'", "could not be opened"),
        ("[load]\nresource = 'x'\nprofile = 'generic-meter'", "is for a voltmeter"),
        ("speed = -1\n[load]\nresource = 'x'", "above zero"),
        ("speed", "not a bench file"),
    ],
)
def test_bench_files_that_cannot_be_opened(demo: Job, tmp_path, text: str, words: str) -> None:
    path = tmp_path / "bench.toml"
    path.write_text(text)
    with pytest.raises(UserError, match=words):
        open_bench_file(demo, path)


def test_typed_readings_find_their_step_and_keep_the_meter(job_file: JobFile) -> None:
    worked_out = plan(job_file.job, job_file.job.campaign.tests[0])
    typed = understand(job_file.job, "mount 13.41V @3.2A")
    volts, amps = import_typed(job_file, typed, worked_out, instrument="hand-meter")
    assert (volts.step, volts.test, volts.instrument, volts.range) == (None, None, "hand-meter", "20 V")
    assert (amps.value, amps.known, amps.scan) == (3.2, "said", volts.scan)
    read = ReadSoFar(job_file.job, job_file.readings())
    assert {(r.step, r.test) for r in read.taken(worked_out)} == {(2, "load-regulation")}
    again = import_typed(job_file, understand(job_file.job, "13.58", InHand("mount")), worked_out, step=0)
    # Of volts alone nobody knows the amps: none are made up, and they are a point of no test.
    assert [(r.quantity, r.value, r.test) for r in again] == [("V", 13.58, None)]
    odd = import_typed(job_file, understand(job_file.job, "mount 13.3 @5.6A"), worked_out)
    assert [r.known for r in odd] == ["read", "said"]
    aside = import_typed(job_file, understand(job_file.job, "sink 47.2C"), worked_out)
    assert (aside[0].test, aside[0].quantity) == (None, "C")
    found = outcome(job_file.job, worked_out, job_file.readings())
    assert (found.measured, len(found.extra)) == (1, 1)


def test_a_log_fills_the_same_campaign_plateau_by_plateau(job_file: JobFile) -> None:
    import numpy as np

    worked_out = plan(job_file.job, job_file.job.campaign.tests[0])
    amps = np.repeat([s.set_A for s in worked_out.steps], 3) + 0.001
    log = Log({"volts": 13.58 - 0.05 * amps, "amps": amps, "time": np.arange(24.0)}, ("v", "i", "t"))
    kept = import_log(job_file, log, worked_out, "bench.csv")
    assert len(kept) == 48
    found = outcome(job_file.job, worked_out, job_file.readings())
    assert found.complete
    assert found.regulation is not None
    assert found.regulation.output_resistance_ohm.value == pytest.approx(0.05, rel=1e-4)
    backwards = Log({"volts": log.columns["volts"], "amps": -amps - 1}, ("v", "i"))
    for accept in (False, True):
        with pytest.raises(UserError, match=r"turn the sign: --map amps=-#2"):
            import_log(job_file, backwards, worked_out, "bench.csv", accept=accept)
    assert len(job_file.readings()) == 48


class Bridge:
    """The simulated voltmeter as one that sends of itself: it is asked ever again, each answer a line."""

    def __init__(self, resource: str) -> None:
        _, host, port, _ = resource.split("::")
        self._asks = socket.create_connection((host, int(port)))
        self._server = socket.create_server(("127.0.0.1", 0))
        self.resource = f"TCPIP::127.0.0.1::{self._server.getsockname()[1]}::SOCKET"
        self._over = threading.Event()
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        with contextlib.suppress(OSError, ValueError):
            link, _ = self._server.accept()
            answers = self._asks.makefile("rb")
            while not self._over.wait(0.005):
                self._asks.sendall(b"MEAS:VOLT?\n")
                volts = float(answers.readline())
                link.sendall(f"DC {1e3 * volts:.1f} mV\r\n".encode())

    def close(self) -> None:
        self._over.set()
        for one in (self._server, self._asks):
            one.close()


def test_a_load_regulation_by_a_meter_that_sends_of_itself(
    job_file: JobFile, stand_ins: SimulatedBench, tmp_path: Path
) -> None:
    run(job_file, open_bench(job_file.job, stand_ins.resources, speed=SPEED))
    asked = [(r.step, r.value) for r in job_file.readings() if r.quantity == "V"]
    own = tmp_path / "own.toml"
    own.write_text(
        'role = "voltmeter"\nstreaming = true\ntermination = "\\r\\n"\n[patterns]\n'
        "read_volts = 'DC (?P<value>[-+.0-9]+) (?P<unit>mV)'\n"
    )
    bridge = Bridge(stand_ins.resources["voltmeter"])
    resources = {"load": stand_ins.resources["load"], "voltmeter": bridge.resource}
    bench = open_bench(job_file.job, resources, profiles={"voltmeter": str(own)}, speed=SPEED)
    engine = run(job_file, bench)
    bridge.close()
    assert engine.alive is False
    sent = [(r.step, r.value) for r in job_file.readings() if r.quantity == "V"][len(asked) :]
    assert [s for s, _ in sent] == [s for s, _ in asked]
    # The same figures, but for what scatters from reading to reading.
    assert [v for _, v in sent] == pytest.approx([v for _, v in asked], abs=0.01)
