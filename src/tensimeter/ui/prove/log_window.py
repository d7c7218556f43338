"""A log before it is taken in: what each column was taken for, its first rows in SI, a small plot."""

import re
from pathlib import Path

import numpy as np
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
from tensimeter.store.logs import Log, read_log, unclear_in
from tensimeter.store.untidy import CHOICES, Tidied, tidied
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

#: What a column may be taken for, in words, with the unit that its figures are shown in.
_TAKEN = (("–", ""), ("time", "s"), ("volts", "V"), ("amps", "A"), ("set", "A"))
#: What can be chosen, as it is labelled and as it is spoken.
_CHOSEN = {
    "decimal": ("decimal mark", "decimal mark"),
    "dates": ("dates", "order of dates"),
    "times": ("times", "what times are written in"),
}
ROWS = 8
#: How a sentence names what is chosen here, for whoever types it.
_BY_MAP = re.compile(r"--map \w+=[\w-]+ or (?:\w+=)?[\w-]+")


class LogWindow(QDialog):
    """`taken` gives the log as it was read, once it is accepted."""

    taken = pyqtSignal(object)

    def __init__(self, path: Path, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.path = path
        self.table: Tidied | None = None
        self.setWindowTitle(tr("Take in {0}").format(path.name))
        self.resize(theme.px(760), theme.px(520))
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
        column.addWidget(self.grid, 2)
        self.plot = Plot("time, s", "volts, amps")
        column.addWidget(self.plot, 1)
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
            for words, _ in _TAKEN:
                box.addItem(words, words if words != "–" else "")
            try:
                found = header_of(head)
            except UserError:
                found = None
            guess = kept.get(f"#{k + 1}", "" if kept else found.quantity if found else "")
            if not kept and guess in unclear_in(table.headers):
                # Which of several is meant only whoever took the log knows.
                guess = ""
            if guess in {w for w, _ in _TAKEN} and guess not in used:
                box.setCurrentIndex(box.findData(guess))
                used.add(guess)
            box.activated.connect(lambda _=0: self.show_rows())
            self.grid.setCellWidget(0, k, box)
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
            unit = dict(_TAKEN).get(box.currentText(), "")
            scale = _scale(head, box.currentData())
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
        try:
            log: Log | None = read_log(self.path, self.mapping()) if self.mapping() else None
        except UserError as trouble:
            self.said.setText(_BY_MAP.sub("which above", str(trouble)))
            self.take.setEnabled(False)
            return
        enough = log is not None and {"volts", "amps"} & set(log.columns)
        self.take.setEnabled(bool(enough))
        self.said.setText(
            "; ".join(table.said) if enough else tr("Say which column holds volts, and which amps.")
        )
        if log is None:
            return
        across = log.columns.get("time", np.arange(float(len(log))))
        for quantity, colour in (("volts", "ink"), ("amps", "prediction")):
            if quantity in log.columns:
                values = log.columns[quantity]
                values = np.where(np.isfinite(values), values, np.nan)
                self.plot.plot(across, values, pen=theme.colour(colour))

    def accept(self) -> None:
        try:
            log = read_log(self.path, self.mapping())
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
