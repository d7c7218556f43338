"""Edits of the faces of a box: each takes a job and gives a new one."""

from collections.abc import Callable, Iterator, Sequence
from typing import get_args

from tensimeter.core.circuit.network import has_source
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.model.edits import identifier
from tensimeter.core.model.faces import FaceItem, FaceRecord, Material, PhotoUnder, Side
from tensimeter.core.model.job import Job
from tensimeter.core.plate.face import apart_mm
from tensimeter.core.plate.fittings import FITTINGS, outline_of
from tensimeter.core.plate.photo_under import laid
from tensimeter.core.quantity import parse

#: A face below or above this, mm, may have been meant in inches or in cm; and the largest that is taken.
SMALL_MM, LARGE_MM, MOST_MM = 40.0, 600.0, 3000.0


def face_of(job: Job, face_id: str) -> FaceRecord:
    """A face by its id; UserError names those there are."""
    found = next((f for f in job.plate.faces if f.id == face_id.casefold()), None)
    if found is None:
        names = ", ".join(f.id for f in job.plate.faces) or "none yet"
        raise UserError(f"There is no face “{face_id}”; there is {names}.")
    return found


def with_face(job: Job, face: FaceRecord) -> Job:
    """The job with a face added, or replaced where its id is known."""
    known = [f.id for f in job.plate.faces]
    faces = (
        tuple(face if f.id == face.id else f for f in job.plate.faces)
        if face.id in known
        else (*job.plate.faces, face)
    )
    return job.model_copy(update={"plate": job.plate.model_copy(update={"faces": faces})})


def without_face(job: Job, face_id: str) -> Job:
    """The job without a face."""
    faces = tuple(f for f in job.plate.faces if f.id != face_id)
    return job.model_copy(update={"plate": job.plate.model_copy(update={"faces": faces})})


def length_mm(text: str, what: str) -> float:
    """A length as it is typed: 120, 120mm, 12cm, 4.5in; UserError for what is none, and for none at all."""
    said = text.strip().casefold().replace(",", ".")
    scale = 1.0
    for end, mm in (("mm", 1.0), ("cm", 10.0), ("in", 25.4), ("″", 25.4), ('"', 25.4), ("m", 1000.0)):
        if said.endswith(end):
            said, scale = said.removesuffix(end).strip(), mm
            break
    value = parse(said) * scale
    if not 0 < value <= MOST_MM:
        raise UserError(f"The {what} of a face is above zero, {MOST_MM:g} mm at the most; “{text}” is not.")
    return value


def new_face(
    job: Job, side: str, width: str, height: str, thickness: str, material: str, *, sure: bool = False
) -> Job:
    """The job with a face of a side, its lengths as they are typed.

    Doubtful where the figures look like inches or centimetres taken for mm, unless one is `sure`.
    """
    if side not in get_args(Side) or material not in get_args(Material):
        raise UserError(f"A face is one of {', '.join(get_args(Side))}, of {', '.join(get_args(Material))}.")
    wide, high = length_mm(width, "width"), length_mm(height, "height")
    thick = length_mm(thickness, "thickness")
    plain = all(t.strip()[-1:].isdigit() for t in (width, height))
    if not sure and plain and (max(wide, high) < SMALL_MM or max(wide, high) > LARGE_MM):
        raise Doubtful(
            f"{wide:g} × {high:g} mm is an unusual face. Write its unit, as in {width.strip()} in or "
            f"{width.strip()} cm, or {width.strip()} mm where that is meant."
        )
    if thick > min(wide, high) / 4:
        raise UserError(f"A sheet {thick:g} mm thick is no sheet of a face of {wide:g} × {high:g} mm.")
    room = job.settings.box
    depth = room.length_mm if room is not None and side in ("front", "back") else None
    face = FaceRecord.model_validate(
        {"id": side, "side": side, "width_mm": wide, "height_mm": high, "thickness_mm": thick,
         "material": material, "bend_mm": 3.0 if material == "metal" else 0.0, "room_mm": depth}
    )  # fmt: skip
    if any(f.id == side for f in job.plate.faces):
        face = face.model_copy(update={"items": face_of(job, side).items})
    return with_face(job, face)


def with_item(job: Job, face_id: str, kind: str, name: str = "", link: str | None = None) -> Job:
    """The job with a fitting set on a face, where there is room for it; UserError for an unknown kind."""
    face = face_of(job, face_id)
    of = FITTINGS.get(kind)
    if of is None:
        raise UserError(f"There is no fitting “{kind}”; there is {', '.join(FITTINGS)}.")
    said = name.strip() or of.name
    own = identifier(said, (i.id for i in face.items))
    item = FaceItem(id=own, name=said[:80], kind=kind, x_mm=0.0, y_mm=face.height_mm / 2, link=link)
    right = max(
        (o.x + o.half[0] for o in (outline_of(i) for i in face.items if i.kind in FITTINGS)),
        default=face.bend_mm,
    )
    half = outline_of(item).half[0]
    mixed = {of.mains, *(FITTINGS[i.kind].mains for i in face.items if i.kind in FITTINGS)}
    apart = apart_mm(job.settings.mains_V) if len(mixed) > 1 else 6.0
    space = max([apart, of.fingers, *(FITTINGS[i.kind].fingers for i in face.items if i.kind in FITTINGS)])
    x = min(right + space + half, max(face.width_mm - face.bend_mm - half - 3, half))
    return with_face(job, _items(face, (*face.items, item.model_copy(update={"x_mm": round(x, 1)}))))


def with_photo(job: Job, face_id: str, photo: PhotoUnder | None) -> Job:
    """The job with a photo under a face, or with none; UserError where its two points tell no scale."""
    if photo is not None and photo.at_px is not None and photo.at_mm is not None:
        laid(photo.at_px, photo.at_mm)
    return with_face(job, face_of(job, face_id).model_copy(update={"photo": photo}))


def without_item(job: Job, face_id: str, item_id: str) -> Job:
    """The job without a fitting."""
    face = face_of(job, face_id)
    return with_face(job, _items(face, tuple(i for i in face.items if i.id != item_id)))


def moved(job: Job, face_id: str, item_ids: Sequence[str], dx: float, dy: float) -> Job:
    """The job with fittings moved by so many mm; they may leave the face, and that is said."""

    def one(item: FaceItem) -> FaceItem:
        x, y = round(item.x_mm + dx, 3), round(item.y_mm + dy, 3)
        return item.model_copy(update={"x_mm": x, "y_mm": y})

    return _each(job, face_id, item_ids, one)


def placed(job: Job, face_id: str, item_id: str, x_mm: float, y_mm: float) -> Job:
    """The job with the middle of a fitting at a place; UserError where that is no place at all."""
    if not all(abs(v) <= MOST_MM for v in (x_mm, y_mm)):
        raise UserError(f"A place on a face is within {MOST_MM:g} mm.")
    at = {"x_mm": round(x_mm, 3), "y_mm": round(y_mm, 3)}
    return _each(job, face_id, (item_id,), lambda i: i.model_copy(update=at))


def turned(job: Job, face_id: str, item_ids: Sequence[str]) -> Job:
    """The job with fittings turned by a quarter."""
    return _each(job, face_id, item_ids, lambda i: i.model_copy(update={"upright": not i.upright}))


def aligned(job: Job, face_id: str, item_ids: Sequence[str], along: str) -> Job:
    """The job with fittings on one line with the first: `row` for one height, `column` for one distance."""
    face = face_of(job, face_id)
    first = next((i for i in face.items if i.id in item_ids[:1]), None)
    if first is None:
        return job
    to = {"y_mm": first.y_mm} if along == "row" else {"x_mm": first.x_mm}
    return _each(job, face_id, item_ids, lambda i: i.model_copy(update=to))


def distributed(job: Job, face_id: str, item_ids: Sequence[str]) -> Job:
    """The job with fittings spread along their row, as far apart from one another each."""
    face = face_of(job, face_id)
    chosen = sorted((i for i in face.items if i.id in item_ids), key=lambda i: i.x_mm)
    if len(chosen) < 3:
        return job
    first, last = chosen[0].x_mm, chosen[-1].x_mm
    at = {i.id: round(first + (last - first) * k / (len(chosen) - 1), 2) for k, i in enumerate(chosen)}
    return _each(job, face_id, item_ids, lambda i: i.model_copy(update={"x_mm": at[i.id]}))


def centred(job: Job, face_id: str, item_ids: Sequence[str]) -> Job:
    """The job with fittings moved together so that they stand in the middle of the face, side to side."""
    face = face_of(job, face_id)
    outlines = [outline_of(i) for i in face.items if i.id in item_ids]
    if not outlines:
        return job
    left, right = min(o.x - o.half[0] for o in outlines), max(o.x + o.half[0] for o in outlines)
    return moved(job, face_id, item_ids, face.width_mm / 2 - (left + right) / 2, 0.0)


def _each(job: Job, face_id: str, item_ids: Sequence[str], change: Callable[[FaceItem], FaceItem]) -> Job:
    face = face_of(job, face_id)
    items = tuple(change(i) if i.id in item_ids else i for i in face.items)
    return with_face(job, _items(face, items))


def _items(face: FaceRecord, items: tuple[FaceItem, ...]) -> FaceRecord:
    return face.model_copy(update={"items": items})


def from_design(job: Job, face_id: str) -> Job:
    """The job with what its design asks for on a face: outlets and meters in front, mains at the back."""
    face = face_of(job, face_id)
    there = {(i.kind, i.link) for i in face.items}
    for kind, name, link in _asked(job, face.side):
        if (kind, link) not in there:
            job = with_item(job, face_id, kind, name, link)
    return job


def _asked(job: Job, side: str) -> Iterator[tuple[str, str, str | None]]:
    """What a design asks for on a side: kind, name, link."""
    if side == "back" and has_source(job):
        yield "inlet", "mains inlet", None
        yield "mains_switch", "mains switch", None
    for link in job.design.links:
        asks = {"front": link.in_front, "back": link.at_back}.get(side)
        if asks:
            yield asks, link.name, link.id
    if side == "front":
        for output in job.design.outputs():
            if output.turned:
                yield "knob", f"{output.name} {output.turned}", output.id
