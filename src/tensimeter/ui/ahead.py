"""What other stages need is loaded while nobody waits: the window is there sooner, and so are they."""

import contextlib
from importlib import import_module

from PyQt6.QtCore import QObject, QTimer

#: The plots' library first, which takes longest; then the stages in the order they are gone through.
_WANTED = (
    "pyqtgraph",
    *(f"tensimeter.ui.{s}.stage" for s in ("design", "assemble", "wake", "prove", "tune", "plate")),
)
#: So long the window has to itself before the first and between two, ms.
FIRST_MS, BETWEEN_MS = 250, 40


class Ahead(QObject):
    """Loads one module after another, in the window's own thread: they make objects of Qt's."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.left = list(_WANTED)
        self._timer = QTimer(self)
        self._timer.setInterval(FIRST_MS)
        self._timer.timeout.connect(self._load)
        self._timer.start()

    def _load(self) -> None:
        self._timer.setInterval(BETWEEN_MS)
        # What can't be loaded is told of by the stage that needs it.
        with contextlib.suppress(ImportError):
            import_module(self.left.pop(0))
        if not self.left:
            self._timer.stop()
