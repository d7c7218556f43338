"""Meters that are not asked in lines: frames, registers, lines of their own, files."""

import contextlib
import os
import struct
import threading
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pymodbus.framer import FramerRTU

from tensimeter.bench import doors, wall
from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.engine import RunEngine
from tensimeter.bench.frame import Frame, FrameValue
from tensimeter.bench.link import BrokenOff
from tensimeter.bench.profile import Profile, figures, load_profile, text_of
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.setup import open_bench, open_bench_file
from tensimeter.bench.trying import try_profile
from tensimeter.bench.understood import frame_shape, last_frame, of_frame, of_line
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import stand_ins as simulated
from tensimeter.simulation import other_doors
from tensimeter.simulation.other_doors import PROFILES, SENT
from tensimeter.store.jobfile import JobFile


def regulation(tmp_path: Path, demo: Job, door: str) -> tuple[list[float], list[str], str]:
    """Volts of a whole load regulation by a door, their notes, and the verdict."""
    clock = SteppedClock()
    with (
        JobFile.create(tmp_path / f"{door or 'scpi'}.tensi", demo) as file,
        simulated(demo, seed=4, clock=clock, voltmeter_as="" if door == "rtu" else door) as served,
        contextlib.ExitStack() as stack,
    ):
        if door == "rtu":
            meter = served.devices["voltmeter"]
            serial = SerialRegisters(lambda: float(str(meter.handle("MEAS:VOLT:DC?"))))
            stack.callback(serial.close)
            served.resources["voltmeter"], served.profiles["voltmeter"] = serial.resource, "modbus-meter"
            # Its temperatures come from the kernel's files.
            sensors(tmp_path, ("YES", 23125), ("YES", 31500), ("YES", 19000), ("YES", 18500))
            served.resources["thermometer"] = f"file:{tmp_path}/28-*/w1_slave"
            served.profiles["thermometer"] = "one-wire-thermometer"
        bench = open_bench(demo, served.resources, profiles=served.profiles, clock=clock)
        test = next(t for t in demo.campaign.tests if isinstance(t, LoadRegulation))
        worked_out = plan(demo, test)
        engine = RunEngine(file, worked_out, bench, lambda _: None)
        engine.start()
        engine.join(300)
        bench.close()
        volts = [r for r in file.readings() if r.quantity == "V"]
        found = outcome(demo, worked_out, file.readings(), [])
        warm = {r.value for r in file.readings() if r.quantity == "C"}
        assert door != "rtu" or {23.125, 31.5} <= warm
        return [r.value for r in volts], [r.note for r in volts], found.verdict.value


def test_a_load_regulation_reads_the_same_by_every_door(
    tmp_path: Path, demo: Job, monkeypatch: pytest.MonkeyPatch
) -> None:
    # A meter that sends ten times a second would be waited for at each look.
    monkeypatch.setattr(other_doors, "LINES_PER_S", 100.0)
    volts, notes, verdict = regulation(tmp_path, demo, "")
    assert len(volts) >= 5
    assert not any("before" in note for note in notes)
    for door in (*PROFILES, "rtu"):
        same, aged, as_well = regulation(tmp_path, demo, door)
        # What the frames show ends at 1 mV, and its last digit is noise.
        assert same == pytest.approx(volts, abs=3e-3), door
        assert as_well == verdict
        # Only what comes of itself has an age, and none is older than the pause between two of them.
        own = door in ("stream", "frame")
        assert all(("before" in note) == own for note in aged), door
        assert not own or all(float(n.split("sent ")[1].split()[0]) < 0.3 for n in aged)


@pytest.mark.parametrize("door", list(PROFILES))
def test_a_meter_that_hangs_is_told_and_is_broken_off(demo: Job, door: str) -> None:
    with simulated(demo, seed=4, voltmeter_as=door) as served:
        assert served.other_door
        profile = load_profile(served.profiles["voltmeter"])
        meter = doors.opened(served.resources["voltmeter"], profile, "meter")
        rows = {r.command: r for r in try_profile(meter, profile)}
        assert rows["read_volts"].fits, rows
        assert any(not said.sent for said in rows["read_volts"].raw)
        assert meter.identity() in ("", "Simulated,table meter", "Simulated,register meter,1")
        served.other_door.frozen = True
        wall.pause(0.15)
        with pytest.raises(LinkFailed, match="no answer in time"):
            meter.read_volts()
        meter.longest_s = 20.0
        meter.calm()
        threading.Timer(0.2, meter.break_off).start()
        with pytest.raises(BrokenOff):
            meter.read_volts()
        served.other_door.frozen = False
        meter.calm()
        assert meter.read_volts() == pytest.approx(
            served.world.supply.volts(served.world.place("voltmeter")), 0.01
        )
        meter.close()


class SerialRegisters:
    """A meter with registers on a pseudo-terminal; the sum over its bytes is the protocol's own package's."""

    def __init__(self, volts: Callable[[], float]) -> None:
        self.volts = volts
        self.far, self._near = os.openpty()
        self.resource = f"ASRL{os.ttyname(self._near)}::INSTR"
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                asked = os.read(self.far, 64)
            except OSError:
                return
            # Who it is (43) it does not tell.
            body = self._answer(asked[3], asked[5]) if asked[1] in (3, 4) else None
            told = (
                bytes([asked[0], asked[1] | 0x80, 2])
                if body is None
                else bytes([asked[0], asked[1], len(body)])
            )
            told += body or b""
            os.write(self.far, told + FramerRTU.compute_CRC(told).to_bytes(2, "big"))

    def _answer(self, at: int, count: int) -> bytes | None:
        """Two registers are the volts as a float; 7 hundredths of a volt, 8 over range, 9 is none."""
        if count == 2:
            return struct.pack(">f", self.volts())
        return {7: b"\x05\x50", 8: b"\xff\xff"}.get(at)

    def close(self) -> None:
        os.close(self._near)
        os.close(self.far)


def sensors(folder: Path, *told: tuple[str, int]) -> None:
    """Files as the kernel shows 1-wire sensors."""
    for k, (sure, celsius) in enumerate(told):
        (folder / f"28-{k}").mkdir()
        (folder / f"28-{k}" / "w1_slave").write_text(f"72 01 4b : crc=da {sure}\n72 01 4b t={celsius}\n")


def test_registers_over_a_serial_line(demo: Job) -> None:
    serial = SerialRegisters(lambda: 0.0)
    at = {
        "read_volts": {"at": 7, "scale": 0.01},
        "read_amps": {"at": 8, "over": 65535},
        "read_watts": {"at": 9},
    }
    profile = Profile.model_validate({"role": "voltmeter", "registers": {"unit": 5, "values": at}})
    meter = doors.opened(serial.resource, profile, "meter")
    assert meter.read_volts() == 13.6
    assert meter.read_amps() == float("inf")
    with pytest.raises(LinkFailed, match="exception 2"):
        meter.read_watts()
    meter.close()
    serial.close()


def test_sensors_that_the_kernel_shows(tmp_path: Path, demo: Job) -> None:
    sensors(tmp_path, ("YES", 23125), ("YES", -1250), ("NO", 40000), ("YES", 85000))
    (tmp_path / "b.toml").write_text(
        '[load]\nreplay = "x.csv"\n'
        '[thermometer]\nresource = "file:28-*/w1_slave"\nprofile = "one-wire-thermometer"\n'
    )
    (tmp_path / "x.csv").write_text("time_s,volts_V,amps_A\n0,13.6,0\n1,13.5,4\n")
    thermometer = open_bench_file(demo, tmp_path / "b.toml").thermometer
    assert thermometer is not None
    assert thermometer.read_all_celsius(2) == [23.125, -1.25]
    # A sum that does not fit, and what a sensor says that lost its power, are no temperatures.
    for many in (3, 4):
        with pytest.raises(LinkFailed, match="a number was asked"):
            thermometer.read_all_celsius(many)
    with pytest.raises(LinkFailed, match="has 4 files where 5"):
        thermometer.read_all_celsius(5)


def test_a_board_that_prints_all_its_temperatures(tmp_path: Path) -> None:
    log = tmp_path / "board"
    log.write_text("T1=23.5 T2=-4.0 T3=39.5\r\n")
    board = doors.opened(f"file:{log}", load_profile("printing-board"), "board")
    assert board.read_celsius() == 23.5
    far, near = os.openpty()
    board = doors.opened(f"ASRL{os.ttyname(near)}::INSTR", load_profile("printing-board"), "board")
    over = threading.Event()
    threading.Thread(target=_repeated, args=(far, b"T1=23.5 T2=-4.0 T3=39.5\r\n", over), daemon=True).start()
    assert board.read_all_celsius(3) == [23.5, -4.0, 39.5]
    over.set()
    board.close()


#: CRC-16/MODBUS of the ASCII digits 1 to 9 is 4B37, as its catalogues have it.
CHECK = b"123456789"


def test_sums_over_a_frame_are_the_published_ones() -> None:
    value = FrameValue(at=0, size=1)
    for kind, wanted in (
        ("sum8", b"\xdd"),
        ("sum16", b"\x01\xdd"),
        ("xor8", b"\x31"),
        ("crc16", b"\x37\x4b"),
    ):
        frame = Frame(length=9 + len(wanted), start="31", checksum=kind, values={"read_volts": value})
        assert frame.sealed(CHECK[1:]) == CHECK + wanted
        assert frame.holds(CHECK + wanted)
        assert not frame.holds(b"1" + CHECK[2:] + b"0" + wanted)


@given(st.floats(-600, 600), st.binary(max_size=20))
def test_a_frame_is_found_in_whatever_comes_before_it(volts: float, before: bytes) -> None:
    frame = load_profile("framed-meter").frame
    assert frame is not None
    sent = SENT["frame"](volts)
    at = frame.first_in(before + sent)
    assert at == len(before)
    resolution = 0.5 * next((10.0**-d for d in (4, 3) if abs(volts) * 10**d < 65535), 0.01)
    assert frame.values["read_volts"].read(sent) == pytest.approx(volts, abs=resolution * 1.001)
    assert frame.first_in(before + sent[:-1]) is None
    # One byte that came wrong is no frame, and never another figure.
    spoilt = bytes([*sent[:4], sent[4] ^ 0x10, *sent[5:]])
    assert frame.first_in(spoilt) is None


def test_ways_of_writing_a_figure() -> None:
    cases = [
        ({"at": 1, "size": 3, "kind": "bcd", "scale": 0.001}, "00 01 36 00", 13.6),
        ({"at": 1, "size": 3, "kind": "bcd", "little_endian": True, "scale": 0.001}, "00 00 36 01", 13.6),
        ({"at": 0, "size": 4, "kind": "float"}, "41 59 99 9A", 13.6),
        ({"at": 0, "size": 4, "kind": "float", "little_endian": True}, "9A 99 59 41", 13.6),
        ({"at": 0, "size": 2, "kind": "signed", "scale": 0.01}, "FA B0", -13.6),
        ({"at": 0, "size": 4, "kind": "text"}, "20 2D 4F 4C", float("-inf")),
    ]
    for told, data, wanted in cases:
        assert FrameValue.model_validate(told).read(bytes.fromhex(data)) == pytest.approx(wanted), told
    with pytest.raises(ValueError, match="no decimal digits"):
        FrameValue(at=0, size=1, kind="bcd").read(b"\xaf")


READ = "[frame.values.read_volts]\nat = 2\n"


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("role = 'load'\n[frame]\nlength = 9\nstart = 'AA 55'\n" + READ, "its guard can switch it off"),
        ("role = 'voltmeter'\n[frame]\nlength = 9\nstart = 'AA'\n" + READ, "two bytes"),
        ("role = 'voltmeter'\n[frame]\nlength = 3\nstart = 'AA 55'\n" + READ, "looks at byte 3"),
        ("role = 'voltmeter'\n[frame]\nlength = 9\nstart = 'AX'\n" + READ, "hexadecimal"),
        ("role = 'voltmeter'\n[frame]\nlength = 9\nstart = 'AA 55'\n" + READ + "scale = 0", "not 0"),
        (
            "role = 'voltmeter'\n[frame]\nlength = 9\nstart = 'AA 55'\n" + READ + "where = {-1 = ['AA']}",
            "where",
        ),
        ("role = 'clamp'\n[frame]\nlength = 9\nstart = 'AA 55'\n" + READ, "lacks the command read_amps"),
        ("role = 'clamp'\n[registers.values.read_amps]\nat = 65535\nkind = 'int32'", "past the last"),
        ("role = 'clamp'\n[registers.values.on]\nat = 1", "nothing that can be read"),
        ("role = 'clamp'\n[commands]\nread_amps = 'A'\n[registers.values.read_amps]\nat = 1", "three ways"),
    ],
)
def test_a_door_that_is_none_is_refused(tmp_path: Path, text: str, said: str) -> None:
    own = tmp_path / "own.toml"
    own.write_text(text)
    with pytest.raises(UserError, match=said):
        load_profile(str(own))


@given(st.integers(0, 3), st.integers(1, 9000), st.sampled_from(["sum8", "sum16", "xor8", "crc16"]))
def test_frames_of_an_unknown_meter_are_told_from_what_it_sends(pad: int, base: int, checksum: str) -> None:
    """Whatever their layout: length, front, sum and where the figure stands are found again."""
    at, values = 3 + pad, {"read_volts": FrameValue(at=3 + pad, size=2)}
    length = at + 4 + (1 if checksum in ("sum8", "xor8") else 2)
    frame = Frame(length=length, start="5A A5", checksum=checksum, values=values)
    # What stands between is another quantity that moves too.
    digits = [base + 7 * k for k in range(8)]
    bodies = [bytes([k, *[9] * pad]) + f.to_bytes(2, "big") + bytes([k, 3]) for k, f in enumerate(digits)]
    sent = b"".join(frame.sealed(body) for body in bodies)[5:]
    shape = frame_shape(sent)
    assert shape == {"length": length, "start": "5A A5", "checksum": checksum}
    newest = last_frame(sent, shape)
    assert newest == frame.sealed(bodies[-1])
    found = of_frame(newest, shape, "read_volts", f"{digits[-1] / 1000:.3f}")
    assert (at, 0.001) in [
        (v["at"], v.get("scale")) for p in found if (v := p.told["frame"]["values"]["read_volts"])
    ]


@pytest.mark.parametrize(
    ("line", "shown", "told"),
    [
        ("V=13.600 I=4.80", "4.8", {"patterns"}),
        ("CH1 13600;4800", "13.60", {"columns", "scales"}),
        ("13.600 V", "13.6", {"patterns"}),
        ("13.600 V", "12.0", None),
        ("ERR", "13.6", None),
    ],
)
def test_a_figure_is_looked_for_in_a_line(line: str, shown: str, told: set[str] | None) -> None:
    found = of_line(line, "read_volts", shown)
    assert [set(p.told) for p in found] == ([told] if told else [])
    if found:
        profile = Profile.model_validate({"role": "voltmeter", "streaming": True, **found[0].told})
        assert figures(profile, "read_volts", line, 1)[0] == pytest.approx(float(shown))


@pytest.mark.parametrize("sent", ["T1: 23.5 °C".encode(), "T1: 23.5 °C".encode("latin-1"), b"T1: 23.5 C"])
def test_a_degree_sign_is_read_past(tmp_path: Path, sent: bytes) -> None:
    found = of_line(text_of(sent), "read_celsius", "23.5")
    profile = Profile.model_validate({"role": "thermometer", "streaming": True, **found[0].told})
    (tmp_path / "board").write_bytes(sent + b"\r\n")
    assert doors.opened(f"file:{tmp_path / 'board'}", profile, "board").read_celsius() == 23.5
    far, near = os.openpty()
    board = doors.opened(f"ASRL{os.ttyname(near)}::INSTR", profile, "board")
    over = threading.Event()
    threading.Thread(target=_repeated, args=(far, sent + b"\r\n", over), daemon=True).start()
    assert board.read_celsius() == 23.5
    over.set()
    board.close()


def _repeated(to: int, line: bytes, over: threading.Event) -> None:
    while not over.wait(0.05):
        os.write(to, line)


def test_a_sensor_that_never_answers_is_not_asked_again_and_again(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "board")
    board = doors.opened(f"file:{tmp_path / 'board'}", load_profile("printing-board"), "board")
    board.longest_s = 0.1
    before = threading.active_count()
    said = []
    for _ in range(4):
        with pytest.raises(LinkFailed) as failed:
            board.read_celsius()
        said.append(str(failed.value))
    assert threading.active_count() == before + 1
    assert "no answer in time" in said[0]
    assert all("asked before" in words for words in said[1:])
    # Once it has answered that one it is asked again; the late answer counts for nothing.
    board.longest_s = 5.0
    threading.Thread(target=_write_twice, args=(tmp_path / "board", board._reading), daemon=True).start()
    assert board.read_celsius() == 24.5


def _write_twice(path: Path, first: threading.Thread) -> None:
    path.write_bytes(b"T1=99.0\r\n")
    first.join()
    path.write_bytes(b"T1=24.5\r\n")
