"""An instrument that sends frames of bytes: the handheld meter with an optical or a serial port."""

from tensimeter.bench import wall
from tensimeter.bench.frame import Frame, bytes_of
from tensimeter.bench.linked import GRACE_S, LinkedInstrument
from tensimeter.bench.roles import LinkFailed


class FramedInstrument(LinkedInstrument):
    """What counts is the first whole frame that begins after it was asked for, by a question or in mind."""

    def read(self, command: str, channels: int = 1) -> list[float]:
        frame = self.profile.frame
        if frame is None or command not in frame.values:
            raise LinkFailed(f"{self.part} has no {command.replace('_', ' ')} in its profile.")
        with self._mutex:
            data = self._next(frame, bytes_of(frame.ask.get(command, "")))
        try:
            return [frame.values[command].read(data)]
        except ValueError as error:
            raise LinkFailed(f"{self.part}: {error}.") from error

    def _next(self, frame: Frame, asked: bytes) -> bytes:
        link, deadline = self._ready()

        def exchange() -> bytes:
            link.drain()
            if asked:
                link.send(asked, deadline)
            return link.frame(frame.first_in, frame.length, deadline + GRACE_S)

        found = self._guarded(exchange)
        self.age_s = None if asked else wall.now() - link.began_at
        return found
