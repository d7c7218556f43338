"""What is in hand as text, table or picture: on the clipboard, or in a file."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, QRectF
from PyQt6.QtGui import QGuiApplication, QPainter, QPixmap
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QAbstractItemView, QFileDialog, QGridLayout, QLabel, QMenu, QWidget

from tensimeter.core.errors import UserError
from tensimeter.ui.parts.figures_table import Figures, FiguresTable, SpeaksFigures, of_view
from tensimeter.ui.parts.plots import Plot

#: A picture of a plot is drawn so many times as fine as on the screen.
FINER = 2


def source_of(widget: QWidget | None) -> QWidget | None:
    """The plot, the table or the grid of words that a widget is, or lies in."""
    while widget is not None:
        if isinstance(widget, FiguresTable):
            widget = widget.parentWidget()
            continue
        if isinstance(widget, SpeaksFigures | QAbstractItemView) or widget.property("table"):
            return widget
        widget = widget.parentWidget()
    return None


def figures_in(source: QWidget) -> Figures:
    """Its figures as a table."""
    if isinstance(source, SpeaksFigures):
        return source.figures()
    return of_view(source) if isinstance(source, QAbstractItemView) else _of_grid(source)


def _of_grid(source: QWidget) -> Figures:
    """A grid of labels: its first row are headings."""
    grid = source.layout()
    if not isinstance(grid, QGridLayout):
        return Figures((), ())
    rows = [[_words(grid, r, c) for c in range(grid.columnCount())] for r in range(grid.rowCount())]
    return Figures(tuple(rows[0]), tuple(tuple(row) for row in rows[1:]))


def _words(grid: QGridLayout, row: int, column: int) -> str:
    item = grid.itemAtPosition(row, column)
    widget = item.widget() if item is not None else None
    if isinstance(widget, QLabel) and widget.text():
        return widget.text()
    return widget.accessibleName() if widget is not None else ""


def copy_figures(source: QWidget) -> str:
    """Put its figures on the clipboard, as text with tabs and as a table; what is said of it."""
    figures = figures_in(source)
    clipboard = QGuiApplication.clipboard()
    if not figures.rows or clipboard is None:
        return "Nothing stands there to be copied."
    clipboard.setMimeData(figures.mime())
    return f"Copied: {len(figures.rows)} rows, for a spreadsheet or a text."


def copy_picture(plot: Plot) -> str:
    """Put a picture of a plot on the clipboard."""
    clipboard = QGuiApplication.clipboard()
    if clipboard is None:
        return "There is no clipboard."
    clipboard.setPixmap(_picture(plot))
    return "Copied, as a picture."


def save_picture(plot: Plot, path: Path) -> None:
    """Write a plot as SVG, or as PNG by the file's name; UserError where it can't be written."""
    if path.suffix.lower() == ".svg":
        sheet = QSvgGenerator()
        sheet.setFileName(str(path))
        sheet.setSize(plot.size())
        sheet.setViewBox(QRectF(plot.rect()))
        sheet.setTitle(plot.accessibleName())
        painter = QPainter()
        if not painter.begin(sheet):
            raise UserError(f"{path} can't be written; nothing was kept. Choose another folder.")
        plot.render(painter)
        painter.end()
    elif not _picture(plot).save(str(path), "PNG"):
        raise UserError(f"{path} can't be written; nothing was kept. Choose another folder.")


def _picture(plot: Plot) -> QPixmap:
    picture = QPixmap(plot.size() * FINER)
    picture.setDevicePixelRatio(FINER)
    painter = QPainter(picture)
    plot.render(painter)
    painter.end()
    return picture


def save_figures(source: QWidget, path: Path) -> None:
    """Write its figures with a tab between; UserError where they can't be written."""
    try:
        path.write_text(figures_in(source).tsv() + "\n", encoding="utf-8")
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}. Nothing was kept.") from error


class CopyMenu(QMenu):
    """What can be done with a table or a plot; `said` is what is told of it."""

    def __init__(self, source: QWidget, parent: QWidget) -> None:
        super().__init__(parent)
        self.source, self.said = source, ""
        self._add("copy the figures", lambda: copy_figures(source))
        self._add("save the figures …", self._figures_to_file)
        if isinstance(source, Plot):
            self._add("copy the picture", lambda: copy_picture(source))
            self._add("save the picture …", self._picture_to_file)

    def _add(self, words: str, act: Callable[[], str]) -> None:
        action = self.addAction(words)
        if action is not None:
            action.triggered.connect(lambda _=False: self._do(act))

    def _do(self, act: Callable[[], str]) -> None:
        try:
            self.said = act()
        except UserError as trouble:
            self.said = str(trouble)

    def _figures_to_file(self) -> str:
        kinds = "Tables (*.tsv)"
        name, _ = QFileDialog.getSaveFileName(self.parentWidget(), "Save the figures", "figures.tsv", kinds)
        if not name:
            return ""
        save_figures(self.source, Path(name))
        return f"Written: {name}"

    def _picture_to_file(self) -> str:
        kinds = "Pictures (*.svg *.png)"
        name, _ = QFileDialog.getSaveFileName(self.parentWidget(), "Save the picture", "plot.svg", kinds)
        if not name or not isinstance(self.source, Plot):
            return ""
        save_picture(self.source, Path(name))
        return f"Written: {name}"


def offer_copy(at: QPoint, window: QWidget) -> str:
    """A menu for what lies under a point of a window; what was done, or nothing."""
    source = source_of(window.childAt(at))
    if source is None:
        return ""
    menu = CopyMenu(source, window)
    menu.exec(window.mapToGlobal(at))
    return menu.said
