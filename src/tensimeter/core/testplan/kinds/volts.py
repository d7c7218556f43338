"""Tests of what else moves an output's volts: its trim, the line, the other outputs, its reach."""

import math
from dataclasses import dataclass, replace

import numpy as np

from tensimeter.core.analysis.cross import cross_regulation
from tensimeter.core.circuit.load_line import LoadLine
from tensimeter.core.circuit.network import build
from tensimeter.core.design.reach import set_to
from tensimeter.core.errors import Trouble
from tensimeter.core.measurement.conformity import Accuracy, Band, Interval, Verdict, judge, worst
from tensimeter.core.measurement.readings import Quantity, Reading
from tensimeter.core.model.tests import CrossRegulation, LineRegulation, ReachPoints, Test, Tolerance
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import OPEN, Facts, Finding, Situation, Step, predicted

#: How far past the wanted end a trim that is set by itself is turned.
PAST_END = 0.015


@dataclass(frozen=True)
class ToleranceKind:
    name: str = "tolerance and trim"
    standard: str = "output voltage tolerance, adjustment range"
    method: str = "Volts as set without load, then with the trim at each end, then set again."

    def steps(self, s: Situation, test: Test) -> list[Step]:
        assert isinstance(test, Tolerance)
        first = Step(0, 0.0, predicted(s.line(np.array([0.0])), 0), s.band, "as set")
        if test.span_V is None:
            return [first]
        low, high = sorted(test.span_V)
        nominal = s.output.nominal_V
        return [
            first,
            Step(
                0,
                0.0,
                None,
                Band(None, low),
                "trim lowest",
                trim_V=(1 - PAST_END) * low,
                hand=f"Turn the trim of {s.output.name} to its lowest.",
            ),
            Step(
                0,
                0.0,
                None,
                Band(high, None),
                "trim highest",
                trim_V=(1 + PAST_END) * high,
                hand=f"Turn the trim of {s.output.name} to its highest; nothing is joined to it.",
            ),
            replace(
                first,
                title="set again",
                trim_V=nominal,
                hand=f"Set {s.output.name} to {show(nominal, 'V', 4)} again.",
            ),
        ]

    def findings(self, facts: Facts) -> list[Finding]:
        found = []
        nominal = facts.plan.output.nominal_V
        volts = facts.interval(0, "V")
        if volts is not None:
            off = Interval(*(x / nominal - 1 for x in (volts.value, volts.low, volts.high)))
            tolerance = facts.plan.output.tolerance
            band = Band(-tolerance, tolerance)
            found.append(Finding("volts off nominal", "%", off, "", judge(off, band), band))
        if len(facts.plan.steps) == 4:
            ends = [facts.interval(k, "V") for k in (1, 2)]
            for end, step, word in zip(ends, facts.plan.steps[1:3], ("lowest", "highest"), strict=True):
                if end is not None:
                    verdict = judge(end, step.allowed)
                    found.append(Finding(f"trim {word}", "V", end, "", verdict, step.allowed))
        return found


@dataclass(frozen=True)
class LineRegulationKind:
    name: str = "line regulation"
    standard: str = "source effect"
    method: str = "Volts at one load at several line voltages, each once they stand still."

    def steps(self, s: Situation, test: Test) -> list[Step]:
        assert isinstance(test, LineRegulation)
        amps = float(s.amps((test.share,))[0])
        mains = s.job.settings.mains_V
        found = []
        for share in test.lines:
            line_V = mains * share
            guess = predicted(_at_line(s, amps, line_V), 0)
            hand = f"Set the line to {line_V:.0f} V, or use another outlet of that voltage."
            found.append(Step(0, amps, guess, s.band, f"line {line_V:.0f} V", line_V=line_V, hand=hand))
        return found

    def findings(self, facts: Facts) -> list[Finding]:
        test = facts.plan.test
        assert isinstance(test, LineRegulation)
        readings = [(s.line_V, facts.last(s.index, "V")) for s in facts.plan.steps]
        taken = [(line, r) for line, r in readings if line is not None and r is not None]
        if len({line for line, _ in taken}) < 2:
            return []
        low, high = min(taken, key=lambda x: x[0]), max(taken, key=lambda x: x[0])
        change = difference(high[1], low[1], facts.plan.output.nominal_V)
        band = Band(-test.allowed, test.allowed)
        text = f"from {low[0]:.0f} to {high[0]:.0f} V"
        return [Finding("line regulation", "%", change, text, judge(change, band), band)]


def _at_line(s: Situation, amps: float, line_V: float) -> LoadLine | None:
    """The load line of one current at another line voltage; a transformer's volts go with its primary's."""
    settings = s.job.settings.model_copy(update={"mains_V": line_V})
    try:
        network = build(s.job.model_copy(update={"settings": settings}))
        return s.line(np.array([amps]), network=network)
    except Trouble:
        return None


def difference(a: Reading, b: Reading, nominal: float) -> Interval:
    """a − b over nominal, with its 95 % interval: what one range's readings share falls out.

    A gain common to both leaves its share of the difference, a common offset nothing; what scatters from
    reading to reading stays, √2-fold (GUM, 5.2: correlated inputs).
    """
    change = a.value - b.value
    if a.accuracy is None or b.accuracy is None:
        return Interval(change / nominal, -math.inf, math.inf)
    if (a.instrument, a.range) == (b.instrument, b.range):
        sigma = math.hypot(a.accuracy.scatter, b.accuracy.scatter)
        half = abs(change) * a.accuracy.of_reading + 1.96 * sigma
    else:
        half = math.hypot(a.accuracy.half_width(a.value), b.accuracy.half_width(b.value))
    return Interval(change / nominal, (change - half) / nominal, (change + half) / nominal)


@dataclass(frozen=True)
class CrossRegulationKind:
    name: str = "cross regulation"
    standard: str = "interaction (cross regulation)"
    method: str = (
        "Volts of every output with none, each one, and two outputs loaded; a straight line in all currents "
        "is fitted to them."
    )

    def steps(self, s: Situation, test: Test) -> list[Step]:
        assert isinstance(test, CrossRegulation)
        outputs = [test.output, *test.others]
        full = {o: _floor(test.share * s.job.output(o).full_load_A) for o in outputs}
        full[test.output] = min(full[test.output], _floor(s.most_A))
        cases: list[dict[str, float]] = [{}, *({o: full[o]} for o in outputs)]
        # Cases more than unknowns, so that a wrong reading shows; two loads are enough for each.
        cases += [{test.output: full[test.output], o: full[o]} for o in test.others[:2]]
        found = []
        for case in cases:
            others = {o: a for o, a in case.items() if o != test.output}
            amps = case.get(test.output, 0.0)
            line = s.line(np.array([amps]), others=others)
            names = [f"{s.job.output(o).name} {show(a, 'A')}" for o, a in case.items()]
            also: list[tuple[str, Quantity]] = [(o, "V") for o in test.others]
            also += [(o, "A") for o in test.others if o in case]
            found.append(
                Step(
                    0,
                    amps,
                    predicted(line, 0),
                    s.band,
                    ", ".join(names) or "no load",
                    others=tuple(others.items()),
                    also=tuple(also),
                )
            )
        return found

    def findings(self, facts: Facts) -> list[Finding]:
        test = facts.plan.test
        assert isinstance(test, CrossRegulation)
        outputs = [test.output, *test.others]
        volts, amps, used = [], [], []
        for step in facts.plan.steps:
            loads = {test.output: step.set_A, **dict(step.others)}
            row_V = [facts.last(step.index, "V", o) for o in outputs]
            if any(r is None for r in row_V):
                continue
            used.append([r for r in row_V if r is not None])
            volts.append([r.value for r in used[-1]])
            read_A = [facts.last(step.index, "A", o) for o in outputs]
            amps.append(
                [r.value if r and loads.get(o) else 0.0 for r, o in zip(read_A, outputs, strict=True)]
            )
        if not volts:
            return []
        found = [_swing(facts, o, [row[k] for row in used], test.allowed) for k, o in enumerate(outputs)]
        plain = Accuracy(of_reading=0.005, counts=2, resolution=0.01)
        meters = [r.accuracy or plain for r in used[0]]
        sinks = [
            next(
                (r.accuracy for r in facts.readings if (r.quantity, r.place) == ("A", o) and r.accuracy),
                plain,
            )
            for o in outputs
        ]
        names = [facts.job.output(o).name for o in outputs]
        try:
            fit = cross_regulation(names, np.array(volts), np.array(amps), meters, sinks)
        except Trouble:
            return found
        for k, name in enumerate(names):
            for m, other in enumerate(names):
                found.append(Finding(f"{name} by {other}", "ohm", fit.resistance_ohm[k][m]))
        return found


def _swing(facts: Facts, output: str, readings: list[Reading], allowed: float) -> Finding:
    """How far one output's volts move over all the cases, as a share of nominal."""
    link = facts.job.output(output)
    high, low = max(readings, key=lambda r: r.value), min(readings, key=lambda r: r.value)
    change = difference(high, low, link.nominal_V)
    band = Band(-allowed, allowed)
    return Finding(f"{link.name} over all cases", "%", change, "", judge(change, band), band)


def _floor(amps: float) -> float:
    return math.floor(amps * 1000 + 1e-6) / 1000


@dataclass(frozen=True)
class ReachKind:
    name: str = "points of the reach"
    standard: str = ""
    method: str = "Volts at the corners of the reach, beside each limit, and where most heat is made."

    def steps(self, s: Situation, test: Test) -> list[Step]:
        assert isinstance(test, ReachPoints)
        found = []
        for point in test.points:
            try:
                # It is set without load, as hands do; what the load then pulls is part of the prediction.
                network = set_to(s.job, s.output.id, point.volts, {s.output.id: np.float64(0.0)})
                guess = predicted(s.line(np.array([point.amps]), network=network), 0)
            except Trouble:
                guess = None
            title = f"{point.volts:g} V, {point.why}" if point.why else f"{point.volts:g} V"
            hand = f"Set {s.output.name} to {show(point.volts, 'V', 4)}."
            band = Band.around(point.volts, test.allowed)
            found.append(Step(0, point.amps, guess, band, title, trim_V=point.volts, hand=hand))
        return found

    def findings(self, facts: Facts) -> list[Finding]:
        read = [(s, facts.interval(s.index, "V")) for s in facts.plan.steps]
        verdicts = [judge(v, s.allowed) for s, v in read if v is not None]
        if not verdicts:
            return []
        held = sum(v is Verdict.HOLDS for v in verdicts)
        text = f"{held} of {len(facts.plan.steps)} points"
        return [Finding("reach shown at", text=text, verdict=worst(verdicts), allowed=OPEN)]
