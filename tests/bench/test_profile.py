"""Profiles tried command by command, and who answers where; nothing is switched on by looking."""

import contextlib
import os
import socket
import threading
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pyvisa.constants import ControlFlow, Parity, StopBits

from tensimeter.bench import wall
from tensimeter.bench.finding import found_instruments, resource_of
from tensimeter.bench.link import Serial
from tensimeter.bench.profile import GENERIC, NEEDED, figures, load_profile, role_of
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.setup import open_bench_file, read_bench_file, write_bench_file
from tensimeter.bench.trying import try_profile
from tensimeter.bench.visa import VisaInstrument
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.simulation.server import SimulatedBench


def tried(served: SimulatedBench, role: str, profile: str) -> dict[str, object]:
    wanted = load_profile(profile)
    instrument = VisaInstrument(served.resources[role], wanted, role)
    rows = list(try_profile(instrument, wanted))
    instrument.close()
    return {row.command: row for row in rows}


@pytest.mark.parametrize("role", ["load", "load2", "voltmeter", "thermometer", "scope", "line"])
def test_each_generic_profile_fits_its_stand_in(stand_ins: SimulatedBench, role: str) -> None:
    before = stand_ins.world.supply.line_V, stand_ins.world.supply.powered
    rows = tried(stand_ins, role, GENERIC[role_of(role)])
    assert all(row.fits is not False for row in rows.values()), rows
    assert NEEDED[role_of(role)] <= set(rows)
    assert not stand_ins.load_drawing
    assert (stand_ins.world.supply.line_V, stand_ins.world.supply.powered) == before
    if role in ("load", "load2"):
        assert (rows["on"].fits, rows["on"].answer) == (None, "")
        assert rows["read_volts"].answer.startswith("1.35")
    if role == "line":
        assert [rows[c].fits for c in ("set_volts", "on", "off")] == [None] * 3
    if role == "scope":
        assert rows["fetch"].answer == "1000 samples"


def test_a_wrong_profile_is_told_command_by_command(stand_ins: SimulatedBench, tmp_path: Path) -> None:
    wrong = tried(stand_ins, "voltmeter", "generic-load")
    assert wrong["identify"].fits
    assert [c for c, row in wrong.items() if row.fits is False][:3] == ["constant_current", "set_amps", "off"]
    assert "Undefined header" in wrong["set_amps"].remark
    assert "no answer in time" in wrong["is_on"].remark
    own = tmp_path / "own.toml"
    own.write_text("role = 'voltmeter'\n[commands]\nread_volts = '*IDN?'\nerror = 'SYST:ERR?'\n")
    rows = tried(stand_ins, "voltmeter", str(own))
    assert (rows["read_volts"].fits, rows["read_volts"].remark) == (False, "a number was asked")
    stand_ins.faults["voltmeter"] = "overload"
    # It says so of itself too: no run could tell its answers apart.
    over = tried(stand_ins, "voltmeter", "generic-meter")["read_volts"]
    assert (over.fits, "not as a run asks it" in over.remark) == (False, True)


def test_who_answers_is_asked_nothing_else(stand_ins: SimulatedBench, tmp_path: Path) -> None:
    port = stand_ins.resources["voltmeter"].split("::")[2]
    path = tmp_path / "b.toml"
    write_bench_file(path, {"load": (stand_ins.resources["load"], "generic-load")})
    heard: list[str] = []
    for device in stand_ins.devices.values():
        device.handle = lambda line, plain=device.handle: (heard.append(line), plain(line))[1]
    found = {f.resource: f for f in found_instruments([f"127.0.0.1:{port}", "127.0.0.1:1", " "], path)}
    assert found[f"TCPIP::127.0.0.1::{port}::SOCKET"].answer == "Simulated,multimeter,0,1"
    assert found[stand_ins.resources["load"]].answer == "Simulated,electronic load,0,1"
    nobody = found["TCPIP::127.0.0.1::1::SOCKET"]
    assert nobody.answer == ""
    assert nobody.remark
    assert set(heard) == {"*IDN?"}
    assert resource_of("/dev/ttyUSB0") == "ASRL/dev/ttyUSB0::INSTR"
    assert resource_of("USB0::1::2::INSTR") == "USB0::1::2::INSTR"


def test_bench_files_are_written_and_read_back(tmp_path: Path, demo: Job) -> None:
    path = tmp_path / "b.toml"
    wanted = {"load": ("TCPIP::h::1::SOCKET", "generic-load"), "load2": ("ASRL1::INSTR", "generic-load")}
    write_bench_file(path, wanted)
    told = read_bench_file(path)
    resources, profiles, speed = told.resources, told.profiles, told.speed
    assert resources == {k: v[0] for k, v in wanted.items()}
    assert (profiles["load2"], speed) == ("generic-load", 1.0)
    for bad, said in (({}, "needs a load"), ({"load": ("x", "no-such-profile")}, "can't be read")):
        with pytest.raises(UserError, match=said):
            write_bench_file(path, bad)
    with pytest.raises(UserError, match="can't be written"):
        write_bench_file(tmp_path / "none" / "b.toml", wanted)
    for name in ("teapot", "voltmeter2", "scope9"):
        with pytest.raises(UserError, match="is no role"):
            role_of(name)
    path.write_text('[load]\nreplay = "none.csv"\n')
    with pytest.raises(UserError, match="could not be opened"):
        open_bench_file(demo, path)


@settings(max_examples=150, deadline=None)
@given(st.text(max_size=200))
def test_any_text_is_a_profile_or_a_sentence(text: str) -> None:
    import tempfile

    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "p.toml"
        path.write_text(text, encoding="utf-8", newline="")
        with pytest.raises(UserError):
            load_profile(str(path))


@pytest.mark.parametrize(
    "block", [b"#12he\n", b"#0\n", b"#9x\n", b"1,2,3\n", b"\n", b"#14\x00\x01\x02\x03\n"]
)
def test_a_record_that_is_no_block_is_a_lost_link(stand_ins: SimulatedBench, block: bytes) -> None:
    scope = VisaInstrument(stand_ins.resources["scope"], load_profile("generic-scope"), "scope-20")
    device = stand_ins.devices["scope"]
    device.handle = lambda line: "1e-6,0,0.1,5" if "PRE" in line else block.rstrip(b"\n")
    good = block.startswith(b"#14")
    try:
        volts, rate, start = scope.fetch()
        assert good
        assert volts == pytest.approx([5.1, 56.5])
        assert (rate, start) == (1e6, 0.0)
    except LinkFailed:
        assert not good
    finally:
        scope.close()


def test_what_sends_unasked_or_speaks_of_the_web_does_not_fit(demo: Job, tmp_path: Path) -> None:
    with SimulatedBench(demo, speed=400) as served:
        served.streams["voltmeter"] = 50.0
        rows = tried(served, "voltmeter", "generic-meter")
        assert not any(row.fits for row in rows.values() if "?" in row.sent)
    web = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                link, _ = web.accept()
            except OSError:
                return
            with link:
                link.recv(4096)
                link.sendall(b"HTTP/1.1 400 Bad Request\r\n\r\n<html>no</html>\n")

    threading.Thread(target=serve, daemon=True).start()
    resource = f"TCPIP::127.0.0.1::{web.getsockname()[1]}::SOCKET"
    meter = VisaInstrument(resource, load_profile("generic-meter"), "meter")
    found = {row.command: row for row in try_profile(meter, meter.profile)}
    assert not any(row.fits for row in found.values() if "?" in row.sent)
    meter.close()
    web.close()


def test_a_browser_is_hung_up_on(stand_ins: SimulatedBench) -> None:
    port = int(stand_ins.resources["load"].split("::")[2])
    with socket.create_connection(("127.0.0.1", port)) as link:
        link.sendall(b"POST / HTTP/1.1\r\nHost: elsewhere\r\n\r\nINP ON\nCURR 5\n")
        link.settimeout(5)
        assert link.recv(100) == b""
    assert not stand_ins.load_drawing


def test_what_an_instrument_says_is_cut_to_a_line(stand_ins: SimulatedBench) -> None:
    load = VisaInstrument(stand_ins.resources["load"], load_profile("generic-load"), "load")
    load.identity()
    answers = iter(['-222,"' + "\x1b[31m" + "x" * 5000 + '"', '0,"No error"'])
    device = stand_ins.devices["load"]
    plain = device.handle

    def handle(line: str) -> str:
        if "ERR" not in line:
            return plain(line)
        return f"{plain(line.partition(';:SYST')[0])};{next(answers)}"

    device.handle = handle
    (said,) = load.errors()
    assert len(said) <= 200
    assert said.isprintable()
    load.close()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("[commands]\nread_volts = ''", "read_volts"),
        ("[commands]\nread_volts = 'A?\\nINP ON'".replace("'", '"'), "one line of plain text"),
        ("[commands]\nread_volts = 'A? {amps.__class__}'", "braces"),
        ("[commands]\nread_volts = 'A?'\nopen_sesame = 'X'", "no command that is known"),
        ("sequence = '{n} {x}'\n[commands]\nread_volts = 'A?'", "braces"),
        ("termination = 'x'\n[commands]\nread_volts = 'A?'", "termination"),
        ("[commands]\nread_volts = " + "[" * 2000, "nested|not one that can"),
        ("timeout_s = " + "9" * 5000 + "\n[commands]\nread_volts = 'A?'", "not one that can"),
    ],
)
def test_a_profile_says_no_more_than_it_shows(tmp_path: Path, text: str, words: str) -> None:
    path = tmp_path / "p.toml"
    path.write_text(f"role = 'voltmeter'\n{text}")
    with pytest.raises(UserError, match=words):
        load_profile(str(path))
    bare = ["on='1'", "off='0'", "is_on='?'", "read_volts='V'", "read_amps='A'"]
    path.write_text("\n".join(["role='load'", "[commands]", "set_amps='CURR 5'", *bare]))
    with pytest.raises(UserError, match="set_amps lacks"):
        load_profile(str(path))


def test_paths_of_a_bench_file_are_meant_from_where_it_lies(tmp_path: Path, monkeypatch) -> None:
    there = tmp_path / "bench"
    there.mkdir()
    (there / "night.csv").write_text("v,i\n13.6,0\n")
    file = there / "b.toml"
    file.write_text(
        '[load]\nreplay = "night.csv"\n[voltmeter]\nresource = "TCPIP::127.0.0.1::1::SOCKET"\n'
        'profile = "own.toml"\n[cut]\nresource = "TCPIP::127.0.0.1::2::SOCKET"\non = "1"\noff = "0"\n'
    )
    monkeypatch.chdir(tmp_path)
    told = read_bench_file(file)
    assert told.resources["load"] == f"replay:{there / 'night.csv'}"
    assert told.profiles["voltmeter"] == str(there / "own.toml")
    assert told.cuts["cut"].off == "0"
    for text, words in (
        ('[load]\nresource = "x"\nsurprise = 1', "surprise"),
        ('[cut]\nresource = "x"\non = "1"\noff = "0"', "no socket"),
        ("speed = true", "above zero"),
        ("load = 1", "needs a line"),
    ):
        file.write_text(text)
        with pytest.raises(UserError, match=words):
            read_bench_file(file)


class PtyMeter:
    """A serial meter on a pseudo-terminal: answers each line by a table."""

    def __init__(self, answers: dict[bytes, bytes]) -> None:
        self.answers = answers
        self.far, near = os.openpty()
        self.resource = f"ASRL{os.ttyname(near)}::INSTR"
        self._near = near
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        held = b""
        while True:
            try:
                held += os.read(self.far, 256)
            except OSError:
                return
            while b"\n" in held:
                line, held = held.split(b"\n", 1)
                os.write(self.far, self.answers.get(line.strip(), b"ERR\r\n"))

    def close(self) -> None:
        os.close(self._near)
        os.close(self.far)


HANDHELD = """
role = "voltmeter"
baud = 19200
parity = "even"
stop_bits = 2
termination = "\\r\\n"
acknowledge = "OK"
[commands]
identify = "ID"
reset = "RANGE 60"
read_volts = "R"
read_amps = "L"
[patterns]
read_volts = 'V=(?P<value>[-+.0-9]+) *(?P<unit>m?V)'
[columns]
read_amps = 3
"""


def test_a_meter_with_its_own_way_of_answering(tmp_path: Path) -> None:
    own = tmp_path / "own.toml"
    # A pseudo-terminal has no parity.
    own.write_text(HANDHELD.replace('"even"', '"none"').replace("stop_bits = 2", "stop_bits = 1"))
    meter = PtyMeter({
        b"ID": b"METER 7\r\n", b"RANGE 60": b"OK\r\n", b"R": b"I=4.8 A V=13600 mV\r\n",
        b"L": b"1,13.6,4.80,ok\r\n",
    })  # fmt: skip
    instrument = VisaInstrument(meter.resource, load_profile(str(own)), "meter")
    try:
        assert instrument.identity() == "METER 7"
        instrument.prepare()
        assert instrument.read_volts() == pytest.approx(13.6)
        assert instrument.read_amps() == pytest.approx(4.8)
        rows = {r.command: r for r in try_profile(instrument, load_profile(str(own)))}
        assert (rows["read_volts"].fits, rows["read_amps"].fits) == (True, True)
        # What is no figure, a unit that is none, an acknowledgement that is none: each is a sentence.
        meter.answers[b"R"] = b"I=4.8 A\r\n"
        with pytest.raises(LinkFailed, match="a number was asked"):
            instrument.read_volts()
        meter.answers[b"RANGE 60"] = b"NO\r\n"
        with pytest.raises(LinkFailed, match="OK was awaited"):
            instrument.prepare()
    finally:
        instrument.close()
        meter.close()


def test_a_serial_port_is_set_up_as_its_profile_says(tmp_path: Path) -> None:
    class Port:
        """What is set on it."""

    own = tmp_path / "own.toml"
    own.write_text(HANDHELD)
    p, port = load_profile(str(own)), Port()
    Serial(p.baud, p.data_bits, p.parity, p.stop_bits, p.flow).set_up(port)
    assert (port.baud_rate, port.data_bits) == (19200, 8)
    assert (port.parity, port.stop_bits) == (Parity.even, StopBits.two)
    assert port.flow_control == ControlFlow.none


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (HANDHELD.replace("P<value>", "P<volts>"), "group"),
        (HANDHELD.replace("'V=(", "'V=(("), "none"),
        (HANDHELD.replace("read_amps = 3", "read_volts = 3"), "has a pattern too"),
        (HANDHELD.replace("even", "mark"), "parity"),
        ("role = 'load'\nacknowledge = 'OK'\n[commands]\nset_amps = 'A {amps}'\n", "guard"),
    ],
)
def test_a_way_of_answering_that_is_none_is_refused(tmp_path: Path, text: str, said: str) -> None:
    own = tmp_path / "own.toml"
    own.write_text(text)
    with pytest.raises(UserError, match=said):
        load_profile(str(own))


class Streamer:
    """A meter that sends of itself: what it measures is `volts` as a line begins, sent in two halves."""

    def __init__(self, rate: float) -> None:
        self._volts, self.pause, self.stalled = 1.0, 1 / rate, False
        #: What is measured as a line begins has left as it does: no load is set in between.
        self._begins = threading.Lock()
        self.banner = b""
        self._server = socket.create_server(("127.0.0.1", 0))
        self.resource = f"TCPIP::127.0.0.1::{self._server.getsockname()[1]}::SOCKET"
        self._over = threading.Event()
        threading.Thread(target=self._serve, daemon=True).start()

    def set_volts(self, volts: float) -> None:
        with self._begins:
            self._volts = volts

    def _serve(self) -> None:
        with contextlib.suppress(OSError):
            link, _ = self._server.accept()
            while not wall.wait(self._over, self.pause / 2):
                if self.stalled:
                    continue
                with self._begins:
                    text = self.banner + f"DC V {self._volts:+.4f} ok\r\n".encode()
                    self.banner = b""
                    link.sendall(text[:6])
                wall.wait(self._over, self.pause / 2)
                link.sendall(text[6:])

    def close(self) -> None:
        self._over.set()
        self._server.close()


@pytest.mark.parametrize(("rate", "reads"), [(1.0, 2), (4.0, 4), (10.0, 6), (50.0, 20)])
def test_a_meter_that_sends_of_itself_never_gives_an_old_value(
    tmp_path: Path, rate: float, reads: int
) -> None:
    own = tmp_path / "own.toml"
    own.write_text(
        'role = "voltmeter"\nstreaming = true\ntermination = "\\r\\n"\ntimeout_s = 1.0\n'
        + "[patterns]\nread_volts = 'DC (?P<unit>V) (?P<value>[-+.0-9]+)'\n"
    )
    meter = Streamer(rate)
    instrument = VisaInstrument(meter.resource, load_profile(str(own)), "meter")
    instrument.longest_s = max(1.0, 2.2 / rate)
    try:
        rng = np.random.default_rng(3)
        for k in range(reads):
            wall.pause(rng.uniform(0, 1.5 / rate))
            # The load is set now: what was measured before is of another point.
            meter.set_volts(2.0 + k)
            assert instrument.read_volts() == pytest.approx(2.0 + k)
        meter.banner = b"\r\nMETER 7 restarted\r\n"
        meter.set_volts(77.0)
        assert instrument.read_volts() == pytest.approx(77.0)
        meter.stalled = True
        wall.pause(1.2 / rate)
        instrument.longest_s = 0.3
        with pytest.raises(LinkFailed, match="no answer in time"):
            instrument.read_volts()
    finally:
        instrument.close()
        meter.close()


def test_a_pattern_that_would_look_for_ever_ends_in_a_sentence(tmp_path: Path) -> None:
    own = tmp_path / "own.toml"
    own.write_text(
        'role = "voltmeter"\n[commands]\nread_volts = "R"\n[patterns]\n'
        r"read_volts = '(?P<value>(\d+)+)[xy]$'"
    )
    profile = load_profile(str(own))
    assert figures(profile, "read_volts", "12345x", 1) == [12345.0]
    with pytest.raises(ValueError, match="did not come to an end"):
        figures(profile, "read_volts", "1" * 300 + "yz", 1)


class OddLoad:
    """A load with a grammar of its own, on a socket of this machine; mute where it knows no word."""

    def __init__(self, *odd: str) -> None:
        self.odd, self.answers = odd, {"*IDN?": "LOAD 9", "SYST:ERR?": '0,"none"', "INP?": "0",
                                       "MEAS:VOLT?": "13.60", "MEAS:CURR?": "0.002"}  # fmt: skip
        self.mask = "0"
        self.socket = socket.create_server(("127.0.0.1", 0))
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def resource(self) -> str:
        return f"TCPIP::127.0.0.1::{self.socket.getsockname()[1]}::SOCKET"

    def _serve(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                link, _ = self.socket.accept()
                if "greeting" in self.odd:
                    link.sendall(b"Welcome to load 9\n")
                threading.Thread(target=self._talk, args=(link,), daemon=True).start()

    def _talk(self, link: socket.socket) -> None:
        with contextlib.suppress(OSError), link, link.makefile("rb") as lines:
            for raw in lines:
                line = raw.decode().strip()
                if "echo" in self.odd:
                    link.sendall(raw)
                said = self._said(line)
                if said:
                    link.sendall(f"{';'.join(said)}\n".encode())

    def _said(self, line: str) -> list[str]:
        parts = [line] if "no compound" in self.odd else line.split(";")
        found = []
        for part in parts:
            if "no colon" in self.odd and part.startswith(":"):
                return []
            asked = part.lstrip(":")
            if "upper case" in self.odd and asked != asked.upper():
                return []
            if asked.startswith("*ESE ") and asked[5:].isdigit():
                self.mask = asked[5:]
            elif asked == "*ESE?":
                found.append(self.mask)
            elif asked in self.answers:
                found.append(self.answers[asked])
        return found


@pytest.mark.parametrize(
    ("odd", "known"),
    [
        ((), "by its number"), (("no colon",), "by its number"), (("upper case",), "by its number"),
        (("greeting",), "by its number"), (("no compound",), "by its identity"),
        (("no compound", "no colon"), "by its identity"), (("echo",), ""),
    ],
)  # fmt: skip
def test_a_profile_fits_where_a_run_can_use_it(odd: tuple[str, ...], known: str) -> None:
    load = OddLoad(*odd)
    profile = load_profile("generic-load")
    instrument = VisaInstrument(load.resource, profile, "load")
    try:
        rows = {r.command: r for r in try_profile(instrument, profile)}
        questions = [rows[c] for c in ("read_amps", "read_volts", "is_on")]
        assert {r.fits for r in questions} == {bool(known)}
        if not known:
            return
        assert all(r.remark == f"told {known}" for r in questions)
        # And so a run finds it: known from its identity on, each answer with its question.
        again = VisaInstrument(load.resource, profile, "load")
        assert again.identity() == "LOAD 9"
        assert (again.read_amps(), again.read_volts(), again.is_on()) == (0.002, 13.6, False)
        assert (again.behind_number("MEAS:CURR?") != "") == (known == "by its number")
        again.close()
        load.answers["MEAS:VOLT?"] = "9.9E37"
        over = {r.command: r for r in try_profile(instrument, profile)}["read_volts"]
        assert (over.fits, over.remark) == (True, "over range")
    finally:
        instrument.close()
        load.socket.close()
