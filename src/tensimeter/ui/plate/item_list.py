"""The fittings of a face as a list that moves them."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QListWidget

from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.ui.plate.face_view import FaceView

#: What an arrow moves, mm, and with Shift.
STEP_MM, FINE_MM = 1.0, 0.1
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class ItemList(QListWidget):
    """The fittings of a face; arrows with Ctrl move what is chosen by a millimetre, with Shift by a tenth."""

    def __init__(self, view: "FaceView") -> None:
        super().__init__()
        self._view = view
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setAccessibleName(tr("fittings of the face"))
        self.setFixedWidth(theme.px(190))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        way = _ARROWS.get(Qt.Key(event.key()))
        held = event.modifiers()
        if way is not None and held & Qt.KeyboardModifier.ControlModifier:
            step = FINE_MM if held & Qt.KeyboardModifier.ShiftModifier else STEP_MM
            self._view.shift(way[0] * step, way[1] * step)
            return
        if event.key() == Qt.Key.Key_Delete:
            self._view.take_away()
            return
        super().keyPressEvent(event)
