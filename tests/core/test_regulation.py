"""Regulation analysis against certified and closed-form answers, and what must not matter."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tensimeter.core.analysis.regulation import Readings, next_reading, regulation
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy

EXACT = Accuracy(of_reading=0, counts=0, resolution=1e-9)
METER = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)
AMMETER = Accuracy(of_reading=0.0008, counts=5, resolution=0.001)
AMPS = np.array([0.0, 1.6, 3.2, 4.8, 6.4, 8.0, 4.0, 0.0])

#: The data of a certified linear regression (NIST StRD, Norris): y, x.
NORRIS = """0.1 0.2 338.8 337.4 118.1 118.2 888.0 884.6 9.2 10.1 228.1 226.5 668.5 666.3 998.5 996.3
449.1 448.6 778.9 777.0 559.2 558.2 0.3 0.4 0.1 0.6 778.1 775.5 668.8 666.9 339.3 338.0 448.9 447.5
10.8 11.6 557.7 556.0 228.3 228.1 998.0 995.8 888.8 887.6 119.6 120.2 0.3 0.3 0.6 0.3 557.6 556.8
339.3 339.1 888.0 887.2 998.5 999.0 778.9 779.0 10.2 11.1 117.6 118.3 228.9 229.2 668.4 669.1
449.2 448.9 0.2 0.5"""


def line(no_load: float = 13.6, ohm: float = 0.05, amps: np.ndarray = AMPS) -> np.ndarray:
    return no_load - ohm * amps


def test_the_certified_regression() -> None:
    y, x = np.array(NORRIS.split(), float).reshape(-1, 2).T
    flat = Accuracy(of_reading=0, counts=0, resolution=1.0, noise_counts=1.0)
    found = regulation(Readings.of_one_pair(y, x, flat, EXACT), 1.0)
    assert found.no_load_V.value == pytest.approx(-0.262323073774029, rel=1e-9)
    assert -found.output_resistance_ohm.value == pytest.approx(1.00211681802045, rel=1e-12)


@settings(max_examples=50, deadline=None)
@given(st.floats(1, 60), st.floats(0.0, 2.0))
def test_an_exact_line_is_found_exactly(no_load: float, ohm: float) -> None:
    data = Readings.of_one_pair(line(no_load, ohm), AMPS, EXACT, EXACT)
    found = regulation(data, no_load, 8.0)
    assert found.no_load_V.value == pytest.approx(no_load, rel=1e-9)
    assert found.output_resistance_ohm.value == pytest.approx(ohm, abs=1e-9 * no_load)
    assert found.load_regulation.value == pytest.approx(ohm * 8 / no_load, abs=1e-8)
    assert not found.curved


def test_a_shared_offset_leaves_the_slope_and_is_in_the_no_load_volts() -> None:
    only_offset = Accuracy(of_reading=0, counts=50, resolution=0.001)
    wide = regulation(Readings.of_one_pair(line(), AMPS, only_offset, EXACT), 13.6)
    bare = Accuracy(of_reading=0, counts=0, resolution=0.001)
    narrow = regulation(Readings.of_one_pair(line(), AMPS, bare, EXACT), 13.6)
    assert wide.output_resistance_ohm.half_width == pytest.approx(
        narrow.output_resistance_ohm.half_width, rel=1e-3
    )
    # One dominating rectangular term: 0.95 of its bound, widened a little by the noise.
    assert wide.no_load_V.half_width == pytest.approx(0.95 * 0.05, rel=0.03)


def test_a_shared_gain_scales_the_slope() -> None:
    only_gain = Accuracy(of_reading=0.01, counts=0, resolution=1e-6)
    found = regulation(Readings.of_one_pair(line(ohm=0.2), AMPS, only_gain, EXACT), 13.6)
    assert found.output_resistance_ohm.half_width == pytest.approx(0.95 * 0.01 * 0.2, rel=0.01)


def test_a_two_wire_lead_comes_out_with_its_own_uncertainty() -> None:
    measured = line(ohm=0.05 + 0.021)
    data = Readings.of_one_pair(measured, AMPS, EXACT, EXACT, lead_ohm=0.021, lead_bound=0.002)
    found = regulation(data, 13.6)
    assert found.output_resistance_ohm.value == pytest.approx(0.05, rel=1e-6)
    assert found.output_resistance_ohm.half_width == pytest.approx(0.95 * 0.002, rel=0.01)


def test_a_fine_meter_outweighs_a_coarse_one() -> None:
    coarse = Accuracy(of_reading=0.01, counts=5, resolution=0.01)
    volts = np.concatenate([line(), line() + 0.15])
    amps = np.concatenate([AMPS, AMPS])
    data = Readings(
        volts,
        amps,
        ["fine"] * 8 + ["coarse"] * 8,
        ["A"] * 16,
        {"fine": METER, "coarse": coarse, "A": AMMETER},
    )
    found = regulation(data, 13.6)
    assert abs(found.no_load_V.value - 13.6) < 0.01
    assert found.no_load_V.low < 13.6 < found.no_load_V.high


def test_readings_that_disagree_do_not_draw_the_fit_outside_them() -> None:
    # Two sets 20 mV apart on one meter with a generous gain: the answer lies between them.
    loose = Accuracy(of_reading=0.02, counts=0, resolution=0.001)
    volts = np.concatenate([line(), line() + 0.02])
    found = regulation(Readings.of_one_pair(volts, np.concatenate([AMPS, AMPS]), loose, EXACT), 13.6)
    assert 13.6 < found.no_load_V.value < 13.62
    assert found.birge > 3


def test_a_bend_is_flagged_and_noise_is_not() -> None:
    bent = line() - 0.004 * AMPS**2
    assert regulation(Readings.of_one_pair(bent, AMPS, METER, AMMETER), 13.6).curved
    noisy = line() + 0.0005 * np.random.default_rng(5).standard_normal(8)
    assert not regulation(Readings.of_one_pair(noisy, AMPS, METER, AMMETER), 13.6).curved


def test_drift_shows_as_hysteresis() -> None:
    drifting = line() - 0.002 * np.arange(8)
    found = regulation(Readings.of_one_pair(drifting, AMPS, METER, AMMETER), 13.6)
    assert found.hysteresis_V is not None
    assert found.hysteresis_V.high < 0
    still = regulation(Readings.of_one_pair(line(), AMPS, METER, AMMETER), 13.6)
    assert still.hysteresis_V is not None
    assert still.hysteresis_V.low < 0 < still.hysteresis_V.high


def test_a_line_that_stops_short_says_so() -> None:
    data = Readings.of_one_pair(line(), AMPS, METER, AMMETER)
    assert regulation(data, 13.6, 12.0).extended_from_A == 8.0
    assert regulation(data, 13.6, 8.0).extended_from_A is None


def test_too_little_is_refused() -> None:
    for volts, amps in (([13.6], [0.0]), ([13.6, 13.5], [2.0, 2.0]), ([], [])):
        with pytest.raises(UserError):
            regulation(Readings.of_one_pair(np.array(volts), np.array(amps), METER, AMMETER), 13.6)


def test_the_next_reading_lies_at_an_end_of_the_line() -> None:
    data = Readings.of_one_pair(line()[:3], AMPS[:3], METER, AMMETER)
    found = next_reading(data, 13.6, 8.0)
    assert found is not None
    assert found[0] == 8.0
    assert found[1] < 0.6
    assert next_reading(Readings.of_one_pair(line()[:1], AMPS[:1], METER, AMMETER), 13.6, 8.0) is None


def test_why_holds_formula_figures_and_source() -> None:
    found = regulation(Readings.of_one_pair(line(), AMPS, METER, AMMETER), 13.6)
    text = found.worked()["resistance"].text()
    assert "U = U0 − R·I" in text
    assert "GUM" in text
    assert "50 mΩ" in text
