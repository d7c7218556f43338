"""Rectifier and reservoir against an independent integration of the same circuit."""

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from tensimeter.core.electrical.rectifier import Rectifier, no_load_V, rectified, winding_resistance
from tensimeter.core.errors import UserError

CASES = [
    (Rectifier(12.6, 0.4, 3300e-6), 0.7),
    (Rectifier(12.6, 0.4, 4700e-6, mains_Hz=60), 0.25),
    (Rectifier(24, 0.8, 10000e-6, topology="centre_tap"), 2.0),
    (Rectifier(9, 0.5, 1500e-6, esr_ohm=0.05), 0.8),
    (Rectifier(18, 1.2, 2200e-6, topology="half_wave", esr_ohm=0.1, mains_Hz=60), 0.9),
]


def integrated(c: Rectifier, amps: float) -> dict[str, float]:
    """The circuit's differential equation, left to SciPy until its period repeats."""
    half = c.topology == "half_wave"
    drops = 2 if c.topology == "bridge" else 1
    period = (1 if half else 0.5) / c.mains_Hz

    def diode(t, v):
        wave = np.sin(2 * np.pi * c.mains_Hz * t)
        source = np.sqrt(2) * c.emf_V * (wave if half else np.abs(wave)) - drops * c.diode_V
        return np.maximum((source - v + c.esr_ohm * amps) / (c.resistance_ohm + c.esr_ohm), 0)

    def charge(t, y):
        return (diode(t, y) - amps) / c.capacitance_F

    options = {"rtol": 1e-8, "atol": 1e-9, "max_step": period / 200}
    start = np.sqrt(2) * c.emf_V - drops * c.diode_V
    for _ in range(80):
        end = solve_ivp(charge, (0, period), [start], **options).y[0, -1]
        if abs(end - start) < 1e-7:
            break
        start = end
    run = solve_ivp(charge, (0, period), [start], dense_output=True, **options)
    t = np.linspace(0, period, 8001)
    v = run.sol(t)[0]
    i = diode(t, v)
    out = v + c.esr_ohm * (i - amps)
    mean_square = np.trapezoid(i**2, t) / period
    return {
        "mean_V": np.trapezoid(out, t) / period,
        "valley_V": out.min(),
        "peak_V": out.max(),
        "diode_peak_A": i.max(),
        "diode_rms_A": np.sqrt(mean_square / (1 if half else 2)),
        "transformer_rms_A": np.sqrt(mean_square / (1 if c.topology != "centre_tap" else 2)),
        "capacitor_rms_A": np.sqrt(np.trapezoid((i - amps) ** 2, t) / period),
    }


@pytest.mark.parametrize(("circuit", "amps"), CASES)
def test_against_an_independent_integration(circuit: Rectifier, amps: float) -> None:
    found = rectified(circuit, load_A=amps)
    for name, expected in integrated(circuit, amps).items():
        assert float(getattr(found, name)) == pytest.approx(expected, rel=1e-3), name
    share = float(found.ripple_pp_V / found.mean_V)
    assert 0.02 < share < 0.40
    # The rule of thumb bounds the ripple of a full wave: the diodes carry part of each period.
    if circuit.topology != "half_wave" and circuit.esr_ohm == 0:
        assert found.ripple_pp_V < amps / (2 * circuit.mains_Hz * circuit.capacitance_F)


def test_loads_of_every_kind_agree_and_arrays_are_points() -> None:
    circuit = Rectifier(12.6, 0.4, 6800e-6)
    many = rectified(circuit, load_A=np.array([0.2, 1.0]))
    alone = rectified(circuit, load_A=1.0)
    assert many.mean_V[1] == pytest.approx(float(alone.mean_V), rel=1e-9)
    ohms = float(alone.mean_V)
    assert float(rectified(circuit, load_ohm=ohms).load_A) == pytest.approx(1.0, rel=2e-3)
    watts = rectified(circuit, load_W=ohms)
    assert float(watts.mean_V) == pytest.approx(float(alone.mean_V), rel=5e-3)
    # What goes in as charge comes out as charge: the capacitor keeps none over a period.
    assert float(watts.load_A) == pytest.approx(1.0, rel=5e-3)


def test_idle_it_stands_at_the_crest() -> None:
    circuit = Rectifier(12.6, 0.4, 3300e-6)
    assert float(rectified(circuit, load_A=0.0).mean_V) == pytest.approx(12.6 * np.sqrt(2) - 1.6, rel=1e-4)
    assert no_load_V(circuit, 0.1) == pytest.approx(12.6 * 1.1 * np.sqrt(2) - 1.6)
    assert winding_resistance(13.2, 12.0, 3.0) == pytest.approx(0.4)


@pytest.mark.parametrize(
    ("change", "load", "word"),
    [
        ({"capacitance_F": 0.0}, {"load_A": 1.0}, "above zero"),
        ({"resistance_ohm": 0.0}, {"load_A": 1.0}, "above zero"),
        ({"diode_V": -1.0}, {"load_A": 1.0}, "zero or above"),
        ({"emf_V": 1.0}, {"load_A": 1.0}, "diodes"),
        ({}, {"load_A": -1.0}, "zero or above"),
        ({}, {"load_A": 60.0}, "down to nothing"),
        ({}, {"load_A": 1.0, "load_W": 3.0}, "once"),
        ({}, {"load_ohm": 0.0}, "above zero"),
    ],
)
def test_what_cannot_be_is_said(change: dict, load: dict, word: str) -> None:
    figures = {"emf_V": 12.6, "resistance_ohm": 0.4, "capacitance_F": 3300e-6} | change
    with pytest.raises(UserError, match=word):
        rectified(Rectifier(**figures), **load)
