"""The rest of Assemble: the harness of a PC supply, stored charge, and the take-apart register."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.app.hand import hand_of_charge
from tensimeter.core.assembly.harness import harness
from tensimeter.core.errors import UserError
from tensimeter.core.model.assembly_edits import mixed_up, put_back, with_pulled
from tensimeter.core.parts.source_part import Stored
from tensimeter.core.procedure.protection import protection
from tensimeter.core.procedure.stored_energy import how_long, is_empty, stored, ways
from tensimeter.core.quantity import show
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.step_entry import StepEntry
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.text_table import text_table
from tensimeter.ui.parts.verdict_square import VerdictSquare
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.stock.photos import Photos
from tensimeter.ui.theme import theme


class HarnessView(QWidget):
    """Which wires of the 24-pin plug go where; a table by purpose."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self.refresh()

    def refresh(self) -> None:
        clear(self._column)
        words = (
            "Colours by the published standard. Measure each wire, with a light load, before you trust it."
        )
        caution = label(words, wrap=True)
        caution.setStyleSheet(f"color: {theme.colours.hold};")
        self._column.addWidget(caution)
        try:
            bundles = harness(self.session.job)
        except UserError as trouble:
            self._column.addWidget(label(str(trouble), wrap=True))
            return
        rows = [
            (
                b.purpose,
                b.carries,
                b.colour,
                ", ".join(str(p) for p in b.pins),
                f"{show(b.amps, 'A', 3)}, {b.needed}" if b.amps else "–",
                b.note,
            )
            for b in bundles
        ]
        headings = ("for", "rail", "colour", "pins", "carries, wires", "")
        short = [(k, 5) for k, bundle in enumerate(bundles) if not bundle.enough]
        self._column.addWidget(text_table(headings, rows, strong=0, wraps=(3, 5), missed=short))
        self._column.addStretch(1)


class ProtectionView(QWidget):
    """Diodes, fuses, earths and guards: where each sits, which way round, and how it stands."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self.refresh()

    def refresh(self) -> None:
        clear(self._column)
        found = protection(self.session.job, self.session.now.readings)
        rows = [(VerdictSquare(g.verdict), g.what, g.where, g.stands, tr(g.verdict.words)) for g in found]
        headings = ("", "part", "where, and which way", "must stand", "")
        self._column.addWidget(text_table(headings, rows, strong=1, wide=2, wraps=(2,)))
        words = "What is not measured is read in the matrix; what misses is mended in Design."
        self._column.addWidget(label(words, "caption", wrap=True))
        self._column.addStretch(1)


class ChargeView(QWidget):
    """Every reservoir with the ways to empty it; only a measured voltage lifts its hold."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.place = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self._box = QWidget()
        self._inner = QVBoxLayout(self._box)
        self._inner.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._box)
        self.entry = StepEntry(session)
        column.addWidget(self.entry)
        column.addStretch(1)
        self.refresh()

    def refresh(self) -> None:
        clear(self._inner)
        found = stored(self.session.job)
        if not found:
            words = "No reservoir that hands meet: donors stay closed, and no rectifier is built in."
            self._inner.addWidget(label(words, wrap=True))
            return
        places = [s.place for s in found]
        if self.place not in places:
            self.place = places[0]
        for at in found:
            self._show(at)

    def after_reading(self) -> None:
        open_ = [s.place for s in stored(self.session.job) if not is_empty(s, self.session.now.readings)]
        self.place = open_[0] if open_ and self.place not in open_ else self.place
        self.refresh()

    def _show(self, at: Stored) -> None:
        button = QPushButton(
            tr("{0}: {1} at up to {2}").format(at.name, show(at.farad, "F"), show(at.start_V, "V", 3))
        )
        button.setProperty("kind", "quiet")
        button.clicked.connect(lambda: self.choose(at.place))
        self._inner.addWidget(button)
        self._inner.addWidget(label(f"{at.why[0].upper()}{at.why[1:]}.", "caption", wrap=True))
        found = ways(self.session.job, at)
        rows = [
            (
                way.name,
                how_long(way.worked.time_s),
                show(way.worked.power_W, "W", 3),
                show(way.worked.energy_J, "J", 3),
                way.trouble,
            )
            for way in found
        ]
        headings = ("way", "to 5 V in", "at first", "energy", "")
        wrong = [(k, 4) for k, way in enumerate(found) if way.trouble]
        self._inner.addWidget(text_table(headings, rows, wraps=(4,), missed=wrong))
        if at.place == self.place:
            self.session.take_up(hand_of_charge(at, self.session.now.readings))

    def choose(self, place: str) -> None:
        self.place = place
        self.refresh()


class ApartView(QWidget):
    """What was pulled, from where; put back in reverse with a tick each."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        self.unit, self.what, self.where, self.tag = Field(), Field(), Field(), Field()
        for field, words in (
            (self.unit, "unit"),
            (self.what, "what, e.g. 4-pin white plug"),
            (self.where, "from where, which way"),
            (self.tag, "label given"),
        ):
            field.setPlaceholderText(words)
            field.setAccessibleName(words)
            field.returnPressed.connect(self.add)
            row.addWidget(field, 1)
        self.keyed = QCheckBox(tr("keyed"))
        row.addWidget(self.keyed)
        column.addLayout(row)
        self.warnings = label("", wrap=True)
        self.warnings.setStyleSheet(f"color: {theme.colours.miss};")
        column.addWidget(self.warnings)
        column.addWidget(label(tr("To put back, the last one pulled first; Space ticks it."), "caption"))
        self.table = QTreeWidget()
        self.table.setHeaderLabels(["unit", "what", "from where", "label", "keyed"])
        self.table.setRootIsDecorated(False)
        self.table.setAccessibleName(tr("take-apart register, in reverse"))
        for k in range(4):
            present(self.table.header()).setSectionResizeMode(k, QHeaderView.ResizeMode.ResizeToContents)
        self.table.itemChanged.connect(self._ticked)
        column.addWidget(self.table, 1)
        column.addWidget(Photos(session, "assembly:taken-apart"))
        self.refresh()

    def refresh(self) -> None:
        self.table.blockSignals(True)
        entries, role = list(reversed(self.session.job.assembly.pulled)), Qt.ItemDataRole.UserRole
        there = [present(self.table.topLevelItem(k)) for k in range(self.table.topLevelItemCount())]
        if [item.data(0, role) for item in there] != [entry.id for entry in entries]:
            self.table.clear()
            there = [QTreeWidgetItem() for _ in entries]
            self.table.addTopLevelItems(there)
        for item, entry in zip(there, entries, strict=True):
            cells = (entry.unit, entry.what, entry.where, entry.label, "yes" if entry.keyed else "no")
            for k, text in enumerate(cells):
                item.setText(k, text)
            item.setData(0, role, entry.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(0, Qt.CheckState.Checked if entry.back else Qt.CheckState.Unchecked)
        self.table.blockSignals(False)
        self.warnings.setText("\n".join(mixed_up(self.session.job)))
        self.warnings.setVisible(bool(self.warnings.text()))

    def add(self) -> None:
        try:
            job = with_pulled(
                self.session.job, self.unit.text(), self.what.text(), self.where.text(),
                self.keyed.isChecked(), self.tag.text(),
            )  # fmt: skip
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.edit(f"{self.what.text()} pulled", job)
        for field in (self.what, self.where, self.tag):
            field.empty()
        self.what.setFocus()

    def _ticked(self, item: QTreeWidgetItem, column: int) -> None:
        if column == 0:
            back = item.checkState(0) == Qt.CheckState.Checked
            entry = item.data(0, Qt.ItemDataRole.UserRole)
            words = f"{item.text(1)} {'put back' if back else 'out again'}"
            self.session.edit(words, put_back(self.session.job, entry, back))
