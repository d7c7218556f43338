"""Bench time: the wall's, or a faster one for simulated instruments."""

import threading

from tensimeter.bench import wall

#: The speed up to which a simulated bench's clock runs by the wall's.
FASTEST = 60.0
#: The longest that an exchange may take where no load draws while it is waited for, s of the wall's.
PATIENT_S = 20.0


class Clock:
    """Seconds that run `speed` times as fast as the wall's."""

    #: Whether time stands still while nobody waits.
    stepped = False

    def __init__(self, speed: float = 1.0) -> None:
        if not speed > 0:
            raise ValueError("speed must be above zero")
        self.speed = speed
        self._start = wall.now()

    def now(self) -> float:
        """Bench seconds since the clock was made."""
        return (wall.now() - self._start) * self.speed

    def wait(self, seconds: float, stop: threading.Event) -> bool:
        """Wait bench seconds, or until `stop`; whether it was stopped."""
        return wall.wait(stop, seconds / self.speed)


class SteppedClock(Clock):
    """Seconds that pass only while something waits: a simulated run goes as fast as it is worked out."""

    stepped = True

    def __init__(self) -> None:
        super().__init__(1.0)
        self._now = 0.0

    def now(self) -> float:
        return self._now

    def wait(self, seconds: float, stop: threading.Event) -> bool:
        self._now += max(seconds, 0.0)
        return stop.is_set()


def clock_at(speed: float) -> Clock:
    """The clock of a simulated bench; faster than any wall's, real seconds would pass for minutes of heat."""
    return SteppedClock() if speed > FASTEST else Clock(speed)
