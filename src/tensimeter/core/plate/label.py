"""A plate laid out at a width: as much of it as is asked for, on lines that fit."""

import math
from collections.abc import Iterator, Sequence
from typing import Literal

from msgspec import Struct

from tensimeter.core.errors import UserError
from tensimeter.core.plate.drawing import Box, Drawing, Item, Lettering, Stroke, Words
from tensimeter.core.plate.rating import MARK, OutletPlate, Plate

Style = Literal["full", "short", "line"]
#: Capitals as they are best, and the least that can be read and engraved, mm; space around and between.
TALL, LEAST_TALL, EDGE, GAP = 2.6, 1.6, 3.0, 1.7
#: What a plate keeps at its short and its shortest.
SHORT = frozenset(
    ("continuous", "minutes", "moments", "no_load", "reach", "fuse", "mains", "proven", "serial")
)
LINE = frozenset(("continuous", "minutes", "moments", "no_load", "reach"))
_KEPT: dict[Style, frozenset[str] | None] = {"full": None, "short": SHORT, "line": LINE}
#: The widest and the narrowest that is drawn, mm.
NARROWEST, WIDEST = 15.0, 600.0


class _Line(Struct, frozen=True):
    """One line of text; a rule before it where a new part begins."""

    text: str
    bold: bool = False
    rule: bool = False


def label(plate: Plate, width_mm: float, style: Style, letters: Lettering) -> Drawing:
    """A plate as a drawing of a width, as high as its lines need.

    UserError for a width that nothing fits in, with the least that would.
    """
    if not NARROWEST <= width_mm <= WIDEST:
        raise UserError(f"A plate is {NARROWEST:g} to {WIDEST:g} mm wide; {width_mm:g} mm is not.")
    for tall in (TALL, 2.2, 1.9, LEAST_TALL):
        wrapped = [part for line in _lines(plate, style) for part in _wrapped(line, width_mm, tall, letters)]
        room = width_mm - 2 * EDGE
        if all(_wide(x, x.text, tall, letters) <= room for x in wrapped):
            return _drawn(plate, wrapped, width_mm, tall)
    parts = [(line, part) for line in _lines(plate, style) for part in line.text.split(" · ")]
    least = math.ceil(max(_wide(line, part, LEAST_TALL, letters) for line, part in parts) + 2 * EDGE)
    raise UserError(f"In {width_mm:g} mm its words do not fit; {least} mm would do.")


def _lines(plate: Plate, style: Style) -> Iterator[_Line]:
    keep = _KEPT[style]
    mark = f" {MARK}" if plate.marks else ""
    if style != "line":
        yield _Line(f"{plate.title}{mark}", bold=True)
    for outlet in plate.outlets:
        texts = [e.text for e in outlet.entries if keep is None or e.key in keep]
        if style == "line":
            yield _Line(" · ".join([outlet.name, *(texts or ["not proven"])]) + mark)
            continue
        yield _Line(outlet.name + ("" if outlet.rated else ": not proven"), bold=True, rule=True)
        yield from (_Line(text) for text in _joined(outlet, texts))
    rest = [e.text for e in (*plate.whole, *plate.foot) if keep is None or e.key in keep]
    if style != "line" and rest:
        yield _Line(" · ".join(rest), rule=True)
    if style != "line" and plate.marks:
        yield _Line(f"{MARK} see the data sheet")
    if plate.stamp:
        yield _Line(f"{plate.stamp}: all of it is made up", bold=True)


def _joined(outlet: OutletPlate, texts: Sequence[str]) -> Iterator[str]:
    """Ratings each on a line of their own, what protects and the rest on one."""
    ratings = {e.text for e in outlet.entries if e.key in LINE}
    yield from (t for t in texts if t in ratings)
    rest = [t for t in texts if t not in ratings]
    if rest:
        yield " · ".join(rest)


def _tall(line: _Line, tall: float) -> float:
    return tall * 1.15 if line.bold else tall


def _wide(line: _Line, text: str, tall: float, letters: Lettering) -> float:
    return letters.width_mm(text, _tall(line, tall), bold=line.bold)


def _wrapped(line: _Line, width_mm: float, tall: float, letters: Lettering) -> Iterator[_Line]:
    """A line broken where its parts end, never inside a figure."""
    room = width_mm - 2 * EDGE
    parts = line.text.split(" · ")
    text = parts[0]
    first = True
    for part in parts[1:]:
        longer = f"{text} · {part}"
        if _wide(line, longer, tall, letters) <= room:
            text = longer
            continue
        yield _Line(text, line.bold, line.rule and first)
        text, first = part, False
    yield _Line(text, line.bold, line.rule and first)


def _drawn(plate: Plate, lines: Sequence[_Line], width: float, tall: float) -> Drawing:
    items: list[Item] = []
    y = EDGE
    for k, line in enumerate(lines):
        high = _tall(line, tall)
        if line.rule and k:
            items.append(Stroke(((EDGE, y), (width - EDGE, y))))
            y += GAP
        y += high
        items.append(Words(EDGE, y, high, line.text, line.bold))
        y += GAP
    height = y + EDGE - GAP
    return Drawing(width, height, (Box(0, 0, width, height, "cut"), *items), f"{plate.title}, plate")
