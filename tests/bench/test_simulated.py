"""The stand-ins: SCPI as a client meets it, hidden errors of the stated kind, the supply."""

import socket

import numpy as np
import pytest
import pyvisa
from hypothesis import given, settings
from hypothesis import strategies as st

from tensimeter.bench.clock import Clock
from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model import edits, stock_edits
from tensimeter.core.model.job import Job
from tensimeter.demo.library import hidden_parameters
from tensimeter.simulation.scpi import ScpiDevice
from tensimeter.simulation.server import SimulatedBench
from tensimeter.simulation.supply import HiddenErrors, SimulatedSupply


@pytest.fixture
def visa(stand_ins: SimulatedBench):
    """Plain PyVISA sessions to the stand-ins, by role."""
    manager = pyvisa.ResourceManager("@py")
    opened = {
        role: manager.open_resource(name, read_termination="\n", write_termination="\n", timeout=2000)
        for role, name in stand_ins.resources.items()
    }
    yield opened
    for session in opened.values():
        session.close()


def test_a_plain_client_sees_the_predicted_drop(visa: dict, demo: Job) -> None:
    load, meter = visa["load"], visa["voltmeter"]
    assert load.query("*IDN?").startswith("Simulated,electronic load")
    load.write("*RST")
    open_V = float(meter.query("MEAS:VOLT:DC?"))
    load.write("curr 2.0")
    load.write("INPut ON")
    assert load.query("inp?") == "1"
    float(meter.query("MEAS:VOLT:DC?"))
    amps = float(load.query(":MEASure:CURRent?"))
    # A little later the output has settled.
    for _ in range(50):
        loaded_V = float(meter.query("MEAS:VOLT?"))
    truth = build(demo).with_values(hidden_parameters("ridge-pier"))
    ends = solve(truth, {"mount": np.array([0.0, amps])})["mount"].V
    accuracy = demo.part("bench-meter").range_for("V", 13.6).accuracy
    assert amps == pytest.approx(2.0, abs=0.02)
    # Gain and offset are shared by both readings: the difference keeps only the scatter.
    assert open_V - loaded_V == pytest.approx(float(ends[0] - ends[1]), abs=5 * accuracy.scatter)
    assert abs(open_V - float(ends[0])) <= accuracy.of_reading * 13.6 + accuracy.offset + 5 * accuracy.scatter
    assert load.query("SYST:ERR?") == '0,"No error"'


@pytest.mark.parametrize(
    ("command", "error"),
    [
        ("FLY", -113),
        ("CURR", -109),
        ("CURR lots", -104),
        ("CURR 900", -222),
        ("CURR -1", -222),
        ("INP MAYBE", -224),
        ("INP", -109),
        ("FUNC VOLT", -224),
        ("SYST:WDOG 1e9", -222),
        ("MEAS:VOLT?:EXTRA", -113),
    ],
)
def test_bad_commands_queue_the_standard_error(visa: dict, command: str, error: int) -> None:
    load = visa["load"]
    load.write(command)
    assert load.query("SYST:ERR:NEXT?").startswith(f"{error},")
    assert load.query("SYST:ERR?").startswith("0,")
    assert load.query("*OPC?") == "1"


def test_the_error_queue_overflows_as_it_should_and_clears(visa: dict) -> None:
    load = visa["load"]
    for _ in range(25):
        load.write("FLY")
    errors = [load.query("SYST:ERR?") for _ in range(21)]
    assert errors[19].startswith("-350,")
    assert errors[20].startswith("0,")
    load.write("FLY;*CLS")
    assert load.query("SYST:ERR?").startswith("0,")
    assert load.query("CURR 1;CURR?;*OPC?") == "1.000000E+00;1"


def test_garbage_is_survived_and_clients_come_in_turn(stand_ins: SimulatedBench) -> None:
    port = int(stand_ins.resources["load"].split("::")[2])
    for _ in range(3):
        with socket.create_connection(("127.0.0.1", port), 2) as client:
            client.sendall(b"\xff\xfe\x00garbage\n" + b"A" * 20_000 + b"\n*OPC?\n")
            assert client.makefile("rb").readline() == b"1\n"
    with socket.create_connection(("127.0.0.1", port), 2) as client:
        client.sendall(b"half a command")
    with socket.create_connection(("127.0.0.1", port), 2) as client:
        client.sendall(b"*CLS\n*IDN?\n")
        assert b"electronic load" in client.makefile("rb").readline()


@settings(max_examples=200, deadline=None)
@given(st.text(max_size=80))
def test_any_line_gets_an_answer_or_an_error(line: str) -> None:
    device = ScpiDevice("thing")
    answer = device.handle(line)
    assert answer is None or isinstance(answer, str)
    assert device.handle("*OPC?") == "1"


def test_meter_ranges_and_over_range(visa: dict) -> None:
    meter = visa["voltmeter"]
    assert float(meter.query("MEAS:VOLT:DC? 10")) == pytest.approx(13.58, abs=0.05)
    assert float(meter.query("MEAS:VOLT:DC? 5")) > 9e37
    assert float(meter.query("READ?")) == pytest.approx(13.58, abs=0.05)
    assert float(visa["thermometer"].query("MEAS:TEMP?")) == pytest.approx(20, abs=2)


def test_the_load_protects_itself(demo: Job) -> None:
    weak = edits.changed(demo.part("sink-150"), max_W=30, max_A=20)
    with SimulatedBench(stock_edits.with_part(demo, weak), speed=100) as served:
        load = served.devices["load"]
        load.handle("CURR 4;INP ON")
        load.handle("*OPC?")
        assert not served.load_drawing
        assert load.handle("SYST:ERR?").startswith("-221,")


def test_the_watchdog_drops_a_load_that_nobody_speaks_to(stand_ins: SimulatedBench, qtbot) -> None:
    port = int(stand_ins.resources["load"].split("::")[2])
    with socket.create_connection(("127.0.0.1", port), 2) as client:
        client.sendall(b"*RST\nSYST:WDOG 0.3\nCURR 1\nINP ON\nINP?\n")
        assert client.makefile("rb").readline() == b"1\n"
    qtbot.waitUntil(lambda: not stand_ins.load_drawing, timeout=60_000)


def test_hidden_errors_are_shared_by_a_range() -> None:
    accuracy = Accuracy(of_reading=0.005, counts=20, resolution=0.001)
    gains, offsets = [], []
    for seed in range(400):
        errors = HiddenErrors(seed)
        zero, ten = (errors.shifted("meter|20 V", v, accuracy) for v in (0.0, 10.0))
        offsets.append(zero / accuracy.offset)
        gains.append((ten - zero - 10.0) / 10 / accuracy.of_reading)
        # The same again: it is the instrument's own error, not the reading's.
        assert errors.shifted("meter|20 V", 10.0, accuracy) == ten
        assert errors.shifted("meter|200 V", 10.0, accuracy) != ten
    for drawn in (gains, offsets):
        # Rectangular within the bounds: variance 1/3, nothing outside.
        assert np.max(np.abs(drawn)) <= 1
        assert np.var(drawn) == pytest.approx(1 / 3, rel=0.15)
    errors = HiddenErrors(1)
    shown = np.array([errors.read("m", 10.0, accuracy) for _ in range(2000)])
    assert np.std(shown) == pytest.approx(accuracy.scatter, rel=0.08)
    assert np.allclose(shown, np.round(shown, 3))


def test_the_supply_warms_settles_and_limits(demo: Job) -> None:
    supply = SimulatedSupply(demo, {}, drift=1e-4)
    supply.draw("mount", 8.0)
    before = supply.volts("mount")
    supply.advance(0.12)
    middle = supply.volts("mount")
    supply.advance(5.0)
    after = supply.volts("mount")
    assert before > middle > after
    loss = float(solve(build(demo), {"mount": 8.0})["front-end"].loss)
    supply.advance(420.0)
    # Long after, the sink is its loss times 6 K/W above the room.
    supply.advance(20_000.0)
    assert supply.warmth.celsius("sink") - 20 == pytest.approx(6.0 * loss, rel=1e-4)
    one = SimulatedSupply(demo)
    one.draw("mount", 8.0)
    for _ in range(1000):
        one.advance(20.425_12)
    assert one.warmth.celsius("sink") == pytest.approx(supply.warmth.celsius("sink"), rel=1e-9)
    supply.draw("mount", 12.0)
    supply.advance(5.0)
    assert supply.amps("mount") == pytest.approx(11)
    assert supply.volts("mount") == pytest.approx(0.0, abs=1e-6)


def test_stand_ins_need_a_load_and_an_output(demo: Job) -> None:
    with pytest.raises(UserError, match="no output"):
        SimulatedBench(Job(name="x"))
    with pytest.raises(UserError, match="no electronic load"):
        SimulatedBench(edits.with_campaign(demo, load=None))
    with pytest.raises(ValueError, match="above zero"):
        Clock(0)
