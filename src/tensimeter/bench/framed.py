"""An instrument that sends frames of bytes: the handheld meter with an optical or a serial port."""

import time

from tensimeter.bench.frame import bytes_of
from tensimeter.bench.link import BrokenOff, Link, Serial
from tensimeter.bench.profile import Profile
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.roles import LinkFailed

#: How much later than an answer a frame that comes of itself may be, s: one a second is never quite on time.
_GRACE_S = 0.12


class FramedInstrument(ProfiledInstrument):
    """What counts is the first whole frame that begins after it was asked for, by a question or in mind."""

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self._link: Link | None = None
        super().__init__(resource, profile, part)

    def reconnect(self) -> None:
        self.close()
        p = self.profile
        serial = Serial(p.baud, p.data_bits, p.parity, p.stop_bits, p.flow)
        self._link = Link(self.resource, p.termination, p.timeout_s, serial, self.talk)

    def close(self) -> None:
        if self._link is not None:
            self._link.close()
            self._link = None

    def break_off(self) -> None:
        link = self._link
        if link is not None:
            link.break_off()

    def calm(self) -> None:
        if self._link is None or self._link.torn:
            self.reconnect()
        else:
            self._link.calm()

    def read(self, command: str, channels: int = 1) -> list[float]:
        frame = self.profile.frame
        if frame is None or command not in frame.values:
            raise LinkFailed(f"{self.part} has no {command.replace('_', ' ')} in its profile.")
        with self._mutex:
            data = self._frame(bytes_of(frame.ask.get(command, "")))
        try:
            return [frame.values[command].read(data)]
        except ValueError as error:
            raise LinkFailed(f"{self.part}: {error}.") from error

    def _frame(self, asked: bytes) -> bytes:
        if self._link is None or self.profile.frame is None:
            raise LinkFailed(f"{self.part} is not connected.")
        link, deadline = self._link, time.monotonic() + self.longest_s
        try:
            link.drain()
            if asked:
                link.send(asked, deadline)
            found = link.frame(self.profile.frame.first_in, self.profile.frame.length, deadline + _GRACE_S)
        except BrokenOff:
            raise
        except LinkFailed as failed:
            link.torn = True
            raise LinkFailed(f"{self.part}: {failed}") from failed
        self.age_s = None if asked else time.monotonic() - link.began_at
        return found
