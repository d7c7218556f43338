"""Leads that nothing protects, and jacks whose colour says something else than what they carry."""

from tensimeter.core.circuit.guard_of_wire import Guard, guard_of
from tensimeter.core.circuit.network import has_source
from tensimeter.core.circuit.sources import rail_colour, signed_V
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.notice import Notice
from tensimeter.core.parts.path_part import WirePart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import Link, OutputLink
from tensimeter.core.quantity import show


def unprotected(job: Job) -> list[tuple[Link, float, Guard]]:
    """Leads that carry less in the hottest room than what guards them asks for: link, its A, its guard."""
    found = []
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, WirePart):
            carries, guard = part.carries_A(job.settings.warmest_C), guard_of(job, link.id)
            if guard.wire_A > carries * (1 + 1e-9):
                found.append((link, carries, guard))
    return found


def wire_notices(job: Job) -> list[Notice]:
    """One notice for all leads that nothing protects."""
    if not has_source(job) or problems(job.design, job.stock):
        return []
    found = unprotected(job)
    if not found:
        return []
    said = [
        f"{link.name} carries {show(carries, 'A', 3)} in free air, while {guard.words}"
        for link, carries, guard in found
    ]
    text = f"{'; '.join(said)}. Take a thicker lead, or a smaller fuse right at what feeds it."
    return [Notice("wire:guard", "miss", "A lead that nothing protects", text, "design", found[0][0].id)]


#: Volts that differ by less than this share are the same to what is plugged in.
SAME_V = 0.1


def jack_notices(job: Job) -> list[Notice]:
    """Outputs whose jack wears the colour of another output's volts, or of another rail of its supply."""
    found = []
    for output in job.design.outputs():
        colour = output.jack_colour.strip().casefold()
        whose = _worn_by(job, output, colour) if colour else ""
        if whose:
            meets = show(signed_V(job, output), "V")
            text = (
                f"Its jack is {colour}, as {whose}: what belongs there will meet {meets} one night. Take "
                "another colour, or another kind of jack."
            )
            title = f"{output.name}: a colour that is taken"
            found.append(Notice(f"jack:{output.id}", "caution", title, text, "design", output.id))
    return found


def _worn_by(job: Job, output: OutputLink, colour: str) -> str:
    """What of other volts wears a colour already; empty where nothing does."""
    for other in job.design.outputs():
        jack, volts = other.jack_colour.strip().casefold(), signed_V(job, other)
        if abs(volts - signed_V(job, output)) <= SAME_V * output.nominal_V:
            continue
        if jack == colour:
            return f"the jack of {other.name} ({show(volts, 'V')})"
        if not jack and rail_colour(job, other.id) == colour:
            return f"the wires of {other.name} ({show(volts, 'V')})"
    unit = next(iter(job.design.path_to(output.id)), None)
    part = job.part(unit.part) if unit is not None else None
    if unit is None or not isinstance(part, SourcePart):
        return ""
    taken = part.rail_colours.get(colour, "")
    return f"the wires of the {taken} rail" if taken and colour != part.wire_colour(unit) else ""
