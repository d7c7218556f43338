"""The load goes off whatever dies, and no answer becomes a reading that is not one."""

import json
import os
import random
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from tensimeter import guard
from tensimeter.bench import cuts, wall
from tensimeter.bench.cuts import Cut, address_of
from tensimeter.bench.engine import Event, RunEngine
from tensimeter.bench.guarding import RunGuard
from tensimeter.bench.setup import Bench, open_bench
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.testplan.plan import plan
from tensimeter.simulation.behaviour import Demand
from tensimeter.simulation.misbehaving import Fault
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile

SPEED = 30.0
#: The silence that a guard is to act at: far longer than a busy machine keeps a program waiting, s.
SILENT_S = 2.5
ROOT = Path(__file__).parents[2]
#: The program as it is, but with time to answer on a busy machine.
SLOW = """
from tests.process_time import be_slow
be_slow()
from tensimeter.__main__ import main
main()
"""
POINTS = LoadRegulation(id="t", output="mount", points=(0.0, 0.4, 0.7, 1.0), dwell_s=4.0, longest_dwell_s=60)


@pytest.fixture
def plain_job(demo: Job) -> Job:
    return with_campaign(demo, tests=(POINTS,))


@pytest.fixture
def kept(tmp_path: Path, plain_job: Job):
    with JobFile.create(tmp_path / "t.tensi", plain_job) as file:
        yield file


@pytest.fixture
def served(plain_job: Job):
    with SimulatedBench(plain_job, seed=5, speed=SPEED) as bench:
        yield bench


def opened(job: Job, served: SimulatedBench, tmp_path: Path, **changed: str) -> Bench:
    """A bench without its line source, which would cut; profiles changed by leaving lines out, by role."""
    profiles = {role: lacking(role, without, tmp_path) for role, without in changed.items()}
    wanted = {k: v for k, v in served.resources.items() if k in ("load", "voltmeter")}
    return open_bench(job, wanted, profiles=profiles, speed=SPEED)


def lacking(role: str, without: str, folder: Path) -> str:
    """The path of a shipped profile without the lines that begin with one of some words."""
    from importlib import resources

    name = {"load": "generic-load", "voltmeter": "generic-meter"}[role]
    text = resources.files("tensimeter.bench").joinpath("profiles", f"{name}.toml").read_text()
    lines = [line for line in text.splitlines() if not line.startswith(tuple(without.split()))]
    (folder / f"{role}.toml").write_text("\n".join(lines))
    return str(folder / f"{role}.toml")


def run(file: JobFile, bench: Bench, act=None, **more: object) -> RunEngine:
    engine: RunEngine

    def tell(event: Event) -> None:
        if act:
            act(engine, event)

    engine = RunEngine(file, plan(file.job, POINTS), bench, tell, **{"present": True, **more})
    engine.start()
    assert engine.finished.wait(300)
    bench.close()
    return engine


def at_step(index: int, action):
    done = threading.Event()

    def act(engine: RunEngine, event: Event) -> None:
        if (
            event.kind == "live"
            and event.step is not None
            and event.step.index == index
            and not done.is_set()
        ):
            done.set()
            action(engine)

    return act


# -- answers that never end, and drop ---------------------------------------------------------------


@pytest.mark.parametrize("dropped", [False, True])
@pytest.mark.parametrize(
    ("kind", "role", "query"),
    [
        ("drip", "voltmeter", "MEAS"),
        ("flood", "load", "MEAS:CURR"),
        ("half", "load", "INP?"),
        ("huge", "voltmeter", "MEAS"),
    ],
)
def test_an_answer_that_does_not_end_ends_the_run_and_drop_waits_for_none(
    kept: JobFile,
    plain_job: Job,
    served: SimulatedBench,
    tmp_path: Path,
    kind: str,
    role: str,
    query: str,
    dropped: bool,
) -> None:
    fault = Fault(kind, query)
    off: list[float] = []
    # The harder case: nobody else gets in while the run's own link is open.
    served.one_client.add("load")

    def spoil(engine: RunEngine) -> None:
        served.faults[role] = fault

        def drop_it() -> None:
            while fault.met_at is None:
                time.sleep(0.002)
            begun = wall.now()
            if dropped:
                engine.drop()
            while served.load_drawing:
                time.sleep(0.002)
            off.append(wall.now() - begun)

        watching.append(threading.Thread(target=drop_it, daemon=True))
        watching[0].start()

    watching: list[threading.Thread] = []
    engine = run(kept, opened(plain_job, served, tmp_path, load="watchdog"), at_step(1, spoil))
    watching[0].join()
    assert not served.load_drawing
    assert engine.ended is not None
    assert engine.ended.kind in ("fault", "protected", "bug", "aborted")
    assert off[0] < 2
    # Where it was dropped nothing of the instrument's own time was waited for (its profile says 0.7 s).
    assert not dropped or kind == "huge" or engine.ended.kind == "aborted" or "off" in engine.ended.text
    assert len([r for r in kept.readings() if r.quantity == "V"]) == 1


@pytest.mark.parametrize("mark", ["", "sequence", "sequence identify"])
@pytest.mark.parametrize("kind", ["twice", "swapped", "pieces", "previous", "stream"])
def test_no_answer_becomes_a_reading_that_belongs_to_another_question(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path, kind: str, mark: str
) -> None:
    if kind == "stream":
        served.streams["voltmeter"] = 25.0
    else:
        served.faults["voltmeter"] = Fault(kind, "MEAS:VOLT", random.Random(7))
    try:
        bench = opened(plain_job, served, tmp_path, voltmeter=mark or "#nothing")
    except UserError:
        # It was found out as it was opened.
        return
    run(kept, bench)
    load = served.devices["load"]
    for r in kept.readings():
        if r.quantity == "V":
            amps = 8.0 * POINTS.points[r.step or 0]
            true_A = (
                max(served.world.errors.shifted(f"{load.part.id}|set", amps, load.part.amps), 0.0)
                if amps
                else 0.0
            )
            served.world.supply.draw("mount", Demand("CC", true_A) if true_A else Demand())
            # The hidden supply's own volts; the meter's 0.05 % and a few counts beside them.
            assert r.value == pytest.approx(served.world.supply.settled("mount"), abs=0.0068 + 0.006)
    if kind == "pieces":
        assert len([r for r in kept.readings() if r.quantity == "V"]) == 4


# -- loads that do not obey -------------------------------------------------------------------------


def disobey(device, how: str) -> None:
    """Make a simulated load do otherwise than it is told."""
    plain = device.handle
    real_current = device._current

    def handle(line: str):
        upper = line.upper()
        if how == "ignores off" and ("INP OFF" in upper or upper.startswith("CURR 0")):
            return None
        if how == "keeps 8 A" and ("INP OFF" in upper or "CURR " in upper.replace("MEAS:CURR", "")):
            return None
        if how == "takes no setting" and upper.startswith("CURR ") and not upper.endswith(" 0.0000"):
            return None
        return plain(line)

    device.handle = handle
    if how == "says off, draws on":
        # Its answers say that it is off; its own ammeter tells of 3.2 A.
        device.on("INPut?", lambda _: "0")
        device._tree.insert(0, device._tree.pop())
        device._tree.insert(0, (device._tree[-1][0], lambda _: "3.2"))
        for k, (pattern, _) in enumerate(device._tree):
            if pattern.fullmatch("MEAS:CURR?"):
                device._tree[k] = (pattern, lambda _: real_current() if device._on else "3.2")
    if how == "echoes":
        for k, (pattern, _) in enumerate(device._tree):
            if pattern.fullmatch("MEAS:CURR?"):
                device._tree[k] = (pattern, lambda _: f"{device._set['CC'] if device._on else 0:.6E}")
        device._apply = lambda: None


@pytest.mark.parametrize(
    ("how", "words", "proven"),
    [
        ("ignores off", "says that it is on", False),
        ("says off, draws on", "flow: it does not obey", False),
        ("keeps 8 A", "says that it is on", False),
        ("takes no setting", "was set, but only", True),
        ("echoes", "the volts did not move", True),
    ],
)
def test_a_load_that_does_not_obey_is_noticed_at_once(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path, how: str, words: str, proven: bool
) -> None:
    device = served.devices["load"]
    bench = opened(plain_job, served, tmp_path)
    if how in ("keeps 8 A", "ignores off"):
        device._set["CC"], device._on = 8.0, True
        device._apply()
        device.reset = lambda: None
    disobey(device, how)
    engine = run(kept, bench)
    assert engine.ended is not None
    assert engine.ended.kind == "fault"
    assert words in engine.ended.text
    assert engine.load_off is proven
    assert proven or "MAY STILL BE ON" in engine.ended.text or "watchdog" in engine.ended.text
    # Nothing that was read with a load that does not obey stands as that step's reading.
    assert all(r.step in (0, None) for r in kept.readings())


def test_a_run_that_cannot_prove_its_load_off_did_not_end_well(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path
) -> None:
    device = served.devices["load"]
    bench = opened(plain_job, served, tmp_path, load="watchdog")
    engine = run(kept, bench, at_step(3, lambda _: disobey(device, "ignores off")))
    # Every step was read; the load stays on all the same.
    assert len([r for r in kept.readings() if r.quantity == "V"]) == 4
    assert engine.ended is not None
    assert (engine.ended.kind, engine.load_off, served.load_drawing) == ("fault", False, True)
    assert "switch the supply off by hand" in engine.ended.text
    assert kept.runs()[0].ended == "fault"


def test_an_ammeter_that_fades_is_no_load_that_does_not_obey(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path
) -> None:
    device = served.devices["load"]
    plain, still = device._current, [0]

    def fading() -> str:
        # Two more readings show some of what flowed, as an average does.
        still[0] = 2 if device._on else max(still[0] - 1, 0)
        return plain() if device._on or not still[0] else "0.5"

    for k, (pattern, _) in enumerate(device._tree):
        if pattern.fullmatch("MEAS:CURR?"):
            device._tree[k] = (pattern, lambda _: fading())
    engine = run(kept, opened(plain_job, served, tmp_path))
    assert engine.ended is not None
    assert (engine.ended.kind, engine.load_off) == ("complete", True), engine.ended.text


# -- the guard --------------------------------------------------------------------------------------


class Plug:
    """A load that takes one client at a time, on a socket of its own, and remembers what it heard."""

    def __init__(self, answer: bytes = b"0.001\n") -> None:
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.heard = b""
        self.answer = answer
        self.off_at: float | None = None
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def port(self) -> int:
        return int(self.listener.getsockname()[1])

    def _serve(self) -> None:
        while True:
            try:
                link, _ = self.listener.accept()
            except OSError:
                return
            with link:
                while data := link.recv(4096):
                    self.heard += data
                    if b"OFF" in data and self.off_at is None:
                        self.off_at = time.monotonic()
                    if b"MEAS" in data:
                        link.sendall(self.answer)

    def told(self, fd: int | None) -> dict[str, object]:
        return {
            "name": "load",
            "fd": fd,
            "address": {"tcp": ["127.0.0.1", self.port]},
            "off": ["INP OFF", "CURR 0"],
            "amps": "MEAS:CURR?",
            "most_A": 0.05,
        }


@pytest.fixture
def plug():
    made = Plug()
    yield made
    made.listener.close()


def told(plug: Plug, fd: int | None, **more: object) -> dict[str, object]:
    return {"loads": [plug.told(fd)], "cuts": [], "silent_s": SILENT_S, **more}


def ended(process: RunGuard) -> None:
    assert process._process is not None
    process._process.wait(10)


def test_the_guard_drops_after_silence_on_the_link_it_was_given(plug: Plug) -> None:
    link = socket.create_connection(("127.0.0.1", plug.port))
    # The program was stopped in the middle of a command.
    link.sendall(b"CURR 4.")
    watched = RunGuard(told(plug, link.fileno()))
    watched.start()
    status = Path(f"/proc/{watched.pid}/status").read_text()
    assert int(status.split("VmRSS:")[1].split()[0]) <= 15_000
    watched.arm()
    for _ in range(6):
        watched.beat()
        time.sleep(SILENT_S / 5)
    assert plug.off_at is None, "it acted although it was fed"
    assert watched.fenced() == ""
    last = time.monotonic()
    while not watched.acted:
        watched.fenced()
        time.sleep(0.01)
    assert plug.off_at is not None
    assert 0.2 * SILENT_S < plug.off_at - last < 20 * SILENT_S
    # The half-typed command was ended first, or OFF would have been part of it.
    assert b"CURR 4.\nINP OFF\n" in plug.heard
    ended(watched)
    assert "off, confirmed by its amps" in watched.fenced()
    link.close()


def test_the_guard_acts_at_the_programs_end_only_with_a_load_on(
    plug: Plug, tmp_path: Path, demo: Job
) -> None:
    path = tmp_path / "g.tensi"
    JobFile.create(path, demo).close()
    calm = RunGuard(told(plug, None, job=str(path)))
    calm.start()
    calm.arm()
    calm.disarm()
    assert calm._process is not None
    assert calm._process.stdin is not None
    calm._process.stdin.close()
    ended(calm)
    assert plug.off_at is None
    armed = RunGuard(told(plug, None, job=str(path)))
    armed.start()
    armed.arm()
    assert armed._process is not None
    assert armed._process.stdin is not None
    armed._process.stdin.close()
    ended(armed)
    assert plug.off_at is not None
    with JobFile(path) as file:
        assert "The guard dropped the load (the program ended)" in file.logbook()[-1].text
        assert file.check() == []


def test_what_does_not_obey_is_cut(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(guard, "TRIES", 2)
    stuck = Plug(b"8.000\n")
    heard: list[bytes] = []
    coil = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        link, _ = coil.accept()
        with link:
            data = link.recv(64)
            heard.append(data)
            link.sendall(data)

    threading.Thread(target=serve, daemon=True).start()
    cut = Cut(
        kind="modbus-coil", resource=f"TCPIP::127.0.0.1::{coil.getsockname()[1]}::SOCKET", coil=3, unit=17
    )
    found = guard.drop({"loads": [stuck.told(None)], "cuts": [{**cut.told("relay"), "answer_s": 20.0}]})
    assert (found["off"], found["cut"], found["not_proven"]) == (False, ["relay"], ["load"])
    # Modbus application protocol 1.1b3, 6.5: function 05, output 3, value 0000; seven bytes of header before.
    assert heard == [struct.pack(">HHHBBHH", 1, 0, 6, 17, 5, 3, 0)]
    assert "see that it is off" in guard.sentence(found, "try")
    found = guard.drop({"loads": [stuck.told(None)], "cuts": []})
    assert "SWITCH THE SUPPLY OFF BY HAND" in guard.sentence(found, "try")
    stuck.listener.close()
    coil.close()


@pytest.mark.parametrize(
    ("given", "words"),
    [
        ({"kind": "command", "resource": "TCPIP::127.0.0.1::9::SOCKET", "on": "1"}, "needs “on” and “off”"),
        ({"kind": "bytes", "resource": "ASRL/dev/ttyUSB0::INSTR", "on": "zz", "off": "A0"}, "hexadecimal"),
        ({"kind": "modbus-coil", "resource": "ASRL/dev/ttyUSB0::INSTR"}, "over TCP"),
        ({"kind": "serial-line", "resource": "TCPIP::127.0.0.1::9::SOCKET"}, "needs a serial port"),
        (
            {"kind": "command", "resource": "USB0::1::2::3::INSTR", "on": "1", "off": "0"},
            "no socket and no serial",
        ),
    ],
)
def test_cuts_that_cannot_cut_are_refused(given: dict[str, str], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        Cut.model_validate(given)
    assert address_of("ASRL/dev/ttyS0::INSTR") == {"serial": "/dev/ttyS0"}


def test_a_cut_is_tried_before_a_run_leans_on_it(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path
) -> None:
    line = served.resources["line"]
    words = {"on": "OUTP ON", "off": "OUTP OFF", "is_on": "OUTP?"}
    bench = opened(plain_job, served, tmp_path, load="watchdog")
    bench.cuts = {"cut": Cut(resource=line, **words)}
    engine = run(kept, bench, present=False)
    assert engine.ended is not None
    assert engine.ended.kind == "complete", engine.ended.text
    # One that switches something else cuts nothing, and is found out before the test.
    idle = opened(plain_job, served, tmp_path, load="watchdog")
    idle.cuts = {"cut": Cut(resource=line, on="OUTP ON", off="*CLS")}
    engine = run(kept, idle, present=False)
    assert engine.ended is not None
    assert "it cuts nothing" in engine.ended.text
    assert engine.load_off
    nothing = opened(plain_job, served, tmp_path, load="watchdog")
    with pytest.raises(UserError, match="no independent cut"):
        RunEngine(kept, plan(plain_job, POINTS), nothing, print)
    nothing.close()


def test_names_are_looked_up_before_a_load_is_on_and_never_by_the_guard(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    looked, known = [], socket.getaddrinfo

    def slow(host: str, *rest: object, **more: object) -> object:
        looked.append((host, served.load_drawing, more.get("flags", 0)))
        if host == "nowhere.invalid":
            time.sleep(60)
        return known("127.0.0.1" if host == "here.invalid" else host, *rest, **more)

    monkeypatch.setattr(socket, "getaddrinfo", slow)
    monkeypatch.setattr(cuts, "LOOKED_FOR_S", 2.0)
    bench = opened(plain_job, served, tmp_path)
    words = {"on": "OUTP ON", "off": "OUTP OFF", "is_on": "OUTP?", "before_load": True}
    port = served.resources["line"].split("::")[2]
    bench.cuts = {"cut": Cut(resource=f"TCPIP::nowhere.invalid::{port}::SOCKET", **words)}
    engine = run(kept, bench)
    assert engine.ended is not None
    assert "No address was found for nowhere.invalid; nothing was switched on" in engine.ended.text
    assert engine.load_off
    bench = opened(plain_job, served, tmp_path)
    bench.cuts = {"cut": Cut(resource=f"TCPIP::here.invalid::{port}::SOCKET", **words)}
    engine = run(kept, bench)
    assert engine.ended is not None
    assert engine.ended.kind == "complete", engine.ended.text
    assert not [h for h, on, flags in looked if h.endswith(".invalid") and (on or flags)]
    with pytest.raises(OSError, match=r"(?i)name|number"):
        guard.Port.open({"tcp": ["here.invalid2", 9]})


def test_without_a_guard_no_run_is_left_alone(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def refuse(self: RunGuard) -> None:
        raise UserError("The guard did not start.")

    monkeypatch.setattr(RunGuard, "start", refuse)
    engine = run(kept, opened(plain_job, served, tmp_path), present=False)
    assert engine.ended is not None
    assert "only while you stay" in engine.ended.text
    engine = run(kept, opened(plain_job, served, tmp_path), present=True)
    assert engine.ended is not None
    assert engine.ended.kind == "complete"


def test_a_guard_that_dies_ends_the_run_with_the_load_off(
    kept: JobFile, plain_job: Job, served: SimulatedBench, tmp_path: Path
) -> None:
    def kill(engine: RunEngine) -> None:
        os.kill(engine._context.pulse.guard.pid, signal.SIGKILL)

    engine = run(kept, opened(plain_job, served, tmp_path), at_step(1, kill))
    assert engine.ended is not None
    assert (engine.ended.kind, engine.load_off, served.load_drawing) == ("fault", True, False)
    assert "guard has gone" in engine.ended.text


def test_a_full_disk_loses_nothing_that_was_shown(
    plain_job: Job, served: SimulatedBench, tmp_path: Path
) -> None:
    path = tmp_path / "f.tensi"
    JobFile.create(path, plain_job).close()
    script = """
import json, os, resource, sys
from pathlib import Path
from tensimeter.bench.engine import RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.testplan.plan import plan
from tensimeter.store.jobfile import JobFile
from tests.process_time import be_slow
be_slow()
file = JobFile(Path(sys.argv[1]))
bench = open_bench(file.job, json.loads(sys.argv[2]), speed=float(sys.argv[3]))
tell = lambda event: [print(r.id, repr(r.value), flush=True) for r in event.readings]
engine = RunEngine(file, plan(file.job, file.job.campaign.tests[0]), bench, tell, present=True)
resource.setrlimit(resource.RLIMIT_FSIZE, (13_000, 13_000))
engine.start()
engine.finished.wait()
print("ended", engine.ended.kind, engine.load_off, engine.ended.text)
"""
    wanted = json.dumps({k: v for k, v in served.resources.items() if k in ("load", "voltmeter")})
    words = [sys.executable, "-c", script, str(path), wanted, str(5 * SPEED)]
    told = subprocess.run(words, capture_output=True, text=True, cwd=ROOT, check=True).stdout.splitlines()
    assert told[-1].startswith("ended fault True")
    assert "disk is full" in told[-1]
    shown = {int(n): float(v) for n, v in (line.split() for line in told[:-1])}
    assert shown
    assert not served.load_drawing
    with JobFile(path) as file:
        found = {r.id: r.value for r in file.readings()}
        assert file.check() == []
    assert shown.items() <= found.items()


# -- signals and standstills ------------------------------------------------------------------------


def _hears_signals() -> None:
    """A suite that was begun in the background hears none of them, and what it begins would not either."""
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.signal(signal.SIGHUP, signal.SIG_DFL)


def proving(path: Path, served: SimulatedBench, tmp_path: Path) -> subprocess.Popen[str]:
    """The command in a process of its own, on the simulated bench of this one, its load on."""
    tables = [f'[{r}]\nresource = "{served.resources[r]}"\n' for r in ("voltmeter", "load")]
    # The guard is tried, not the load's own watchdog, which would be the quicker of the two.
    tables.append(f'profile = "{lacking("load", "watchdog", tmp_path)}"\n')
    bench = tmp_path / "bench.toml"
    bench.write_text(f"speed = {SPEED}\n" + "".join(tables))
    words = [
        "prove",
        str(path),
        "t",
        "--bench",
        str(bench),
        "--overrule",
        "a trial",
        "--already-running",
        "--i-am-present",
    ]
    process = subprocess.Popen(
        [sys.executable, "-c", SLOW, *words],
        cwd=ROOT,
        preexec_fn=_hears_signals,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    while served.world.supply.amps("mount") < 1:
        assert process.poll() is None, process.communicate()
        time.sleep(0.01)
    return process


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP, signal.SIGINT])
def test_a_signal_drops_the_load_and_ends_in_a_sentence(
    tmp_path: Path, plain_job: Job, served: SimulatedBench, number: signal.Signals
) -> None:
    path = tmp_path / "s.tensi"
    JobFile.create(path, plain_job).close()
    process = proving(path, served, tmp_path)
    process.send_signal(number)
    _, said = process.communicate(timeout=300)
    assert not served.load_drawing
    assert process.returncode == 1
    assert "The load was dropped. It is off, confirmed by its amps." in said
    assert "Traceback" not in said
    with JobFile(path) as file:
        assert file.runs()[0].ended == "aborted"


def test_what_is_read_after_a_standstill_is_not_kept(
    tmp_path: Path, plain_job: Job, served: SimulatedBench
) -> None:
    path = tmp_path / "s.tensi"
    JobFile.create(path, plain_job).close()
    process = proving(path, served, tmp_path)
    process.send_signal(signal.SIGSTOP)
    begun = time.monotonic()
    while served.load_drawing:
        assert time.monotonic() - begun < 40, "the load was on long after the program was stopped"
        time.sleep(0.01)
    time.sleep(1.0)
    process.send_signal(signal.SIGCONT)
    _, said = process.communicate(timeout=300)
    assert "guard dropped the load" in said or "stood still" in said
    with JobFile(path) as file:
        amps = [r for r in file.readings() if r.quantity == "A"]
        assert all(r.value == pytest.approx(8.0 * POINTS.points[r.step or 0], abs=0.1) for r in amps)
        assert file.runs()[0].ended == "fault"
