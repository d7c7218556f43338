"""The stages as hands use them: stock, design, the readings-first door, prove by hand, plate."""

from pathlib import Path

import pytest
from platformdirs import user_data_path
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.parts.registry import SHELVES
from tensimeter.core.readingline import understand
from tensimeter.demo.library import demo_job
from tensimeter.store.attachments import attachments
from tensimeter.store.jobfile import JobFile
from tensimeter.ui import start_page
from tensimeter.ui.app import Tensimeter
from tensimeter.ui.own_bin import own_bin
from tensimeter.ui.start_page import StartPage
from tensimeter.ui.stock.photos import Photos
from tensimeter.ui.window import MainWindow


def test_cards_are_made_changed_and_kept(window: MainWindow, keys) -> None:
    stage = window.stage("stock")
    stage.nameplate.setFocus()
    keys(window, "19V 4.7A laptop brick", "Enter")
    part = window.session.job.part("laptop-brick")
    assert part is not None
    assert part.rated_W == pytest.approx(89.3)
    stage.form.fields["condition"].setCurrentIndex(1)
    stage.form.fields["condition"].activated.emit(1)
    line = stage.form.fields["output_resistance_ohm"]
    line.setText("45m")
    line.editingFinished.emit()
    line = stage.form.fields["tolerance"]
    line.setText("5")
    line.editingFinished.emit()
    part = window.session.job.part("laptop-brick")
    assert (part.condition, part.output_resistance_ohm, part.tolerance) == ("works", 0.045, 0.05)
    assert part.origins["output_resistance_ohm"] == "measured"
    stage.editor.origin_box.setCurrentIndex(stage.editor.origin_box.findData("seller"))
    stage.editor.origin_box.activated.emit(2)
    line = stage.form.fields["limit_A"]
    line.setFocus()
    keys(window, "5.2", "Enter")
    assert QApplication.focusWidget() is line
    part = window.session.job.part("laptop-brick")
    assert (part.limit_A, part.origins["limit_A"]) == (5.2, "seller")
    line = stage.form.fields["rated_A"]
    line.setText("lots")
    line.editingFinished.emit()
    # Not guessed at: the field shows what is kept, and a sentence says why.
    assert line.text() == "4.7"
    assert "lots" in window.line.hint.text()
    stage._duplicate()
    assert window.session.job.part("laptop-brick-2") is not None
    stage._remove()
    assert window.session.job.part("laptop-brick-2") is None
    stage.choose("front-end-40")
    stage._remove()
    assert "in use" in window.line.hint.text()


def test_every_kind_comes_from_the_library_twice(window: MainWindow, own_home: Path) -> None:
    own = user_data_path("tensimeter") / "parts.toml"
    own.parent.mkdir(parents=True)
    own.write_text('[[part]]\nkind = "fan"\nname = "Own fan"\nrated_A = 0.3\n', encoding="utf-8")
    stage = window.stage("stock")
    one_of_each = {part.kind: part for _, part in stage._offered()}
    assert one_of_each["fan"].name == "Own fan"
    for part in one_of_each.values():
        before = len(window.session.job.stock)
        for _ in range(2):
            stage.add_other(part)
        added = window.session.job.stock[before:]
        assert [p.kind for p in added] == [part.kind] * 2
        assert added[0].name != added[1].name
        assert stage.cards[added[1].id].accessibleName().startswith(added[1].name)
        assert stage.editor.widget().minimumSizeHint().width() <= stage.editor.width(), part.name
    assert {kind for _, kinds in SHELVES for kind in kinds} == set(one_of_each)
    own.write_text("[[part]]\nkind = 'fan'\n")
    assert len(stage._offered()) > 40
    assert "Nothing of it was taken" in window.line.hint.text()
    stage.nameplate.setText("no such thing")
    stage.add_typed()
    assert "has no volts" in window.line.hint.text()


def test_a_part_is_tried_and_its_card_learns(window: MainWindow, keys, tmp_path: Path) -> None:
    stage = window.stage("stock")
    stage.nameplate.setText("2x 12V 5A 60W spare")
    stage.add_typed()
    stage.editor.split()
    assert [p.name for p in window.session.job.stock[-2:]] == ["spare, A", "spare, B"]
    stage.choose("spare")
    stage.editor.keep()
    stage.editor.show_view("alive")
    for step, text in (
        ("short", "2k2"),
        ("case", "OL"),
        ("volts", "12.31"),
        ("light", "12.1"),
        ("warm", "31"),
    ):
        stage.editor.alive.fields[step].setFocus()
        keys(window, text, "Enter")
    onto = next(b for b in stage.findChildren(QPushButton) if b.text().startswith("onto its card"))
    onto.click()
    part = window.session.job.part("spare")
    assert (part.condition, part.no_load_V, part.origins["no_load_V"]) == ("works", 12.31, "measured")
    with own_bin() as kept:
        assert kept.part("spare").part == part
    # A short rules it out; what was read stays a fact.
    keys(window, "Ctrl+l", "alive-spare-short 0.3ohm", "Enter")
    stage.editor.show_view("alive")
    assert any("For parts" in x.text() for x in stage.findChildren(QLabel))
    stage.editor.show_view("beside")
    assert any(x.text() == "≠ no load  V" for x in stage.findChildren(QLabel))
    stage.editor.show_view("photos")
    photos = stage.findChild(Photos)
    photo, other = tmp_path / "label.png", tmp_path / "label.txt"
    window.grab().save(str(photo))
    other.write_text("no picture")
    photos.take_in(other)
    assert "no PNG, JPEG or PDF" in window.line.hint.text()
    photos.take_in(photo)
    (item,) = attachments(window.session.file, "part:spare")
    assert window.session.file.blob("attachment", item.id) == photo.read_bytes()
    photos.hide_one(item)
    assert attachments(window.session.file, "part:spare") == []
    stage.choose("front-end-40")
    for text in ("13.6V 8A 94%", "13.6V 12A 92%", "13.6V 4A"):
        stage.editor.efficiency.setText(text)
        stage.editor.add_efficiency()
    assert "is no efficiency" in window.line.hint.text()
    found = window.session.job.part("front-end-40")
    lost = found.loss_fixed_W + found.loss_per_A * 8 + found.loss_per_A2 * 64
    assert lost == pytest.approx(13.6 * 8 * (1 / 0.94 - 1), rel=1e-3)


def test_a_design_from_nothing_by_keyboard(open_window, tmp_path: Path, keys) -> None:
    from tensimeter.core.model.job import Job

    window = open_window(JobFile.create(tmp_path / "new.tensi", Job(name="New")))
    keys(window, "Alt+1")
    stage = window.stage("stock")
    for plate in ("24V 6.3A 150W lower", "24V 6.3A 150W upper"):
        stage.nameplate.setFocus()
        keys(window, plate, "Enter")
    for name in ("Step-down module 8 A", "Fuse 5 A slow, holder", "Lead 1 m, 1.5 mm²"):
        stage.nameplate.setText(name)
        stage.add_typed()
    keys(window, "Alt+2")
    design = window.stage("design")
    for text in (
        "lower",
        "upper",
        "Step-down module 8 A",
        "Fuse 5 A slow, holder",
        "Lead 1 m, 1.5 mm²",
        "output MOUNT 12V 3A",
    ):
        design.path.add.setFocus()
        design.path.add.setText(text)
        design.path.add.completer().popup().hide()
        keys(window, "Enter")
    job = window.session.job
    assert [link.kind for link in job.design.path_to("mount")] == [
        "unit",
        "unit",
        "converter",
        "fuse",
        "lead",
        "output",
    ]
    # 48 V into a module that stands 40 V: named, on top of the ladder, and as a card.
    assert window.session.now.solved is not None
    assert any("input volts: over" in n.title for n in window.session.now.notices)
    assert job.campaign.tests[0].output == "mount"
    keys(window, "Alt+2")
    window.session.choose("upper")
    design.path.outline.setFocus()
    keys(window, "Delete")
    assert "upper" not in {link.id for link in window.session.job.design.links}
    assert not any("input volts: over" in n.title for n in window.session.now.notices)
    keys(window, "Ctrl+z")
    assert "upper" in {link.id for link in window.session.job.design.links}


def test_the_link_in_hand_is_changed_in_place(window: MainWindow, keys) -> None:
    window.session.choose("front-end")
    design = window.stage("design")
    field = design.path.form.fields["set_V"]
    field.setText("13,8")
    field.editingFinished.emit()
    assert window.session.job.design.link("front-end").set_V == 13.8
    assert window.strip.cells[2].volts == pytest.approx(13.8 - 0.004 * 8, abs=1e-6)
    boxes = {b.accessibleName(): b for b in design.findChildren(QComboBox)}
    boxes["fed by"].setCurrentIndex(boxes["fed by"].findText("Donor A"))
    boxes["fed by"].activated.emit(boxes["fed by"].currentIndex())
    assert window.session.job.design.link("front-end").fed_by == "donor-a"
    assert [c.name for c in window.strip.cells][:2] == ["Donor A", "Front end"]
    design.point.setText("4 A")
    design._typed_point()
    assert window.session.load["mount"] == 4.0
    design.point.setText("four")
    design._typed_point()
    assert "four" in window.line.hint.text()
    design.path.add.setText("perpetual motion")
    design.path.add_link()
    assert "no “perpetual motion” in the stock" in window.line.hint.text()
    design.plot.picked.emit(2.504)
    assert window.session.load["mount"] == 2.5


def test_readings_first_by_keyboard(open_window, shed_file: JobFile, keys) -> None:
    window = open_window(shed_file)
    assert window.stage_index == 4
    keys(window, "Ctrl+l", "out 12.08V @0A", "Enter")
    stage = window.stage("prove")
    assert "A second current gives resistance" in stage.sentence.text()
    keys(window, "Ctrl+l", "out 11,94 @2", "Enter", "out 11.79V @4A", "Enter")
    assert "72.5 ± " in stage.sentence.text()
    assert "not measured at 5 A; the line would give 11.72 V, 3 %" in stage.sentence.text()
    assert "program’s own default" in stage.sentence.text()
    assert "fine enough" in stage.meter.text()
    result = window.session.outcome
    assert result is not None
    assert (result.measured, result.regulation_verdict) == (3, Verdict.NOT_MEASURED)
    assert window.strip.cells[0].volts == pytest.approx(12.08 - 0.0725 * 5, abs=0.01)
    assert window.session.readings_changed


def test_the_line_says_back_asks_and_completes(window: MainWindow, keys) -> None:
    window.stage("prove")
    entry, hint = window.line.entry, window.line.hint
    keys(window, "Ctrl+l", "mou")
    assert hint.text() == "Tab: mouNT"
    keys(window, "Tab", "13.55V @1.6A")
    assert entry.text() == "mouNT 13.55V @1.6A"
    assert hint.text() == "MOUNT: 13.55 V at 1.6 A → MOUNT, load regulation, 1.6 A"
    keys(window, "Enter")
    assert entry.text() == ""
    assert len(window.session.file.readings()) == 2
    keys(window, "mount 1.34V @3.2A", "Enter")
    assert "decimal point" in hint.text()
    assert len(window.session.file.readings()) == 2
    keys(window, "Enter")
    assert len(window.session.file.readings()) == 4
    keys(window, "fuse feels warm", "Shift+Enter")
    assert window.session.logbook()[-1].kind == "remark"
    keys(window, "gibberish", "Enter")
    assert "Type a place and a value" in hint.text()
    assert entry.text() == "gibberish"


def test_the_bench_view_takes_readings_with_space(window: MainWindow, keys) -> None:
    window.stage("prove")
    keys(window, "Ctrl+b")
    assert window.bench_view.isVisible()
    assert "Step 1 of 8" in window.bench_view.todo.text()
    assert "load off" in window.bench_view.todo.text()
    # Space alone writes what the step asks for; another says that it is so.
    keys(window, "Space")
    assert window.bench_view.entry.text() == "@unloaded"
    keys(window, "Space", "13.58", "Space")
    assert "Step 2 of 8" in window.bench_view.todo.text()
    assert window.bench_view.big.text().startswith("13.58")
    assert window.bench_view.verdict.text() == "at 0 A: holds"
    keys(window, "1.35", "Space")
    assert "Space again keeps it" in window.bench_view.verdict.text()
    window.bench_view.entry.clear()
    keys(window, "13.49@1.6", "Space")
    assert window.session.outcome.measured == 2
    keys(window, "Esc")
    assert not window.bench_view.isVisible()


def test_a_log_is_taken_in_and_a_bad_one_is_not(window: MainWindow, tmp_path: Path) -> None:
    stage = window.stage("prove")
    path = tmp_path / "log.csv"
    path.write_text(
        "v,i\n" + "".join(f"{13.58 - 0.05 * s.set_A:.4f},{s.set_A}\n" for s in window.session.plan.steps)
    )
    stage.campaign.take_in(path)
    assert "8 rows of log.csv kept." in window.line.hint.text()
    assert window.session.outcome.complete
    assert stage.steps.topLevelItem(3).text(5) == "holds"
    path.write_text("v,i\nwords,1\n")
    stage.campaign.take_in(path)
    assert "is not a number" in window.line.hint.text()
    assert len(window.session.file.readings()) == 16


def test_the_plate_shows_and_writes_what_is_proven(window: MainWindow, qtbot, tmp_path: Path) -> None:
    for s in window.session.plan.steps:
        from tensimeter.core.readingline import understand

        window.session.take_typed(
            understand(window.session.job, f"mount {13.58 - 0.052 * s.set_A:.3f}V @{s.set_A}A")
        )
    stage = window.stage("plate")
    qtbot.waitUntil(lambda: stage.ready, timeout=60_000)
    assert stage.preview.document.pageCount() >= 2
    texts = [x.text() for x in stage.findChildren(QLabel)]
    assert "13.6 V ± 3 %, up to 6.39 A" in texts
    # One that is not laid out yet is written once it is, and one that fails or is given up is not.
    stage.path.setText(str(tmp_path / "early"))
    stage.preview.renew()
    stage.write(".pdf")
    assert "then it is written" in stage.said.text()
    qtbot.waitUntil((tmp_path / "early.pdf").exists, timeout=60_000)
    qtbot.waitUntil(lambda: stage.ready, timeout=60_000)
    stage.path.setText(str(tmp_path / "never"))
    stage.preview.renew()
    stage.write(".pdf")
    stage.stop.click()
    assert "was not laid out" in stage.said.text()
    stage.preview.lay_out()
    qtbot.waitUntil(lambda: stage.ready, timeout=60_000)
    assert not (tmp_path / "never.pdf").exists()
    stage.path.setText(str(tmp_path / "sheet"))
    stage.write(".html")
    assert (tmp_path / "sheet.html").exists()
    assert "written" in stage.said.text()
    (tmp_path / "wall").write_text("")
    stage.path.setText(str(tmp_path / "wall" / "sheet"))
    stage.write(".html")
    assert "can't be written" in stage.said.text()


def test_the_start_page_opens_both_doors(qtbot, monkeypatch, tmp_path: Path, keys) -> None:
    monkeypatch.setattr(start_page, "jobs_folder", lambda: tmp_path / "jobs")
    program = Tensimeter()
    program.show_start()
    page = program.start
    assert isinstance(page, StartPage)
    page.begin_readings()
    assert "needs a name" in page.said.text()
    page.read_name.setText("Shed supply")
    page.read_plate.setText("mystery")
    page.begin_readings()
    assert "no volts" in page.said.text()
    page.open_path(tmp_path / "none.tensi")
    assert "no file" in page.said.text()
    page.read_plate.setText("12V 5A")
    page.begin_readings()
    assert program.window is not None
    assert program.window.session.job.name == "Shed supply"
    assert program.window.stage_index == 4
    program._leave_job()
    assert program.start is not None
    assert program.start.list.item(0).data(Qt.ItemDataRole.UserRole).endswith("shed-supply.tensi")
    program.start.design_name.setText("Shed supply")
    program.start.begin_design()
    # A second job of the same name gets a file of its own.
    assert program.window.session.file.path.name == "shed-supply-2.tensi"
    program._leave_job()
    program.start.open_demo()
    assert program.window.session.job.name == "Ridge pier supply"
    program.window.close()
    QApplication.processEvents()


def test_rails_are_fitted_and_a_rating_is_kept(open_window, tmp_path: Path, keys) -> None:
    window = open_window(JobFile.create(tmp_path / "dome.tensi", demo_job("dome-workshop")))
    stock = window.stage("stock")
    stock.choose("pc-450")
    table = tmp_path / "cases.csv"
    table.write_text("i 12 V,v 12 V,i 5 V,v 5 V\n0,12.1,0,5.1\n5,12.0,0,5.1\n0,12.4,10,5.0\n")
    stock.editor.fit_cases(table)
    assert window.session.job.part("pc-450").rail("12 V").volts == pytest.approx(12.1)
    assert "12 V moves most: 30 mΩ by each ampere on 5 V" in window.line.hint.text()
    table.write_text("nothing")
    stock.editor.fit_cases(table)
    assert "no rows of figures" in window.line.hint.text()
    # From the list by the arrow keys: it is filled when it gets the focus.
    stock.other.setFocus()
    QApplication.processEvents()
    assert stock.other.count() > 50
    place = stock.other.findText("Wire 1.5 mm²")
    stock.other.setCurrentIndex(place)
    stock.other.activated.emit(place)
    assert window.session.job.part("wire-1-5-mm") is not None
    # A part in AWG is taken in mm².
    field = stock.form.fields["area_mm2"]
    field.setText("16 AWG")
    field.editingFinished.emit()
    assert window.session.job.part("wire-1-5-mm").area_mm2 == pytest.approx(1.309, abs=1e-3)
    plate = window.stage("plate")
    plate.keep_proven()
    assert "Nothing is proven" in plate.said.text()
    window.session.choose_test("load-regulation")
    for amps in (0.0, 3.0, 6.0, 1.2):
        window.session.take_typed(
            understand(window.session.job, f"shutter {12.0 - 0.02 * amps:.3f}V @{amps}A")
        )
    plate.keep_proven()
    assert "Dome workshop supply, SHUTTER" in plate.said.text()
    with own_bin() as kept:
        found = kept.part("dome-workshop-supply-shutter").part
    assert found.output_resistance_ohm == pytest.approx(0.02, abs=1e-3)
