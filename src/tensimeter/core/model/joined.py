"""What of a design joins up: a part of it that does not takes nothing else down."""

from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.path import Design, EitherLink, Link
from tensimeter.core.remembered import remembered


@remembered("design", "stock")
def _joined(job: Job, output: str) -> Design:
    """The links of all outputs whose paths join up; where this one's does not, itself with nothing before."""
    sound = [o.id for o in job.design.outputs()]
    while True:
        kept = {link.id for o in sound for link in _path(job.design, o)}
        design = job.design.model_copy(
            update={"links": tuple(link for link in job.design.links if link.id in kept)}
        )
        wrong = problems(design, job.stock).keys()
        broken = {o for o in sound for link in _path(job.design, o) if link.id in wrong}
        if not broken:
            break
        sound = [o for o in sound if o not in broken]
    if output in sound:
        return design
    alone = job.output(output).model_copy(update={"fed_by": None})
    return job.design.model_copy(update={"links": (alone,)})


def _path(design: Design, output: str) -> list[Link]:
    """All that an output stands on: its path, and what may feed it instead."""
    found = list(design.path_to(output))
    for link in found:
        if isinstance(link, EitherLink):
            found += [x for other in link.others for x in design.path_to(other) if x not in found]
    return found


def joined(job: Job, output: str) -> Job:
    """The job with that part of its design alone that joins up, as tests of an output are judged by it.

    An output whose own path does not join up is known by what is read of it, and by nothing else.
    """
    if not problems(job.design, job.stock):
        return job
    return job.model_copy(update={"design": _joined(job, output)})
