"""Esc in any other window of the program: a run's load is dropped by it as in the job's own."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QWidget


class DropKey(QObject):
    """Listens to every key while a run is on; what Esc does besides, such as closing a dialog, it does."""

    def __init__(self, window: QWidget, drop: Callable[[], None]) -> None:
        super().__init__(window)
        self._window, self._drop = window, drop

    def listen(self, on: bool) -> None:
        app = QApplication.instance()
        if app is not None:
            app.installEventFilter(self) if on else app.removeEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() == Qt.Key.Key_Escape
            and isinstance(watched, QWidget)
            # The job's own window has its own key.
            and watched.window() is not self._window.window()
        ):
            self._drop()
        return False
