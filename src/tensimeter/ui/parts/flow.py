"""A layout that fills rows from the left and goes on below."""

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget


class FlowLayout(QLayout):
    def __init__(self, parent: QWidget | None = None, spacing: int = 8) -> None:
        super().__init__(parent)
        self._items: list[QLayoutItem] = []
        self._width = 0
        self.setSpacing(spacing)
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._arrange(QRect(0, 0, width, 0), place=False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._arrange(rect, place=True)
        parent = self.parentWidget()
        if rect.width() != self._width and parent is not None:
            # How high it must be follows from how wide it has become.
            self._width = rect.width()
            parent.updateGeometry()

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            size = size.expandedTo(item.minimumSize())
        if self._width:
            size.setHeight(max(size.height(), self.heightForWidth(self._width)))
        return size

    def _arrange(self, rect: QRect, *, place: bool) -> int:
        x, y, row = rect.x(), rect.y(), 0
        for item in self._items:
            if item.isEmpty():
                continue
            size = item.sizeHint()
            if x + size.width() > rect.right() + 1 and x > rect.x():
                x, y, row = rect.x(), y + row + self.spacing() // 2, 0
            if place:
                item.setGeometry(QRect(QPoint(x, y), size))
            x += size.width() + self.spacing()
            row = max(row, size.height())
        return y + row - rect.y()
