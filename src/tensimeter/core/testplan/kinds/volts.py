"""Tests of what else moves an output's volts: its trim, the line, the other outputs, its reach."""

import math

import numpy as np
from msgspec.structs import replace

from tensimeter.core.analysis.cross import cross_regulation
from tensimeter.core.circuit.load_line import LoadLine
from tensimeter.core.circuit.network import at_line, build
from tensimeter.core.design.reach import set_to
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import (
    Accuracy,
    Band,
    Interval,
    Verdict,
    half_width_95,
    judge,
    worst,
)
from tensimeter.core.measurement.readings import Measurand, Reading, VoltsAmps, interval_of, pairs
from tensimeter.core.model.edits import changed
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import CrossRegulation, LineRegulation, ReachPoints, Tolerance
from tensimeter.core.notice import Notice
from tensimeter.core.parts.instrument_part import LineFeeder
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.equipment import beside_A, beside_words, whole_mA
from tensimeter.core.testplan.kind import TestKind
from tensimeter.core.testplan.picture import Line, Picture, Spot, common_band, in_band
from tensimeter.core.testplan.points_text import points_from, points_text
from tensimeter.core.testplan.reach_points import reach_points
from tensimeter.core.testplan.step import (
    OPEN,
    Facts,
    Finding,
    Outcome,
    Plan,
    Situation,
    Step,
    predicted,
    value_of,
)

#: How far past the wanted end a trim that is set by itself is turned.
PAST_END = 0.015


class ToleranceKind(TestKind[Tolerance]):
    """The volts as set, and how far the trim goes."""

    record = Tolerance
    name = "tolerance and trim"
    standard = "output voltage tolerance, adjustment range"
    method = "Volts as set without load, then with the trim at each end, then set again."

    def steps(self, s: Situation, test: Tolerance) -> list[Step]:
        first = Step(0.0, predicted(s.line(np.array([0.0])), 0), s.band, "as set")
        if test.span_V is None:
            return [first]
        low, high = sorted(test.span_V)
        nominal = s.output.nominal_V
        return [
            first,
            Step(
                0.0,
                None,
                Band(None, low),
                "trim lowest",
                trim_V=(1 - PAST_END) * low,
                hand=f"Turn the trim of {s.output.name} to its lowest.",
            ),
            Step(
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

    def findings(self, facts: Facts, test: Tolerance) -> list[Finding]:
        found = []
        nominal = facts.plan.output.nominal_V
        volts = facts.interval(0, "V")
        if volts is not None:
            off = Interval(*(x / nominal - 1 for x in (volts.value, volts.low, volts.high)))
            tolerance = facts.plan.output.tolerance
            band = Band(-tolerance, tolerance)
            found.append(
                Finding("volts_off_nominal", "volts off nominal", "%", off, "", judge(off, band), band)
            )
        if len(facts.plan.steps) == 4:
            ends = [facts.interval(k, "V") for k in (1, 2)]
            for end, step, word in zip(ends, facts.plan.steps[1:3], ("lowest", "highest"), strict=True):
                if end is not None:
                    verdict = judge(end, step.allowed)
                    found.append(Finding(f"trim_{word}", f"trim {word}", "V", end, "", verdict, step.allowed))
        return found

    def planned(self, job: Job, output: OutputLink) -> list[Tolerance]:
        return [Tolerance(id="x", output=output.id)]


class LineRegulationKind(TestKind[LineRegulation]):
    """Volts against what the wall gives."""

    record = LineRegulation
    by_conditions = True
    name = "line regulation"
    standard = "source effect"
    method = "Volts at one load at several line voltages, each once they stand still."

    def steps(self, s: Situation, test: LineRegulation) -> list[Step]:
        amps = float(s.amps((test.share,))[0])
        mains = s.job.settings.mains_V
        found = []
        for share in test.lines:
            line_V = mains * share
            guess = predicted(_at_line(s, amps, line_V), 0)
            hand = f"Set the line to {line_V:.0f} V, or use another outlet of that voltage."
            found.append(Step(amps, guess, s.band, f"line {line_V:.0f} V", line_V=line_V, hand=hand))
        return found

    def findings(self, facts: Facts, test: LineRegulation) -> list[Finding]:
        taken = _over_mains(facts)
        if len({line for line, _ in taken}) < 2:
            return []
        low, high = min(taken, key=lambda x: x[0]), max(taken, key=lambda x: x[0])
        change = difference(high[1], low[1], facts.plan.output.nominal_V)
        band = Band(-test.allowed, test.allowed)
        text = f"from {low[0]:.0f} to {high[0]:.0f} V"
        return [Finding("line_regulation", "line regulation", "%", change, text, judge(change, band), band)]

    def picture(self, result: Outcome, test: LineRegulation) -> Picture:
        spots, verdicts = [], {r.step.index: r.verdict for r in result.steps}
        for line, r in _over_mains(result.facts) if result.facts is not None else ():
            half, step = interval_of(r), r.step
            verdict = verdicts[step] if step is not None else None
            spots.append(Spot(line, r.value, half.half_width if half else 0.0, verdict))
        guessed = [(s.line_V, s.predicted_V.value) for s in result.plan.steps if s.line_V and s.predicted_V]
        lines = []
        if guessed:
            x, y = np.array(sorted(guessed)).T
            lines.append(Line("predicted", x, y))
        return Picture("line volts", "volts", tuple(spots), tuple(lines), common_band(result.steps))

    def planned(self, job: Job, output: OutputLink) -> list[LineRegulation]:
        if not isinstance(job.part(job.campaign.line_source), LineFeeder):
            return []
        return [LineRegulation(id="x", output=output.id)]

    def cautions(self, job: Job) -> list[Notice]:
        if not isinstance(job.part(job.campaign.line_source), LineFeeder):
            return []
        text = "What it feeds is live mains at any setting. The supply's case and earth stay as they are."
        title = "A variable transformer does not isolate"
        return [Notice("prove:line", "caution", title, text, "prove", None)]

    def reader_words(self, job: Job, plan: Plan, test: LineRegulation) -> str:
        return changes_words(job, plan, test.allowed)


def _over_mains(facts: Facts) -> list[tuple[float, Reading]]:
    """Volts of the output, each with the mains as they were read or said; as asked for where nobody did.

    Of a point that was read again the last counts.
    """
    found: dict[int, tuple[float, Reading]] = {}
    for r in facts.readings:
        if (r.place, r.quantity) != (facts.plan.output.id, "V") or not math.isfinite(r.value):
            continue
        told = value_of(facts.at_scan(r.scan), "mains", "V")
        asked = facts.plan.steps[r.step].line_V if r.step is not None else None
        if told is not None or asked is not None:
            found[r.step if r.step is not None else -r.scan - 1] = (told or asked or 0.0, r)
    return sorted(found.values(), key=lambda x: x[0])


def _at_line(s: Situation, amps: float, line_V: float) -> LoadLine | None:
    """The load line of one current at another line voltage; a transformer's volts go with its primary's."""
    try:
        network = at_line(s.job, build(s.job), line_V / s.job.settings.mains_V)
        return s.line(np.array([amps]), network=network)
    except UserError:
        return None


def difference(a: Reading, b: Reading, nominal: float) -> Interval:
    """a − b over nominal, with its 95 % interval: what one range's readings share falls out.

    A gain common to both leaves its share of the difference, a common offset nothing; what scatters from
    reading to reading stays, √2-fold (GUM, 5.2: correlated inputs).
    """
    change = a.value - b.value
    if a.accuracy is None or b.accuracy is None:
        return Interval(change / nominal, -math.inf, math.inf)
    sigma = math.hypot(a.accuracy.scatter, b.accuracy.scatter)
    if (a.instrument, a.range) == (b.instrument, b.range):
        half = half_width_95((a.accuracy.of_reading * change,), sigma)
    else:
        gains = (a.accuracy.of_reading * a.value, b.accuracy.of_reading * b.value)
        half = half_width_95((*gains, a.accuracy.offset, b.accuracy.offset), sigma)
    return Interval(change / nominal, (change - half) / nominal, (change + half) / nominal)


class CrossRegulationKind(TestKind[CrossRegulation]):
    """What the load of one rail does to another."""

    record = CrossRegulation
    by_conditions = True
    name = "cross regulation"
    standard = "interaction (cross regulation)"
    method = (
        "Volts of every output with none, each one, and two outputs loaded; a straight line in all currents "
        "is fitted to them."
    )

    def steps(self, s: Situation, test: CrossRegulation) -> list[Step]:
        outputs = [test.output, *test.others]
        full = {o: whole_mA(test.share * s.job.output(o).full_load_A) for o in outputs}
        full[test.output] = min(full[test.output], whole_mA(s.most_A))
        for o in test.others:
            full[o] = beside_A(s.job, {o: full[o]})[o]
        cases: list[dict[str, float]] = [{}, *({o: full[o]} for o in outputs)]
        # Cases more than unknowns, so that a wrong reading shows; two loads are enough for each.
        cases += [{test.output: full[test.output], o: full[o]} for o in test.others[:2]]
        found = []
        for case in cases:
            others = {o: a for o, a in case.items() if o != test.output}
            amps = case.get(test.output, 0.0)
            line = s.line(np.array([amps]), others=others)
            names = [f"{s.job.output(o).name} {show(a, 'A')}" for o, a in case.items()]
            also: list[tuple[str, Measurand]] = [(o, "V") for o in test.others]
            also += [(o, "A") for o in test.others if o in case]
            found.append(
                Step(
                    amps,
                    predicted(line, 0),
                    s.band,
                    ", ".join(names) or "no load",
                    others=tuple(others.items()),
                    also=tuple(also),
                )
            )
        return found

    def findings(self, facts: Facts, test: CrossRegulation) -> list[Finding]:
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
        except UserError:
            return found
        for k, name in enumerate(names):
            for m, other in enumerate(names):
                found.append(
                    Finding(
                        f"resistance:{outputs[k]}:{outputs[m]}",
                        f"{name} by {other}",
                        "ohm",
                        fit.resistance_ohm[k][m],
                    )
                )
        return found

    def planned(self, job: Job, output: OutputLink) -> list[CrossRegulation]:
        first, *rest = job.design.outputs()
        if output != first or not rest:
            return []
        return [CrossRegulation(id="x", output=output.id, others=tuple(o.id for o in rest))]

    def unreachable(self, job: Job, test: CrossRegulation) -> list[str]:
        others = [job.output(o) for o in test.others]
        return [w for o in others for w in beside_words(job, o, whole_mA(test.share * o.full_load_A))]

    def blank(self, job: Job, output: OutputLink) -> dict[str, object]:
        return {"others": tuple(o.id for o in job.design.outputs() if o.id != output.id)}

    def reader_words(self, job: Job, plan: Plan, test: CrossRegulation) -> str:
        return changes_words(job, plan, test.allowed)


def _swing(facts: Facts, output: str, readings: list[Reading], allowed: float) -> Finding:
    """How far one output's volts move over all the cases, as a share of nominal."""
    link = facts.job.output(output)
    high, low = max(readings, key=lambda r: r.value), min(readings, key=lambda r: r.value)
    change = difference(high, low, link.nominal_V)
    band = Band(-allowed, allowed)
    return Finding(
        f"change:{output}", f"{link.name} over all cases", "%", change, "", judge(change, band), band
    )


class ReachKind(TestKind[ReachPoints]):
    """Points of the reach map held for real."""

    record = ReachPoints
    in_reach = True
    plot = "reach"
    lines_words = "points: volts, amps, why"
    name = "points of the reach"
    standard = ""
    method = "Volts at the corners of the reach, beside each limit, and where most heat is made."

    def steps(self, s: Situation, test: ReachPoints) -> list[Step]:
        found = []
        for point in test.points:
            try:
                # It is set without load, as hands do; what the load then pulls is part of the prediction.
                network = set_to(s.job, s.output.id, point.volts, {s.output.id: np.float64(0.0)})
                guess = predicted(s.line(np.array([point.amps]), network=network), 0)
            except UserError:
                guess = None
            title = f"{point.volts:g} V, {point.why}" if point.why else f"{point.volts:g} V"
            hand = f"Set {s.output.name} to {show(point.volts, 'V', 4)}."
            band = Band.around(point.volts, test.allowed)
            found.append(Step(point.amps, guess, band, title, trim_V=point.volts, hand=hand))
        return found

    def findings(self, facts: Facts, test: ReachPoints) -> list[Finding]:
        read = [(s, facts.interval(s.index, "V")) for s in facts.plan.steps]
        verdicts = [judge(v, s.allowed) for s, v in read if v is not None]
        between = [verdict for _, _, verdict in _between(facts)]
        if not verdicts and not between:
            return []
        held = sum(v is Verdict.CONFORMS for v in verdicts)
        text = f"{held} of {len(facts.plan.steps)} points"
        if between:
            text += f", and {sum(v is Verdict.CONFORMS for v in between)} of {len(between)} between them"
        verdicts += between
        return [Finding("reach_shown_at", "reach shown at", text=text, verdict=worst(verdicts), allowed=OPEN)]

    def picture(self, result: Outcome, test: ReachPoints) -> Picture:
        between = _between(result.facts) if result.facts is not None else []
        if not between:
            return in_band(result)
        # Where it was read at volts that no point asks for, everything that was read is shown as it was.
        spots = [
            Spot(r.pair.amps.value, r.volts.value, r.volts.half_width, r.verdict)
            for r in result.steps
            if r.pair is not None and r.volts is not None
        ]
        spots += [
            Spot(p.amps.value, p.volts.value, i.half_width if i is not None else 0.0, verdict)
            for p, i, verdict in between
        ]
        return Picture("amps", "volts", tuple(spots))

    def planned(self, job: Job, output: OutputLink) -> list[ReachPoints]:
        points = reach_points(job, output.id) if output.adjustable else ()
        return [ReachPoints(id="x", output=output.id, points=points)] if points else []

    def blank(self, job: Job, output: OutputLink) -> dict[str, object]:
        return {"points": reach_points(job, output.id)}

    def lines(self, test: ReachPoints) -> str:
        return points_text(test.points)

    def with_lines(self, text: str, test: ReachPoints) -> ReachPoints:
        return changed(test, points=points_from(text))


def _between(facts: Facts) -> list[tuple[VoltsAmps, Interval | None, Verdict]]:
    """Points of the output at volts that none was planned at, judged around what it was set to."""
    output = facts.plan.output
    found, settings = [], facts.settings(output.id)
    for pair in pairs(facts.readings, output.id, facts.plan.test.id):
        set_V = settings.get(pair.volts.scan)
        if pair.volts.step is None and set_V is not None:
            volts = interval_of(pair.volts)
            found.append((pair, volts, judge(volts, Band.around(set_V, output.tolerance))))
    return found


def changes_words(job: Job, plan: Plan, room: float) -> str:
    """Whether the meter in hand tells changes of the volts apart that are a share `room` of them."""
    meter, nominal = job.part(job.campaign.voltmeter), plan.output.nominal_V
    accuracy, _ = accuracy_of(job, job.campaign.voltmeter, "V", nominal)
    name = meter.name if meter else "A plain handheld (assumed)"
    # Between two readings of one range only what scatters counts.
    half = 1.96 * np.sqrt(2) * accuracy.scatter / nominal
    words = f"{name} tells changes apart to ± {show(half, '%', 2)}"
    return f"{words}: {'fine enough' if half < 0.3 * room else 'too coarse'} for {show(room, '%', 2)}."
