"""Tests of more than one thing: every outlet of a box, and several bought units."""

import math

import numpy as np

from tensimeter.core.circuit.load_line import load_line
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge, worst
from tensimeter.core.model.edits import changed
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import ClaimedFound, Outlets
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.testplan.equipment import beside_A, beside_words, sunk_A
from tensimeter.core.testplan.kind import TestKind
from tensimeter.core.testplan.points_text import units_from, units_text
from tensimeter.core.testplan.step import Facts, Finding, Situation, Step, predicted, slug


def loads_in_hand(job: Job) -> int:
    """How many outputs can be loaded at the same time with the campaign's loads."""
    return 1 + len(job.campaign.other_loads)


class OutletsKind(TestKind[Outlets]):
    """Every outlet on its own at one load."""

    record = Outlets
    by_conditions = True
    name = "every outlet"
    standard = ""
    method = "Each outlet at its full load by itself, then all at once in stages, volts read at each."

    def steps(self, s: Situation, test: Outlets) -> list[Step]:
        outputs = [s.job.output(o) for o in (test.output, *test.others)]
        full = {o.id: sunk_A(s.job, o, o.full_load_A) for o in outputs}
        found = []
        for o in outputs:
            line = load_line(s.job, o.id, np.array([full[o.id]]))
            band = Band.around(o.nominal_V, o.tolerance)
            found.append(Step(full[o.id], predicted(line, 0), band, f"{o.name} alone", o.id))
        if len(outputs) > loads_in_hand(s.job):
            return found
        for share in test.stages:
            amps = {o.id: math.floor(share * full[o.id] * 1000) / 1000 for o in outputs}
            for o in outputs:
                others = beside_A(s.job, {k: a for k, a in amps.items() if k != o.id})
                line = load_line(s.job, o.id, np.array([amps[o.id]]), others=others)
                band = Band.around(o.nominal_V, o.tolerance)
                title = f"{o.name}, all at {100 * share:.0f} %"
                weak = [f"{s.job.output(k).name} at {a:.3g} A" for k, a in others.items() if a < amps[k]]
                if weak:
                    title += f", but {' and '.join(weak)}"
                found.append(
                    Step(amps[o.id], predicted(line, 0), band, title, o.id, others=tuple(others.items()))
                )
        return found

    def findings(self, facts: Facts, test: Outlets) -> list[Finding]:
        found = []
        for output in (test.output, *test.others):
            link = facts.job.output(output)
            read = [(s, facts.interval(s.index, "V")) for s in facts.plan.steps if s.place == output]
            taken = [(s, v) for s, v in read if v is not None]
            if not taken:
                continue
            verdict = worst(judge(v, s.allowed) for s, v in taken)
            low = min((v for _, v in taken), key=lambda v: v.value)
            found.append(
                Finding(
                    f"lowest:{output}",
                    f"{link.name}, lowest",
                    "V",
                    low,
                    f"{len(taken)} of {len(read)} read",
                    verdict,
                )
            )
        return found

    def planned(self, job: Job, output: OutputLink) -> list[Outlets]:
        first, *rest = job.design.outputs()
        if output != first or not rest:
            return []
        return [Outlets(id="x", output=output.id, others=tuple(o.id for o in rest))]

    def blank(self, job: Job, output: OutputLink) -> dict[str, object]:
        return {"others": tuple(o.id for o in job.design.outputs() if o.id != output.id)}

    def unreachable(self, job: Job, test: Outlets) -> list[str]:
        count, there = 1 + len(test.others), loads_in_hand(job)
        if count > there:
            wanted = count - there
            return [
                f"All {count} outlets at once need {wanted} load{'s' if wanted > 1 else ''} more: "
                "a resistor at each of the others would do."
            ]
        found = []
        for link in (job.output(o) for o in (test.output, *test.others)):
            found += beside_words(job, link, link.full_load_A)
        return found


class ClaimedFoundKind(TestKind[ClaimedFound]):
    """What several units claim against what each gives."""

    record = ClaimedFound
    lines_words = "units: name, volts, amps"
    name = "claimed against found"
    standard = ""
    method = "Each bought unit without load and at the amps that are claimed of it."

    def steps(self, s: Situation, test: ClaimedFound) -> list[Step]:
        found = []
        for unit in test.units:
            band = Band.around(unit.claimed_V, test.tolerance)
            exact = Interval(unit.claimed_V, unit.claimed_V, unit.claimed_V)
            hand = f"Join load and meter to {unit.name}."
            for amps in (0.0, unit.claimed_A):
                title = f"{unit.name}, {'no load' if amps == 0 else show(amps, 'A')}"
                found.append(Step(amps, exact, band, title, slug(unit.name), hand=hand))
        return found

    def findings(self, facts: Facts, test: ClaimedFound) -> list[Finding]:
        found = []
        for k, unit in enumerate(test.units):
            at = facts.interval(2 * k + 1, "V", slug(unit.name))
            if at is None:
                continue
            verdict = judge(at, facts.plan.steps[2 * k + 1].allowed)
            amps = facts.interval(2 * k + 1, "A", slug(unit.name))
            text = f"claimed {show(unit.claimed_V, 'V')} at {show(unit.claimed_A, 'A')}"
            if amps is not None and amps.high < 0.98 * unit.claimed_A:
                text += f"; only {show(amps.value, 'A')} flowed"
                verdict = Verdict.NONCONFORMING
            found.append(Finding(f"found:{slug(unit.name)}", f"{unit.name} found", "V", at, text, verdict))
        return found

    def planned(self, job: Job, output: OutputLink) -> list[ClaimedFound]:
        return []

    def lines(self, test: ClaimedFound) -> str:
        return units_text(test.units)

    def with_lines(self, text: str, test: ClaimedFound) -> ClaimedFound:
        return changed(test, units=units_from(text))
