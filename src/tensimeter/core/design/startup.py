"""Starting up: a source that limits its current may never lift a constant-power load off the ground.

The running state is the upper crossing of the source's V–I line with P/V. Below P/I_limit a converter
that runs already wants more than a current-limited source gives: it locks in at the lower crossing.
"""

import numpy as np
from msgspec import Struct

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
FOLD_WORDS = " To what it folds back is not known; three tenths of its limit are assumed."


class LockIn(Struct, frozen=True):
    """A converter that may stay down: it runs from `start_V`, but needs `clear_V` at the source's limit."""

    link: str
    source: str
    start_V: float
    clear_V: float
    #: To what its source folds back is not known, and what is usual was taken.
    assumed: bool = False

    @property
    def sentence(self) -> str:
        """Why it may lock in, and what to do."""
        return (
            f"Started under full load it runs from {show(self.start_V, 'V', 3)}, where it wants more than "
            f"{self.source} gives: below {show(self.clear_V, 'V', 3)} it may lock in and stay down. Connect "
            f"the load after it is up, or let it start later.{FOLD_WORDS if self.assumed else ''}"
        )


def clear_V(power_W: float, limit_A: float, folded_A: float, full_V: float) -> float:
    """Volts from which on a limited source gives a constant power what it asks for.

    Parameters
    ----------
    power_W, limit_A, folded_A, full_V : float
        What is asked, the source's current at full volts and into a short, and its full volts.

    Returns
    -------
    float
        V where V·I(V) = P with I(V) straight from `folded_A` at 0 V to `limit_A` at `full_V`; infinite where
        the source never gives it.

    Examples
    --------
    A limit that keeps its 5 A gives 60 W from 12 V on; one that folds to 1 A only from higher volts.

    >>> clear_V(60.0, 5.0, 5.0, 24.0), round(clear_V(60.0, 5.0, 1.0, 24.0), 2)
    (12.0, 16.21)
    """
    slope = (limit_A - folded_A) / full_V if full_V > 0 else 0.0
    if slope <= 0:
        return power_W / limit_A
    found = (-folded_A + np.sqrt(folded_A**2 + 4 * slope * power_W)) / (2 * slope)
    return float(found) if found <= full_V else np.inf


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
            own_V = float(np.nan_to_num(solution[link.id].V_in))
            clear = clear_V(power, feeder.holds_at_A, feeder.folds_to_A, own_V)
            start = part.start_V or USUAL_START_V
            if start < clear:
                assumed = feeder.fold_assumed
                found.append(LockIn(link.id, source.name, start, clear, assumed))
                break
    return found


class Inrush(Struct, frozen=True):
    """A device whose first draw exceeds the nearest limit before its output; A."""

    output: str
    name: str
    inrush_A: float
    limit_A: float
    limiter: str
    then: str
    #: The limit is not known, and what is usual was taken.
    assumed: bool = False

    @property
    def sentence(self) -> str:
        """What its device draws at first, and what then gives way."""
        return (
            f"Its device draws {show(self.inrush_A, 'A', 3)} at first; {self.limiter} gives "
            f"{show(self.limit_A, 'A', 3)}{' (assumed: its limit is not known)' if self.assumed else ''}, "
            f"and {self.then}."
        )


def inrushes(job: Job) -> list[Inrush]:
    """Outputs whose device trips the nearest limit when it is switched on."""
    found = []
    for output in job.design.outputs():
        device = connected(job, output)
        if device.inrush_A is None:
            continue
        for link in reversed(job.design.path_to(output.id)[:-1]):
            limit, part = current_limit_A(job, link), job.part(link.part)
            assumed = limit is None and isinstance(part, SourcePart) and not part.shorted_by_ohms
            if assumed:
                assert isinstance(part, SourcePart)
                limit = part.most_A(link)[0]
            if limit is None:
                continue
            assert isinstance(part, PathPart)
            then = part.when_tripped
            if device.inrush_A > limit:
                one = Inrush(output.id, output.name, device.inrush_A, limit, link.name, then, assumed)
                found.append(one)
            break
    return found
