"""Which tests are still missing for a fuller plate, the shortest first."""

from collections.abc import Sequence
from functools import partial

from msgspec import Struct

from tensimeter.core.guarded import guarded
from tensimeter.core.held.points import real
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.job import Job
from tensimeter.core.path import LoadLink, OutputLink
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.registry import KINDS
from tensimeter.core.testplan.step import Outcome, Plan

#: What each kind of test adds to a plate.
ADDS = {
    "load-regulation": "its amps",
    "reach": "its reach",
    "minimum-load": "its least load",
    "ripple": "its ripple",
    "current-limit": "its limit",
    "over-voltage": "its trip",
    "soak": "its continuous amps",
}


class Missing(Struct, frozen=True):
    """A test that is not there, or not read to its end: what it adds, and how long it takes, s."""

    output: str
    name: str
    kind: str
    adds: str
    duration_s: float


def missing(job: Job, judged: Sequence[Outcome]) -> list[Missing]:
    """What is still to be tested, as far as it can be planned for an output."""
    outputs = [o for o in job.design.outputs() if not isinstance(o, LoadLink)]
    found = [one for output in outputs for one in _of(job, judged, output)]
    return sorted(found, key=lambda one: one.duration_s)


def _of(job: Job, judged: Sequence[Outcome], output: OutputLink) -> list[Missing]:
    done = {
        o.plan.test.kind
        for o in real(job, judged, output.id)
        if o.complete and o.verdict is not Verdict.NOT_MEASURED
    }
    told = []
    for kind, adds in ADDS.items():
        if kind in done:
            continue
        worked_out = _plan(job, output, kind)
        if worked_out is not None:
            told.append(Missing(output.id, output.name, kind, adds, worked_out.duration_s))
    return told


def _plan(job: Job, output: OutputLink, kind: str) -> Plan | None:
    """The test as it stands in the campaign, or as it would be added to it."""
    own = [t for t in job.campaign.tests if t.kind == kind and t.output == output.id]
    tests = own or KINDS[kind].planned(job, output)
    return guarded("This test", partial(plan, job, tests[0]), lambda _: None) if tests else None


def missing_sentence(one: Missing) -> str:
    """What is missing, what it adds, how long it takes."""
    minutes = one.duration_s / 60
    takes = f"{minutes / 60:.1f} h" if minutes >= 90 else f"{max(minutes, 1):.0f} min"
    return f"{one.name}: {KINDS[one.kind].name}, for {one.adds}: {takes}"
