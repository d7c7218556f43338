"""What is fed at an output: the volts it stands, what it draws at first, and what that is."""

from tensimeter.core.model.job import Job
from tensimeter.core.parts.fed_part import Connected, FedPart
from tensimeter.core.path import OutputLink


def connected(job: Job, output: OutputLink) -> Connected:
    """What is fed at an output; what stands at the output itself counts before the device's card.

    A filament lamp draws a multiple of its current cold, a motor while it starts. A battery on charge
    stands its end-of-charge volts and needs more than its own to charge at all.
    """
    part = job.part(output.device)
    found = part.connected() if isinstance(part, FedPart) else Connected("its device")
    return Connected(
        found.name,
        output.device_min_V if output.device_min_V is not None else found.lowest_V,
        output.device_max_V if output.device_max_V is not None else found.highest_V,
        output.inrush_A if output.inrush_A is not None else found.inrush_A,
        found.steep,
    )
