"""A drawing as SVG, DXF or PDF, every one at 1:1."""

import base64
import re
from collections.abc import Callable
from html import escape
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.plate.drawing import (
    BEND,
    CUT,
    NOTE,
    PRINT,
    RULER_BELOW,
    RULER_MM,
    RULER_TALL,
    Box,
    Drawing,
    Item,
    Ring,
    Stroke,
    Words,
    ruler,
    with_ruler,
)
from tensimeter.report.datasheet import pdf
from tensimeter.report.lettering import EngravedLetters, OutlineLetters, Points

Letters = OutlineLetters | EngravedLetters
#: A sheet of paper, what a printer leaves free, and what two sheets have in common, mm.
PAPER_MM, FREE_MM, OVERLAP_MM = (210.0, 297.0), 10.0, 10.0
#: What its ruler and its words take at the foot of a sheet, mm.
FOOT_MM = 14.0
#: How lines of a layer look on paper.
_COLOURS = {PRINT: "#22303C", CUT: "#22303C", NOTE: "#6B7680"}
_ACI = {PRINT: 7, CUT: 1, NOTE: 8}


# -- SVG --------------------------------------------------------------------------------------------


def svg(drawing: Drawing, letters: Letters | None = None) -> str:
    """The drawing as SVG in mm; texts are outlines, so that they are as wide as they were laid out."""
    body = "\n".join(_svg_item(item, letters or OutlineLetters()) for item in drawing.items)
    return _sheet(drawing, (0.0, 0.0, drawing.width, drawing.height), body)


def _sheet(drawing: Drawing, view: tuple[float, float, float, float], body: str) -> str:
    """What a part of a drawing shows, as SVG of that size."""
    left, top, width, height = view
    size = f'width="{width:.4f}mm" height="{height:.4f}mm"'
    seen = f'viewBox="{left:.4f} {top:.4f} {width:.4f} {height:.4f}"'
    title = f"<title>{escape(drawing.title)}</title>"
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size} {seen}>\n{title}\n{body}\n</svg>\n'


def _svg_item(item: Item, letters: Letters) -> str:
    colour = _COLOURS.get(item.layer, _COLOURS[CUT])
    layer = f'data-layer="{escape(item.layer)}"'
    thin = f'fill="none" stroke="{colour}" stroke-width="0.15"'
    if isinstance(item, Ring):
        name = f"<title>{escape(item.name)}</title>" if item.name else ""
        at = f'cx="{item.x:.3f}" cy="{item.y:.3f}" r="{item.diameter / 2:.3f}"'
        cross = _cross(item)
        return f"<circle {at} {layer} {thin}>{name}</circle>{cross}"
    if isinstance(item, Box):
        at = f'x="{item.x:.3f}" y="{item.y:.3f}" width="{item.width:.3f}" height="{item.height:.3f}"'
        dashes = ' stroke-dasharray="2 1.5"' if item.layer == BEND else ""
        return f"<rect {at} {layer} {thin}{dashes}/>"
    if isinstance(item, Stroke):
        points = " ".join(f"{x:.3f},{y:.3f}" for x, y in item.points)
        kind = "polygon" if item.closed else "polyline"
        line = f'fill="none" stroke="{colour}" stroke-width="{item.wide_mm:g}"'
        return f'<{kind} points="{points}" {layer} {line}/>'
    paths = " ".join(_path(line, closed=letters.filled) for line in _placed(item, letters))
    paint = f'fill="{colour}"' if letters.filled else thin
    return f'<path d="{paths}" {layer} {paint} aria-label="{escape(item.text)}"/>'


def _cross(ring: Ring) -> str:
    """Where a punch is set."""
    arm = min(max(ring.diameter / 2 + 1, 2.0), 6.0)
    lines = f"M{ring.x - arm:.3f} {ring.y:.3f}h{2 * arm:.3f}M{ring.x:.3f} {ring.y - arm:.3f}v{2 * arm:.3f}"
    return f'<path d="{lines}" data-layer="{NOTE}" fill="none" stroke="{_COLOURS[NOTE]}" stroke-width="0.1"/>'


def _path(line: Points, *, closed: bool) -> str:
    moved = "L".join(f"{x:.3f} {y:.3f}" for x, y in line)
    return f"M{moved}{'Z' if closed else ''}"


def _placed(item: Words, letters: Letters) -> list[Points]:
    left = item.x - letters.width_mm(item.text, item.tall, bold=item.bold) / 2 if item.from_middle else item.x
    lines = letters.lines(item.text, item.tall, bold=item.bold)
    return [tuple((x + left, y + item.y) for x, y in line) for line in lines]


# -- DXF --------------------------------------------------------------------------------------------


def dxf(drawing: Drawing, letters: Letters | None = None) -> str:
    """The drawing as DXF in mm: a layer for what is cut, printed, noted, and for each drill."""
    import io

    from ezdxf import units
    from ezdxf.filemanagement import new

    document = new("R2010")
    document.units = units.MM
    space = document.modelspace()
    own = letters or EngravedLetters()
    for item in drawing.items:
        if item.layer not in document.layers:
            document.layers.add(item.layer, color=_ACI.get(item.layer, 3))
        of = {"layer": item.layer}

        def up(points: Points) -> list[tuple[float, float]]:
            return [(x, drawing.height - y) for x, y in points]

        if isinstance(item, Ring):
            space.add_circle((item.x, drawing.height - item.y), item.diameter / 2, dxfattribs=of)
        elif isinstance(item, Box):
            right, below = item.x + item.width, item.y + item.height
            corners = ((item.x, item.y), (right, item.y), (right, below), (item.x, below))
            space.add_lwpolyline(up(corners), close=True, dxfattribs=of)
        elif isinstance(item, Stroke):
            space.add_lwpolyline(up(item.points), close=item.closed, dxfattribs=of)
        else:
            for line in _placed(item, own):
                space.add_lwpolyline(up(line), close=own.filled, dxfattribs=of)
    text = io.StringIO()
    document.write(text)
    return text.getvalue()


# -- PDF --------------------------------------------------------------------------------------------


def pages(drawing: Drawing) -> list[tuple[float, float, float, float]]:
    """What each sheet of paper shows of a drawing: left, top, width, height in mm; two overlap."""
    return min((_cut(drawing, paper) for paper in (PAPER_MM, PAPER_MM[::-1])), key=len)


def _cut(drawing: Drawing, paper: tuple[float, float]) -> list[tuple[float, float, float, float]]:
    """What sheets of one way round show."""
    room = (paper[0] - 2 * FREE_MM, paper[1] - 2 * FREE_MM - FOOT_MM)

    def cuts(long: float, most: float) -> list[float]:
        starts, at = [0.0], most
        while at < long - 1e-9:
            starts.append(at - OVERLAP_MM)
            at = starts[-1] + most
        return starts

    return [
        (x, y, min(room[0], drawing.width - x), min(room[1], drawing.height - y))
        for y in cuts(drawing.height, room[1])
        for x in cuts(drawing.width, room[0])
    ]


def printed(drawing: Drawing, letters: Letters | None = None) -> bytes:
    """The drawing as PDF on sheets of paper, each with a ruler; UserError names a missing library."""
    body = "\n".join(_svg_item(item, letters or OutlineLetters()) for item in drawing.items)
    title, cut = escape(drawing.title), pages(drawing)
    upright = cut == _cut(drawing, PAPER_MM)
    check = "".join(_svg_item(item, OutlineLetters()) for item in ruler(0.0, RULER_TALL))
    measure = _image(_sheet(drawing, (-0.2, 0.0, RULER_MM + 60, RULER_TALL + 0.6), check), "ruler")
    sheets = []
    for k, view in enumerate(cut, 1):
        image = _image(_sheet(drawing, view, body), title)
        said = f"{title}, sheet {k} of {len(cut)}: print at 100 %, not fitted to the page"
        sheets.append(f'<div class="sheet">{image}<div class="ruler">{measure}</div><p>{said}</p></div>')
    style = _style(PAPER_MM if upright else PAPER_MM[::-1])
    head = f'<meta charset="utf-8"><title>{title}</title><style>{style}</style>'
    return pdf(f'<html lang="en"><head>{head}</head><body>{"".join(sheets)}</body></html>')


def _image(picture: str, words: str) -> str:
    """An SVG as an image of its own size in mm."""
    wide, high = re.findall(r'(?:width|height)="([\d.]+)mm"', picture)[:2]
    data = base64.b64encode(picture.encode()).decode()
    size = f"width:{wide}mm;height:{high}mm"
    return f'<img style="{size}" alt="{words}" src="data:image/svg+xml;base64,{data}">'


def _style(paper: tuple[float, float]) -> str:
    """Every sheet of paper with the same free edge; what it shows is not scaled."""
    return (
        f"@page{{size:{paper[0]}mm {paper[1]}mm;margin:{FREE_MM}mm {FREE_MM}mm 0 {FREE_MM}mm}}"
        "body{margin:0;font:7pt sans-serif;color:#6B7680}img{display:block}"
        f".ruler{{margin:{RULER_BELOW}mm 0 0 -0.2mm}}"
        ".sheet{break-after:page}.sheet:last-child{break-after:auto}p{margin:1mm 0 0}"
    )


# -- any of them ------------------------------------------------------------------------------------


def write_drawing(drawing: Drawing, path: Path, *, engraved: bool = False) -> None:
    """Write a drawing as .svg, .dxf or .pdf, a ruler below it; UserError where that can't be."""
    letters: Letters = EngravedLetters() if engraved else OutlineLetters()
    ruled = with_ruler(drawing)
    # On paper every sheet has a ruler of its own.
    makers: dict[str, Callable[[], bytes]] = {
        ".svg": lambda: svg(ruled, letters).encode(),
        ".dxf": lambda: dxf(ruled, letters).encode(),
        ".pdf": lambda: printed(drawing, letters),
    }
    make = makers.get(path.suffix.casefold())
    if make is None:
        raise UserError(f"{path.name}: a drawing is written as .svg, .dxf or .pdf.")
    try:
        path.write_bytes(make())
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}.") from error
