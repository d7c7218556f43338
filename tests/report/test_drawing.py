"""A drawing at 1:1: printed and measured on the picture, read back by other readers of SVG and DXF."""

import io
import itertools
from pathlib import Path
from xml.etree import ElementTree

import ezdxf
import numpy as np
import pytest
from PyQt6.QtCore import QBuffer, QByteArray, QSize
from PyQt6.QtPdf import QPdfDocument

from tensimeter.core.errors import UserError
from tensimeter.core.plate.drawing import CUT, RULER_BELOW, Box, Drawing, Ring, Words, drill_layer
from tensimeter.report.lettering import EngravedLetters, OutlineLetters
from tensimeter.report.vector import FREE_MM, OVERLAP_MM, dxf, pages, printed, svg, write_drawing

DPI = 300
HOLES = [(12.0 + 17 * (k % 5), 20.0 + 41 * (k // 5), 3.2 + 1.3 * k) for k in range(10)]


def front(width: float = 120.0, height: float = 90.0) -> Drawing:
    rings = tuple(Ring(x, y, d, drill_layer(d), f"hole {k}") for k, (x, y, d) in enumerate(HOLES))
    words = Words(60, 8, 3, "MOUNT 13.6 V", from_middle=True)
    return Drawing(width, height, (Box(0, 0, width, height, CUT), *rings, words), "Front <1>")


def rendered(data: bytes, qapp, page: int = 0) -> np.ndarray:
    """Grey values (rows, columns) of a page as it prints at 300 dpi."""
    document, buffer = QPdfDocument(None), QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QBuffer.OpenModeFlag.ReadOnly)
    document.load(buffer)
    size = document.pagePointSize(page)
    image = document.render(page, QSize(round(size.width() / 72 * DPI), round(size.height() / 72 * DPI)))
    wide, tall = image.width(), image.height()
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    argb = np.frombuffer(bits, np.uint8).reshape(tall, image.bytesPerLine() // 4, 4)[:, :wide].astype(float)
    return 255 - argb[..., 3] + argb[..., 3] / 255 * argb[..., :3].mean(axis=2)


def test_what_is_printed_is_as_large_as_it_is(qapp) -> None:
    drawing = front()
    grey = rendered(printed(drawing), qapp)
    mm = 25.4 / DPI
    for x, y, d in HOLES:
        row, column = (FREE_MM + y) / mm, (FREE_MM + x) / mm
        # Along its middle, off the cross of its punch, a circle is met at both of its sides.
        at = round(row + 0.15 * d / mm)
        half = _half_chord(d, (at + 0.5) * mm - FREE_MM - y)
        line = grey[at, :]
        sides = [_dark(line, column - half / mm), _dark(line, column + half / mm)]
        middle, chord = sum(sides) / 2 * mm - FREE_MM, (sides[1] - sides[0]) * mm
        assert middle == pytest.approx(x, abs=0.1)
        assert chord == pytest.approx(2 * half, abs=0.1)
        at = round(column + 0.15 * d / mm)
        half = _half_chord(d, (at + 0.5) * mm - FREE_MM - x)
        line = grey[:, at]
        ends = [_dark(line, row - half / mm), _dark(line, row + half / mm)]
        assert sum(ends) / 2 * mm - FREE_MM == pytest.approx(y, abs=0.1)
    # The ruler's long ticks stand 50 mm apart.
    tick = grey[round((FREE_MM + drawing.height + RULER_BELOW + 0.5) / mm), :]
    ends = [_dark(tick, FREE_MM / mm), _dark(tick, (FREE_MM + 50) / mm)]
    assert (ends[1] - ends[0]) * mm == pytest.approx(50.0, abs=0.1)


def _half_chord(diameter: float, off: float) -> float:
    return float(np.sqrt(diameter**2 / 4 - off**2))


def _dark(line: np.ndarray, near: float) -> float:
    """Where a line of pixels is darkest near a place: the middle of the stroke."""
    low = max(round(near) - 8, 0)
    part = 255 - line[low : round(near) + 9]
    assert part.max() > 60, "nothing is drawn there"
    part = np.where(part > part.max() / 3, part, 0)
    return low + 0.5 + float(np.arange(len(part)) @ part / part.sum())


def test_other_readers_find_the_same_holes() -> None:
    drawing = front()
    root = ElementTree.fromstring(svg(drawing))
    space = {"s": "http://www.w3.org/2000/svg"}
    assert root.get("width") == "120.0000mm"
    assert root.get("viewBox") == "0.0000 0.0000 120.0000 90.0000"
    circles = [
        tuple(float(c.get(k, "nan")) for k in ("cx", "cy", "r")) for c in root.findall("s:circle", space)
    ]
    assert circles == [pytest.approx((x, y, d / 2)) for x, y, d in HOLES]
    document = ezdxf.read(io.StringIO(dxf(drawing)))
    assert document.units == ezdxf.units.MM
    found = [(c.dxf.center.x, c.dxf.center.y, c.dxf.radius, c.dxf.layer) for c in document.query("CIRCLE")]
    assert found == [(pytest.approx(x), pytest.approx(90 - y), d / 2, f"drill {d:g} mm") for x, y, d in HOLES]
    assert {"cut", "print", "drill 3.2 mm"} <= {layer.dxf.name for layer in document.layers}
    # Engraved, a letter is a few strokes; its outlines are closed.
    assert all(not line.closed for line in document.query('LWPOLYLINE[layer=="print"]'))
    outlined = ezdxf.read(io.StringIO(dxf(drawing, OutlineLetters())))
    assert all(line.closed for line in outlined.query('LWPOLYLINE[layer=="print"]'))


@pytest.mark.parametrize("letters", [OutlineLetters(), EngravedLetters()])
def test_letters_stand_on_their_line_and_are_as_tall_as_said(letters) -> None:
    points = np.array([p for line in letters.lines("HE", 5.0) for p in line])
    assert points[:, 1].min() == pytest.approx(-5.0, abs=0.05)
    assert points[:, 1].max() == pytest.approx(0.0, abs=0.05)
    assert 0 < points[:, 0].max() <= letters.width_mm("HE", 5.0) + 1e-9
    assert letters.width_mm("13.6 V · ±Ω°†", 2.0) > letters.width_mm("13.6 V", 2.0) > 0


def test_a_large_front_goes_over_sheets_that_overlap(qapp, tmp_path: Path) -> None:
    large = front(480, 300)
    cut = pages(large)
    # Lying, two sheets wide and two high; standing it would be three wide.
    assert len(cut) == 4
    for (x, _, width, _), (after, *_) in itertools.pairwise(cut[:2]):
        assert x + width - after == pytest.approx(OVERLAP_MM)
    assert max(x + w for x, _, w, _ in cut) == 480
    assert max(y + h for _, y, _, h in cut) == 300
    path = tmp_path / "front.pdf"
    write_drawing(large, path)
    document = QPdfDocument(None)
    document.load(str(path))
    assert document.pageCount() == len(pages(large))
    for name in ("front.doc", "no/front.svg"):
        with pytest.raises(UserError):
            write_drawing(large, tmp_path / name)
