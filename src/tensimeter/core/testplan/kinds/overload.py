"""Tests past what an output gives: current limit, over-voltage trip, short circuit."""

import math

import numpy as np

from tensimeter.core.analysis.current_limit import CurrentLimit, LimitKind, current_limit
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, half_width_95, judge
from tensimeter.core.measurement.readings import interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import Overload, OverVoltage, ShortCircuit
from tensimeter.core.notice import Notice
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.design_expectation import limit_A, trip_V
from tensimeter.core.testplan.equipment import loads_in_parallel, sinks_A
from tensimeter.core.testplan.kind import TestKind
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.testplan.step import OPEN, Facts, Finding, Outcome, Plan, Situation, Step, predicted

#: Where a limit is approached in coarse steps up to this share of what is expected.
COARSE = (0.0, 0.25, 0.5, 0.75)
FINE_FROM = 0.85
#: Shares of the output's volts that a resistive load holds it at past the limit.
TRACED = (0.85, 0.7, 0.55, 0.45, 0.35, 0.25, 0.18, 0.12)
#: How often it is looked at, and at which pause in s, to see whether it tries again and again.
WATCHES, WATCH_S = 60, 0.1
RESET = "Switch off at the wall, wait until its lamp is out, switch on."

#: Seconds to cool down before a test that goes past a limit: a rule of thumb.
REST_S = 30.0


class OverloadKind(TestKind[Overload]):
    """Where the current limit begins and which law it follows."""

    record = Overload
    past_limits = True
    name = "current limit"
    standard = "overcurrent protection"
    method = (
        "Current raised in small steps until the volts leave; then a resistance that lowers them further, a "
        "watch for tries, and back to no load."
    )

    def steps(self, s: Situation, test: Overload) -> list[Step]:
        expected = limit_A(s.job, s.output.id) or 1.25 * s.output.full_load_A
        most = test.beyond * expected
        sinks = sinks_A(s.job, s.output.nominal_V)
        if sinks is not None:
            # What it sinks for good at the output's volts; past that it is the load that ends.
            most = min(most, float(sinks))
        fine = np.arange(FINE_FROM * expected, most, max(test.step, 0.002) * expected)
        coarse = np.array(COARSE) * min(expected, most)
        # The last point is all that may be asked, be it of the supply or of the load.
        amps = np.floor(np.concatenate([coarse, fine, [most]]) * 1000) / 1000
        line = s.line(amps)
        steps = [Step(float(a), predicted(line, k), OPEN, phase="approach") for k, a in enumerate(amps)]
        volts = s.output.nominal_V
        for r in (share * volts / expected for share in TRACED):
            title = show(r, "ohm")
            steps.append(
                Step(volts / r, None, OPEN, title, ohms=r, phase="trace", exposure_s=test.exposure_s)
            )
        half, long = 0.5 * volts / expected, WATCHES * WATCH_S + 2
        title = f"{show(half, 'ohm')}, watched"
        steps.append(
            Step(volts / half, None, OPEN, title, ohms=half, phase="watch", scans=WATCHES, exposure_s=long)
        )
        steps.append(Step(0.0, None, OPEN, "back to no load", phase="back"))
        steps.append(Step(0.0, None, OPEN, "after a reset", phase="back", reset=True, hand=RESET))
        return steps

    def findings(self, facts: Facts, test: Overload) -> list[Finding]:
        try:
            found = limit_of(facts)
        except UserError as trouble:
            return [Finding("kind", "kind", text=str(trouble), is_note=True)] if facts.readings else []
        if found is None:
            return []
        back = [s.index for s in facts.plan.steps if s.phase == "back"]
        finished = any(r.step in back for r in facts.readings)
        if not finished and found.kind is LimitKind.NONE_REACHED:
            return [Finding("kind_of_limit", "kind of limit", text=f"none so far: {found.reason}")]
        words = found.kind.words + (f": {found.reason}" if found.kind is LimitKind.UNSURE else "")
        rows = [Finding("kind_of_limit", "kind of limit", text=words)]
        expected = limit_A(facts.job, facts.plan.output.id)
        said = f"design says {show(expected, 'A')}" if expected else ""
        if found.knee_A is not None:
            least = test.least_A if test.least_A is not None else facts.plan.full_load.amps
            band = Band(least, test.most_A)
            verdict = judge(found.knee_A, band)
            rows.append(Finding("limit_begins_at", "limit begins at", "A", found.knee_A, said, verdict, band))
        if found.short_A is not None:
            rows.append(
                Finding(
                    "current_as_the_volts_go_to_nothing",
                    "current as the volts go to nothing",
                    "A",
                    found.short_A,
                )
            )
        if found.duty is not None:
            text = f"on for {100 * found.duty:.0f} % of the time"
            text += "" if found.period_s else "; read too seldom to be timed"
            rows.append(Finding("tries", "tries every", "s", found.period_s, text))
        if found.recovers is not None:
            rows.append(
                Finding(
                    "comes_back_by_itself", "comes back by itself", text="yes" if found.recovers else "no"
                )
            )
        return rows

    def picture(self, result: Outcome, test: Overload) -> Picture:
        return _past_limit(result)

    def planned(self, job: Job, output: OutputLink) -> list[Overload]:
        if not limit_A(job, output.id):
            return []
        return [Overload(id="x", output=output.id, rest_s=REST_S)]

    def cautions(self, job: Job) -> list[Notice]:
        return past_limit_cautions()


def limit_of(facts: Facts) -> CurrentLimit | None:
    """The limit that the readings of an overload test show, in the order taken."""
    scans: dict[int, dict[str, float]] = {}
    where: dict[int, tuple[float, int | None]] = {}
    # Only a load that the program set is known to have been set so; by hand the amps that were read count.
    by_program: set[int] = {r.scan for r in facts.readings if r.run is not None and r.origin != "file"}
    ammeter = None
    for r in facts.readings:
        fresh = r.step is not None and facts.plan.steps[r.step].reset
        if r.place == facts.plan.output.id and math.isfinite(r.value) and not fresh:
            scans.setdefault(r.scan, {})[r.quantity] = r.value
            where[r.scan] = (r.at, r.step)
            ammeter = r.accuracy if r.quantity == "A" and r.accuracy else ammeter
    rows = []
    order = {
        k: _upwards(facts.plan, k, where[k][1], told.get("A", 0.0), by_hand=k not in by_program)
        for k, told in scans.items()
    }
    for scan in sorted(scans, key=lambda k: order[k]):
        step = where[scan][1]
        if {"V", "A"} <= set(scans[scan]):
            set_so = step is not None and scan in by_program
            asked = facts.plan.steps[step].set_A if step is not None and set_so else scans[scan]["A"]
            rows.append((scans[scan]["V"], scans[scan]["A"], where[scan][0], asked))
    if len(rows) < 4:
        return None
    v, i, t, asked_A = np.array(rows).T
    loads = [p for p in loads_in_parallel(facts.job) if isinstance(p, SetLoad)]
    most_A, most_W = (sum(p.max_A for p in loads), sum(p.max_W for p in loads)) if loads else (None, None)
    # A rising time is what periods are counted by; typed readings may share a moment.
    time = t if (np.diff(t) > 0).all() else None
    return current_limit(v, i, time, asked_A, most_A, most_W, ammeter)


def _upwards(
    plan: Plan, scan: int, index: int | None, amps: float, *, by_hand: bool
) -> tuple[int, float, int]:
    """Where a point belongs in the order of a limit: on the way up a hand goes to and fro.

    What flowed was asked for at the least, whichever step it was typed at.
    """
    step = plan.steps[index] if index is not None else None
    if not by_hand or step is None:
        return (0 if by_hand else 1, 0.0, scan)
    return (0, max(step.set_A, amps), scan) if step.phase == "approach" else (1, 0.0, scan)


class OverVoltageKind(TestKind[OverVoltage]):
    """At what volts the trip acts."""

    record = OverVoltage
    past_limits = True
    name = "over-voltage trip"
    standard = "overvoltage protection"
    method = "The trim is raised in small steps without load until the output goes; then it is reset."

    def steps(self, s: Situation, test: OverVoltage) -> list[Step]:
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
            Step(0.0, None, s.band, "after a reset", trim_V=nominal, phase="back", reset=True, hand=RESET)
        )
        return steps

    def findings(self, facts: Facts, test: OverVoltage) -> list[Finding]:
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
            return [
                Finding("trip", "trip", text=text, verdict=Verdict.NONCONFORMING if done and wanted else None)
            ]
        high = max(tripped.trim_V, held.high)
        middle = (held.value + high) / 2
        # Anywhere between the last that held and the first that did not, each volt alike.
        half = half_width_95(((high - held.value) / 2, held.high - held.value))
        value = Interval(middle, middle - half, middle + half)
        most = test.most_V or facts.plan.output.device_max_V
        band = Band(facts.plan.output.nominal_V * (1 + facts.plan.output.tolerance), most)
        expected = trip_V(facts.job, facts.plan.output.id)
        said = f"stated {show(expected, 'V')}" if expected else ""
        rows = [Finding("trips_at", "trips at", "V", value, said, judge(value, band), band)]
        for step in facts.plan.steps:
            volts = facts.interval(step.index, "V")
            if step.phase == "back" and volts is not None:
                back = volts.value > 0.5 * facts.plan.output.nominal_V
                rows.append(
                    Finding("after_trip", step.title, text="the volts are back" if back else "it stays off")
                )
        return rows

    def picture(self, result: Outcome, test: OverVoltage) -> Picture:
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
            lines.append(
                Line(f"stated trip {show(stated, 'V')}", np.full(2, stated), np.array([0.0, nominal]))
            )
        most = result.plan.output.device_max_V
        if most:
            lines.append(
                Line(f"the device stands {show(most, 'V')}", np.array([nominal, high]), np.full(2, most))
            )
        return Picture("trim set, volts", "volts", tuple(spots), tuple(lines))

    def planned(self, job: Job, output: OutputLink) -> list[OverVoltage]:
        if not (trip_V(job, output.id) or output.device_max_V):
            return []
        return [OverVoltage(id="x", output=output.id, most_V=output.device_max_V)]

    def cautions(self, job: Job) -> list[Notice]:
        text = (
            "The trim goes past what a device stands. Take everything off the output before it is "
            "raised, and see that it is back before anything is joined."
        )
        title = "Nothing but the meter at the output"
        return [Notice("prove:trim", "caution", title, text, "prove", None)]


class ShortCircuitKind(TestKind[ShortCircuit]):
    """What a short draws, and whether it comes back."""

    record = ShortCircuit
    past_limits = True
    name = "short circuit"
    standard = "short-circuit current"
    method = "Through a resistance first, then as near to a short as the load comes, for a few seconds."

    def steps(self, s: Situation, test: ShortCircuit) -> list[Step]:
        expected = limit_A(s.job, s.output.id) or 1.25 * s.output.full_load_A
        load = s.job.part(s.job.campaign.load)
        least = max(load.on_ohm, 0.005) if isinstance(load, SetLoad) else 0.05
        first = predicted(s.line(np.array([0.0])), 0)
        nominal = s.output.nominal_V
        steps = [Step(0.0, first, s.band, "before it")]
        if s.job.policy.short_circuit == "through_resistor":
            r = 0.4 * nominal / expected
            steps.append(
                Step(
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
                nominal / least,
                None,
                OPEN,
                "short",
                ohms=least,
                asks="A",
                phase="trace",
                exposure_s=test.exposure_s,
                scans=10,
                every_s=0.15,
            )
        )
        steps.append(Step(0.0, None, OPEN, "after it", phase="back"))
        steps.append(Step(0.0, first, s.band, "after a reset", phase="back", reset=True, hand=RESET))
        return steps

    def findings(self, facts: Facts, test: ShortCircuit) -> list[Finding]:
        rows = []
        short = len(facts.plan.steps) - 3
        read = [r for r in facts.readings if r.step == short and r.quantity == "A" and math.isfinite(r.value)]
        # One that tries again and again is off most of the time: the largest of several looks counts.
        amps = interval_of(max(read, key=lambda r: r.value)) if read else None
        if amps is not None:
            band = Band(None, test.most_A)
            verdict = judge(amps, band) if test.most_A else None
            text = f"for {test.exposure_s:g} s"
            rows.append(
                Finding("current_into_a_short", "current into a short", "A", amps, text, verdict, band)
            )
        after = facts.interval(short + 1, "V")
        if after is not None:
            back = after.value > 0.5 * facts.plan.output.nominal_V
            rows.append(
                Finding("after_it", "after it", text="the volts are back" if back else "it stays off")
            )
        return rows

    def picture(self, result: Outcome, test: ShortCircuit) -> Picture:
        return _past_limit(result)

    def planned(self, job: Job, output: OutputLink) -> list[ShortCircuit]:
        if not limit_A(job, output.id):
            return []
        return [ShortCircuit(id="x", output=output.id, rest_s=REST_S)]

    def cautions(self, job: Job) -> list[Notice]:
        return past_limit_cautions()


def _past_limit(result: Outcome) -> Picture:
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
    knee = next((f.value for f in result.findings if f.key == "limit_begins_at"), None)
    if knee is not None:
        ends = np.array([knee.value, knee.value])
        lines.append(Line(f"begins at {show(knee.value, 'A')}", ends, np.array([0.0, nominal]), "measured"))
    return Picture("amps", "volts", tuple(spots), tuple(lines))


def past_limit_cautions() -> list[Notice]:
    """The usual cautions of tests that go past a limit."""
    text = (
        "Wires, contacts and the part that limits take their worst here. Keep the switch in reach, "
        "and let it cool before the next test."
    )
    return [Notice("prove:short", "caution", "Past its limit only for seconds", text, "prove", None)]
