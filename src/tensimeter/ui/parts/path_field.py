"""Where a file goes, or lies: typed, or chosen in the desktop's own dialog; and printed from there."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QLineEdit

from tensimeter.ui.parts.text import Field
from tensimeter.ui.theme import icon, theme

#: Writes a PDF at a path.
Makes = Callable[[Path], object]


class PathField(Field):
    """`saves`: the file is written there; else it is read. `prints` writes the PDF that is printed."""

    #: What is said of a print.
    told = pyqtSignal(str)

    def __init__(self, text: str, kinds: str, *, saves: bool = True, prints: Makes | None = None) -> None:
        super().__init__(text)
        self._kinds, self._saves, self._prints = kinds, saves, prints
        self._choose = self._button("choose where", self.choose)
        self._print = self._button("print", self.print_it) if prints is not None else None
        theme.changed.connect(self._restyle)
        self._restyle()

    def _button(self, words: str, act: Callable[[], object]) -> object:
        action = self.addAction(icon("folder-open"), QLineEdit.ActionPosition.TrailingPosition)
        assert action is not None
        action.setText(words)
        action.setToolTip(words)
        action.triggered.connect(lambda _=False: act())
        return action

    def _restyle(self) -> None:
        for action, picture in ((self._choose, "folder-open"), (self._print, "printer")):
            if action is not None:
                action.setIcon(icon(picture))  # type: ignore[attr-defined]

    def choose(self) -> None:
        """Ask for it in a dialog."""
        ask = QFileDialog.getSaveFileName if self._saves else QFileDialog.getOpenFileName
        name, _ = ask(self, self.accessibleName(), self.text(), self._kinds)
        if name:
            self.setText(name)
            self.editingFinished.emit()

    def print_it(self) -> None:
        """Print what would be written there."""
        if self._prints is not None:
            from tensimeter.ui.printing import ask_and_print

            self.told.emit(ask_and_print(self, self._prints))
