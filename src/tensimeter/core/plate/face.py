"""Whether what sits on the faces of a box can: edges, one another, room behind, mains, heat, air, weight."""

from collections.abc import Iterator, Sequence
from itertools import combinations

from msgspec import Struct

from tensimeter.core.model.faces import FaceItem, FaceRecord
from tensimeter.core.plate.fittings import FITTINGS, Outline, depth_of, fitting_of, gap, outline_of

#: Kept free between two fittings, and from the edge of a face, mm: rules of thumb.
BETWEEN_MM, EDGE_MM = 1.0, 3.0
#: From what is joined to mains to what is not, mm through air and along a surface, up to so many volts: rules
#: of thumb on the large side; local codes say what must be kept.
APART_MM = ((150.0, 6.0), (300.0, 8.0), (1000.0, 14.0))
#: Grams that one face carries without a rib or a foot near it; a rule of thumb.
HEAVY_G = 800.0
#: Materials that heat chars or softens.
_TENDER = {"wood", "plastic", "printed"}


class Fault(Struct, frozen=True):
    """One thing that is wrong: its key, the face, the items, in a sentence; a `caution` may be meant."""

    key: str
    face: str
    items: tuple[str, ...]
    text: str
    caution: bool = False


def faults(faces: Sequence[FaceRecord], mains_V: float) -> list[Fault]:
    """All that is wrong with the faces of a box, what can't be built first."""
    strange = [
        Fault(
            "unknown", face.id, (i.id,), f"{i.name} is of no kind that is known, “{i.kind}”: it is left out."
        )
        for face in faces
        for i in face.items
        if i.kind not in FITTINGS
    ]
    known = [
        face.model_copy(update={"items": tuple(i for i in face.items if i.kind in FITTINGS)})
        for face in faces
    ]
    found = [*strange, *(fault for face in known for fault in _on_one(face, mains_V)), *_behind(known)]
    return sorted(found, key=lambda f: f.caution)


def _on_one(face: FaceRecord, mains_V: float) -> Iterator[Fault]:
    outlines = {item.id: outline_of(item) for item in face.items}
    for item in face.items:
        yield from _at_edge(face, item, outlines[item.id])
        of = fitting_of(item)
        if of.hot and face.material in _TENDER:
            yield Fault(
                "hot", face.id, (item.id,),
                f"{item.name} gets hot, and {face.material} chars or softens: metal or an air gap between.",
            )  # fmt: skip
    for a, b in combinations(face.items, 2):
        yield from _near(face, a, b, gap(outlines[a.id], outlines[b.id]), mains_V)
    airy = [i for i in face.items if fitting_of(i).air]
    if len(airy) > 1:
        text = f"{' and '.join(i.name for i in airy)} on one side: air goes round in circles."
        yield Fault("air", face.id, tuple(i.id for i in airy), text, True)
    grams = sum(fitting_of(i).grams for i in face.items)
    if grams > HEAVY_G:
        text = f"{grams:.0f} g hang on one face: a rib, or the heaviest on the base."
        yield Fault("heavy", face.id, (), text, True)


def _at_edge(face: FaceRecord, item: FaceItem, o: Outline) -> Iterator[Fault]:
    room = min(
        o.x - o.half[0], o.y - o.half[1], face.width_mm - o.x - o.half[0], face.height_mm - o.y - o.half[1]
    )
    if 2 * o.half[0] > face.width_mm or 2 * o.half[1] > face.height_mm:
        text = f"{item.name} is larger than its face: {2 * o.half[0]:.1f} × {2 * o.half[1]:.1f} mm."
        yield Fault("too_large", face.id, (item.id,), text)
    elif room < 0:
        yield Fault("off_face", face.id, (item.id,), f"{item.name} sticks out of its face by {-room:.1f} mm.")
    elif room < face.bend_mm:
        text = f"{item.name} sits in the bend: {room:.1f} mm from the edge, {face.bend_mm:g} mm are bent."
        yield Fault("bend", face.id, (item.id,), text)
    elif room < EDGE_MM:
        text = f"{item.name} is {room:.1f} mm from the edge; {EDGE_MM:g} mm are usual."
        yield Fault("edge", face.id, (item.id,), text, True)


def apart_mm(mains_V: float) -> float:
    """What is kept between mains and what is not, mm, at volts of the mains."""
    return next((mm for volts, mm in APART_MM if mains_V <= volts), APART_MM[-1][1])


def _near(face: FaceRecord, a: FaceItem, b: FaceItem, between: float, mains_V: float) -> Iterator[Fault]:
    of_a, of_b = fitting_of(a), fitting_of(b)
    both = (a.id, b.id)
    if between < -1e-9:
        yield Fault("overlap", face.id, both, f"{a.name} and {b.name} overlap by {-between:.1f} mm.")
        return
    if of_a.mains != of_b.mains and between < apart_mm(mains_V):
        text = (
            f"{a.name} and {b.name}: {between:.1f} mm between mains and low voltage; "
            f"{apart_mm(mains_V):g} mm are a rule of thumb, and local codes say what must be kept, behind "
            "the face too."
        )
        yield Fault("mains_near", face.id, both, text)
        return
    fingers = max(of_a.fingers, of_b.fingers)
    if between < fingers:
        text = f"{a.name} and {b.name}: {between:.1f} mm between them, and fingers need {fingers:g} mm."
        yield Fault("fingers", face.id, both, text, True)
    elif between < BETWEEN_MM:
        yield Fault("close", face.id, both, f"{a.name} and {b.name} are {between:.1f} mm apart.", True)


#: Faces that look at one another, and how what is to the left on one is to the right on the other.
_OPPOSITE = (("front", "back", True), ("left", "right", True), ("lid", "base", False))


def _behind(faces: Sequence[FaceRecord]) -> Iterator[Fault]:
    """Depth behind each face, and where two that look at one another meet inside."""
    by_side: dict[str, FaceRecord] = {face.side: face for face in faces}
    for face in faces:
        for item in face.items:
            deep = depth_of(item)
            if face.room_mm is not None and deep > face.room_mm:
                text = f"{item.name} takes {deep:.0f} mm behind its face; {face.room_mm:g} mm are free."
                yield Fault("depth", face.id, (item.id,), text)
    for one, other, mirrored in _OPPOSITE:
        a, b = by_side.get(one), by_side.get(other)
        room = None if a is None or b is None else a.room_mm if a.room_mm is not None else b.room_mm
        if a is None or b is None or room is None:
            continue
        for p in a.items:
            for q in b.items:
                there = outline_of(q)
                seen = Outline(
                    b.width_mm - there.x if mirrored else there.x, there.y, there.radius, there.half
                )
                if depth_of(p) + depth_of(q) > room and gap(outline_of(p), seen) < 0:
                    yield Fault(
                        "inside", a.id, (p.id, q.id),
                        f"{p.name} and {q.name} meet inside: {depth_of(p):.0f} and {depth_of(q):.0f} mm in "
                        f"{room:g} mm.",
                    )  # fmt: skip
