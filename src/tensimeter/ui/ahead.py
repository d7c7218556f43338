"""What other stages need is loaded while nobody waits: the window is there sooner, and so are they."""

import contextlib
from importlib import import_module

from PyQt6.QtCore import QObject, QTimer

from tensimeter.core.errors import UserError
from tensimeter.ui.aside import Aside

#: What takes longest first, then the stages in the order in which they are gone through. None of it makes
#: an object of Qt's as it is loaded: that would belong to the wrong thread.
_LIBRARY = "tensimeter.store.library"
WANTED = (
    _LIBRARY,
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
        self._aside = Aside(threaded=True)
        QTimer.singleShot(FIRST_MS, self._next)
        self.left = list(WANTED)

    def _next(self) -> None:
        """One module; the next once it is there, so that who leaves waits for one alone."""
        if self.left:
            name = self.left.pop(0)
            self._aside.ask("ahead", self, lambda: load(name), lambda _: self._next())
        else:
            self._aside.stop()


def load(name: str) -> None:
    """Load a module; what can't be loaded is told of by the stage that needs it."""
    with contextlib.suppress(ImportError):
        import_module(name)
    if name == _LIBRARY:
        # Every kind of part that ships is made ready to be read by it.
        with contextlib.suppress(UserError):
            import_module(name).shipped_parts()
