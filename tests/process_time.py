"""A wall whose seconds are those in which this process came to run.

A test that waits for an answer, a watchdog or a window waits until both sides had their turns, however busy
the machine is: time goes on by a tick only after the stand-ins' own loops have taken one more turn each.
"""

import contextlib
import select
import threading
import time
import weakref

from tensimeter.bench import wall
from tensimeter.simulation import server

#: Real seconds of a tick, and how long a loop that is at work is waited for at once.
TICK_S, TURN_S = 0.004, 1.0
#: How many times as long a process of its own is given: it is on a busy machine as well, and not counted.
OTHERS = 10.0
_loops: "weakref.WeakSet[server._Loop]" = weakref.WeakSet()


class CountedLoop(server._Loop):
    """A loop of stand-ins, known to the clock while it lives."""

    def __init__(self) -> None:
        super().__init__()
        _loops.add(self)


class ProcessTime(wall.Wall):
    """Counts ticks; `rate` seconds go by in one of the wall's where the machine is quiet."""

    def __init__(self) -> None:
        self.rate = 1.0
        #: The seconds counted so far, and when the tick began, s of the real wall.
        self._at = (time.monotonic(), time.monotonic())
        self._asked = threading.Event()
        threading.Thread(target=self._tick, name="process time", daemon=True).start()

    def _tick(self) -> None:
        while True:
            # Where nobody asks for the time it stands still.
            self._asked.wait()
            self._asked.clear()
            time.sleep(TICK_S)
            for loop in list(_loops):
                self._turn(loop)
            self._at = (self._at[0] + self.rate * TICK_S, time.monotonic())

    def _turn(self, loop: server._Loop) -> None:
        taken = threading.Event()
        with contextlib.suppress(RuntimeError):  # it was closed
            if loop.is_running():
                loop.call_soon_threadsafe(taken.set)
                while not taken.wait(TURN_S) and loop.is_running():
                    pass

    def now(self) -> float:
        self._asked.set()
        base, since = self._at
        return base + self.rate * min(max(time.monotonic() - since, 0.0), TICK_S)

    def through_sleep(self) -> float:
        return self.now()

    def _slice(self, left: float) -> float:
        return min(max(left / self.rate, 0.0005), 0.02)

    def wait(self, event: threading.Event, seconds: float) -> bool:
        end = self.now() + seconds
        while not event.is_set() and (left := end - self.now()) > 0:
            event.wait(self._slice(left))
        return event.is_set()

    def ready(self, poll: "select.poll", seconds: float) -> list[tuple[int, int]]:
        end = self.now() + seconds
        while True:
            left = end - self.now()
            found = poll.poll(1000 * self._slice(left) if left > 0 else 0)
            if found or left <= 0:
                return found

    def pause(self, seconds: float) -> None:
        end = self.now() + seconds
        while (left := end - self.now()) > 0:
            time.sleep(self._slice(left))

    def of_others(self, seconds: float) -> float:
        return OTHERS * seconds


class Slower(wall.Wall):
    """The wall's seconds, of which one lasts as long as several: for a program in a process of its own."""

    TIMES = 6.0

    def now(self) -> float:
        return time.monotonic() / self.TIMES

    def through_sleep(self) -> float:
        return super().through_sleep() / self.TIMES

    def wait(self, event: threading.Event, seconds: float) -> bool:
        return super().wait(event, self.TIMES * seconds)

    def ready(self, poll: "select.poll", seconds: float) -> list[tuple[int, int]]:
        return super().ready(poll, self.TIMES * seconds)

    def pause(self, seconds: float) -> None:
        super().pause(self.TIMES * seconds)

    def of_others(self, seconds: float) -> float:
        return self.TIMES * seconds


def be_slow() -> None:
    """Let all that this process waits for have time: what it talks to is on a busy machine as well."""
    wall.use(Slower())


def begin() -> ProcessTime:
    """Count by it from now on, in all of this process."""
    server._Loop = CountedLoop
    counted = ProcessTime()
    wall.use(counted)
    return counted
