"""A meter against a reference: certified lines, intervals that hold, what is odd, what to set."""

import numpy as np
import pytest
from benchmarks.coverage_meters import covered

from tensimeter.core.analysis.comparison import compared, line_through
from tensimeter.core.analysis.meter_setting import can_settle, correction, points_for
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy

#: NIST's statistical reference dataset Norris: ozone read by an instrument, and by the reference.
NORRIS = """\
0.1 0.2 338.8 337.4 118.1 118.2 888.0 884.6 9.2 10.1 228.1 226.5 668.5 666.3 998.5 996.3 449.1 448.6
778.9 777.0 559.2 558.2 0.3 0.4 0.1 0.6 778.1 775.5 668.8 666.9 339.3 338.0 448.9 447.5 10.8 11.6
557.7 556.0 228.3 228.1 998.0 995.8 888.8 887.6 119.6 120.2 0.3 0.3 0.6 0.3 557.6 556.8 339.3 339.1
888.0 887.2 998.5 999.0 778.9 779.0 10.2 11.1 117.6 118.3 228.9 229.2 668.4 669.1 449.2 448.9 0.2
0.5"""
FINE = Accuracy(of_reading=0.0005, counts=1, resolution=0.001)
DIGITS = Accuracy(of_reading=0, resolution=0.01)


def test_a_certified_line() -> None:
    y, x = np.array(NORRIS.split(), float).reshape(-1, 2).T
    found = line_through(x, y, 0.0, 0.884796396144373)
    assert found.gain == pytest.approx(1.00211681802045, rel=1e-9)
    assert found.offset == pytest.approx(-0.262323073774029, rel=1e-7)
    deviations = np.sqrt(np.diag(found.covariance))
    assert deviations == pytest.approx([0.429796848199937e-3, 0.232818234301152], rel=1e-8)
    assert found.chi2 == pytest.approx(len(x) - 2, rel=1e-9)
    # Turned round, with all that errs in x, it is the inverse of the line of x over y.
    other = line_through(y, x, 0.884796396144373, 0.0)
    assert (1 / other.gain, -other.offset / other.gain) == pytest.approx((found.gain, found.offset), rel=1e-6)


def test_errors_in_both_as_published() -> None:
    x = np.array([0.0, 0.9, 1.8, 2.6, 3.3, 4.4, 5.2, 6.1, 6.5, 7.4])
    y = np.array([5.9, 5.4, 4.4, 4.6, 3.5, 3.7, 2.8, 2.8, 2.4, 1.5])
    of_x = np.array([1000, 1000, 500, 800, 200, 80, 60, 20, 1.8, 1.0])
    of_y = np.array([1, 1.8, 4, 8, 20, 20, 70, 70, 100, 500])
    found = line_through(x, y, of_x**-0.5, of_y**-0.5)
    assert (found.gain, found.offset) == pytest.approx((-0.480533407, 5.479910224), abs=5e-9)
    assert np.sqrt(np.diag(found.covariance)) == pytest.approx([0.0579850090, 0.294970735], rel=1e-5)
    assert found.chi2 == pytest.approx(11.8663532, rel=1e-7)


@pytest.mark.parametrize("better", [1.0, 4.0, 20.0])
def test_intervals_hold_what_they_say(better: float) -> None:
    gain, offset, odd = covered(150, better, seed=7)
    # 95 % of 150 within three deviations of chance.
    assert 134 <= gain <= 150
    assert 134 <= offset <= 150
    assert odd <= 3


def test_what_is_not_of_a_line_is_named() -> None:
    shown = np.array([0.5, 2.0, 4.0, 6.0, 8.0, 6.0, 4.0, 2.0, 0.5])
    true = 1.06 * shown + 0.01 + 0.003 * np.array([1, -1, 0, 1, -1, 0, 1, -1, 0])
    plain = compared(shown, true, DIGITS, FINE)
    assert plain.odd_one is None
    assert plain.warnings == ()
    assert plain.gain.low < 1.06 < plain.gain.high
    assert plain.worst_before.value == pytest.approx(-0.487, abs=0.001)
    assert abs(plain.worst_after.value) <= 2 * plain.residual_rms
    hot = true.copy()
    hot[4] += 0.2
    assert compared(shown, hot, DIGITS, FINE).odd_one == 4
    bowed = compared(shown, true + 0.02 * ((shown - 4.25) / 3.75) ** 2, DIGITS, FINE)
    assert bowed.curvature.value == pytest.approx(-0.02, abs=0.006)
    assert any("curved" in w for w in bowed.warnings)
    drifts = compared(shown, true + np.where(np.arange(9) > 4, 0.05, 0.0), DIGITS, FINE)
    assert drifts.hysteresis.low < 0.05 < drifts.hysteresis.high
    assert any("going down" in w for w in drifts.warnings)
    poor = compared(shown, shown + 0.001, DIGITS, Accuracy(of_reading=0.01, counts=5, resolution=0.01))
    assert any("can't tell" in w for w in poor.warnings)


@pytest.mark.parametrize(
    ("lets", "step", "gain", "offset", "left"),
    [
        ("both", 0.0, 1.02, 0.1, 0.0),
        # Half way: 0.12 at the lower end and 0.3 at the upper one.
        ("offset", 0.0, 1.0, 0.21, 0.09),
        ("gain", 0.0, 1 + 0.42 / 11, 0.0, 0.3 - 0.42 / 11 * 10),
        ("nothing", 0.0, 1.0, 0.0, 0.3),
        ("offset", 0.05, 1.0, 0.2, 0.1),
        ("both", 0.25, 1.02, 0.0, 0.1),
    ],
)
def test_what_to_set(lets: str, step: float, gain: float, offset: float, left: float) -> None:
    shown = np.array([1.0, 4.0, 7.0, 10.0])
    found = correction(compared(shown, 1.02 * shown + 0.1, DIGITS, FINE), lets, step)
    assert (found.gain, found.offset) == pytest.approx((gain, offset), abs=1e-9)
    assert found.left == pytest.approx(abs(left), abs=1e-9)


def test_ten_thousand_pairs_and_one_that_is_odd() -> None:
    """Each point left out in turn, told from one fit: the same as the fit of the rest, where that is done."""
    rng = np.random.default_rng(5)
    shown = np.round(rng.uniform(0.5, 10, 10_000), 2)
    true = 1.02 * shown + 0.01 + 0.004 * rng.standard_normal(len(shown))
    assert compared(shown, true, DIGITS, FINE).odd_one is None
    true[4321] += 0.1
    assert compared(shown, true, DIGITS, FINE).odd_one == 4321
    # A point that alone tells the slope is foretold by none; of a line through zero the far end is right.
    alone = compared(np.array([1.0, 1.0, 1.0, 1.0, 5.0]), np.array([1.0, 1, 1, 1, 9]), DIGITS, FINE)
    assert alone.odd_one is None
    below = compared(np.array([-8.0, -4.0, 0.0]), np.array([-8.8, -4.4, 0.0]), DIGITS, FINE)
    assert correction(below, "gain").gain == pytest.approx(1.1)


def test_what_cannot_be_compared() -> None:
    for shown, true in (
        ([1.0], [1.0]),
        ([2.0, 2.0], [2.0, 2.1]),
        ([1.0, 2.0], [2.0, 1.0]),
        ([1, np.inf], [1, 2]),
    ):
        with pytest.raises(UserError):
            compared(np.array(shown, float), np.array(true, float), DIGITS, FINE)
    same = compared(np.array([1.0, 2.0]), np.array([1.0, 2.0]), DIGITS, FINE)
    for lets, step in (("all", 0.0), ("gain", -1.0)):
        with pytest.raises(UserError):
            correction(same, lets, step)
    for low, high, digit in ((5.0, 1.0, 0.01), (0.0, 0.05, 0.01), (0.0, 1.0, 0.0)):
        with pytest.raises(UserError):
            points_for(low, high, digit)
    points = points_for(0.5, 10.0, 0.01)
    assert (min(points), max(points)) == pytest.approx((0.5, 10.0), abs=0.01)
    # No two of them at the same place between two counts.
    assert len(set(np.round(np.modf(np.array(points[:-1]) / 0.01)[0], 3))) >= 7
    # 0.05 % and a digit of 1 mV at 10 V is 6 mV at the most: a fifth of a per cent of 10 V is 20 mV.
    assert not can_settle(FINE, 10.0, 0.02)
    assert can_settle(FINE, 10.0, 0.1)
