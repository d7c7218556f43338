"""Letters as lines in mm: the shipped type by its outlines, or a font of single lines for engraving."""

from collections.abc import Iterator
from functools import cache
from importlib import resources
from typing import Any

Points = tuple[tuple[float, float], ...]

#: What a font of single lines has no letter for, and what stands in its place.
_PLAIN = {
    "·": "-",
    "–": "-",
    "−": "-",
    "…": "...",
    "†": "+",
    "Ω": "ohm",
    "µ": "u",
    "±": "+-",
    "°": "deg ",
    "’": "'",
}
#: Parts that a curve of an outline is cut into.
CUTS = 4


class OutlineLetters:
    """The shipped type: closed outlines, filled where they are printed."""

    filled = True

    def width_mm(self, text: str, tall_mm: float, *, bold: bool = False) -> float:
        """How wide a text is with capitals so high."""
        return sum(_advance(c, bold=bold) for c in text) * tall_mm / _capitals(bold=bold)

    def lines(self, text: str, tall_mm: float, *, bold: bool = False) -> Iterator[Points]:
        """The outlines of a text from its left end on its base line, y down."""
        scale, x = tall_mm / _capitals(bold=bold), 0.0
        for c in text:
            for outline in _outlines(c, bold=bold):
                yield tuple((x + px * scale, -py * scale) for px, py in outline)
            x += _advance(c, bold=bold) * scale


class EngravedLetters:
    """Letters of single lines, as a graver or a pen follows them."""

    filled = False

    def width_mm(self, text: str, tall_mm: float, *, bold: bool = False) -> float:
        """How wide a text is with capitals so high; single lines are never bold."""
        return max((x for line in self.lines(text, tall_mm) for x, _ in line), default=0.0)

    def lines(self, text: str, tall_mm: float, *, bold: bool = False) -> Iterator[Points]:
        """The strokes of a text from its left end on its base line, y down."""
        plain = "".join(_PLAIN.get(c, c if c.isascii() else "?") for c in text)
        font = _stroke_font()
        top, base = _stroke_capitals()
        scale = tall_mm / (base - top)
        for stroke in font.strokes_for_text(plain):
            yield tuple((px * scale, (py - base) * scale) for px, py in stroke)


@cache
def _face(bold: bool) -> Any:  # noqa: ANN401 - the font library has no types
    from fontTools.ttLib import TTFont

    name = f"B612-{'Bold' if bold else 'Regular'}.otf"
    with resources.as_file(resources.files("tensimeter.assets").joinpath("fonts", name)) as path:
        return TTFont(path)


@cache
def _capitals(*, bold: bool) -> float:
    return max(y for outline in _outlines("H", bold=bold) for _, y in outline)


@cache
def _advance(letter: str, *, bold: bool) -> float:
    face = _face(bold)
    return float(face["hmtx"][face.getBestCmap().get(ord(letter), ".notdef")][0])


@cache
def _outlines(letter: str, *, bold: bool) -> tuple[Points, ...]:
    """The closed outlines of a letter in the font's units, y up, its curves cut into straight parts."""
    from fontTools.pens.recordingPen import DecomposingRecordingPen

    face = _face(bold)
    glyphs = face.getGlyphSet()
    pen = DecomposingRecordingPen(glyphs)
    glyphs[face.getBestCmap().get(ord(letter), ".notdef")].draw(pen)
    found: list[list[tuple[float, float]]] = []
    for act, args in pen.value:
        if act == "moveTo":
            found.append([args[0]])
        elif act == "lineTo":
            found[-1].append(args[0])
        elif act == "curveTo":
            found[-1] += _curve(found[-1][-1], *args)
        elif act == "qCurveTo":
            raise ValueError("the shipped type has cubic curves")
    return tuple(tuple(outline) for outline in found)


def _curve(
    a: tuple[float, float], b: tuple[float, float], c: tuple[float, float], d: tuple[float, float]
) -> list[tuple[float, float]]:
    """Points of a cubic Bézier curve after its first."""
    points = []
    for k in range(1, CUTS + 1):
        t = k / CUTS
        u = 1 - t
        points.append(
            (
                u**3 * a[0] + 3 * u * u * t * b[0] + 3 * u * t * t * c[0] + t**3 * d[0],
                u**3 * a[1] + 3 * u * u * t * b[1] + 3 * u * t * t * c[1] + t**3 * d[1],
            )
        )
    return points


@cache
def _stroke_font() -> Any:  # noqa: ANN401 - the font library has no types
    from HersheyFonts import HersheyFonts

    font = HersheyFonts()
    font.load_default_font("futural")
    return font


@cache
def _stroke_capitals() -> tuple[float, float]:
    """Top and base line of its capitals, in its own units, y down."""
    heights = [y for line in _stroke_font().lines_for_text("H") for _, y in line]
    return min(heights), max(heights)
