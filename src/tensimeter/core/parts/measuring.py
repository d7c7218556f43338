"""What a supply is loaded and measured with."""

from typing import Literal

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.record import Count, Fraction, NotNegative, PartRecord, Positive, Record


class ElectronicLoad(PartRecord):
    """A load that sinks a set current; `on_ohm` sets the lowest volts at which it still can."""

    kind: Literal["load"] = "load"
    max_V: Positive
    max_A: Positive
    max_W: Positive
    on_ohm: NotNegative = 0.03
    volts: Accuracy
    amps: Accuracy
    modes: tuple[Literal["CC", "CR", "CP", "CV"], ...] = ("CC",)
    watchdog: bool = False


class Resistor(PartRecord):
    """A power resistor as a load."""

    kind: Literal["resistor"] = "resistor"
    resistance_ohm: Positive
    rated_W: Positive


class Lamp(PartRecord):
    """A filament lamp; cold it draws `cold_factor` times its current (a rule of thumb)."""

    kind: Literal["lamp"] = "lamp"
    rated_V: Positive
    rated_W: Positive
    cold_factor: Positive = 10.0


class Motor(PartRecord):
    """A motor; stalled or starting it draws `start_factor` times its current (a rule of thumb)."""

    kind: Literal["motor"] = "motor"
    rated_V: Positive
    rated_A: Positive
    start_factor: Positive = 6.0


class Device(PartRecord):
    """A device by its draw: amps, the volts it stands, what it draws at first.

    A `steep` one (an LED string) draws far more for a little more voltage.
    """

    kind: Literal["device"] = "device"
    draws_A: Positive
    lowest_V: NotNegative | None = None
    highest_V: Positive | None = None
    inrush_A: Positive | None = None
    steep: bool = False


class MeterRange(Record):
    """One range of a meter: the quantity it reads, its end, and its accuracy there."""

    quantity: Literal["V", "A", "ohm"]
    full_scale: Positive
    accuracy: Accuracy


class Multimeter(PartRecord):
    """A meter by its ranges."""

    kind: Literal["meter"] = "meter"
    ranges: tuple[MeterRange, ...]

    def range_for(self, quantity: str, value: float) -> MeterRange | None:
        """The finest range that can show the value, or None."""
        fitting = [r for r in self.ranges if r.quantity == quantity and abs(value) <= r.full_scale]
        return min(fitting, key=lambda r: r.full_scale, default=None)


class Thermometer(PartRecord):
    """Reads temperatures in °C to ± `accuracy_K`, one a channel; a probe follows with `lag_s`."""

    kind: Literal["thermometer"] = "thermometer"
    accuracy_K: Positive = 1.0
    resolution_K: Positive = 0.1
    channels: Count = 1
    lag_s: NotNegative = 0.0


class Oscilloscope(PartRecord):
    """An oscilloscope: bandwidth, samples a second and kept, its digitiser's step on the finest range."""

    kind: Literal["oscilloscope"] = "oscilloscope"
    bandwidth_Hz: Positive = 20e6
    sample_Hz: Positive = 100e6
    samples: Positive = 10_000
    step_V: Positive = 0.001
    #: Error of its gain as a share; 3 % is a rule of thumb for a small one.
    gain_share: Fraction = 0.03
    earthed: bool = True


class Clamp(PartRecord):
    """A clamp for current."""

    kind: Literal["clamp"] = "clamp"
    most_A: Positive
    amps: Accuracy


class LineSource(PartRecord):
    """A source of adjustable line voltage, such as a variable transformer; some read the watts they give."""

    kind: Literal["line-source"] = "line-source"
    most_V: Positive = 260.0
    most_W: Positive = 500.0
    isolates: bool = False
    watts: Accuracy | None = None
