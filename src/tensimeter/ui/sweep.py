"""What is no longer used is looked for while nobody waits for an answer, and by the window's own thread."""

import gc
import time
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer

if TYPE_CHECKING:
    from tensimeter.ui.session import Session

#: How often is asked whether there is anything to look for, ms.
ASK_MS = 500
#: So long nothing may have changed, s, before it is looked for; what comes every second is not waited for.
QUIET_S, LONGEST_S = 1.5, 20.0
#: So long goes by, s, until what stood before is looked through as well.
WHOLE_S = 1800.0
#: So many new objects are worth a look.
WORTH = 20_000


class Sweep(QObject):
    """Python would look for circles in the middle of an answer, through all readings, in whatever thread.

    What stands when a window has been built stays as long as the job does, and is not looked through again.
    """

    def __init__(self) -> None:
        super().__init__()
        gc.disable()
        self._touched = self._swept = self._whole = time.monotonic()
        self._timer = QTimer(self)
        self._timer.setInterval(ASK_MS)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    def settle(self, session: "Session | None" = None) -> None:
        """What stands now stays; from now on this session's changes are waited out."""
        gc.freeze()
        if session is not None:
            for changed in (session.job_changed, session.readings_changed, session.subject_changed):
                changed.connect(self._touch)

    def unsettle(self) -> None:
        """A window has gone: what stood is looked through, too, as soon as all is quiet."""
        self._whole = -WHOLE_S

    def _touch(self) -> None:
        self._touched = time.monotonic()

    def _look(self) -> None:
        now = time.monotonic()
        quiet = now - self._touched > QUIET_S
        if gc.get_count()[0] < WORTH or not (quiet or now - self._swept > LONGEST_S):
            return
        if quiet and now - self._whole > WHOLE_S:
            gc.unfreeze()
            self._whole = now
        gc.collect()
        # A long run's readings are looked through once, not every few seconds.
        gc.freeze()
        self._swept = now
