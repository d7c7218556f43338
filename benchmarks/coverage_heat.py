"""Rows of a soak: where it ends, when a limit is met, the stages behind it."""

import numpy as np

from benchmarks.coverage_row import Row
from benchmarks.heatups import CASES, drawn
from tensimeter.core.heatup.fit import fit_heat_up
from tensimeter.core.heatup.record import HeatUp
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.thermal.rc_ladder import (
    CAPACITY_SPREAD,
    POWER_SHARE,
    THETA_SPREAD,
    CauerLadder,
    Heating,
    Track,
    fit_ladder,
    response,
)

Rng = np.random.Generator


def _final(rng: Rng) -> tuple[float, Interval]:
    record, expected, final, _ = drawn(CASES["one-tau"], int(rng.integers(1 << 30)))
    return final, fit_heat_up(record, expected, compare=False).final


def _minutes(rng: Rng) -> tuple[float, Interval | None]:
    """One time constant, read for two thirds of it; the limit lies half way from there to the end."""
    tau, rise = float(np.exp(rng.uniform(np.log(300), np.log(3000)))), rng.uniform(20, 70)
    t = np.linspace(0.0, 0.67 * tau, 120)
    now = rise * (1 - np.exp(-0.67))
    level = now + 0.5 * (rise - now)
    read = 20 + rise * (1 - np.exp(-t / tau)) + 0.1 * rng.standard_normal(len(t))
    found = fit_heat_up(HeatUp(t, np.round(read, 1), 20.0, (0.0,), start_C=20.0), None, 1, compare=False)
    return tau * np.log(2) / 60, found.minutes_to(20 + level)


DESIGN = CauerLadder({"case": 2.0, "sink": 6.0}, {"case": 12.0, "sink": 220.0})


def _stage(what: str):
    def once(rng: Rng) -> tuple[float, Interval]:
        spread = np.array([THETA_SPREAD] * 2 + [CAPACITY_SPREAD] * 2)
        true = DESIGN.with_vector(DESIGN.vector() + spread * rng.standard_normal(4))
        watts = 8.0 * (1 + POWER_SHARE * rng.standard_normal())
        t = np.arange(0.0, 7200.0, 30.0)
        room = np.full(2, 20.0)
        ends = np.array([0.0, 7200.0])
        warmed = response(true, Heating(np.array([0.0]), {"case": np.array([watts])}, ends, room), t, {})
        tracks = []
        for place in ("case", "sink"):
            read = warmed[place] + rng.uniform(-1, 1) + 0.1 * rng.standard_normal(len(t))
            tracks.append(Track(place, t, np.round(read, 1), 0.1, 1.0))
        found = fit_ladder(DESIGN, Heating(np.array([0.0]), {"case": np.array([8.0])}, ends, room), tracks)
        if what == "theta":
            return true.theta_K_W["sink"], found.theta("sink")
        return true.capacity_J_K["sink"], found.capacity("sink")

    return once


ROWS = [
    Row("final temperature", _final),
    Row("minutes to a limit", _minutes),
    Row("θ of a stage", _stage("theta")),
    Row("C of a stage", _stage("capacity")),
]
