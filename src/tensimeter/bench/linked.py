"""What instruments on a link of bytes have in common, whether they speak in lines or in frames."""

import os
from collections.abc import Callable
from typing import TypeVar

from tensimeter.bench import wall
from tensimeter.bench.cuts import by_number
from tensimeter.bench.link import BrokenOff, Link, Serial
from tensimeter.bench.profile import Profile
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.serial_port import hold_port

T = TypeVar("T")
#: How much later than an answer what comes of itself may be, s: one a second is never quite on time.
GRACE_S = 0.12


class LinkedInstrument(ProfiledInstrument):
    """An instrument on a `Link`, which is opened anew after an exchange that was left half-way."""

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self.link: Link | None = None
        #: Where its host was found before a run; a name is looked up no more while a load is on.
        self.reached_at = ""
        #: Holds its serial port from the first opening to the end: no opening anew is refused for another's.
        self._port: int | None = None
        super().__init__(resource, profile, part)

    def reconnect(self) -> None:
        self._close_link()
        p, first = self.profile, self._port is None
        serial = Serial(p.baud, p.data_bits, p.parity, p.stop_bits, p.flow)
        if first:
            self._port = hold_port(self.resource)
        try:
            self.link = Link(self.reached_at or self.resource, p.termination, p.timeout_s, serial, self.talk)
        except LinkFailed:
            if first:
                self._let_port_go()
            raise

    def reach_by_number(self) -> None:
        """Look its host up now, for every opening anew; UserError where it has no address."""
        self.reached_at = by_number(self.resource)

    def _close_link(self) -> None:
        if self.link is not None:
            self.link.close()
            self.link = None

    def close(self) -> None:
        self._close_link()
        self._let_port_go()

    def _let_port_go(self) -> None:
        if self._port is not None:
            os.close(self._port)
            self._port = None

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
