"""What is fed at an output, and what draws a load that can not be set.

A kind takes a role or more and says what the role asks; one that leaves something out can't be made. Code
outside this package asks for a role, never for a kind.
"""

from abc import ABC, abstractmethod
from collections.abc import Callable

from msgspec import Struct


class Connected(Struct, frozen=True):
    """A device by its lowest and highest volts (None: not known), its first draw in A, its name."""

    name: str
    lowest_V: float | None = None
    highest_V: float | None = None
    inrush_A: float | None = None
    steep: bool = False


class Charging(Struct, frozen=True):
    """What a battery may be charged with: V at the end, A at most, °C between; and what forbids it."""

    volts: float
    most_A: float
    between_C: tuple[float, float]
    refused: str


class FedPart(ABC):
    """What may be fed at an output."""

    @abstractmethod
    def connected(self) -> Connected:
        """What it stands, and what it draws at first."""

    def charging(self) -> Charging | None:
        """What it may be charged with; None for what is not charged, and so feeds nothing back."""
        return None


class Draw(Struct, frozen=True):
    """A state of a load, and the amps that it draws in it at given volts."""

    state: str
    amps: Callable[[float], float]


def as_resistance(state: str, volts: float, amps: float) -> Draw:
    """A state that draws like a resistor which takes these amps at these volts."""
    return Draw(state, lambda v: amps * v / volts)


class PlainLoad(ABC):
    """A load that can't be set: it draws what it draws."""

    def draws(self) -> tuple[Draw, ...]:
        """What it draws in each of its states, over its volts."""
        return (Draw("as it runs", self.draw_A),)

    @abstractmethod
    def draw_A(self, volts: float) -> float:
        """Amps that it draws as it runs."""

    def as_resistor(self) -> tuple[float, float] | None:
        """Its Ω and the W that it stands, where it is a plain resistor."""
        return None

    @abstractmethod
    def unfit(self, volts: float) -> str:
        """What speaks against joining it at these volts; empty where nothing does."""
