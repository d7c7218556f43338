"""Rows of limits: the knee by kind, the current into a short, the trip."""

import numpy as np

from benchmarks.coverage_row import Meter, Row
from tensimeter.core.analysis.current_limit import LimitKind, current_limit
from tensimeter.core.measurement.conformity import Accuracy, Interval, half_width_95

VOLTS = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)
AMPS = Accuracy(of_reading=0.003, counts=3, resolution=0.001)
Rng = np.random.Generator


def _record(kind: str, rng: Rng) -> tuple[float, float, np.ndarray, np.ndarray, np.ndarray | None]:
    """Knee and short current, and true volts, amps and settings of a record down through a limit."""
    no_load, knee, ohm = 12.0, rng.uniform(5, 12), rng.uniform(0.005, 0.05)
    up = np.linspace(0, 0.97 * knee, 20)
    at_knee = no_load - ohm * knee
    down = np.linspace(0.97, 0.02, 15) * at_knee
    if kind == "constant_current":
        return knee, knee, np.r_[no_load - ohm * up, down], np.r_[up, np.full(15, knee)], None
    if kind == "foldback":
        left = rng.uniform(0.2, 0.7)
        # Straight over the volts from the knee to a short.
        amps = knee * (left + (1 - left) * down / at_knee)
        return knee, left * knee, np.r_[no_load - ohm * up, down], np.r_[up, amps], None
    if kind == "bent":
        # What senses its current by a junction folds back along a curve; few points are read of it.
        left, count = rng.uniform(0.2, 0.7), int(rng.integers(5, 16))
        bow, wave = rng.uniform(-0.6, 0.6), rng.uniform(-0.2, 0.2)
        down = np.linspace(rng.uniform(0.85, 0.97), rng.uniform(0.02, 0.2), count) * at_knee
        x = down / at_knee
        bent = x + bow * np.sin(np.pi * x) / np.pi + wave * np.sin(2 * np.pi * x) / (2 * np.pi)
        amps = knee * (left + (1 - left) * bent)
        return knee, left * knee, np.r_[no_load - ohm * up, down], np.r_[up, amps], None
    if kind == "constant_power":
        down = np.linspace(0.97, 0.5, 15) * at_knee
        return knee, np.nan, np.r_[no_load - ohm * up, down], np.r_[up, knee * at_knee / down], None
    step = rng.uniform(0.2, 0.6)
    set_A = np.arange(rng.uniform(0, step), knee + step, step)
    held = set_A < knee
    set_A = np.r_[set_A[held], set_A[~held][:1], 0.0, 0.0, 0.0]
    alive = np.r_[np.ones(held.sum(), bool), np.zeros(4, bool)]
    return knee, 0.0, np.where(alive, no_load - ohm * set_A, 0.0), np.where(alive, set_A, 0.0), set_A


def _knee(kind: str, short: bool = False):
    def once(rng: Rng) -> tuple[float, Interval | None]:
        knee, foot, volts, amps, set_A = _record(kind, rng)
        meter, sink = Meter(rng, VOLTS), Meter(rng, AMPS)
        found = current_limit(
            np.maximum(meter.read(volts), 0), sink.read(amps), set_A=set_A, ammeter=AMPS
        )  # fmt: skip
        if found.kind is not LimitKind("foldback" if kind == "bent" else kind):
            return knee, None
        return (foot, found.short_A) if short else (knee, found.knee_A)

    return once


def _period(rng: Rng) -> tuple[float, Interval | None]:
    """A hiccup that strays by a hundredth, watched for eight tries at any even pace."""
    period, share, knee = rng.uniform(0.3, 3), rng.uniform(0.25, 0.6), 5.0
    tries = rng.uniform(0, period) + np.r_[0, np.cumsum(period * (1 + 0.01 * rng.standard_normal(9)))]
    time = np.arange(0, 8 * period, period * rng.uniform(0.03, 0.1))
    alive = ((time[:, None] >= tries) & (time[:, None] < tries + share * period)).any(axis=1)
    up = np.linspace(0, 0.98 * knee, 15)
    volts = np.r_[12 - 0.02 * up, np.where(alive, 4.0, 0.0)]
    amps = np.r_[up, np.where(alive, knee, 0.0)]
    set_A = np.r_[up, np.full(len(time), 1.03 * knee)]
    found = current_limit(volts, amps, np.r_[np.arange(15) - 15.0, time], set_A, ammeter=AMPS)
    return period, found.period_s


def _trip(rng: Rng) -> tuple[float, Interval]:
    """The trim goes up in steps; the trip lies between the last that held and the first that did not."""
    trip, step, meter = rng.uniform(14, 16), 0.2, Meter(rng, VOLTS)
    tried = rng.uniform(12, 12.2) + step * np.arange(30)
    held, tripped = tried[tried < trip][-1], tried[tried >= trip][0]
    read = float(meter.read(held))
    half = half_width_95(((tripped - read) / 2, VOLTS.half_width(read)))
    middle = (read + tripped) / 2
    return trip, Interval(middle, middle - half, middle + half)


ROWS = [
    Row("knee, constant current", _knee("constant_current")),
    Row("knee, foldback", _knee("foldback")),
    Row("knee, constant power", _knee("constant_power")),
    Row("knee, latch-off", _knee("latch_off"), "what held and what did not are bounds"),
    Row("current into a short", _knee("foldback", short=True)),
    Row("knee, foldback with a bend", _knee("bent"), "what bends it is not known beforehand"),
    Row("into a short, with a bend", _knee("bent", short=True), "what bends it is not known beforehand"),
    Row("hiccup, its period", _period, "a try begins anywhere between two readings, at both ends"),
    Row("over-voltage trip", _trip),
]
