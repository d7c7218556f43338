"""The sign of life of a run: fed by every good exchange, the first to see that time or the guard went on."""

from tensimeter.bench import wall
from tensimeter.bench.clock import Clock
from tensimeter.bench.events import Control, Stopped
from tensimeter.bench.guarding import RunGuard

#: How long a run with its load on may stand still before what it reads is no more of that load, s.
GAP_S = 2.0
#: A pause of the run's own after which others are given a moment before they are judged, s.
STALL_S = 0.5
#: How long a window may be silent: then nobody could drop the load by Esc, s.
WINDOW_S = 1.6


class Pulse:
    """Beats after each good exchange while a load is on; Stopped where the run must not go on."""

    def __init__(self, clock: Clock, control: Control) -> None:
        self._clock, self._control = clock, control
        self.guard: RunGuard | None = None
        self.armed = False
        self._last = wall.through_sleep()

    def arm(self) -> None:
        """A load is about to be switched on; Stopped where the guard forbids it."""
        self._heed_guard()
        if not self.armed:
            self._last = wall.through_sleep()
        self.armed = True
        if self.guard is not None:
            self.guard.arm()

    def disarm(self) -> None:
        """Every load is proven off."""
        self.armed = False
        if self.guard is not None:
            self.guard.disarm()

    def beat(self) -> None:
        """One good exchange was had; Stopped where it came after a standstill."""
        # Counted through a sleep of the machine, too.
        now = wall.through_sleep()
        gap, self._last = now - self._last, now
        if not self.armed or self._clock.stepped:
            return
        self._heed_guard()
        if gap > GAP_S:
            raise Stopped(
                f"The program stood still for {gap:.1f} s with the load on; what it read then is not kept."
            )
        seen = self._control.window_seen
        # A run that itself stood still says nothing of the window.
        if seen is not None and gap < STALL_S and wall.now() - seen > WINDOW_S:
            raise Stopped(
                f"The window did not answer for {WINDOW_S} s, so that nobody could have stopped it."
            )
        if self.guard is not None:
            self.guard.beat()

    def _heed_guard(self) -> None:
        fenced = self.guard.fenced() if self.guard is not None else ""
        if fenced:
            raise Stopped(fenced)
