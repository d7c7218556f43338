"""What is fed and draws what it draws: resistors, lamps, motors, devices."""

import math
from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.parts.fed_part import Connected, Draw, FedPart, PlainLoad, as_resistance
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.quantity import show
from tensimeter.core.record import NotNegative, Positive

#: Where a load is chosen that is no link of a path.
AT_OUTPUT = "is chosen at the output that feeds it"


class Resistor(PartRecord, FedPart, PlainLoad):
    """A power resistor as a load."""

    shelf: ClassVar[str] = "Test loads"
    elsewhere: ClassVar[str] = AT_OUTPUT

    kind: Literal["resistor"] = "resistor"
    resistance_ohm: Annotated[Positive, Quantity("Ω", "resistance", "its resistance")]
    rated_W: Annotated[Positive, Quantity("W", "rated", "watts on its label, for good")]

    def summary(self) -> tuple[str, str]:
        return f"{show(self.resistance_ohm, 'ohm')}  {self.rated_W:g} W", "follows the volts"

    def rated(self) -> None:
        return None

    def connected(self) -> Connected:
        return Connected(self.name, None, math.sqrt(self.rated_W * self.resistance_ohm))

    def as_resistor(self) -> tuple[float, float]:
        return self.resistance_ohm, self.rated_W

    def draw_A(self, volts: float) -> float:
        return volts / self.resistance_ohm

    def unfit(self, volts: float) -> str:
        watts = volts * self.draw_A(volts)
        if watts > self.rated_W:
            return f"would take {show(watts, 'W')} of its {show(self.rated_W, 'W')}: for seconds only."
        return ""


class Lamp(PartRecord, FedPart, PlainLoad):
    """A filament lamp; cold it draws `cold_factor` times its current (a rule of thumb)."""

    shelf: ClassVar[str] = "What is fed"
    elsewhere: ClassVar[str] = AT_OUTPUT

    kind: Literal["lamp"] = "lamp"
    rated_V: Annotated[Positive, Quantity("V", "rated", "volts it is made for")]
    rated_W: Annotated[Positive, Quantity("W", "rated", "watts on its label, for good")]
    cold_factor: Annotated[
        Positive, Quantity("", "cold factor", "times its amps that it draws cold; a rule of thumb")
    ] = 10.0

    def summary(self) -> tuple[str, str]:
        amps = show(self.rated_W / self.rated_V, "A")
        return f"{self.rated_V:g} V  {self.rated_W:g} W", f"cold {self.cold_factor:g} times its {amps}"

    def rated(self) -> None:
        return None

    def connected(self) -> Connected:
        amps = self.rated_W / self.rated_V
        return Connected(self.name, None, self.rated_V * 1.1, amps * self.cold_factor)

    def draws(self) -> tuple[Draw, ...]:
        cold = self.cold_factor * self.rated_W / self.rated_V
        return (Draw("lit", lambda v: self.draw_A(max(v, 0.0))), as_resistance("cold", self.rated_V, cold))

    def draw_A(self, volts: float) -> float:
        # A filament's current goes with the root of its volts, near enough (rule of thumb).
        return self.rated_W / self.rated_V * math.sqrt(volts / self.rated_V)

    def unfit(self, volts: float) -> str:
        return ""


class Motor(PartRecord, FedPart, PlainLoad):
    """A motor; stalled or starting it draws `start_factor` times its current (a rule of thumb)."""

    shelf: ClassVar[str] = "What is fed"
    elsewhere: ClassVar[str] = AT_OUTPUT

    kind: Literal["motor"] = "motor"
    rated_V: Annotated[Positive, Quantity("V", "rated", "volts it is made for")]
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    start_factor: Annotated[
        Positive, Quantity("", "start factor", "times its amps that it draws as it starts; a rule of thumb")
    ] = 6.0

    def summary(self) -> tuple[str, str]:
        return f"{self.rated_V:g} V  {self.rated_A:g} A", f"starts at {self.start_factor:g} times that"

    def rated(self) -> None:
        return None

    def connected(self) -> Connected:
        return Connected(self.name, None, self.rated_V * 1.2, self.rated_A * self.start_factor)

    def draws(self) -> tuple[Draw, ...]:
        stalled = self.start_factor * self.rated_A
        return (
            # Without its work a small motor takes about a third (rule of thumb).
            Draw("idle", lambda v: self.rated_A / 3),
            Draw("running", lambda v: self.rated_A),
            as_resistance("stalled or starting", self.rated_V, stalled),
        )

    def draw_A(self, volts: float) -> float:
        return self.rated_A

    def unfit(self, volts: float) -> str:
        return ""


class Device(PartRecord, FedPart, PlainLoad):
    """A device by its draw: amps, the volts it stands, what it draws at first.

    A `steep` one (an LED string) draws far more for a little more voltage.
    """

    shelf: ClassVar[str] = "What is fed"
    elsewhere: ClassVar[str] = AT_OUTPUT

    kind: Literal["device"] = "device"
    draws_A: Annotated[Positive, Quantity("A", "draws", "what it draws")]
    lowest_V: Annotated[NotNegative | None, Quantity("V", "lowest", "least volts that it works at")] = None
    highest_V: Annotated[Positive | None, Quantity("V", "highest", "most volts that it stands")] = None
    inrush_A: Annotated[Positive | None, Quantity("A", "inrush", "amps that it draws at first")] = None
    steep: Annotated[bool, Quantity("", "steep", "it draws far more for a little more voltage")] = False
    #: Where it was read: straight between two of them, on with the last slope.
    pairs: Annotated[
        tuple[tuple[NotNegative, NotNegative], ...],
        Quantity("V, A", "volts and amps", "as read: 9=0.1 10=0.4 11=1.2"),
    ] = ()

    def draws(self) -> tuple[Draw, ...]:
        if len(self.pairs) > 1:
            volts, amps = zip(*sorted(self.pairs), strict=True)
            return (Draw("as read", lambda v: _on_from(v, volts, amps)),)
        if self.steep and self.highest_V:
            # A string of LEDs: e-fold for every 3 % of its volts (rule of thumb).
            middle = ((self.lowest_V or self.highest_V) + self.highest_V) / 2
            return (Draw("lit", lambda v: self.draws_A * math.exp(min((v / middle - 1) / 0.03, 40.0))),)
        return (Draw("as it runs", lambda v: self.draws_A),)

    def summary(self) -> tuple[str, str]:
        low = "?" if self.lowest_V is None else f"{self.lowest_V:g}"
        high = "?" if self.highest_V is None else f"{self.highest_V:g}"
        return f"draws {self.draws_A:g} A", f"stands {low}–{high} V" + (", steep" if self.steep else "")

    def rated(self) -> None:
        return None

    def connected(self) -> Connected:
        return Connected(self.name, self.lowest_V, self.highest_V, self.inrush_A, self.steep)

    def draw_A(self, volts: float) -> float:
        return self.draws_A

    def unfit(self, volts: float) -> str:
        if not (self.lowest_V or 0.0) <= volts <= (self.highest_V or math.inf):
            return f"does not stand {show(volts, 'V')}."
        return ""


def _on_from(at: float, volts: tuple[float, ...], amps: tuple[float, ...]) -> float:
    """Amps at given volts by pairs that were read; beyond the last on with its slope, never below nothing."""
    k = min(max(sum(v <= at for v in volts), 1), len(volts) - 1)
    slope = (amps[k] - amps[k - 1]) / max(volts[k] - volts[k - 1], 1e-9)
    return max(amps[k - 1] + slope * (at - volts[k - 1]), 0.0)
