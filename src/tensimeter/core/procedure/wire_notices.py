"""Leads that nothing protects: thinner than their fuse, limit or source asks for."""

from tensimeter.core.circuit.guard_of_wire import Guard, guard_of
from tensimeter.core.circuit.network import has_source
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.notice import Notice
from tensimeter.core.parts.path_part import WirePart
from tensimeter.core.path import Link
from tensimeter.core.quantity import show


def unprotected(job: Job) -> list[tuple[Link, float, Guard]]:
    """Leads that carry less in the hottest room than what guards them asks for: link, its A, its guard."""
    found = []
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, WirePart):
            carries, guard = part.carries_A(job.settings.warmest_C), guard_of(job, link.id)
            if guard.wire_A > carries * (1 + 1e-9):
                found.append((link, carries, guard))
    return found


def wire_notices(job: Job) -> list[Notice]:
    """One notice for all leads that nothing protects."""
    if not has_source(job) or problems(job.design, job.stock):
        return []
    found = unprotected(job)
    if not found:
        return []
    said = [
        f"{link.name} carries {show(carries, 'A', 3)} in free air, while {guard.words}"
        for link, carries, guard in found
    ]
    text = f"{'; '.join(said)}. Take a thicker lead, or a smaller fuse right at what feeds it."
    return [Notice("wire:guard", "miss", "A lead that nothing protects", text, "design", found[0][0].id)]
