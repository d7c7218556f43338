"""Heat: networks against SciPy's integration, sinks and fans against hand and simulation."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from tensimeter.core.errors import UserError
from tensimeter.core.thermal import derating, fan, heatsink, ntc
from tensimeter.core.thermal.network import ThermalNetwork

SWITCH = ThermalNetwork(
    {"junction": 0.02, "case": 3.0, "sink": 180.0, "air": 60.0},
    {
        ("junction", "case"): 0.9,
        ("case", "sink"): 0.6,
        ("sink", "air"): 1.6,
        ("air", "ambient"): 0.35,
        ("sink", "ambient"): 6.0,
    },
)


def integrated(power: float, seconds: float, ambient: float) -> np.ndarray:
    """The same network written out by hand, °C at the end."""

    def rates(_, t):
        junction, case, sink, air = t
        return [
            (power - (junction - case) / 0.9) / 0.02,
            ((junction - case) / 0.9 - (case - sink) / 0.6) / 3.0,
            ((case - sink) / 0.6 - (sink - air) / 1.6 - (sink - ambient) / 6.0) / 180.0,
            ((sink - air) / 1.6 - (air - ambient) / 0.35) / 60.0,
        ]

    return solve_ivp(rates, (0, seconds), [ambient] * 4, method="LSODA", rtol=1e-9, atol=1e-9).y[:, -1]


@pytest.mark.parametrize(("power", "seconds"), [(8.0, 0.05), (8.0, 60.0), (20.0, 600.0), (20.0, 36000.0)])
def test_heat_up_against_an_independent_integration(power: float, seconds: float) -> None:
    found = SWITCH.heat_up({"junction": power}, seconds, 22.0)
    expected = dict(zip(SWITCH.nodes, integrated(power, seconds, 22.0), strict=True))
    for node, celsius in expected.items():
        assert float(found[node]) == pytest.approx(celsius, abs=1e-3), node
    if seconds > 30000:
        steady = SWITCH.steady({"junction": power}, 22.0)
        assert float(steady["junction"]) == pytest.approx(expected["junction"], abs=1e-3)


def test_the_minutes_to_a_limit_end_at_the_limit() -> None:
    powers = np.array([5.0, 30.0, 45.0])
    seconds = SWITCH.time_to({"junction": powers}, "junction", 100.0, 22.0)
    assert np.isinf(seconds[0])
    for power, at in zip(powers[1:], seconds[1:], strict=True):
        assert integrated(power, at, 22.0)[0] == pytest.approx(100.0, abs=0.01)
    assert seconds[2] < seconds[1]


def test_heat_up_goes_on_from_where_it_was() -> None:
    half = {k: float(v) for k, v in SWITCH.heat_up({"junction": 12.0}, 300.0, 20.0).items()}
    whole = SWITCH.heat_up({"junction": 12.0}, 600.0, 20.0)
    onward = SWITCH.heat_up({"junction": 12.0}, 300.0, 20.0, half)
    assert float(onward["sink"]) == pytest.approx(float(whole["sink"]), rel=1e-9)


@pytest.mark.parametrize(
    ("capacity", "joined", "word"),
    [
        ({"a": 1.0}, {("a", "b"): 1.0}, "joins nothing"),
        ({"a": 1.0}, {("a", "ambient"): 0.0}, "above zero"),
        ({"a": 0.0}, {("a", "ambient"): 1.0}, "capacity"),
        ({"a": 1.0, "b": 1.0}, {("a", "ambient"): 1.0}, "for ever"),
    ],
)
def test_networks_that_cannot_be(capacity: dict, joined: dict, word: str) -> None:
    with pytest.raises(UserError, match=word):
        ThermalNetwork(capacity, joined).steady({})


def test_devices_that_share_a_sink() -> None:
    """40 W on 1 K/W in two devices, one with 60 %: sink 65 °C, junctions 24·1.2 and 16·1.2 above it."""
    powers = [40 * s for s in heatsink.shares(2, 0.2)]
    found = heatsink.mounted(powers, 1.0, 0.5, 0.7, 25.0)
    assert found.sink_C == pytest.approx(65.0)
    assert found.junction_C == pytest.approx((65 + 24 * 1.2, 65 + 16 * 1.2))
    needed = heatsink.sink_needed(powers, 0.5, 0.7, 125.0, 25.0)
    assert heatsink.mounted(powers, needed, 0.5, 0.7, 25.0).hottest_C == pytest.approx(125.0)
    with pytest.raises(UserError, match="no sink is big enough"):
        heatsink.sink_needed([100.0], 0.5, 0.7, 125.0)
    with pytest.raises(UserError, match="mismatch"):
        heatsink.shares(2, 1.5)


def test_the_air_in_a_box() -> None:
    """100 W into 50 m³/h: about 5.9 K, the figure of every fan catalogue; a closed box balances."""
    assert heatsink.air_rise_K(100.0, 50 / 3600) == pytest.approx(5.9, abs=0.1)
    rise = heatsink.closed_box_rise_K(30.0, 0.35, 20.0)
    hot, cold = 293.15 + rise, 293.15
    shed = 0.35 * (5.0 * rise + 0.9 * 5.670374e-8 * (hot**4 - cold**4))
    assert shed == pytest.approx(30.0, rel=1e-9)
    assert heatsink.closed_box_rise_K(0.0, 1.0) == 0.0


@given(st.floats(0.0, 100.0), st.floats(0.0, 6.0))
def test_a_derating_curve_and_its_inverse(celsius: float, used: float) -> None:
    curve = [(50, 6.0), (70, 3.0), (100, 0.0)]
    allowed = float(derating.allowed_at(curve, celsius))
    if used <= allowed:
        assert derating.hottest_for(curve, used) >= celsius - 1e-9 or celsius <= 50
    with pytest.raises(UserError, match="never rises"):
        derating.allowed_at([(20, 1.0), (40, 2.0)], 30)
    with pytest.raises(UserError, match="allowed cold"):
        derating.hottest_for(curve, 7.0)


def test_a_hunting_fan_against_its_own_simulation() -> None:
    args = {"still_ohm": 2.0, "blown_ohm": 0.8, "capacity_J_K": 200.0, "on_C": 60.0, "off_C": 50.0}
    found = fan.hunting(30.0, 25.0, **args)
    celsius, on, step, switched = 50.0, False, 0.02, []
    for k in range(60_000):
        theta = 0.8 if on else 2.0
        celsius += step * (30.0 - (celsius - 25.0) / theta) / 200.0
        if on and celsius <= 50.0:
            on = False
        elif not on and celsius >= 60.0:
            on = True
            switched.append(k * step)
    assert found.state == "hunts"
    assert found.period_s == pytest.approx(np.diff(switched).mean(), rel=1e-3)
    assert fan.hunting(10.0, 25.0, **args).state == "never on"
    assert fan.hunting(80.0, 25.0, **args).state == "stays on"
    with pytest.raises(UserError, match="hysteresis"):
        fan.hunting(30.0, 25.0, **{**args, "off_C": 60.0})
    assert fan.quieter_dB(3000, 1500) == pytest.approx(-15.05, abs=0.01)


def test_thermistors_from_label_and_points() -> None:
    """β by its definition: ln(R25/R85)·1/(1/298.15 − 1/358.15)."""
    made = ntc.from_beta(10e3, 3950)
    warm = made.ohms(85)
    assert np.log(10e3 / warm) / (1 / 298.15 - 1 / 358.15) == pytest.approx(3950)
    assert ntc.from_points([(25, 10e3), (85, warm)]).beta == pytest.approx(3950)
    three = [(0.0, 32650.0), (25.0, 10000.0), (85.0, 1070.0)]
    curve = ntc.from_points(three)
    for celsius, ohms in three:
        assert curve.celsius(ohms) == pytest.approx(celsius, abs=1e-6)
        assert curve.ohms(celsius) == pytest.approx(ohms, rel=1e-6)
    assert ntc.counts(10e3, 10e3, 1023) == pytest.approx(511.5)
    assert ntc.counts(2.5e3, 10e3, 1000, to_ground=False) == pytest.approx(800)
    for bad in ([(25, 1e4)], [(25, 1e4), (25, 2e4)], [(25, -1.0), (50, 1e3)]):
        with pytest.raises(UserError):
            ntc.from_points(bad)
