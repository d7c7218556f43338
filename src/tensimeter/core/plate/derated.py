"""Amps in a warmer room than the one a soak was held in: computed from what it has shown of its heat."""

import numpy as np

from tensimeter.core.heat_design.measuring_points import Scenario, heats
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.soak.identified import shown
from tensimeter.core.testplan.soak.run import loads_beside, soak_runs
from tensimeter.core.testplan.step import Outcome

#: The room that is told where nobody has said how warm it may become, °C: a rule of thumb.
WARM_ROOM_C = 40.0
#: Loads at which the heat is worked out, from none to the soaked one.
LOADS = 40


def derated_A(job: Job, found: Outcome, held_A: float) -> tuple[float, float] | None:
    """Amps that a soaked part stands in the warmest room, and that room in °C.

    By the upper end of the 95 % interval of its junction, from its stages as fitted. None where nothing was
    fitted, or where the room was as warm already.
    """
    runs = soak_runs(found.facts.readings, found.plan.output.id) if found.facts is not None else []
    known = shown(job, found.plan, runs[-1]) if runs else None
    room_C = max(job.settings.warmest_C, WARM_ROOM_C)
    if known is None or known.room_C >= room_C or held_A <= 0:
        return None
    loads = np.linspace(0.0, held_A, LOADS)
    beside = {o: a[-1:] * LOADS for o, a in loads_beside(job, runs[-1]).items()}
    own, _ = heats(job, found.plan.output.id, loads.tolist(), known.link, beside)
    shares = own / own[-1] if own[-1] > 0 else np.zeros(LOADS)
    hot = np.array([known.junction(Scenario(room_C, float(s))).high for s in shares])
    stands = loads[np.isfinite(hot) & (hot <= known.limit_C)]
    return (float(stands.max()), room_C) if len(stands) else (0.0, room_C)
