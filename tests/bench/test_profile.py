"""Profiles tried command by command, and who answers where; nothing is switched on by looking."""

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tensimeter.bench.finding import found_instruments, resource_of
from tensimeter.bench.profile import GENERIC, NEEDED, load_profile, role_of, try_profile
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.setup import open_bench_file, read_bench_file, write_bench_file
from tensimeter.bench.simulated.server import StandIns
from tensimeter.bench.visa import VisaInstrument
from tensimeter.core.errors import Trouble
from tensimeter.core.job.document import Job


def tried(served: StandIns, role: str, profile: str) -> dict[str, object]:
    wanted = load_profile(profile)
    instrument = VisaInstrument(served.resources[role], wanted, role)
    rows = list(try_profile(instrument, wanted))
    instrument.close()
    return {row.command: row for row in rows}


@pytest.mark.parametrize("role", ["load", "load2", "voltmeter", "thermometer", "scope", "line"])
def test_each_generic_profile_fits_its_stand_in(stand_ins: StandIns, role: str) -> None:
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


def test_a_wrong_profile_is_told_command_by_command(stand_ins: StandIns, tmp_path: Path) -> None:
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
    assert tried(stand_ins, "voltmeter", "generic-meter")["read_volts"].remark == "over range"


def test_who_answers_is_asked_nothing_else(stand_ins: StandIns, tmp_path: Path) -> None:
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
        with pytest.raises(Trouble, match=said):
            write_bench_file(path, bad)
    with pytest.raises(Trouble, match="can't be written"):
        write_bench_file(tmp_path / "none" / "b.toml", wanted)
    for name in ("teapot", "voltmeter2", "scope9"):
        with pytest.raises(Trouble, match="is no role"):
            role_of(name)
    path.write_text('[load]\nreplay = "none.csv"\n')
    with pytest.raises(Trouble, match="could not be opened"):
        open_bench_file(demo, path)


@settings(max_examples=150, deadline=None)
@given(st.text(max_size=200))
def test_any_text_is_a_profile_or_a_sentence(text: str) -> None:
    import tempfile

    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "p.toml"
        path.write_text(text, encoding="utf-8", newline="")
        with pytest.raises(Trouble):
            load_profile(str(path))


@pytest.mark.parametrize(
    "block", [b"#12he\n", b"#0\n", b"#9x\n", b"1,2,3\n", b"\n", b"#14\x00\x01\x02\x03\n"]
)
def test_a_record_that_is_no_block_is_a_lost_link(stand_ins: StandIns, block: bytes) -> None:
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
