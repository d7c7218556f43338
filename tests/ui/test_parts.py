"""The shared parts under mouse, keys and drops, and what is said when something can't be done."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel

from tensimeter.core.procedure.matrix import checked
from tensimeter.core.rating.ladder import at, ranked
from tensimeter.demo.library import demo_job
from tensimeter.store.attachments import attachments
from tensimeter.ui.parts.margin_bar import MarginRow
from tensimeter.ui.parts.node_matrix import NodeMatrix
from tensimeter.ui.parts.why_table import WhyTable
from tensimeter.ui.stock.marked_photo import MarkedPhoto
from tensimeter.ui.stock.photos import Photos
from tensimeter.ui.window import MainWindow


def shown(widget, qtbot):
    qtbot.addWidget(widget)
    widget.show()
    qtbot.waitExposed(widget)
    return widget


def test_a_pair_is_chosen_in_the_matrix(qtbot) -> None:
    grid = NodeMatrix()
    found = checked(demo_job("ridge-pier"), [])
    grid.show_pairs(found, found[0].pair.place)
    shown(grid, qtbot)
    grid.grab()
    chosen: list[str] = []
    grid.chosen.connect(chosen.append)
    joint = "joined-donor-a-plus-donor-b-minus"
    box = grid._boxes[joint]
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
    assert chosen == [joint]
    # A diode's cell lies in the corner of its pair's cell and can be hit apart from it.
    inner = grid._boxes["diode-donor-a-minus-donor-a-plus"]
    QTest.mouseClick(grid, Qt.MouseButton.LeftButton, pos=inner.center().toPoint())
    assert chosen[-1].startswith("diode-")
    grid.show_pairs(found, found[0].pair.place)
    QTest.keyClick(grid, Qt.Key.Key_Left)
    assert chosen[-1] == found[-1].pair.place
    QTest.keyClick(grid, Qt.Key.Key_Down)
    assert chosen[-1] == found[1].pair.place
    QTest.keyClick(grid, Qt.Key.Key_Home)
    assert len(chosen) == 4
    for cell in grid._boxes.values():
        assert grid.rect().contains(cell.toRect())
    assert "Donor A − to Donor A case" in grid.accessibleDescription()


def test_a_limit_answers_mouse_and_keys(qtbot) -> None:
    _, _, limits = at(demo_job("ridge-pier"), {"mount": 8.0})
    row = shown(MarginRow(ranked(limits)[0]), qtbot)
    asked: list[object] = []
    row.asked.connect(asked.append)
    QTest.mouseClick(row, Qt.MouseButton.LeftButton)
    QTest.keyClick(row, Qt.Key.Key_Space)
    QTest.keyClick(row, Qt.Key.Key_A)
    assert len(asked) == 2
    assert row.worked().text() == asked[0].text()


def test_a_cell_without_a_figure_has_no_answer(qtbot, demo) -> None:
    table = shown(WhyTable(("a", "b", "c"), "any", range(1, 3)), qtbot)
    worked = ranked(at(demo, {"mount": 8.0})[2])[0].worked()
    table.add([("one", None), ("2", lambda: worked), ("3", None)], (1,))
    asked: list[object] = []
    table.asked.connect(asked.append)
    item = table.topLevelItem(0)
    table.itemDoubleClicked.emit(item, 1)
    table.itemDoubleClicked.emit(item, 2)
    assert asked == [worked]
    table.setCurrentItem(item, 0)
    for key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Return, Qt.Key.Key_Right, Qt.Key.Key_Right):
        QTest.keyClick(table, key)
    assert table.currentColumn() == 2
    assert table.worked() is None
    assert len(asked) == 2


def test_files_are_dropped_onto_a_card(window: MainWindow, tmp_path: Path) -> None:
    stock = window.stage("stock")
    stock.choose("enclosed-a")
    stock.editor.show_view("photos")
    QApplication.processEvents()
    photos = stock.findChild(Photos)
    photo, manual, broken = tmp_path / "case.png", tmp_path / "manual.pdf", tmp_path / "half.png"
    window.grab().save(str(photo))
    manual.write_bytes(b"%PDF-1.7")
    broken.write_bytes(photo.read_bytes()[:60])
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in (photo, manual, broken)])
    none, left = Qt.KeyboardModifier.NoModifier, Qt.MouseButton.LeftButton
    entered = QDragEnterEvent(QPoint(5, 5), Qt.DropAction.CopyAction, data, left, none)
    photos.dragEnterEvent(entered)
    assert entered.isAccepted()
    photos.dropEvent(QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, left, none))
    kept = attachments(window.session.file, "part:enclosed-a")
    assert [a.name for a in kept] == ["case.png", "manual.pdf", "half.png"]
    QApplication.processEvents()
    said = " · ".join(x.text() for x in photos.findChildren(QLabel) if x.isVisible())
    assert "manual.pdf (PDF, kept in the job file)" in said
    assert "half.png is kept, but can't be shown" in said
    # A place on the photo is marked, by a click or by the arrows; it can be taken off and undone.
    marked = photos.findChild(MarkedPhoto)
    QTest.mouseClick(marked.picture, Qt.MouseButton.LeftButton, pos=QPoint(59, 10))
    marked.what.setText("over-voltage trim")
    marked.mark()
    (mark,) = window.session.job.assembly.marks
    assert (mark.text, round(mark.x, 2)) == ("over-voltage trim", 0.25)
    marked.picture.setFocus()
    QTest.keyClick(marked.picture, Qt.Key.Key_Right)
    assert marked.place[0] == pytest.approx(0.27, abs=0.005)
    marked.mark()
    assert "Write what is there" in window.line.hint.text()
    marked._take_off(mark)
    assert window.session.job.assembly.marks == ()
    window.session.undo()
    assert [m.text for m in marked.marks()] == ["over-voltage trim"]
    empty = QMimeData()
    other = QDragEnterEvent(QPoint(5, 5), Qt.DropAction.CopyAction, empty, left, none)
    other.ignore()
    photos.dragEnterEvent(other)
    assert not other.isAccepted()


def test_what_cannot_be_done_is_a_sentence(window: MainWindow, own_home: Path, tmp_path: Path, keys) -> None:
    hint = window.line.hint.text
    stock = window.stage("stock")
    stock.choose("front-end-40")
    # The bin's place is taken by a folder: nothing is lost, and it says so.
    (own_home / "xdg_data_home" / "tensimeter" / "bin.db").mkdir(parents=True)
    stock.editor.keep()
    assert "bin.db" in hint()
    stock.editor.take_out()
    assert "bin.db" in hint()
    assert window.session.job.part("front-end-40") is not None
    wires = window.stage("assemble").shown
    wires.path.setText("/proc/none/wires.pdf")
    wires.print_list(labels=False)
    assert "can't be written" in hint()
    wake = window.stage("wake")
    wake.choose("alone-donor-a")
    wake.entry.field.setText("lots")
    wake.entry.take()
    assert "“lots” is not a number" in hint()
    assert wake.entry.field.text() == "lots"
    wake.entry.practise()
    assert "nothing to read there" in hint()
    wake.settings.add()
    assert "Write what was set" in hint()
    window.toggle_bench_view()
    window.bench_view.entry.setText("12 A")
    window.bench_view.take()
    assert "a value in V was expected" in window.bench_view.verdict.text()
    assert window.session.file.readings() == []


@pytest.mark.parametrize(
    ("name", "text", "kept"),
    [
        ("rated_A", "9 apples", 12.0),
        ("in_max_V", "0", 60.0),
        ("size_mm", "100 50", (115.0, 80.0, 45.0)),
        ("count", "two", 1),
    ],
)
def test_a_field_that_cannot_be_read_keeps_its_figure(
    window: MainWindow, name: str, text: str, kept: object
) -> None:
    stock = window.stage("stock")
    stock.choose("front-end-40")
    field = stock.form.fields[name]
    before = field.text()
    field.setText(text)
    field.editingFinished.emit()
    assert field.text() == before
    assert window.line.hint.text()
    assert getattr(window.session.job.part("front-end-40"), name) == kept


def test_records_within_a_card_are_added_and_taken_away(window: MainWindow) -> None:
    stock = window.stage("stock")
    stock.choose("front-end-40")

    def press(words: str) -> None:
        QApplication.processEvents()
        button = next(
            b
            for b in stock.form.findChildren(type(stock.editor.view_buttons["figures"]))
            if b.text() == words and b.isVisible()
        )
        button.click()

    press("add feedback")
    QApplication.processEvents()
    inner = stock.form.inner["feedback"].fields["reference_V"]
    inner.setText("0,8")
    inner.editingFinished.emit()
    assert window.session.job.part("front-end-40").feedback.reference_V == 0.8
    press("no feedback")
    assert window.session.job.part("front-end-40").feedback is None
