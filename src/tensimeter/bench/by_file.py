"""An instrument that is read from a file: a 1-wire thermometer as the kernel shows it."""

import glob
import threading
from pathlib import Path

from tensimeter.bench import wall
from tensimeter.bench.link import BrokenOff, Said
from tensimeter.bench.profile import MOST_LOOKED, Profile, figures, text_of
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.roles import LinkFailed

PREFIX = "file:"
_LOOK_S = 0.02


class FileInstrument(ProfiledInstrument):
    """Each file that the pattern of its resource finds is a channel, in the order of their names.

    Reading one makes the kernel ask the sensor, which takes a while: it is done beside, and not waited for
    longer than an answer may take.
    """

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self._broken = threading.Event()
        self._paths: list[Path] = []
        #: What asks the kernel; one that it never answers stays, and none is put beside it.
        self._reading: threading.Thread | None = None
        super().__init__(resource, profile, part)

    def reconnect(self) -> None:
        self._paths = [Path(p) for p in sorted(glob.glob(self.resource.removeprefix(PREFIX)))]
        if not self._paths:
            raise LinkFailed(f"{self.resource} can't be reached: no such file.")
        # Which sensors they are: the kernel names a folder by the sensor's own number.
        self._known_as = ",".join(
            p.parent.name if p.name == "w1_slave" else p.name for p in self._paths
        ).encode()

    def close(self) -> None:
        """Nothing is held open."""

    def break_off(self) -> None:
        self._broken.set()

    def calm(self) -> None:
        self._broken.clear()

    def read(self, command: str, channels: int = 1) -> list[float]:
        if command not in self.profile.told_by_itself():
            raise LinkFailed(f"{self.part} has no {command.replace('_', ' ')} in its profile.")
        if channels > len(self._paths):
            raise LinkFailed(f"{self.part} has {len(self._paths)} files where {channels} are asked.")
        told: list[bytes] = []
        deadline = wall.now() + self.longest_s
        if not self._over(deadline):
            raise LinkFailed(f"{self.part}: what was asked before is still without an answer.")
        self._reading = threading.Thread(target=self._take, args=(self._paths[:channels], told), daemon=True)
        self._reading.start()
        self._over(deadline)
        if len(told) < channels:
            raise LinkFailed(f"{self.part}: no answer in time.")
        return [self._figure(command, data) for data in told]

    def _over(self, deadline: float) -> bool:
        """Whether nothing is asked of the kernel any more, waited for until a deadline."""
        while self._reading is not None and self._reading.is_alive():
            if wall.now() >= deadline:
                return False
            self._reading.join(_LOOK_S)
            if self._broken.is_set():
                raise BrokenOff("the exchange was broken off.")
        return True

    def _take(self, paths: list[Path], told: list[bytes]) -> None:
        for path in paths:
            try:
                with path.open("rb") as file:
                    data = file.read(MOST_LOOKED)
            except OSError as error:
                data = str(error.strerror).encode()
            self.talk.append(Said(False, data))
            told.append(data)

    def _figure(self, command: str, data: bytes) -> float:
        answer = text_of(data)
        return self.figures_of(answer, lambda: figures(self.profile, command, answer, 1))[0]
