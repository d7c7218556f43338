"""What a path is joined from: converters, fuses, leads, connectors, panel meters, fans, sinks."""

from typing import Annotated, Literal

from pydantic import Field

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.record import (
    Count,
    Derating,
    Efficiency,
    Fraction,
    NotNegative,
    PartRecord,
    Positive,
    Record,
)


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


class Converter(PartRecord):
    """A converter module; its total loss is P0 + a·I + b·I² with I the output current.

    What was measured or claimed of its efficiency stands in `efficiencies`; the loss is fitted from it.
    """

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
    #: Of the first, `junction_K_W` lies inside the part; the rest is its mounting, and a probe can see it.
    switch_K_W: NotNegative | None = None
    junction_K_W: NotNegative = 0.0
    case_J_K: Positive = 12.0
    sink_K_W: Positive | None = None
    sink_blown_K_W: Positive | None = None
    sink_J_K: Positive = 100.0
    hot_limit_C: Positive = 105.0
    #: From its sheet, in rising temperature; straight between two points, nothing above the last.
    hot_derating: Annotated[tuple[HotPoint, ...], Derating] = ()
    efficiencies: tuple[EfficiencyPoint, ...] = ()
    feedback: FeedbackDivider | None = None
    control: PulseControl | None = None


class FusePart(PartRecord):
    """A fuse with its holder; resistance None: estimated from its rating."""

    kind: Literal["fuse"] = "fuse"
    rated_A: Positive
    rated_V: Positive = 58.0
    speed: Literal["fast", "slow"] = "slow"
    #: What it can break at its volts; None: not known.
    breaking_A: Positive | None = None
    resistance_ohm: Positive | None = None


class LeadPart(PartRecord):
    """A two-conductor lead with a connection at each end of each leg."""

    kind: Literal["lead"] = "lead"
    length_m: NotNegative
    area_mm2: Positive
    contact_ohm: NotNegative = 0.001
    insulation_C: Positive = 70.0
    measured_ohm: Positive | None = None


class Wire(PartRecord):
    """Wire by the metre; a lead of the path says how much of it is taken."""

    kind: Literal["wire"] = "wire"
    area_mm2: Positive
    insulation_C: Positive = 70.0
    contact_ohm: NotNegative = 0.001


class Connector(PartRecord):
    """A plug and socket: `contacts` side by side on each leg, each of `contact_ohm` and `contact_A`."""

    kind: Literal["connector"] = "connector"
    contacts: Count = 1
    contact_ohm: NotNegative = 0.003
    contact_A: Positive
    rated_V: Positive = 60.0


class PanelMeter(PartRecord):
    """A built-in meter: what it can read, its shunt, and what it needs to run."""

    kind: Literal["panel_meter"] = "panel_meter"
    reads_V: Positive
    reads_A: Positive
    shunt_ohm: NotNegative = 0.005
    shunt_in: Literal["negative", "positive"] = "negative"
    supply_min_V: NotNegative = 4.5
    supply_max_V: Positive = 30.0
    draws_A: NotNegative = 0.02
    volts: Accuracy
    amps: Accuracy


class Fan(PartRecord):
    """A fan; it starts at `start_V`, moves `flow_m3_h` at its rated volts, and is then `loudness_dB` loud."""

    kind: Literal["fan"] = "fan"
    rated_V: Positive = 12.0
    rated_A: Positive = 0.15
    start_V: Positive = 5.0
    flow_m3_h: Positive = 40.0
    loudness_dB: Positive | None = None


class HeatSink(PartRecord):
    """A heat sink: K per W in still air and with a fan, J per K."""

    kind: Literal["heat_sink"] = "heat_sink"
    still_K_W: Positive
    blown_K_W: Positive | None = None
    capacity_J_K: Positive = 200.0
