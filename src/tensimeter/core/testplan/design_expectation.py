"""What the design says of an output before anything is read: its limit, its trip, its efficiency."""

import numpy as np

from tensimeter.core.circuit.network import build, has_source
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.rating.dissipation import wall_W

#: How far past full load the limit is looked for.
MOST_SHARE = 4.0


def limit_A(job: Job, output: str) -> float | None:
    """The current in A at which the design limits an output; None where it does not."""
    if not has_source(job):
        return None
    full = job.output(output).full_load_A
    amps = np.linspace(0, MOST_SHARE * full, 1601)
    try:
        point = solve(build(job), {output: amps})[output]
    except UserError:
        return None
    flows = np.broadcast_to(np.nan_to_num(point.I), amps.shape)
    # Past a limit the load gets less, or the path has no point at all.
    volts = np.broadcast_to(point.V, amps.shape)
    short = (flows < amps - 1e-6 * full) | ~np.isfinite(volts)
    flows = np.where(np.isfinite(volts), flows, 0.0)
    return float(flows[short].max(initial=amps[int(np.argmax(short)) - 1])) if short.any() else None


def trip_V(job: Job, output: str) -> float | None:
    """The lowest over-voltage trip of what feeds an output directly, V; None where none is known."""
    for link in reversed(job.design.path_to(output)[:-1]):
        part = job.part(link.part)
        if isinstance(part, SourcePart):
            return part.trips_at_V(link)
        if isinstance(part, ConverterPart):
            return part.over_voltage_V
    return None


def efficiency_at(job: Job, output: str, amps: float) -> float | None:
    """Watts at an output over watts from the wall, the other outputs idle; None where it is not known."""
    if not has_source(job) or amps <= 0:
        return None
    try:
        solution = solve(build(job), {output: np.float64(amps)})
    except UserError:
        return None
    point, wall = solution[output], float(wall_W(job, solution))
    out = float(point.V * point.I)
    return out / wall if np.isfinite(wall) and wall > 0 and np.isfinite(out) else None
