"""Thermal stages: against an integrator, fitted back from readings, and what follows from them."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from tensimeter.core.analysis.calibration import calibrated, hottest
from tensimeter.core.design.reach import reach
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import (
    Scenario,
    as_fitted,
    chain,
    expected,
    heats,
    measuring_points,
    spot_above,
    steady_spot_C,
    watched,
)
from tensimeter.core.heatup.turning_points import acted, swinging, thresholds
from tensimeter.core.model.edits import changed
from tensimeter.core.thermal.rc_ladder import CauerLadder, Heating, Track, fit_ladder, response
from tensimeter.core.thermal.remedies import Part, remedies
from tensimeter.demo.library import demo_job

TRUE = CauerLadder({"case": 3.0, "sink": 5.0, "air": 1.1}, {"case": 20.0, "sink": 180.0, "air": 500.0})
HEATING = Heating(
    np.array([0.0, 600.0]),
    {"case": np.array([3.0, 8.0]), "air": np.array([5.0, 9.0])},
    np.array([0.0, 1800.0, 5400.0]),
    np.array([20.0, 21.0, 20.5]),
)


def integrated(t: np.ndarray) -> np.ndarray:
    """Case, sink and air by SciPy's integrator, step by step of the load and the room."""

    def flow(at, x):
        late = at >= 600
        own, rest = (8.0, 9.0) if late else (3.0, 5.0)
        room = np.interp(at, HEATING.room_s, HEATING.room_C)
        a, b, c = (x[0] - x[1]) / 3.0, (x[1] - x[2]) / 5.0, (x[2] - room) / 1.1
        return [(own - a) / 20.0, (a - b) / 180.0, (b + rest - c) / 500.0]

    return solve_ivp(flow, (0, t[-1]), [20.0] * 3, t_eval=t, max_step=5, rtol=1e-9, atol=1e-9).y


def test_stages_follow_an_integrator_and_are_fitted_back() -> None:
    t = np.linspace(0, 5400, 541)
    true = integrated(t)
    found = response(TRUE, HEATING, t, {})
    for k, place in enumerate(("case", "sink", "air")):
        assert found[place] == pytest.approx(true[k], abs=2e-3)
    rng = np.random.default_rng(3)
    guess = CauerLadder({"case": 2.0, "sink": 6.0, "air": 0.8}, {"case": 14.0, "sink": 250.0, "air": 400.0})
    tracks = [
        Track(p, t, np.round(true[k] + 0.6 * (k - 1) + 0.1 * rng.standard_normal(len(t)), 1), 0.12, 1.0)
        for k, p in enumerate(("case", "sink", "air"))
    ]
    fit = fit_ladder(guess, HEATING, tracks)
    for place in ("case", "sink", "air"):
        for value, of in (
            (TRUE.theta_K_W[place], fit.theta(place)),
            (TRUE.capacity_J_K[place], fit.capacity(place)),
        ):
            assert of.low < value < of.high
            assert of.half_width < 0.3 * value
    # With the case alone read, the sink and the box are known no better than their sum lets them.
    alone = fit_ladder(guess, HEATING, tracks[:1])
    assert alone.theta("air").half_width > 2 * fit.theta("air").half_width
    drawn = fit.drawn(200)
    assert np.std([s.theta_K_W["case"] for s in drawn]) == pytest.approx(
        fit.theta("case").half_width / 1.96, rel=0.25
    )
    with pytest.raises(UserError, match="No thermometer"):
        fit_ladder(guess, HEATING, [Track("elsewhere", t, true[0])])


def test_what_a_design_expects_is_its_network() -> None:
    job = demo_job("ridge-pier")
    assert watched(job, "mount") == "front-end"
    stages = chain(job, "front-end")
    assert stages.theta_K_W == {"case": pytest.approx(2.0), "sink": 6.0}
    own, _ = heats(job, "mount", (4.0, 8.0), "front-end")
    # 1.3 + 0.42·I + 0.055·I², by its card.
    assert own == pytest.approx([1.3 + 0.42 * 4 + 0.055 * 16, 1.3 + 0.42 * 8 + 0.055 * 64])
    asked = expected(job, "mount", "front-end", "front-end-case", (4.0, 8.0))
    assert sum(asked.rises_K) == pytest.approx(8 * own[1])
    assert asked.rises_K[0] == pytest.approx(8 * own[0])
    assert asked.slow_s == pytest.approx(6 * 220 * 1.06, rel=0.03)
    # The mounting's share of the rise, near enough, and its own time constant.
    assert asked.fast_share == pytest.approx(0.25, abs=0.05)
    assert asked.fast_ratio * asked.slow_s == pytest.approx(24, rel=0.15)
    assert expected(job, "mount", "front-end", "ambient", (4.0,)) is None
    assert spot_above(job, "front-end", "front-end-case") == pytest.approx(0.9)
    assert spot_above(job, "front-end", "front-end-sink") == pytest.approx(2.9)
    with pytest.raises(UserError, match="sheds its heat"):
        watched(job, "hub")
    boxed = changed(job, settings=changed(job.settings, box_K_W=0.8))
    assert chain(boxed, "front-end").places == ("case", "sink", "air")
    assert measuring_points(job)["front-end-case"] == "Front end case"


def test_another_room_fan_dust_and_lid() -> None:
    def ends(**asked):
        return steady_spot_C(TRUE, 8.0, 9.0, 0.5, Scenario(20.0, **asked))

    plain = 20 + 1.1 * 17 + 8 * (3 + 5 + 0.5)
    assert ends() == pytest.approx(plain)
    assert ends(heat_share=0.5) == pytest.approx(20 + (plain - 20) / 2)
    assert ends(sink_share=0.5) == pytest.approx(plain - 8 * 2.5)
    assert ends(dust=0.2) == pytest.approx(plain + 8 * 5 * 0.25)
    assert ends(lid_open=True) == pytest.approx(plain - 1.1 * 17 * 2 / 3)


def test_the_reach_follows_the_fitted_stages() -> None:
    job = demo_job("ridge-pier")
    worse = as_fitted(
        job, "front-end", CauerLadder({"case": 5.6, "sink": 6.2}, {"case": 13.0, "sink": 232.0})
    )
    volts, amps = np.array([13.6]), np.linspace(0, 10, 41)
    as_designed, as_read = (reach(j, "mount", volts, amps) for j in (job, worse))
    at_eight = int(np.argmin(np.abs(amps - 8)))
    assert np.isinf(as_designed.minutes[0, at_eight])
    # 105 °C: 20 + 8.18·6.5 at once, the rest through 6.2 K/W with 6.2·232 s.
    own = float(heats(job, "mount", (8.0,), "front-end")[0][0])
    share = (105 - 20 - own * 6.5) / (own * 6.2)
    assert as_read.minutes[0, at_eight] == pytest.approx(-6.2 * 232 * np.log(1 - share) / 60, rel=0.03)
    assert job.part("front-end-40").switch_K_W == 2.9


def test_remedies_are_ranked_by_what_they_buy() -> None:
    part = Part(20.0, 1, 0.5, 1.0, 3.0, 25.0, 100.0)
    assert part.hottest_C == pytest.approx(25 + 20 * 4.5)
    found = remedies(part, blown_K_W=1.5, reseated_K_W=0.4)
    by = {r.what: r.buys_K for r in found}
    assert [r.buys_K for r in found] == sorted(by.values(), reverse=True)
    # Two parts: the one that takes 20 % more has 12 W; the sink still carries 20 W.
    assert by["twice as many parts"] == pytest.approx((20 - 12) * 1.5)
    assert by["a sink of 2.1 K/W"] == pytest.approx(20 * 0.9)
    assert by["a fan step, sink at 1.5 K/W"] == pytest.approx(30)
    assert by["15 % less power"] == pytest.approx(3 * 4.5)
    assert by["its mounting as designed, 0.4 K/W"] == pytest.approx(12)
    assert found[0].hottest_C == pytest.approx(115 - 30)
    # A mounting that is better than designed is no remedy.
    assert not any("designed" in r.what for r in remedies(part, reseated_K_W=2.0))
    with pytest.raises(UserError, match="Without power"):
        remedies(Part(0.0, 1, 0.5, 1.0, 3.0, 25.0, 100.0))


def test_turns_thresholds_and_a_protection_that_cycles() -> None:
    t = np.arange(0, 3000, 5.0)
    saw = 45 + 5 * np.abs((t / 150) % 2 - 1) + 0.05 * np.sin(3 * t)
    found = swinging(t, np.round(saw, 1))
    assert found.hunts
    assert found.period_s == pytest.approx(300, abs=10)
    assert np.median(found.tops_C) == pytest.approx(50, abs=0.2)
    assert np.median(found.bottoms_C) == pytest.approx(45, abs=0.2)
    assert not swinging(t, 20 + 30 * (1 - np.exp(-t / 600))).hunts
    by_fan = thresholds(
        np.array([40.0, 49.0, 51.0, 47.0, 44.0]), np.array([False, False, True, True, False]), 1.0
    )
    assert (by_fan.on_C.low, by_fan.on_C.high) == (48.0, 52.0)
    assert by_fan.off_C.value == pytest.approx(45.5)
    volts = np.where((t > 1000) & ((t // 100) % 2 == 0), 0.0, 13.6)
    what = acted(t, volts < 6.8)
    assert what.cycles
    assert what.at_s == pytest.approx(1005)
    assert what.back_s == pytest.approx(95)
    assert acted(t, t > 1000).latches
    assert acted(t, t < 0) is None


def test_a_sensor_is_put_right_and_the_hottest_place_found() -> None:
    sensor, reference = np.array([21.0, 45.0, 70.0]), np.array([20.0, 47.0, 75.0])
    fit = calibrated(sensor, reference, 0.5)
    assert fit.right(45.0) == pytest.approx(47.0, abs=0.4)
    # Least squares by hand: slope 1347.67/1200.67 about means 45.33 and 47.33.
    assert fit.gain.value == pytest.approx(1347.6667 / 1200.6667, rel=1e-4)
    assert fit.worst_before_K == 5.0
    assert fit.worst_after_K < 0.3
    alone = calibrated(np.array([25.0]), np.array([23.5]), 0.5)
    assert alone.gain is None
    assert alone.offset_K.value == -1.5
    found = hottest({"case": 71.0, "sink": 62.0, "coil": 70.5}, 0.3)
    assert (found.place, found.sure) == ("case", False)
    assert hottest({"case": 71.0, "sink": 62.0}, 0.3).sure
    with pytest.raises(UserError, match="two places"):
        hottest({"case": 71.0}, 0.3)
    with pytest.raises(UserError, match="reference"):
        calibrated(sensor, reference[:2], 0.5)
