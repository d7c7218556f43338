"""Faces of a box: what overlaps by another library's opinion, what is in the way, what is drilled, edits."""

import itertools

import numpy as np
import pytest
from shapely.geometry import Point, Polygon, box

from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.model.faces import FaceItem, FaceRecord
from tensimeter.core.model.job import Job
from tensimeter.core.plate.drilling import as_table, schedule
from tensimeter.core.plate.face import apart_mm, faults
from tensimeter.core.plate.face_edits import (
    aligned,
    centred,
    distributed,
    face_of,
    from_design,
    length_mm,
    moved,
    new_face,
    placed,
    turned,
    with_item,
    without_item,
)
from tensimeter.core.plate.fittings import FITTINGS, cut_outs_of, holes_of, outline_of
from tensimeter.core.plate.template import template
from tensimeter.demo.library import demo_job, demo_names


def shape(item: FaceItem) -> Polygon:
    """What an item covers, by its own figures and nothing of the program's geometry but its kind."""
    of = FITTINGS[item.kind]
    if isinstance(of.covers, float | int):
        return Point(item.x_mm, item.y_mm).buffer(of.covers / 2, quad_segs=256)
    wide, high = of.covers[::-1] if item.upright else of.covers
    return box(item.x_mm - wide / 2, item.y_mm - high / 2, item.x_mm + wide / 2, item.y_mm + high / 2)


def some_face(rng: np.random.Generator) -> FaceRecord:
    kinds = list(FITTINGS)
    items = tuple(
        FaceItem(id=f"i{k}", name=f"item {k}", kind=kinds[rng.integers(len(kinds))],
                 upright=bool(rng.integers(2)),
                 x_mm=float(rng.uniform(0, 220)), y_mm=float(rng.uniform(0, 120)))
        for k in range(rng.integers(2, 9))
    )  # fmt: skip
    return FaceRecord(id="front", width_mm=220, height_mm=120, items=items)


def test_every_overlap_that_another_library_finds_is_told_and_none_besides() -> None:
    rng = np.random.default_rng(300)
    overlaps = 0
    for _ in range(300):
        face = some_face(rng)
        told = {f.items for f in faults([face], 230) if f.key == "overlap"}
        found = set()
        for a, b in itertools.combinations(face.items, 2):
            # A circle of many corners is 1e-5 of its radius smaller than a round one.
            if shape(a).intersection(shape(b)).area > 1e-3:
                found.add((a.id, b.id))
            elif (a.id, b.id) in told:
                assert shape(a).distance(shape(b)) < 1e-3
                found.add((a.id, b.id))
        assert told == found
        overlaps += len(found)
        inside = box(0, 0, 220, 120).buffer(1e-6)
        out = {f.items[0] for f in faults([face], 230) if f.key in ("off_face", "too_large")}
        assert out == {i.id for i in face.items if not inside.contains(shape(i).buffer(-1e-3))}
    assert overlaps > 300


def _face(*items: tuple[str, float, float], **more: object) -> FaceRecord:
    made = tuple(
        FaceItem(id=f"{kind}-{k}", name=kind, kind=kind, x_mm=x, y_mm=y)
        for k, (kind, x, y) in enumerate(items)
    )
    return FaceRecord(id="front", width_mm=200, height_mm=100, items=made, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("face", "key"),
    [
        (_face(("terminal", 100, 50), ("mains_switch", 121, 50)), "mains_near"),
        (_face(("terminal", 100, 50), ("knob", 123, 50)), "fingers"),
        (_face(("terminal", 8, 50)), "bend"),
        (_face(("terminal", 3, 50)), "off_face"),
        (_face(("fan_120", 100, 50)), "too_large"),
        (_face(("fuse", 100, 50), room_mm=40), "depth"),
        (_face(("sink", 100, 50), material="wood"), "hot"),
        (_face(("fan_60", 50, 50), ("vents", 150, 50)), "air"),
        (_face(*(("sink", 30.0 + k, 50) for k in range(4))), "heavy"),
        (_face(("teapot", 100, 50)), "unknown"),
    ],
)
def test_what_is_in_the_way_is_told(face: FaceRecord, key: str) -> None:
    assert key in {f.key for f in faults([face], 230)}


def test_a_face_that_is_right_is_told_nothing() -> None:
    assert faults([_face(("pair", 60, 50), ("knob", 130, 50)), _face()], 230) == []
    # 8 mm between mains and low voltage at 230 V, by the stated rule.
    assert apart_mm(230) == 8
    near, far = (_face(("terminal", 50, 50), ("mains_switch", 50 + 7 + 10.5 + d, 50)) for d in (7.9, 8.1))
    assert [f.key for f in faults([near], 230)] == ["mains_near"]
    assert faults([far], 230) == []


def test_parts_of_opposite_faces_meet_inside() -> None:
    front = _face(("fuse", 50, 50), room_mm=80)
    back = _face(("fan_60", 150, 50)).model_copy(update={"id": "back", "side": "back"})
    # 45 + 35 mm in 80: they just pass; in 79 they meet, the back being seen from the other side.
    assert faults([front, back], 230) == []
    tight = front.model_copy(update={"room_mm": 79.0})
    assert [f.key for f in faults([tight, back], 230)] == ["inside"]
    aside = back.model_copy(update={"items": (back.items[0].model_copy(update={"x_mm": 50.0}),)})
    assert faults([tight, aside], 230) == []


def test_holes_are_drilled_in_order_and_where_they_are() -> None:
    face = _face(("meter", 60, 50), ("pair", 150, 50), ("standoff", 20, 20))
    steps = schedule(face)
    assert [s.order for s in steps] == list(range(1, len(steps) + 1))
    kinds = [
        0 if s.what == "pilot" or s.what.startswith("corner") else 2 if "opening" in s.what else 1
        for s in steps
    ]
    assert kinds == sorted(kinds)
    holes = {(s.x_mm, s.y_mm, s.diameter_mm) for s in steps if s.what == "hole"}
    assert holes == {(140.5, 50, 8.0), (159.5, 50, 8.0), (20, 20, 3.3)}
    # The corner holes leave half a millimetre to be filed: 45.5 / 2 − 0.5 − 2 from the middle.
    corners = {(s.x_mm, s.y_mm) for s in steps if s.what.startswith("corner")}
    assert corners == {(60 + sx * 20.25, 50 + sy * 10.75) for sx in (-1, 1) for sy in (-1, 1)}
    assert as_table(face).count("\n") == len(steps) + 1
    assert {s.tool for s in schedule(_face(("gland", 50, 50), material="wood"))} == {
        "twist drill",
        "hole saw",
    }
    # Turned by a quarter the pair stands upright; what was measured takes the place of the usual figure.
    up = FaceItem(id="p", name="p", kind="pair", x_mm=50, y_mm=50, upright=True, hole_mm=6.2)
    assert [(h.x, h.y, h.diameter) for h in holes_of(up)] == [(50, 40.5, 6.2), (50, 59.5, 6.2)]
    wide = FaceItem(id="m", name="m", kind="meter", x_mm=50, y_mm=50, width_mm=80)
    assert cut_outs_of(wide)[0].width == 80
    assert outline_of(wide).half[0] == 40
    assert {i.name for i in template(face, "t").items if hasattr(i, "diameter") and i.name} == {
        "pair",
        "standoff",
    }


def test_edits_by_figures() -> None:
    job = new_face(Job(name="Box"), "front", "20cm", "4in", "1.5mm", "metal")
    assert (face_of(job, "front").width_mm, face_of(job, "FRONT").height_mm) == (200, pytest.approx(101.6))
    for kind in ("terminal", "terminal", "knob", "indicator"):
        job = with_item(job, "front", kind)
    ids = [i.id for i in face_of(job, "front").items]
    assert len(set(ids)) == 4
    assert faults(job.plate.faces, 230) == []
    job = moved(job, "front", ids[:1], 0.1, -20)
    job = aligned(job, "front", ids, "row")
    assert [i.y_mm for i in face_of(job, "front").items] == pytest.approx([50.8 - 20] * 4)
    job = distributed(job, "front", ids)
    steps = np.diff([i.x_mm for i in face_of(job, "front").items])
    assert np.ptp(steps) < 0.02
    job = centred(job, "front", ids)
    outlines = [outline_of(i) for i in face_of(job, "front").items]
    assert outlines[0].x - outlines[0].half[0] == pytest.approx(
        200 - outlines[-1].x - outlines[-1].half[0], abs=0.01
    )
    job = turned(without_item(job, "front", ids[1]), "front", ids[:1])
    assert face_of(job, "front").items[0].upright
    job = placed(job, "front", ids[0], 12.5, 30)
    assert face_of(job, "front").items[0].x_mm == 12.5
    # Drawn anew it keeps what sits on it.
    assert len(face_of(new_face(job, "front", "150mm", "90mm", "2mm", "wood"), "front").items) == 3


def test_what_is_no_face_is_refused_and_inches_are_asked_about() -> None:
    job = Job(name="Box")
    with pytest.raises(Doubtful, match="9 in"):
        new_face(job, "front", "9", "4", "1", "metal")
    assert face_of(new_face(job, "front", "9", "4", "1", "metal", sure=True), "front").width_mm == 9
    for wrong in (("roof", "200", "90", "2", "metal"), ("front", "200", "90", "2", "cheese"),
                  ("front", "0", "90", "2", "metal"), ("front", "-5", "90", "2", "metal"),
                  ("front", "200", "90", "0", "metal"), ("front", "200", "90", "60", "metal"),
                  ("front", "1e9", "90", "2", "metal"), ("front", "wide", "90", "2", "metal")):  # fmt: skip
        with pytest.raises(UserError):
            new_face(job, *wrong)
    job = new_face(job, "front", "200", "90", "2", "metal")
    with pytest.raises(UserError, match="no fitting"):
        with_item(job, "front", "teapot")
    with pytest.raises(UserError, match="no face"):
        with_item(job, "back", "terminal")
    with pytest.raises(UserError):
        placed(job, "front", "x", float("nan"), 0)
    assert length_mm("2,5 in", "width") == pytest.approx(63.5)


@pytest.mark.parametrize("name", demo_names())
def test_a_demo_fits_on_a_front_and_a_back(name: str) -> None:
    job = new_face(demo_job(name), "front", "320mm", "110mm", "2mm", "metal")
    job = from_design(new_face(job, "back", "320mm", "110mm", "2mm", "metal"), "back")
    job = from_design(from_design(job, "front"), "front")
    front = face_of(job, "front")
    outlets = {o.id for o in job.design.outputs()}
    assert {i.link for i in front.items if i.kind == "pair"} == outlets
    assert [f for f in faults(job.plate.faces, 230) if not f.caution] == []
    assert {"inlet", "mains_switch"} <= {i.kind for i in face_of(job, "back").items}
    assert Job.model_validate_json(job.model_dump_json()) == job
