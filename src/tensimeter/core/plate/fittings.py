"""Kinds of fittings for a face: their holes, what they cover outside, the room that they take behind.

The figures are those of usual parts; a calliper on the part in hand has the last word.
"""

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.model.faces import FaceItem


class Hole(Struct, frozen=True):
    """A hole by its middle from that of its fitting and its diameter, mm."""

    x: float
    y: float
    diameter: float


class CutOut(Struct, frozen=True):
    """A rectangular opening by its middle from that of its fitting, mm."""

    x: float
    y: float
    width: float
    height: float


class Fitting(Struct, frozen=True):
    """One kind: `covers` is what it takes of the face, as (width, height), or a diameter where it is round.

    `fingers` is room that a hand needs around it, `grams` what it weighs.
    """

    name: str
    holes: tuple[Hole, ...] = ()
    cut_outs: tuple[CutOut, ...] = ()
    covers: tuple[float, float] | float = 10.0
    depth: float = 20.0
    fingers: float = 0.0
    grams: float = 20.0
    mains: bool = False
    hot: bool = False
    #: Whether air goes in or out there.
    air: bool = False


def _round(name: str, hole: float, covers: float, depth: float, **more: object) -> Fitting:
    return Fitting(name, (Hole(0, 0, hole),), (), covers, depth, **more)  # type: ignore[arg-type]


def _fan(size: float, between: float) -> Fitting:
    screws = tuple(Hole(sx * between / 2, sy * between / 2, 4.3) for sx in (-1, 1) for sy in (-1, 1))
    whole = (Hole(0, 0, size - 4), *screws)
    return Fitting(f"fan {size:g} mm with grille", whole, (), (size, size), 35, 0, 90, air=True)


#: Screws of a fan stand so far apart, mm, by its size.
FANS = {40: 32.0, 60: 50.0, 80: 71.5, 92: 82.5, 120: 105.0}
FITTINGS: dict[str, Fitting] = {
    "terminal": _round("binding post", 8.0, 14.0, 22, fingers=8.0, grams=15),
    "pair": Fitting(
        "pair of binding posts, 19 mm", (Hole(-9.5, 0, 8.0), Hole(9.5, 0, 8.0)), (), (34, 15), 22, 8.0, 30
    ),
    "socket": _round("round socket", 8.0, 12.0, 25, fingers=4.0),
    "inlet": Fitting(
        "mains inlet, screwed",
        (Hole(-20, 0, 3.5), Hole(20, 0, 3.5)),
        (CutOut(0, 0, 27.2, 20.0),),
        (48, 22),
        35,
        0,
        30,
        mains=True,
    ),
    "mains_switch": Fitting(
        "rocker switch for mains", (), (CutOut(0, 0, 19.4, 13.0),), (21, 15), 25, 2.0, 10, mains=True
    ),
    "switch": _round("toggle switch", 6.5, 13.0, 28, fingers=5.0),
    "fuse": _round("fuse holder", 12.7, 17.0, 45, fingers=4.0),
    "mains_fuse": _round("fuse holder for mains", 12.7, 17.0, 45, fingers=4.0, mains=True),
    "meter": Fitting("panel meter", (), (CutOut(0, 0, 45.5, 26.5),), (48, 29), 25, 0, 25),
    "knob": _round("knob on a potentiometer", 7.2, 24.0, 25, fingers=6.0),
    "indicator": _round("indicator", 5.1, 7.0, 20),
    "mains_indicator": _round("indicator for mains", 10.2, 13.0, 35, mains=True),
    "gland": _round("cable gland", 16.2, 24.0, 20),
    "foot": _round("foot", 4.3, 16.0, 6),
    "standoff": _round("standoff of a board", 3.3, 7.0, 10),
    "screw": _round("screw", 4.3, 8.0, 6),
    "vents": Fitting(
        "vents, five slots",
        (),
        tuple(CutOut(0, 8.0 * k, 40, 3.0) for k in range(-2, 3)),
        (42, 37),
        2,
        0,
        0,
        air=True,
    ),
    "sink": Fitting(
        "heat sink outside", (Hole(-20, 0, 3.3), Hole(20, 0, 3.3)), (), (100, 60), 8, 5.0, 250, hot=True
    ),
    **{f"fan_{size}": _fan(size, between) for size, between in FANS.items()},
}


def fitting_of(item: FaceItem) -> Fitting:
    """The kind of an item; UserError names those there are."""
    found = FITTINGS.get(item.kind)
    if found is None:
        raise UserError(f"There is no fitting “{item.kind}”; there is {', '.join(FITTINGS)}.")
    return found


def holes_of(item: FaceItem) -> list[Hole]:
    """The round holes of an item on its face, mm; a measured one is its first, of a pair both."""
    of = fitting_of(item)
    measured = len(of.holes) if item.kind == "pair" else 1
    return [
        Hole(*_placed(item, h.x, h.y), item.hole_mm if item.hole_mm and k < measured else h.diameter)
        for k, h in enumerate(of.holes)
    ]


def cut_outs_of(item: FaceItem) -> list[CutOut]:
    """The rectangular openings of an item on its face, mm."""
    found = []
    for k, c in enumerate(fitting_of(item).cut_outs):
        width = item.width_mm if item.width_mm and k == 0 else c.width
        height = item.height_mm if item.height_mm and k == 0 else c.height
        x, y = _placed(item, c.x, c.y)
        found.append(CutOut(x, y, *((height, width) if item.upright else (width, height))))
    return found


def _placed(item: FaceItem, x: float, y: float) -> tuple[float, float]:
    """From a fitting's middle to its face: turned by a quarter where it is."""
    return (item.x_mm - y, item.y_mm + x) if item.upright else (item.x_mm + x, item.y_mm + y)


def depth_of(item: FaceItem) -> float:
    """The room that an item takes behind its face, mm."""
    return fitting_of(item).depth if item.depth_mm is None else item.depth_mm


class Outline(Struct, frozen=True):
    """What an item covers of its face, mm: a circle of a radius, or a rectangle of half sizes."""

    x: float
    y: float
    radius: float | None
    half: tuple[float, float]


def outline_of(item: FaceItem) -> Outline:
    """What an item covers: its bezel, and its openings where those are larger."""
    covers = fitting_of(item).covers
    holes, cuts = holes_of(item), cut_outs_of(item)
    if isinstance(covers, float | int) and not cuts and len(holes) == 1:
        radius = max(covers, holes[0].diameter) / 2
        return Outline(item.x_mm, item.y_mm, radius, (radius, radius))
    wide, high = (covers, covers) if isinstance(covers, float | int) else covers
    half = [high / 2, wide / 2] if item.upright else [wide / 2, high / 2]
    for c in cuts:
        half[0] = max(half[0], abs(c.x - item.x_mm) + c.width / 2)
        half[1] = max(half[1], abs(c.y - item.y_mm) + c.height / 2)
    for h in holes:
        half[0] = max(half[0], abs(h.x - item.x_mm) + h.diameter / 2)
        half[1] = max(half[1], abs(h.y - item.y_mm) + h.diameter / 2)
    return Outline(item.x_mm, item.y_mm, None, (half[0], half[1]))


def gap(a: Outline, b: Outline) -> float:
    """The shortest way between two outlines, mm; below zero where they overlap."""
    if a.radius is not None and b.radius is not None:
        return float(((a.x - b.x) ** 2 + (a.y - b.y) ** 2) ** 0.5) - a.radius - b.radius
    if a.radius is not None:
        return gap(b, a)
    dx, dy = abs(a.x - b.x) - a.half[0], abs(a.y - b.y) - a.half[1]
    if b.radius is not None:
        outside = (max(dx, 0.0) ** 2 + max(dy, 0.0) ** 2) ** 0.5
        return (outside if outside > 0 else max(dx, dy)) - b.radius
    dx, dy = dx - b.half[0], dy - b.half[1]
    if dx > 0 and dy > 0:
        return float((dx * dx + dy * dy) ** 0.5)
    return max(dx, dy)
