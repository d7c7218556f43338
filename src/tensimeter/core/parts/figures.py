"""Records that a field of a card is made of, where one figure does not do."""

from typing import Annotated, Literal

from pydantic import Field

from tensimeter.core.described import Quantity
from tensimeter.core.electrical.feedback import Divider, Shift, adjusted, shift
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.record import Efficiency, NotNegative, Positive, Record

KeptQuantity = Literal["V", "A", "C", "W", "ohm"]


class MeterCheckRecord(Record):
    """What a comparison of a meter has shown: true = gain·shown + offset, from `low` to `high`.

    `of_reading` and `rest` bound what is left then, 95 %: a share of the reading, and the same everywhere.
    Times in s since 1970; readings taken before it was checked are put right only where that is wished.
    """

    quantity: Annotated[KeptQuantity, Quantity("", "quantity", "what it reads, or is set to")]
    gain: Annotated[Positive, Quantity("", "gain", "what a shown value is multiplied by")]
    offset: Annotated[float, Quantity("", "offset", "what is added then, in the unit of the reading")]
    of_reading: Annotated[NotNegative, Quantity("", "left, of reading", "share of the reading left open")]
    rest: Annotated[NotNegative, Quantity("", "left, besides", "what is left open besides, everywhere")]
    low: Annotated[float, Quantity("", "from", "lowest value that was compared")]
    high: Annotated[float, Quantity("", "to", "highest value that was compared")]
    at: Annotated[float, Quantity("s", "checked", "when it was compared, since 1970")]
    until: Annotated[float | None, Quantity("s", "good until", "when it is to be compared again")] = None
    room_C: Annotated[float | None, Quantity("°C", "room", "temperature of the room then")] = None
    reference: Annotated[str, Quantity("", "reference", "beside what it was read")] = ""
    earlier_too: Annotated[
        bool, Quantity("", "earlier readings too", "readings from before are put right by it as well")
    ] = False
    setting: Annotated[bool, Quantity("", "of its setting", "it tells of what is set, and of no reading")] = (
        False
    )

    def covers(self, quantity: str, value: float, at: float) -> bool:
        """Whether it says anything of a reading: its quantity, within its range and a tenth more, in time.

        What is known of a setting says nothing of what is read.
        """
        if self.setting:
            return False
        room = 0.1 * (self.high - self.low)
        in_range = quantity == self.quantity and self.low - room <= value <= self.high + room
        in_time = (self.earlier_too or at >= self.at) and (self.until is None or at <= self.until)
        return in_range and in_time

    def accuracy(self, stated: Accuracy) -> Accuracy:
        """How well a reading is known once it is put right; digits and noise stay the meter's own."""
        # Bounds of rectangular errors: 95 % of such a one lies within 0.95 of it.
        return Accuracy(
            of_reading=min(self.of_reading / 0.95, 1.0),
            counts=self.rest / 0.95 / stated.resolution,
            resolution=stated.resolution,
            noise_counts=stated.noise_counts,
        )


class EfficiencyPoint(Record):
    """One claim or measurement: at these output volts and amps this share of the input comes out."""

    out_V: Annotated[Positive, Quantity("V", "out", "volts at the output then")]
    out_A: Annotated[Positive, Quantity("A", "out", "amps at the output then")]
    efficiency: Annotated[Efficiency, Quantity("%", "efficiency", "share of the input that comes out")]


class HotPoint(Record):
    """What a part may carry with its hot spot at a temperature."""

    hot_C: Annotated[float, Quantity("°C", "hot", "temperature of the hot spot")]
    amps: Annotated[NotNegative, Quantity("", "amps", "amps, or how well it reads them")]


class FeedbackDivider(Record):
    """The divider that sets a converter: V = Vref·(1 + upper/lower), with what may be added to it."""

    reference_V: Annotated[Positive, Quantity("V", "reference", "what its reference holds")] = 1.25
    upper_ohm: Annotated[Positive, Quantity("Ω", "upper", "upper leg of the divider")] = 2200.0
    lower_ohm: Annotated[Positive, Quantity("Ω", "lower", "lower leg of the divider")] = 240.0
    pot_ohm: Annotated[NotNegative, Quantity("Ω", "pot", "a potentiometer in the divider")] = 0.0
    pot_at: Annotated[
        Literal["upper leg", "across lower leg"],
        Quantity("", "pot at", "in series with the upper leg, or with a fixed resistor across the lower one"),
    ] = "upper leg"
    fixed_ohm: Annotated[
        Positive | None, Quantity("Ω", "fixed", "the resistor in series with a pot across the lower leg")
    ] = None
    trip_V: Annotated[Positive | None, Quantity("V", "trip", "volts at which it switches itself off")] = None

    def span(self) -> Shift:
        """What its potentiometer reaches.

        A fixed resistor that is not told is taken to be as its lower leg.
        """
        divider = Divider(self.reference_V, self.upper_ohm, self.lower_ohm)
        if self.pot_at == "upper leg":
            return adjusted(divider, self.pot_ohm, trip_V=self.trip_V)
        return shift(divider, self.fixed_ohm or self.lower_ohm, self.pot_ohm, "lower", trip_V=self.trip_V)


class PulseControl(Record):
    """A set-point that a controller makes of filtered pulses."""

    supply_V: Annotated[Positive, Quantity("V", "supply", "what the pulses are made of")] = 3.3
    pulse_Hz: Annotated[Positive, Quantity("Hz", "pulse", "pulses a second")] = 1000.0
    bits: Annotated[int, Field(ge=1, le=24), Quantity("", "bits", "steps of the pulses’ width")] = 10
    filter_ohm: Annotated[Positive, Quantity("Ω", "filter", "the filter’s resistor")] = 10e3
    filter_F: Annotated[Positive, Quantity("F", "filter", "the filter’s capacitor")] = 10e-6


class MeterRange(Record):
    """One range of a meter: the quantity it reads, its end, and its accuracy there."""

    quantity: Annotated[Literal["V", "A", "ohm"], Quantity("", "quantity", "what it reads")]
    full_scale: Annotated[Positive, Quantity("", "full scale", "end of the range")]
    accuracy: Annotated[Accuracy, Quantity("", "accuracy", "how far a reading may be off")]
