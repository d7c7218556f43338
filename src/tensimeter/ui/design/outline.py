"""The path as an outline: one row a link, edited by keyboard."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem, QWidget

from tensimeter.core.electrical.elements import Network, Series
from tensimeter.core.model.problems import problems
from tensimeter.core.parts.path_part import OvercurrentPart, PathPart
from tensimeter.core.path import ConverterLink, EitherLink, Link, OutputLink
from tensimeter.core.quantity import show
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class Outline(QTreeWidget):
    """Links indented below what feeds them; Delete takes one out."""

    remove = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setHeaderHidden(True)
        self.setColumnCount(2)
        self.setRootIsDecorated(False)
        self.setItemsExpandable(False)
        self.setIndentation(theme.px(14))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setAccessibleName(tr("the path"))
        header = present(self.header())
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.currentItemChanged.connect(self._on_current)
        self.refresh()

    def refresh(self) -> None:
        job = self.session.job
        wrong = problems(job.design, job.stock)
        solved = self.session.now.solved
        self.blockSignals(True)
        self.clear()
        parents: dict[int, QTreeWidgetItem] = {}
        shown = [*job.design.walk()]
        lost = {link.id for link in job.design.links} - {link.id for _, link in shown}
        shown += [(0, link) for link in job.design.links if link.id in lost]
        for depth, link in shown:
            figure = self._figure(link, solved[0] if solved else None)
            item = QTreeWidgetItem([link.name, figure])
            item.setData(0, Qt.ItemDataRole.UserRole, link.id)
            item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            item.setToolTip(0, tip(wrong.get(link.id, link.name)))
            if link.id in wrong:
                item.setText(1, "does not join up")
                for column in (0, 1):
                    item.setForeground(column, QBrush(theme.colour("miss")))
            if isinstance(link, OutputLink):
                item.setFont(0, theme.font(10.5, bold=True))
            parent = parents.get(depth - 1)
            if parent is not None:
                parent.addChild(item)
            else:
                self.addTopLevelItem(item)
            parents[depth] = item
            if link.id == self.session.subject:
                self.setCurrentItem(item)
        self.expandAll()
        self.blockSignals(False)

    def _tap(self, link: Link) -> str:
        """Where a link taps the stack, when that is not its top."""
        feeder = next((x for x in self.session.job.design.links if x.id == link.fed_by), None)
        carried = {x.fed_by for x in self.session.job.design.links if x.kind == "unit"}
        if link.kind != "unit" and feeder is not None and feeder.id in carried:
            return f"off {feeder.name}, "
        return ""

    def _figure(self, link: Link, network: Network | None) -> str:
        part = self.session.job.part(link.part)
        if isinstance(part, PathPart) and (text := part.ratings_text(link)):
            return text
        if isinstance(link, EitherLink):
            return f"or {', '.join(self.session.job.design.link(o).name for o in link.others)}"
        if isinstance(link, ConverterLink):
            return f"{self._tap(link)}{show(link.set_V, 'V', 4)}"
        if isinstance(link, OutputLink):
            return f"{show(link.nominal_V, 'V')} {show(link.full_load_A, 'A')}"
        if isinstance(part, OvercurrentPart) and network is None:
            return show(part.ohms, "ohm", 2)
        if network is not None:
            element = network[link.id]
            if isinstance(element, Series):
                return show(float(element.resistance + element.contact), "ohm", 3)
        return ""

    def follow_subject(self) -> None:
        """Show the session's subject as the current row."""
        current = self.currentItem()
        if current and current.data(0, Qt.ItemDataRole.UserRole) == self.session.subject:
            return
        for item in self._items():
            if item.data(0, Qt.ItemDataRole.UserRole) == self.session.subject:
                self.blockSignals(True)
                self.setCurrentItem(item)
                self.blockSignals(False)

    def _items(self) -> list[QTreeWidgetItem]:
        return self.findItems("", Qt.MatchFlag.MatchContains | Qt.MatchFlag.MatchRecursive)

    def _on_current(self, item: QTreeWidgetItem | None, _: object) -> None:
        if item is not None:
            self.session.choose(item.data(0, Qt.ItemDataRole.UserRole))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Delete and self.session.subject:
            self.remove.emit(self.session.subject)
        else:
            super().keyPressEvent(event)
