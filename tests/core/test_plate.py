"""What may stand on a plate: by readings that hold, and by nothing else; panels of a box and their sheets."""

from functools import cache

import numpy as np
import pytest
from benchmarks.plates import planned, plate_of, readings_of, wrong
from msgspec.structs import replace
from shapely.geometry import box as rectangle

from tensimeter.core.errors import UserError
from tensimeter.core.held.points import Point, held_A, points
from tensimeter.core.held.reach import held_reach, most_at
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import AS_SAID, Reading
from tensimeter.core.model.edits import with_link
from tensimeter.core.model.job import Job
from tensimeter.core.parts.figures import MeterCheckRecord
from tensimeter.core.path import AsFound
from tensimeter.core.plate.box_sheets import OwnBox, cut_list, panels
from tensimeter.core.plate.dial import dial, dial_scale
from tensimeter.core.plate.label import label
from tensimeter.core.plate.missing import missing
from tensimeter.core.plate.rating import Plate, plate
from tensimeter.core.plate.reach_picture import reach_picture
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.step import Outcome
from tensimeter.report.lettering import EngravedLetters, OutlineLetters

NAMES = ("ridge-pier", "dome-workshop", "finishers-bench")
FINE = Accuracy(of_reading=0.0005, counts=2, resolution=0.001)


def test_no_figure_is_printed_beyond_what_was_held() -> None:
    rng = np.random.default_rng(5)
    rated = 0
    for k in range(60):
        name = NAMES[k % 3]
        _, output, plans = planned(name)
        rows = readings_of(output, plans, rng)
        found = plate_of(name, rows)
        assert list(wrong(name, rows, found)) == []
        rated += found.outlets[0].rated
    assert rated > 8


@cache
def _judged(celsius: float, volts: float) -> tuple[Outcome, tuple[Reading, ...]]:
    """The pier's mount held at its soak's loads for half an hour each, its case at a temperature."""
    job, output, plans = planned("ridge-pier")
    soak = plans[1]
    rows: list[Reading] = []
    for k in range(60):
        step = soak.steps[min(k // 30, len(soak.steps) - 1)]
        for place, q, v in (
            (output.id, "V", volts), (output.id, "A", step.set_A), ("front-end-case", "C", celsius),
            ("ambient", "C", 21.4 + k / 100),
        ):  # fmt: skip
            n = len(rows) + 1
            rows.append(
                Reading(k + 1, 1e9 + 60.0 * k, place, q, v, "bench-meter", FINE, "four-wire", "typed",
                        test="soak", step=step.index, run=1, id=n)
            )  # fmt: skip
    return outcome(job, soak, rows), tuple(rows)


def _soaked(celsius: float, *, volts: float = 13.6, verdict: Verdict | None = None) -> Plate:
    """Its plate, its test taken for one of a verdict."""
    judged, rows = _judged(celsius, volts)
    if verdict is not None:
        judged = replace(judged, verdict=verdict)
    return plate(planned("ridge-pier")[0], [judged], rows, 1e9 + 4000)


def test_amps_for_good_for_minutes_and_not_at_all() -> None:
    # 8 A less its interval: 0.05 % of 8 A and 2 mA, 95 % of two rectangular terms and the noise.
    good = _soaked(40.0, verdict=Verdict.CONFORMS)
    says = [e.text for e in good.outlets[0].entries]
    assert says[0] == "13.6 V · 7.99 A continuous"
    assert "proven at 22 to 21 °C" not in " ".join(e.text for e in good.whole)
    # At 22 °C all of its stages are known: in 40 °C its junction has 18 K less to rise.
    derated = next(e for e in good.outlets[0].entries if e.key == "derated")
    assert derated.computed
    assert 0 < derated.value < 8.0
    assert derated.text.endswith("at 40 °C, computed")
    hot = _soaked(90.0, verdict=Verdict.CONFORMS).outlets[0].entries
    assert derated.value > next(e.value for e in hot if e.key == "derated") > 0
    minutes = next(e.text for e in _soaked(40.0).outlets[0].entries)
    assert minutes.startswith("13.6 V · 7.99 A for ")
    assert minutes.endswith("min from cold")
    assert 20 <= int(minutes.split(" for ")[1].split()[0]) <= 30
    # Too hot from the start it held for moments; out of its band nothing is said of it.
    assert [e.key for e in _soaked(110.0).outlets[0].entries] == ["moments", "fuse"]
    assert not _soaked(40.0, volts=12.5).outlets[0].rated
    assert any("soak" in m for m in _soaked(110.0, verdict=Verdict.NONCONFORMING).marks)


def test_what_is_not_mended_overruled_or_out_of_date_marks_the_plate() -> None:
    job, output, plans = planned("ridge-pier")
    rows = [
        Reading(1, 1e9, output.id, q, v, "bench-meter", FINE, "four-wire", "typed", test="regulation", step=1,
                id=k)
        for k, (q, v) in enumerate((("V", 13.55), ("A", 1.6)), 1)
    ]  # fmt: skip
    judged = [outcome(job, plans[0], rows)]
    assert plate(job, judged, rows, 1e9).marks == ()
    # What did not hold was not proven on any day.
    off = [r._replace(value=10.0) if r.quantity == "V" else r for r in rows]
    assert plate(job, [outcome(job, plans[0], off)], off, 1e9).foot == ()
    lead = job.design.link("mount-lead")
    found = AsFound(key="contact", field="contact", reason="A worse contact.")
    worse = with_link(job, lead.model_copy(update={"found": (found,)}))
    old = MeterCheckRecord(
        quantity="V", gain=1, offset=0, of_reading=0.001, rest=0.001, low=0, high=20, at=0, until=1e8
    )
    stock = tuple(
        p.model_copy(update={"checks": (old,)}) if p.id == "bench-meter" else p for p in worse.stock
    )
    marked = plate(worse.model_copy(update={"stock": stock}), judged, rows, 1e9, ["mount to earth"])
    assert [m.split(":")[0] for m in marked.marks] == ["overruled", lead.name, job.part("bench-meter").name]
    told = [i.text for i in label(marked, 90, "short", OutlineLetters()).items if hasattr(i, "text")]
    assert told[0].endswith("†")
    assert "† see the data sheet" in told
    assert [e.text for e in marked.foot] == [
        "proven 2001-09-09",
        "again by 2002-09-09",
        "proven with Bench multimeter",
    ]


def _points(*rows: tuple[float, float, bool]) -> list[Point]:
    return [Point(v, a, holds, v) for v, a, holds in rows]


def test_the_reach_is_the_convex_set_of_what_was_held_without_what_was_not() -> None:
    held = _points((1, 1.5, True), (12, 1.5, True), (20, 0.8, True), (10, 0.2, True))
    corners = held_reach(held, 12)
    assert corners.tolist() == [[1, 1.5], [12, 1.5], [20, 0.8]]
    # A straight line from 12 V, 1.5 A to 20 V, 0.8 A.
    assert most_at(corners, 16) == pytest.approx(1.15)
    assert most_at(corners, 0.5) is None
    # What misses inside lowers it; what misses outside of it does not.
    assert held_reach([*held, *_points((6, 1.0, False))], 12).tolist() == [[10, 0.2], [20, 0.8]]
    assert held_reach([*held, *_points((22, 0.1, False), (6, 1.6, False))], 12).tolist() == corners.tolist()
    # What does not hold without load parts the volts: the side of the nominal ones is kept.
    assert held_reach([*held, *_points((11, 0.0, False))], 12)[0].tolist() == [12, 1.5]
    assert len(held_reach(_points((5, 1, False)), 5)) == 0
    assert held_A([Point(12, 1, True), Point(12, 3, True), Point(12, 2, False)]) == 1


@pytest.mark.parametrize("letters", [OutlineLetters(), EngravedLetters()])
def test_a_plate_fits_its_width_or_says_what_would(letters) -> None:
    found = _soaked(40.0, verdict=Verdict.CONFORMS)
    for width in (45.0, 60.0, 100.0, 300.0):
        for style in ("full", "short", "line"):
            drawing = label(found, width, style, letters)
            for item in drawing.items:
                if hasattr(item, "text"):
                    assert item.x + letters.width_mm(item.text, item.tall, bold=item.bold) <= width + 0.05
                    assert item.tall >= 1.6
                    assert item.y < drawing.height
    # A long name alone is what does not fit; the least width that would is told, and does.
    long = replace(found, title="A supply for all of the observatory")
    with pytest.raises(UserError) as trouble:
        label(long, 20, "full", letters)
    least = float(str(trouble.value).split("; ")[1].split()[0])
    assert label(long, least, "full", letters).width == least
    for width in (-1.0, 0.0, 5.0, 1e6):
        with pytest.raises(UserError):
            label(found, width, "full", letters)


def test_what_is_missing_comes_in_order_of_its_time() -> None:
    job, _, plans = planned("ridge-pier")
    told = missing(job, [outcome(job, p, []) for p in plans])
    assert [m.duration_s for m in told] == sorted(m.duration_s for m in told)
    assert told[-1].kind == "soak"
    assert missing(Job(name="Empty"), []) == []


def test_panels_add_up_and_never_overlap() -> None:
    rng = np.random.default_rng(200)
    for _ in range(200):
        length, width, height = rng.uniform(60, 400, 3)
        made = OwnBox(
            length, width, height, float(rng.uniform(1, 10)), rng.choice(["butt", "rebate", "flange"]),
            float(rng.uniform(0, 4)),
        )  # fmt: skip
        sheet = (1300.0, 1300.0)
        found = cut_list(made, sheet, 10.0)
        assert sorted(p.panel.name for p in found.placed) == sorted(p.name for p in panels(made))
        areas = sum(p.size_mm[0] * p.size_mm[1] for p in found.placed)
        assert areas == pytest.approx(found.used * found.sheets * sheet[0] * sheet[1])
        assert found.cost == 10 * found.sheets
        lies = [
            (p.sheet, rectangle(p.x_mm, p.y_mm, p.x_mm + p.size_mm[0], p.y_mm + p.size_mm[1]))
            for p in found.placed
        ]
        for k, (sheet_k, a) in enumerate(lies):
            assert a.bounds[0] >= 0
            assert max(a.bounds[2] - sheet[0], a.bounds[3] - sheet[1]) <= 1e-3
            for sheet_m, b in lies[k + 1 :]:
                assert sheet_k != sheet_m or a.distance(b) >= made.kerf_mm - 1e-3
    butt = {p.name: (p.width_mm, p.height_mm) for p in panels(OwnBox(200, 150, 80, 3))}
    # Outer sizes by hand: lid 200 × 150, front 200 × 74, side 144 × 74.
    assert (butt["lid"], butt["front"], butt["left"]) == ((200, 150), (200, 74), (144, 74))
    rebated = {p.name: (p.width_mm, p.height_mm) for p in panels(OwnBox(200, 150, 80, 3, "rebate"))}
    assert (rebated["front"], rebated["left"]) == ((200, 77), (147, 77))
    for wrong_box, sheet in ((OwnBox(0, 1, 1, 1), (500, 500)), (OwnBox(20, 20, 20, 6), (500, 500)),
                             (OwnBox(600, 200, 80, 2), (500, 500)), (OwnBox(200, 150, 80, 2), (0, 500)),
                             (OwnBox(200, 150, 80, 2, "glue"), (500, 500))):  # fmt: skip
        with pytest.raises(UserError):
            cut_list(wrong_box, sheet)


def test_a_scale_is_where_the_readings_are_and_no_further() -> None:
    # A potentiometer that rises with the square of its turn, read in no order; one position twice.
    at = np.array([0.75, 0.0, 0.25, 0.5, 0.125, 0.625, 0.375, 0.75])
    scale = dial_scale(at, 20 * at**2 + np.array([0.01, *[0.0] * 6, -0.01]), "V")
    long, short = scale.ticks()
    assert long.tolist() == [0, 2, 4, 6, 8, 10]
    assert short.max() <= 11.25
    assert len(short) > 4 * len(long)
    for volts in (2.0, 4.0, 8.0, 10.0):
        assert float(scale.turn_at(volts)) == pytest.approx((volts / 20) ** 0.5, abs=0.006)
    drawn = dial(scale, 18, "Volts")
    texts = [i for i in drawn.items if hasattr(i, "text")]
    assert [t.text for t in texts] == ["0", "2", "4", "6", "8", "10", "V"]
    # The middle of what was read, 0.375 turns, is on top: 10 V lies clockwise of it.
    middle = drawn.width / 2
    ten = texts[5]
    angle = np.arctan2(ten.x - middle, middle - (ten.y - 1.0)) / (2 * np.pi)
    assert angle == pytest.approx(0.5**0.5 - 0.375, abs=0.004)
    for turns, values in (([0, 1], [0, 1]), ([0, 0.5, 1.5], [0, 1, 2]), ([0, 0.3, 0.6], [0, 2, 1])):
        with pytest.raises(UserError):
            dial_scale(np.array(turns, float), np.array(values, float), "V")
    for radius in (0, -3, 1e9):
        with pytest.raises(UserError):
            dial(scale, radius, "Volts")


def test_what_is_only_predicted_is_drawn_apart() -> None:
    job, output, plans = planned("finishers-bench")
    rows = []
    for step in plans[2].steps[:3]:
        for place, q, v in ((output.id, "V", step.trim_V), (output.id, "A", step.set_A),
                            (f"{output.id}-set", "V", step.trim_V)):  # fmt: skip
            n = len(rows) + 1
            fact = (step.index, 1e9, place, q, v, "bench-meter", FINE, "four-wire", "typed")
            rows.append(Reading(*fact, AS_SAID if place != output.id else "", id=n))
    outlet = plate(job, [outcome(job, plans[2], rows)], rows, 1e9).outlets[0]
    shown = reach_picture(job, outlet)
    held, predicted = shown.lines
    assert (held.name, predicted.name) == ("held", "predicted")
    assert [(s.x, s.y) for s in shown.spots] == [tuple(c) for c in outlet.reach.tolist()]
    # The regulator is rated for 2 A, at 80 % of its label: what was held lies inside.
    assert predicted.y.max() <= 2.0
    assert max(s.y for s in shown.spots) < np.interp(5.0, predicted.x, predicted.y) + 1.0
    assert reach_picture(job, replace(outlet, reach=np.zeros((0, 2)))) is None


def test_that_outputs_float_is_told_when_every_one_was_read() -> None:
    job, _, _ = planned("ridge-pier")
    rows = [
        Reading(k, 1e9, f"earth-{o}", "ohm", ohms, "", FINE, "four-wire", "typed", id=k)
        for k, (o, ohms) in enumerate((("mount", 5e6), ("dew", 5e6), ("hub", 5e6)), 1)
    ]

    def told(read: list[Reading]) -> bool:
        return "outputs float" in [e.text for e in plate(job, [], read, 1e9).whole]

    assert told(rows)
    assert not told(rows[:2])
    assert not told([*rows[:2], rows[2]._replace(value=3.0)])


def test_what_missed_in_another_test_or_at_low_mains_ends_a_rating() -> None:
    job, output, plans = planned("ridge-pier")
    rows: list[Reading] = []
    for step, amps in ((0, 0.0), (1, 1.6), (2, 3.2)):
        for q, v in (("V", 13.5), ("A", amps)):
            n = len(rows) + 1
            new = Reading(step, 1e9, output.id, q, v, "m", FINE, "four-wire", "typed", id=n)
            rows.append(new._replace(test="regulation", step=step))
    held = outcome(job, plans[0], rows)
    assert held_A(points(job, [held], output.id)) == pytest.approx(3.2, abs=0.01)
    # The same point missed beside another output's test, and at another mains.
    fell = [r._replace(value=12.0) if (r.scan, r.quantity) == (2, "V") else r for r in rows]
    missed = outcome(job, plans[0], fell)
    at = tuple(replace(s, place=output.id) for s in held.plan.steps)
    other = replace(held.plan, output=job.design.outputs()[1], steps=at)
    low_line = replace(held.plan, steps=tuple(replace(s, line_V=207.0) for s in held.plan.steps))
    for beside in (replace(missed, plan=other), replace(missed, plan=low_line)):
        assert held_A(points(job, [held, beside], output.id)) == pytest.approx(1.6, abs=0.01)


def test_what_it_takes_from_the_mains_is_told_in_watts() -> None:
    job, _, _ = planned("ridge-pier")
    wall = Reading(1, 1e9, "wall", "W", 120.0, "", FINE, "four-wire", "typed", id=1)
    (mains,) = plate(job, [], [wall], 1e9).whole
    assert mains.text == "121 W as read"
