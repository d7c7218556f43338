"""What takes long is worked out beside the window: the newest question of each kind, one after another."""

import contextlib
import logging
import sys
import threading
import time
import weakref
from collections import OrderedDict
from collections.abc import Callable
from typing import TypeVar

from PyQt6 import sip
from PyQt6.QtCore import QCoreApplication, QEvent, QObject, QTimer, pyqtSignal

T = TypeVar("T")

#: So long what is asked waits, ms: the window paints what it can tell at once.
PAINT_MS = 5
#: A priority behind that of what is to be painted, which Qt posts with its low one, -1.
BEHIND_PAINT = -2
#: So long a thread goes on, s, while another waits for its turn.
TURN_S = 5e-5

_every: "weakref.WeakSet[Aside]" = weakref.WeakSet()
#: What is asked: its number, who asks, the work, and who is shown the answer.
_Asked = tuple[int, QObject, Callable[[], object], Callable[[object], None]]


class Aside(QObject):
    """Works in a thread of its own; without one (`threaded` False) at once, before `ask` returns.

    An answer is shown in the window's own thread, and only while nothing newer of its kind was asked: none
    lands on a job that it does not belong to. What is worked on is immutable, so nothing has to be locked.
    """

    #: Nothing is worked out any more: what runs by itself is to end, too.
    stopped = pyqtSignal()
    _answered = pyqtSignal(str, int, object)

    def __init__(self, *, threaded: bool = False) -> None:
        super().__init__()
        _every.add(self)
        self.threaded = threaded
        if threaded:
            # So long the window waits for its turn at each step; by default a hundred times that.
            sys.setswitchinterval(TURN_S)
        self._asked: OrderedDict[str, _Asked] = OrderedDict()
        self._waiting: OrderedDict[str, _Asked] = OrderedDict()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(PAINT_MS)
        self._soon.timeout.connect(self._after_paint)
        self._newest: dict[str, _Asked] = {}
        self._changed = threading.Condition()
        self._thread: threading.Thread | None = None
        self._number, self._stopped = 0, False
        self._answered.connect(self._show)

    def ask(self, kind: str, who: QObject, work: Callable[[], T], show: Callable[[T], None]) -> None:
        """Have `work` done and `show` called with what it gives; an older question of the kind is dropped.

        `work` must not touch a widget. `who` is the widget that asks: once it is gone nothing is shown.
        """
        if not self.threaded:
            show(work())
            return
        self._number += 1
        asked: _Asked = (self._number, who, work, show)  # type: ignore[assignment]
        if self._stopped:
            return
        self._newest[kind] = asked
        self._asked.pop(kind, None)
        self._asked[kind] = asked
        # What the window has to paint comes first: both would wait for one another otherwise.
        self._soon.start()

    def _after_paint(self) -> None:
        QCoreApplication.postEvent(self, QEvent(QEvent.Type.User), BEHIND_PAINT)

    def customEvent(self, event: QEvent | None) -> None:
        self._hand_over()

    def _hand_over(self) -> None:
        with self._changed:
            for kind, asked in self._asked.items():
                self._waiting.pop(kind, None)
                self._waiting[kind] = asked
            self._asked.clear()
            self._changed.notify()
        if self._thread is None and not self._stopped:
            self._thread = threading.Thread(target=self._work, name="aside", daemon=True)
            self._thread.start()

    def drop(self, kind: str) -> None:
        """What was asked of a kind is no longer wanted."""
        with self._changed:
            self._newest.pop(kind, None)
            self._asked.pop(kind, None)
            self._waiting.pop(kind, None)

    def waits(self, *kinds: str) -> bool:
        """Whether an answer of one of these kinds is still to come; of any, where none is named."""
        return any(kind in self._newest for kind in kinds) if kinds else bool(self._newest)

    def stop(self) -> None:
        """Nothing is worked out any more; the piece that is being worked on ends by itself."""
        with self._changed:
            self._stopped = True
            self._asked.clear()
            self._waiting.clear()
            self._newest.clear()
            self._changed.notify()
        self.stopped.emit()

    def join(self, deadline: float) -> None:
        """Wait for the piece that is being worked on, until a deadline, s of `time.monotonic`."""
        if self._thread is not None:
            self._thread.join(max(deadline - time.monotonic(), 0.0))

    def _work(self) -> None:
        while True:
            with self._changed:
                self._changed.wait_for(lambda: self._stopped or bool(self._waiting))
                if self._stopped:
                    return
                kind, (number, _, work, _) = self._waiting.popitem(last=False)
            try:
                answer: object = work()
            except Exception as error:
                logging.getLogger("tensimeter").error(
                    "worked out beside the window: %s", kind, exc_info=error
                )
                answer = error
            # The window may have gone meanwhile, and this with it.
            with contextlib.suppress(RuntimeError):
                if not self._stopped:
                    self._answered.emit(kind, number, answer)

    def _show(self, kind: str, number: int, answer: object) -> None:
        asked = self._newest.get(kind)
        if asked is None or asked[0] != number:
            return
        del self._newest[kind]
        if not isinstance(answer, Exception) and not sip.isdeleted(asked[1]):
            asked[3](answer)


def leave(seconds: float) -> None:
    """The program ends: nothing is worked out any more, and what is on is waited for so long.

    A thread that is in the midst of a library's code as Python ends would end it in a crash.
    """
    deadline = time.monotonic() + seconds
    for aside in list(_every):
        aside.stop()
    for aside in list(_every):
        aside.join(deadline)
