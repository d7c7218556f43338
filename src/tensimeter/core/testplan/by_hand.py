"""What is asked next of a limit by hand: strides up to where the volts leave, then between the two nearest.

An instrument goes through every point; a hand would type for an hour. The danger is the other one: an output
that went off reads nothing at every load, so it is asked back at no load, and reset, before the next.
"""

from collections.abc import Mapping, Sequence

import numpy as np

from tensimeter.core.measurement.readings import Measurand, Reading
from tensimeter.core.testplan.approach import Approach
from tensimeter.core.testplan.step import Plan, Step

#: So many fine points are passed over on the way up, and so many of the trace are asked.
STRIDE, TRACED = 4, 3
#: Below this share of its volts and of the amps asked for an output is off.
OFF_SHARE = 0.12

At = Mapping[tuple[int, str, Measurand], Reading]


def is_by_strides(plan: Plan) -> bool:
    """Whether a plan goes up to a limit by current, so that a hand need not read every point."""
    return sum(s.phase == "approach" and s.trim_V is None for s in plan.steps) > 2 * STRIDE


def next_by_hand(plan: Plan, at: At) -> int | None:
    """The step to be asked next by what was read so far; None where nothing more tells anything."""
    back = [s for s in plan.steps if s.phase == "back"]
    read = {s.index: r for s in plan.steps if (r := _volts(plan, s, at)) is not None}
    newest = max(read, key=lambda k: read[k].id or 0, default=None)
    if newest is not None and _is_off(plan, plan.steps[newest], at):
        later = [s for s in back if s.index > newest]
        return later[0].index if later else None
    up = _upwards(plan, at)
    if up is not None:
        return up
    if _left(plan, at) is None:
        # It was never reached: only the way back is left.
        return _first_open(back, read)
    traced = [s for s in plan.steps if s.phase == "trace"]
    chosen = traced[:: max(len(traced) // TRACED, 1)][:TRACED]
    rest = [*chosen, *(s for s in plan.steps if s.phase == "watch")]
    if _went_off(plan, at):
        # What goes off has no volts to be followed down.
        rest = [s for s in rest if s.phase == "watch"]
    open_ = next((s.index for s in rest if s.index not in read), None)
    return open_ if open_ is not None else _first_open(back, read)


def _volts(plan: Plan, step: Step, at: At) -> Reading | None:
    return at.get((step.index, step.place or plan.output.id, "V"))


def _is_off(plan: Plan, step: Step, at: At) -> bool:
    """Whether neither volts nor amps stood at a point."""
    volts, amps = _volts(plan, step, at), at.get((step.index, step.place or plan.output.id, "A"))
    if volts is None or volts.value > OFF_SHARE * plan.output.nominal_V:
        return False
    return step.set_A == 0 or amps is None or amps.value <= OFF_SHARE * step.set_A or amps.known != "read"


def _approached(plan: Plan) -> list[Step]:
    return sorted((s for s in plan.steps if s.phase == "approach"), key=lambda s: s.set_A)


def _left(plan: Plan, at: At) -> int | None:
    """Where among the points of the approach, by their amps, the volts had left first; None: nowhere."""
    seen = Approach(plan)
    for k, step in enumerate(_approached(plan)):
        volts = _volts(plan, step, at)
        if volts is not None and seen.take(step, volts.value):
            return k
    return None


def _upwards(plan: Plan, at: At) -> int | None:
    """The next point on the way up, or between the last that held and the first that did not."""
    steps, left = _approached(plan), _left(plan, at)
    read = [k for k, s in enumerate(steps) if _volts(plan, s, at) is not None]
    held = max((k for k in read if left is None or k < left), default=None)
    if held is None:
        return steps[0].index if left is None else None
    if left is not None:
        return steps[(held + left) // 2].index if left - held > 1 else None
    if held == len(steps) - 1:
        return None
    # The first few lie far apart already.
    amps = [s.set_A for s in steps]
    far = amps[held] + STRIDE * float(np.median(np.diff(amps)))
    ahead = max((k for k in range(held + 1, len(steps)) if amps[k] <= far), default=held + 1)
    return steps[ahead].index


def _went_off(plan: Plan, at: At) -> bool:
    """Whether the output was off at the lowest point at which its volts had left."""
    left = _left(plan, at)
    return left is not None and _is_off(plan, _approached(plan)[left], at)


def _first_open(steps: Sequence[Step], read: Mapping[int, Reading]) -> int | None:
    """The first that was not read; a reset is only asked of what is off."""
    return next((s.index for s in steps if s.index not in read and not s.reset), None)
