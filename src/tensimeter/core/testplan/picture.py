"""What the plot of a test shows, before anything draws it: on the screen and on paper alike."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.analysis.calibration import calibrated
from tensimeter.core.arrays import Array
from tensimeter.core.heat_design.measuring_points import temperature_places, thermometer
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.model.tests import SensorCheck, Soak
from tensimeter.core.quantity import show
from tensimeter.core.testplan.expected import efficiency_at, limit_A, trip_V
from tensimeter.core.testplan.kinds.cooling import sensor_pairs
from tensimeter.core.testplan.soak.run import soak_runs
from tensimeter.core.testplan.soak.state import state_of
from tensimeter.core.testplan.step import OPEN, WALL, Outcome, StepResult


@dataclass(frozen=True)
class Spot:
    """One point: where, half its 95 % interval upwards, its verdict, its name."""

    x: float
    y: float
    half: float = 0.0
    verdict: Verdict | None = None
    name: str = ""


@dataclass(frozen=True)
class Line:
    """A line through points (n,): predicted, stated or fitted."""

    name: str
    x: Array
    y: Array
    role: str = "prediction"


@dataclass(frozen=True)
class Picture:
    """Axes with their units, points, lines, an allowed band; `names` stand under the points of a list."""

    across: str
    up: str
    spots: tuple[Spot, ...]
    lines: tuple[Line, ...] = ()
    band: tuple[float, float] | None = None
    joined: bool = False
    names: tuple[str, ...] = ()


def picture(result: Outcome) -> Picture:
    """The plot that belongs to a test; a list of points in their band where it has none of its own."""
    kind = result.plan.test.kind
    if kind in ("current-limit", "short-circuit"):
        return _overload(result)
    if kind == "over-voltage":
        return _trip(result)
    if kind == "efficiency":
        return _efficiency(result)
    if kind == "line-regulation":
        return _line(result)
    if kind == "capacity":
        return _capacity(result)
    if kind in ("soak", "endurance", "fan", "over-temperature"):
        return _heat(result)
    if kind == "sensor":
        return _sensor(result)
    return _in_band(result)


def _overload(result: Outcome) -> Picture:
    facts = result.facts
    scans: dict[int, dict[str, float]] = {}
    for r in facts.readings if facts else ():
        if r.place == result.plan.output.id and r.quantity in ("V", "A") and np.isfinite(r.value):
            scans.setdefault(r.scan, {})[r.quantity] = r.value
    spots = [Spot(scan["A"], scan["V"]) for scan in scans.values() if len(scan) == 2]
    followed = [
        (r.pair.amps.value, r.pair.volts.value)
        for r in result.steps
        if r.pair is not None and r.step.phase in ("approach", "trace")
    ]
    lines = []
    if len(followed) > 1:
        x, y = np.array(followed).T
        # One that tries again and again jumps: a line through its looks would say nothing.
        if not (np.diff(y) > 0.2 * y.max()).any():
            lines.append(Line("", x, y, "path"))
    nominal = result.plan.output.nominal_V
    expected = limit_A(facts.job, result.plan.output.id) if facts else None
    if expected:
        ends = np.array([expected, expected])
        lines.append(Line(f"design: {show(expected, 'A')}", ends, np.array([0.0, nominal])))
    knee = next((f.value for f in result.findings if f.name == "limit begins at"), None)
    if knee is not None:
        ends = np.array([knee.value, knee.value])
        lines.append(Line(f"begins at {show(knee.value, 'A')}", ends, np.array([0.0, nominal]), "measured"))
    return Picture("amps", "volts", tuple(spots), tuple(lines))


def _trip(result: Outcome) -> Picture:
    spots = [
        Spot(r.step.trim_V, r.volts.value, r.volts.half_width)
        for r in result.steps
        if r.volts is not None and r.step.trim_V is not None and r.step.phase == "approach"
    ]
    nominal = result.plan.output.nominal_V
    high = max([s.x for s in spots], default=1.2 * nominal)
    lines = [Line("as the trim is set", np.array([nominal, high]), np.array([nominal, high]))]
    stated = trip_V(result.facts.job, result.plan.output.id) if result.facts else None
    if stated:
        lines.append(Line(f"stated trip {show(stated, 'V')}", np.full(2, stated), np.array([0.0, nominal])))
    most = result.plan.output.device_max_V
    if most:
        lines.append(
            Line(f"the device stands {show(most, 'V')}", np.array([nominal, high]), np.full(2, most))
        )
    return Picture("trim set, volts", "volts", tuple(spots), tuple(lines))


def _efficiency(result: Outcome) -> Picture:
    spots = []
    facts = result.facts
    for r in result.steps:
        wall = facts.interval(r.step.index, "W", WALL) if facts else None
        amps = facts.interval(r.step.index, "A") if facts else None
        if r.volts is None or wall is None or amps is None or r.step.set_A == 0 or wall.value <= 0:
            continue
        share = r.volts.value * amps.value / wall.value
        wide = np.hypot(np.hypot(wall.half_width / wall.value, amps.half_width / amps.value), 1e-4)
        spots.append(Spot(amps.value, 100 * share, 100 * share * float(wide)))
    amps_ = np.array([s.set_A for s in result.plan.steps if s.set_A > 0])
    guesses = [efficiency_at(facts.job, result.plan.output.id, float(a)) for a in amps_] if facts else []
    lines = []
    if guesses and all(g is not None for g in guesses):
        lines.append(Line("predicted", amps_, 100 * np.array(guesses, float)))
    return Picture("amps", "per cent", tuple(spots), tuple(lines))


def _line(result: Outcome) -> Picture:
    spots = [
        Spot(r.step.line_V, r.volts.value, r.volts.half_width, r.verdict)
        for r in result.steps
        if r.volts is not None and r.step.line_V is not None
    ]
    guessed = [(s.line_V, s.predicted_V.value) for s in result.plan.steps if s.line_V and s.predicted_V]
    lines = []
    if guessed:
        x, y = np.array(sorted(guessed)).T
        lines.append(Line("predicted", x, y))
    return Picture("line volts", "volts", tuple(spots), tuple(lines), _band(result.steps))


def _capacity(result: Outcome) -> Picture:
    facts = result.facts
    read = [r for r in facts.readings if r.quantity == "V"] if facts else []
    start = read[0].at if read else 0.0
    spots = [Spot((r.at - start) / 60, r.value) for r in read]
    cutoff = result.plan.steps[0].until_V if result.plan.steps else None
    lines = []
    if cutoff and spots:
        lines.append(Line("cut-off", np.array([0.0, spots[-1].x]), np.array([cutoff, cutoff])))
    return Picture("minutes", "volts", tuple(spots), tuple(lines), joined=True)


def _heat(result: Outcome) -> Picture:
    """Temperatures of the latest run over minutes, where they end, and the limit."""
    facts = result.facts
    runs = soak_runs(facts.readings) if facts else []
    if facts is None or not runs:
        return Picture("minutes", "°C", ())
    run, names = runs[-1], temperature_places(facts.job)
    lines = []
    for place in run.celsius:
        t, celsius = run.track(place)
        step = max(len(t) // 400, 1)
        if len(t):
            lines.append(Line(names.get(place, place), t[::step] / 60, celsius[::step], "measured"))
    state = facts.soak if facts.running else state_of(facts) if isinstance(result.plan.test, Soak) else None
    end = float(run.time_s[-1]) / 60
    if state is not None:
        ahead = np.linspace(0, 3 * state.measured.time_constant.value, 40)
        _, middle, _ = state.spot.cone(ahead)
        what = "junction" if state.on_spot else state.place_name
        lines.append(Line(f"{what}, forecast", (state.elapsed_s + ahead) / 60, middle))
        end = float(lines[-1].x[-1])
        limit = np.full(2, state.limit_C)
        lines.append(Line(f"limit {show(state.limit_C, 'C')}", np.array([0.0, end]), limit))
    return Picture("minutes", "°C", (), tuple(lines))


def _sensor(result: Outcome) -> Picture:
    """How far a sensor is off its reference over the reference, and the straight line that puts it right."""
    facts, test = result.facts, result.plan.test
    assert isinstance(test, SensorCheck)
    pairs = sensor_pairs(facts, test) if facts else []
    half = thermometer(facts.job).accuracy_K if facts else 0.0
    band = Band(-test.allowed_K, test.allowed_K)
    spots = [
        Spot(reference, off := sensor - reference, half, judge(Interval(off, off - half, off + half), band))
        for sensor, reference in pairs
    ]
    lines = []
    if len(pairs) > 1:
        sensor_C, reference_C = np.array(pairs).T
        fit = calibrated(sensor_C, reference_C, half / np.sqrt(3))
        ends = np.array([sensor_C.min(), sensor_C.max()])
        meant = np.array([fit.right(c) for c in ends])
        lines.append(Line("what puts it right", meant, ends - meant, "measured"))
    return Picture("°C of the reference", "K, sensor above it", tuple(spots), tuple(lines), band.ends)


def _in_band(result: Outcome) -> Picture:
    """Each point as per cent of its own band, 100 being the edge: volts of several outputs side by side."""
    spots, names = [], []
    for k, r in enumerate(result.steps):
        names.append(r.step.title or show(r.step.set_A, "A", 3))
        low, high = r.step.allowed.ends
        volts = r.volts
        if volts is None or r.step.allowed == OPEN:
            continue
        middle, half = _middle(low, high)
        spots.append(
            Spot(float(k), 100 * (volts.value - middle) / half, 100 * volts.half_width / half, r.verdict)
        )
    guesses = []
    for k, r in enumerate(result.steps):
        if r.step.predicted_V is not None and r.step.allowed != OPEN:
            middle, half = _middle(*r.step.allowed.ends)
            guesses.append((float(k), 100 * (r.step.predicted_V.value - middle) / half))
    lines: tuple[Line, ...] = ()
    if guesses:
        x, y = np.array(guesses).T
        lines = (Line("predicted", x, y),)
    return Picture("", "per cent of the band", tuple(spots), lines, (-100.0, 100.0), names=tuple(names))


def _middle(low: float, high: float) -> tuple[float, float]:
    """Middle and half of a band; of one with an open end, its edge and a tenth of it."""
    if np.isfinite(low) and np.isfinite(high):
        return (low + high) / 2, (high - low) / 2
    edge = low if np.isfinite(low) else high
    sign = 1.0 if np.isfinite(low) else -1.0
    return edge + sign * 0.1 * abs(edge), 0.1 * abs(edge)


def _band(steps: tuple[StepResult, ...]) -> tuple[float, float] | None:
    ends = {r.step.allowed.ends for r in steps}
    return next(iter(ends)) if len(ends) == 1 and all(np.isfinite(next(iter(ends)))) else None
