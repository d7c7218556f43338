"""The heat-up that a design expects, load after load and with its fan, before anything is read."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.heat_design.fanned import rungs
from tensimeter.core.heat_design.measuring_points import chain, heats, spot_above
from tensimeter.core.model.job import Job
from tensimeter.core.rating.fan_cooling import still_air_K_W
from tensimeter.core.thermal.network import Modes, modes_of, relaxed

#: Points of an expected heat-up.
POINTS = 400


class HeatByDesign(Struct, frozen=True, eq=False):
    """s from the first load on (n,), °C of case, sink and junction at each."""

    time_s: Array
    case_C: Array
    sink_C: Array
    junction_C: Array


def heat_by_design(
    job: Job, output: str, link: str, loads: Sequence[tuple[float, float]], room_C: float
) -> HeatByDesign | None:
    """What a converter does under loads of A, each for so many s; None where the design does not say.

    The network of its stages, exact between points; the fan goes to its next speed at the first point where
    the sink is past its threshold.
    """
    if chain(job, link) is None or not loads:
        return None
    step_s = sum(s for _, s in loads) / POINTS
    inside = spot_above(job, link, f"{link}-case")
    own, rest = heats(job, output, [a for a, _ in loads], link)
    times, heat = [0.0], [float(own[0])]
    state = np.zeros(3 if still_air_K_W(job) else 2)
    rows, at = [state], 0
    for k, (_, hold_s) in enumerate(loads):
        ladder = rungs(job, link, float(own[k]), float(rest[k]))
        regimes = [_regime(job, link, rung.speed, float(own[k]), float(rest[k])) for rung in ladder]
        for _ in range(max(round(hold_s / step_s), 1)):
            modes, final = regimes[at]
            state = relaxed(modes, final, state, np.asarray(step_s))
            sink = room_C + state[1]
            at += at + 1 < len(ladder) and sink >= ladder[at + 1].from_C
            at -= at > 0 and sink <= ladder[at].back_C
            times.append(times[-1] + step_s)
            rows.append(state)
            heat.append(float(own[k]))
    rises = np.array(rows)
    case = room_C + rises[:, 0]
    return HeatByDesign(np.array(times), case, room_C + rises[:, 1], case + inside * np.array(heat))


def _regime(job: Job, link: str, speed: float, own_W: float, rest_W: float) -> tuple[Modes, Array]:
    """Modes of the stages at one speed of the fan, and the rises they tend to: case, sink, then the air."""
    stages = chain(job, link, speed)
    assert stages is not None
    network = stages.network()
    conductance = network.conductance()
    watts = np.array([own_W, 0.0, rest_W][: len(stages.places)])
    capacity = np.array([stages.capacity_J_K[p] for p in stages.places])
    return modes_of(conductance, capacity), np.asarray(np.linalg.solve(conductance, watts))
