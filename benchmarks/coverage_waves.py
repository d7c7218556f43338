"""Rows of what a waveform tells: ripple and its lines, dip, recovery, rise, hold-up."""

import numpy as np

from benchmarks.coverage_row import Row
from tensimeter.core.analysis.ripple import ripple
from tensimeter.core.analysis.startup import hold_up_s, start_up
from tensimeter.core.analysis.transient import transient
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.recorder import Recorder

GAIN = 0.03
Rng = np.random.Generator


def _recorded(rng: Rng, true: np.ndarray, noise: float, step: float) -> np.ndarray:
    """A record by a scope whose gain is off by up to 3 %, with noise, in steps of its digitiser."""
    read = true * (1 + GAIN * rng.uniform(-1, 1)) + noise * rng.standard_normal(len(true))
    return np.round(read / step + rng.uniform(-0.5, 0.5)) * step


def _ripple(what: str):
    def once(rng: Rng) -> tuple[float, Interval]:
        t = np.arange(20_000) / 1e6
        mains, switching = rng.uniform(5e-3, 20e-3), rng.uniform(2e-3, 8e-3)
        phase = rng.uniform(0, 2 * np.pi, 2)
        true = mains * np.sin(2 * np.pi * 100 * t + phase[0])
        true = true + switching * np.sin(2 * np.pi * 65e3 * t + phase[1])
        record = _recorded(rng, true, rng.uniform(0.1e-3, 0.5e-3), rng.choice([0.1e-3, 0.4e-3]))
        figures = ripple(12 + record, 1e6, 50.0, 65e3)
        found = figures.within(Recorder(GAIN))
        if what == "pp":
            return float(np.ptp(true)), found.pp_V
        if what == "rms":
            return float(np.sqrt((mains**2 + switching**2) / 2)), found.rms_V
        wanted = 65e3 if what == "switching" else 100.0
        near = min(
            zip(figures.lines, found.lines, strict=True), key=lambda x: abs(x[0].frequency_Hz - wanted)
        )
        return float((switching if what == "switching" else mains) / np.sqrt(2)), near[1]

    return once


def _step(what: str):
    def once(rng: Rng) -> tuple[float, Interval | None]:
        period, dip, tau = 1e-6, rng.uniform(0.2, 0.6), rng.uniform(30e-6, 150e-6)
        t = np.arange(2000) * period - 200e-6 + period * rng.uniform(-0.5, 0.5)
        # The output falls within some microseconds and comes back.
        fall = 4e-6
        after = np.where(t > 0, (1 - np.exp(-t / fall)) * np.exp(-t / tau), 0.0)
        true = 12.0 - dip * after
        record = _recorded(rng, true, rng.uniform(0.5e-3, 6e-3), 1e-3)
        figures = transient(t, record, 0.005, 0.0, Recorder(GAIN, 1e-3))
        if what == "dip":
            peak = fall * np.log(1 + tau / fall)
            return float(dip * (1 - np.exp(-peak / fall)) * np.exp(-peak / tau)), figures.dip_V
        fine = np.linspace(5 * fall, 2e-3, 400_000)
        swing = dip * (1 - np.exp(-fine / fall)) * np.exp(-fine / tau)
        return float(fine[np.argmax(swing < 0.06)]), figures.recovery_s

    return once


def _rippled(rng: Rng) -> tuple[float, Interval | None]:
    """A slow dip with a ripple of twice the mains on it, which grows with the load."""
    rate, dip, tau = 20e3, rng.uniform(0.2, 0.6), rng.uniform(3e-3, 15e-3)
    t = np.arange(-0.04, 0.12, 1 / rate) + rng.uniform(-0.5, 0.5) / rate
    phase, mains = rng.uniform(0, 2 * np.pi), rng.uniform(99.5, 100.5)
    small, large = rng.uniform(0.0, 0.1), rng.uniform(0.02, 0.15)
    hum = np.sin(2 * np.pi * mains * t + phase) + 0.2 * np.sin(4 * np.pi * mains * t + 2 * phase)
    fall = 2e-4
    true = 12.0 - dip * np.where(t > 0, (1 - np.exp(-t / fall)) * np.exp(-t / tau), 0.0)
    record = _recorded(rng, true + hum * np.where(t > 0, large, small), rng.uniform(1e-3, 6e-3), 1e-3)
    peak = fall * np.log(1 + tau / fall)
    deepest = dip * (1 - np.exp(-peak / fall)) * np.exp(-peak / tau)
    return float(deepest), transient(t, record, 0.005, 0.0, Recorder(GAIN, 1e-3)).dip_V


def _start(what: str):
    def once(rng: Rng) -> tuple[float, Interval | None]:
        period = 20e-6
        t = np.arange(5000) * period - 0.01 + period * rng.uniform(-0.5, 0.5)
        delay, rise = rng.uniform(5e-3, 20e-3), rng.uniform(3e-3, 20e-3)
        noise = rng.uniform(1e-3, 30e-3)
        if what == "rise":
            true = 12 * np.clip((t - delay) / rise, 0, 1)
            found = start_up(t, _recorded(rng, true, noise, 5e-3), 12.0, Recorder(GAIN, 5e-3))
            return 0.8 * rise, found.rise_s
        true = np.where(t > delay, 12 * np.exp(-(t - delay) / 0.02), 12.0)
        held = hold_up_s(t, _recorded(rng, true, noise, 5e-3), 10.8, Recorder(GAIN, 5e-3))
        return delay + 0.02 * np.log(12 / 10.8), held

    return once


ROWS = [
    Row("ripple, p-p", _ripple("pp"), "the recorder's noise and the output's can't be told apart"),
    Row("ripple, rms", _ripple("rms")),
    Row("ripple, line at 2 × mains", _ripple("mains")),
    Row("ripple, line at switching", _ripple("switching")),
    Row("dip", _step("dip")),
    Row("dip under a ripple", _rippled, "a ripple that changes with the load is told by the end alone"),
    Row("recovery", _step("recovery")),
    Row("rise", _start("rise")),
    Row("hold-up", _start("hold")),
]
