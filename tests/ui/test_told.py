"""What a screen reader is told, and what can be copied and kept of tables and plots."""

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractScrollArea,
    QApplication,
    QComboBox,
    QFrame,
    QGroupBox,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QProgressBar,
    QScrollArea,
    QScrollBar,
    QSplitter,
    QStackedWidget,
    QTreeWidget,
    QWidget,
)

from tensimeter.core.errors import UserError
from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui.copying import CopyMenu, figures_in, save_figures, save_picture, source_of
from tensimeter.ui.parts.figures_table import Figures, FiguresTable, of_view
from tensimeter.ui.parts.plots import LoadLinePlot, Plot
from tensimeter.ui.parts.reach_map import ReachMap
from tensimeter.ui.window import MainWindow

#: Kinds of widget that a screen reader is told a role of; a bare QWidget is told as filler.
WITH_ROLE = (
    QAbstractButton, QLabel, QProgressBar, QFrame, QLineEdit, QComboBox, QAbstractItemView, QGroupBox,
    QPlainTextEdit, QStackedWidget,
)  # fmt: skip


@pytest.mark.parametrize("stage", [s.id for s in STAGES])
def test_what_can_be_reached_has_a_name_and_a_role(window: MainWindow, stage: str) -> None:
    window.stage(stage)
    QApplication.processEvents()
    seen = [w for w in window.findChildren(QWidget) if w.isVisible()]
    # What Qt itself puts into a view that scrolls is told with it.
    seen = [w for w in seen if not isinstance(w.parentWidget(), QAbstractScrollArea)]
    for widget in seen:
        reachable = widget.focusPolicy() != Qt.FocusPolicy.NoFocus and widget.isEnabled()
        told = widget.accessibleName() or _words(widget)
        if widget.accessibleName() or (reachable and type(widget).__module__.startswith("tensimeter")):
            assert isinstance(widget, WITH_ROLE), widget
        if reachable and not isinstance(widget, QScrollArea | QStackedWidget | QSplitter | QScrollBar):
            inner = widget.parentWidget()
            assert told or isinstance(inner, QAbstractItemView | QComboBox | QAbstractScrollArea), widget
    # Each link of the strip is told and clicked by itself.
    strip = window.strip
    strip.repaint()
    buttons = [b for b in strip.findChildren(QAbstractButton) if b.isVisible()]
    assert [b.accessibleName().split(" ")[0] for b in buttons][:2] == ["Donor", "Donor"]
    buttons[1].click()
    assert window.session.subject == strip.cells[1].link
    for view in window.findChildren(QTreeWidget):
        if view.isVisible():
            figures = of_view(view)
            assert all(any(cell for cell in row) for row in figures.rows), (view.accessibleName(), figures)


def _words(widget: QWidget) -> str:
    return widget.text() if isinstance(widget, QAbstractButton | QLabel | QLineEdit) else ""


def test_a_plot_is_read_as_a_table(window: MainWindow) -> None:
    design = window.stage("design")
    QApplication.processEvents()
    plot = next(p for p in design.findChildren(ReachMap) if p.isVisible())
    table = plot.findChild(FiguresTable)
    assert table.accessibleName() == "reach map, as a table"
    model = table.model()
    assert model.rowCount() == len(plot._border[0]) > 10
    heads = [model.headerData(k, Qt.Orientation.Horizontal) for k in range(model.columnCount())]
    assert heads == ["output volts", "amps for good", "amps for minutes", "limited by"]
    # What is read is what is drawn.
    k = len(plot._border[0]) // 2
    assert float(model.index(k, 1).data()) == pytest.approx(plot._border[0][k].amps, rel=1e-4)


def test_tables_and_plots_are_copied_and_kept(window: MainWindow, keys, tmp_path: Path) -> None:
    prove = window.stage("prove")
    QApplication.processEvents()
    prove.steps.setFocus()
    keys(window, "Ctrl+c")
    clipboard = QGuiApplication.clipboard()
    rows = [line.split("\t") for line in clipboard.text().splitlines()]
    assert len(rows) == prove.steps.topLevelItemCount() + 1
    assert {len(row) for row in rows} == {prove.steps.columnCount()}
    # Of the square that is only drawn its words come along.
    assert rows[1][0] == "not measured"
    assert clipboard.mimeData().html().count("<tr>") == len(rows)
    assert f"{len(rows) - 1} rows" in window.line.hint.text()
    window.line.entry.setFocus()
    window.line.entry.setText("kept as it is")
    keys(window, "Ctrl+c")
    assert "kept as it is" not in clipboard.text()
    plot = next(p for p in prove.findChildren(LoadLinePlot) if p.isVisible())
    assert source_of(plot.viewport()) is plot
    assert [row[0] for row in figures_in(plot).rows][:2] == ["allowed", "predicted"]
    menu = CopyMenu(plot, window)
    assert [a.text() for a in menu.actions()] == [
        "copy the figures", "save the figures …", "copy the picture", "save the picture …",
    ]  # fmt: skip
    menu.actions()[2].trigger()
    assert clipboard.mimeData().hasImage()
    save_picture(plot, tmp_path / "line.svg")
    drawn = (tmp_path / "line.svg").read_text()
    # Lines are lines there, not a picture of them.
    assert "<svg" in drawn
    assert drawn.count("<polyline") + drawn.count("<path") > 10
    save_picture(plot, tmp_path / "line.png")
    assert (tmp_path / "line.png").read_bytes().startswith(b"\x89PNG")
    save_figures(plot, tmp_path / "line.tsv")
    assert (tmp_path / "line.tsv").read_text().startswith("what\tamps\tvolts")
    for act in (save_picture, save_figures):
        with pytest.raises(UserError, match="can't be written"):
            act(plot, tmp_path / "none" / "line.png")
    for made in window.findChildren(Plot):
        assert isinstance(made.figures(), Figures)


def test_words_that_would_break_a_table_do_not() -> None:
    figures = Figures(("a", "b"), (("x\ty\nz", 13.6), ("<b>", float("nan"))))
    assert figures.tsv().splitlines() == ["a\tb", "x y z\t13.6", "<b>\t–"]
    assert "&lt;b&gt;" in figures.html()
