"""A table whose figures can be asked why: F1, Enter or a double click on a cell."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

from tensimeter.core.derivation import Derivation
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import tip
from tensimeter.ui.theme import theme

#: One cell: its text, and what answers where it is a figure.
Cell = tuple[str, Callable[[], Derivation] | None]


class WhyTable(QTreeWidget):
    asked = pyqtSignal(object)

    def __init__(self, columns: tuple[str, ...], name: str, figures: range) -> None:
        """`figures` are the columns that align to the right."""
        super().__init__()
        self._figures = figures
        self._why: dict[tuple[int, int], Callable[[], Derivation]] = {}
        self.setColumnCount(len(columns))
        self.setHeaderLabels(list(columns))
        self.setRootIsDecorated(False)
        self.setUniformRowHeights(True)
        self.setAllColumnsShowFocus(False)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        self.setAccessibleName(name)
        self.setAccessibleDescription("F1 on a figure shows how it came about")
        self.setMinimumHeight(theme.px(120))
        for k in range(len(columns) - 1):
            present(self.header()).setSectionResizeMode(k, QHeaderView.ResizeMode.ResizeToContents)
        for k in figures:
            present(self.headerItem()).setTextAlignment(k, _RIGHT)
        self.itemDoubleClicked.connect(lambda item, column: self._ask(item, column))

    def widths(self, *pixels: int) -> None:
        """Set columns to widths that grow with the text; the hand may change them."""
        for k, width in enumerate(pixels):
            present(self.header()).setSectionResizeMode(k, QHeaderView.ResizeMode.Interactive)
            self.setColumnWidth(k, theme.px(width))

    def add(self, cells: list[Cell], missed: tuple[int, ...] = ()) -> None:
        """A row; columns of `missed` are shown as what is wrong."""
        row = self.topLevelItemCount()
        item = QTreeWidgetItem([text for text, _ in cells])
        for k, (text, why) in enumerate(cells):
            item.setToolTip(k, tip(text))
            if k in self._figures:
                item.setTextAlignment(k, _RIGHT)
            if why is not None:
                self._why[row, k] = why
        for k in missed:
            item.setForeground(k, QBrush(theme.colour("miss")))
        self.addTopLevelItem(item)

    def worked(self) -> Derivation | None:
        """The answer behind the cell in hand, which F1 asks for."""
        why = self._why.get((self.indexOfTopLevelItem(self.currentItem()), self.currentColumn()))
        return why() if why is not None else None

    def _ask(self, item: QTreeWidgetItem, column: int) -> None:
        why = self._why.get((self.indexOfTopLevelItem(item), column))
        if why is not None:
            self.asked.emit(why())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        item = self.currentItem()
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and item is not None:
            self._ask(item, self.currentColumn())
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right) and item is not None:
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self.setCurrentItem(item, min(max(self.currentColumn() + step, 0), self.columnCount() - 1))
        else:
            super().keyPressEvent(event)


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
