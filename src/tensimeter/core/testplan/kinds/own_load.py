"""Tests of a load that one makes: its amps against another ammeter, over volts, warm, and as it starts."""

import math
from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.measurement.readings import Measurand, Reading, interval_of
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import OwnLoad
from tensimeter.core.parts.sink_circuit import LoadByCircuit
from tensimeter.core.path import LoadLink, OutputLink
from tensimeter.core.quantity import show, show_at_least
from tensimeter.core.testplan.kind import TestKind
from tensimeter.core.testplan.kinds.volts import difference
from tensimeter.core.testplan.picture import Line, Picture, Spot, in_band
from tensimeter.core.testplan.step import OPEN, Facts, Finding, Outcome, Plan, Situation, Step

#: Titles of the steps that are no plain points.
AGAIN, START, HELD = "the first again, warm", "set first, then fed", "held"


def case_of(link: str) -> str:
    """Where the case of its hottest device is read."""
    return f"{link}-case"


def start_of(part: str) -> str:
    """Where the peak of its amps is filed, as what feeds it comes."""
    return f"{part}-start"


def noise_of(part: str) -> str:
    """Where its amps p-p are filed while it is held."""
    return f"{part}-noise"


def load_at(job: Job, output: OutputLink) -> LoadByCircuit | None:
    """The load that one makes at the end of a path; None where something else ends it."""
    part = job.part(output.part)
    return part if isinstance(part, LoadByCircuit) else None


def _by_another(
    facts: Facts, load: LoadByCircuit, step: Step, quantity: Measurand, place: str | None = None
) -> Reading | None:
    """The last figure that something else read at a step; what the load read of itself proves nothing."""
    reading = facts.last(step.index, quantity, place)
    return None if reading is None or reading.instrument == load.id else reading


def _interval(
    facts: Facts, load: LoadByCircuit, step: Step, quantity: Measurand, place: str | None = None
) -> Interval | None:
    reading = _by_another(facts, load, step, quantity, place)
    return interval_of(reading) if reading else None


def _point(
    load: LoadByCircuit, test: OwnLoad, amps: float, volts: float, nominal_V: float, hand: str
) -> Step:
    """A point at volts: amps that are set, or in constant power the watts that they are at nominal volts."""
    most = min(amps, load.max_W / volts)
    watts = None
    if test.mode == "CP":
        watts = math.floor(min(amps * nominal_V, load.max_W) * 100 + 1e-6) / 100
        most = min(watts / volts, load.max_A)
    set_A = math.floor(most * 1000 + 1e-6) / 1000
    title = f"{show(set_A, 'A') if watts is None else show(watts, 'W')} at {volts:g} V"
    return Step(set_A, None, Band(set_A * load.on_ohm, load.max_V), title, watts=watts, hand=hand, asks="A")


def _watts(facts: Facts, load: LoadByCircuit, step: Step, amps: Interval | None) -> list[Finding]:
    """What it takes in constant power, beside what its amps and its own volts allow together."""
    volts = _interval(facts, load, step, "V")
    if amps is None or volts is None or step.watts is None:
        return []
    made = load.circuit.made()
    watts = _product(amps, volts)
    own_V = 0.95 * load.circuit.volts_share * step.watts
    half = math.hypot(made.half_width_A(made.set_by, step.set_A) * volts.value, own_V)
    band = Band(step.watts - half, step.watts + half)
    name = f"set to {step.title}"
    return [Finding(f"set:{step.index}", name, "W", watts, "", judge(watts, band), band)]


def _product(amps: Interval, volts: Interval) -> Interval:
    """Watts of both, its ends from their ends: on the safe side of what both may be off."""
    return Interval(amps.value * volts.value, amps.low * volts.low, amps.high * volts.high)


def _ends(found: Interval) -> tuple[float, float, float]:
    return found.value, found.low, found.high


def _held(facts: Facts, load: LoadByCircuit) -> str:
    """W and minutes that it was held for: by the least that was read, first case to last; else nothing."""
    step = _titled(facts.plan, HELD)
    if step is None:
        return ""
    own = facts.plan.output.id
    here = [r for r in facts.readings if r.step == step.index and r.instrument != load.id]
    at = [r.at for r in here if (r.quantity, r.place) == ("C", case_of(own)) and math.isfinite(r.value)]
    minutes = math.floor((max(at) - min(at)) / 60) if at else 0
    amps, volts = (
        min((i.low for r in here if (r.quantity, r.place) == (q, own) and (i := interval_of(r))), default=0.0)
        for q in ("A", "V")
    )
    if minutes < 1 or min(amps, volts) <= 0:
        return ""
    return f", {show_at_least(amps * volts, 'W')} held for {minutes} min"


def _plain(plan: Plan) -> list[Step]:
    """Its plain points: neither warm again, nor as it starts, nor held."""
    return [s for s in plan.steps if s.title not in (AGAIN, START, HELD)]


def _titled(plan: Plan, title: str) -> Step | None:
    return next((s for s in plan.steps if s.title == title), None)


def _reached(load: LoadByCircuit, test: OwnLoad, output: OutputLink) -> list[float]:
    """The volts of a test that its circuit stands."""
    return [volts for volts in test.volts or (output.nominal_V,) if volts <= load.max_V]


#: The key of the finding that says what was shown of it.
_SHOWN = "shown"


class OwnLoadKind(TestKind[OwnLoad]):
    """A load that one makes, proven: setting, constancy over volts, drift, start, heat."""

    record = OwnLoad
    name = "a load of one’s own"
    method = (
        "Its set amps against another ammeter at several amps and volts, the first again warm, a start with "
        "the load set first, then held at its watts with its hottest case read."
    )

    def fits(self, output: OutputLink) -> bool:
        return isinstance(output, LoadLink)

    def steps(self, s: Situation, test: OwnLoad) -> list[Step]:
        load = load_at(s.job, s.output)
        if load is None:
            return []
        full, found = min(s.output.full_load_A, load.max_A), []
        for volts in _reached(load, test, s.output):
            hand = f"Set what feeds it to {show(volts, 'V')}."
            for share in test.points:
                found.append(_point(load, test, share * full, volts, s.output.nominal_V, hand))
                hand = ""
        if not found:
            return []
        most = max(found, key=lambda step: step.set_A)
        first = _reached(load, test, s.output)[0]
        again = replace(found[0], title=AGAIN, hand=f"Set what feeds it to {show(first, 'V')} again.")
        start = Step(
            most.set_A, None, OPEN, START, also=((start_of(load.id), "A"),),
            hand="Switch off what feeds it, set the load, switch on: the peak of its amps, off a screen.",
        )  # fmt: skip
        held = replace(
            most, title=HELD, hold_s=test.hold_s, every_s=max(test.hold_s / 20, 1.0),
            also=((case_of(s.output.id), "C"), (noise_of(load.id), "A")),
        )  # fmt: skip
        return [*found, again, start, held]

    def unreachable(self, job: Job, test: OwnLoad) -> list[str]:
        output = job.output(test.output)
        load = load_at(job, output)
        if load is None:
            return []
        stands = show(load.max_V, "V")
        return [
            f"{show(volts, 'V')} is left out: by its circuit it stands {stands}."
            for volts in test.volts or (output.nominal_V,)
            if volts > load.max_V
        ]

    def findings(self, facts: Facts, test: OwnLoad) -> list[Finding]:
        load = load_at(facts.job, facts.plan.output)
        if load is None:
            return []
        found = [*self._set(facts, load), *self._over_volts(facts, load, test)]
        found += self._drift(facts, load, test)
        found += [*self._start(facts, load, test), *self._hot(facts, load), *self._noise(facts, load, test)]
        shown = self._shown(facts, load, found)
        return [*found, *shown]

    @staticmethod
    def _points(facts: Facts, load: LoadByCircuit) -> list[tuple[Step, Reading]]:
        """Plain points with the amps that another meter read there."""
        read = [(s, _by_another(facts, load, s, "A")) for s in _plain(facts.plan)]
        return [(step, r) for step, r in read if r is not None]

    def _set(self, facts: Facts, load: LoadByCircuit) -> list[Finding]:
        found, made = [], load.circuit.made()
        for step in _plain(facts.plan):
            name, key = f"set to {step.title}", f"set:{step.index}"
            amps = facts.interval(step.index, "A")
            if amps is None:
                continue
            if _by_another(facts, load, step, "A") is None:
                said = "read by itself: that proves nothing of it"
                found.append(Finding(key, name, "A", amps, said, Verdict.NOT_MEASURED))
                continue
            if step.watts is not None:
                found += _watts(facts, load, step, amps)
                continue
            half = made.half_width_A(made.set_by, step.set_A)
            band = Band(step.set_A - half, step.set_A + half)
            found.append(Finding(key, name, "A", amps, "", judge(amps, band), band))
        return found

    def _over_volts(self, facts: Facts, load: LoadByCircuit, test: OwnLoad) -> list[Finding]:
        """How far its amps go with the volts, the same amps being set."""
        by_amps: dict[float, list[Reading]] = {}
        for step, reading in self._points(facts, load):
            if step.watts is None:
                by_amps.setdefault(step.set_A, []).append(reading)
        band = Band(-test.allowed, test.allowed)
        found = []
        for amps, readings in by_amps.items():
            if len(readings) > 1 and amps > 0:
                change = difference(readings[-1], readings[0], amps)
                name = f"over volts, at {show(amps, 'A')}"
                key = f"over_volts:{amps:g}"
                found.append(Finding(key, name, "%", change, "", judge(change, band), band))
        return found

    def _drift(self, facts: Facts, load: LoadByCircuit, test: OwnLoad) -> list[Finding]:
        again = _titled(facts.plan, AGAIN)
        points = self._points(facts, load)
        warm = _by_another(facts, load, again, "A") if again else None
        if again is None or warm is None or not points or points[0][0].index != 0:
            return []
        change, band = difference(warm, points[0][1], points[0][0].set_A), Band(-test.allowed, test.allowed)
        return [Finding("drift", "drift, warm", "%", change, "", judge(change, band), band)]

    def _start(self, facts: Facts, load: LoadByCircuit, test: OwnLoad) -> list[Finding]:
        step = _titled(facts.plan, START)
        reading = _by_another(facts, load, step, "A", start_of(load.id)) if step else None
        if step is None or reading is None:
            return []
        peak, band = interval_of(reading), Band(None, step.set_A * (1 + test.allowed_start))
        told = load.circuit.made().start
        said = f"its circuit says {show(told.peak_A, 'A')}" if told else ""
        return [Finding("start", "peak as it is fed", "A", peak, said, judge(peak, band), band)]

    def _hot(self, facts: Facts, load: LoadByCircuit) -> list[Finding]:
        """Its hottest junction, by the case that was read and the watts there."""
        step = _titled(facts.plan, HELD)
        if step is None:
            return []
        case = facts.interval(step.index, "C", case_of(facts.plan.output.id))
        if case is None:
            return []
        name = "hottest junction, held"
        amps, volts = (_interval(facts, load, step, quantity) for quantity in ("A", "V"))
        if amps is None or volts is None:
            said = "its watts there were not read by another"
            return [Finding("junction", name, "C", None, said, Verdict.NOT_MEASURED)]
        made, device = load.circuit.made(), load.circuit.device
        watts = _product(amps, volts)
        # By its mean watts, and at the worst by those of the device with the lowest shunt.
        even = 1 / made.sink.devices
        each = (watts.value * even, watts.low * even, watts.high * made.most_share)
        rises = (device.junction_K_W * w for w in each)
        junction = Interval(*(c + k for c, k in zip(_ends(case), rises, strict=True)))
        band = Band(None, device.hottest_C)
        said = f"case {show(case.value, 'C')} at {show(watts.value, 'W')}"
        return [Finding("junction", name, "C", junction, said, judge(junction, band), band)]

    def _noise(self, facts: Facts, load: LoadByCircuit, test: OwnLoad) -> list[Finding]:
        """Amps p-p while it is held, off a screen across a shunt."""
        step = _titled(facts.plan, HELD)
        swing = _interval(facts, load, step, "A", noise_of(load.id)) if step else None
        if step is None or swing is None:
            return []
        band = Band(None, test.allowed * step.set_A)
        return [Finding("noise", "noise p-p, held", "A", swing, "", judge(swing, band), band)]

    def _shown(self, facts: Facts, load: LoadByCircuit, found: Sequence[Finding]) -> list[Finding]:
        """What may stand on its own plate: amps, volts, watts, by the lower ends of what was read."""
        good = {f.key for f in found if f.verdict is Verdict.CONFORMS}
        steps = [s for s, _ in self._points(facts, load) if f"set:{s.index}" in good]
        if not steps or any(f.verdict is Verdict.NONCONFORMING for f in found):
            return []
        amps = [i.low for s in steps if (i := _interval(facts, load, s, "A"))]
        volts = [i.low for s in steps if (i := _interval(facts, load, s, "V"))]
        text = show_at_least(max(amps), "A")
        if volts:
            text += f", {show_at_least(max(volts), 'V')}"
        if "junction" in good:
            text += _held(facts, load)
        return [Finding(_SHOWN, "shown of it", text=text, is_note=True)]

    def sinks(self, result: Outcome) -> str:
        return next((f.text for f in result.findings if f.key == _SHOWN), "")

    def picture(self, result: Outcome, test: OwnLoad) -> Picture:
        """How far each set current is off, in mA, between what its circuit allows."""
        facts, spots = result.facts, []
        load = load_at(facts.job, result.plan.output) if facts else None
        if facts is None or load is None:
            return in_band(result)
        made, verdicts = load.circuit.made(), {f.key: f.verdict for f in result.findings}
        for step, reading in self._points(facts, load):
            amps = interval_of(reading)
            if amps is None:
                continue
            off = 1e3 * (amps.value - step.set_A)
            verdict = verdicts.get(f"set:{step.index}")
            spots.append(Spot(step.set_A, off, 1e3 * amps.half_width, verdict, step.title))
        across = np.linspace(0, max(s.set_A for s in result.plan.steps), 20)
        half = np.array([1e3 * made.half_width_A(made.set_by, float(a)) for a in across])
        edges = (Line("allowed by its circuit", across, half), Line("", across, -half))
        return Picture("set, A", "off by, mA", tuple(spots), edges)

    def reader_words(self, job: Job, plan: Plan, test: OwnLoad) -> str:
        load, meter = load_at(job, plan.output), job.part(job.campaign.ammeter)
        if load is None or meter is None:
            return "No ammeter in hand: its amps can’t be judged."
        if meter.id == load.id:
            return f"{load.name} would read itself: choose another ammeter under “With what”."
        amps, made = plan.most_A, load.circuit.made()
        half = accuracy_of(job, meter.id, "A", amps)[0].half_width(amps)
        room = made.half_width_A(made.set_by, amps)
        fine = "fine enough" if half < room / 3 else "too coarse to settle much"
        return f"{meter.name} reads ± {show(half, 'A')} here, its circuit allows ± {show(room, 'A')}: {fine}."

    def planned(self, job: Job, output: OutputLink) -> list[OwnLoad]:
        if not isinstance(output, LoadLink):
            return []
        return [OwnLoad(id="x", output=output.id)]
