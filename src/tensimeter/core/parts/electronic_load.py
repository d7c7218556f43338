"""An electronic load."""

from typing import ClassVar, Literal

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.record import NotNegative, Positive


class ElectronicLoad(SetLoad):
    """A load that sinks a set current; `on_ohm` sets the lowest volts at which it still can."""

    shelf: ClassVar[str] = "Test loads"

    kind: Literal["load"] = "load"
    max_V: Positive
    max_A: Positive
    max_W: Positive
    on_ohm: NotNegative = 0.03
    volts: Accuracy
    amps: Accuracy
    modes: tuple[Literal["CC", "CR", "CP", "CV"], ...] = ("CC",)
    watchdog: bool = False

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
