"""What a job that is just begun wants next, and an example of it that can be taken as it stands."""

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import new_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import card_from_nameplate, with_part
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import UnitLink

#: A supply that many begin with, as it stands on its label.
EXAMPLE = "24V 6.3A 150W"
#: Of a source's volts and amps, what an example outlet asks for.
OUTLET_SHARE = 0.5


class FirstStep(Struct, frozen=True):
    """The stage where the next act is done, what it is, and a line that may be typed there."""

    stage: str
    words: str
    example: str


def first_step(job: Job) -> FirstStep | None:
    """The next act of a job without a path; None once it has an output."""
    if job.design.outputs():
        return None
    sources = [p for p in job.stock if isinstance(p, SourcePart)]
    if not sources:
        return FirstStep("stock", "Type the nameplate of a supply you have: volts, amps, watts.", EXAMPLE)
    if not any(isinstance(x, UnitLink) for x in job.design.links):
        return FirstStep("design", "Join a source first: type its name.", sources[0].name)
    rated = sources[0].rated()
    volts, amps = (rated[0], rated[1]) if rated else (12.0, 2.0)
    line = f"output OUT {volts:.3g}V {OUTLET_SHARE * amps:.2g}A"
    words = "End the path with an output: its name, volts and amps. What stands between may come later."
    return FirstStep("design", words, line)


def with_example(job: Job, step: FirstStep) -> Job:
    """The job with the example of a step taken; UserError where it can't be."""
    if step.stage == "stock":
        return with_part(job, card_from_nameplate(job, step.example))
    links = job.design.links
    made = new_link(job, step.example, links[-1].id if links else None)
    if made == job:
        raise UserError(f"“{step.example}” could not be joined; nothing was changed.")
    return made
