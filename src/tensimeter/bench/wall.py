"""The wall's seconds, in which everything that waits for an instrument, a guard or a window is counted.

They are asked for here and nowhere else in this package, so that a trial on a busy machine can count the
seconds in which this process came to run instead: what stands still with it is no silent instrument.
"""

import select
import threading
import time


class Wall:
    """Time as a clock on the wall has it."""

    def now(self) -> float:
        """Seconds since some moment; those in which the machine slept don't count."""
        return time.monotonic()

    def through_sleep(self) -> float:
        """Seconds since some moment, with those in which the machine slept."""
        return time.clock_gettime(time.CLOCK_BOOTTIME)

    def wait(self, event: threading.Event, seconds: float) -> bool:
        """Wait until something happened, for so long at the most; whether it did."""
        return event.wait(max(seconds, 0.0))

    def ready(self, poll: "select.poll", seconds: float) -> list[tuple[int, int]]:
        """Which of the descriptors are ready within a time."""
        return poll.poll(max(seconds, 0.0) * 1000)

    def pause(self, seconds: float) -> None:
        """Do nothing for a while."""
        time.sleep(max(seconds, 0.0))

    def of_others(self, seconds: float) -> float:
        """How many seconds another process is given, which runs by the real wall's."""
        return seconds


_in_use = Wall()


def use(wall: Wall) -> Wall:
    """Count by another wall from now on; the one before."""
    global _in_use
    before, _in_use = _in_use, wall
    return before


def now() -> float:
    """Seconds since some moment; see `Wall.now`."""
    return _in_use.now()


def through_sleep() -> float:
    """Seconds since some moment, with those in which the machine slept."""
    return _in_use.through_sleep()


def wait(event: threading.Event, seconds: float) -> bool:
    """Wait until something happened, for so long at the most; whether it did."""
    return _in_use.wait(event, seconds)


def ready(poll: "select.poll", seconds: float) -> list[tuple[int, int]]:
    """Which of the descriptors are ready within a time."""
    return _in_use.ready(poll, seconds)


def pause(seconds: float) -> None:
    """Do nothing for a while."""
    _in_use.pause(seconds)


def of_others(seconds: float) -> float:
    """How many seconds another process is given, which runs by the real wall's."""
    return _in_use.of_others(seconds)
