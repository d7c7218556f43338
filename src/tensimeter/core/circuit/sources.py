"""The sources of a design: which stand in a stack, which share one common, which of them meet earth."""

from collections.abc import Sequence

from tensimeter.core.electrical.stack import Unit
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import alternatives
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import Link, OutputLink, UnitLink


def stacked_units(job: Job, links: Sequence[Link]) -> list[SourcePart]:
    """The parts of these links that are units of a stack, in their order."""
    parts = (job.part(link.part) for link in links)
    return [p for p in parts if isinstance(p, SourcePart) and p.stack_unit() is not None]


def stacks(job: Job) -> list[list[UnitLink]]:
    """The units that stand on one another, from the bottom; one that stands alone is a stack of one."""
    units = [x for x in job.design.links if isinstance(x, UnitLink)]
    found: dict[str, list[UnitLink]] = {}
    for unit in units:
        found.setdefault(job.design.path_to(unit.id)[0].id, []).append(unit)
    return list(found.values())


def units_of_stack(job: Job, units: Sequence[UnitLink]) -> list[Unit]:
    """What a stack is computed of; empty where its units are no units of a stack."""
    return [u for p in stacked_units(job, units) if (u := p.stack_unit()) is not None]


def commons(job: Job) -> list[list[UnitLink]]:
    """The units by the common that they share, each group apart from the others until somebody joins them.

    Those of one stack, the rails of one supply and sources of which one is chosen have one common.
    """
    spare = alternatives(job.design)
    found: dict[str, list[UnitLink]] = {}
    for stack in stacks(job):
        bottom = stack[0]
        chosen = spare.get(bottom.id)
        shared = f"choice:{chosen.id}" if chosen else f"part:{bottom.part}" if bottom.rail else bottom.id
        found.setdefault(shared, []).extend(stack)
    return list(found.values())


def common_of(job: Job, link_id: str) -> list[UnitLink]:
    """The units that share the common of a link; empty where no source feeds it."""
    first = next(iter(job.design.path_to(link_id)), None)
    return next((group for group in commons(job) if first in group), [])


def outputs_by_common(job: Job) -> list[list[OutputLink]]:
    """The outputs of each common, in the order of the outline; a common without one is left out."""
    groups = [[o for o in job.design.outputs() if common_of(job, o.id) == g] for g in commons(job)]
    return [g for g in groups if g]


def bonded(job: Job, link_id: str) -> bool:
    """Whether the common of a link is joined to earth: by the policy, by its source, or through another."""
    if job.policy.reference == "negative_bonded":
        return True
    own = common_of(job, link_id)
    groups = commons(job) if job.policy.commons == "joined" else [own]
    return any(earthed(job, unit) for group in groups for unit in group)


def earthed(job: Job, unit: UnitLink) -> bool:
    """Whether a source has its common joined to earth by itself: no wire has to bond it."""
    part = job.part(unit.part)
    own = isinstance(part, SourcePart) and (
        part.common_earthed or (part.metal_case and part.negative_on_case)
    )
    return unit.earthed or own


def below_common(job: Job, link_id: str) -> bool:
    """Whether what feeds a link is a rail below its common: then the common is its positive."""
    first = next(iter(job.design.path_to(link_id)), None)
    if isinstance(first, OutputLink):
        return first.below
    part = job.part(first.part) if first is not None else None
    return first is not None and isinstance(part, SourcePart) and part.below_common(first)


def signed_V(job: Job, output: OutputLink) -> float:
    """Nominal volts of an output, negative where they stand below common."""
    return -output.nominal_V if below_common(job, output.id) else output.nominal_V


def rail_colour(job: Job, link_id: str) -> str:
    """The colour of the rail that stands at a link, no converter between; empty where there is none."""
    path = job.design.path_to(link_id)
    part = job.part(path[0].part) if path else None
    if not isinstance(part, SourcePart) or any(x.kind == "converter" for x in path):
        return ""
    return part.wire_colour(path[0])
