"""What a plot or a table says, in figures: for a screen reader, for the clipboard, for a file."""

import time
import weakref
from collections.abc import Sequence
from html import escape
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QMimeData, QModelIndex, Qt
from PyQt6.QtWidgets import QAbstractItemView, QTableView, QTreeView, QWidget

from tensimeter.core.plain_text import as_shown_cell
from tensimeter.core.quantity import localised

#: What an empty cell is told as; it is copied empty.
NOTHING = "nothing yet"
#: So many points of a line at the most are told.
MOST_POINTS = 200
#: For so long what was told counts as what is shown, s.
FRESH_S = 1.0
Cell = str | float


class Figures(NamedTuple):
    """Headings and rows of a table."""

    headings: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]

    def words(self) -> list[list[str]]:
        """Headings and rows as they are read and copied."""
        return [list(self.headings), *([_word(cell) for cell in row] for row in self.rows)]

    def tsv(self) -> str:
        return "\n".join("\t".join(_one_line(cell) for cell in row) for row in self.words())

    def html(self) -> str:
        head, *rows = self.words()
        lines = ["<table>", _html_row("th", head), *(_html_row("td", row) for row in rows), "</table>"]
        return "\n".join(lines)

    def mime(self) -> QMimeData:
        """For the clipboard: tabs for who wants text, a table for who can take one."""
        found = QMimeData()
        found.setText(self.tsv())
        found.setHtml(self.html())
        return found


def _word(cell: Cell) -> str:
    if isinstance(cell, str):
        return cell
    return localised(f"{cell:.5g}") if np.isfinite(cell) else "–"


def _one_line(cell: str) -> str:
    return as_shown_cell(" ".join(cell.split()))


def _html_row(tag: str, cells: Sequence[str]) -> str:
    return "<tr>" + "".join(f"<{tag}>{escape(as_shown_cell(cell))}</{tag}>" for cell in cells) + "</tr>"


def of_lines(lines: Sequence[tuple[str, np.ndarray, np.ndarray]], across: str, up: str) -> Figures:
    """Lines of a plot one after another: which, and its points, thinned evenly."""
    rows: list[tuple[Cell, ...]] = []
    for name, x, y in lines:
        finite = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
        if not len(finite):
            continue
        taken = finite[np.unique(np.linspace(0, len(finite) - 1, MOST_POINTS).astype(int))]
        rows += [(name, float(x[k]), float(y[k])) for k in taken]
    return Figures(("line", across, up), tuple(rows))


def of_view(view: QAbstractItemView) -> Figures:
    """What a table or a tree shows: its chosen rows where there are several, else all that are open."""
    model, chosen = view.model(), view.selectionModel()
    if model is None:
        return Figures((), ())
    columns = [k for k in range(model.columnCount()) if not _hidden(view, k)]
    roles = Qt.ItemDataRole
    across = Qt.Orientation.Horizontal
    headings = tuple(str(model.headerData(k, across, roles.DisplayRole) or "") for k in columns)
    indices = _open_rows(view, QModelIndex())
    picked = {(i.row(), i.parent()) for i in (chosen.selectedIndexes() if chosen else [])}
    if len(picked) > 1:
        indices = [i for i in indices if (i.row(), i.parent()) in picked]
    rows = [tuple(_told(i.siblingAtColumn(k)) for k in columns) for i in indices]
    return Figures(headings, tuple(rows))


def _told(index: QModelIndex) -> str:
    """A cell's words; of a square that is only drawn, what it is called."""
    shown = str(index.data(Qt.ItemDataRole.DisplayRole) or "")
    named = str(index.data(Qt.ItemDataRole.AccessibleTextRole) or "")
    return shown or ("" if named == NOTHING else named)


def _hidden(view: QAbstractItemView, column: int) -> bool:
    return isinstance(view, QTreeView | QTableView) and view.isColumnHidden(column)


def _open_rows(view: QAbstractItemView, parent: QModelIndex) -> list[QModelIndex]:
    model = view.model()
    found: list[QModelIndex] = []
    for k in range(model.rowCount(parent) if model else 0):
        assert model is not None
        index = model.index(k, 0, parent)
        if isinstance(view, QTreeView) and view.isRowHidden(k, parent):
            continue
        found.append(index)
        if isinstance(view, QTreeView) and view.isExpanded(index):
            found += _open_rows(view, index)
    return found


class SpeaksFigures:
    """What has figures to tell, such as a plot."""

    def figures(self) -> Figures:
        raise NotImplementedError


class _Model(QAbstractTableModel):
    """The figures as they are when they are asked for."""

    def __init__(self, told: SpeaksFigures, parent: QWidget) -> None:
        super().__init__(parent)
        # What it tells of owns it: held the other way round as well, neither would ever go.
        self._told = weakref.ref(told)
        self._words: list[list[str]] = [[]]
        self._renewed_at = -FRESH_S

    def _renew(self) -> None:
        """Whoever reads it gets what is shown now; nobody waits for what nobody reads."""
        told, table = self._told(), self.parent()
        seen = isinstance(table, QWidget) and table.isVisible()
        if seen and told is not None and time.monotonic() - self._renewed_at > FRESH_S:
            self._renewed_at = time.monotonic()
            self._words = told.figures().words()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        self._renew()
        return 0 if parent.isValid() else len(self._words) - 1

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(self._words[0])

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role != Qt.ItemDataRole.DisplayRole or index.row() + 1 >= len(self._words):
            return None
        return self._words[index.row() + 1][index.column()]

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return self._words[0][section]
        return None


class FiguresTable(QTableView):
    """Lies unseen in the corner of a plot: who can't see the plot reads it as a table."""

    def __init__(self, told: SpeaksFigures, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setModel(_Model(told, self))
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setFrameShape(QTableView.Shape.NoFrame)
        if (numbers := self.verticalHeader()) is not None:
            numbers.hide()
        self.setGeometry(0, 0, 1, 1)
