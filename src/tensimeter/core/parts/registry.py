"""Every kind of part. A new kind is a module of its own and one line here."""

from typing import TYPE_CHECKING, Annotated

from tensimeter.core.by_kind import ByKind, key_of
from tensimeter.core.parts.battery import Battery
from tensimeter.core.parts.connector import Connector
from tensimeter.core.parts.converter import Converter
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.electronic_load import ElectronicLoad
from tensimeter.core.parts.enable import Enable
from tensimeter.core.parts.fan import Fan
from tensimeter.core.parts.fed_part import FedPart
from tensimeter.core.parts.fuse import FusePart
from tensimeter.core.parts.heat_sink import HeatSink
from tensimeter.core.parts.instruments import Clamp, LineSource, Multimeter, Oscilloscope, Thermometer
from tensimeter.core.parts.lead import LeadPart, Wire
from tensimeter.core.parts.made_flyback import MadeFlyback
from tensimeter.core.parts.made_load import MadeLoad
from tensimeter.core.parts.made_stage import MadeStage
from tensimeter.core.parts.panel_meter import PanelMeter
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.plain_loads import Device, Lamp, Motor, Resistor
from tensimeter.core.parts.power_delivery import PowerDelivery
from tensimeter.core.parts.rails import RailSupply
from tensimeter.core.parts.switch import Switch
from tensimeter.core.parts.transformer import Transformer

KINDS: tuple[type[PartRecord], ...] = (
    Donor,
    MadeFlyback,
    RailSupply,
    Transformer,
    Battery,
    PowerDelivery,
    Converter,
    MadeStage,
    FusePart,
    Switch,
    Enable,
    LeadPart,
    Wire,
    Connector,
    PanelMeter,
    Fan,
    HeatSink,
    ElectronicLoad,
    MadeLoad,
    Resistor,
    Lamp,
    Motor,
    Device,
    Multimeter,
    Thermometer,
    Oscilloscope,
    Clamp,
    LineSource,
)

if TYPE_CHECKING:
    Part = PartRecord
else:
    #: What the stock holds: any kind that is registered, told apart by its `kind`.
    Part = Annotated[PartRecord, ByKind(KINDS)]


#: Every kind by its key.
BY_KEY: dict[str, type[PartRecord]] = {key_of(kind): kind for kind in KINDS}
#: The order of the shelves: that in which a path uses them.
_ORDER = (
    "Donors",
    "Supplies with rails",
    "Transformers",
    "Batteries",
    "Converters",
    "Fuses, switches",
    "Leads, wire, connectors",
    "Panel meters, fans, heat sinks",
    "What is fed",
    "Test loads",
    "Instruments",
)
#: Shelves of the stock with the keys of what stands on each.
SHELVES: tuple[tuple[str, tuple[str, ...]], ...] = tuple(
    (shelf, tuple(key_of(kind) for kind in KINDS if kind.shelf == shelf))
    for shelf in dict.fromkeys([*_ORDER, *(kind.shelf for kind in KINDS)])
)


def _making(link_kind: str) -> tuple[str, ...]:
    return tuple(key_of(k) for k in KINDS if issubclass(k, PathPart) and k.link_kind == link_kind)


#: Which kinds of part a kind of link is made of.
PART_KINDS: dict[str, tuple[str, ...]] = {
    link: _making(link)
    for link in dict.fromkeys(k.link_kind for k in KINDS if issubclass(k, PathPart))
}  # fmt: skip
#: What may be fed at an output.
FED_KINDS: tuple[str, ...] = tuple(key_of(kind) for kind in KINDS if issubclass(kind, FedPart))
