"""Design as hands use it: the reach map, variants, faults, policy."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.setup import open_bench
from tensimeter.core.model.edits import changed, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.demo.library import demo_job, hidden_parameters
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.own_bin import own_bin
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.window import MainWindow


@pytest.fixture
def open_demo(open_window, tmp_path: Path):
    def make(name: str, output: str) -> MainWindow:
        window = open_window(JobFile.create(tmp_path / f"{name}.tensi", demo_job(name)))
        window.session.choose(output)
        window.stage("design")
        return window

    return make


def figures(window: MainWindow) -> str:
    design = window.stage("design")
    QApplication.processEvents()
    return " · ".join(x.text() for x in design.findChildren(QLabel) if x.isVisible())


def test_the_map_moves_the_operating_point(open_demo, keys) -> None:
    window = open_demo("ridge-pier", "mount")
    design = window.stage("design")
    assert design.map.isVisible()
    assert not design.plot.isVisible()
    design.map.picked.emit(24.0, 6.0)
    assert window.session.now.volts == ("mount", 24.0)
    assert "24 V" in window.strip.mode()
    assert float(window.session.now.solved[1]["mount"].V) == pytest.approx(24.0)
    assert window.session.job.design.link("front-end").set_V == 13.6
    design.map.setFocus()
    keys(window, "Up")
    assert window.session.load["mount"] == pytest.approx(6.0 + 0.01 * 1.3 * 12, abs=0.01)
    keys(window, "Left")
    assert window.session.now.volts[1] == pytest.approx(23.6)
    design.point.setText("13.6 V 10 A")
    design.point.returnPressed.emit()
    # Beyond what the hot spot stands for good: the map says for how long.
    assert "min from cold" in design.map._stay(13.6, 10.0)
    assert design.map._stay(13.6, 4.0) == ""
    assert "out of reach" in design.map._stay(39.0, 11.5)
    design.point.setText("50 V 1 A")
    design.point.returnPressed.emit()
    assert "is outside" in window.line.hint.text()
    design.other_view.click()
    assert design.plot.isVisible()
    assert not design.map.isVisible()


def test_pointing_tells_what_it_takes_there(open_demo) -> None:
    window = open_demo("ridge-pier", "mount")
    design = window.stage("design")
    QApplication.processEvents()
    vb = design.map.getPlotItem().vb
    design.map._on_move(vb.mapViewToScene(QPointF(28.0, 5.5)))
    said = design._caption.text()
    assert said.startswith("28.0")
    assert "from the wall" in said
    assert "nearest limit: Donor A" in said
    design.map._on_move(QPointF(-50.0, -50.0))
    assert "solid: for good" in design._caption.text()


def test_a_proposed_variant_is_tried_and_taken_back(open_demo, keys) -> None:
    window = open_demo("dome-workshop", "shutter")
    design, bar = window.stage("design"), window.stage("design").variants
    words = [bar.ways.itemText(k) for k in range(bar.ways.count())]
    assert [w.split(":")[0] for w in words[1:]] == ["dummy load", "feedback shift", "converter behind it"]
    assert "leaves its band" in " ".join(n.title for n in window.session.now.notices)
    bar.ways.setCurrentIndex(3)
    bar.try_way()
    assert window.session.job.variant == "converter behind it"
    assert [v.name for v in window.session.job.variants] == ["as built"]
    assert "SHUTTER leaves its band" not in [n.title for n in window.session.now.notices]
    design.findings.buttons["variants"].click()
    assert "in hand" in design.findings.findChild(type(design.path.outline).__mro__[1]).topLevelItem(0).text(
        0
    )
    bar.name.setText("with a fan")
    bar.name.returnPressed.emit()
    assert window.session.job.variant == "with a fan"
    bar.name.setText("as built")
    bar.name.returnPressed.emit()
    assert "name of its own" in window.line.hint.text()
    bar.take("as built")
    assert window.session.job.variant == "as built"
    QApplication.processEvents()
    words = [b for b in bar.findChildren(QPushButton) if b.text() in ("as built", "with a fan")]
    for word in words:
        word.setFocus()
        keys(window, "Delete")
    assert [v.name for v in window.session.job.variants] == ["converter behind it"]
    for _ in range(4):
        keys(window, "Ctrl+Z")
    assert window.session.job == demo_job("dome-workshop")


def test_faults_that_nothing_stops_are_on_top(open_demo, keys, qtbot) -> None:
    window = open_demo("ridge-pier", "mount")
    design = window.stage("design")
    design.findings.show_view("faults")
    table = design.findings._body.itemAt(1).widget()
    first = [table.topLevelItem(0).text(k) for k in range(table.columnCount())]
    assert first[:2] == ["Front end, switch short", "nothing acts"]
    assert first[2].startswith("↑ 4")
    assert table.topLevelItemCount() == 21
    # A figure of the table answers F1; the arrows go from cell to cell.
    QApplication.processEvents()
    table.setFocus()
    table.setCurrentItem(table.topLevelItem(0), 1)
    keys(window, "Right")
    with qtbot.waitSignal(window.session.asked_why) as asked:
        keys(window, "F1")
    assert "MOUNT when Front end, switch fails short" in asked.args[0].text()
    assert "15 V" in asked.args[0].text()


def test_heat_sizes_and_box_have_their_views(open_demo) -> None:
    window = open_demo("finishers-bench", "bath")
    design = window.stage("design")
    window.session.try_point("bath", 3.0, 1.2)
    design.findings.show_view("heat")
    said = figures(window)
    assert "Regulator" in said
    assert "Fan, by the sink of Regulator: runs at full speed" in said
    assert design.map.isVisible()
    design.findings.show_view("sized")
    window.session.choose("transformer")
    assert "Primary fuse, slow" in figures(window)
    window.session.choose("bath")
    assert "Nothing of this link is sized" in figures(window)
    design.findings.show_view("box")
    assert not design.map.isVisible()
    assert "It fits: 3 parts take 41 % of the floor" in figures(window)
    length = design.findings.whole.form.inner["box"].fields["length_mm"]
    length.setText("110")
    length.editingFinished.emit()
    design.findings.refresh()
    assert "No room was found" in figures(window)
    design.findings.show_view("ladder")
    assert design.map.isVisible()


def test_a_battery_may_feed_instead(open_demo, keys) -> None:
    window = open_demo("finishers-bench", "bath")
    stock, design = window.stage("stock"), window.stage("design")
    for name in ("Lead battery 12 V 7 Ah", "Filament lamp 12 V 21 W", "Heat sink 200 mm, finned"):
        stock.nameplate.setText(name)
        stock.add_typed()
    design = window.stage("design")
    design.path.add.setText("or Lead battery 12 V 7 Ah")
    design.path.add_link()
    job = window.session.job
    either = next(x for x in job.design.links if x.kind == "either")
    assert problems(job.design, job.stock) == {}
    window.session.choose("bath")
    assert design.map.made.borders[0][0] == "from Lead battery 12 V 7 Ah"
    assert "A battery without a fuse" in [n.title for n in window.session.now.notices]

    def pick(words: str, option: str) -> None:
        QApplication.processEvents()
        box = next(b for b in design.findChildren(QComboBox) if b.accessibleName() == words and b.isVisible())
        box.setCurrentIndex(box.findText(option))
        box.activated.emit(box.currentIndex())

    pick("feeds", "Filament lamp 12 V 21 W")
    assert window.session.job.output("bath").device == "filament-lamp-12-v-21-w"
    # 17.5 A cold, through a limit of 1.8 A.
    assert "BATH: inrush" in [n.title for n in window.session.now.notices]
    window.session.choose("regulator")
    pick("stands on", "Heat sink 200 mm, finned")
    assert window.session.job.design.link("regulator").sink == "heat-sink-200-mm-finned"
    window.session.choose(either.id)
    pick("fed by", "Lead battery 12 V 7 Ah")
    assert "lasts" in figures(window)


def test_the_policy_is_edited_in_place(open_demo) -> None:
    window = open_demo("ridge-pier", "mount")
    design = window.stage("design")
    design.findings.show_view("ways")
    line = design.findings.findChild(RecordForm).fields["donor_share"]
    line.setText("65")
    line.editingFinished.emit()
    assert window.session.job.policy.donor_share == 0.65
    charging = design.findings.whole.boxes["charging"]
    charging.setCurrentIndex(charging.findData("never"))
    charging.activated.emit(charging.currentIndex())
    assert window.session.job.policy.charging == "never"
    assert "Nothing is charged from it." in figures(window)
    design.findings.show_view("box")
    box = design.findings.whole.form.fields["box_K_W"]
    before = design.findings.whole.form.record.box_K_W
    box.setText("0.2")
    box.editingFinished.emit()
    assert (before, window.session.job.settings.box_K_W) == (0.0, 0.2)
    assert "Nothing in the path is marked" in figures(window)
    stock = window.stage("stock")
    stock.choose("fuse-16")
    choice = stock.form.fields["condition"]
    choice.setCurrentIndex(choice.findData("to buy"))
    choice.activated.emit(choice.currentIndex())
    design = window.stage("design")
    design.findings.refresh()
    assert "Still to buy: Fuse 16 A slow, holder; 1.40 in own money" in figures(window)


def test_rails_and_ranges_are_edited_on_their_card(open_demo) -> None:
    window = open_demo("dome-workshop", "shutter")
    stock = window.stage("stock")
    stock.choose("pc-450")
    QApplication.processEvents()
    rail = next(f for f in stock.findChildren(RecordForm) if "rated_A" in f.fields and f.isVisible())
    rail.fields["rated_A"].setText("20")
    rail.fields["rated_A"].editingFinished.emit()
    assert window.session.job.part("pc-450").rail("12 V").rated_A == 20
    stock.choose("hand-meter")
    QApplication.processEvents()
    ranges = [f for f in stock.findChildren(RecordForm) if "full_scale" in f.fields and f.isVisible()]
    ranges[0].fields["accuracy"].setText("0.3%+1@0.01")
    ranges[0].fields["accuracy"].editingFinished.emit()
    assert window.session.job.part("hand-meter").ranges[0].accuracy.of_reading == 0.003


def test_a_curve_is_typed_point_by_point(open_demo) -> None:
    window = open_demo("ridge-pier", "mount")
    stock = window.stage("stock")
    stock.choose("front-end-40")
    QApplication.processEvents()
    curve = stock.form.fields["hot_derating"]
    assert curve.text() == "60=16  105=11"

    def typed(text: str) -> tuple[tuple[float, float], ...]:
        curve.setText(text)
        curve.editingFinished.emit()
        return tuple((p.hot_C, p.amps) for p in window.session.job.part("front-end-40").hot_derating)

    assert typed("50=14A; 110=8") == ((50, 14), (110, 8))
    for wrong, said in (("50=14 110", "is no point of a curve"), ("50=14 110=15", "the second never")):
        assert typed(wrong) == ((50, 14), (110, 8))
        assert said in window.line.hint.text()
        assert curve.text() == "50=14  110=8"
    assert typed("") == ()


def test_the_bin_outlives_the_job(open_window, tmp_path: Path) -> None:
    first = open_window(JobFile.create(tmp_path / "first.tensi", demo_job("ridge-pier")))
    stock = first.stage("stock")
    stock.choose("front-end-40")
    stock.editor.keep()
    assert "kept in the bin" in first.line.hint.text()
    assert any("in the path of Ridge pier supply" in x.text() for x in stock.findChildren(QLabel))
    second = open_window(JobFile.create(tmp_path / "second.tensi", Job(name="Second")))
    stock = second.stage("stock")
    stock.other.fill()
    names = [stock.other.itemText(k) for k in range(stock.other.count())]
    place = names.index("from the bin: CC/CV front end 40 V 12 A")
    stock.add_other(stock.other.itemData(place))
    assert second.session.job.part("front-end-40") == demo_job("ridge-pier").part("front-end-40")
    # What has been learnt since can be taken over, as an edit like any other.
    line = stock.form.fields["sink_K_W"]
    line.setText("7.5")
    line.editingFinished.emit()
    stock.editor.refresh()
    button = next(b for b in stock.findChildren(QPushButton) if "figures from the bin" in b.text())
    button.click()
    assert second.session.job.part("front-end-40").sink_K_W == 6.0
    QApplication.processEvents()
    next(b for b in stock.findChildren(QPushButton) if b.text() == "no longer in the bin").click()
    assert "out of the bin" in second.line.hint.text()
    with own_bin() as owned:
        assert owned.parts() == []
        assert len(owned.history("front-end-40")) == 1


def test_a_stage_that_is_not_seen_waits_and_catches_up(open_demo, keys) -> None:
    window = open_demo("ridge-pier", "mount")
    design = window.stage("design")
    window.stage("prove")
    drawn = []
    design.map.show_reach = lambda what: drawn.append(what)
    link = window.session.job.design.link("front-end")
    window.session.edit("limit of Front end", with_link(window.session.job, changed(link, limit_A=8.5)))
    window.session.set_load("mount", 5.0)
    assert drawn == []
    keys(window, "Alt+2")
    QApplication.processEvents()
    assert drawn
    assert drawn[0].point == (pytest.approx(13.6 - 5 * 0.04369, abs=1e-3), 5.0)
    # What stops it there now is the lower limit that was set meanwhile.
    border = {round(b.volts): b for b in drawn[0].reach.border()}
    assert border[14].amps == pytest.approx(8.5)
    assert border[14].limiter == "Front end, current limit"
    assert [n.title for n in window.session.now.notices if n.kind == "miss"] == []


def test_after_a_run_the_operating_point_is_what_it_was(open_demo, qtbot) -> None:
    window = open_demo("ridge-pier", "mount")
    design, session = window.stage("design"), window.session
    assert design.point.text() == "8 A"
    job = session.job
    with SimulatedBench(job, truths=hidden_parameters(job.name), clock=SteppedClock()) as served:
        session.start_run(open_bench(job, served.resources, clock=served.clock))
        qtbot.waitUntil(lambda: not session.running and session.bench is None, timeout=60_000)
    assert session.outcome.complete
    QApplication.processEvents()
    assert design.point.text() == "8 A"
    assert session.load == {"mount": 8.0, "dew": 3.0, "hub": 2.0}
    # The points that were read stand on the map, each with its verdict.
    steps = design.map._drawn.steps
    assert len(steps) == 8
    assert {v.value for *_, v in steps} <= {"holds", "too_close"}


def test_a_branch_a_source_of_its_own_and_a_part_of_the_library(open_demo, keys) -> None:
    window = open_demo("ridge-pier", "mount")
    design, session = window.stage("design"), window.session
    session.choose("mount")

    def add(text: str) -> None:
        design.path.add.setText(text)
        design.path.add_link()

    add("and Fuse 5 A slow, holder")
    assert "not in the stock. Enter again takes it from the library" in window.line.hint.text()
    assert design.path.add.selectedText() == "and Fuse 5 A slow, holder"
    add("and Fuse 5 A slow, holder")
    fuse = session.job.design.links[-1]
    assert (fuse.kind, fuse.fed_by, session.job.part(fuse.part).rated_A) == ("fuse", "front-end", 5)
    add("output AUX 13.6V 1A")
    assert session.job.output("aux").fed_by == fuse.id
    assert session.job.design.link("mount-lead").fed_by == "mount-fuse"
    # Who looks at full load goes on looking at it; a point of one's own stays.
    session.edit("more", with_link(session.job, changed(session.job.output("aux"), full_load_A=2.0)))
    assert session.load["aux"] == 2.0
    session.set_load("aux", 0.5)
    session.edit("more", with_link(session.job, changed(session.job.output("aux"), full_load_A=3.0)))
    assert session.load["aux"] == 0.5


def test_faults_of_a_path_that_does_not_join_up_are_not_made_up(open_demo) -> None:
    window = open_demo("ridge-pier", "mount")
    job = window.session.job
    broken = with_link(job, changed(job.design.link("mount-lead"), part=None))
    window.session.edit("lead taken out of its place", broken)
    design = window.stage("design")
    for view in ("faults", "ladder", "variants"):
        design.findings.show_view(view)
        QApplication.processEvents()
        words = " ".join(x.text() for x in design.findings.findChildren(QLabel))
        assert "joins up" in words or view == "variants"
    assert "has no lead" in design._caption.text()
    assert not design.map.isVisible()
