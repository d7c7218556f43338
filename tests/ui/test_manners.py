"""Settings, the logbook, the guide, what is dropped, what the desktop is told."""

import os
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QSettings, QSize, QUrl
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit

from tensimeter.app.logbook import Wanted, chosen, entries_of
from tensimeter.bench.events import Event
from tensimeter.bench.link import VISA_VARIABLE
from tensimeter.core.model.edits import with_test
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import LineRegulation
from tensimeter.core.procedure.guide import GUIDE, guided_job
from tensimeter.core.quantity import fixed, use_decimal_mark
from tensimeter.store.attachments import attach
from tensimeter.store.jobfile import JobFile
from tensimeter.ui import dropped, telling
from tensimeter.ui.logbook_window import LogbookWindow
from tensimeter.ui.preferences import Preferences, keep_preferences, preferences
from tensimeter.ui.printing import print_pdf
from tensimeter.ui.settings_window import SettingsWindow, about
from tensimeter.ui.start_page import StartPage
from tensimeter.ui.theme import theme
from tensimeter.ui.window import MainWindow


@pytest.fixture(autouse=True)
def settled():
    QSettings().clear()
    yield
    QSettings().clear()
    use_decimal_mark(".")
    theme.sound = True


def choose(box, text: str) -> None:
    box.setCurrentIndex(box.findText(text))
    box.activated.emit(box.currentIndex())


def test_settings_are_followed_at_once_and_kept(window: MainWindow, keys, tmp_path: Path, qtbot) -> None:
    keys(window, "Ctrl+,")
    settings = window.findChild(SettingsWindow)
    choose(settings.mark, "comma, 13,6")
    assert fixed(13.6, "V") == "13,60 V"
    assert any("," in button.accessibleName() for button in _links(window))
    choose(settings.mains, "120 V, 60 Hz")
    settings.sound.click()
    assert not theme.sound
    choose(settings.text_size, "120 %")
    assert theme.scale == 1.2
    choose(settings.night, "night")
    assert theme.night
    library = os.environ.get(VISA_VARIABLE, "")
    for wanted, told in (("/lib/any.so", "/lib/any.so"), ("", library)):
        settings.visa.setText(wanted)
        settings.keep()
        assert os.environ.get(VISA_VARIABLE, "") == told
    settings.folder.setText(str(tmp_path / "none"))
    settings.keep()
    assert preferences().jobs_folder == ""
    (tmp_path / "jobs").mkdir()
    settings.folder.setText(str(tmp_path / "jobs"))
    settings.keep()
    page = StartPage()
    qtbot.addWidget(page)
    page.design_name.setText("Overseas")
    with qtbot.waitSignal(page.opened) as opened:
        page.begin_design()
    with opened.args[0] as file:
        assert file.path.parent == tmp_path / "jobs"
        assert (file.job.settings.mains_V, file.job.settings.mains_Hz) == (120, 60)
    # What was written by hand, or by another version, never keeps the program from starting.
    QSettings().setValue("decimal_mark", "x")
    assert preferences() == Preferences()
    assert "Python" in about()
    assert "job format" in about()


def _links(window: MainWindow):
    window.strip.repaint()
    return window.strip._buttons


def test_the_logbook_is_looked_through(window: MainWindow, keys, tmp_path: Path) -> None:
    session = window.session
    keys(window, "Alt+5", "Ctrl+l", "mount 13.58V @0A", "Enter", "earth-mount OL", "Enter")
    session.note("remark", "The fan hums at 5 V; a rubber washer helps *much*.")
    picture = tmp_path / "fan.png"
    image = QImage(40, 30, QImage.Format.Format_RGB32)
    image.fill(0)
    image.save(str(picture))
    attach(session.file, "part:front-end", picture)
    keys(window, "Ctrl+j")
    book = window.findChild(LogbookWindow)
    kinds = [entry.kind for entry in book.model.rows]
    assert kinds[0] == "photo"
    assert not book.picture.isHidden()
    assert {"reading", "remark", "photo"} <= set(kinds)
    book.words.setText("FAN washer")
    assert [e.kind for e in book.model.rows] == ["remark"]
    book.words.setText("")
    choose(book.boxes["link"], "MOUNT")
    assert {e.kind for e in book.model.rows} == {"reading"}
    choose(book.boxes["kind"], "remark")
    assert book.text.text() == "No entry is like that."
    choose(book.boxes["link"], "every link")
    book.save(tmp_path / "book.md")
    assert "rubber washer helps \\*much\\*" in (tmp_path / "book.md").read_text()
    book.save(tmp_path / "none" / "book.md")
    assert "can't be written" in book.said.text()
    book.export(tmp_path / "all")
    assert {"readings.csv", "reading.csv", "job.json"} & {p.name for p in (tmp_path / "all").iterdir()}
    book.export(tmp_path / "all")
    assert "is not empty" in book.said.text()
    # It follows what is done beside it.
    window.line.entry.setText("mount 13.55V @2A")
    window.line.take()
    choose(book.boxes["kind"], "reading")
    assert "13.55" in book.model.rows[0].text
    # What is gone to stays in hand; a test that came is offered; closed it reads nothing, but later.
    book.table.selectRow(1)
    held = book.text.text()
    window.line.entry.setText("mount 13.57V @1A")
    window.line.take()
    assert book.text.text() == held
    session.edit("one more", with_test(session.job, LineRegulation(id="any-line", output="mount")))
    assert book.boxes["test"].findData("any-line") > 0
    assert book.boxes["kind"].currentData() == "reading"
    book.close()
    before = book.model.rows
    window.line.entry.setText("mount 13.56V @1.5A")
    window.line.take()
    assert book.model.rows is before
    window.show_logbook()
    assert "13.56" in book.model.rows[0].text


def test_a_link_is_named_whole(job_file: JobFile) -> None:
    for text in ("mount 13.6 V", "mount-set 4 A", "amount 3"):
        job_file.log("reading", text)
    found = chosen(job_file.job, entries_of(job_file), Wanted(link="mount", kind="reading"))
    assert "amount 3" not in [e.text for e in found]
    assert "mount 13.6 V" in [e.text for e in found]


def test_the_guide_leads_from_a_label_to_a_plate(open_window, tmp_path: Path, keys, qtbot) -> None:
    window = open_window(JobFile.create(tmp_path / "guided.tensi", guided_job()))
    guide, seen = window.guide, []
    for _ in range(40):
        if guide.isHidden():
            break
        step, stage = guide.step, window.stage_index
        seen.append(step)
        keys(window, "Alt+g")
        field = QApplication.focusWidget()
        if guide.step is step and step.where and window.stage_index == stage:
            assert isinstance(field, QLineEdit)
            keys(window, "Enter")
            if guide.step is step:
                # What the library knows is asked about, and taken by a second Enter.
                keys(window, "Enter")
    assert list(dict.fromkeys(seen)) == list(GUIDE)
    assert guide.isHidden()
    regulation = window.session.outcome.regulation
    assert regulation.output_resistance_ohm.value == pytest.approx(0.031, abs=1e-3)
    # Everything in it is made up, and is said to be so.
    assert "made up" in window.header._place.text()
    qtbot.waitUntil(lambda: window.stage("plate").ready, timeout=60_000)


def test_the_guide_is_left_at_any_point(open_window, tmp_path: Path, keys) -> None:
    path = tmp_path / "guided.tensi"
    window = open_window(JobFile.create(path, guided_job()))
    keys(window, "Alt+g", "Enter")
    assert window.guide.passed == 1
    window.guide.leave.click()
    assert window.guide.isHidden()
    window.close()
    assert open_window(JobFile(path)).guide is None
    assert open_window(JobFile.create(tmp_path / "own.tensi", Job(name="Own"))).guide is None


def test_a_bare_figure_in_wake_is_never_of_a_test(window: MainWindow, keys) -> None:
    window.stage("wake")
    window.session.take_up(None)
    before = len(window.session.now.readings)
    keys(window, "Ctrl+l", "24.0", "Enter")
    assert "Nothing is read at the step in hand" in window.line.hint.text()
    assert len(window.session.now.readings) == before


def test_what_is_dropped_goes_where_it_belongs(window: MainWindow, tmp_path: Path, qtbot) -> None:
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(tmp_path / "a.tensi")), QUrl("http://127.0.0.1/b.csv")])
    assert dropped.paths_in(mime) == [tmp_path / "a.tensi"]
    with qtbot.waitSignal(window.job_wanted) as wanted:
        dropped.take(window, tmp_path / "a.tensi")
    assert wanted.args == [str(tmp_path / "a.tensi")]
    image = QImage(40, 30, QImage.Format.Format_RGB32)
    image.save(str(tmp_path / "case.png"))
    window.session.choose("front-end")
    dropped.take(window, tmp_path / "case.png")
    part = window.session.job.design.link("front-end").part
    assert window.session.file.attachment_rows(f"part:{part}")[0][3] == "case.png"
    (tmp_path / "bad.png").write_text("no picture")
    dropped.take(window, tmp_path / "bad.png")
    assert "no PNG" in window.line.hint.text()


def test_the_desktop_is_told_where_nobody_looks(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    told: list[tuple[str, str, bool]] = []

    def notify(title: str, text: str, *, urgent: bool) -> bool:
        told.append((title, text, urgent))
        return True

    monkeypatch.setattr(telling, "_notify", notify)
    event = Event("protected", text="The sink passed 85 °C.")
    assert not telling.tell(window, window.session.job, event)
    monkeypatch.setattr(window, "isActiveWindow", lambda: False)
    assert telling.tell(window, window.session.job, event)
    assert not telling.tell(window, window.session.job, Event("live"))
    keep_preferences(Preferences(notify=False))
    assert not telling.tell(window, window.session.job, event)
    words = "A limit was crossed; the load is off: Ridge pier supply"
    assert told == [(words, "The sink passed 85 °C.", True)]


def test_what_is_printed_is_as_long_as_what_is_drawn(window: MainWindow, tmp_path: Path, monkeypatch) -> None:
    plate = window.stage("plate")
    path = tmp_path / "sheet.pdf"
    plate.path._prints(path)
    printed = tmp_path / "printed.pdf"
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(printed))
    pages = print_pdf(path, printer)
    drawn = []
    for file in (path, printed):
        document = QPdfDocument(None)
        document.load(str(file))
        assert document.pageCount() == pages
        image = document.render(0, QSize(595, 842)).convertToFormat(QImage.Format.Format_Grayscale8)
        bits = image.constBits()
        bits.setsize(image.sizeInBytes())
        ink = np.frombuffer(bits, np.uint8).reshape(842, -1)[:, :595] < 128
        drawn.append(np.argwhere(ink))
    # First and last ink, across and down, to half a millimetre.
    for end in (np.min, np.max):
        assert end(drawn[0], axis=0) == pytest.approx(end(drawn[1], axis=0), abs=1.5)
    # Nobody chose a printer: nothing went out, and that is said.
    monkeypatch.setattr(QPrintDialog, "exec", lambda _: QPrintDialog.DialogCode.Rejected)
    plate.path.print_it()
    assert "Nothing was printed." in window.line.hint.text()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "there.pdf"), ""))
    plate.path.choose()
    assert plate.path.text() == str(tmp_path / "there.pdf")
