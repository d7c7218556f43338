"""Tests past what an output gives: current limit, over-voltage trip, short circuit."""

import math
from dataclasses import dataclass

import numpy as np

from tensimeter.core.analysis.limit import CurrentLimit, LimitKind, current_limit
from tensimeter.core.errors import Trouble
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.measurement.readings import interval_of
from tensimeter.core.model.tests import Overload, OverVoltage, ShortCircuit, Test
from tensimeter.core.parts.roles import SetLoad
from tensimeter.core.quantity import show
from tensimeter.core.testplan.expected import limit_A, trip_V
from tensimeter.core.testplan.step import OPEN, Facts, Finding, Situation, Step, predicted

#: Where a limit is approached in coarse steps up to this share of what is expected.
COARSE = (0.0, 0.25, 0.5, 0.75)
FINE_FROM = 0.85
#: Shares of the output's volts that a resistive load holds it at past the limit.
TRACED = (0.85, 0.7, 0.55, 0.45, 0.35, 0.25, 0.18, 0.12)
#: How often it is looked at, and at which pause in s, to see whether it tries again and again.
WATCHES, WATCH_S = 60, 0.1
RESET = "Switch off at the wall, wait until its lamp is out, switch on."


@dataclass(frozen=True)
class OverloadKind:
    name: str = "current limit"
    standard: str = "overcurrent protection"
    method: str = (
        "Current raised in small steps until the volts leave; then a resistance that lowers them further, a "
        "watch for tries, and back to no load."
    )

    def steps(self, s: Situation, test: Test) -> list[Step]:
        assert isinstance(test, Overload)
        expected = limit_A(s.job, s.output.id) or 1.25 * s.output.full_load_A
        load = s.job.part(s.job.campaign.load)
        most = test.beyond * expected
        if isinstance(load, SetLoad):
            # What it sinks for good at the output's volts; past that it is the load that ends.
            most = min(most, load.max_A, load.max_W / s.output.nominal_V)
        fine = np.arange(FINE_FROM * expected, most, max(test.step, 0.002) * expected)
        coarse = np.array(COARSE) * min(expected, most)
        # The last point is all that may be asked, be it of the supply or of the load.
        amps = np.floor(np.concatenate([coarse, fine, [most]]) * 1000) / 1000
        line = s.line(amps)
        steps = [Step(0, float(a), predicted(line, k), OPEN, phase="approach") for k, a in enumerate(amps)]
        volts = s.output.nominal_V
        for r in (share * volts / expected for share in TRACED):
            title = show(r, "ohm")
            steps.append(
                Step(0, volts / r, None, OPEN, title, ohms=r, phase="trace", exposure_s=test.exposure_s)
            )
        half, long = 0.5 * volts / expected, WATCHES * WATCH_S + 2
        title = f"{show(half, 'ohm')}, watched"
        steps.append(
            Step(0, volts / half, None, OPEN, title, ohms=half, phase="watch", scans=WATCHES, exposure_s=long)
        )
        steps.append(Step(0, 0.0, None, OPEN, "back to no load", phase="back"))
        steps.append(Step(0, 0.0, None, OPEN, "after a reset", phase="back", reset=True, hand=RESET))
        return steps

    def findings(self, facts: Facts) -> list[Finding]:
        test = facts.plan.test
        assert isinstance(test, Overload)
        try:
            found = limit_of(facts)
        except Trouble as trouble:
            return [Finding("kind", text=str(trouble))] if facts.readings else []
        if found is None:
            return []
        back = [s.index for s in facts.plan.steps if s.phase == "back"]
        finished = any(r.step in back for r in facts.readings)
        if not finished and found.kind is LimitKind.NONE_REACHED:
            # More is still to be asked of it; nothing is reached yet.
            return []
        words = found.kind.words + (f": {found.reason}" if found.kind is LimitKind.UNSURE else "")
        rows = [Finding("kind of limit", text=words)]
        expected = limit_A(facts.job, facts.plan.output.id)
        said = f"design says {show(expected, 'A')}" if expected else ""
        if found.knee_A is not None:
            least = test.least_A if test.least_A is not None else facts.plan.full_load.amps
            band = Band(least, test.most_A)
            verdict = judge(found.knee_A, band)
            rows.append(Finding("limit begins at", "A", found.knee_A, said, verdict, band))
        if found.short_A is not None:
            rows.append(Finding("current as the volts go to nothing", "A", found.short_A))
        if found.period_s is not None and found.duty is not None:
            text = f"every {found.period_s:.2g} s, on for {100 * found.duty:.0f} % of the time"
            rows.append(Finding("tries", text=text))
        if found.recovers is not None:
            rows.append(Finding("comes back by itself", text="yes" if found.recovers else "no"))
        return rows


def limit_of(facts: Facts) -> CurrentLimit | None:
    """The limit that the readings of an overload test show, in the order taken."""
    scans: dict[int, dict[str, float]] = {}
    where: dict[int, tuple[float, int | None]] = {}
    ammeter = None
    for r in facts.readings:
        fresh = r.step is not None and facts.plan.steps[r.step].reset
        if r.place == facts.plan.output.id and math.isfinite(r.value) and not fresh:
            scans.setdefault(r.scan, {})[r.quantity] = r.value
            where[r.scan] = (r.at, r.step)
            ammeter = r.accuracy if r.quantity == "A" and r.accuracy else ammeter
    rows = []
    for scan in sorted(scans):
        step = where[scan][1]
        if {"V", "A"} <= set(scans[scan]):
            asked = facts.plan.steps[step].set_A if step is not None else scans[scan]["A"]
            rows.append((scans[scan]["V"], scans[scan]["A"], where[scan][0], asked))
    if len(rows) < 4:
        return None
    v, i, t, asked_A = np.array(rows).T
    load = facts.job.part(facts.job.campaign.load)
    most_A, most_W = (load.max_A, load.max_W) if isinstance(load, SetLoad) else (None, None)
    # A rising time is what periods are counted by; typed readings may share a moment.
    time = t if (np.diff(t) > 0).all() else None
    return current_limit(v, i, time, asked_A, most_A, most_W, ammeter)


@dataclass(frozen=True)
class OverVoltageKind:
    name: str = "over-voltage trip"
    standard: str = "overvoltage protection"
    method: str = "The trim is raised in small steps without load until the output goes; then it is reset."

    def steps(self, s: Situation, test: Test) -> list[Step]:
        assert isinstance(test, OverVoltage)
        nominal = s.output.nominal_V
        expected = trip_V(s.job, s.output.id)
        begin = min(test.begin, 0.9 * expected / nominal) if expected else test.begin
        end = min(test.end, (test.most_V or math.inf) / nominal)
        if expected:
            end = min(max(end, 1.1 * expected / nominal), (test.most_V or math.inf) / nominal * 1.05)
        shares = np.arange(begin, end + 1e-9, max(test.step, 0.002))
        name = s.output.name
        steps = [
            Step(
                0,
                0.0,
                None,
                OPEN,
                f"trim {share * nominal:.2f} V",
                trim_V=float(share * nominal),
                phase="approach",
                hand=f"Raise the trim of {name} until {share * nominal:.2f} V stand there.",
            )
            for share in shares
        ]
        steps.append(
            Step(
                0,
                0.0,
                None,
                OPEN,
                "trim back",
                trim_V=nominal,
                phase="back",
                hand=f"Turn the trim of {name} back to {show(nominal, 'V', 4)}.",
            )
        )
        steps.append(
            Step(0, 0.0, None, s.band, "after a reset", trim_V=nominal, phase="back", reset=True, hand=RESET)
        )
        return steps

    def findings(self, facts: Facts) -> list[Finding]:
        test = facts.plan.test
        assert isinstance(test, OverVoltage)
        held: Interval | None = None
        tripped: Step | None = None
        for step in facts.plan.steps:
            volts = facts.interval(step.index, "V")
            if step.phase != "approach" or step.trim_V is None or volts is None:
                continue
            if volts.value < 0.9 * step.trim_V:
                tripped = step
                break
            held = volts
        if held is None:
            return []
        if tripped is None or tripped.trim_V is None:
            done = any(facts.last(s.index, "V") for s in facts.plan.steps if s.phase == "back")
            text = (
                f"none up to {show(held.value, 'V', 4)}"
                if done
                else f"not yet, at {show(held.value, 'V', 4)}"
            )
            wanted = test.most_V or facts.plan.output.device_max_V
            return [Finding("trip", text=text, verdict=Verdict.MISSES if done and wanted else None)]
        high = max(tripped.trim_V, held.high)
        middle = (held.value + high) / 2
        value = Interval(middle, held.low, high + (held.high - held.value))
        most = test.most_V or facts.plan.output.device_max_V
        band = Band(facts.plan.output.nominal_V * (1 + facts.plan.output.tolerance), most)
        expected = trip_V(facts.job, facts.plan.output.id)
        said = f"stated {show(expected, 'V')}" if expected else ""
        rows = [Finding("trips at", "V", value, said, judge(value, band), band)]
        for step in facts.plan.steps:
            volts = facts.interval(step.index, "V")
            if step.phase == "back" and volts is not None:
                back = volts.value > 0.5 * facts.plan.output.nominal_V
                rows.append(Finding(step.title, text="the volts are back" if back else "it stays off"))
        return rows


@dataclass(frozen=True)
class ShortCircuitKind:
    name: str = "short circuit"
    standard: str = "short-circuit current"
    method: str = "Through a resistance first, then as near to a short as the load comes, for a few seconds."

    def steps(self, s: Situation, test: Test) -> list[Step]:
        assert isinstance(test, ShortCircuit)
        expected = limit_A(s.job, s.output.id) or 1.25 * s.output.full_load_A
        load = s.job.part(s.job.campaign.load)
        least = max(load.on_ohm, 0.005) if isinstance(load, SetLoad) else 0.05
        first = predicted(s.line(np.array([0.0])), 0)
        nominal = s.output.nominal_V
        steps = [Step(0, 0.0, first, s.band, "before it")]
        if s.job.policy.short_circuit == "through_resistor":
            r = 0.4 * nominal / expected
            steps.append(
                Step(
                    0,
                    nominal / r,
                    None,
                    OPEN,
                    f"through {show(r, 'ohm')}",
                    ohms=r,
                    phase="trace",
                    exposure_s=test.exposure_s,
                )
            )
        steps.append(
            Step(
                0,
                nominal / least,
                None,
                OPEN,
                "short",
                ohms=least,
                phase="trace",
                exposure_s=test.exposure_s,
                scans=10,
                every_s=0.15,
            )
        )
        steps.append(Step(0, 0.0, None, OPEN, "after it", phase="back"))
        steps.append(Step(0, 0.0, first, s.band, "after a reset", phase="back", reset=True, hand=RESET))
        return steps

    def findings(self, facts: Facts) -> list[Finding]:
        test = facts.plan.test
        assert isinstance(test, ShortCircuit)
        rows = []
        short = len(facts.plan.steps) - 3
        read = [r for r in facts.readings if r.step == short and r.quantity == "A" and math.isfinite(r.value)]
        # One that tries again and again is off most of the time: the largest of several looks counts.
        amps = interval_of(max(read, key=lambda r: r.value)) if read else None
        if amps is not None:
            band = Band(None, test.most_A)
            verdict = judge(amps, band) if test.most_A else None
            text = f"for {test.exposure_s:g} s"
            rows.append(Finding("current into a short", "A", amps, text, verdict, band))
        after = facts.interval(short + 1, "V")
        if after is not None:
            back = after.value > 0.5 * facts.plan.output.nominal_V
            rows.append(Finding("after it", text="the volts are back" if back else "it stays off"))
        return rows
