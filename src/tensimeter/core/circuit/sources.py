"""The sources of a design: which may stand in a stack, and whether one earths its common."""

from collections.abc import Sequence

from tensimeter.core.model.job import Job
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import Link


def stacked_units(job: Job, links: Sequence[Link]) -> list[SourcePart]:
    """The parts of these links that are units of a stack, in their order."""
    parts = (job.part(link.part) for link in links)
    return [p for p in parts if isinstance(p, SourcePart) and p.stack_unit() is not None]


def common_earthed(job: Job) -> bool:
    """Whether a source of the path has its common joined to earth inside."""
    parts = (job.part(link.part) for link in job.design.links)
    return any(isinstance(p, SourcePart) and p.common_earthed for p in parts)
