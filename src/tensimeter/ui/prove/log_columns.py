"""What the columns of a log may be taken for, by what the test in hand reads: its load, or its heat."""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from pathlib import Path
from typing import ClassVar

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.store.columns import header_of
from tensimeter.store.logs import Log, TemperatureLog, place_in, read_log, read_temperatures, unclear_in
from tensimeter.ui.parts.words import tr

AnyLog = Log | TemperatureLog


class Taken(Struct, frozen=True):
    """One thing that a column may be taken for: its key, its words, how it scales, its unit."""

    key: str
    words: str
    quantity: str
    unit: str


NOTHING = Taken("", "–", "", "")
TIME, VOLTS, AMPS = (
    Taken("time", "time", "time", "s"),
    Taken("volts", "volts", "volts", "V"),
    Taken("amps", "amps", "amps", "A"),
)


class LogColumns(ABC):
    """What is asked of a log: its choices, what each column looks like, how it is read by them."""

    #: What stands beside the plot.
    across: ClassVar[str]
    upwards: ClassVar[str]

    @abstractmethod
    def lacks(self) -> str:
        """What is said while too little was chosen."""

    @abstractmethod
    def choices(self, head: str) -> list[Taken]:
        """What a column with this header may be taken for."""

    @abstractmethod
    def guess(self, head: str, headers: tuple[str, ...]) -> str:
        """The key of what it looks like; empty where only whoever took the log knows."""

    @abstractmethod
    def read(self, path: Path, mapping: Mapping[str, str]) -> AnyLog:
        """The log by what was chosen; UserError where it can't be read so."""

    @abstractmethod
    def drawn(self, log: AnyLog) -> tuple[Array, dict[str, Array]]:
        """What is plotted of it: across, and each column by name; no columns where it is not enough."""


class LoadColumns(LogColumns):
    """Volts and amps, at what was set."""

    across, upwards = "time, s", "volts, amps"

    def lacks(self) -> str:
        return tr("Say which column holds volts, and which amps.")

    def choices(self, head: str) -> list[Taken]:
        return [NOTHING, TIME, VOLTS, AMPS, Taken("set", "set", "set", "A")]

    def guess(self, head: str, headers: tuple[str, ...]) -> str:
        found = _quantity(head)
        return "" if found in unclear_in(headers) else found

    def read(self, path: Path, mapping: Mapping[str, str]) -> Log:
        return read_log(path, dict(mapping))

    def drawn(self, log: AnyLog) -> tuple[Array, dict[str, Array]]:
        assert isinstance(log, Log)
        across = log.columns.get("time", np.arange(float(len(log))))
        return across, {q: log.columns[q] for q in ("volts", "amps") if q in log.columns}


class HeatColumns(LogColumns):
    """Temperatures over time, each at a place; `places` are those that are known, by id, with their names."""

    across, upwards = "time, s", "°C"

    def lacks(self) -> str:
        return tr("Say which column holds times, and at which place each temperature was read.")

    def __init__(self, places: Mapping[str, str], watched: str) -> None:
        self.places, self.watched = dict(places), watched

    def choices(self, head: str) -> list[Taken]:
        own = _place(head)
        found = [Taken(place, f"°C at {name}", "temp", "°C") for place, name in self.places.items()]
        if own and own != "temperature" and own not in self.places:
            found.append(Taken(own, f"°C at {own}, a new place", "temp", "°C"))
        return [NOTHING, TIME, *found, VOLTS, AMPS]

    def guess(self, head: str, headers: tuple[str, ...]) -> str:
        own = _place(head)
        if own is not None:
            return self.watched if own == "temperature" else own if own in self.places else ""
        return _quantity(head)

    def read(self, path: Path, mapping: Mapping[str, str]) -> TemperatureLog:
        return read_temperatures(path, named=dict(mapping), others=False)

    def drawn(self, log: AnyLog) -> tuple[Array, dict[str, Array]]:
        assert isinstance(log, TemperatureLog)
        return log.time_s, {self.places.get(p, p): values for p, values in log.celsius.items()}


def _place(head: str) -> str | None:
    try:
        return place_in(head)
    except UserError:
        return None


def _quantity(head: str) -> str:
    try:
        found = header_of(head)
    except UserError:
        return ""
    return found.quantity if found is not None and found.quantity != "temp" else ""
