"""The Tune stage: displays held against references, what to set in them, and what is left then."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QListWidget,
    QListWidgetItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.analysis.comparison import correction
from tensimeter.core.derivation import Derivation
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import PRETENDED_WORDS
from tensimeter.core.quantity import fixed, parse, show
from tensimeter.core.testplan.meter_checks import (
    LETS,
    MeterCheck,
    asked_of,
    check_picture,
    check_sentence,
    check_worked,
    meter_checks,
    setting_sentence,
)
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.picture_plot import PicturePlot
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, Figure, label, tip
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: So many pairs at the most are listed, the newest; the line goes through all of them.
MOST_ROWS = 300
_COLUMNS = ("shows", "meter", "error", "once set")


class TuneStage(QWidget):
    """A display at the left is chosen; its pairs, its line and what to set follow."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.checks: tuple[MeterCheck, ...] = ()
        self.chosen: tuple[str, str] | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(theme.px(20), theme.px(12), theme.px(10), 0)
        layout.setSpacing(theme.px(12))
        self.side = QWidget()
        self.side.setLayout(self._left())
        layout.addWidget(self.side)
        column = QVBoxLayout()
        column.setSpacing(theme.px(4))
        self.title, self.sentence = label("", "heading"), Figure("", self._why)
        self.sentence.setWordWrap(True)
        self.sentence.asked.connect(session.why)
        column.addWidget(self.title)
        column.addWidget(self.sentence)
        self.next_act = NextAct(session, "tune")
        column.addWidget(self.next_act)
        self.plot = PicturePlot()
        column.addWidget(self.plot, 5)
        self.table = self._table()
        column.addWidget(self.table, 4)
        self._below = QWidget()
        column.addWidget(self._below, 1)
        layout.addLayout(column, 1)
        whole = WhenSeen(self, self.refresh)
        for signal in (session.job_changed, session.readings_changed, theme.changed):
            signal.connect(whole.take)
        self.refresh()

    def first_focus(self) -> QWidget:
        return self.list

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("Displays", "heading"))
        self.list = QListWidget()
        self.list.setAccessibleName("displays that were read beside a reference")
        self.list.setFixedWidth(theme.px(206))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._on_row)
        column.addWidget(self.list, 1)
        self.setting = QWidget()
        inside = QVBoxLayout(self.setting)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(label("It lets you set", "strong"))
        self.lets = QComboBox()
        self.lets.setAccessibleName("what can be set in the display")
        for key, words in LETS.items():
            self.lets.addItem(words, key)
        self.lets.activated.connect(lambda _=0: self._show())
        inside.addWidget(self.lets)
        inside.addWidget(label("in steps of", "caption"))
        self.step = Field()
        self.step.setPlaceholderText("any; 10m, 0.1%")
        self.step.setAccessibleName("smallest step of what is set")
        self.step.editingFinished.connect(self._show)
        inside.addWidget(self.step)
        column.addWidget(self.setting)
        self.wanted = label("", "caption", wrap=True)
        self.wanted.setMaximumWidth(theme.px(206))
        column.addWidget(self.wanted)
        column.addSpacing(theme.px(8))
        return column

    def _table(self) -> QTreeWidget:
        table = QTreeWidget()
        table.setColumnCount(len(_COLUMNS))
        table.setHeaderLabels(list(_COLUMNS))
        table.setRootIsDecorated(False)
        table.setUniformRowHeights(True)
        table.setAccessibleName("pairs of display and reference, in the order read")
        # Figures that are compared stand near one another, however wide the window is.
        table.setMaximumWidth(theme.px(600))
        present(table.header()).setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        header = present(table.headerItem())
        for k in range(len(_COLUMNS)):
            header.setTextAlignment(k, _RIGHT)
        return table

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        """Held against one another beside the window; until it is, what stands is of before."""
        job, readings = self.session.job, self.session.now.readings
        self.next_act.refresh()
        self.session.aside.ask("displays", self, lambda: meter_checks(job, readings), self._take)

    def _take(self, checks: tuple[MeterCheck, ...]) -> None:
        self.checks = checks
        keys = [(c.output, c.quantity) for c in checks]
        if self.chosen not in keys:
            self.chosen = keys[0] if keys else None
        self.list.blockSignals(True)
        self.list.clear()
        for check in checks:
            item = QListWidgetItem(f"{check.name}, {_QUANTITY[check.quantity]}\n{_off(check)}")
            item.setToolTip(tip(check_sentence(check)))
            self.list.addItem(item)
        if self.chosen is not None:
            self.list.setCurrentRow(keys.index(self.chosen))
        self.list.blockSignals(False)
        self._show()

    def _on_row(self, row: int) -> None:
        if 0 <= row < len(self.checks):
            self.chosen = (self.checks[row].output, self.checks[row].quantity)
            self._show()

    @property
    def check(self) -> MeterCheck | None:
        """The display in hand."""
        return next((c for c in self.checks if (c.output, c.quantity) == self.chosen), None)

    def _why(self) -> Derivation | None:
        return check_worked(self.check) if self.check is not None else None

    def _show(self) -> None:
        check = self.check
        read = check is not None and check.found is not None
        self.plot.setVisible(read)
        self.table.setVisible(check is not None)
        self._below.setVisible(not read)
        self.setting.setVisible(read)
        self.side.setVisible(check is not None)
        self.wanted.setText(asked_of(self.session.job, check) if check is not None else "")
        if check is None:
            joined = bool(self.session.job.design.outputs())
            self.title.setText("No display was read beside a meter yet" if joined else "Nothing to tune yet")
            words = "What the supply's own display shows is typed below, beside the meter's reading."
            self.sentence.setText(f"{words}\n\n{asked_of(self.session.job, None)}" if joined else "")
            return
        made_up = f": {PRETENDED_WORDS[check.pretended]}" if check.pretended else ""
        self.title.setText(f"{check.name}, own display, {_QUANTITY[check.quantity]}{made_up}")
        self._tell(check)

    def _tell(self, check: MeterCheck) -> None:
        found = check.found
        if found is None:
            self.sentence.setText(check_sentence(check))
            self._fill(check, None)
            return
        lets = str(self.lets.currentData())
        if lets == "both" and not found.tells_gain:
            # Of a gain that is not known nothing is set.
            lets = "offset"
        try:
            step = parse(self.step.text()) if self.step.text().strip() else 0.0
            chosen = correction(found, lets, step)
        except UserError as trouble:
            self.session.complain(str(trouble))
            chosen = correction(found, lets)
        lines = [check_sentence(check), setting_sentence(check, chosen), *found.warnings]
        self.sentence.setText("\n".join(lines))
        self.plot.show_picture(check_picture(check, chosen))
        self._fill(check, [chosen.gain * p.shown.value + chosen.offset for p in check.pairs])

    def _fill(self, check: MeterCheck, set_to: list[float] | None) -> None:
        self.table.clear()
        self.table.setHeaderLabels([f"{words}, {check.unit}" for words in _COLUMNS])
        odd = check.found.odd_one if check.found is not None else None
        first = max(len(check.pairs) - MOST_ROWS, 0)
        for k, pair in enumerate(check.pairs[first:], first):
            true, shown = pair.reference.value, pair.shown.value
            left = fixed(set_to[k] - true, "", 4) if set_to is not None else ""
            words = [fixed(shown, "", 3), fixed(true, "", 4), fixed(shown - true, "", 4), left]
            if k == odd:
                words[2] += "  not of the line"
            item = QTreeWidgetItem(words)
            for c in range(len(words)):
                item.setTextAlignment(c, _RIGHT)
            self.table.addTopLevelItem(item)


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_QUANTITY = {"V": "volts", "A": "amps"}


def _off(check: MeterCheck) -> str:
    if check.found is None:
        return f"{len(check.pairs)} pair{'s' * (len(check.pairs) != 1)}"
    return f"off by up to {show(abs(check.found.worst_before.value), check.unit, 3)}"
