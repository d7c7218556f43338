"""Tests along the load of one output: regulation, minimum load, efficiency, capacity, a real device."""

import math

import numpy as np
from msgspec.structs import replace

from tensimeter.core.analysis.capacity import capacity
from tensimeter.core.design.reach import set_to
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.measurement.products import Factor, product
from tensimeter.core.measurement.readings import interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import CapacityDown, Efficiency, LoadRegulation, MinimumLoad, RealDevice
from tensimeter.core.parts.fed_part import PlainLoad
from tensimeter.core.parts.instrument_part import LineFeeder
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.design_expectation import efficiency_at
from tensimeter.core.testplan.equipment import loads_words, sinks_A
from tensimeter.core.testplan.kind import TestKind
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.testplan.step import (
    OPEN,
    WALL,
    Capture,
    Facts,
    Finding,
    Outcome,
    Situation,
    Step,
    predicted,
)


def along(s: Situation, shares: tuple[float, ...], **fields: object) -> list[Step]:
    """Steps at shares of full load, the other outputs idle."""
    amps = s.amps(shares)
    line = s.line(amps)
    steps = [Step(float(a), predicted(line, k), s.band) for k, a in enumerate(amps)]
    return [replace(step, **fields) for step in steps] if fields else steps


class LoadRegulationKind(TestKind[LoadRegulation]):
    """Volts against amps from no load to full load."""

    record = LoadRegulation
    in_reach = True
    plot = "line"
    by_current = True
    name = "load regulation"
    standard = "load effect"
    method = "Volts at set currents, up and then down, the mains constant, the other outputs idle."

    def steps(self, s: Situation, test: LoadRegulation) -> list[Step]:
        if not test.set_V:
            return [_held(step, test.mode, s.output.nominal_V) for step in along(s, test.points)]
        found: list[Step] = []
        for volts in test.set_V:
            # Its watts are fewer amps at more volts.
            sinks = sinks_A(s.job, volts)
            amps = np.minimum(s.amps(test.points), np.inf if sinks is None else np.floor(sinks * 1000) / 1000)
            band = Band.around(volts, s.output.tolerance)
            try:
                line = s.line(amps, network=set_to(s.job, s.output.id, volts, {}))
            except UserError:
                line = None
            found += [
                Step(float(a), predicted(line, k), band, f"{volts:g} V", trim_V=volts)
                for k, a in enumerate(amps)
            ]
        return found

    def unreachable(self, job: Job, test: LoadRegulation) -> list[str]:
        output, found = job.output(test.output), []
        for volts in test.set_V:
            sinks = sinks_A(job, volts)
            if sinks is not None and float(sinks) < output.full_load_A:
                found.append(
                    f"At {show(volts, 'V')} {loads_words(job)} sinks {show(float(sinks), 'A')} of "
                    f"{show(output.full_load_A, 'A')}."
                )
        return found

    def findings(self, facts: Facts, test: LoadRegulation) -> list[Finding]:
        return []

    def planned(self, job: Job, output: OutputLink) -> list[LoadRegulation]:
        return [LoadRegulation(id="x", output=output.id)]

    def rates(self, test: LoadRegulation) -> bool:
        return not test.set_V

    def fits_line(self, test: LoadRegulation) -> bool:
        return True


def _held(step: Step, mode: str, nominal: float) -> Step:
    """A step whose load holds a resistance or a power that draws its current at the volts expected there."""
    volts = step.prediction.value if step.prediction else nominal
    if mode == "CC" or step.set_A == 0:
        return step
    if mode == "CR":
        return replace(step, ohms=volts / step.set_A, title=show(volts / step.set_A, "ohm"))
    return replace(step, watts=volts * step.set_A, title=show(volts * step.set_A, "W"))


class MinimumLoadKind(TestKind[MinimumLoad]):
    """Where the volts come into their band when little is drawn."""

    record = MinimumLoad
    plot = "line"
    by_current = True
    name = "minimum load"
    standard = ""
    method = "Volts at no load and at small loads; the least from which on they stay in their band."

    def steps(self, s: Situation, test: MinimumLoad) -> list[Step]:
        return along(s, test.points)

    def findings(self, facts: Facts, test: MinimumLoad) -> list[Finding]:
        least: float | None = None
        read = 0
        for step in sorted(facts.plan.steps, key=lambda x: -x.set_A):
            verdict = judge(facts.interval(step.index, "V"), step.allowed)
            if verdict is Verdict.NOT_MEASURED:
                continue
            read += 1
            if verdict is not Verdict.CONFORMS:
                break
            least = step.set_A
        if not read:
            return []
        if least is None:
            return [
                Finding(
                    "minimum_load", "minimum load", text="more than was tried", verdict=Verdict.NONCONFORMING
                )
            ]
        text = "none needed" if least == 0 else f"{show(least, 'A')}"
        return [Finding("minimum_load", "minimum load", text=text, verdict=Verdict.CONFORMS)]

    def planned(self, job: Job, output: OutputLink) -> list[MinimumLoad]:
        parts = [job.part(link.part) for link in job.design.path_to(output.id)]
        if not any(isinstance(p, SourcePart) and p.separate_outputs() for p in parts):
            return []
        return [MinimumLoad(id="x", output=output.id)]


class EfficiencyKind(TestKind[Efficiency]):
    """Power out over power in along the load."""

    record = Efficiency
    by_current = True
    name = "efficiency"
    standard = "efficiency"
    method = "Watts at the output over watts at the wall, read at the same moment; the rest is heat."

    def steps(self, s: Situation, test: Efficiency) -> list[Step]:
        return along(s, test.points, also=((WALL, "W"),))

    def findings(self, facts: Facts, test: Efficiency) -> list[Finding]:
        found = []
        for step in facts.plan.steps:
            volts, amps = facts.interval(step.index, "V"), facts.interval(step.index, "A")
            wall = facts.interval(step.index, "W", WALL)
            if volts is None or amps is None or wall is None or wall.value <= 0:
                continue
            at = f"at {show(step.set_A, 'A')}" if step.set_A else "at no load"
            if step.set_A == 0:
                found.append(Finding(f"watts_taken:{step.index}", f"watts taken {at}", "W", wall))
                continue
            relative = _relative(facts, step, (volts, amps, wall))
            share = volts.value * amps.value / wall.value
            value = Interval(share, share * (1 - relative), share * (1 + relative))
            guess = efficiency_at(facts.job, facts.plan.output.id, step.set_A)
            text = f"predicted {show(guess, '%')}" if guess is not None else ""
            band = Band(test.least, None) if test.least else None
            verdict = judge(value, band) if band else None
            found.append(
                Finding(f"efficiency:{step.index}", f"efficiency {at}", "%", value, text, verdict, band)
            )
            loss = wall.value - volts.value * amps.value
            half = math.hypot(wall.half_width, volts.value * amps.value * relative)
            found.append(
                Finding(
                    f"lost_as_heat:{step.index}",
                    f"lost as heat {at}",
                    "W",
                    Interval(loss, loss - half, loss + half),
                )
            )
        return found

    def picture(self, result: Outcome, test: Efficiency) -> Picture:
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

    def planned(self, job: Job, output: OutputLink) -> list[Efficiency]:
        line = job.part(job.campaign.line_source)
        if not isinstance(line, LineFeeder) or line.watts is None:
            return []
        return [Efficiency(id="x", output=output.id)]


def _relative(facts: Facts, step: Step, read: tuple[Interval, Interval, Interval]) -> float:
    """95 % of volts times amps over watts, as a share: by what each meter is made of, where that is known."""
    meters = [facts.last(step.index, q) for q in ("V", "A")] + [facts.last(step.index, "W", WALL)]
    known = [(m.value, m.accuracy) for m in meters if m is not None and m.accuracy is not None and m.value]
    if len(known) == len(meters):
        powers = (1, 1, -1)
        made = product(Factor(v, a, p) for (v, a), p in zip(known, powers, strict=True))
        # What a lead or a range adds to a reading is in its own interval.
        extra = [
            max(x.half_width / abs(x.value) - a.half_width(v) / abs(v), 0.0)
            for x, (v, a) in zip(read, known, strict=True)
        ]
        return math.hypot(made.half_width / abs(made.value), *extra)
    return math.hypot(*(x.half_width / abs(x.value) for x in read))


class CapacityKind(TestKind[CapacityDown]):
    """How long a battery holds, and the charge it gives."""

    record = CapacityDown
    name = "capacity"
    standard = ""
    method = "Volts and amps over time at one load down to the cut-off; charge and energy are summed."
    totals = frozenset(("Ah", "Wh"))

    def steps(self, s: Situation, test: CapacityDown) -> list[Step]:
        amps = float(s.amps((test.share,))[0])
        cutoff = test.cutoff_V or 0.8 * s.output.nominal_V
        title = f"down to {show(cutoff, 'V')}"
        return [
            Step(amps, None, OPEN, title, phase="watch", scans=100_000, every_s=test.every_s, until_V=cutoff)
        ]

    def findings(self, facts: Facts, test: CapacityDown) -> list[Finding]:
        return self._summed(facts, test) or self._totalled(facts, test)

    def _totalled(self, facts: Facts, test: CapacityDown) -> list[Finding]:
        """By the totals that a display showed; short of what is claimed only where its end was read."""
        ends = test.cutoff_V or 0.8 * facts.plan.output.nominal_V
        is_empty = any(r.quantity == "V" and r.known == "read" and r.value <= ends for r in facts.readings)
        claimed, found = _claimed_Ah(test, facts.plan.output.nominal_V), list[Finding]()
        for quantity, name in (("Ah", "charge"), ("Wh", "energy")):
            total = facts.last(0, quantity)
            value = interval_of(total) if total is not None else None
            if value is None:
                continue
            band = Band(claimed, None) if claimed and quantity == "Ah" else None
            verdict = judge(value, band) if band is not None else None
            if verdict is Verdict.NONCONFORMING and not is_empty:
                verdict = Verdict.NOT_MEASURED
            said = (
                "as totalled"
                if is_empty
                else f"as totalled; that it was down to {show(ends, 'V')} was not read"
            )
            found.append(Finding(name, name, quantity, value, said, verdict, band))
        return found

    def _summed(self, facts: Facts, test: CapacityDown) -> list[Finding]:
        by_scan: dict[int, dict[str, float]] = {}
        at: dict[int, float] = {}
        for r in facts.readings:
            by_scan.setdefault(r.scan, {})[r.quantity] = r.value
            at[r.scan] = r.at
        rows = [(at[k], row["V"], row["A"]) for k, row in by_scan.items() if {"V", "A"} <= set(row)]
        if len(rows) < 2:
            return []
        t, v, i = np.array(sorted(rows)).T
        cutoff = test.cutoff_V or 0.8 * facts.plan.output.nominal_V
        meters = {q: next((r.accuracy for r in facts.readings if r.quantity == q), None) for q in ("V", "A")}
        try:
            found = capacity(t - t[0], v, i, cutoff, test.own_A, voltmeter=meters["V"], ammeter=meters["A"])
        except UserError as trouble:
            return [Finding("charge", "charge", text=str(trouble), is_note=True)]
        claimed = _claimed_Ah(test, facts.plan.output.nominal_V)
        verdict = judge(found.charge_Ah, Band(claimed, None)) if claimed else None
        said = "" if found.reached_cutoff else "so far: the cut-off was not reached"
        if not found.reached_cutoff and verdict is Verdict.NONCONFORMING:
            verdict = Verdict.NOT_MEASURED
        words = f"claimed {show(claimed, 'Ah')}" if claimed else ""
        if claimed and test.claimed_cell_V:
            words += (
                f" here: {show(test.claimed_Ah or 0.0, 'Ah')} of cells at {show(test.claimed_cell_V, 'V')}"
            )
            words += f", {show(test.conversion, '%', 2)} of which comes out"
        text = ", ".join(x for x in (said, words) if x)
        return [
            Finding("charge", "charge", "Ah", found.charge_Ah, text, verdict, Band(claimed, None)),
            *_at_the_cells(test, found.energy_Wh),
            Finding("energy", "energy", "Wh", found.energy_Wh),
            Finding("duration", "duration", "s", found.duration_s),
        ]

    def picture(self, result: Outcome, test: CapacityDown) -> Picture:
        facts = result.facts
        read = [r for r in facts.readings if r.quantity == "V" and r.known == "read"] if facts else []
        start = read[0].at if read else 0.0
        spots = [Spot((r.at - start) / 60, r.value) for r in read]
        cutoff = result.plan.steps[0].until_V if result.plan.steps else None
        lines = []
        if cutoff and spots:
            lines.append(Line("cut-off", np.array([0.0, spots[-1].x]), np.array([cutoff, cutoff])))
        return Picture("minutes", "volts", tuple(spots), tuple(lines), joined=True)

    def planned(self, job: Job, output: OutputLink) -> list[CapacityDown]:
        parts = [job.part(link.part) for link in job.design.path_to(output.id)]
        if not any(isinstance(p, SourcePart) and p.runs_down for p in parts):
            return []
        return [CapacityDown(id="x", output=output.id)]


def _claimed_Ah(test: CapacityDown, nominal_V: float) -> float | None:
    """The claim as the output gives it, Ah: charge · cell volts · what comes out / its volts."""
    if test.claimed_Ah is None or test.claimed_cell_V is None:
        return test.claimed_Ah
    return test.claimed_Ah * test.claimed_cell_V * test.conversion / nominal_V


def _at_the_cells(test: CapacityDown, energy_Wh: Interval) -> list[Finding]:
    """What the cells must have held to give that energy, where the claim is one of cells."""
    if test.claimed_cell_V is None:
        return []
    by = 1 / (test.claimed_cell_V * test.conversion)
    held = Interval(energy_Wh.value * by, energy_Wh.low * by, energy_Wh.high * by)
    text = f"at {show(test.claimed_cell_V, 'V')}, by {show(test.conversion, '%', 2)} that comes out"
    allowed = Band(test.claimed_Ah, None)
    return [Finding("charge_at_the_cells", "charge, at the cells", "Ah", held, text, allowed=allowed)]


class RealDeviceKind(TestKind[RealDevice]):
    """The device that it is built for instead of a load."""

    record = RealDevice
    plot = "wave"
    name = "real device as the load"
    standard = ""
    method = "Volts without the device, the lowest as it starts, and volts and amps as it runs."

    def steps(self, s: Situation, test: RealDevice) -> list[Step]:
        part = s.job.part(test.device or s.output.device)
        draws = part.draw_A(s.output.nominal_V) if isinstance(part, PlainLoad) else 0.0
        draw = draws if part else s.full.amps
        name = part.name if part else "the device"
        line = s.line(np.array([0.0, draw]))
        lowest = s.output.device_min_V or 0.0
        start = Band(lowest or None, s.output.device_max_V)
        capture = Capture("load_step", 0.2, 0.1, draw, by_hand=True)
        return [
            Step(0.0, predicted(line, 0), s.band, f"without {name}"),
            Step(draw, None, start, "as it starts", capture=capture, hand=f"Have {name} ready to join."),
            Step(draw, predicted(line, 1), s.band, "as it runs", hand=f"{name} stays joined."),
        ]

    def findings(self, facts: Facts, test: RealDevice) -> list[Finding]:
        found = []
        wave = facts.wave(1)
        if wave is not None:
            low = float(wave.volts.min())
            band = facts.plan.steps[1].allowed
            value = Interval(low, low * 0.97, low * 1.03)
            found.append(
                Finding(
                    "lowest_volts_as_it_starts",
                    "lowest volts as it starts",
                    "V",
                    value,
                    "",
                    judge(value, band),
                    band,
                )
            )
        amps = facts.interval(2, "A")
        if amps is not None:
            stated = facts.plan.steps[2].set_A
            found.append(Finding("draws", "draws", "A", amps, f"stated {show(stated, 'A')}"))
        before, after = facts.interval(0, "V"), facts.interval(2, "V")
        if before is not None and after is not None:
            drop = before.value - after.value
            half = math.hypot(before.half_width, after.half_width)
            found.append(
                Finding("volts_lost_to_it", "volts lost to it", "V", Interval(drop, drop - half, drop + half))
            )
        return found

    def planned(self, job: Job, output: OutputLink) -> list[RealDevice]:
        if not output.device:
            return []
        return [RealDevice(id="x", output=output.id, device=output.device)]
