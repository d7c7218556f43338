"""The forecast of a heat-up against certified figures, heat-ups solved by hand, and its own limits."""

import numpy as np
import pytest

from tensimeter.core.errors import UserError
from tensimeter.core.heatup.fit import fit_heat_up
from tensimeter.core.heatup.prior import Expected
from tensimeter.core.heatup.record import HeatUp, digit_of, gathered, noise_of
from tensimeter.core.heatup.runaway import runs_away

#: NIST certified nonlinear sets Misra1a, BoxBOD: x, y, b1, 1/b2 of y = b1·(1 − e^(−b2·x)), deviation of b1.
MISRA = (
    [77.6, 114.9, 141.1, 190.8, 239.9, 289.0, 332.8, 378.4, 434.8, 477.3, 536.8, 593.1, 689.1, 760.0],
    [10.07, 14.73, 17.94, 23.93, 29.61, 35.18, 40.02, 44.82, 50.76, 55.05, 61.01, 66.40, 75.47, 81.78],
    238.94212918,
    1 / 5.5015643181e-04,
    2.7070075241,
)
BOX = ([1, 2, 3, 5, 7, 10], [109, 149, 149, 191, 213, 224], 213.80940889, 1 / 5.4723748542e-01, 12.354515176)


@pytest.mark.parametrize("known", [MISRA, BOX])
def test_certified_fits_of_one_exponential(known) -> None:
    x, y, final, tau, deviation = known
    found = fit_heat_up(HeatUp(np.array(x, float), np.array(y, float), 0.0, (0.0,), 0.0), None, "1")
    assert found.final.value == pytest.approx(final, rel=1e-7)
    assert found.time_constant.value == pytest.approx(tau, rel=1e-6)
    # Its interval is about the certified deviation times Student's t.
    assert 0.6 < found.final.half_width / (deviation * 2.3) < 1.6
    assert found.order == 1


def heat_up(
    seed: int, spans: float, *, tau=1200.0, parts=((30.0, 1.0), (14.0, 0.25)), digit=0.1, noise=0.2, n=400
):
    """A heat-up by hand: each part (K, share of τ) rises by itself over a room that drifts by 1 K/h."""
    rng = np.random.default_rng(seed)
    t = np.sort(rng.uniform(0, spans * tau, n))
    t[0] = 0.0
    drift = 1 / 3600
    room = 20 + drift * t
    true = room - drift * tau * (1 - np.exp(-t / tau))
    for rise, share in parts:
        true = true + rise * (1 - np.exp(-t / (share * tau)))
    shown = [np.round((v + noise * rng.standard_normal(n)) / digit) * digit for v in (true, room)]
    return HeatUp(t, *shown, (0.0,)), float(room[-1] + sum(rise for rise, _ in parts))


DESIGN = Expected((40.0,), 1000.0, 0.3, 0.3)


@pytest.mark.parametrize("digit", [0.1, 1.0])
def test_two_time_constants_end_inside_their_interval_and_more_readings_narrow_it(digit: float) -> None:
    inside, widths = 0, {0.5: [], 2.0: []}
    for seed in range(4 if digit < 1 else 2):
        for spans, wide in widths.items():
            record, final = heat_up(seed, spans, digit=digit)
            found = fit_heat_up(record, DESIGN, compare=False)
            inside += found.final.low <= final <= found.final.high
            wide.append(found.final.high - found.final.low)
            if spans == 2.0:
                assert abs(found.final.value - final) < 0.05 * 44
                assert found.time_constant.low < 1200 < found.time_constant.high
    # Eight chances of 95 in 100, or four: more than one outside would be one in twenty, or in seventy.
    assert inside >= (7 if digit < 1 else 3)
    assert max(widths[2.0]) < min(widths[0.5])


def test_what_the_forecast_rests_on_is_said() -> None:
    early, _ = heat_up(1, 0.08, n=40, noise=0.4)
    late, _ = heat_up(1, 3.0)
    assert "design model" in fit_heat_up(early, DESIGN).ground
    assert fit_heat_up(late, DESIGN).ground == "readings"
    assert fit_heat_up(late).ground == "readings"


def test_orders_are_told_by_evidence_and_one_constant_is_wide_where_two_are() -> None:
    single, final = heat_up(3, 1.5, parts=((40.0, 1.0),), noise=0.1)
    assert fit_heat_up(single).order == 1
    double, ends = heat_up(3, 1.5, noise=0.1)
    found = fit_heat_up(double)
    assert found.order == 2
    assert found.final.low < ends < found.final.high
    assert fit_heat_up(single).final.low < final < fit_heat_up(single).final.high


def test_an_end_that_nothing_bounds_is_open() -> None:
    t = np.arange(0, 600, 10.0)
    straight = HeatUp(t, 20 + 0.01 * t + 0.02 * np.sin(7 * t), 20.0, (0.0,))
    found = fit_heat_up(straight)
    assert np.isinf(found.final.high)
    assert not found.steady()
    assert found.final.low > straight.celsius[-1] - 0.5


def test_load_steps_lag_and_a_known_start() -> None:
    t = np.arange(-60.0, 3600, 5.0)
    lag = 40.0

    def rise(u, tau):
        # A rise seen through a first-order lag, solved by hand.
        shown = 1 - (tau * np.exp(-u / tau) - lag * np.exp(-u / lag)) / (tau - lag)
        return np.where(u > 0, shown, 0.0)

    celsius = 25 + 20 * rise(t, 900.0) + 22 * rise(t - 1200, 900.0)
    rng = np.random.default_rng(2)
    record = HeatUp(t, celsius + 0.05 * rng.standard_normal(len(t)), 25.0, (0.0, 1200.0), lag_s=lag)
    found = fit_heat_up(record, None, "1")
    assert found.final.value == pytest.approx(67.0, abs=0.3)
    assert found.time_constant.value == pytest.approx(900, rel=0.02)
    # T = 67 − a·e^(−s/900): a is what is still to come, and 60 °C lies in the past.
    left = 20 * np.exp(-3595 / 900) + 22 * np.exp(-2395 / 900)
    assert found.remaining.value == pytest.approx(left, abs=0.2)
    assert found.minutes_to(66.5).value == pytest.approx(15 * np.log(left / 0.5), rel=0.15)
    assert found.minutes_to(68.5) is None
    assert found.chance_above(66.0) > 0.99 > 0.01 > found.chance_above(69.0)
    assert found.chance_above(66.5, within_s=60.0) < 0.05
    cone = found.cone(np.array([0.0, 1800.0]))
    assert (np.diff(cone, axis=0) > 0).all()
    assert cone[1, 1] == pytest.approx(67 - left * np.exp(-2), abs=0.2)
    assert found.steady(5.0)
    assert not found.steady(0.5)
    assert found.seconds_to_steady(1.0).value == pytest.approx(900 * np.log(left), rel=0.1)


def test_a_hotter_place_a_thermometers_offset_and_more_heat() -> None:
    record, final = heat_up(5, 3.0)
    found = fit_heat_up(record, DESIGN, compare=False)
    assert found.shifted(10.0).final.value == pytest.approx(found.final.value + 10)
    wide, narrow = found.read_with(2.0).final, found.final
    assert wide.half_width == pytest.approx(np.hypot(1.9, narrow.half_width), rel=0.15)
    twice = found.scaled(20.0, 2.0)
    assert twice.final.value - 20 == pytest.approx(2 * (found.final.value - 20))
    assert twice.now.value == pytest.approx(found.now.value)
    assert final == pytest.approx(found.final.value, abs=1.0)


def test_digits_noise_and_what_is_no_heat_up() -> None:
    rng = np.random.default_rng(1)
    t = np.linspace(0, 500, 600)
    fine = 20 + 0.05 * t + 0.3 * rng.standard_normal(600)
    assert noise_of(t, fine, 0.0) == pytest.approx(0.3, rel=0.1)
    assert digit_of(np.round(fine)) == 1.0
    assert digit_of(np.round(fine * 10) / 10) == pytest.approx(0.1)
    assert digit_of(fine) < 1e-3
    assert gathered(HeatUp(t, np.round(fine), 20.0)).coarse
    assert not gathered(HeatUp(t, np.round(fine, 1), 20.0)).coarse
    with pytest.raises(UserError, match="Five temperatures"):
        fit_heat_up(HeatUp(t[:3], fine[:3], 20.0))
    with pytest.raises(UserError, match="backwards"):
        HeatUp(t[::-1], fine, 20.0)
    with pytest.raises(UserError, match="column"):
        HeatUp(t[:5], fine, 20.0)


@pytest.mark.parametrize("digit", [0.1, 1.0])
def test_a_slope_that_keeps_growing_is_a_runaway_and_a_lagging_start_is_not(digit: float) -> None:
    rng = np.random.default_rng(4)
    t = np.arange(0, 2400, 4.0)

    def read(true):
        return np.round((true + 0.1 * rng.standard_normal(len(t))) / digit) * digit

    away = HeatUp(t, read(25 + 6 * np.expm1(t / 1000)), 25.0, (0.0,))
    assert runs_away(away)
    lagging = 25 + 60 * (1 - (900 * np.exp(-t / 900) - 90 * np.exp(-t / 90)) / 810)
    for end in range(40, len(t), 40):
        assert not runs_away(HeatUp(t[:end], read(lagging)[:end], 25.0, (0.0,)))
    # A room that warms ever faster is no runaway of the part.
    room = 25 + 6 * np.expm1(t / 1000)
    assert not runs_away(HeatUp(t, read(room + 30 * (1 - np.exp(-t / 600))), room, (0.0,)))


@pytest.mark.parametrize("read", [True, False])
def test_a_room_that_swings_and_a_slow_sensor_are_no_runaway(read: bool) -> None:
    """1.5 K up and down in four hours, a sink that follows it in 20 min, a probe that lags by two minutes."""
    t = np.arange(0, 5 * 3600, 15.0)
    for phase in np.linspace(0, 2 * np.pi, 8, endpoint=False):
        room = 22 + 1.5 * np.sin(2 * np.pi * t / 14400 + phase)
        sink, probe, seen = room[0], room[0], []
        for outside in room:
            sink += 15 / 1200 * (outside + 30 - sink)
            probe += 15 / 120 * (sink - probe)
            seen.append(round(probe, 1))
        celsius = np.array(seen)
        for end in range(80, len(t), 60):
            ambient = np.round(room[:end], 1) if read else 22.0
            assert not runs_away(HeatUp(t[:end], celsius[:end], ambient, (0.0,))), (phase, t[end])


def test_a_place_that_begins_warm_gives_part_of_it_away_at_once() -> None:
    t = np.arange(0, 900.0, 10.0)
    rng = np.random.default_rng(8)
    # Ten kelvin of a start are the fast stage's, two the slow one's; 22 K and 28 K come by the load.
    fast, slow = np.exp(-t / 70), np.exp(-t / 1500)
    true = 20 + 10 * fast + 2 * slow + 22 * (1 - fast) + 28 * (1 - slow)
    shown = np.round(true + 0.05 * rng.standard_normal(len(t)), 1)
    design = Expected((45.0,), 1300.0, 0.05, 0.4)
    told = fit_heat_up(HeatUp(t, shown, 20.0, (0.0,), warm=True), design, compare=False)
    assert told.final.low < 70 < told.final.high
    assert told.now.value == pytest.approx(true[-1], abs=0.2)
    assert told.remaining.value == pytest.approx(26 * np.exp(-890 / 1500), rel=0.3)
