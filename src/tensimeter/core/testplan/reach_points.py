"""Points of an adjustable output's reach that prove it: corners, beside each limit, the most heat."""

import numpy as np

from tensimeter.core.circuit.network import has_source
from tensimeter.core.design.reach import Border, most_A, reach, volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import Corner
from tensimeter.core.testplan.equipment import sinks_A

#: How far inside a limit a point beside it lies, so that the supply's own spread does not cross it.
INSIDE = 0.95


def reach_points(job: Job, output: str) -> tuple[Corner, ...]:
    """Corners of the reach, a point just inside each limiter's border, and where most heat is made.

    All within what the policy allows for good and what the load in stock can sink.
    """
    if not has_source(job):
        return ()
    try:
        low, high = volts_span(job, output)
        link = job.output(output)
        # What the device stands bounds what is shown of an output that is made for it.
        low, high = max(low, link.device_min_V or low), min(high, link.device_max_V or high)
        volts = np.linspace(low, high, 61)
        amps = np.linspace(0.0, most_A(job, output), 121)
        found = reach(job, output, volts, amps)
    except UserError:
        return ()
    borders = [_sunk(job, b) for b in found.border() if np.isfinite(b.amps) and b.amps > 0]
    borders = [b for b in borders if b.amps > 0]
    if not borders:
        return ()
    points = {"lowest volts": borders[0], "highest volts": borders[-1]}
    points["most watts"] = max(borders, key=lambda b: b.volts * b.amps)
    # A linear stage or a buck's low side is hottest where much current meets few volts.
    points["most amps at the lowest volts"] = max(borders, key=lambda b: (round(b.amps, 2), -b.volts))
    for name in dict.fromkeys(b.limiter for b in borders if b.limiter):
        along = [b for b in borders if b.limiter == name]
        points[f"beside {name}"] = along[len(along) // 2]
    seen: dict[tuple[float, float], str] = {}
    for why, b in points.items():
        place = (round(b.volts, 1), np.floor(INSIDE * b.amps * 100) / 100)
        seen[place] = f"{seen[place]}, {why}" if place in seen else why
    # Fewest watts first: nothing is asked that what came before has not shown.
    ordered = sorted(seen, key=lambda p: p[0] * p[1])
    return tuple(Corner(volts=v, amps=float(a), why=seen[v, a][:60]) for v, a in ordered)


def _sunk(job: Job, border: Border) -> Border:
    sinks = sinks_A(job, border.volts)
    able = float(sinks) if sinks is not None else np.inf
    if able >= border.amps:
        return border
    return Border(border.volts, able, "what the load can sink")
