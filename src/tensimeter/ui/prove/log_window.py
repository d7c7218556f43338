"""A log before it is taken in: what each column was taken for, its first rows in SI, a small plot."""

import itertools
import re
from pathlib import Path

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.errors import UserError
from tensimeter.core.quantity import localised
from tensimeter.store.columns import Header, header_of
from tensimeter.store.log_shapes import remember_shape, remembered_shape
from tensimeter.store.untidy import CHOICES, Tidied, tidied
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.prove.log_columns import LogColumns
from tensimeter.ui.theme import theme

#: What can be chosen, as it is labelled and as it is spoken.
_CHOSEN = {
    "decimal": ("decimal mark", "decimal mark"),
    "dates": ("dates", "order of dates"),
    "times": ("times", "what times are written in"),
}
ROWS = 8
#: How a sentence names what is chosen here, for whoever types it.
_BY_MAP = re.compile(r"--map \w+=[\w-]+ or (?:\w+=)?[\w-]+")
#: How lines are told apart in the plot, one after another: colour and dashes.
_LINES = (
    ("ink", Qt.PenStyle.SolidLine),
    ("prediction", Qt.PenStyle.DashLine),
    ("hold", Qt.PenStyle.DotLine),
    ("pencil", Qt.PenStyle.DashDotLine),
)


class LogWindow(QDialog):
    """`taken` gives the log as it was read, once it is accepted."""

    taken = pyqtSignal(object)

    def __init__(self, path: Path, columns: LogColumns, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.path, self.columns = path, columns
        self.table: Tidied | None = None
        self.setWindowTitle(tr("Take in {0}").format(path.name))
        # With large text a small screen is shorter than that.
        room = present(self.screen()).availableSize()
        self.resize(min(theme.px(860), room.width()), min(theme.px(600), room.height() - theme.px(40)))
        column = QVBoxLayout(self)
        self.said = label("", "caption", wrap=True)
        column.addWidget(label(tr("What is in which column?"), "heading"))
        column.addWidget(self.said)
        self.choices: dict[str, QComboBox] = {}
        row = QHBoxLayout()
        for key, options in CHOICES.items():
            row.addWidget(label(_CHOSEN[key][0], "caption"))
            box = QComboBox()
            box.setAccessibleName(_CHOSEN[key][1])
            box.addItem(tr("as it looks"), "")
            for option in options:
                box.addItem(option.replace("-", " "), option)
            box.activated.connect(lambda _=0: self.read())
            self.choices[key] = box
            row.addWidget(box)
        self.turned = QCheckBox(tr("amps the other way round"))
        self.turned.toggled.connect(lambda _: self.show_rows())
        row.addWidget(self.turned)
        row.addStretch(1)
        column.addLayout(row)
        self.grid = QTableWidget()
        self.grid.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        present(self.grid.verticalHeader()).hide()
        self.grid.setAccessibleName(tr("first rows of the log, in SI units"))
        column.addWidget(self.grid, 3)
        self.plot = Plot(columns.across, columns.upwards)
        column.addWidget(self.plot, 2)
        buttons = QDialogButtonBox()
        self.take = present(buttons.addButton("Take it in", QDialogButtonBox.ButtonRole.AcceptRole))
        buttons.addButton("Leave it", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.boxes: list[QComboBox] = []
        self.read()

    def _chosen(self) -> dict[str, str]:
        return {k: box.currentData() for k, box in self.choices.items() if box.currentData()}

    def read(self) -> None:
        """Read the file by what is chosen; a sentence where it can't be read so."""
        try:
            self.table = tidied(self.path, self._chosen())
        except UserError as trouble:
            self.table = None
            self.said.setText(_BY_MAP.sub("which below", str(trouble)))
            self.take.setEnabled(False)
            return
        self._columns(self.table)
        self.show_rows()

    def _columns(self, table: Tidied) -> None:
        """A box above each column: what it was taken for, by what is remembered or by its header."""
        kept = {v.lstrip("-"): k for k, v in remembered_shape(table.headers).items() if k not in CHOICES}
        # Its rows are shown once every column has its box.
        self.turned.blockSignals(True)
        self.turned.setChecked(any(v.startswith("-") for v in remembered_shape(table.headers).values()))
        self.turned.blockSignals(False)
        self.grid.setColumnCount(len(table.headers))
        self.grid.setRowCount(1)
        self.grid.setHorizontalHeaderLabels(list(table.headers))
        self.boxes = []
        used: set[str] = set()
        for k, head in enumerate(table.headers):
            box = QComboBox()
            box.setAccessibleName(tr("{0} is").format(head))
            choices = self.columns.choices(head)
            for taken in choices:
                box.addItem(taken.words, taken.key)
            guess = kept.get(f"#{k + 1}", "" if kept else self.columns.guess(head, tuple(table.headers)))
            if guess in {t.key for t in choices} and guess not in used:
                box.setCurrentIndex(box.findData(guess))
                used.add(guess)
            box.activated.connect(lambda _=0: self.show_rows())
            self.grid.setCellWidget(0, k, box)
            self.grid.setColumnWidth(k, max(box.sizeHint().width() + theme.px(8), theme.px(100)))
            self.boxes.append(box)

    def mapping(self) -> dict[str, str]:
        """What is chosen, as it is said on the command line."""
        named = {box.currentData(): f"#{k + 1}" for k, box in enumerate(self.boxes) if box.currentData()}
        if self.turned.isChecked() and "amps" in named:
            named["amps"] = f"-{named['amps']}"
        return named | self._chosen()

    def show_rows(self) -> None:
        """The first rows as they would be taken, and a plot of all of them."""
        table = self.table
        if table is None:
            return
        rows = min(ROWS, len(table.columns[0]))
        self.grid.setRowCount(rows + 1)
        for k, (head, box) in enumerate(zip(table.headers, self.boxes, strict=True)):
            taken = next(t for t in self.columns.choices(head) if t.key == box.currentData())
            unit, scale = taken.unit, _scale(head, taken.quantity)
            values = scale.in_si(table.columns[k]) if scale else table.columns[k]
            values = -values if box.currentData() == "amps" and self.turned.isChecked() else values
            for r in range(rows):
                text = "" if np.isnan(values[r]) else localised(f"{values[r] + 0.0:.6g} {unit}".strip())
                item = QTableWidgetItem(text)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.grid.setItem(r + 1, k, item)
        self._draw(table)

    def _draw(self, table: Tidied) -> None:
        self.plot.clear()
        # Room for the words above the topmost line.
        present(self.plot.getPlotItem()).vb.setDefaultPadding(0.35)
        chosen = [box.currentText() for box in self.boxes if box.currentData()]
        twice = next((words for words in chosen if chosen.count(words) > 1), None)
        if twice is not None:
            self._lacks(tr("Two columns are taken for {0}; only one can be.").format(twice))
            return
        try:
            log = self.columns.read(self.path, self.mapping()) if self.mapping() else None
        except UserError as trouble:
            lacks = self.columns.lacks()
            self._lacks(lacks if "no column of" in str(trouble) else _BY_MAP.sub("which above", str(trouble)))
            return
        across, lines = self.columns.drawn(log) if log is not None else (np.zeros(0), {})
        self.take.setEnabled(bool(lines))
        self.said.setText("; ".join(table.said) if lines else self.columns.lacks())
        for (name, values), (colour, dashes) in zip(lines.items(), itertools.cycle(_LINES), strict=False):
            shown = np.where(np.isfinite(values), values, np.nan)
            self.plot.plot(across, shown, pen=pg.mkPen(theme.colour(colour), style=dashes))
            there = np.flatnonzero(np.isfinite(shown))
            if len(there):
                # Words at the end of a line, and within the plot.
                self.plot.write(name, float(across[there[-1]]), float(shown[there[-1]]), colour, (1, 1))

    def _lacks(self, words: str) -> None:
        """It can't be taken so, and why."""
        self.said.setText(words)
        self.take.setEnabled(False)

    def accept(self) -> None:
        try:
            log = self.columns.read(self.path, self.mapping())
        except UserError as trouble:
            self.said.setText(_BY_MAP.sub("which above", str(trouble)))
            return
        if self.table is not None:
            remember_shape(self.table.headers, self.mapping())
        self.taken.emit(log)
        super().accept()


def _scale(head: str, quantity: str) -> Header | None:
    """How a column's figures scale as a quantity; None where its unit is none of it."""
    try:
        return header_of(head, quantity) if quantity else None
    except UserError:
        return None
