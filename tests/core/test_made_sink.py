"""A load that one makes: loops against their circuits in time, a budget against drawn parts, nonsense."""

import math

import numpy as np
import pytest
from benchmarks.budgets import LOADS as DRAWN
from benchmarks.budgets import SINK, inside
from benchmarks.loops import LOADS, STAGES, sink_errors, stage_errors
from msgspec.structs import replace

from tensimeter.core.electrical.control_loop import ControlLoop
from tensimeter.core.electrical.made_sink import MadeSink, Scale, Shunt
from tensimeter.core.electrical.sink_load import unequal_C
from tensimeter.core.electrical.sink_loop import Amplifier, GateDriven
from tensimeter.core.electrical.sink_start import started
from tensimeter.core.electrical.sink_words import minded, wrong
from tensimeter.core.errors import UserError

GATE = GateDriven(4.0, 15.0, 5.0, 0.05)
DRIVE = Amplifier(1e6, 0.5e6, 10.0, 100.0, 10e3, 1e-9)


@pytest.mark.parametrize(("errors", "design"), [(sink_errors, LOADS[3]), (stage_errors, STAGES[0])])
def test_a_loop_is_that_of_its_circuit_in_time(errors, design) -> None:
    found = errors(design)
    assert found["is"] > 0.1
    assert abs(found["overshoot"]) <= 0.05 * found["is"]
    assert abs(found["settling"]) <= 0.1
    assert abs(found["margin_deg"]) <= 3
    assert abs(found["lowest"]) <= 0.01
    for key in ("wound_A", "wound_s", "dip"):
        assert abs(found.get(key, 0.0)) <= 0.05


def test_phase_margin_and_overshoot_of_two_poles() -> None:
    # L = k/(s·(1 + s·T)) with k·T = 1: it crosses one at ω·T = √((√5 − 1)/2), and its damping is a half.
    k, t = 1e4, 1e-4
    a = np.array([[0.0, 0.0], [1 / t, -1 / t]])
    loop = ControlLoop(a, np.array([-k, 0.0]), np.array([0.0, 1.0]), np.array([k, 0.0]), np.array([0.0, 1.0]))
    x = math.sqrt((math.sqrt(5) - 1) / 2)
    assert loop.crossover_Hz == pytest.approx(x / t / 2 / math.pi, rel=1e-4)
    assert loop.phase_margin == pytest.approx(90 - math.degrees(math.atan(x)), abs=0.01)
    assert loop.step().overshoot == pytest.approx(math.exp(-math.pi * 0.5 / math.sqrt(0.75)), rel=1e-3)
    with pytest.raises(UserError, match="oscillates"):
        ControlLoop(a, np.array([k, 0.0]), loop.c, loop.u, loop.w).step()


def test_a_start_that_was_wound_up_and_what_prevents_it() -> None:
    one = MadeSink(SINK, gate=GATE, amplifier=DRIVE).loop()
    assert one is not None
    wound, clamped, off = started(one), started(one, 6.2), started(one, 0.0)
    assert wound.peak_A > clamped.peak_A > off.peak_A
    # Wide open: I = 11.25·(10 − 0.1·I − 4)² by hand gives 41 A; what the drain adds to the gate is more.
    assert wound.peak_A == pytest.approx(41.0, rel=0.1)
    assert off.peak_A == pytest.approx(one.amps, rel=0.01)
    assert off.above_s == 0.0
    with pytest.raises(UserError):
        started(replace(one, shunt_ohm=0.0))


def test_a_device_turned_round_is_itself() -> None:
    for amps in (0.1, 2.0, 20.0):
        for gate in (6.0, 10.0):
            volts = GATE.across_V(amps, gate)
            assert math.isinf(volts) or GATE.amps(gate, volts) == pytest.approx(amps, rel=1e-6)
    assert GATE.across_V(1.0, 3.3) == math.inf
    # 15 S at 5 A: I = K·u² with gm = 2·√(K·I), so K = 15²/20 and 5 A want √(5/11.25) V over the threshold.
    assert GATE.gate_V(5.0) == pytest.approx(4 + math.sqrt(5 / 11.25))


@pytest.mark.parametrize("number", range(len(DRAWN)))
def test_set_amps_lie_in_their_band(number: int) -> None:
    assert 930 <= inside(DRAWN[number], 1000, 11) <= 970
    made, told = DRAWN[number], DRAWN[number].accuracy(DRAWN[number].set_by)
    for share in (0.05, 0.3, 1.0):
        amps = share * made.sink.amps
        assert told.half_width(amps) == pytest.approx(made.half_width_A(made.set_by, amps), rel=0.12)


def test_minutes_at_a_peak_by_the_sink_alone() -> None:
    """By hand: the sink warms as one capacity, the devices follow at once."""
    two = replace(SINK, volts=10.0, amps=10.0, watts=60.0)
    minutes = two.minutes_at(90.0, 400.0)
    share = 1 - math.exp(-60 * minutes / (0.8 * 400))
    # At 9 V and 10 A, 44 W of each less its shunt's 2.5 W; junction and curve hold just so.
    hot = replace(two, watts=90.0, warmed=share)
    assert replace(hot, warmed=share * 0.999).holds
    assert not replace(hot, warmed=share * 1.01).holds
    assert two.minutes_at(1.0, 400.0) == math.inf
    assert replace(two, volts=30.0, amps=30.0).minutes_at(900.0, 400.0) == 0.0


@pytest.mark.parametrize(
    ("other", "said"),
    [
        ({"amplifier": replace(DRIVE, highest_V=3.3)}, "do not turn on"),
        ({"shunt": Shunt(rated_W=0.25), "sink": replace(SINK, amps=6.0, watts=30.0)}, "half of that"),
        ({"set_by": Scale(0.2, 12)}, "What sets it ends"),
        ({"sink": replace(SINK, watts=300.0)}, "does not hold"),
        ({"amplifier": replace(DRIVE, integrator_ohm=0.0, integrator_F=0.0, unity_Hz=2e7)}, "oscillates"),
    ],
)
def test_nonsense_is_named(other: dict[str, object], said: str) -> None:
    good = MadeSink(SINK, gate=GATE, amplifier=DRIVE, still_K_W=2.5, sink_J_K=400.0)
    assert wrong(good) == []
    assert any("wound up" in words for words in minded(good))
    assert any("fan standing" in words for words in minded(good))
    assert any(said in words for words in wrong(replace(good, **other)))  # type: ignore[arg-type]


@pytest.mark.parametrize("seed", range(40))
def test_unequal_junctions_are_those_of_a_nodal_solve(seed: int) -> None:
    rng = np.random.default_rng(seed)
    n = int(rng.integers(1, 7))
    devices = [
        replace(SINK.device, junction_K_W=rng.uniform(0.3, 2.0), mounting_K_W=rng.uniform(0.1, 1.0))
        for _ in range(n)
    ]
    amps, shunts = rng.uniform(0.2, 3.0, n), rng.uniform(0.05, 0.3, n)
    volts, sink_K_W, air = rng.uniform(5, 30), rng.uniform(0.2, 2.0), rng.uniform(10, 45)
    # Nodes: junctions, cases, the sink; each tie a conductance, the watts into the junctions.
    g = np.zeros((2 * n + 1, 2 * n + 1))
    for k, device in enumerate(devices):
        for a, b, ohm in ((k, n + k, device.junction_K_W), (n + k, 2 * n, device.mounting_K_W)):
            g[[a, b], [a, b]] += 1 / ohm
            g[[a, b], [b, a]] -= 1 / ohm
    g[2 * n, 2 * n] += 1 / sink_K_W
    watts = amps * volts - amps**2 * shunts
    hot = air + np.linalg.solve(g, [*watts, *[0.0] * (n + 1)])[:n]
    assert unequal_C(devices, amps, shunts, volts, sink_K_W, air) == pytest.approx(hot, abs=0.01)


def test_the_lowest_shunt_makes_the_hottest_junction() -> None:
    even = MadeSink(SINK, Shunt(0.0, 0.0))
    assert even.unequal_C == pytest.approx(float(SINK.junction_C.max()), abs=0.3)
    # 5 %: one of two takes 1/0.95 of its half; at 30 V and 30 W that is 1.58 W in 1.05 K/W more.
    coarse = MadeSink(SINK, Shunt(0.05, 0.0))
    assert coarse.unequal_C - even.unequal_C == pytest.approx(1.05 * 30 * 0.0526 + 0.8 * 0.15, abs=0.3)
