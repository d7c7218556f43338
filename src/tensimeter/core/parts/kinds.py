"""Every part that the stock may hold, in one union, and the shelves it stands on."""

from typing import Annotated

from pydantic import Field

from tensimeter.core.parts.joining import (
    Connector,
    Converter,
    EfficiencyPoint,
    Fan,
    FeedbackDivider,
    FusePart,
    HeatSink,
    HotPoint,
    LeadPart,
    PanelMeter,
    PulseControl,
    Wire,
)
from tensimeter.core.parts.measuring import (
    Clamp,
    Device,
    ElectronicLoad,
    Lamp,
    LineSource,
    MeterRange,
    Motor,
    Multimeter,
    Oscilloscope,
    Resistor,
    Thermometer,
)
from tensimeter.core.parts.sources import (
    Battery,
    BeyondLimit,
    CombinedLimit,
    Coupling,
    DeratingPoint,
    Donor,
    Rail,
    RailSupply,
    Transformer,
)
from tensimeter.core.record import (
    Fraction,
    Identifier,
    Name,
    NotNegative,
    Origin,
    PartRecord,
    Positive,
    Record,
)

Part = Annotated[
    Donor
    | RailSupply
    | Transformer
    | Battery
    | Converter
    | FusePart
    | LeadPart
    | Wire
    | Connector
    | PanelMeter
    | Fan
    | HeatSink
    | ElectronicLoad
    | Resistor
    | Lamp
    | Motor
    | Device
    | Multimeter
    | Thermometer
    | Oscilloscope
    | Clamp
    | LineSource,
    Field(discriminator="kind"),
]

#: Shelves of the stock in the order in which a path uses them.
SHELVES: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("Donors", ("donor",)),
    ("Supplies with rails", ("rails",)),
    ("Transformers", ("transformer",)),
    ("Batteries", ("battery",)),
    ("Converters", ("converter",)),
    ("Fuses", ("fuse",)),
    ("Leads, wire, connectors", ("lead", "wire", "connector")),
    ("Panel meters, fans, heat sinks", ("panel_meter", "fan", "heat_sink")),
    ("What is fed", ("device", "lamp", "motor")),
    ("Test loads", ("load", "resistor")),
    ("Instruments", ("meter", "thermometer", "oscilloscope", "clamp", "line-source")),
)

__all__ = [
    "SHELVES",
    "Battery",
    "BeyondLimit",
    "Clamp",
    "CombinedLimit",
    "Connector",
    "Converter",
    "Coupling",
    "DeratingPoint",
    "Device",
    "Donor",
    "EfficiencyPoint",
    "ElectronicLoad",
    "Fan",
    "FeedbackDivider",
    "Fraction",
    "FusePart",
    "HeatSink",
    "HotPoint",
    "Identifier",
    "Lamp",
    "LeadPart",
    "LineSource",
    "MeterRange",
    "Motor",
    "Multimeter",
    "Name",
    "NotNegative",
    "Origin",
    "Oscilloscope",
    "PanelMeter",
    "Part",
    "PartRecord",
    "Positive",
    "PulseControl",
    "Rail",
    "RailSupply",
    "Record",
    "Resistor",
    "Thermometer",
    "Transformer",
    "Wire",
]
