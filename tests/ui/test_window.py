"""The frame: stages, undo, why, themes, what is said and where."""

from pathlib import Path

import pytest
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton, QWidget

from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.procedure.stages import STAGES
from tensimeter.core.testplan.registry import KINDS
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.empty_stage import EmptyStage
from tensimeter.ui.notice_column import NoticeCard, WhyCard
from tensimeter.ui.parts.text import Figure
from tensimeter.ui.plate.stage import PlateStage
from tensimeter.ui.theme import NIGHT, PAPER, theme
from tensimeter.ui.window import MainWindow


def test_every_stage_by_its_key(window: MainWindow, keys) -> None:
    for k, stage in enumerate(STAGES):
        keys(window, f"Alt+{k + 1}")
        assert window.stages.currentIndex() == k
        assert window.rail.buttons[k].isChecked()
        shown = window.stages.currentWidget()
        if stage.will_hold:
            # One sentence and nothing else; no button that does nothing.
            assert isinstance(shown, EmptyStage)
            assert not shown.findChildren(QPushButton)
            assert stage.will_hold in [x.text() for x in shown.findChildren(QLabel)]


def test_the_strip_follows_subject_and_point(window: MainWindow, keys) -> None:
    names = [c.name for c in window.strip.cells]
    assert names == ["Donor A", "Donor B", "Front end", "Fuse 16 A", "Lead 2 m", "MOUNT"]
    assert window.strip.cells[1].stacked
    # A unit of a stack shows its own volts, not those of the stack below it.
    assert window.strip.cells[1].volts == pytest.approx(24.14, abs=0.02)
    window.strip.setFocus()
    keys(window, "Left")
    assert window.session.subject == "mount-lead" or window.session.subject in names or window.session.subject
    window.session.choose("hub")
    assert [c.name for c in window.strip.cells] == ["Donor A", "Hub module", "Hub lead", "CAMERA HUB"]
    window.session.set_load("hub", 1.0)
    assert window.strip.cells[-1].amps == pytest.approx(1.0)
    assert "predicted at 1 A" in window.strip.mode()
    assert any(text.startswith("MOUNT") for text in window.strip.also)


def test_undo_and_redo_by_key(window: MainWindow, keys) -> None:
    stage = window.stage("stock")
    stage.nameplate.setText("12V 5A 60W shed brick")
    stage.nameplate.setFocus()
    keys(window, "Enter")
    assert window.session.job.part("shed-brick") is not None
    assert "shed brick added" in window.header.tools["undo"].toolTip()
    keys(window, "Ctrl+z")
    assert window.session.job.part("shed-brick") is None
    keys(window, "Ctrl+Shift+z")
    assert window.session.job.part("shed-brick") is not None
    with JobFile(window.session.file.path, read_only=True) as other:
        assert other.job.part("shed-brick") is not None


def test_why_is_answered_and_copied(window: MainWindow, keys) -> None:
    design = window.stage("design")
    figures = design.findChildren(Figure)
    assert len(figures) >= 3
    figures[0].setFocus()
    keys(window, "F1")
    card = window.notices.findChild(WhyCard)
    assert card is not None
    assert "R_out" in card.worked.text() or "U_in" in card.worked.text() or "U = " in card.worked.text()
    copy = next(b for b in card.findChildren(QPushButton) if b.text() == "copy")
    copy.click()
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text() == card.worked.text()
    keys(window, "Esc")
    QApplication.processEvents()
    assert window.notices._worked is None


def test_a_hold_is_overruled_only_with_a_reason(window: MainWindow, keys) -> None:
    window.stage("prove")
    card = next(c for c in window.notices.findChildren(NoticeCard) if c.notice.id == "earth:mount")
    card._button.click()
    card._reason.setText("no")
    card._overrule()
    assert window.session.job.overruled == ()
    card._reason.setText("measured yesterday on the other bench")
    card._overrule()
    assert window.session.job.overruled[0].hold == "earth:mount"
    QApplication.processEvents()
    cards = [c for c in window.notices.findChildren(NoticeCard) if c.notice.id == "earth:mount"]
    assert any(c.notice.overruled for c in cards)
    assert window.rail.buttons[4].open_holds == 2
    assert "overruled" in window.session.logbook()[-1].text


def test_readings_lift_holds_through_the_line(window: MainWindow, keys) -> None:
    window.stage("prove")
    assert window.rail.buttons[4].open_holds == 3
    keys(window, "Ctrl+l", "earth-mount OL", "Enter", "earth-dew 4M7", "Enter", "earth-hub 12", "Enter")
    assert window.rail.buttons[4].open_holds == 1
    titles = [n.title for n in window.session.now.notices if n.kind == "hold" and n.stage == "prove"]
    assert titles == ["CAMERA HUB is not floating"]


@pytest.mark.parametrize("night", [False, True])
@pytest.mark.parametrize(("width", "height", "scale"), [(1280, 800, 1.0), (1024, 700, 1.0), (1280, 800, 1.5)])
def test_nothing_sticks_out(window: MainWindow, night: bool, width: int, height: int, scale: float) -> None:
    """Every visible widget of every stage lies inside what shows it."""
    theme.use(night=night, scale=scale)
    window.resize(width, height)
    for stage in ("stock", "design", "prove"):
        window.stage(stage)
        for _ in range(5):
            QApplication.processEvents()
        assert window.width() == width
        assert window.minimumSizeHint().width() <= width
        for widget in window.stages.currentWidget().findChildren(QWidget):
            parent = widget.parentWidget()
            if widget.isVisible() and parent is not None and "viewport" in parent.objectName():
                assert widget.width() <= parent.width() + 1, (stage, widget)
                assert widget.minimumSizeHint().width() <= parent.width() + 1, (stage, widget)


@pytest.mark.parametrize("name", ["dome-workshop", "finishers-bench"])
def test_the_other_demos_fit_a_small_screen(open_window, tmp_path: Path, name: str) -> None:
    window = open_window(JobFile.create(tmp_path / "demo.tensi", demo_job(name)))
    window.resize(1024, 700)
    for output in window.session.job.design.outputs():
        window.session.choose(output.id)
        design = window.stage("design")
        for view in design.findings.buttons:
            design.findings.show_view(view)
            for _ in range(3):
                QApplication.processEvents()
            assert window.minimumSizeHint().width() <= 1024, (output.id, view)
    stock = window.stage("stock")
    for part in window.session.job.stock:
        stock.choose(part.id)
        QApplication.processEvents()
        assert stock.editor.widget().minimumSizeHint().width() <= stock.editor.width(), part.name
    prove = window.stage("prove")
    assert prove.steps.topLevelItemCount() == 8


def test_names_on_the_map_lie_on_no_others(open_window, tmp_path: Path) -> None:
    window = open_window(JobFile.create(tmp_path / "demo.tensi", demo_job("ridge-pier")))
    window.session.choose("mount")
    design = window.stage("design")
    for width, height, volts, amps in ((1280, 800, 13.6, 8.0), (1024, 700, 24.0, 9.0), (900, 600, 38.0, 2.0)):
        window.resize(width, height)
        window.session.try_point("mount", volts, amps)
        QApplication.processEvents()
        taken = design.map.paper.taken
        assert taken
        assert not any(a.intersects(b) for k, a in enumerate(taken) for b in taken[k + 1 :])


def test_contrast_is_enough() -> None:
    def light(colour: str) -> float:
        channels = [int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)]
        linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    for colours in (PAPER, NIGHT):
        for name in ("ink", "pencil", "hold", "miss", "holds", "prediction"):
            for ground in (
                colours.paper,
                colours.sheet,
                colours.chosen if name in ("ink",) else colours.paper,
            ):
                one, two = sorted((light(getattr(colours, name)), light(ground)))
                # WCAG 2.1, 1.4.3: 4.5 to 1 for text.
                assert (two + 0.05) / (one + 0.05) >= 4.5, (name, ground)


def test_the_right_column_steps_aside_and_comes_back(window: MainWindow, keys) -> None:
    assert window.column.isVisible()
    window.resize(1024, 700)
    QApplication.processEvents()
    assert not window.column.isVisible()
    keys(window, "F2")
    assert window.column.isVisible()
    window.resize(1280, 800)
    QApplication.processEvents()
    assert window.column.isVisible()


def test_an_empty_job_says_what_to_do_first(open_window, tmp_path, keys) -> None:
    window = open_window(JobFile.create(tmp_path / "new.tensi", Job(name="New")))
    texts = [x.text() for x in window.stage("stock").findChildren(QLabel)]
    assert any("The bin is empty" in t for t in texts)
    texts = [x.text() for x in window.stage("design").findChildren(QLabel)]
    assert any("Start with a donor" in t for t in texts)
    assert "Join an output in Design" in window.stage("prove").sentence.text()
    window.stage("plate")
    assert window.strip.cells == []
    assert window.now_panel.todo.text() == "No test is planned yet."


def test_custom_widgets_have_names(window: MainWindow) -> None:
    for stage in ("stock", "design", "prove"):
        for widget in window.stage(stage).findChildren(QWidget):
            module = type(widget).__module__
            if module.startswith("tensimeter.ui.parts.margin") or module.endswith("stock.card"):
                assert widget.accessibleName()
    for widget in (window.strip, window.line.entry, window.notices.widget(), *window.rail.buttons):
        assert widget.accessibleName()


def test_a_job_opens_whatever_cannot_be_worked_out(
    tmp_path: Path, demo: Job, open_window, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A plan, a judgement and a whole stage that fail: each says so in its place, the rest stands."""

    def broken(*_: object) -> list:
        raise ZeroDivisionError("by the test")

    job = with_campaign(demo, tests=(LoadRegulation(id="t", output="mount"),))
    job_file = JobFile.create(tmp_path / "one.tensi", job)
    with monkeypatch.context() as patched:
        patched.setattr(type(KINDS["load-regulation"]), "steps", broken)
        window = open_window(job_file)
        stage = window.stage("prove")
        assert stage.title.text() == "This test can't be planned"
        assert "ZeroDivisionError: by the test" in stage.sentence.text()
        window.close()
    with monkeypatch.context() as patched:
        patched.setattr(type(KINDS["load-regulation"]), "findings", broken)
        patched.setattr(PlateStage, "refresh", broken)
        window = open_window(JobFile(job_file.path))
        stage = window.stage("prove")
        stage.show_view("found")
        texts = [stage.found.topLevelItem(k).text(0) for k in range(stage.found.topLevelItemCount())]
        assert any("What this test gives can't be worked out" in text for text in texts)
        failed = window.stage("plate")
        assert isinstance(failed, EmptyStage)
        assert any("Plate can't be worked out" in x.text() for x in failed.findChildren(QLabel))
        assert window.stage("stock").cards
