"""Assemble and Wake as hands use them: every hold lifted by its reading, mistakes met in practice."""

import json
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

from tensimeter.core.assembly.wiring import wire_list
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import changed, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.procedure.notices import open_holds
from tensimeter.core.procedure.practice import Practice, mistakes
from tensimeter.demo.library import demo_job
from tensimeter.report.datasheet import html
from tensimeter.report.sheet import build
from tensimeter.store.exchange import export
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.notice_column import NoticeCard
from tensimeter.ui.window import MainWindow


@pytest.fixture
def open_demo(open_window, tmp_path: Path):
    return lambda name: open_window(JobFile.create(tmp_path / f"{name}.tensi", demo_job(name)))


def words(widget) -> str:
    QApplication.processEvents()
    return " · ".join(x.text() for x in widget.findChildren(QLabel) if x.isVisible())


def holds(window: MainWindow, stage: str) -> int:
    return len(open_holds(window.session.now.notices, stage))


def as_typed(value: float, quantity: str) -> str:
    return "OL" if value > 1e12 else f"{value:.4g}" if quantity == "ohm" else f"{value:.2f}"


@pytest.mark.parametrize("name", ["ridge-pier", "dome-workshop", "finishers-bench"])
def test_a_supply_is_assembled_and_woken_by_keyboard(open_demo, keys, name: str) -> None:
    window = open_demo(name)
    session = window.session
    supply = Practice(session.job)
    keys(window, "Alt+3")
    stage = window.stage("assemble")
    assert holds(window, "assemble") > 0
    # Every wire is ticked with Space.
    table = stage.shown.table
    table.setFocus()
    table.setCurrentItem(table.topLevelItem(0))
    for k in range(table.topLevelItemCount()):
        table.setCurrentItem(table.topLevelItem(k))
        keys(window, "Space")
        table = stage.shown.table
        table.setFocus()
    assert all(w.made for w in wire_list(session.job))
    for view in ("charge", "matrix"):
        stage.show_view(view)
        QApplication.processEvents()
        for _ in range(60):
            hand = session.hand
            if hand is None or hand.verdict is Verdict.CONFORMS:
                break
            keys(window, "Ctrl+l", as_typed(supply.value(hand.place), hand.quantity), "Enter")
    assert holds(window, "assemble") == 0

    keys(window, "Alt+4")
    stage = window.stage("wake")
    stage.looked.setFocus()
    keys(window, "Space")
    assert session.job.assembly.looked_over == ("look",)
    for _ in range(40):
        QApplication.processEvents()
        hand = session.hand
        if hand is None or hand.verdict is Verdict.CONFORMS:
            break
        keys(window, "Ctrl+l", as_typed(supply.value(hand.place), hand.quantity), "Enter")
    assert holds(window, "wake") == 0
    assert [w.verdict for w in stage.found] == [Verdict.CONFORMS] * len(stage.found)
    text = html(build(session.file))
    assert f"{len(stage.found) - 1} of {len(stage.found) - 1} steps hold" in text
    assert "Practice" not in text


def test_a_hidden_mistake_is_met_in_practice(open_demo) -> None:
    window = open_demo("dome-workshop")
    stage = window.stage("wake")
    session = window.session
    session.practice = next(m for m in mistakes(session.job) if m.mistake == "swapped_rails")
    session.hand_changed.emit()
    stage.choose("alone-rail-12")
    QApplication.processEvents()
    next(b for b in stage.findChildren(QPushButton) if b.text() == "read the practice supply").click()
    said = words(stage)
    assert "5.04 V: misses" in said
    assert "That is what belongs at 5 V rail + to −" in said
    # It is kept and marked; no real load is let through by it.
    assert session.file.readings()[-1].note == "practice"
    assert "Practice" in html(build(session.file))
    # The list offers it as a mistake that is not named.
    box = next(b for b in stage.findChildren(QComboBox) if "practise" in b.accessibleName())
    box.setCurrentIndex(box.findData(0))
    box.activated.emit(box.currentIndex())
    assert session.practice.mistake != "none"
    box.setCurrentIndex(0)
    box.activated.emit(0)
    assert session.practice is None


def test_an_overruled_hold_is_seen_everywhere(open_demo, keys, tmp_path: Path) -> None:
    window = open_demo("ridge-pier")
    window.stage("wake")
    QApplication.processEvents()
    card = next(c for c in window.notices.findChildren(NoticeCard) if c.notice.id == "wake:alone-donor-a")
    card._button.click()
    card._reason.setText("measured last week")
    card._reason.returnPressed.emit()
    assert "Reason: measured last week" in words(window.notices)
    assert holds(window, "wake") == 13
    assert "measured last week" in window.session.logbook()[-1].text
    assert "overruled, “measured last week”" in html(build(window.session.file))
    export(window.session.file, tmp_path / "out")
    told = json.loads((tmp_path / "out" / "job.json").read_text())["overruled"]
    assert told == [{"hold": "wake:alone-donor-a", "reason": "measured last week"}]


def test_a_design_edited_in_mid_wake_keeps_its_readings(open_demo, keys) -> None:
    window = open_demo("ridge-pier")
    stage = window.stage("wake")
    # Any order: the trim first, then a donor.
    for step, text in (("trim-front-end", "13.61"), ("alone-donor-b", "24.2")):
        stage.choose(step)
        stage.entry.field.setText(text)
        stage.entry.take()
    before = [r.value for r in window.session.file.readings()]
    job = window.session.job
    window.session.edit("set to 15 V", with_link(job, changed(job.design.link("front-end"), set_V=15.0)))
    stage.choose("trim-front-end")
    assert "Measured against an earlier design" in words(stage)
    assert "13.61 V: misses" in words(stage)
    assert [r.value for r in window.session.file.readings()] == before
    stage.entry.field.setText("15.02")
    stage.entry.take()
    stage.choose("trim-front-end")
    assert "earlier design" not in words(stage)
    assert "15.02 V: holds" in words(stage)
    window.session.undo()
    QApplication.processEvents()
    assert "Measured against an earlier design" in words(stage)


def test_lists_are_printed_and_lengths_are_typed(open_demo, tmp_path: Path) -> None:
    window = open_demo("dome-workshop")
    stage = window.stage("assemble")
    view = stage.shown
    view.path.setText(str(tmp_path / "wires.pdf"))
    view.print_list(labels=False)
    view.print_list(labels=True)
    for name in ("wires.pdf", "wires-labels.pdf"):
        document = QPdfDocument(None)
        document.load(str(tmp_path / name))
        text = "".join(document.getAllText(k).text() for k in range(document.pageCount()))
        for wire in wire_list(window.session.job):
            assert wire.label.split("  ")[0] in text
        assert ("violet is live" in " ".join(text.split())) == (name == "wires.pdf")
    item = view.table.topLevelItem(2)
    item.setText(3, "0.85")
    changed_wire = next(
        w for w in wire_list(window.session.job) if w.id == item.data(0, Qt.ItemDataRole.UserRole)
    )
    assert changed_wire.length_m == 0.85
    view.table.topLevelItem(2).setText(3, "long")
    assert "not a number" in window.line.hint.text()
    stage.show_view("harness")
    assert "5 V rail, return" in words(stage)
    stage.show_view("apart")
    stage.shown.unit.setText("PC supply")
    for _ in range(2):
        stage.shown.what.setText("4-pin plug")
        stage.shown.add()
    assert "no label to tell them apart" in words(stage)
    row = stage.shown.table.topLevelItem(0)
    row.setCheckState(0, Qt.CheckState.Checked)
    assert window.session.job.assembly.pulled[-1].back
    stage.shown.what.setText("")
    stage.shown.add()
    assert "Write what was pulled" in window.line.hint.text()


def test_bench_view_settings_and_the_named_choice(open_demo, keys) -> None:
    window = open_demo("ridge-pier")
    stage = window.stage("wake")
    stage.choose("alone-donor-a")
    QApplication.processEvents()
    assert "Donor A + to −" in window.line.entry.placeholderText()
    window.toggle_bench_view()
    QApplication.processEvents()
    bench = window.bench_view
    assert bench.todo.text() == "Donor A alone · Donor A + to −"
    keys(bench.entry, "24.13", "Space")
    QApplication.processEvents()
    assert window.session.file.readings()[-1].place == "wake-donor-a"
    # It holds, so the view goes on to the next step.
    assert bench.todo.text().startswith("Donor B alone")
    window.toggle_bench_view()
    stage.settings.what.setText("over-voltage trip")
    stage.settings.value.setText("15.2 V")
    stage.settings.add()
    assert "over-voltage trip: 15.2 V, not shown by a reading yet" in words(stage)
    limiter = stage.limiter
    limiter.setCurrentIndex(limiter.findData("lamp"))
    limiter.activated.emit(limiter.currentIndex())
    assert "It does not isolate" in [n.title for n in window.session.now.notices]
    choice = next(b for b in stage.findChildren(QPushButton) if b.text() == "already built and running")
    choice.click()
    assert holds(window, "wake") == holds(window, "assemble") == 0
    assert "taken as already built and running" in html(build(window.session.file))
    window.stage("prove")
    assert window.session.hand is None
    keys(window, "Ctrl+l", "mount 13.58V @4A", "Enter")
    assert window.session.file.readings()[-1].place == "mount"


@pytest.mark.parametrize(("width", "scale"), [(1024, 1.0), (1280, 1.5)])
def test_nothing_sticks_out(open_demo, width: int, scale: float) -> None:
    from tensimeter.ui.theme import theme

    window = open_demo("finishers-bench")
    theme.use(scale=scale)
    window.resize(width, 700)
    for stage in ("assemble", "wake"):
        shown = window.stage(stage)
        for view in getattr(shown, "buttons", {"": None}):
            if view:
                shown.show_view(view)
            for _ in range(3):
                QApplication.processEvents()
            assert window.minimumSizeHint().width() <= width, (stage, view)


def test_an_empty_job_says_what_comes_first(open_window, tmp_path: Path) -> None:
    window = open_window(JobFile.create(tmp_path / "new.tensi", Job(name="New")))
    assert "join a source" in words(window.stage("assemble"))
    assert "join a source" in words(window.stage("wake"))


def test_the_benchs_voltmeter_reads_the_step_in_hand(open_demo, stand_ins, tmp_path: Path) -> None:
    window = open_demo("ridge-pier")
    stage = window.stage("wake")
    file = tmp_path / "bench.toml"
    file.write_text(f'[voltmeter]\nresource = "{stand_ins.resources["voltmeter"]}"\n')
    stage.choose("outlet-mount")
    QApplication.processEvents()
    assert not stage.entry.meter.isVisible()
    stage.bench_file.setText(str(file))
    stage.bench_file.editingFinished.emit()
    assert stage.entry.meter.isVisible()
    stage.entry.meter.click()
    kept = window.session.file.readings()[-1]
    assert (kept.place, kept.origin, kept.instrument) == ("wake-mount", "simulated", "bench-meter")
    assert kept.value == pytest.approx(13.57, abs=0.02)
    stage.bench_file.setText(str(tmp_path / "none.toml"))
    stage.bench_file.editingFinished.emit()
    stage.entry.read_meter()
    assert "can't be read" in window.line.hint.text()
    file.write_text('[load]\nresource = "TCPIP::127.0.0.1::1::SOCKET"\n')
    stage.bench_file.setText(str(file))
    stage.bench_file.editingFinished.emit()
    stage.entry.read_meter()
    assert "names no voltmeter" in window.line.hint.text()
    assert len(window.session.file.readings()) == 1
