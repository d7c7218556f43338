"""Which points prove an output, in what order, how long, and what can't be reached."""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.electrical.loadline import LoadLine, load_line
from tensimeter.core.errors import Trouble
from tensimeter.core.job.design import OutputLink
from tensimeter.core.job.document import Job, LoadRegulation
from tensimeter.core.job.parts import ElectronicLoad
from tensimeter.core.judge import Band, Interval, Verdict, judge, worst
from tensimeter.core.limits import FullLoad, continuous_full_load
from tensimeter.core.reach import load_reach_A
from tensimeter.core.verify.readings import Pair, Reading, accuracy_of, interval_of, pairs
from tensimeter.core.verify.regulation import Readings, Regulation, regulation


@dataclass(frozen=True)
class Step:
    """One point of a test: what to set, what to expect, what is allowed."""

    index: int
    set_A: float
    predicted_V: Interval | None
    allowed: Band


@dataclass(frozen=True)
class Plan:
    """A test worked out: its steps and what limits it."""

    test: LoadRegulation
    output: OutputLink
    full_load: FullLoad
    steps: tuple[Step, ...]
    unreachable: tuple[str, ...]
    line: LoadLine | None

    @property
    def duration_s(self) -> float:
        """Predicted time in s: the dwell of every step plus a second each to read."""
        return len(self.steps) * (self.test.dwell_s + 1.0)

    @property
    def most_A(self) -> float:
        return max((step.set_A for step in self.steps), default=0.0)


def plan(job: Job, test: LoadRegulation) -> Plan:
    """The steps of a load regulation test within the design's reach and the load's."""
    output = job.output(test.output)
    full = continuous_full_load(job, output.id)
    load = job.part(job.campaign.load)
    most, unreachable = full.amps, []
    if full.amps < output.full_load_A:
        unreachable.append(
            f"{output.full_load_A:.3g} A was wanted; {full.reason} stops it at {full.amps:.3g} A."
        )
    if isinstance(load, ElectronicLoad):
        sinks = float(load_reach_A(load, output.nominal_V))
        if sinks < most:
            unreachable.append(
                f"{most:.3g} A at {output.nominal_V:g} V needs {most * output.nominal_V:.0f} W; "
                f"{load.name} sinks {sinks:.3g} A there."
            )
            most = sinks
    # Rounded down to what a load can be set to, so that no step is above what was allowed.
    amps = np.floor(np.array(test.points) * most * 1000 + 1e-6) / 1000
    line = load_line(job, output.id, amps)
    band = Band.around(output.nominal_V, output.tolerance)
    steps = tuple(Step(k, float(a), _predicted(line, k), band) for k, a in enumerate(amps))
    return Plan(test, output, full, steps, tuple(unreachable), line)


def _predicted(line: LoadLine | None, index: int) -> Interval | None:
    if line is None or not np.isfinite(line.volts[index]):
        return None
    return Interval(float(line.volts[index]), float(line.low[index]), float(line.high[index]))


@dataclass(frozen=True)
class StepResult:
    """A step with what was read there and its verdict."""

    step: Step
    pair: Pair | None
    volts: Interval | None
    verdict: Verdict


@dataclass(frozen=True)
class Outcome:
    """What the readings say about a test, computed from facts and design."""

    plan: Plan
    steps: tuple[StepResult, ...]
    extra: tuple[Pair, ...]
    regulation: Regulation | None
    regulation_verdict: Verdict
    verdict: Verdict
    measured: int

    @property
    def complete(self) -> bool:
        return self.measured == len(self.steps)


def proven_A(result: Outcome) -> float | None:
    """The largest current in A up to which every point taken holds; None when none does.

    Points that were not measured prove nothing, and nothing above one that fails counts.
    """
    levels: dict[float, list[Verdict]] = {}
    for r in result.steps:
        if r.pair:
            levels.setdefault(r.step.set_A, []).append(r.verdict)
    best: float | None = None
    for amps in sorted(levels):
        if worst(levels[amps]) is not Verdict.HOLDS:
            break
        best = amps
    return best


def columns(job: Job, found: list[Pair]) -> Readings:
    """Pairs as the columns that the regulation analysis takes."""
    accuracies = {}
    keys: dict[str, list[str]] = {"V": [], "A": []}
    for pair in found:
        for reading in (pair.volts, pair.amps):
            accuracy = reading.accuracy or accuracy_of(job, None, reading.quantity, reading.value)[0]
            key = f"{reading.instrument}|{reading.range}|{accuracy.text()}"
            # Volts and amps of one instrument are different circuits with different errors.
            key += f"|{reading.quantity}"
            accuracies[key] = accuracy
            keys[reading.quantity].append(key)
    lead = job.campaign.sense_lead_ohm
    two_wire = np.array([pair.volts.wiring == "two-wire" for pair in found], float)
    amps = np.array([pair.amps.value for pair in found])
    volts = np.array([pair.volts.value for pair in found]) + lead * amps * two_wire
    return Readings(
        volts,
        amps,
        keys["V"],
        keys["A"],
        accuracies,
        0.0,
        lead * job.campaign.sense_lead_tolerance * float(two_wire.any()),
    )


def corrected(job: Job, pair: Pair) -> Interval | None:
    """Volts at the terminals with their interval: a two-wire reading gets its lead's drop back."""
    if pair.volts.wiring == "four-wire" or not job.campaign.sense_lead_ohm:
        return interval_of(pair.volts)
    drop = job.campaign.sense_lead_ohm * pair.amps.value
    plain = interval_of(pair.volts, (drop * job.campaign.sense_lead_tolerance,))
    return plain and Interval(plain.value + drop, plain.low + drop, plain.high + drop)


def outcome(job: Job, worked_out: Plan, readings: list[Reading]) -> Outcome:
    """Judge a test by all its readings, typed, from a file and from instruments alike."""
    test, output = worked_out.test, worked_out.output
    found = pairs(readings, output.id, test.id)
    latest = {pair.volts.step: pair for pair in found if pair.volts.step is not None}
    results = []
    for step in worked_out.steps:
        pair = latest.get(step.index)
        volts = corrected(job, pair) if pair else None
        results.append(StepResult(step, pair, volts, judge(volts, step.allowed)))
    extra = tuple(pair for pair in found if pair.volts.step is None)
    fit, fit_verdict = _regulation(job, output, found, worked_out)
    singles = [r.verdict for r in results if r.pair]
    singles += [judge(corrected(job, p), worked_out.steps[0].allowed) for p in extra]
    verdict = worst([*singles, fit_verdict]) if singles else Verdict.NOT_MEASURED
    return Outcome(
        worked_out, tuple(results), extra, fit, fit_verdict, verdict, sum(r.pair is not None for r in results)
    )


def _regulation(
    job: Job, output: OutputLink, found: list[Pair], worked_out: Plan
) -> tuple[Regulation | None, Verdict]:
    try:
        fit = regulation(columns(job, found), output.nominal_V, worked_out.full_load.amps)
    except Trouble:
        # Too few readings for a line, which is no fault: there is just no figure yet.
        return None, Verdict.NOT_MEASURED
    limit = output.regulation_limit
    return fit, judge(fit.load_regulation, Band(-limit, limit))


def step_for(worked_out: Plan, amps: float, done: set[int]) -> int | None:
    """The step a reading at this current belongs to: the nearest open one within 5 % of full load.

    A step that is done is taken again only when no open one fits.
    """
    near = [s for s in worked_out.steps if abs(s.set_A - amps) <= 0.05 * worked_out.most_A + 1e-9]
    if not near:
        return None
    waiting = [s for s in near if s.index not in done]
    if waiting:
        return waiting[0].index
    return min(near, key=lambda s: (abs(s.set_A - amps), s.index)).index
