"""Formulas at their edges: each figure worked out by hand, by a closed form or by another method."""

import math
from types import SimpleNamespace

import numpy as np
import pytest

from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import build
from tensimeter.core.electrical.constant_power import constant_power_volts, coupled_volts
from tensimeter.core.electrical.dummy_load import dummy_load
from tensimeter.core.electrical.elements import CurrentSink, Network, Series
from tensimeter.core.electrical.feedback import Divider, shift
from tensimeter.core.electrical.fuse import RATINGS, choose, transformer_primary_A
from tensimeter.core.electrical.losses import fit_losses
from tensimeter.core.electrical.rectifier import Rectifier, no_load_V, shorted_rms_A, winding_resistance
from tensimeter.core.electrical.regulator import Regulator, r2_for
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.thermal.fan import hunting, quieter_dB
from tensimeter.core.thermal.heatsink import air_rise_K, closed_box_rise_K, mounted, sink_needed
from tensimeter.core.thermal.network import AMBIENT, ThermalNetwork
from tensimeter.core.thermal.rc_ladder import CauerLadder, Heating, Track, fit_ladder, response
from tensimeter.core.thermal.remedies import Part, remedies
from tensimeter.demo.library import demo_job

# -- electrics --------------------------------------------------------------------------------------


def test_fuses_come_in_preferred_numbers_and_melt_by_their_speed() -> None:
    """The R10 series of ISO 3 from 0.1 to 80 A."""
    steps = (1, 1.25, 1.6, 2, 2.5, 3.15, 4, 5, 6.3, 8)
    assert pytest.approx([s * d for d in (0.1, 1, 10) for s in steps]) == RATINGS
    assert choose(1.0, speed="fast").melting_A2s == pytest.approx(0.5 * 1.6**2)
    assert choose(1.0).melting_A2s == pytest.approx(10 * 1.6**2)
    assert transformer_primary_A(1.0, 18.0, 230.0) == pytest.approx(1.8 * 18 / 230)


def test_a_divider_of_small_figures_is_one_and_of_none_is_refused() -> None:
    """0.6 V and 0.5 Ω over 0.5 Ω: 1.2 V; another 0.5 Ω below: 1.8 V."""
    found = shift(Divider(0.6, 0.5, 0.5), 0.5)
    assert (found.before_V, found.high_V) == (pytest.approx(1.2), pytest.approx(1.8))
    for wrong in (Divider(0.0, 1e3, 1e3), Divider(2.5, 0.0, 1e3), Divider(2.5, 1e3, 0.0)):
        with pytest.raises(UserError, match="above zero"):
            shift(wrong, 1e3)


@pytest.mark.parametrize("scale", [10.0, 1.0, 400.0])
def test_two_loads_on_one_wire_are_solved_to_the_edge_of_collapse(scale: float) -> None:
    """Both behind 1 Ω and alike: V² − U·V + 2·P = 0 has roots up to P = U²/8."""
    most = scale**2 / 8
    for near in (0.5, 1 - 1e-6, 1 - 1e-9):
        p = near * most
        a, b = coupled_volts(
            [np.asarray(scale), np.asarray(scale)], [[1.0, 1.0], [1.0, 1.0]], [np.asarray(p), np.asarray(p)]
        )
        wanted = (scale + math.sqrt(scale**2 - 8 * p)) / 2
        assert float(a) == float(b) == pytest.approx(wanted, rel=1e-7)
    over = [np.asarray(most * 1.001)] * 2
    assert np.isnan(coupled_volts([np.asarray(scale)] * 2, [[1.0, 1.0], [1.0, 1.0]], over)).all()
    assert np.isnan(float(constant_power_volts(scale, 1.0, 2.001 * most)))


def test_what_is_not_said_of_an_element_is_nothing() -> None:
    network = Network((Series("source", None, emf=10.0), CurrentSink("load", "source")))
    solution = solve(network, {"load": 2.0})
    assert (float(solution["load"].V), float(solution["source"].I)) == (10.0, 2.0)


def test_a_limit_holds_unless_it_is_passed_on_purpose(demo: Job) -> None:
    network, far = build(demo), {"mount": 16.0}
    assert not bool(np.all(solve(network, far).runs)) or float(solve(network, far)["mount"].V) < 1
    assert float(solve(network, far, as_set=True)["mount"].V) > 12


def test_a_source_that_bends_is_solved_on_its_curve() -> None:
    job = demo_job("finishers-bench")
    network = build(job)
    source = next(e for e in network.elements if isinstance(e, Series) and e.curve is not None)
    for amps in (0.2, 1.0):
        solution = solve(network, {"bath": np.float64(amps)})
        emf, ohms = source.curve.tangent(solution[source.id].I)
        assert float(solution[source.id].V) == pytest.approx(
            float(emf - ohms * solution[source.id].I), rel=1e-11
        )
    assert full_load(job)


def test_a_reservoir_without_load_at_high_line() -> None:
    """12 V rms and a tenth more peak at 18.668 V; each diode that conducts takes its drop."""
    for topology, diodes in (("bridge", 2), ("centre_tap", 1), ("half_wave", 1)):
        made = Rectifier(12.0, 0.5, diode_V=0.8, topology=topology, capacitance_F=4700e-6)
        assert float(no_load_V(made)) == pytest.approx(12 * 1.1 * math.sqrt(2) - diodes * 0.8, rel=1e-6)
    assert winding_resistance(13.2, 12.0, 1.5) == pytest.approx(0.8)
    for emf, rated, amps in ((12.0, 12.0, 1.0), (13.0, 0.0, 1.0), (13.0, 12.0, 0.0)):
        with pytest.raises(UserError):
            winding_resistance(emf, rated, amps)


def test_a_shorted_winding_drives_its_emf_over_its_ohms() -> None:
    """24 V rms over 0.3 Ω is 80 A; two diodes of 0.9 V take 1.8 V·2/π·… of it: integrated, 74.6 A rms."""
    t = np.linspace(0, 0.01, 200_001)
    e = np.maximum(24 * math.sqrt(2) * np.abs(np.sin(2 * math.pi * 50 * t)) - 1.8, 0) / 0.3
    rms, mean = math.sqrt(float(np.trapezoid(e**2, t)) / 0.01), float(np.trapezoid(e, t)) / 0.01
    circuit = Rectifier(24.0, 0.3, 4700e-6, diode_V=0.9)
    assert shorted_rms_A(circuit) == pytest.approx(rms, rel=1e-4)
    assert (rms, mean) == (pytest.approx(75, abs=0.5), pytest.approx(66.2, abs=0.3))
    assert shorted_rms_A(circuit, 0.3) == pytest.approx(rms / 2, rel=1e-3)
    ideal = Rectifier(24.0, 0.3, 4700e-6, diode_V=0.0, topology="half_wave")
    assert shorted_rms_A(ideal) == pytest.approx(80 / math.sqrt(2), rel=1e-4)
    job = demo_job("finishers-bench")
    winding = job.part("two-taps")
    found = fault_A(job, "transformer")
    assert found.amps == pytest.approx(
        shorted_rms_A(winding.circuit(job.design.link("transformer").tap, 50.0)), rel=1e-9
    )
    assert "rms" in found.worked("the transformer").formula


def test_a_dummy_load_is_the_next_resistor_that_runs_at_half() -> None:
    ratings = (0.25, 0.5, 1, 2, 3, 5, 7, 10, 15, 25, 50, 100, 200)
    assert [dummy_load(10.0, w / 20).rating_W for w in ratings] == list(ratings)
    made = dummy_load(12.0, 0.5)
    assert (made.resistance_ohm, made.rating_W) == (24.0, 15)
    assert made.surface_C == pytest.approx(25 + 250 * 6 / 15)
    for share in (0.0, 1.01):
        with pytest.raises(UserError, match="share of rating"):
            dummy_load(12.0, 0.5, share=share)
    with pytest.raises(UserError, match="use several"):
        dummy_load(101.0, 1.0)


def test_one_efficiency_is_shared_out_by_the_rule() -> None:
    """12 V 5 A at 90 %: 6.667 W, a fifth fixed, half with I, three tenths with I²."""
    p0, a, b = fit_losses([SimpleNamespace(out_V=12, out_A=5, efficiency=0.9)])
    assert (p0, a * 5, b * 25) == pytest.approx((6.6667 * 0.2, 6.6667 * 0.5, 6.6667 * 0.3), rel=1e-4)
    assert r2_for(Regulator(240, 1500), 1.25) == 0.0


# -- heat -------------------------------------------------------------------------------------------

TWO = ThermalNetwork({"case": 30.0, "sink": 200.0}, {("case", "sink"): 0.5, ("sink", AMBIENT): 2.0})


def test_how_long_a_node_takes_is_where_its_own_curve_crosses() -> None:
    assert TWO.steady({"case": 20.0}, 25.0)["case"] == pytest.approx(25 + 20 * 2.5)
    for limit in (40.0, 60.0, 74.0):
        seconds = float(TWO.time_to({"case": 20.0}, "case", limit, 25.0))
        assert float(TWO.heat_up({"case": 20.0}, seconds, 25.0)["case"]) == pytest.approx(limit, abs=1e-6)
    assert np.isinf(TWO.time_to({"case": 20.0}, "case", 75.0, 25.0))
    assert np.isinf(TWO.time_to({"case": 20.0}, "case", 80.0, 25.0))
    # A limit at or below the room is passed before it begins, by any power.
    assert float(TWO.time_to({"case": 20.0}, "case", 25.0, 25.0)) == 0.0
    one = ThermalNetwork({"sink": 100.0}, {("sink", AMBIENT): 2.0})
    assert float(one.time_to({"sink": 10.0}, "sink", 30.0, 20.0)) == pytest.approx(200 * math.log(2))
    # Two thirds of a per mille below the end: 40 time constants are time enough to get there.
    assert float(one.time_to({"sink": 10.0}, "sink", 40 - 1e-9, 20.0)) == pytest.approx(
        200 * math.log(20 / 1e-9), rel=1e-4
    )


def test_a_network_that_joins_nothing_is_refused() -> None:
    for ties in ({("case", "nowhere"): 1.0}, {("nowhere", "case"): 1.0}, {("case", AMBIENT): 0.0}):
        with pytest.raises(UserError, match="joins nothing"):
            ThermalNetwork({"case": 1.0}, ties).conductance()
    assert ThermalNetwork({"case": 1.0}, {(AMBIENT, "case"): 2.0}).conductance()[0, 0] == 0.5


def test_a_sink_by_hand_and_at_its_edges() -> None:
    found = mounted([20.0, 10.0], 1.0, 0.5, 1.5)
    assert found.junction_C == (pytest.approx(25 + 30 + 40), pytest.approx(25 + 30 + 20))
    assert mounted([0.0], 0.0, 0.0, 0.0).hottest_C == 25.0
    # The room of 25 °C unless it is said otherwise: (125 − 25 − 20·2)/20.
    assert sink_needed([20.0], 0.5, 1.5, 125.0) == pytest.approx(3.0)
    with pytest.raises(UserError):
        sink_needed([50.0], 0.5, 1.5, 125.0)
    with pytest.raises(UserError, match="no sink is needed"):
        sink_needed([], 0.5, 1.5, 125.0)
    assert air_rise_K(100.0, 0.5) == pytest.approx(100 / (1.204 * 1006 * 0.5), rel=1e-3)
    for flow in (0.0, -1.0):
        with pytest.raises(UserError):
            air_rise_K(100.0, flow)
    rise = closed_box_rise_K(40.0, 0.5)
    shed = 0.5 * (5.0 * rise + 0.9 * 5.670374e-8 * ((293.15 + rise) ** 4 - 293.15**4))
    assert shed == pytest.approx(40.0, rel=1e-3)


def test_a_fan_that_hunts_stays_or_never_comes_on() -> None:
    stays = hunting(30.0, 25.0, 3.0, 1.5, 200.0, 60.0, 50.0)
    assert (stays.state, stays.period_s, stays.share_on) == ("stays on", None, 1.0)
    assert hunting(10.0, 25.0, 3.0, 1.5, 200.0, 60.0, 50.0).share_on == 0.0
    hunts = hunting(30.0, 25.0, 2.0, 0.8, 200.0, 60.0, 55.0)
    # Still it tends to 85 °C in 400 s, blown to 49 °C in 160 s.
    warm, cool = 400 * math.log(30 / 25), 160 * math.log(11 / 6)
    assert hunts.period_s == pytest.approx(warm + cool)
    assert hunts.share_on == pytest.approx(cool / (warm + cool))
    assert quieter_dB(0.5, 0.25) == pytest.approx(-15.05, abs=0.01)
    for a, b in ((0.0, 1.0), (1.0, 0.0)):
        with pytest.raises(UserError):
            quieter_dB(a, b)


def test_what_each_remedy_changes_unless_it_is_said() -> None:
    """20 W through 1 + 0.5 + 3 K/W: a sink of 0.7, a fan of 0.6, 15 % less power."""
    bought = {r.what: r.buys_K for r in remedies(Part(20.0, 1, 1.0, 0.5, 3.0, 25.0, 100.0))}
    assert bought["a sink of 2.1 K/W"] == pytest.approx(20 * 0.9)
    assert bought["a fan step, sink at 1.8 K/W"] == pytest.approx(20 * 1.2)
    assert bought["15 % less power"] == pytest.approx(3 * 4.5)
    # Two where one stood: the hotter of them takes 0.6 of it.
    assert bought["twice as many parts"] == pytest.approx(20 * 1.5 - 12 * 1.5)


def test_a_ladder_is_found_with_the_start_the_lag_and_the_offset_that_it_has() -> None:
    """A thermometer 1 K off on a case that begins 6 K warm: both stay what they are."""
    truth = CauerLadder({"case": 0.6, "sink": 2.5}, {"case": 40.0, "sink": 250.0})
    guess = CauerLadder({"case": 0.9, "sink": 1.8}, {"case": 60.0, "sink": 180.0})
    t = np.arange(0.0, 3000.0, 5.0)
    room = np.array([0.0, 4000.0]), np.array([22.0, 22.0])
    heating = Heating(np.array([0.0, 1500.0]), {"case": np.array([20.0, 8.0])}, *room)
    true = response(truth, heating, t - 4.0, {"case": 6.0, "sink": 5.0})
    rng = np.random.default_rng(1)
    tracks = [
        Track(
            p, t, true[p] + 0.4 + 0.05 * rng.standard_normal(len(t)), accuracy_K=1.0, noise_K=0.05, lag_s=4.0
        )
        for p in ("case", "sink")
    ]
    fit = fit_ladder(guess, heating, tracks, power_share=0.0)
    for place in ("case", "sink"):
        assert fit.stages.theta_K_W[place] == pytest.approx(truth.theta_K_W[place], rel=0.05)
        assert fit.stages.capacity_J_K[place] == pytest.approx(truth.capacity_J_K[place], rel=0.1)
    assert fit.birge == pytest.approx(1.0, abs=0.15)
    assert len(fit.drawn()) == 1000
    assert fit.drawn(3)[0] == fit.drawn(3)[0]
