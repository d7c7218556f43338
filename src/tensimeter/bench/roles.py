"""Instruments by what they do, not by what they are called."""

from typing import Protocol


class Instrument(Protocol):
    """Anything on the bench. `part` is the id of its card in the stock."""

    part: str

    def identity(self) -> str: ...

    def close(self) -> None: ...


class ReadsVoltage(Instrument, Protocol):
    def read_volts(self) -> float:
        """Volts; infinite when over range."""
        ...


class ReadsCurrent(Instrument, Protocol):
    def read_amps(self) -> float: ...


class ReadsTemperature(Instrument, Protocol):
    def read_celsius(self) -> float: ...


class SinksCurrent(ReadsVoltage, ReadsCurrent, Protocol):
    """A load in constant current."""

    @property
    def has_watchdog(self) -> bool:
        """Whether it drops the load by itself when nobody speaks to it."""
        ...

    def arm_watchdog(self, seconds: float) -> None: ...

    def set_amps(self, amps: float) -> None: ...

    def switch(self, on: bool) -> None: ...

    def is_on(self) -> bool: ...

    def errors(self) -> list[str]:
        """What it complains of, emptied by asking."""
        ...

    def reconnect(self) -> None:
        """Open its link anew after it failed."""
        ...

    def break_off(self) -> None:
        """End the exchange that is on; from any thread."""
        ...

    def calm(self) -> None:
        """Speak again after a break."""
        ...


class LinkFailed(Exception):
    """An instrument did not answer, or not with what was asked for; the message says which."""
