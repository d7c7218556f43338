"""Building blocks against hand calculations, simulations and properties."""

import doctest
import importlib
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tensimeter import core
from tensimeter.core.electrical import fuse, regulator, stack
from tensimeter.core.electrical.discharge import discharge
from tensimeter.core.electrical.dummy_load import dummy_load
from tensimeter.core.electrical.feedback import Divider, infer, shift
from tensimeter.core.electrical.pwm_dac import pwm_dac
from tensimeter.core.electrical.regulator import Regulator, nearest, r2_for, tapped_input
from tensimeter.core.electrical.stack import Unit
from tensimeter.core.errors import UserError


def test_examples_in_the_docstrings() -> None:
    tried = 0
    for path in sorted(Path(core.__path__[0]).rglob("*.py")):
        if ">>> " in path.read_text():
            name = ".".join(path.relative_to(Path(core.__path__[0]).parent.parent).with_suffix("").parts)
            result = doctest.testmod(importlib.import_module(name))
            assert not result.failed, name
            tried += result.attempted
    assert tried > 25


def test_the_textbook_regulator() -> None:
    """240 Ω and 1.5 kΩ give 1.25·7.25 V, and 75 mV by the adjust pin's 50 µA."""
    made = Regulator(240, 1500)
    assert float(made.volts()) == pytest.approx(1.25 * 7.25 + 0.075)
    assert r2_for(made, float(made.volts())) == pytest.approx(1500)
    turned = Regulator(240, 500, pot_ohm=2000)
    assert turned.span_V == pytest.approx((1.25 * (1 + 500 / 240) + 0.025, 1.25 * (1 + 2500 / 240) + 0.125))
    assert turned.volts_per_turn(10) == pytest.approx((turned.span_V[1] - turned.span_V[0]) / 10)
    with pytest.raises(UserError, match="below the reference"):
        r2_for(made, 1.0)


def test_a_tap_switch_halves_the_worst_heat() -> None:
    """12 V tap up to 8 V, 24 V tap above: the worst point moves from 0 V to just over 8 V."""
    volts = np.linspace(0, 18, 181)
    plain = regulator.dissipation(24.0, volts, 2.0)
    tapped = regulator.dissipation(tapped_input(volts, [(24.0, 99.0), (12.0, 8.0)]), volts, 2.0)
    assert plain.max() == 48.0
    assert tapped.max() == pytest.approx(2 * (24 - 8.1))
    assert tapped[0] == 24.0
    assert float(regulator.headroom(17.0, 13.6, 2.0)) == pytest.approx(1.4)


@given(st.floats(1, 1e6), st.lists(st.floats(1, 1e6), min_size=1, max_size=6))
def test_nothing_in_the_bin_comes_nearer(wanted: float, values: list[float]) -> None:
    made = nearest(wanted, values)
    assert all(abs(made.ohms - wanted) <= abs(v - wanted) + 1e-9 for v in values)
    assert set(made.parts) <= set(values)


def test_a_resistor_across_a_leg() -> None:
    """2.5 V, 10 kΩ over 2.5 kΩ is 12.5 V; 10 kΩ across the lower leg makes it 2 kΩ: 15 V."""
    made = shift(Divider(2.5, 10e3, 2.5e3), 10e3, 30e3, trip_V=15.5, tolerance=0.01)
    assert (made.before_V, made.high_V) == pytest.approx((12.5, 15.0))
    assert made.low_V == pytest.approx(2.5 * (1 + 10e3 * (1 / 2.5e3 + 1 / 40e3)))
    assert (made.fails, made.open_V) == ("low", 12.5)
    # Corner by hand: reference +2 %, upper +1 %, lower and added −1 %, trip −1 %.
    corner = 1.02 * 2.5 * (1 + 10.1e3 * (1 / 2475 + 1 / 9900))
    assert made.trip_margin_V == pytest.approx(15.5 * 0.99 - corner)
    lowered = shift(Divider(2.5, 10e3, 2.5e3), 10e3, across="upper")
    assert lowered.high_V == pytest.approx(2.5 * (1 + 5e3 / 2.5e3))
    assert lowered.fails == "high"
    with pytest.raises(UserError, match="shorts the leg"):
        shift(Divider(2.5, 10e3, 2.5e3), 0.0, 10e3)


@given(st.floats(1.0, 5.0), st.floats(1e3, 1e5), st.floats(5e2, 5e4), st.floats(1e3, 1e5))
def test_an_unknown_divider_is_found_from_two_resistors(ref, upper, lower, r) -> None:
    divider = Divider(ref, upper, lower)
    found = infer([(math.inf, divider.volts()), (r, divider.volts(r))])
    assert found.volts(3 * r) == pytest.approx(divider.volts(3 * r), rel=1e-6)
    wanted = divider.volts(2 * r)
    assert found.resistor_for(wanted) == pytest.approx(2 * r, rel=1e-4)
    with pytest.raises(UserError, match="No resistor"):
        found.resistor_for(0.5 * divider.volts())
    with pytest.raises(UserError, match="different resistances"):
        infer([(r, 1.0), (r, 2.0)])


def test_the_weakest_unit_limits_and_taps_add_up() -> None:
    """Below 24 V 6.3 A 150 W with 1 A tapped at its top, above it 24 V 4 A: at 80 % 4.0 A against 3.2 A."""
    found = stack.stack(
        [Unit(24, 6.3, 150, trip_V=30, limit_A=7.4, tap_A=1.0), Unit(24, 4.0, trip_V=29)], share=0.8
    )
    assert found.weakest == 1
    assert found.full_A == pytest.approx(3.2)
    assert found.unit_A == pytest.approx((4.2, 3.2))
    assert (found.no_load_V, found.trip_V, found.isolation_V) == (48, 59, 59)
    assert found.diode_inverse_V == (30, 29)
    assert found.diode_W == pytest.approx(0.9 * 7.4)
    assert "weakest" in found.warnings[0]
    # A heavy tap makes the lower one the limit.
    tapped = stack.stack([Unit(24, 6.3, 150, tap_A=3.0), Unit(24, 4.0)])
    assert (tapped.weakest, tapped.full_A) == (0, pytest.approx(2.0))
    three = stack.stack([Unit(24, 5)] * 3)
    assert any("60 V" in w for w in three.warnings)
    assert any("rule of thumb" in w for w in three.warnings)
    with pytest.raises(UserError):
        stack.stack([])


def test_a_fuse_is_chosen_and_what_it_cannot_do_is_said() -> None:
    plain = fuse.choose(8.0)
    assert (plain.rated_A, plain.continuous_A) == (12.5, 9.375)
    # 100 A²s are three tenths of what melts it: 10·r² and 0.5·r² are 333 A²s at 5.8 and 25.8 A.
    inrush = fuse.choose(1.0, inrush_A2s=100.0, speed="slow")
    assert inrush.rated_A == 6.3
    assert fuse.choose(1.0, inrush_A2s=100.0, speed="fast").rated_A == 31.5
    behind = fuse.choose(8.0, wire_A=10.0, most_A=9.5)
    assert "does not protect" in behind.warnings[0]
    assert "protects nothing" in behind.warnings[1]
    with pytest.raises(UserError, match="No fuse"):
        fuse.choose(500.0)
    assert fuse.transformer_primary_A(2.0, 18, 230) == pytest.approx(1.8 * 2 * 18 / 230)


def test_a_dummy_load_runs_at_half_its_rating() -> None:
    found = dummy_load(12, 0.5, 25)
    assert (found.resistance_ohm, found.power_W, found.rating_W) == (24, 6, 15)
    assert found.surface_C == pytest.approx(25 + 250 * 6 / 15)
    with pytest.raises(UserError, match="several"):
        dummy_load(48, 10)


def test_pulses_through_a_filter_against_their_own_simulation() -> None:
    """A square wave at half duty stepped through the RC until it repeats."""
    r, c, f, supply = 10e3, 1e-7, 5e3, 3.3
    found = pwm_dac(supply, f, 8, r, c)
    steps, v, low, high = 4000, supply / 2, 9.0, 0.0
    decay = math.exp(-1 / (f * steps) / (r * c))
    for turn in range(40):
        for k in range(steps):
            aim = supply if k < steps / 2 else 0.0
            v = aim + (v - aim) * decay
            if turn == 39:
                low, high = min(low, v), max(high, v)
    assert found.ripple_pp_V == pytest.approx(high - low, rel=1e-3)
    # The usual approximation, where RC is well above the period.
    assert found.ripple_pp_V == pytest.approx(supply / (4 * f * r * c), rel=0.01)
    assert found.settling_s == pytest.approx(r * c * math.log(2**9))
    assert found.step_V == pytest.approx(supply / 256)


def test_discharge_by_hand_and_that_it_creeps() -> None:
    found = discharge(100e-6, 400, 400 / math.e, 1e3)
    assert found.time_s == pytest.approx(0.1)
    assert (found.power_W, found.energy_J, found.current_A) == pytest.approx((160, 8, 0.4))
    assert found.creeps_to_V == pytest.approx(40)
    with pytest.raises(UserError, match="below the start"):
        discharge(100e-6, 5, 10, 1e3)
