"""What is fed at an output: the volts it stands, what it draws at first, and what that is."""

import math
from dataclasses import dataclass

from tensimeter.core.electrical.battery import charging, span_V
from tensimeter.core.model.job import Job
from tensimeter.core.parts.kinds import Battery, Device, Lamp, Motor, Resistor
from tensimeter.core.path import OutputLink


@dataclass(frozen=True)
class Connected:
    """A device by its lowest and highest volts (None: not known), its first draw in A, its name."""

    name: str
    lowest_V: float | None = None
    highest_V: float | None = None
    inrush_A: float | None = None
    steep: bool = False


def connected(job: Job, output: OutputLink) -> Connected:
    """What is fed at an output; what stands at the output itself counts before the device's card.

    A filament lamp draws a multiple of its current cold, a motor while it starts. A battery on charge
    stands its end-of-charge volts and needs more than its own to charge at all.
    """
    found = _of_part(job, output)
    return Connected(
        found.name,
        output.device_min_V if output.device_min_V is not None else found.lowest_V,
        output.device_max_V if output.device_max_V is not None else found.highest_V,
        output.inrush_A if output.inrush_A is not None else found.inrush_A,
        found.steep,
    )


def _of_part(job: Job, output: OutputLink) -> Connected:
    part = job.part(output.device)
    if isinstance(part, Lamp):
        amps = part.rated_W / part.rated_V
        return Connected(part.name, None, part.rated_V * 1.1, amps * part.cold_factor)
    if isinstance(part, Motor):
        return Connected(part.name, None, part.rated_V * 1.2, part.rated_A * part.start_factor)
    if isinstance(part, Device):
        return Connected(part.name, part.lowest_V, part.highest_V, part.inrush_A, part.steep)
    if isinstance(part, Battery):
        return Connected(part.name, span_V(part)[1], charging(part).volts)
    if isinstance(part, Resistor):
        return Connected(part.name, None, math.sqrt(part.rated_W * part.resistance_ohm))
    return Connected("its device")
