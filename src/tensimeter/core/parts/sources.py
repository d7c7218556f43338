"""What a path is fed from: units, supplies with rails, transformers, batteries."""

from typing import Literal

from pydantic import Field

from tensimeter.core.record import (
    Count,
    Efficiency,
    Fraction,
    Name,
    NotNegative,
    PartRecord,
    Positive,
    Record,
)

BeyondLimit = Literal["constant_current", "constant_power", "foldback", "hiccup", "latch_off", "brown_out"]


class DeratingPoint(Record):
    """What share of its rating a unit gives at a temperature of the air around it."""

    air_C: float = 50.0
    share: Fraction = 1.0


class Donor(PartRecord):
    """An AC–DC unit with one output: enclosed, a hot-swap server unit, or a laptop brick.

    `limit_A` is where its behaviour beyond the rating begins; None: not known. `bonded` says that its
    negative is joined to its case inside, `standby_V` what stands at a pin whenever it is plugged in.
    """

    kind: Literal["donor"] = "donor"
    family: Literal["enclosed", "server", "brick"] = "enclosed"
    no_load_V: Positive
    tolerance: Fraction = 0.01
    output_resistance_ohm: NotNegative = 0.0
    rated_A: Positive
    rated_W: Positive
    limit_A: Positive | None = None
    beyond: BeyondLimit = "hiccup"
    trip_V: Positive | None = None
    efficiency: Efficiency = 0.85
    bonded: bool = False
    minimum_A: NotNegative = 0.0
    #: Its mains-side reservoir, where it was read off an opened unit.
    bulk_F: Positive | None = None
    standby_V: Positive | None = None
    #: From its sheet, in rising temperature; straight between two points, nothing above the last.
    derating: tuple[DeratingPoint, ...] = ()


class Rail(Record):
    """One rail of a supply with several: volts and their tolerance, amps, Ω, its wires, its least load."""

    name: Name
    volts: Positive
    tolerance: Fraction = 0.05
    rated_A: Positive
    output_resistance_ohm: NotNegative = 0.0
    wires: Count = 1
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
    efficiency: Efficiency = 0.8

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
    #: A resistor across the reservoir that empties it when the mains is off.
    bleed_ohm: Positive | None = None
    bleed_W: Positive | None = None
    high_line: Fraction = 0.1
    low_line: Fraction = 0.1


Chemistry = Literal["lead", "lithium_ion", "lithium_iron", "nickel"]


class Battery(PartRecord):
    """A battery of cells in series; `board` says whether a protection board is in its path."""

    kind: Literal["battery"] = "battery"
    chemistry: Chemistry = "lead"
    cells: Count = 6
    capacity_Ah: Positive
    resistance_ohm: Positive = 0.02
    rated_A: Positive
    board: bool = False
    board_trip_A: Positive | None = None
