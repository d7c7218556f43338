"""The list of what can be added to the stock; it is read when it is first wanted."""

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QComboBox

from tensimeter.core.parts.registry import Part
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme


class LibraryBox(QComboBox):
    """`offered` gives words and part of each; `added` tells which one was chosen."""

    added = pyqtSignal(object)

    def __init__(self, offered: Callable[[], list[tuple[str, Part]]]) -> None:
        super().__init__()
        self._offered = offered
        self.addItem(tr("add from the library …"), None)
        self.setAccessibleName(tr("add from the library"))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(20)
        present(self.view()).setMinimumWidth(theme.px(420))
        self.activated.connect(self._chosen)

    def fill(self) -> None:
        """Read what is offered now."""
        while self.count() > 1:
            self.removeItem(1)
        for words, part in self._offered():
            self.addItem(words, part)

    def _chosen(self) -> None:
        part = self.currentData()
        self.setCurrentIndex(0)
        if part is not None:
            self.added.emit(part)

    def showPopup(self) -> None:
        self.fill()
        super().showPopup()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        # The arrow keys go through the list without its popup.
        if self.count() == 1:
            self.fill()
        super().focusInEvent(event)
