"""What is in the bin: immutable descriptions of parts, loads and meters.

Units are SI; the unit stands at the end of a name where it could be mistaken. A figure's origin
(label, seller, measured, assumed) is kept beside it in `origins`, by field name.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from tensimeter.core.judge import Accuracy


class Record(BaseModel):
    """Base of everything in a job: frozen, no field it does not know, no NaN."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


Positive = Annotated[float, Field(gt=0)]
NotNegative = Annotated[float, Field(ge=0)]
Fraction = Annotated[float, Field(ge=0, le=1)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]*$", max_length=60)]
Origin = Literal["label", "seller", "measured", "assumed"]
Condition = Literal["untested", "works", "faulty", "for parts", "to buy"]
BeyondLimit = Literal["constant_current", "constant_power", "foldback", "hiccup", "latch_off", "brown_out"]


class PartRecord(Record):
    """What every part has."""

    id: Identifier
    name: Name
    condition: Condition = "untested"
    cost: NotNegative | None = None
    note: str = ""
    count: Annotated[int, Field(ge=1)] = 1
    origins: dict[str, Origin] = {}


class Donor(PartRecord):
    """An enclosed AC–DC unit with one output.

    `limit_A` is where its behaviour beyond the rating begins; None: not known.
    """

    kind: Literal["donor"] = "donor"
    no_load_V: Positive
    tolerance: Fraction = 0.01
    output_resistance_ohm: NotNegative = 0.0
    rated_A: Positive
    rated_W: Positive
    limit_A: Positive | None = None
    beyond: BeyondLimit = "hiccup"
    trip_V: Positive | None = None
    efficiency: Annotated[float, Field(gt=0, le=1)] = 0.85


class Rail(Record):
    """One rail of a supply with several: volts and their tolerance, amps, Ω, its wires, its least load."""

    name: Name
    volts: Positive
    tolerance: Fraction = 0.05
    rated_A: Positive
    output_resistance_ohm: NotNegative = 0.0
    wires: Annotated[int, Field(ge=1)] = 1
    minimum_A: NotNegative = 0.0


class Coupling(Record):
    """Volts that `rail` loses for each ampere on `other`, in Ω; negative where it rises."""

    rail: Name
    other: Name
    ohm: float


class CombinedLimit(Record):
    """Watts that some rails may give together."""

    rails: tuple[Name, ...]
    watts: Positive


class RailSupply(PartRecord):
    """A supply with several rails on one common, such as a 24-pin PC supply.

    `wire_A` is what one wire and its contact carry, a rule of thumb; its common is bonded to earth.
    """

    kind: Literal["rails"] = "rails"
    rails: tuple[Rail, ...]
    couplings: tuple[Coupling, ...] = ()
    combined: tuple[CombinedLimit, ...] = ()
    wire_A: Positive = 6.0
    efficiency: Annotated[float, Field(gt=0, le=1)] = 0.8

    def rail(self, name: str | None) -> Rail | None:
        return next((r for r in self.rails if r.name == name), None)


class Transformer(PartRecord):
    """A transformer with its rectifier and reservoir; one winding, tapped where it has several volts.

    `tap_V` are no-load rms volts, lowest first; `resistance_ohm` lies behind the highest of them, and
    behind a lower one its share. `rated_A` is rms, `capacitor_V` what the reservoir stands.
    """

    kind: Literal["transformer"] = "transformer"
    tap_V: tuple[Positive, ...] = Field(min_length=1)
    resistance_ohm: Positive
    rated_A: Positive
    topology: Literal["bridge", "centre_tap", "half_wave"] = "bridge"
    diode_V: NotNegative = 0.9
    capacitance_F: Positive
    esr_ohm: NotNegative = 0.0
    capacitor_V: Positive
    high_line: Fraction = 0.1
    low_line: Fraction = 0.1


class Converter(PartRecord):
    """A converter module; its total loss is P0 + a·I + b·I² with I the output current."""

    kind: Literal["converter"] = "converter"
    topology: Literal["step_down", "step_up", "both_ways", "linear"] = "step_down"
    out_min_V: NotNegative = 0.0
    out_max_V: Positive
    in_max_V: Positive
    rated_A: Positive
    rated_W: Positive | None = None
    dropout_V: NotNegative = 1.0
    loss_fixed_W: NotNegative = 0.5
    loss_per_A: NotNegative = 0.5
    loss_per_A2: NotNegative = 0.0
    output_resistance_ohm: NotNegative = 0.0
    set_tolerance: Fraction = 0.003
    #: Input volts at which it begins to run; None: not known.
    start_V: Positive | None = None
    #: Its heat: hot spot above its sink and sink above the air, K per W lost; the sink's capacity.
    switch_K_W: NotNegative | None = None
    sink_K_W: Positive | None = None
    sink_J_K: Positive = 100.0
    hot_limit_C: Positive = 105.0


class FusePart(PartRecord):
    """A fuse with its holder; resistance None: estimated from its rating."""

    kind: Literal["fuse"] = "fuse"
    rated_A: Positive
    rated_V: Positive = 58.0
    speed: Literal["fast", "slow"] = "slow"
    resistance_ohm: Positive | None = None


class LeadPart(PartRecord):
    """A two-conductor lead with a connection at each end of each leg."""

    kind: Literal["lead"] = "lead"
    length_m: NotNegative
    area_mm2: Positive
    contact_ohm: NotNegative = 0.001
    insulation_C: Positive = 70.0
    measured_ohm: Positive | None = None


class ElectronicLoad(PartRecord):
    """A load that sinks a set current; `on_ohm` sets the lowest volts at which it still can."""

    kind: Literal["load"] = "load"
    max_V: Positive
    max_A: Positive
    max_W: Positive
    on_ohm: NotNegative = 0.03
    volts: Accuracy
    amps: Accuracy
    watchdog: bool = False


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
    """Reads a temperature in °C to ± `accuracy_K`."""

    kind: Literal["thermometer"] = "thermometer"
    accuracy_K: Positive = 1.0
    resolution_K: Positive = 0.1


Part = Annotated[
    Donor
    | RailSupply
    | Transformer
    | Converter
    | FusePart
    | LeadPart
    | ElectronicLoad
    | Multimeter
    | Thermometer,
    Field(discriminator="kind"),
]

#: Shelves of the stock in the order in which a path uses them.
SHELVES: tuple[tuple[str, str], ...] = (
    ("donor", "Donors"),
    ("rails", "Supplies with rails"),
    ("transformer", "Transformers"),
    ("converter", "Converters"),
    ("fuse", "Fuses"),
    ("lead", "Leads"),
    ("load", "Loads"),
    ("meter", "Meters"),
    ("thermometer", "Thermometers"),
)
