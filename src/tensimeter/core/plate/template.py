"""The drilling template of a face: its edge, its bend, every hole by its tool, and where each is."""

from tensimeter.core.model.faces import FaceItem, FaceRecord
from tensimeter.core.plate.drawing import (
    BEND,
    CUT,
    NOTE,
    Box,
    Drawing,
    Item,
    Ring,
    Stroke,
    Words,
    drill_layer,
)
from tensimeter.core.plate.fittings import FITTINGS, cut_outs_of, holes_of, outline_of

#: Room around a face for its dimensions, mm; height of their capitals.
AROUND_MM, TALL_MM = 12.0, 1.8
INCH_MM = 25.4


def template(face: FaceRecord, title: str, *, inch: bool = False, dimensions: bool = True) -> Drawing:
    """A face at 1:1; with dimension lines from its upper left corner, in mm or in inches."""
    around = AROUND_MM if dimensions else 0.0
    items: list[Item] = [Box(0, 0, face.width_mm, face.height_mm, CUT, "edge")]
    if face.bend_mm:
        b = face.bend_mm
        items.append(Box(b, b, max(face.width_mm - 2 * b, 0), max(face.height_mm - 2 * b, 0), BEND, "bend"))
    for item in (i for i in face.items if i.kind in FITTINGS):
        items += _of(item)
    drawing = Drawing(face.width_mm, face.height_mm, tuple(items), title)
    if not dimensions:
        return drawing
    drawing = drawing.with_items(*_dimensions(face, inch=inch)).moved(around, around)
    return Drawing(face.width_mm + 2 * around, face.height_mm + 2 * around, drawing.items, title)


def _of(item: FaceItem) -> list[Item]:
    o = outline_of(item)
    found: list[Item] = [
        Ring(h.x, h.y, h.diameter, drill_layer(h.diameter), item.name) for h in holes_of(item)
    ]
    found += [
        Box(c.x - c.width / 2, c.y - c.height / 2, c.width, c.height, CUT, item.name)
        for c in cut_outs_of(item)
    ]
    bezel: Item = (
        Ring(o.x, o.y, 2 * o.radius, NOTE)
        if o.radius is not None
        else Box(o.x - o.half[0], o.y - o.half[1], 2 * o.half[0], 2 * o.half[1], NOTE)
    )
    below = o.y + o.half[1] + TALL_MM + 1
    sizes = list(dict.fromkeys(f"{h.diameter:g}" for h in holes_of(item)))
    said = f"{item.name} · {' and '.join(sizes)} mm" if sizes else item.name
    return [*found, bezel, Words(o.x, below, TALL_MM, said, layer=NOTE, from_middle=True)]


def _dimensions(face: FaceRecord, *, inch: bool) -> list[Item]:
    """Where columns and rows of middles are, from the upper left corner; none runs into another."""

    def figure(mm: float) -> str:
        return f"{mm / INCH_MM:.3f}″" if inch else f"{mm:.1f}"

    said = f"{'inches' if inch else 'mm'} from the upper left corner, seen from outside"
    found: list[Item] = [Words(0.0, -8.5, TALL_MM, said, layer=NOTE)]
    last = -99.0
    for x in sorted({round(i.x_mm, 2) for i in face.items} | {face.width_mm}):
        found.append(Stroke(((x, -1.0), (x, -4.0)), NOTE))
        if x - last >= 8:
            found.append(Words(x, -5.0, TALL_MM, figure(x), layer=NOTE, from_middle=True))
            last = x
    last = -99.0
    for y in sorted({round(i.y_mm, 2) for i in face.items} | {face.height_mm}):
        found.append(Stroke(((-1.0, y), (-3.0, y)), NOTE))
        if y - last >= 3:
            found.append(Words(-11.5, y + TALL_MM / 2, TALL_MM, figure(y), layer=NOTE))
            last = y
    return found
