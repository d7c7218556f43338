"""Where a supply is used and which policies its builder follows."""

from typing import Annotated, Literal

from pydantic import Field

from tensimeter.core.described import Quantity
from tensimeter.core.record import Count, Fraction, NotNegative, Positive, Record


class BoxRecord(Record):
    """The inside of the box in mm; `cable_mm` is kept free at the side where cables leave."""

    length_mm: Annotated[Positive, Quantity("mm", "length", "inside, along")] = 200.0
    width_mm: Annotated[Positive, Quantity("mm", "width", "inside, across")] = 150.0
    height_mm: Annotated[Positive, Quantity("mm", "height", "inside, up")] = 80.0
    cable_mm: Annotated[NotNegative, Quantity("mm", "cable", "kept free where cables leave")] = 30.0
    metal: Annotated[bool, Quantity("", "metal", "the box is metal, and so is earthed")] = True
    vents_cm2: Annotated[
        NotNegative, Quantity("cm²", "vents", "openings for air, half of them low and half of them high")
    ] = 0.0
    gap_mm: Annotated[NotNegative, Quantity("mm", "gap", "kept free around each part")] = 5.0


class Settings(Record):
    """Where the supply is used."""

    mains_V: Annotated[Positive, Quantity("V", "mains", "nominal volts of the mains")] = 230.0
    mains_Hz: Annotated[Positive, Quantity("Hz", "mains", "frequency of the mains")] = 50.0
    ambient_C: Annotated[
        float, Field(ge=-273.15, le=1e4), Quantity("°C", "ambient", "temperature of the room")
    ] = 20.0
    #: Between these the room may be; None: as `ambient_C`.
    hottest_C: Annotated[
        float | None, Field(ge=-273.15, le=1e4), Quantity("°C", "hottest room", "the room at its hottest")
    ] = None
    coldest_C: Annotated[
        float | None, Field(ge=-273.15, le=1e4), Quantity("°C", "coldest room", "the room at its coldest")
    ] = None
    #: Rise of the air inside the box for each watt that is lost in it, K/W; 0: it follows from the box.
    box_K_W: Annotated[
        NotNegative,
        Quantity("K/W", "air inside, box", "air inside above the room for each watt lost; 0: by its size"),
    ] = 0.0
    lid_off: Annotated[bool, Quantity("", "lid off", "open on the bench: the air inside is the room's")] = (
        False
    )
    #: What a ready-made supply of the kind would cost, in own money.
    ready_made: Annotated[
        NotNegative | None, Quantity("", "a ready-made one, own money", "what a ready-made one would cost")
    ] = None
    box: Annotated[BoxRecord | None, Quantity("", "box", "the inside of the box")] = None
    #: 60 V DC is the usual limit of what may be touched; some codes know 120 V where it is dry.
    touch_V: Annotated[
        Positive, Quantity("V", "hazard to touch", "DC volts from which on they are a hazard to touch")
    ] = 60.0
    bundled: Annotated[
        Count, Quantity("", "circuits bundled", "wires of so many circuits lie bundled in the box")
    ] = 1
    #: Used where rain, dew and the sun reach it.
    outdoors: Annotated[bool, Quantity("", "outdoors", "used where rain and sun reach it")] = False

    @property
    def warmest_C(self) -> float:
        """The hottest that the room is said to become, °C."""
        return max(self.ambient_C, self.ambient_C if self.hottest_C is None else self.hottest_C)

    @property
    def coolest_C(self) -> float:
        """The coldest that the room is said to become, °C."""
        return min(self.ambient_C, self.ambient_C if self.coldest_C is None else self.coldest_C)

    @property
    def rooms_C(self) -> tuple[float, ...]:
        """The room as set, then its ends where they are others, °C."""
        return tuple(dict.fromkeys((self.ambient_C, self.warmest_C, self.coolest_C)))


class Spread(Record):
    """How far parts stray from their figures, as fractions; rules of thumb, to be changed."""

    source_ohm: Annotated[Fraction, Quantity("%", "sources' ohms")] = 0.3
    wire_ohm: Annotated[Fraction, Quantity("%", "wires' ohms")] = 0.05
    contact_ohm: Annotated[Fraction, Quantity("Ω", "contact", "one contact")] = 0.5
    fuse_ohm: Annotated[Fraction, Quantity("%", "fuses' ohms")] = 0.2
    loss: Annotated[Fraction, Quantity("%", "converters' losses")] = 0.2


class Policy(Record):
    """The ways the builder has chosen; each choice and its reason stand in core.policies."""

    donor_share: Annotated[float, Field(ge=0.01, le=1), Quantity("%", "donors run at")] = 0.8
    fuse_share: Annotated[float, Field(ge=0.01, le=1), Quantity("%", "fuses run at")] = 0.75
    reference: Annotated[
        Literal["floating", "negative_bonded"], Quantity("", "reference", "what the output is joined to")
    ] = "floating"
    commons: Annotated[
        Literal["apart", "joined"], Quantity("", "commons", "negatives of sources that stand side by side")
    ] = "apart"
    protection: Annotated[Literal["fuse", "electronic", "both"], Quantity("", "protection")] = "both"
    aim: Annotated[
        Literal["terminals", "far_end"], Quantity("", "aim", "where the volts are meant to be right")
    ] = "terminals"
    after_overload: Annotated[
        Literal["as_unit", "goes_on", "off_until_reset"], Quantity("", "after overload")
    ] = "as_unit"
    after_heat: Annotated[Literal["stay_off", "restart"], Quantity("", "after heat")] = "stay_off"
    fan: Annotated[Literal["always", "threshold", "steps", "proportional"], Quantity("", "fan")] = "steps"
    test_load: Annotated[
        Literal["what_is_there", "resistors", "electronic", "real_device"], Quantity("", "test load")
    ] = "what_is_there"
    short_circuit: Annotated[Literal["through_resistor", "straight"], Quantity("", "short circuit")] = (
        "through_resistor"
    )
    donor_case: Annotated[Literal["closed", "opened"], Quantity("", "donor case")] = "closed"
    harness: Annotated[Literal["breakout", "cut"], Quantity("", "harness")] = "breakout"
    spare_wires: Annotated[Literal["insulated", "cut_at_board"], Quantity("", "spare wires")] = "insulated"
    insulation: Annotated[Literal["hardware", "tape"], Quantity("", "insulation")] = "hardware"
    first_power: Annotated[Literal["behind_limit", "straight"], Quantity("", "first power")] = "behind_limit"
    trusted: Annotated[Literal["best_known", "display", "load", "third_meter"], Quantity("", "trusted")] = (
        "best_known"
    )
    display_off: Annotated[
        Literal["per_case", "better_parts", "constant", "live_with_it"], Quantity("", "display off")
    ] = "per_case"
    proven_when: Annotated[Literal["settled", "moments", "two_hours"], Quantity("", "proven when")] = (
        "settled"
    )
    charging: Annotated[Literal["with_limits", "never"], Quantity("", "charging")] = "with_limits"
    spread: Annotated[Spread, Quantity("", "how far parts stray, rules of thumb")] = Field(
        default_factory=Spread
    )
