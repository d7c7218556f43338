"""Where a supply is used and which policies its builder follows."""

from typing import Annotated, Literal

from pydantic import Field

from tensimeter.core.record import Fraction, NotNegative, Positive, Record


class BoxRecord(Record):
    """The inside of the box in mm; `cable_mm` is kept free at the side where cables leave."""

    length_mm: Positive = 200.0
    width_mm: Positive = 150.0
    height_mm: Positive = 80.0
    cable_mm: NotNegative = 30.0
    metal: bool = True
    gap_mm: NotNegative = 5.0


class Settings(Record):
    """Where the supply is used."""

    mains_V: Positive = 230.0
    mains_Hz: Positive = 50.0
    ambient_C: Annotated[float, Field(ge=-273.15, le=1e4)] = 20.0
    #: Rise of the air inside the box for each watt that is lost in it, K/W; 0: open on the bench.
    box_K_W: NotNegative = 0.0
    #: What a ready-made supply of the kind would cost, in own money.
    ready_made: NotNegative | None = None
    box: BoxRecord | None = None
    #: Used where rain, dew and the sun reach it.
    outdoors: bool = False


class Spread(Record):
    """How far parts stray from their figures, as fractions; rules of thumb, to be changed."""

    source_ohm: Fraction = 0.3
    wire_ohm: Fraction = 0.05
    contact_ohm: Fraction = 0.5
    fuse_ohm: Fraction = 0.2
    loss: Fraction = 0.2


class Policy(Record):
    """The schools the builder follows; each choice and its reason stand in core.policies."""

    donor_share: Annotated[float, Field(ge=0.01, le=1)] = 0.8
    fuse_share: Annotated[float, Field(ge=0.01, le=1)] = 0.75
    reference: Literal["floating", "negative_bonded"] = "floating"
    protection: Literal["fuse", "electronic", "both"] = "both"
    aim: Literal["terminals", "far_end"] = "terminals"
    after_overload: Literal["as_unit", "goes_on", "off_until_reset"] = "as_unit"
    after_heat: Literal["stay_off", "restart"] = "stay_off"
    fan: Literal["always", "threshold", "steps", "proportional"] = "steps"
    test_load: Literal["what_is_there", "resistors", "electronic", "real_device"] = "what_is_there"
    short_circuit: Literal["through_resistor", "straight"] = "through_resistor"
    donor_case: Literal["closed", "opened"] = "closed"
    harness: Literal["breakout", "cut"] = "breakout"
    spare_wires: Literal["insulated", "cut_at_board"] = "insulated"
    insulation: Literal["hardware", "tape"] = "hardware"
    first_power: Literal["behind_limit", "straight"] = "behind_limit"
    trusted: Literal["best_known", "display", "load", "third_meter"] = "best_known"
    display_off: Literal["per_case", "better_parts", "constant", "live_with_it"] = "per_case"
    proven_when: Literal["settled", "moments", "two_hours"] = "settled"
    charging: Literal["with_limits", "never"] = "with_limits"
    spread: Spread = Field(default_factory=Spread)
