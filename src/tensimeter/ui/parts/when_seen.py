"""Brings a widget up to date only while it is seen; what it missed is made up for when it shows."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject
from PyQt6.QtWidgets import QWidget


class WhenSeen(QObject):
    """Connect signals to its `take` in place of the widget's own `refresh`; it goes with its widget."""

    def __init__(self, widget: QWidget, refresh: Callable[[], None]) -> None:
        super().__init__(widget)
        self._widget, self._refresh, self._missed = widget, refresh, False
        widget.installEventFilter(self)

    def take(self, *_: object) -> None:
        if self._widget.isVisible():
            self._refresh()
        else:
            self._missed = True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Show and self._missed:
            self._missed = False
            self._refresh()
        return False
