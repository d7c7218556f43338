"""What a run tells, brought from its own thread into the window's, no faster than the window can take it."""

import threading
import time

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tensimeter.bench.events import ENDS, Event

#: How often the window shows a run that it answers, ms.
ALIVE_MS = 300
#: How many times as long as the window took over what a run kept it then does other things.
BREATHES = 1


class RunFeed(QObject):
    """Hears a run in any thread; `came` is given in the window's, `alive` while the window answers.

    Volts as they come are passed over while the window is busy with earlier ones, and what was kept is
    brought together: a run of a day must not keep the window from hearing Esc.
    """

    came = pyqtSignal(object)
    alive = pyqtSignal()
    #: Whether a run speaks: from before it begins until it has ended.
    speaks = pyqtSignal(bool)
    _heard = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        #: Seconds and volts of the run, as they came.
        self.trace: list[tuple[float, float]] = []
        self._live_waits = False
        self._kept: list[Event] = []
        self._mutex = threading.Lock()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._bring_kept)
        self._life = QTimer(self)
        self._life.setInterval(ALIVE_MS)
        self._life.timeout.connect(self.alive)
        # The run speaks from its own thread; the signal brings it over to this one.
        self._heard.connect(self._bring)

    def begin(self) -> None:
        """A run is about to speak."""
        self.trace = []
        self._live_waits = False
        self._kept = []
        self._life.start()
        self.speaks.emit(True)

    def rest(self) -> None:
        """No run speaks any more."""
        self._soon.stop()
        self._life.stop()
        self.speaks.emit(False)

    def hear(self, event: Event) -> None:
        """Called by the run, in its own thread."""
        if event.kind == "live":
            self.trace.append((event.at_s, event.volts))
            if self._live_waits:
                return
            self._live_waits = True
        if event.kind == "kept":
            with self._mutex:
                self._kept.append(event)
                if len(self._kept) > 1:
                    return
        self._heard.emit(event)

    def _bring(self, event: Event) -> None:
        if event.kind == "live":
            self._live_waits = False
        if event.kind == "kept":
            if not self._soon.isActive():
                self._bring_kept()
            return
        if event.kind in ENDS:
            self.rest()
            self._bring_kept()
        self.came.emit(event)

    def _bring_kept(self) -> None:
        with self._mutex:
            waiting, self._kept = self._kept, []
        if not waiting:
            return
        begun = time.monotonic()
        self.came.emit(replace(waiting[-1], readings=tuple(r for e in waiting for r in e.readings)))
        if self._life.isActive():
            self._soon.start(int(1000 * BREATHES * (time.monotonic() - begun)))
