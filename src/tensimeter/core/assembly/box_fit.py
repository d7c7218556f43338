"""Does it fit in the box: parts laid out on its floor, with room for cables and air between them."""

from dataclasses import dataclass
from itertools import permutations

import rectpack

from tensimeter.core.model.job import Job
from tensimeter.core.parts.registry import Part
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.quantity import show
from tensimeter.core.settings import BoxRecord


@dataclass(frozen=True)
class Placed:
    """One part on the floor: its corner and what it takes, mm, its height as laid."""

    part: str
    name: str
    x_mm: float
    y_mm: float
    length_mm: float
    width_mm: float
    height_mm: float


@dataclass(frozen=True)
class Fit:
    """A layout, what finds no place and why, what is not known, and the share of the floor in use."""

    placed: tuple[Placed, ...]
    troubles: tuple[str, ...]
    unknown: tuple[str, ...]
    floor_share: float

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
        if self.unknown:
            said += f" Not counted, their size is not known: {', '.join(self.unknown)}."
        return said


def fit(job: Job, box: BoxRecord) -> Fit:
    """The parts of the path laid on the floor of a box, none on another.

    A part is laid flat, or on another face where it is too tall. A layout that is found is a proof; none
    found is not one, as the packing is a simple one (guillotine, longest side first). Wires and air need
    room: `gap_mm` around each part, `cable_mm` free where cables leave.
    """
    parts = _parts_inside(job)
    unknown = tuple(p.name for p in parts if p.size_mm is None)
    troubles: list[str] = []
    floor: list[tuple[Part, tuple[float, float, float]]] = []
    for part in parts:
        if part.size_mm is None:
            continue
        if part.in_wall:
            troubles += _in_wall(part, box)
            continue
        laid = _laid(part.size_mm, box)
        if laid is None:
            size = " × ".join(f"{x:g}" for x in part.size_mm)
            troubles.append(f"{part.name} ({size} mm) is larger than the box on every side.")
        else:
            floor.append((part, laid))
    placed = _pack(floor, box)
    left = [part.name for part, _ in floor if part.id not in {p.part for p in placed}]
    if left:
        troubles.append(f"No room was found on the floor for {', '.join(left)}.")
    used = sum(p.length_mm * p.width_mm for p in placed)
    return Fit(tuple(placed), tuple(troubles), unknown, used / (box.length_mm * box.width_mm))


def _parts_inside(job: Job) -> list[Part]:
    """What the path puts into the box, each once for every unit it makes; leads and plugs lie outside."""
    found: list[Part] = []
    seen: set[str] = set()
    for link in job.design.links:
        for part_id in (link.part, getattr(link, "sink", None)):
            part = job.part(part_id)
            if part is None or not part.inside_box:
                continue
            # Rails of one supply are one part; a module used twice is two.
            if isinstance(part, SourcePart) and part.shared_case and part.id in seen:
                continue
            seen.add(part.id)
            found.append(part)
    return found


def _laid(size: tuple[float, float, float], box: BoxRecord) -> tuple[float, float, float] | None:
    """Length, width and height as a part is laid: the lowest of its faces that the box has room for."""
    floor = sorted((box.length_mm - box.cable_mm, box.width_mm))
    for flat in sorted(set(permutations(size)), key=lambda s: s[2]):
        length, width, height = flat
        if (
            height <= box.height_mm
            and sorted((length, width))[0] <= floor[0]
            and max(length, width) <= floor[1]
        ):
            return length, width, height
    return None


def _in_wall(part: Part, box: BoxRecord) -> list[str]:
    assert part.size_mm is not None
    across, up, _ = sorted(part.size_mm, reverse=True)
    if up <= box.height_mm and across <= max(box.length_mm, box.width_mm):
        return []
    return [f"{part.name} ({across:g} × {up:g} mm) is larger than a wall of the box."]


def _pack(floor: list[tuple[Part, tuple[float, float, float]]], box: BoxRecord) -> list[Placed]:
    """Where each part lies; those without a place are left out."""
    gap = box.gap_mm
    packer = rectpack.newPacker(rotation=True)
    for number, (_, (length, width, _)) in enumerate(floor):
        packer.add_rect(_tenths(length + gap), _tenths(width + gap), rid=number)
    packer.add_bin(_tenths(box.length_mm - box.cable_mm + gap), _tenths(box.width_mm + gap))
    packer.pack()
    placed = []
    for _, x, y, long, wide, number in packer.rect_list():
        part, (_, _, height) = floor[number]
        placed.append(
            Placed(part.id, part.name, x / 10, y / 10, long / 10 - gap, wide / 10 - gap, height)
        )  # fmt: skip
    return placed


def _tenths(mm: float) -> int:
    """Tenths of a millimetre: the packer counts in whole units."""
    return max(round(mm * 10), 1)
