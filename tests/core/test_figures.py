"""What readings give and how sure it is: each figure and interval by a closed form or another method."""

import math

import numpy as np
import pytest
from scipy import stats

from tensimeter.core.analysis.cross import cross_regulation
from tensimeter.core.analysis.current_limit import LimitKind, current_limit
from tensimeter.core.analysis.extremes import Envelope
from tensimeter.core.analysis.leakage import BODY_OHM, leakage
from tensimeter.core.analysis.regulation import Readings, regulation
from tensimeter.core.analysis.ripple import ripple
from tensimeter.core.analysis.startup import hold_up_s, start_up
from tensimeter.core.analysis.transient import transient
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import (
    Accuracy,
    Band,
    Capability,
    Interval,
    Verdict,
    capability,
    half_width_95,
    judge,
    parse_accuracy,
    worst,
)
from tensimeter.core.measurement.plausible import doubts
from tensimeter.core.measurement.readings import Reading, thinned

FINE = Accuracy(of_reading=0.0, counts=0.0, resolution=0.001)
COARSE = Accuracy(of_reading=0.01, counts=0.0, resolution=0.001)


def pairs(volts: list[float], amps: list[float], meter: Accuracy = FINE) -> Readings:
    n = len(volts)
    return Readings(np.array(volts), np.array(amps), ["v"] * n, ["a"] * n, {"v": meter, "a": FINE})


# -- accuracy and verdicts --------------------------------------------------------------------------


def test_half_widths_of_sums_by_another_method() -> None:
    """One rectangle, two alike (a triangle), a normal, and a mixture by drawing it."""
    assert half_width_95([2.0]) == pytest.approx(1.9)
    assert half_width_95([], 0.5) == pytest.approx(0.98, abs=1e-3)
    # Of a triangle of half-width 2: 2·(1 − √0.05).
    assert half_width_95([1.0, -1.0]) == pytest.approx(2 * (1 - math.sqrt(0.05)), rel=2e-3)
    rng = np.random.default_rng(2)
    drawn = rng.uniform(-1, 1, 400_000) + rng.uniform(-0.3, 0.3, 400_000) + 0.4 * rng.standard_normal(400_000)
    assert half_width_95([1.0, 0.3], 0.4) == pytest.approx(float(np.quantile(np.abs(drawn), 0.95)), rel=5e-3)
    assert half_width_95([1.0], 1e-6) == pytest.approx(0.95, rel=1e-3)


def test_an_accuracy_in_words_and_in_volts() -> None:
    """0.5 % and 2 counts of 10 mV; its noise of half a count and the rounding scatter by 5.8 mV."""
    made = parse_accuracy("0.5%+2@10m")
    assert (made.of_reading, made.counts, made.resolution) == (0.005, 2.0, 0.01)
    assert parse_accuracy("0.5%+2@10u").resolution == pytest.approx(1e-5)
    assert parse_accuracy("0.5%+2@0.1").resolution == 0.1
    plain = Accuracy(of_reading=0.005, resolution=0.01)
    assert (plain.counts, plain.noise_counts) == (0.0, 0.5)
    assert plain.scatter == pytest.approx(0.01 * math.sqrt(0.25 + 1 / 12))


def test_a_verdict_only_where_the_whole_interval_is_on_one_side() -> None:
    band = Band(12.0, 14.0)
    for low, high, verdict in (
        (12.0, 14.0, Verdict.CONFORMS),
        (11.99, 13.0, Verdict.TOO_CLOSE),
        (13.0, 14.01, Verdict.TOO_CLOSE),
        (14.01, 14.2, Verdict.NONCONFORMING),
        (11.0, 11.99, Verdict.NONCONFORMING),
    ):
        assert judge(Interval((low + high) / 2, low, high), band) is verdict
    assert judge(None, band) is Verdict.NOT_MEASURED
    assert worst([Verdict.CONFORMS, Verdict.TOO_CLOSE]) is Verdict.TOO_CLOSE
    ends = ((12.0, 14.0), (-0.5, 0.5), (-0.5, 0.4), (-0.5, None), (None, 14.0), (None, None))
    assert [Band(*e).words("V") for e in ends] == [
        "12 V … 14 V", "± 500 mV", "−500 mV … 400 mV", "from −500 mV", "to 14 V", "",
    ]  # fmt: skip
    # As wide as the band it can never lie inside it.
    assert not Capability(0.5, 0.5).can_hold
    assert Capability(0.5, 0.5).share == 1.0
    fits = capability(Accuracy(of_reading=0.0, counts=110, resolution=0.01), Band(12.0, 14.0), 13.0)
    assert not fits.can_hold
    assert capability(FINE, Band(12.0, 14.0), 13.0).can_hold
    assert fits.share == pytest.approx(fits.half_width / 1.0)
    assert math.isinf(capability(FINE, Band(13.0, 13.0), 13.0).share)


def test_what_looks_odd_in_columns_is_asked_about() -> None:
    """A decade off, a slip of one row, volts that never move, a jump of one temperature."""
    steady = np.full(9, 13.6) - np.linspace(0, 0.2, 9)
    assert doubts(volts=steady, expected_V=13.6, amps=np.linspace(0, 8, 9), most_A=8.0) == []
    assert doubts(volts=steady / 100, expected_V=13.6)
    assert doubts(volts=steady * 100, expected_V=13.6)
    assert doubts(amps=np.linspace(0, 0.5, 9), most_A=8.0)
    assert doubts(amps=np.linspace(0, 90, 9), most_A=8.0)
    assert not doubts(amps=np.zeros(9), most_A=8.0)
    for row in (0, 4, 8):
        slipped = steady.copy()
        slipped[row] *= 10
        assert any(f"row {row + 1}" in said for said in doubts(volts=slipped, expected_V=13.6)), row
    # Ten times is a decade, eight times a slip, fifty kelvin a jump: just short of it nothing is asked.
    flat = np.full(7, 10.0)
    for off, said in ((9.9, False), (10.1, True), (0.101, False), (0.099, True)):
        assert bool(doubts(volts=flat * off, expected_V=10.0)) is said
        assert bool(doubts(amps=flat * off, most_A=10.0)) is said
    for row in (0, 3, 6):
        for off, said in ((7.9, False), (8.1, True), (0.127, False), (0.124, True)):
            slip = flat.copy()
            slip[row] *= off
            assert bool(doubts(volts=slip, expected_V=10.0)) is said, (row, off)
    for off, said in ((49.0, False), (51.0, True)):
        jump = flat.copy()
        jump[3] += off
        assert bool(doubts(celsius=jump)) is said
    assert bool(doubts(amps=np.array([-0.21, 5.0, 10.0]), most_A=10.0))
    assert not doubts(amps=np.array([-0.19, 5.0, 10.0]), most_A=10.0)
    assert doubts(volts=np.array([10.0, 90.0]), expected_V=10.0) == []
    hot = np.linspace(20, 24, 9)
    hot[5] = 200.0
    assert any("row 6" in said for said in doubts(celsius=hot))
    assert not doubts(celsius=np.linspace(20, 60, 9))


def test_a_run_is_thinned_to_so_many_scans_and_keeps_its_newest() -> None:
    def row(scan: int, run: int | None, number: int) -> Reading:
        of = (scan, float(scan), "out", "V", 13.6, "x", None, "four-wire", "instrument", "", "t", 0, run)
        return Reading(*of, id=number)

    rows = [row(k, 1, k) for k in range(101)] + [row(200 + k, 2, 200 + k) for k in range(9)]
    rows += [row(500 + k, None, 500 + k) for k in range(30)]
    kept = thinned(rows, 10)
    assert [r.scan for r in kept if r.run == 1] == [*range(0, 100, 11), 100]
    assert len([r for r in kept if r.run == 2]) == 9
    assert len([r for r in kept if r.run is None]) == 30
    assert thinned(rows[:10], 10) == rows[:10]


# -- lines and limits -------------------------------------------------------------------------------


def test_a_shared_error_explains_what_scatter_does_not() -> None:
    """1 % of gain shifts all volts alike; a point that stands out by 30 mV is no gain."""
    amps = [0.0, 2.0, 4.0, 6.0, 8.0]
    line = [13.6 - 0.04 * a for a in amps]
    assert regulation(pairs([1.01 * v for v in line], amps, COARSE), 13.6).birge == 1.0
    assert regulation(pairs(line, amps), 13.6).birge == 1.0
    odd = [v + d for v, d in zip(line, (0, 0.03, -0.03, 0.03, 0), strict=True)]
    assert regulation(pairs(odd, amps), 13.6).birge > 5
    # Of independent scatter alone: the root of chi-squared over its degrees of freedom.
    found = regulation(pairs(odd, amps), 13.6)
    sigma = FINE.scatter
    chi2 = float(np.sum((found.residual_V / sigma) ** 2))
    assert found.birge == pytest.approx(math.sqrt(chi2 / 3), rel=0.02)


def test_one_current_gives_no_slope_and_three_scatters_do() -> None:
    scatter = FINE.scatter
    with pytest.raises(UserError, match="one current"):
        regulation(pairs([13.6, 13.5, 13.4], [2.0, 2.0 + 2.9 * scatter, 2.0]), 13.6)
    assert regulation(pairs([13.6, 13.5], [2.0, 2.0 + 3.1 * scatter]), 13.6).count == 2


def test_up_and_down_again_tells_hysteresis_with_its_interval() -> None:
    amps = [0.0, 4.0, 8.0, 4.0, 0.0]
    volts = [13.6, 13.44, 13.28, 13.40, 13.56]
    found = regulation(pairs(volts, amps), 13.6).hysteresis_V
    assert found.value == pytest.approx(-0.04, abs=1e-9)
    assert found.half_width == pytest.approx(1.96 * math.sqrt(4 * FINE.scatter**2) / 2, rel=1e-3)
    assert regulation(pairs(volts[:3], amps[:3]), 13.6).hysteresis_V is None


def test_cross_terms_and_their_intervals_follow_from_least_squares() -> None:
    rng = np.random.default_rng(4)
    amps = np.array([[0, 0], [4, 0], [0, 3], [4, 3], [2, 1], [1, 2], [3, 1.5]], float)
    true = np.array([[0.02, 0.005], [0.001, 0.04]])
    volts = np.array([12.0, 5.0]) - amps @ true.T + 0.02 * rng.standard_normal((7, 2))
    found = cross_regulation(["12 V", "5 V"], volts, amps, FINE, FINE)
    design = np.column_stack([np.ones(7), -amps])
    solve = np.linalg.pinv(design)
    left = volts - design @ (solve @ volts)
    for rail in range(2):
        noise = math.sqrt(float(left[:, rail] @ left[:, rail]) / (7 - 3))
        wide = math.sqrt(float(solve[1] @ solve[1]))
        assert found.resistance_ohm[rail][0].value == pytest.approx(float((solve @ volts)[1, rail]))
        assert found.resistance_ohm[rail][0].half_width == pytest.approx(1.96 * wide * noise, rel=0.02)
    gained = cross_regulation(["12 V", "5 V"], volts, amps, COARSE, FINE)
    assert gained.no_load_V[0].half_width > 0.95 * 0.12
    assert found.worst[:2] == ("12 V", "5 V")


def test_touch_current_of_a_capacitor_and_of_what_is_too_small_to_tell() -> None:
    """2.2 nF from 115 V: a meter of 10 MΩ sees 114.8 V, and 100 kΩ across it 7.9 V."""
    omega, farad, source = 2 * math.pi * 50, 2.2e-9, 115.0

    def read(ohm: float) -> float:
        x = omega * ohm * farad
        return source * x / math.hypot(1, x)

    shunted = 10e6 * 100e3 / 10.1e6
    found = leakage(read(10e6), 10e6, read(shunted), 100e3, 50.0, 0.25e-3)
    assert found.source_capacitance_F.value == pytest.approx(farad, rel=1e-6)
    body = source / math.hypot(BODY_OHM, 1 / (omega * farad))
    third = 10e6 * 10e3 / 10.01e6
    told = leakage(
        read(10e6),
        10e6,
        read(shunted),
        100e3,
        50.0,
        0.25e-3,
        half_widths=(0, 0, 0),
        second=(read(third), 10e3),
    )
    assert (told.touch_current_A.value, told.source) == (pytest.approx(body, rel=1e-4), "capacitive")
    # By two readings it could be a resistance as well, which drives more.
    assert (found.touch_current_A.value > told.touch_current_A.value, found.source) == (
        True,
        "not told apart",
    )
    assert found.verdict is Verdict.CONFORMS
    tiny = leakage(100.0, 10e6, 0.1, 100e3, 50.0, 0.25e-3)
    assert tiny.source_capacitance_F.value == pytest.approx(0.1 / (omega * shunted * 100.0))
    none = leakage(100.0, 10e6, 0.0, 100e3, 50.0, 0.25e-3)
    assert (none.source_capacitance_F.value, none.touch_current_A.value) == (0.0, 0.0)


@pytest.mark.parametrize("back", [True, False])
def test_an_output_that_goes_off_latches_only_while_it_stays_dead(back: bool) -> None:
    set_A = [0.0, 2, 4, 6, 8, 10, 11, 11, 2, 0, 0]
    dead = [s > 10 or k > 6 for k, s in enumerate(set_A)]
    if back:
        dead[-2:] = [False, False]
    volts = [0.0 if d else 13.6 - 0.02 * s for d, s in zip(dead, set_A, strict=True)]
    amps = [0.0 if d else s for d, s in zip(dead, set_A, strict=True)]
    found = current_limit(np.array(volts), np.array(amps), set_A=np.array(set_A))
    assert found.kind is (LimitKind.UNSURE if back else LimitKind.LATCH_OFF)
    assert found.recovers is back
    # Between the last current that held and the first that did not: 95 % of that ampere, anywhere alike.
    assert (found.knee_A.low, found.knee_A.high) == (pytest.approx(10.0), pytest.approx(11.0))


# -- waveforms --------------------------------------------------------------------------------------


def test_the_spectrum_of_a_sine_stands_at_its_rms() -> None:
    t = np.arange(200_000) / 1e6
    found = ripple(13.6 + 0.010 * np.sqrt(2) * np.sin(2 * np.pi * 20e3 * t), 1e6)
    bins, rms = found.spectrum
    top = int(np.argmax(rms))
    assert rms[top] == pytest.approx(0.010, rel=0.15)
    assert found.rms_V == pytest.approx(0.010, rel=1e-3)
    assert abs(bins[top] - 20e3) < 0.05 * 20e3
    # Behind a limit that lets it through, from the first sample on.
    slow = ripple(13.6 + 0.010 * np.cos(2 * np.pi * 100 * t), 1e6, bandwidth_Hz=50e3)
    assert slow.pp_V == pytest.approx(0.020, rel=0.01)


def test_a_step_recovers_between_the_samples_where_it_enters_its_band() -> None:
    t, v = np.arange(1000) * 1e-6, np.full(1000, 13.6)
    v[300:340] -= 0.5
    found = transient(t, v, 0.01, step_at_s=300e-6)
    # From −0.5 V to nothing within the sample after 39 µs: into 136 mV at 0.73 of it.
    assert found.recovery_s.value == pytest.approx((39 + 1 - 0.136 / 0.5) * 1e-6, rel=1e-3)
    assert (found.dip_V.value, found.settled_V.value) == (pytest.approx(0.5), pytest.approx(13.6))
    # Before the step it stood at 14.0: the overshoot is counted from there.
    high = v + np.where(np.arange(1000) < 300, 0.4, 0.0)
    assert transient(t, high, 0.01, step_at_s=300e-6).dip_V.value == pytest.approx(0.5)
    drifts = v + np.where(np.arange(1000) >= 850, 0.08, 0.0)
    moving = transient(t, drifts, 0.01, step_at_s=300e-6)
    assert moving.recovery_s is None
    assert any("still move" in w for w in moving.warnings)
    assert transient(t, v + 1e-3 * (t > 850e-6), 0.01, step_at_s=300e-6).recovery_s is not None


def test_a_start_rises_and_holds_up_as_it_was_drawn() -> None:
    t = np.linspace(-0.01, 0.09, 1001)
    v = np.clip((t - 0.01) / 0.02, 0, 1) * 12.0
    found = start_up(t, v, 12.0)
    assert found.delay_s.value == pytest.approx(0.02, abs=1e-6)
    assert found.rise_s.value == pytest.approx(0.016, abs=1e-6)
    assert (found.overshoot.value, found.settled_V, found.falls_back) == (0.0, 12.0, False)
    assert hold_up_s(t, np.where(t < 0.03, 12.0, 8.0), 11.0).value == pytest.approx(0.03, abs=2e-4)


def test_a_long_record_is_drawn_with_its_extremes_and_enough_columns() -> None:
    rng = np.random.default_rng(5)
    values = rng.standard_normal(300_000)
    drawn = Envelope(values)
    for columns in (200, 800):
        index, shown = drawn.view(0, len(values), columns)
        assert columns <= len(shown) <= 2 * columns + 2
        assert (shown.min(), shown.max()) == (values.min(), values.max())
        assert (np.diff(index) >= 0).all()
    index, shown = drawn.view(1000, 1100, 800)
    assert shown.tolist() == values[1000:1100].tolist()


def test_a_t_factor_is_scipys() -> None:
    """Few points below a knee: the interval of a limit is wider by Student's t."""
    rng = np.random.default_rng(6)
    falls = np.array([0.8, 0.6, 0.4, 0.25])
    limit = 8.0 + 0.05 * rng.standard_normal(4)
    volts = np.concatenate([13.6 - 0.01 * np.arange(8), 13.6 * falls])
    amps = np.concatenate([np.arange(8.0), limit])
    found = current_limit(volts, amps)
    assert found.kind is LimitKind.CONSTANT_CURRENT
    assert stats.t.ppf(0.975, 2) / 1.96 > 2
    assert found.knee_A.low < 8.0 < found.knee_A.high
