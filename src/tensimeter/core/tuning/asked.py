"""Figures that are asked for next: where, of what, at which load; by what a job has and lacks."""

from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.measurement.readings import Measurand
from tensimeter.core.model.job import Job
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.step import Plan, panel_of

#: Loads at which a display is compared, and at which an output is read first, as shares of full load.
COMPARED, FIRST = (0.1, 0.5, 1.0, 0.75, 0.25), (0.0, 0.5, 1.0)


class Asked(Struct, frozen=True):
    """A reading to be taken at a place while an output draws amps; what a screw or a fan is set `to`."""

    place: str
    quantity: Measurand = "V"
    output: str = ""
    amps_A: float = 0.0
    to: float = 0.0


def first_asked(job: Job) -> list[Asked]:
    """What is read before causes can be looked for: each output without load, half loaded and loaded."""
    return [
        Asked(o.id, "V", o.id, round(share * o.full_load_A, 3))
        for o in job.design.outputs()
        for share in FIRST
    ]


def display_asked(output: OutputLink) -> list[Asked]:
    """A display beside its reference, up and down: volts of the output, then what it shows."""
    found = []
    for share in COMPARED:
        amps = round(share * output.full_load_A, 3)
        at = (output.id, amps)
        found += [Asked(output.id, "V", *at)]
        found += [Asked(panel_of(output.id), "V", *at), Asked(panel_of(output.id), "A", *at)]
    return found


def steps_asked(plan: Plan) -> list[Asked]:
    """The steps of a test once more, each load once."""
    amps: Sequence[float] = list(dict.fromkeys(s.set_A for s in plan.steps if not s.past_limits))
    return [Asked(plan.output.id, "V", plan.output.id, a) for a in sorted(amps)]
