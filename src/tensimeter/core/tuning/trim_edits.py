"""Edits of the trims that a job names."""

from typing import Literal

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import identifier
from tensimeter.core.model.job import Job
from tensimeter.core.model.trims import TrimScrew
from tensimeter.core.quantity import parse
from tensimeter.core.testplan.step import panel_of


def with_trim(
    job: Job, name: str, moves: str, quantity: Literal["V", "A"] = "V", up: str = "", down: str = ""
) -> Job:
    """The job with a trim named; `up` and `down` are turns to its stops as typed, empty where not known.

    UserError for no name, a place that there is not, or turns that are none.
    """
    if not name.strip():
        raise UserError("Give the trim a name first: what is written beside it, or where it is.")
    outputs = [o.id for o in job.design.outputs()]
    if moves not in (*outputs, *(panel_of(o) for o in outputs)):
        known = ", ".join((*outputs, *(panel_of(o) for o in outputs))) or "nothing yet"
        raise UserError(f"A trim moves an output or a display: {known}.")
    taken = [*(x.id for x in job.design.links), *(s.id for s in job.assembly.trims)]
    ends = {k: parse(text, "turn") for k, text in (("up", up), ("down", down)) if text.strip()}
    if any(v < 0 for v in ends.values()):
        raise UserError("Turns to a stop are counted from where it stands: zero or more, up and down.")
    screw = TrimScrew(id=identifier(name, taken), name=name.strip(), moves=moves, quantity=quantity)
    return _with_trims(job, (*job.assembly.trims, screw.with_fields(**ends)))


def without_trim(job: Job, screw: str) -> Job:
    """The job without a trim; what was read of it stays."""
    return _with_trims(job, tuple(s for s in job.assembly.trims if s.id != screw))


def sealed(job: Job, screw: str, shut: bool) -> Job:
    """The job with a trim sealed, or opened again."""
    return _with_trims(
        job, tuple(s.with_fields(sealed=shut) if s.id == screw else s for s in job.assembly.trims)
    )


def _with_trims(job: Job, trims: tuple[TrimScrew, ...]) -> Job:
    return job.with_fields(assembly=job.assembly.with_fields(trims=trims))
