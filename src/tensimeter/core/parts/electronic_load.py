"""An electronic load."""

from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.record import NotNegative, Positive


class ElectronicLoad(SetLoad):
    """A load that sinks a set current; `on_ohm` sets the lowest volts at which it still can."""

    shelf: ClassVar[str] = "Test loads"

    kind: Literal["load"] = "load"
    max_V: Annotated[Positive, Quantity("V", "max", "most volts it stands")]
    max_A: Annotated[Positive, Quantity("A", "max", "most amps it sinks")]
    max_W: Annotated[Positive, Quantity("W", "max", "most watts it sinks")]
    on_ohm: Annotated[
        NotNegative, Quantity("Ω", "on", "its resistance when fully on: it sets the lowest volts")
    ] = 0.03
    volts: Annotated[Accuracy, Quantity("", "volts", "volts, or how well it reads them")]
    amps: Annotated[Accuracy, Quantity("", "amps", "amps, or how well it reads them")]
    modes: Annotated[
        tuple[Literal["CC", "CR", "CP", "CV"], ...], Quantity("", "modes", "what it can hold constant")
    ] = ("CC",)
    watchdog: Annotated[bool, Quantity("", "watchdog", "it switches itself off when nobody speaks to it")] = (
        False
    )

    def summary(self) -> tuple[str, str]:
        guard = "has a watchdog" if self.watchdog else "no watchdog"
        return f"{self.max_V:g} V  {self.max_A:g} A  {self.max_W:g} W", f"{' '.join(self.modes)}, {guard}"

    def rated(self) -> tuple[float, float, float]:
        return self.max_V, self.max_A, self.max_W

    def accuracy_for(self, quantity: str, value: float) -> tuple[Accuracy, str] | None:
        if quantity not in ("V", "A"):
            return None
        return (self.volts if quantity == "V" else self.amps), quantity

    def accuracy_text(self) -> str:
        return f"V {self.volts.text()}, A {self.amps.text()}"
