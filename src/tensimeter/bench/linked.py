"""What instruments on a link of bytes have in common, whether they speak in lines or in frames."""

from collections.abc import Callable
from typing import TypeVar

from tensimeter.bench import wall
from tensimeter.bench.link import BrokenOff, Link, Serial
from tensimeter.bench.profile import Profile
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.roles import LinkFailed

T = TypeVar("T")
#: How much later than an answer what comes of itself may be, s: one a second is never quite on time.
GRACE_S = 0.12


class LinkedInstrument(ProfiledInstrument):
    """An instrument on a `Link`, which is opened anew after an exchange that was left half-way."""

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self.link: Link | None = None
        super().__init__(resource, profile, part)

    def reconnect(self) -> None:
        self.close()
        p = self.profile
        serial = Serial(p.baud, p.data_bits, p.parity, p.stop_bits, p.flow)
        self.link = Link(self.resource, p.termination, p.timeout_s, serial, self.talk)

    def close(self) -> None:
        if self.link is not None:
            self.link.close()
            self.link = None

    def break_off(self) -> None:
        link = self.link
        if link is not None:
            link.break_off()

    def calm(self) -> None:
        """Speak again after a break; a link that was left half-way is opened anew."""
        if self.link is None or self.link.torn:
            self.reconnect()
        else:
            self.link.calm()

    def _ready(self) -> tuple[Link, float]:
        """Its link, and until when an exchange that begins now may go on."""
        if self.link is None:
            raise LinkFailed(f"{self.part} is not connected.")
        return self.link, wall.now() + self.longest_s

    def _guarded(self, action: Callable[[], T]) -> T:
        """What an exchange gives; where it fails its link is torn, and the instrument is named."""
        try:
            return action()
        except BrokenOff:
            raise
        except LinkFailed as failed:
            if self.link is not None:
                self.link.torn = True
            raise LinkFailed(f"{self.part}: {failed}") from failed
