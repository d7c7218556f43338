"""Does it fit in the box: parts placed in three dimensions, with room for cables and air between them."""

from itertools import permutations

from msgspec import Struct

from tensimeter.core.model.job import Job
from tensimeter.core.parts.registry import Part
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.quantity import show
from tensimeter.core.settings import BoxRecord

Size = tuple[float, float, float]


class Placed(Struct, frozen=True):
    """One part in the box: its lower corner and what it takes, mm. Off the floor it wants a shelf."""

    part: str
    name: str
    x_mm: float
    y_mm: float
    z_mm: float
    length_mm: float
    width_mm: float
    height_mm: float


class Fit(Struct, frozen=True):
    """A layout, what finds no place and why, what is not known or sticks out, and the share of the floor."""

    placed: tuple[Placed, ...]
    troubles: tuple[str, ...]
    unknown: tuple[str, ...]
    floor_share: float
    outside: tuple[str, ...] = ()

    @property
    def fits(self) -> bool:
        """Whether nothing stands in the way."""
        return not self.troubles

    @property
    def sentence(self) -> str:
        """What comes of it, in words."""
        if self.troubles:
            return " ".join(self.troubles)
        said = f"It fits: {len(self.placed)} parts take {show(self.floor_share, '%', 2)} of the floor."
        raised = [f"{p.name} at {p.z_mm:.0f} mm" for p in self.placed if p.z_mm > 0]
        if raised:
            said += f" Above others, on a shelf or a wall: {', '.join(raised)}."
        if self.outside:
            said += f" Sticks out: {', '.join(self.outside)}."
        if self.unknown:
            said += f" Not counted, their size is not known: {', '.join(self.unknown)}."
        return said


def fit(job: Job, box: BoxRecord) -> Fit:
    """The parts of the path placed in a box, none in another, the largest first.

    A converter and the sink it stands on are one body; a sink that sticks out takes a wall, not the inside.
    A layout that is found is a proof; none found is not one, as the placing is a simple one (each at the
    lowest free corner). Wires and air need room: `gap_mm` around each part, `cable_mm` free where cables
    leave.
    """
    unknown, outside, bodies, troubles = [], [], [], []
    for part_id, name, size, part in _bodies(job):
        if size is None:
            unknown.append(name)
        elif part.in_wall or part.sticks_out:
            troubles += _in_wall(name, size, box)
            outside += [f"{name} by {min(size):g} mm"] if part.sticks_out else []
        elif not any(_inside((a, b, c), box) for a, b, c in permutations(size)):
            words = " × ".join(f"{x:g}" for x in size)
            troubles.append(f"{name} ({words} mm) does not go into the box, however it is turned.")
        else:
            bodies.append((part_id, name, size))
    placed, left = _place(bodies, box)
    if left:
        troubles.append(f"No room was found in the box for {', '.join(left)}.")
    used = sum(p.length_mm * p.width_mm for p in placed if p.z_mm == 0)
    share = used / (box.length_mm * box.width_mm)
    return Fit(tuple(placed), tuple(troubles), tuple(unknown), share, tuple(outside))


def _bodies(job: Job) -> list[tuple[str, str, Size | None, Part]]:
    """What the path puts into the box, each once for every unit it makes; leads and plugs lie outside."""
    found: list[tuple[str, str, Size | None, Part]] = []
    seen: set[str] = set()
    for link in job.design.links:
        part, sink = job.part(link.part), job.part(getattr(link, "sink", None))
        if part is not None and part.inside_box and not (_shared(part) and part.id in seen):
            # Rails of one supply are one part; a module used twice is two.
            seen.add(part.id)
            joined = sink is not None and not sink.sticks_out
            size = _on_sink(part.size_mm, sink.size_mm) if sink is not None and joined else part.size_mm
            name = f"{part.name} on {sink.name}" if sink is not None and joined else part.name
            found.append((part.id, name, size, part))
        if sink is not None and sink.sticks_out and sink.id not in seen:
            seen.add(sink.id)
            found.append((sink.id, sink.name, sink.size_mm, sink))
    return found


def _shared(part: Part) -> bool:
    return isinstance(part, SourcePart) and part.shared_case


def _on_sink(part: Size | None, sink: Size | None) -> Size | None:
    """A part on its sink as one body: the larger face of both, their heights together."""
    if part is None or sink is None:
        return None
    (a, b, c), (d, e, f) = sorted(part, reverse=True), sorted(sink, reverse=True)
    return max(a, d), max(b, e), c + f


def _inside(size: Size, box: BoxRecord) -> bool:
    length, width, height = size
    return length <= box.length_mm - box.cable_mm and width <= box.width_mm and height <= box.height_mm


def _in_wall(name: str, size: Size, box: BoxRecord) -> list[str]:
    across, up, _ = sorted(size, reverse=True)
    if up <= box.height_mm and across <= max(box.length_mm, box.width_mm):
        return []
    return [f"{name} ({across:g} × {up:g} mm) is larger than a wall of the box."]


def _place(bodies: list[tuple[str, str, Size]], box: BoxRecord) -> tuple[list[Placed], list[str]]:
    """Each body as low and as flat as a free corner allows; and the names of those without a place."""
    placed: list[Placed] = []
    left: list[str] = []
    corners = {(0.0, 0.0, 0.0)}
    for part_id, name, size in sorted(bodies, key=lambda b: -b[2][0] * b[2][1] * b[2][2]):
        tries = [
            Placed(part_id, name, *corner, *laid) for corner in corners for laid in set(permutations(size))
        ]
        free = (p for p in tries if _is_free(p, placed, box))
        here = min(free, key=lambda p: (p.z_mm, p.height_mm, p.y_mm, p.x_mm, p.width_mm), default=None)
        if here is None:
            left.append(name)
            continue
        placed.append(here)
        gap = box.gap_mm
        corners |= {
            (here.x_mm + here.length_mm + gap, here.y_mm, here.z_mm),
            (here.x_mm, here.y_mm + here.width_mm + gap, here.z_mm),
            (here.x_mm, here.y_mm, here.z_mm + here.height_mm + gap),
        }
    return placed, left


def _is_free(here: Placed, placed: list[Placed], box: BoxRecord) -> bool:
    """Whether a place lies in the box and apart from all that is placed, by the gap on one side at least."""
    ends = (here.x_mm + here.length_mm, here.y_mm + here.width_mm, here.z_mm + here.height_mm)
    if not _inside(ends, box):
        return False
    gap = box.gap_mm
    return all(
        here.x_mm >= p.x_mm + p.length_mm + gap
        or p.x_mm >= ends[0] + gap
        or here.y_mm >= p.y_mm + p.width_mm + gap
        or p.y_mm >= ends[1] + gap
        or here.z_mm >= p.z_mm + p.height_mm + gap
        or p.z_mm >= ends[2] + gap
        for p in placed
    )
