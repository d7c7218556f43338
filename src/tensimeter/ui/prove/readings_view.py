"""Every reading of a test as it was kept, struck ones too; where one is taken back."""

import math
import time

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.correction_line import MOST_TERSE, Correction
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import HEARD, Reading, interval_of
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import displays_of
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, label, tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_COLUMNS = ("no.", "taken", "place", "read", "±", "came by", "note")
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
#: So many of the newest are listed; all are in the file and in its export.
MOST_LISTED = 400


class ReadingsView(QWidget):
    """The newest first. Del, or the button, strikes what is chosen with the reason that is typed."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(4))
        self.table = self._table()
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.setSpacing(theme.px(8))
        self.reason = Field()
        self.reason.setPlaceholderText(tr("why it is taken back, e.g. a slip of the decimal point"))
        self.reason.setAccessibleName(tr("why the chosen readings are taken back"))
        self.reason.returnPressed.connect(self.strike)
        self.button = QPushButton(tr("Strike"))
        self.button.setToolTip(tr("Del: it stays visible, struck through, and enters no figure any more"))
        self.button.clicked.connect(self.strike)
        self.every = QCheckBox(tr("of every test"))
        self.every.toggled.connect(lambda _: self.refresh())
        row.addWidget(self.reason, 1)
        row.addWidget(self.button)
        self.places = QComboBox()
        self.places.setAccessibleName(tr("where the chosen readings shall count"))
        self.places.setToolTip(tr("Let what is chosen count there; as it was read"))
        self.places.activated.connect(self.let_count)
        row.addWidget(self.places)
        row.addWidget(self.every)
        column.addLayout(row)
        self.said = label("", "caption", wrap=True)
        column.addWidget(self.said)
        QShortcut(
            QKeySequence("Del"), self.table, context=Qt.ShortcutContext.WidgetShortcut
        ).activated.connect(self.reason.setFocus)

    def _table(self) -> QTreeWidget:
        table = QTreeWidget()
        table.setColumnCount(len(_COLUMNS))
        table.setHeaderLabels(list(_COLUMNS))
        table.setRootIsDecorated(False)
        table.setUniformRowHeights(True)
        table.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        table.setAccessibleName(tr("readings as they were kept"))
        for k in range(len(_COLUMNS) - 1):
            present(table.header()).setSectionResizeMode(k, QHeaderView.ResizeMode.ResizeToContents)
        for k in (0, 3, 4):
            present(table.headerItem()).setTextAlignment(
                k, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            )
        return table

    def refresh(self) -> None:
        """List the newest readings of the test in hand, or of all."""
        file, test = self.session.file, self.session.test_id
        output = self.session.test_output
        points = {output, *displays_of(output), set_of(output)} if output is not None else set()
        rows = [
            r
            for r in file.facts()
            # A point of the output belongs to every test that it fits.
            if self.every.isChecked() or r.test == test or (r.test is None and r.place in points)
        ]
        struck = file.struck()
        replaced = {r.corrects: r.id for r in rows if r.corrects is not None}
        self.table.clear()
        for reading in reversed(rows[-MOST_LISTED:]):
            why = struck.get(reading.id or 0, "")
            if reading.id in replaced:
                why = f"replaced by {replaced[reading.id]}"
            self.table.addTopLevelItem(_item(reading, why))
        self._list_places()
        left = len(rows) - MOST_LISTED
        self.said.setText(tr("{0} older ones are in the file.").format(left) if left > 0 else "")

    def _list_places(self) -> None:
        """What a reading may be moved to: the steps of the test in hand, each other test, none."""
        self.places.clear()
        self.places.addItem(tr("move to …"), "")
        plan = self.session.plan
        for step in plan.steps if plan is not None else ():
            at = step.title or show(step.set_A, "A", 3)
            self.places.addItem(
                tr("step {0}: {1}").format(step.index + 1, at), f"{self.session.test_id}, {step.index + 1}"
            )
        for test in self.session.job.campaign.tests:
            if test.id != self.session.test_id:
                self.places.addItem(test.id, test.id)
        self.places.addItem(tr("no test"), "nowhere")

    def let_count(self) -> None:
        """Let what is chosen count where it was said."""
        to, numbers = self.places.currentData(), self.chosen()
        if not to:
            return
        if not numbers:
            self.places.setCurrentIndex(0)
            self.said.setText(tr("Choose a reading first."))
            return
        # What was read at the same moment goes with it.
        first = {r.scan: r.id for r in reversed(self.session.file.readings()) if r.id in numbers}
        said = ""
        for number in first.values():
            try:
                said = self.session.correct(Correction("reading", str(number), "", to=to))
            except UserError as trouble:
                said = str(trouble)
        self.refresh()
        self.said.setText(said)

    def chosen(self) -> list[int]:
        """The numbers of the readings that are chosen and still stand."""
        items = self.table.selectedItems()
        return [i.data(0, Qt.ItemDataRole.UserRole) for i in items if not i.font(3).strikeOut()]

    def strike(self) -> None:
        """Take back what is chosen, for the reason typed."""
        numbers, reason = self.chosen(), self.reason.text().strip()
        if not numbers:
            self.said.setText(tr("Choose a reading first; one that is struck stays struck."))
            return
        if len(reason) < MOST_TERSE:
            self.said.setText(tr("Say in a few words why; it stays beside what is struck."))
            self.reason.setFocus()
            return
        said = ""
        for number in numbers:
            try:
                said = self.session.correct(Correction("reading", str(number), reason))
            except UserError as trouble:
                # Its pair was struck with the one before.
                said = said or str(trouble)
        self.reason.clear()
        self.refresh()
        self.said.setText(said)


def _shown(reading: Reading) -> str:
    """What was read, what happened, or what was heard."""
    if reading.quantity == "event":
        return reading.range
    return tr("a beep") if reading.range == HEARD else show(reading.value, reading.quantity, 6)


def _item(reading: Reading, why: str) -> QTreeWidgetItem:
    interval = interval_of(reading)
    item = QTreeWidgetItem(
        [
            str(reading.id),
            time.strftime("%m-%d %H:%M:%S", time.localtime(reading.at)),
            reading.place,
            _shown(reading),
            show(interval.half_width, reading.quantity, 2) if interval is not None else "",
            reading.origin if reading.known == "read" else f"{reading.origin}, {reading.known}",
            f"struck: {why}" if why else reading.note,
        ]
    )
    item.setData(0, Qt.ItemDataRole.UserRole, reading.id)
    for k in (0, 3, 4):
        item.setTextAlignment(k, _RIGHT)
    item.setToolTip(6, tip(item.text(6)))
    if why:
        font = item.font(3)
        font.setStrikeOut(True)
        for k in range(6):
            item.setFont(k, font)
    if math.isinf(reading.value):
        item.setToolTip(3, "more than the meter could show")
    return item
