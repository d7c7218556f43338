"""What other stages need is loaded while nobody waits: the window is there sooner, and so are they."""

import contextlib
import threading
from importlib import import_module

from PyQt6.QtCore import QObject, QTimer

from tensimeter.core.errors import UserError

#: What takes longest first, then the stages in the order in which they are gone through. None of it makes
#: an object of Qt's as it is loaded: that would belong to the wrong thread.
_WANTED = (
    "pyqtgraph",
    "scipy.special",
    "scipy.optimize",
    *(f"tensimeter.ui.{s}.stage" for s in ("design", "assemble", "wake", "prove", "tune", "plate")),
)
#: So long the window has to itself before the first, ms.
FIRST_MS = 250


class Ahead(QObject):
    """Loads one module after another in a thread of its own; who needs one sooner waits for that one."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._thread: threading.Thread | None = None
        QTimer.singleShot(FIRST_MS, self._begin)

    @property
    def done(self) -> bool:
        return self._thread is not None and not self._thread.is_alive()

    def _begin(self) -> None:
        self._thread = threading.Thread(target=_load, name="ahead", daemon=True)
        self._thread.start()


def _load() -> None:
    # Every kind of part that ships is made ready to be read by it.
    from tensimeter.store.library import shipped_parts

    with contextlib.suppress(UserError):
        shipped_parts()
    for name in _WANTED:
        # What can't be loaded is told of by the stage that needs it.
        with contextlib.suppress(ImportError):
            import_module(name)
