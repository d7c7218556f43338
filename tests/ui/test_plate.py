"""Plate and faces by keyboard: from a job to what is printed and drilled."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument

from tensimeter.core.plate.face_edits import face_of
from tensimeter.core.plate.photo_under import laid
from tensimeter.demo.library import demo_job, demo_names
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.plate.stage import VIEWS


def _page(window, keys, words: str) -> None:
    keys(window, "Alt+7")
    stage = window.stage("plate")
    stage.views[words].setFocus()
    keys(window, "Space")
    assert stage.sides.currentIndex() == VIEWS.index(words)


def _typed(window, keys, field, text: str) -> None:
    field.setFocus()
    field.selectAll()
    keys(window, text, "Enter")


@pytest.mark.parametrize("name", demo_names())
def test_a_front_is_drawn_and_written_by_keyboard(open_window, keys, tmp_path: Path, name: str) -> None:
    window = open_window(JobFile.create(tmp_path / "job.tensi", demo_job(name)))
    _page(window, keys, "Front and box")
    view = window.stage("plate").face
    assert "No front is drawn yet" in view.sentence.text()
    for field, text in zip(view.sizes, ("300", "110", "2"), strict=True):
        _typed(window, keys, field, text)
    for words in ("draw", "design"):
        button = view.draw_button if words == "draw" else view.buttons["what the design asks for"]
        button.setFocus()
        keys(window, "Space")
    face = face_of(window.session.job, "front")
    assert (face.width_mm, face.height_mm) == (300, 110)
    assert view.items.count() == len(face.items) >= len(window.session.job.design.outputs())
    # Arrows with Ctrl move what is chosen by a millimetre, with Shift as well by a tenth; undo takes it back.
    view.items.setCurrentRow(0)
    view.items.setFocus()
    x, y = face.items[0].x_mm, face.items[0].y_mm
    keys(window, "Ctrl+Right", "Ctrl+Down")
    keys(window, "Ctrl+Shift+Right")
    moved = face_of(window.session.job, "front").items[0]
    assert (moved.x_mm, moved.y_mm) == (pytest.approx(x + 1.1), pytest.approx(y + 1))
    _typed(window, keys, view.at, "60, 40")
    assert face_of(window.session.job, "front").items[0].x_mm == 60
    view.items.setFocus()
    keys(window, "Ctrl+z")
    assert face_of(window.session.job, "front").items[0].x_mm == pytest.approx(x + 1.1)
    _typed(window, keys, view.path, str(tmp_path / "front.pdf"))
    view.write_button.setFocus()
    keys(window, "Space")
    document = QPdfDocument(None)
    document.load(str(tmp_path / "front.pdf"))
    assert document.pageCount() == 2


def test_a_face_that_looks_like_inches_is_asked_about(window, keys) -> None:
    _page(window, keys, "Front and box")
    view = window.stage("plate").face
    for field, text in zip(view.sizes, ("9", "4", "1"), strict=True):
        _typed(window, keys, field, text)
    view.draw_button.setFocus()
    keys(window, "Space")
    assert "9 in" in window.line.hint.text()
    assert view.face is None
    view.meant.setFocus()
    keys(window, "Space")
    assert view.face.width_mm == 9
    view.kinds.setCurrentIndex(view.kinds.findData("fan_120"))
    view.buttons["set it"].setFocus()
    keys(window, "Space")
    assert "is larger than its face" in view.sentence.text()
    view.items.setFocus()
    keys(window, "Delete")
    assert view.face.items == ()


def test_a_fitting_follows_the_mouse_as_one_edit(window, keys, qtbot) -> None:
    _page(window, keys, "Front and box")
    view = window.stage("plate").face
    for field, text in zip(view.sizes, ("200", "90", "2"), strict=True):
        _typed(window, keys, field, text)
    view.draw_button.click()
    view.buttons["set it"].click()
    before = view.face.items[0]
    sheet, scale = view.view._sheet(), view.view._scale()

    def at(x: float, y: float) -> QPoint:
        return QPoint(round(sheet.x() + (x + 12) * scale), round(sheet.y() + (y + 12) * scale))

    qtbot.mousePress(view.view, Qt.MouseButton.LeftButton, pos=at(before.x_mm, before.y_mm))
    assert view.chosen == [before.id]
    qtbot.mouseMove(view.view, at(before.x_mm + 10, before.y_mm + 5))
    qtbot.mouseMove(view.view, at(before.x_mm + 30, before.y_mm + 10))
    qtbot.mouseRelease(view.view, Qt.MouseButton.LeftButton, pos=at(before.x_mm + 30, before.y_mm + 10))
    after = view.face.items[0]
    assert after.x_mm == pytest.approx(before.x_mm + 30, abs=1)
    assert after.y_mm == pytest.approx(before.y_mm + 10, abs=1)
    keys(window, "Ctrl+z")
    assert view.face.items[0].x_mm == before.x_mm


def test_a_plate_is_filled_in_and_written(window, keys, tmp_path: Path) -> None:
    for line in ("mount 13.55V @0A", "mount 13.52V @1.6A"):
        keys(window, "Ctrl+l", line, "Enter")
    _page(window, keys, "Plate")
    view = window.stage("plate").plate
    assert "For a fuller plate" in view.lacks.text()
    _typed(window, keys, view.fields["serial"], "7")
    _typed(window, keys, view.fields["built_by"], "Fellmoor workshop")
    _typed(window, keys, view.fields["width_mm"], "8cm")
    assert (window.session.job.plate.serial, window.session.job.plate.width_mm) == ("7", 80)
    texts = [i.text for i in view.drawing.items if hasattr(i, "text")]
    assert any("no. 7" in t for t in texts)
    assert any(t.startswith("13.6 V · 1.5") for t in texts)
    assert view.drawing.width == 80
    _typed(window, keys, view.fields["width_mm"], "-3")
    assert window.session.job.plate.width_mm == 80
    _typed(window, keys, view.path, str(tmp_path / "plate.dxf"))
    view.button.setFocus()
    keys(window, "Space")
    assert (tmp_path / "plate.dxf").read_text().startswith("  0\nSECTION")
    _typed(window, keys, view.path, str(tmp_path / "plate.doc"))
    view.button.setFocus()
    keys(window, "Space")
    assert "is written as .svg, .dxf or .pdf" in window.line.hint.text()


def test_a_photo_lies_under_the_drawing_by_two_known_points(window, keys, qtbot, tmp_path: Path) -> None:
    _page(window, keys, "Front and box")
    view = window.stage("plate").face
    for field, text in zip(view.sizes, ("200", "90", "2"), strict=True):
        _typed(window, keys, field, text)
    view.draw_button.click()
    wrong = tmp_path / "front.png"
    wrong.write_bytes(b"\x89PNG\r\n\x1a\n and nothing of a picture")
    view.photo.take_in(wrong)
    assert "no photo that can be read" in window.line.hint.text()
    assert view.face.photo is None
    image = QImage(800, 400, QImage.Format.Format_RGB32)
    image.fill(0xFF8888)
    image.save(str(tmp_path / "real.png"))
    view.photo.take_in(tmp_path / "real.png")
    # At first it is as large as fits: 200 mm over 800 pixels would be 100 mm high, the face has 90.
    first = view.photo._lies(image)
    assert first.scale == pytest.approx(90 / 400)
    for k, (x, y) in enumerate(((20.0, 10.0), (160.0, 60.0))):
        view.photo.marks[k].click()
        sheet, scale = view.view._sheet(), view.view._scale()
        at = QPoint(round(sheet.x() + (x + 12) * scale), round(sheet.y() + (y + 12) * scale))
        qtbot.mousePress(view.view, Qt.MouseButton.LeftButton, pos=at)
    _typed(window, keys, view.photo.places[0], "0, 0")
    _typed(window, keys, view.photo.places[1], "5, 5")
    assert "well apart" in window.line.hint.text()
    _typed(window, keys, view.photo.places[1], "180, 70")
    photo = view.face.photo
    for pixel, mm in zip(photo.at_px, ((0, 0), (180, 70)), strict=True):
        assert laid(photo.at_px, photo.at_mm).at(pixel) == pytest.approx(mm, abs=1e-6)
    view.photo.away.click()
    assert view.face.photo is None
    keys(window, "Ctrl+z")
    assert view.face.photo == photo
