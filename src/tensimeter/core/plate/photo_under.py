"""A photo of a real face laid under its drawing: scaled, turned and moved by two known points."""

import math

from msgspec import Struct

from tensimeter.core.errors import UserError

Point = tuple[float, float]
#: Two points nearer to one another than this, pixels or mm, tell no scale.
LEAST_APART = 10.0
#: mm a pixel that a photo of a face may have.
FINEST_MM, COARSEST_MM = 1e-3, 20.0


class Laid(Struct, frozen=True):
    """mm = `scale`·R(`turn`)·pixels + (`x_mm`, `y_mm`), the turn in radians, y down in both."""

    scale: float
    turn: float
    x_mm: float
    y_mm: float

    def at(self, pixel: Point) -> Point:
        """Where a pixel lies on the face, mm."""
        cos, sin = self.scale * math.cos(self.turn), self.scale * math.sin(self.turn)
        x, y = pixel
        return self.x_mm + cos * x - sin * y, self.y_mm + sin * x + cos * y

    def pixel(self, mm: Point) -> Point:
        """Which pixel lies at a place of the face."""
        cos, sin = math.cos(self.turn) / self.scale, math.sin(self.turn) / self.scale
        dx, dy = mm[0] - self.x_mm, mm[1] - self.y_mm
        return cos * dx + sin * dy, -sin * dx + cos * dy


def laid(pixels: tuple[Point, Point], mm: tuple[Point, Point]) -> Laid:
    """How a photo lies, by two points of it and where they are on the face.

    UserError where the points are too near to one another, or give a scale that no photo of a face has.
    """
    p, q = (complex(*b) - complex(*a) for a, b in (pixels, mm))
    if min(abs(p), abs(q)) < LEAST_APART:
        raise UserError("Two points tell a scale where they lie well apart: take two opposite corners.")
    by = q / p
    if not FINEST_MM <= abs(by) <= COARSEST_MM:
        raise UserError(f"{abs(by):.3g} mm a pixel is no photo of a face; are both places in mm?")
    start = complex(*mm[0]) - by * complex(*pixels[0])
    return Laid(abs(by), math.atan2(by.imag, by.real), start.real, start.imag)


def fitted(size_px: Point, face_mm: Point) -> Laid:
    """A photo whose points are not known yet: as large as fits the face."""
    scale = min(face_mm[0] / size_px[0], face_mm[1] / size_px[1])
    return Laid(scale, 0.0, 0.0, 0.0)
