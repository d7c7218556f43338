"""The campaign that a job asks for: its tests, in an order that never outruns what is shown."""

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, identifier, with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import Test
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.equipment import filled
from tensimeter.core.testplan.registry import KINDS, rank


def generated(job: Job) -> Job:
    """The job with every test planned that its outputs, policy and instruments allow, each once.

    Tests that are there stay as they are; all stand in the order in which they may be taken. What is in stock
    and plays no role yet is put to use: ripple is planned where there is an oscilloscope.
    """
    job = filled(job)
    there = {(t.kind, t.output) for t in job.campaign.tests}
    taken = [t.id for t in job.campaign.tests]
    tests = list(job.campaign.tests)
    for test in wanted(job):
        if (test.kind, test.output) in there:
            continue
        name = identifier(test.kind if test.kind not in taken else f"{test.kind}-{test.output}", iter(taken))
        taken.append(name)
        tests.append(changed(test, id=name))
    places = {o.id: k for k, o in enumerate(job.design.outputs())}
    tests.sort(key=lambda t: (rank(t.kind), places.get(t.output, 99)))
    return with_campaign(job, tests=tuple(tests))


def wanted(job: Job) -> list[Test]:
    """Every test that fits the job's outputs and what it is measured with."""
    found: list[Test] = []
    for output in job.design.outputs():
        for kind in KINDS.values():
            if kind.fits(output):
                found += kind.planned(job, output)
    return found


def blank(kind: str, job: Job, output: OutputLink) -> Test:
    """A test of one kind as it is first planned; UserError where there is none, or it says nothing there."""
    if kind not in KINDS:
        raise UserError(f"There is no test “{kind}”; there are {', '.join(KINDS)}.")
    if not KINDS[kind].fits(output):
        raise UserError(
            f"{KINDS[kind].name} says nothing of {output.name}: choose another kind of test for it."
        )
    ids = [t.id for t in job.campaign.tests]
    name = identifier(kind if kind not in ids else f"{kind}-{output.id}", iter(ids))
    made = KINDS[kind]
    return made.record.model_validate({"id": name, "output": output.id, **made.blank(job, output)})
