"""The wire list: ticked as made, cut lengths typed in place, printed as a list and as labels."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.assembly.wiring import Conductor, wire_list
from tensimeter.core.errors import UserError
from tensimeter.core.model.assembly_edits import with_wire
from tensimeter.core.quantity import fixed, parse, show
from tensimeter.ui.parts.path_field import PathField
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import label, tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_COLUMNS = ("wire", "colour", "mm²", "cut, m", "carries", "fused by", "ends")
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
#: Colours of wire as they are drawn; a name that is not here is written only.
SWATCHES = {
    "red": "#B3261E", "black": "#1C1C1C", "orange": "#D9822B", "green-yellow": "#5E8C31", "brown": "#6B4423",
    "blue": "#2B5C9E", "yellow": "#C9A227", "white": "#F2F2F2", "grey": "#8C8C8C", "violet": "#6A4C93",
    "green": "#2E7D4F",
}  # fmt: skip


class WiresView(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        words = (
            "Space ticks a wire as made; a cut length is typed over. Sized so that its fuse protects it, or "
            "for the limit before it; where neither is there, for the fuse that it wants."
        )
        column.addWidget(label(words, "caption", wrap=True))
        self.table = QTreeWidget()
        self.table.setColumnCount(len(_COLUMNS))
        self.table.setHeaderLabels(list(_COLUMNS))
        self.table.setRootIsDecorated(False)
        self.table.setItemsExpandable(False)
        self.table.setAccessibleName(tr("wire list"))
        header = present(self.table.header())
        for k in range(len(_COLUMNS) - 1):
            header.setSectionResizeMode(k, QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.table.setColumnWidth(0, theme.px(280))
        for k in (2, 3, 4):
            present(self.table.headerItem()).setTextAlignment(k, _RIGHT)
        self.table.itemChanged.connect(self._changed)
        column.addWidget(self.table, 1)
        column.addLayout(self._prints())
        self.refresh()

    def _prints(self) -> QHBoxLayout:
        row = QHBoxLayout()
        stem = self.session.file.path.with_suffix("")
        self.path = PathField(f"{stem}-wires.pdf", "Lists (*.pdf)", prints=self._listed_at)
        self.path.told.connect(self.session.say)
        self.path.setAccessibleName(tr("file of the wire list"))
        row.addWidget(self.path, 1)
        for words, labels in (("write the list", False), ("write labels", True)):
            button = QPushButton(tr(words))
            button.clicked.connect(lambda _=False, labels=labels: self.print_list(labels))
            row.addWidget(button)
        return row

    def refresh(self) -> None:
        """Rows that are there already are changed in place: one of them may just be ticked."""
        self.table.blockSignals(True)
        try:
            wires, said = wire_list(self.session.job), ""
        except UserError as trouble:
            wires, said = (), str(trouble)
        role = Qt.ItemDataRole.UserRole
        there = [present(self.table.topLevelItem(k)) for k in range(self.table.topLevelItemCount())]
        others = [item.data(0, role) for item in there] != [wire.id for wire in wires]
        if others:
            self.table.clear()
            there = [_row_of(wire) for wire in wires]
        for item, wire in zip(there, wires, strict=True):
            self._fill(item, wire)
        if others:
            # Filled first: each change of a row that is shown has its columns measured again.
            self.table.addTopLevelItems(there)
        if said:
            self.table.addTopLevelItem(QTreeWidgetItem([said]))
        self.table.blockSignals(False)

    def _fill(self, item: QTreeWidgetItem, wire: Conductor) -> None:
        carries = (
            show(wire.amps, "A", 3)
            if wire.amps
            else {"live": "mains", "neutral": "mains"}.get(wire.role, "–")
        )
        ends = " · ".join(dict.fromkeys(wire.ends))
        cells = (
            wire.label, wire.colour, f"{wire.area_mm2:g}", fixed(wire.length_m, "", 2), carries,
            wire.fuse or "–", ends,
        )  # fmt: skip
        for k, text in enumerate(cells):
            item.setText(k, text)
        item.setCheckState(0, Qt.CheckState.Checked if wire.made else Qt.CheckState.Unchecked)
        # A picture set on a row that is shown has all columns measured again.
        drawn = f"{wire.colour} {theme.night} {theme.scale}"
        if item.data(1, Qt.ItemDataRole.UserRole) != drawn:
            item.setData(1, Qt.ItemDataRole.UserRole, drawn)
            item.setIcon(1, _swatch(wire.colour))
        item.setToolTip(0, tip(tr("{0}: must stand {1}").format(wire.label, show(wire.must_A, "A", 3))))
        item.setToolTip(
            6, tip(tr("{0} at the first end, {1} at the other").format(wire.ends[0], wire.ends[1]))
        )

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        wire = item.data(0, Qt.ItemDataRole.UserRole)
        made = item.checkState(0) == Qt.CheckState.Checked
        words, fields = f"{item.text(0)} {'made' if made else 'not made'}", dict[str, object](made=made)
        if column == 3:
            try:
                metres = parse(item.text(3))
                words, fields = f"{item.text(0)} cut to {metres:g} m", {"length_m": metres}
                job = with_wire(self.session.job, wire, **fields)
            except UserError as trouble:
                self.session.complain(str(trouble))
                self.refresh()
                return
        elif column != 0:
            self.refresh()
            return
        else:
            job = with_wire(self.session.job, wire, **fields)
        self.session.edit(words, job)

    def _listed_at(self, path: Path) -> None:
        from tensimeter.report.wirelist import write_list

        write_list(self.session.job, path)

    def print_list(self, labels: bool) -> None:
        """Write the list or the label sheet as PDF."""
        from tensimeter.report.wirelist import write_labels, write_list

        path = Path(self.path.text().strip()).with_suffix(".pdf")
        if labels:
            path = path.with_name(f"{path.stem}-labels.pdf")
        try:
            (write_labels if labels else write_list)(self.session.job, path)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.note("export", f"{'labels' if labels else 'wire list'} written to {path.name}")
        self.session.say(tr("{0} written.").format(path))


def _row_of(wire: Conductor) -> QTreeWidgetItem:
    item = QTreeWidgetItem()
    item.setData(0, Qt.ItemDataRole.UserRole, wire.id)
    item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEditable)
    for k in (2, 3, 4):
        item.setTextAlignment(k, _RIGHT)
    return item


def _swatch(colour: str) -> QIcon:
    pixmap = QPixmap(theme.px(14), theme.px(14))
    pixmap.fill(Qt.GlobalColor.transparent)
    if colour in SWATCHES:
        painter = QPainter(pixmap)
        painter.setPen(theme.colour("pencil"))
        painter.setBrush(QColor(SWATCHES[colour]))
        painter.drawRect(1, 1, pixmap.width() - 3, pixmap.height() - 3)
        if colour == "green-yellow":
            painter.fillRect(
                pixmap.width() // 2, 2, pixmap.width() // 2 - 3, pixmap.height() - 4, QColor("#D9C62B")
            )
        painter.end()
    return QIcon(pixmap)
