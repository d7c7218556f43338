"""What a supply is measured with: meters, thermometers, recorders of waveforms, line sources."""

import math
from functools import lru_cache
from typing import Annotated, ClassVar, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.figures import MeterRange
from tensimeter.core.parts.instrument_part import (
    CurrentClamp,
    LineFeeder,
    TemperatureMeter,
    VoltMeter,
    WaveformRecorder,
)
from tensimeter.core.quantity import show
from tensimeter.core.record import Count, Fraction, NotNegative, Positive


class Multimeter(VoltMeter):
    """A meter by its ranges."""

    shelf: ClassVar[str] = "Instruments"
    lists: ClassVar[dict[str, str]] = {"ranges": "range"}

    kind: Literal["meter"] = "meter"
    ranges: Annotated[tuple[MeterRange, ...], Quantity("", "ranges", "its ranges, each with its accuracy")]

    def range_for(self, quantity: str, value: float) -> MeterRange | None:
        """The finest range that can show the value, or None."""
        fitting = [r for r in self.ranges if r.quantity == quantity and abs(value) <= r.full_scale]
        return min(fitting, key=lambda r: r.full_scale, default=None)

    def summary(self) -> tuple[str, str]:
        volts = [r for r in self.ranges if r.quantity == "V"]
        if not volts:
            return "no range for volts", ""
        return "volts " + ", ".join(f"{r.full_scale:g}" for r in volts), volts[0].accuracy.text()

    def rated(self) -> None:
        return None

    def accuracy_for(self, quantity: str, value: float) -> tuple[Accuracy, str] | None:
        found = self.range_for(quantity, value) if math.isfinite(value) else None
        return (found.accuracy, f"{found.full_scale:g} {quantity}") if found else None

    def accuracy_text(self) -> str:
        return "; ".join(f"{show(r.full_scale, r.quantity)} range {r.accuracy.text()}" for r in self.ranges)


@lru_cache(maxsize=64)
def _accuracy_K(accuracy_K: float, resolution_K: float) -> Accuracy:
    return Accuracy(of_reading=0, counts=accuracy_K / resolution_K, resolution=resolution_K)


class Thermometer(TemperatureMeter):
    """Reads temperatures in °C to ± `accuracy_K`, one a channel; a probe follows with `lag_s`."""

    shelf: ClassVar[str] = "Instruments"

    kind: Literal["thermometer"] = "thermometer"
    accuracy_K: Annotated[Positive, Quantity("K", "accuracy", "how far a temperature may be off")] = 1.0
    resolution_K: Annotated[Positive, Quantity("K", "resolution", "the smallest step it shows")] = 0.1
    channels: Annotated[Count, Quantity("", "channels", "probes at once")] = 1
    lag_s: Annotated[
        NotNegative, Quantity("s", "its probe's time constant", "how slowly its probe follows")
    ] = 0.0

    def summary(self) -> tuple[str, str]:
        return f"± {self.accuracy_K:g} K", f"shows {self.resolution_K:g} K"

    def rated(self) -> None:
        return None

    def accuracy_for(self, quantity: str, value: float) -> tuple[Accuracy, str] | None:
        return (_accuracy_K(self.accuracy_K, self.resolution_K), "") if quantity == "C" else None

    def accuracy_text(self) -> str:
        return f"± {self.accuracy_K:g} K"


class Oscilloscope(WaveformRecorder):
    """An oscilloscope: bandwidth, samples a second and kept, its digitiser's step on the finest range."""

    shelf: ClassVar[str] = "Instruments"

    kind: Literal["oscilloscope"] = "oscilloscope"
    bandwidth_Hz: Annotated[Positive, Quantity("Hz", "bandwidth", "fastest that it follows")] = 20e6
    sample_Hz: Annotated[Positive, Quantity("Hz", "sample", "samples a second")] = 100e6
    samples: Annotated[Positive, Quantity("", "samples", "samples it keeps")] = 10_000
    step_V: Annotated[Positive, Quantity("V", "step", "its digitiser’s step on the finest range")] = 0.001
    #: Error of its gain as a share; 3 % is a rule of thumb for a small one.
    gain_share: Annotated[
        Fraction, Quantity("", "gain share", "error of its gain; 3 % is a rule of thumb")
    ] = 0.03
    earthed: Annotated[
        bool, Quantity("", "negative joined to earth", "joined to earth: a clip, or a negative")
    ] = True

    def summary(self) -> tuple[str, str]:
        rates = f"{show(self.bandwidth_Hz, 'Hz')}  {show(self.sample_Hz, '')}/s"
        return rates, "clip is earthed" if self.earthed else "floats"

    def rated(self) -> None:
        return None

    def accuracy_for(self, quantity: str, value: float) -> tuple[Accuracy, str] | None:
        return None

    def accuracy_text(self) -> str:
        return f"gain ± {100 * self.gain_share:g} %, step {show(self.step_V, 'V')}"


class Clamp(CurrentClamp):
    """A clamp for current."""

    shelf: ClassVar[str] = "Instruments"

    kind: Literal["clamp"] = "clamp"
    most_A: Annotated[Positive, Quantity("A", "most", "most amps")]
    amps: Annotated[Accuracy, Quantity("", "amps", "amps, or how well it reads them")]

    def summary(self) -> tuple[str, str]:
        return f"to {self.most_A:g} A", self.amps.text()

    def rated(self) -> None:
        return None

    def accuracy_for(self, quantity: str, value: float) -> tuple[Accuracy, str] | None:
        return (self.amps, quantity) if quantity == "A" else None

    def accuracy_text(self) -> str:
        return f"A {self.amps.text()}"


class LineSource(LineFeeder):
    """A source of adjustable line voltage, such as a variable transformer; some read the watts they give."""

    shelf: ClassVar[str] = "Instruments"

    kind: Literal["line-source"] = "line-source"
    most_V: Annotated[Positive, Quantity("V", "most", "most volts")] = 260.0
    most_W: Annotated[Positive, Quantity("W", "most", "most watts")] = 500.0
    isolates: Annotated[bool, Quantity("", "isolates", "its output is apart from the mains")] = False
    watts: Annotated[Accuracy | None, Quantity("", "watts", "watts, or how well it reads them")] = None

    def summary(self) -> tuple[str, str]:
        return f"to {self.most_V:g} V", f"{self.most_W:g} W"

    def rated(self) -> None:
        return None

    def accuracy_for(self, quantity: str, value: float) -> tuple[Accuracy, str] | None:
        return (self.watts, quantity) if quantity == "W" and self.watts is not None else None

    def accuracy_text(self) -> str:
        return f"W {self.watts.text()}" if self.watts is not None else ""
