"""Isolation and continuity: the triangular matrix beside the list of pairs, and the pair in hand."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.app.hand import hand_of_pair
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.procedure.matrix import checked
from tensimeter.ui.parts.node_matrix import NodeMatrix
from tensimeter.ui.parts.step_entry import StepEntry
from tensimeter.ui.parts.text import label, tip
from tensimeter.ui.parts.verdict_square import mark_verdict
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class MatrixView(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.place = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        words = (
            "Everything unplugged, every reservoir read empty.  = joined   ≠ apart   > not shorted   ▸ "
            "its diode.  "
            "What must be read before going on is a hold. In the reading line its number will do: “7 OL”."
        )
        column.addWidget(label(words, "caption", wrap=True))
        row = QHBoxLayout()
        self.pairs = QTreeWidget()
        self.pairs.setHeaderHidden(True)
        self.pairs.setRootIsDecorated(False)
        self.pairs.setMinimumWidth(theme.px(300))
        self.pairs.setAccessibleName(tr("pairs to read"))
        self.pairs.currentItemChanged.connect(self._on_current)
        row.addWidget(self.pairs, 1)
        self.grid = NodeMatrix()
        self.grid.chosen.connect(self.choose)
        scroll = QScrollArea()
        scroll.setWidgetResizable(False)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(self.grid)
        # The entry below stays in sight: list and grid take what is left, and scroll.
        for widget in (self.pairs, scroll):
            widget.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
            widget.setMinimumHeight(theme.px(150))
        row.addWidget(scroll, 2)
        column.addLayout(row, 1)
        self.title = label("", "heading", wrap=True)
        self.why = label("", wrap=True)
        column.addWidget(self.title)
        column.addWidget(self.why)
        self.entry = StepEntry(session)
        column.addWidget(self.entry)
        self.refresh()

    def refresh(self) -> None:
        self.found = checked(self.session.job, self.session.now.readings)
        places = [c.pair.place for c in self.found]
        if self.place not in places:
            self.place = self._next_open() or (places[0] if places else "")
        self.pairs.blockSignals(True)
        self.pairs.clear()
        for number, check in enumerate(self.found, start=1):
            item = QTreeWidgetItem([f"{number}  {check.pair.name}{'  · hold' if check.pair.hold else ''}"])
            mark_verdict(item, 0, check.verdict)
            item.setData(0, Qt.ItemDataRole.UserRole, check.pair.place)
            item.setToolTip(0, tip(f"{check.pair.expected}; {check.verdict.words}"))
            self.pairs.addTopLevelItem(item)
            if check.pair.place == self.place:
                self.pairs.setCurrentItem(item)
        self.pairs.blockSignals(False)
        self.grid.show_pairs(self.found, self.place)
        self._show_pair()

    def _next_open(self) -> str:
        return next((c.pair.place for c in self.found if c.verdict is not Verdict.CONFORMS), "")

    def choose(self, place: str) -> None:
        self.place = place
        self.refresh()

    def _on_current(self, item: QTreeWidgetItem | None, _: object) -> None:
        if item is not None:
            self.choose(item.data(0, Qt.ItemDataRole.UserRole))

    def after_reading(self) -> None:
        """A reading that holds leads on to the next open pair."""
        self.found = checked(self.session.job, self.session.now.readings)
        here = next((c for c in self.found if c.pair.place == self.place), None)
        if here is not None and here.verdict is Verdict.CONFORMS:
            places = [c.pair.place for c in self.found]
            later = self.found[places.index(self.place) + 1 :]
            after = next((c for c in [*later, *self.found] if c.verdict is not Verdict.CONFORMS), None)
            self.place = after.pair.place if after else self.place
        self.refresh()

    def _show_pair(self) -> None:
        check = next((c for c in self.found if c.pair.place == self.place), None)
        if check is None:
            self.title.setText(tr("Nothing to read yet: join a source in Design first."))
            return
        pair = check.pair
        number = [c.pair.place for c in self.found].index(pair.place) + 1
        self.title.setText(f"{number}  {pair.name}")
        wrong = f" {pair.wrong}" if check.verdict is Verdict.NONCONFORMING else ""
        self.why.setText(tr("Expect {0}: {1}.{2}").format(pair.expected, pair.why, wrong))
        self.why.setStyleSheet(f"color: {theme.colours.miss if wrong else theme.colours.ink};")
        self.session.take_up(hand_of_pair(check))
