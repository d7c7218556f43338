"""Starting up: a source that limits its current may never lift a constant-power load off the ground.

The running state is the upper crossing of the source's V–I line with P/V. Below P/I_limit a converter
that runs already wants more than a current-limited source gives: it locks in at the lower crossing.
"""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import build, current_limit_A, has_source
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.quantity import show

#: Input volts at which a switching module begins to run where its card says nothing: a rule of thumb.
USUAL_START_V = 7.0


@dataclass(frozen=True)
class LockIn:
    """A converter that may stay down: it runs from `start_V`, but needs `clear_V` at the source's limit."""

    link: str
    source: str
    start_V: float
    clear_V: float

    @property
    def sentence(self) -> str:
        """Why it may lock in, and what to do."""
        return (
            f"Started under full load it runs from {show(self.start_V, 'V', 3)}, where it wants more than "
            f"{self.source} gives: below {show(self.clear_V, 'V', 3)} it may lock in and stay down. Connect "
            "the load after it is up, or let it start later."
        )


def lock_ins(job: Job) -> list[LockIn]:
    """Switching converters under full load behind a donor that holds its current at a limit."""
    if not has_source(job):
        return []
    solution = solve(build(job), full_load(job), as_set=True)
    found = []
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(part, ConverterPart) or part.topology == "linear":
            continue
        power = float(np.nan_to_num(solution[link.id].power_in))
        sources = [
            (x, p) for x in job.design.path_to(link.id) if isinstance(p := job.part(x.part), SourcePart)
        ]
        for source, feeder in sources:
            if not feeder.holds_at_A:
                continue
            clear = power / feeder.holds_at_A
            start = part.start_V or USUAL_START_V
            if start < clear:
                found.append(LockIn(link.id, source.name, start, clear))
                break
    return found


@dataclass(frozen=True)
class Inrush:
    """A device whose first draw exceeds the nearest limit before its output; A."""

    output: str
    name: str
    inrush_A: float
    limit_A: float
    limiter: str
    then: str

    @property
    def sentence(self) -> str:
        """What its device draws at first, and what then gives way."""
        return (
            f"Its device draws {show(self.inrush_A, 'A', 3)} at first; {self.limiter} gives "
            f"{show(self.limit_A, 'A', 3)}, and {self.then}."
        )


#: What a donor beyond its limit makes of a device that draws too much at first.


def inrushes(job: Job) -> list[Inrush]:
    """Outputs whose device trips the nearest limit when it is switched on."""
    found = []
    for output in job.design.outputs():
        device = connected(job, output)
        if device.inrush_A is None:
            continue
        for link in reversed(job.design.path_to(output.id)[:-1]):
            limit, part = current_limit_A(job, link), job.part(link.part)
            if limit is None:
                continue
            assert isinstance(part, PathPart)
            then = part.when_tripped
            if device.inrush_A > limit:
                found.append(Inrush(output.id, output.name, device.inrush_A, limit, link.name, then))
            break
    return found
