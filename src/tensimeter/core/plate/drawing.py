"""A drawing at 1:1 in mm, before any file format: strokes, rings, boxes and texts on named layers.

x goes to the right, y down, from the upper left corner.
"""

from typing import Protocol

from msgspec import Struct
from msgspec.structs import replace

#: Layers: what is printed, what is cut out, where it bends, notes beside it; holes have one for each drill.
PRINT, CUT, BEND, NOTE = "print", "cut", "bend", "note"
#: Length of the ruler that a print is checked by, mm, its height, and how far below the drawing it stands.
RULER_MM, RULER_TALL, RULER_BELOW = 50.0, 4.0, 4.0


def drill_layer(diameter_mm: float) -> str:
    """The layer of holes of a diameter."""
    return f"drill {diameter_mm:g} mm"


class Lettering(Protocol):
    """A typeface: how wide a text is at a height of its capitals, mm."""

    def width_mm(self, text: str, tall_mm: float, *, bold: bool = False) -> float:
        """The width in mm."""
        ...


class Stroke(Struct, frozen=True):
    """A line through points, mm; `closed` joins its last to its first."""

    points: tuple[tuple[float, float], ...]
    layer: str = PRINT
    closed: bool = False
    wide_mm: float = 0.15


class Ring(Struct, frozen=True):
    """A circle by its middle and its diameter, mm."""

    x: float
    y: float
    diameter: float
    layer: str
    name: str = ""


class Box(Struct, frozen=True):
    """A rectangle by its upper left corner, mm."""

    x: float
    y: float
    width: float
    height: float
    layer: str = PRINT
    name: str = ""


class Words(Struct, frozen=True):
    """A text on its base line, capitals `tall` mm high; `from_middle` where x is the middle of it."""

    x: float
    y: float
    tall: float
    text: str
    bold: bool = False
    layer: str = PRINT
    from_middle: bool = False


Item = Stroke | Ring | Box | Words


class Drawing(Struct, frozen=True):
    """Items on a sheet of `width` × `height` mm."""

    width: float
    height: float
    items: tuple[Item, ...]
    title: str

    def moved(self, dx: float, dy: float) -> "Drawing":
        """The same, its items moved."""
        return replace(self, items=tuple(_moved(item, dx, dy) for item in self.items))

    def with_items(self, *more: Item) -> "Drawing":
        """The same with more on it."""
        return replace(self, items=(*self.items, *more))


def _moved(item: Item, dx: float, dy: float) -> Item:
    if isinstance(item, Stroke):
        return replace(item, points=tuple((x + dx, y + dy) for x, y in item.points))
    return replace(item, x=item.x + dx, y=item.y + dy)


def ruler(x: float, y: float) -> tuple[Item, ...]:
    """A ruler of 50 mm from (x, y) to the right, a tick each 10 mm: a print is right where it is."""
    ticks = [
        Stroke(((x + k, y), (x + k, y - (RULER_TALL if k % 50 == 0 else RULER_TALL / 2))), NOTE)
        for k in range(0, int(RULER_MM) + 1, 10)
    ]
    base = Stroke(((x, y), (x + RULER_MM, y)), NOTE)
    said = Words(x + RULER_MM + 2, y, 1.8, "50 mm: measure it before anything is cut", layer=NOTE)
    return (base, *ticks, said)


def with_ruler(drawing: Drawing) -> Drawing:
    """A drawing with its ruler below it."""
    below = drawing.height + RULER_BELOW + RULER_TALL
    width = max(drawing.width, RULER_MM + 60)
    return replace(drawing, width=width, height=below + 1, items=(*drawing.items, *ruler(0.0, below)))
