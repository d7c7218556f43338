"""Faces of a box and what sits on them: panels with size, thickness, material, bend, and fittings."""

from typing import Annotated, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.record import Identifier, Name, NotNegative, Positive, Record

Side = Literal["front", "back", "left", "right", "lid", "base"]
Material = Literal["metal", "wood", "plastic", "printed"]


class FaceItem(Record):
    """One fitting on a face: its kind, its middle from the upper left corner, mm, as seen from outside.

    What is given of hole, width, height and depth takes the place of the usual figures of its kind.
    """

    id: Identifier
    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    kind: Annotated[str, Quantity("", "kind", "what kind of fitting it is")]
    x_mm: Annotated[float, Quantity("mm", "from the left", "its middle, from the left edge")]
    y_mm: Annotated[float, Quantity("mm", "from above", "its middle, from the upper edge")]
    upright: Annotated[bool, Quantity("", "turned", "turned by a quarter")] = False
    hole_mm: Annotated[Positive | None, Quantity("mm", "hole", "diameter of its hole, as measured")] = None
    width_mm: Annotated[Positive | None, Quantity("mm", "width", "width of its cut-out, as measured")] = None
    height_mm: Annotated[Positive | None, Quantity("mm", "height", "height of its cut-out, as measured")] = (
        None
    )
    depth_mm: Annotated[NotNegative | None, Quantity("mm", "depth", "room that it takes behind the face")] = (
        None
    )
    link: Annotated[Identifier | None, Quantity("", "of", "the link that it belongs to")] = None


class PhotoUnder(Record):
    """A photo that lies under the drawing of a face: two points on it, pixels, and where each is, mm."""

    attachment: Annotated[int, Quantity("", "photo", "which attachment it is")]
    at_px: Annotated[
        tuple[tuple[float, float], tuple[float, float]] | None,
        Quantity("", "points on the photo", "two points on it, in pixels"),
    ] = None
    at_mm: Annotated[
        tuple[tuple[float, float], tuple[float, float]] | None,
        Quantity("mm", "points on the face", "where these points are on the face"),
    ] = None


class FaceRecord(Record):
    """A face of a box, mm, as seen from outside; `bend_mm` is bent away all around, where nothing may sit."""

    id: Identifier
    side: Annotated[Side, Quantity("", "side", "which side of the box it is")] = "front"
    width_mm: Annotated[Positive, Quantity("mm", "width", "how wide it is")]
    height_mm: Annotated[Positive, Quantity("mm", "height", "how high it is")]
    thickness_mm: Annotated[Positive, Quantity("mm", "thickness", "how thick its sheet is")] = 1.5
    material: Annotated[Material, Quantity("", "material", "what it is made of")] = "metal"
    bend_mm: Annotated[NotNegative, Quantity("mm", "bend", "kept free along its edges, where it bends")] = 3.0
    #: How deep the box is behind it; None: as its other faces say, else not known.
    room_mm: Annotated[Positive | None, Quantity("mm", "room behind", "free depth behind it")] = None
    items: Annotated[tuple[FaceItem, ...], Quantity("", "fittings", "what sits on it")] = ()
    photo: Annotated[PhotoUnder | None, Quantity("", "photo", "a photo of it, under the drawing")] = None
