"""What an instrument of any kind of link has in common: its profile, its figures, the talk with it."""

import threading
from collections import deque
from collections.abc import Callable
from typing import TypeVar

from tensimeter.bench.link import Said
from tensimeter.bench.profile import Profile
from tensimeter.bench.roles import LinkFailed
from tensimeter.core.arrays import Array

T = TypeVar("T")
#: How a simulated instrument begins what it says of itself.
SIMULATED = "Simulated,"
#: The longest text of an instrument that is kept or shown, characters; so many of its words are remembered.
MOST_SAID, REMEMBERED = 200, 400


class ProfiledInstrument:
    """An instrument that reads what its profile says; how it is asked is its link's affair."""

    plays_back = False

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self.resource, self.profile, self.part = resource, profile, part
        #: The longest that one exchange may take, s; a run sets it to what it can bear.
        self.longest_s = profile.timeout_s
        #: What was said last, both ways.
        self.talk: deque[Said] = deque(maxlen=REMEMBERED)
        #: How long ago what was read last began to be sent, s; None where it was asked for.
        self.age_s: float | None = None
        self._mutex = threading.Lock()
        self._known_as = b""
        self.reconnect()

    def reconnect(self) -> None:
        """Open its link anew; what was on its way is gone with the old one."""
        raise NotImplementedError

    def close(self) -> None:
        raise NotImplementedError

    def break_off(self) -> None:
        """End the exchange that is on; from any thread."""
        raise NotImplementedError

    def calm(self) -> None:
        """Speak again after a break."""
        raise NotImplementedError

    def read(self, command: str, channels: int = 1) -> list[float]:
        """The figures of a command's channels, infinite over range; LinkFailed where there are none."""
        raise NotImplementedError

    def say_raw(self, text: str) -> None:
        """Send one line; LinkFailed where it is not spoken to in lines."""
        raise LinkFailed(f"{self.part} is not spoken to in lines.")

    def ask_raw(self, text: str) -> str:
        """One answer to one line, and nothing else said beside it."""
        raise LinkFailed(f"{self.part} is not spoken to in lines.")

    def hear_out(self) -> None:
        """Let it say what it says to whoever calls; nothing where it is not spoken to in lines."""

    def ask_as_in_a_run(self, command: str) -> tuple[str, str]:
        """An answer as a run gets it, and by what it is known to be of its question; empty: by its kind."""
        return "", ""

    def fetch_raw(self) -> Array:
        """The record of an oscilloscope as it is sent: codes, or volts."""
        raise LinkFailed(f"{self.part} has no record.")

    def identity(self) -> str:
        """What it says of itself; empty where it is not asked."""
        return cleaned(self._known_as)

    @property
    def known_as(self) -> str:
        """What it said of itself when it was opened; nothing is asked."""
        return cleaned(self._known_as)

    @property
    def simulated(self) -> bool:
        """Whether it says of itself that it is simulated; an instrument that was not asked is a real one."""
        return self._known_as.startswith(SIMULATED.encode())

    @property
    def has_watchdog(self) -> bool:
        return "watchdog" in self.profile.commands

    def can(self, command: str) -> bool:
        return command in self.profile.commands

    def read_volts(self) -> float:
        return self.read("read_volts")[0]

    def read_amps(self) -> float:
        return self.read("read_amps")[0]

    def read_watts(self) -> float:
        return self.read("read_watts")[0]

    def read_celsius(self) -> float:
        return self.read("read_celsius")[0]

    def read_all_celsius(self, channels: int) -> list[float]:
        """°C of the first channels."""
        return self.read("read_celsius", channels)

    def figures_of(self, answer: str, told: Callable[[], T], what: str = "a number was") -> T:
        """What is told of an answer; LinkFailed where it tells nothing."""
        try:
            return told()
        except ValueError as error:
            raise LinkFailed(f"{self.part} answered “{cleaned(answer)[:40]}” where {what} asked.") from error


def cleaned(said: bytes | str) -> str:
    """What an instrument said, fit to be kept and shown: no control characters, no more than a line."""
    text = said.decode("ascii", "replace") if isinstance(said, bytes) else said
    return "".join(c if c.isprintable() else "?" for c in text.strip())[:MOST_SAID]
