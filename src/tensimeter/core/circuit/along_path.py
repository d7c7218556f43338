"""Places along a path where millivolts are read: across a link, its joints, one conductor of several."""

from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import PathPart, WirePart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ENDS, Link

#: What such a place ends with, behind the link's id.
DROP, JOINTS, LEAST = "-drop", "-joints", "-least"
#: The same volts, or the amps in the same loop, read with another meter right at the output.
OTHER = "-other"
#: Kinds of links that give volts or take them, and drop none by themselves.
_NO_DROP = frozenset(("unit", "converter", "either", *ENDS))
#: Pins of the main plug of a PC supply.
PIN_COUNT = 24


def drop_of(link: str) -> str:
    """Where the volts across a link, both legs together, are filed."""
    return link + DROP


def joints_of(link: str) -> str:
    """Where the volts across its joints alone, all of both legs together, are filed."""
    return link + JOINTS


def least_of(link: str) -> str:
    """Where the least volts along any of the conductors that share one leg of a link are filed."""
    return link + LEAST


def other_of(output: str) -> str:
    """Where what another meter reads right at an output is filed, so that it is told from the one in use."""
    return output + OTHER


def link_of(place: str) -> str:
    """The link that a place along the path is of; the place itself where it is none."""
    ends = (DROP, JOINTS, LEAST, OTHER)
    return next((place.removesuffix(end) for end in ends if place.endswith(end)), place)


def pin_of(number: int) -> str:
    """Where the volts of one wire of a PC supply's main plug are filed."""
    return f"pin-{number}"


def drops_at(job: Job, link: Link) -> bool:
    """Whether a link drops volts by its ohms."""
    return link.kind not in _NO_DROP and isinstance(job.part(link.part), PathPart)


def places_of(job: Job, link: Link) -> list[str]:
    """The places along a path that may be read at a link."""
    part = job.part(link.part)
    found = [drop_of(link.id)] if drops_at(job, link) else []
    if isinstance(part, WirePart):
        found.append(joints_of(link.id))
    if isinstance(part, PathPart) and part.strand_ohm(link):
        found.append(least_of(link.id))
    return found


def has_plug(job: Job) -> bool:
    """Whether a PC supply with its main plug is in the path."""
    parts = (job.part(x.part) for x in job.design.links)
    return any(isinstance(p, SourcePart) and p.plug_wire_A for p in parts)


def places_along(job: Job) -> list[str]:
    """Every such place of a design."""
    found = [place for link in job.design.links for place in places_of(job, link)]
    found += [other_of(o.id) for o in job.design.outputs()]
    return [*found, *(pin_of(k) for k in range(1, PIN_COUNT + 1))] if has_plug(job) else found
