"""What guards a wire: the fuse before it, else a limit, else only what the source can drive."""

from msgspec import Struct

from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.network import current_limit_A
from tensimeter.core.electrical.fuse import OVERLOAD
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import OvercurrentPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.quantity import show


class Guard(Struct, frozen=True):
    """What guards a wire: its fuse's name, A that the wire must carry for good, in words.

    `bare` where nothing guards it.
    """

    fuse: str
    wire_A: float
    words: str
    bare: bool = False


def guard_of(job: Job, link_id: str) -> Guard:
    """What guards the wire to a link.

    A fuse wants a wire of I_n and of I_2/1.45 (IEC 60364-4-43, 433.1); a limit before it holds as much as it
    says. Where neither is there the wire must carry a short.
    """
    path = job.design.path_to(link_id)[:-1]
    for link in reversed(path):
        part = job.part(link.part)
        if isinstance(part, OvercurrentPart):
            needs = max(part.rated_A, part.certain_A / OVERLOAD)
            words = f"{link.name} blows for certain at {show(part.certain_A, 'A', 3)}"
            return Guard(link.name, needs, words)
        limit = current_limit_A(job, link)
        if limit is not None:
            return Guard("", limit, f"{link.name} limits at {show(limit, 'A', 3)}")
    fault = fault_A(job, path[-1].id) if path else None
    if fault is not None:
        return Guard(
            "", fault.amps, f"it has no fuse, and a short drives {show(fault.amps, 'A', 3)}", bare=True
        )
    source = next((p for x in reversed(path) if isinstance(p := job.part(x.part), SourcePart)), None)
    if source is None:
        return Guard("", 0.0, "nothing feeds it")
    amps, assumed = source.most_A(path[0])
    words = f"it has no fuse, and its source is taken to drive {show(amps, 'A', 3)}"
    if assumed:
        words += " (assumed: its limit is not known)"
    return Guard("", amps, words, bare=True)
