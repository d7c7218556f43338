"""Records that a field of a card is made of, where one figure does not do."""

from typing import Annotated, Literal

from pydantic import Field

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.record import Efficiency, NotNegative, Positive, Record


class EfficiencyPoint(Record):
    """One claim or measurement: at these output volts and amps this share of the input comes out."""

    out_V: Positive
    out_A: Positive
    efficiency: Efficiency


class HotPoint(Record):
    """What a part may carry with its hot spot at a temperature."""

    hot_C: float
    amps: NotNegative


class FeedbackDivider(Record):
    """The divider that sets a converter: V = Vref·(1 + upper/lower), with what may be added to it."""

    reference_V: Positive = 1.25
    upper_ohm: Positive = 2200.0
    lower_ohm: Positive = 240.0
    pot_ohm: NotNegative = 0.0
    trip_V: Positive | None = None


class PulseControl(Record):
    """A set-point that a controller makes of filtered pulses."""

    supply_V: Positive = 3.3
    pulse_Hz: Positive = 1000.0
    bits: Annotated[int, Field(ge=1, le=24)] = 10
    filter_ohm: Positive = 10e3
    filter_F: Positive = 10e-6


class MeterRange(Record):
    """One range of a meter: the quantity it reads, its end, and its accuracy there."""

    quantity: Literal["V", "A", "ohm"]
    full_scale: Positive
    accuracy: Accuracy
