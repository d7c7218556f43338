"""Which port, which sensor, which instrument: nothing is set on another's, nothing taken for another."""

import fcntl
import os
import subprocess
import sys
import termios
import threading
from pathlib import Path

import pytest
from pymodbus.framer import FramerRTU

from tensimeter.bench import doors, serial_port
from tensimeter.bench.engine import RunEngine
from tensimeter.bench.profile import Profile, load_profile
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.setup import open_bench_file
from tensimeter.bench.visa import VisaInstrument
from tensimeter.core.errors import Doubtful
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.plan import plan
from tensimeter.store.jobfile import JobFile

#: Another program that has a port open, and says so once it has.
HOLDER = "import os, sys; os.open(sys.argv[1], os.O_RDWR | os.O_NOCTTY); print('open', flush=True); input()"


@pytest.fixture
def port():
    far, near = os.openpty()
    yield far, os.ttyname(near)
    os.close(near)
    os.close(far)


def speed(path: str) -> int:
    fd = os.open(path, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
    try:
        return termios.tcgetattr(fd)[4]
    finally:
        os.close(fd)


@pytest.mark.parametrize("kind", ["lines", "registers"])
def test_a_port_of_another_program_is_refused_before_anything_is_set(
    port: tuple[int, str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: str
) -> None:
    _, name = port
    before, resource = speed(name), f"ASRL{name}::INSTR"
    shipped = load_profile({"lines": "generic-meter", "registers": "modbus-meter"}[kind])
    wanted = shipped.model_copy(update={"baud": 115200})
    holder = subprocess.Popen(
        [sys.executable, "-c", HOLDER, name], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )
    assert holder.stdout is not None
    assert holder.stdout.readline() == "open\n"
    with monkeypatch.context() as seen:
        # A child of this program, as its guard is, is no stranger; this one is.
        seen.setattr(serial_port, "_is_a_child", lambda _: False)
        with pytest.raises(LinkFailed, match="in use by another program"):
            doors.opened(resource, wanted, "meter")
    assert speed(name) == before
    holder.communicate("\n")
    held = os.open(name, os.O_RDWR | os.O_NOCTTY)
    fcntl.flock(held, fcntl.LOCK_EX)
    with pytest.raises(LinkFailed, match="in use by another program; close"):
        doors.opened(resource, wanted, "meter")
    os.close(held)
    monkeypatch.setattr(serial_port, "LOCKS", tmp_path)
    lock = tmp_path / f"LCK..{Path(name).name}"
    lock.write_text(f"{os.getppid():10d}\n")
    with pytest.raises(LinkFailed, match="in use by another program"):
        doors.opened(resource, wanted, "meter")
    assert speed(name) == before
    # One left behind by a program that is gone holds nothing.
    lock.write_text("999999999\n")
    doors.opened(resource, wanted, "meter").close()


def test_a_port_that_is_held_is_opened_anew_whoever_else_has_come(
    port: tuple[int, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A load must be told to go off, also where a terminal was opened on its port meanwhile."""
    shipped = load_profile("generic-load")
    load = VisaInstrument(f"ASRL{port[1]}::INSTR", shipped, "load")
    monkeypatch.setattr(serial_port, "_open_in", lambda _: "a terminal")
    load.reconnect()
    load.switch(False)
    load.close()
    with pytest.raises(LinkFailed, match="a terminal"):
        load.reconnect()


def test_another_sensor_at_a_name_is_asked_about_before_anything_is_switched(
    job_file: JobFile, demo: Job, stand_ins, tmp_path: Path
) -> None:
    for k in (1, 2, 3, 4):
        (tmp_path / f"28-{k}").mkdir()
        (tmp_path / f"28-{k}" / "w1_slave").write_text("72 01 4b : crc=da YES\n72 01 4b t=23125\n")
    tables = [f'[{r}]\nresource = "{stand_ins.resources[r]}"\n' for r in ("load", "voltmeter")]
    thermometer = '[thermometer]\nresource = "file:28-*/w1_slave"\nprofile = "one-wire-thermometer"\n'
    (tmp_path / "b.toml").write_text("speed = 400\n" + "".join(tables) + thermometer)
    worked_out = plan(demo, demo.campaign.tests[0])

    def engine(**more: object) -> RunEngine:
        bench = open_bench_file(demo, tmp_path / "b.toml")
        return RunEngine(job_file, worked_out, bench, lambda _: None, **more)

    first = engine()
    first.start()
    first.join(300)
    assert first.ended is not None
    assert first.ended.kind == "complete", first.ended.text
    engine().bench.close()
    (tmp_path / "28-2").rename(tmp_path / "28-9")
    with pytest.raises(Doubtful, match=r"28-1,28-3,28-4,28-9.*28-1,28-2,28-3,28-4"):
        engine()
    assert not stand_ins.load_drawing
    # A row that is none, whoever wrote it, tells of nobody.
    job_file.run_event(1, "bench", "[1")
    job_file.run_event(1, "bench", '["x"]')
    engine(others_are_meant=True).bench.close()


def test_an_answer_to_another_function_is_none(port: tuple[int, str]) -> None:
    far, name = port

    def serve() -> None:
        while True:
            try:
                asked = os.read(far, 64)
            except OSError:
                return
            # It answers for holding registers whatever was asked.
            told = bytes([asked[0], 3, 2, 5, 80])
            os.write(far, told + FramerRTU.compute_CRC(told).to_bytes(2, "big"))

    threading.Thread(target=serve, daemon=True).start()
    values = {"read_volts": {"at": 7, "scale": 0.01, "table": "input"}}
    profile = Profile.model_validate({"role": "voltmeter", "registers": {"values": values}})
    meter = doors.opened(f"ASRL{name}::INSTR", profile, "meter")
    with pytest.raises(LinkFailed):
        meter.read_volts()
    meter.close()
