"""A log played again as an instrument: it answers what was read when it was taken."""

import copy
from pathlib import Path

import numpy as np

from tensimeter.bench.roles import LinkFailed
from tensimeter.store.logs import read_log

#: How near, as a share of the largest current, a row's current must be to what is set.
NEAR = 0.03


class Replay:
    """Load and voltmeter in one: setting a current goes on to the next row taken at about that current."""

    has_watchdog = True
    longest_s = 0.0
    #: A log is as real as what was read for it.
    simulated = False
    #: Nothing is loaded again while it is played.
    plays_back = True

    def __init__(self, path: Path, part: str) -> None:
        self.path, self.part = path, part
        log = read_log(path)
        self._volts, self._amps = log.need("volts", "amps")
        self._celsius = log.columns.get("temp")
        self._at = {"row": 0, "on": 0}
        self._most = max(float(np.abs(self._amps).max()), 1e-9)

    def reach_by_number(self) -> None:
        """A log has no host."""

    @property
    def age_s(self) -> float | None:
        return None

    def as_part(self, part: str) -> "Replay":
        """The same log, at the same row, in the role of another card of the stock."""
        other = copy.copy(self)
        other.part = part
        return other

    def identity(self) -> str:
        return f"replay of {self.path.name}, {len(self._volts)} rows"

    def close(self) -> None:
        """Nothing is open."""

    def reconnect(self) -> None:
        """Nothing can be lost."""

    def calm(self) -> None:
        """Nothing is waited for."""

    def break_off(self) -> None:
        """Nothing is waited for."""

    def can(self, command: str) -> bool:
        return command in ("set_amps", "read_volts", "read_amps", "read_celsius")

    def prepare(self) -> None:
        self._at["row"] = 0

    def arm_watchdog(self, seconds: float) -> None:
        """Nothing is loaded."""

    def use(self, mode: str) -> None:
        if mode != "constant_current":
            raise LinkFailed(f"{self.path.name} is a log; it has no {mode.replace('_', ' ')}.")

    def set_amps(self, amps: float) -> None:
        near = np.flatnonzero(np.abs(self._amps - amps) <= NEAR * self._most)
        later = near[near >= self._at["row"]]
        if not len(near):
            raise LinkFailed(f"{self.path.name} has no row at {amps:.3g} A.")
        self._at["row"] = int(later[0] if len(later) else near[-1])

    def set_ohms(self, ohms: float) -> None:
        raise LinkFailed(f"{self.path.name} is a log; no resistance can be set.")

    def set_watts(self, watts: float) -> None:
        raise LinkFailed(f"{self.path.name} is a log; no power can be set.")

    def switch(self, on: bool) -> None:
        self._at["on"] = int(on)

    def is_on(self) -> bool:
        return bool(self._at["on"])

    def errors(self) -> list[str]:
        return []

    def read_volts(self) -> float:
        return float(self._volts[self._at["row"]])

    def read_amps(self) -> float:
        return 0.0 if not self._at["on"] else float(self._amps[self._at["row"]])

    def read_all_celsius(self, channels: int) -> list[float]:
        return [self.read_celsius()]

    def read_celsius(self) -> float:
        if self._celsius is None:
            raise LinkFailed(f"{self.path.name} has no temperature.")
        return float(self._celsius[self._at["row"]])
