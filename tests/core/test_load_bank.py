"""Loads of what is in the bin, by hand."""

import math

import pytest

from tensimeter.core.electrical.load_bank import Bank, LedString, Motor, Piece, Pulsed, nearest_banks
from tensimeter.core.errors import UserError

BIN = [Piece(10.0, 50.0), Piece(10.0, 50.0), Piece(22.0, 10.0), Piece(4.7, 100.0)]


def test_a_bank_by_hand() -> None:
    cold = Bank((Piece(10.0, 50.0), Piece(10.0, 100.0)), False, 10.0, per_K=0.0)
    assert (cold.amps, cold.cold_A, cold.watts) == (2.0, 2.0, [10.0, 10.0])
    # A fifth of its rating is 50 K, a tenth 25 K over the room.
    assert cold.celsius == [pytest.approx(75.0), pytest.approx(50.0)]
    assert cold.touch_s == pytest.approx(-240 * math.log(1 - 30 / 50))
    row = Bank((Piece(10.0, 50.0), Piece(5.0, 50.0)), True, 15.0, per_K=0.0)
    assert (row.amps, row.watts) == (1.0, [10.0, 5.0])
    # At 100 °C over the room a wound one of 100 ppm/K has a hundredth more.
    warm = Bank((Piece(10.0, 25.0),), False, 10.0)
    assert warm.hot_ohm[0] == pytest.approx(10.0 * (1 + 1e-4 * 250 * 100 / warm.hot_ohm[0] / 25))
    assert Bank((Piece(1000.0, 50.0),), False, 5.0).touch_s == math.inf


def test_the_nearest_bank_that_holds_is_taken() -> None:
    found = nearest_banks(BIN, 12.0, [1.2, 2.4, 0.5, 30.0])
    assert [b.within for b in found] == [True] * 4
    assert found[0].amps == pytest.approx(1.2, rel=0.02)
    assert found[1].amps == pytest.approx(2.4, rel=0.02)
    assert sorted(p.ohm for p in found[1].pieces) == [10.0, 10.0]
    assert found[2].amps == pytest.approx(0.5, rel=0.2)
    # Nothing of the bin draws 30 A: the most that holds.
    assert found[3].amps == max(b.amps for b in nearest_banks(BIN, 12.0, [1e3]))
    for odd in ([], [Piece(0.0, 5.0)], [Piece(1.0, 5.0)] * 15):
        with pytest.raises(UserError):
            nearest_banks(odd, 12.0, [1.0])
    with pytest.raises(UserError):
        nearest_banks(BIN, 12.0, [0.0])


def test_strings_motors_and_pulses_by_hand() -> None:
    one = LedString(9.0, 2.0, 3)
    assert one.amps(11.0) == 1.0
    # Three LEDs, 2 mV/K each, 50 K warmer: they begin 0.3 V lower.
    assert one.amps(11.0, 50.0) == pytest.approx(1.15)
    assert one.amps(8.0) == 0.0
    assert one.share(2, 0.2, 11.0) == pytest.approx(1.1 / 2.1)
    motor = Motor(12.0, 1.5, 0.8)
    assert (motor.stalled_A, motor.running_A) == (8.0, pytest.approx(1.6))
    assert (motor.reversed_A, motor.feeds_back_V) == (pytest.approx(14.4), pytest.approx(9.6))
    pulse = Pulsed(8.0, 2.0, 0.5)
    assert (pulse.mean_A, pulse.rms_A) == (5.0, pytest.approx(math.sqrt(34)))
