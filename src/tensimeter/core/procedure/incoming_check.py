"""Dead or alive: how a part of each family is tried by itself, its case closed.

Each step says what to do, where to probe, what to expect and what a value outside rules out. The
readings stay facts at their own place, `alive-PART-STEP`.
"""

import math
from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.measurement.conformity import Verdict, judge, worst
from tensimeter.core.measurement.readings import Reading, counting, interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.registry import Part
from tensimeter.core.parts.steps import IncomingStep


class IncomingResult(Struct, frozen=True):
    """A step with what was read at it, and the verdict."""

    step: IncomingStep
    reading: Reading | None
    verdict: Verdict


def incoming_steps(job: Job, part: Part) -> tuple[IncomingStep, ...]:
    """The steps for a part's family; empty where there is nothing to try."""
    return tuple(part.incoming(job)) if isinstance(part, PathPart) else ()


def whole_supply(job: Job) -> Part | None:
    """A supply known by its nameplate, as a part that can be tried alone; None where there is none."""
    plate = job.nameplate
    if plate is None:
        return None
    amps = plate.amps or (plate.watts or plate.volts) / plate.volts
    watts = plate.watts or plate.volts * amps
    tolerance = max((o.tolerance for o in job.design.outputs()), default=0.05)
    return Donor(
        id="supply", name=job.name, no_load_V=plate.volts, rated_A=amps, rated_W=watts, tolerance=tolerance
    )


def tried(job: Job, part: Part, readings: Sequence[Reading]) -> list[IncomingResult]:
    """Every step of a part with its latest reading, judged."""
    live = counting(readings)
    found = []
    for step in incoming_steps(job, part):
        own = [r for r in live if r.place == step.place and r.quantity == step.quantity]
        found.append(IncomingResult(step, own[-1] if own else None, _verdict(step, own[-1] if own else None)))
    return found


def outcome(found: Sequence[IncomingResult]) -> Verdict:
    """The worst of the steps; not measured while one is open."""
    return worst(t.verdict for t in found)


def learnt(found: Sequence[IncomingResult]) -> dict[str, float]:
    """Fields of the card that readings which hold can fill."""
    return {
        t.step.field: t.reading.value
        for t in found
        if t.step.field and t.reading is not None and math.isfinite(t.reading.value)
        if t.verdict is not Verdict.NONCONFORMING and t.reading.value > 0
    }


def _verdict(step: IncomingStep, reading: Reading | None) -> Verdict:
    if reading is None:
        return Verdict.NOT_MEASURED
    if math.isinf(reading.value):
        return Verdict.CONFORMS if step.band.high is None else Verdict.NONCONFORMING
    return judge(interval_of(reading), step.band)
