"""The circuit of a flyback that one makes, or of a donor that is wound anew."""

from functools import lru_cache
from typing import Annotated, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.electrical.flyback import bulk_peak_V
from tensimeter.core.electrical.flyback_core import Core
from tensimeter.core.electrical.flyback_design import AuxSupply, Flyback, Output, Wanted, as_wound, designed
from tensimeter.core.parts.made_part import Circuit
from tensimeter.core.record import Count, Efficiency, Fraction, NotNegative, Positive, Record


class CoreOf(Record):
    """A core by its sheet."""

    area_m2: Annotated[Positive, Quantity("m²", "Ae", "area; 76 mm² are 76e-6")] = 76e-6
    path_m: Annotated[Positive, Quantity("m", "le", "length of its path")] = 72e-3
    window_m2: Annotated[Positive, Quantity("m²", "window", "area for copper; 90 mm² are 90e-6")] = 90e-6
    flux_T: Annotated[Positive, Quantity("T", "flux, hot", "that it bears at 100 °C")] = 0.28


class WoundAs(Record):
    """A winding that exists."""

    primary: Annotated[Count, Quantity("", "primary turns", "counted")] = 100
    secondary: Annotated[Count, Quantity("", "secondary turns", "counted")] = 8
    aux: Annotated[Count, Quantity("", "aux turns", "counted")] = 10
    gap_m: Annotated[NotNegative, Quantity("m", "gap", "in the middle leg, or both halves of a spacer")] = (
        0.5e-3
    )


class FlybackCircuit(Circuit):
    """A flyback: its line, what it gives, its core and winding."""

    line_low_V: Annotated[Positive, Quantity("V", "line, lowest", "rms")] = 180.0
    line_high_V: Annotated[Positive, Quantity("V", "line, highest", "rms")] = 264.0
    mains_Hz: Annotated[Positive, Quantity("Hz", "mains", "of its line")] = 50.0
    bulk_F: Annotated[Positive, Quantity("F", "bulk", "its mains-side capacitor")] = 120e-6
    volts: Annotated[Positive, Quantity("V", "output", "that it holds")] = 12.0
    amps: Annotated[Positive, Quantity("A", "full load", "for good")] = 5.0
    tolerance: Annotated[Fraction, Quantity("%", "volts stray", "by reference and divider")] = 0.03
    output_F: Annotated[Positive | None, Quantity("F", "output capacitor", "empty: not known")] = None
    esr_ohm: Annotated[NotNegative, Quantity("Ω", "its ESR", "of that capacitor")] = 0.02
    preload_A: Annotated[NotNegative | None, Quantity("A", "least load", "that its output always has")] = None
    aux_V: Annotated[Positive, Quantity("V", "aux", "volts that its control lives on")] = 18.0
    aux_A: Annotated[NotNegative, Quantity("A", "aux takes", "its control")] = 0.02
    aux_F: Annotated[Positive | None, Quantity("F", "aux capacitor", "empty: not known")] = None
    aux_least_V: Annotated[Positive | None, Quantity("V", "control lives above", "its undervoltage")] = None
    frequency_Hz: Annotated[Positive, Quantity("Hz", "switches at", "its control")] = 65e3
    mode: Annotated[
        Literal["dcm", "crm", "ccm"], Quantity("", "mode", "discontinuous, critical, continuous")
    ] = "dcm"
    duty: Annotated[Efficiency, Quantity("%", "duty, longest", "at the lowest bulk volts, full load")] = 0.45
    efficiency: Annotated[Efficiency, Quantity("%", "efficiency", "watts out of watts in")] = 0.85
    limit_A: Annotated[
        Positive | None, Quantity("A", "current limit", "of its switch; empty: 1.2 × its peak")
    ] = None
    clamp_V: Annotated[Positive | None, Quantity("V", "clamp", "over the bulk; empty: 1.5 × reflected")] = (
        None
    )
    beyond: Annotated[
        Literal["hiccup", "latch_off", "constant_power", "foldback"],
        Quantity("", "beyond its limit", "what it does"),
    ] = "hiccup"
    trip_V: Annotated[
        Positive | None, Quantity("V", "over-voltage trip", "raised slowly to find it; empty: none")
    ] = None
    core: Annotated[CoreOf, Quantity("", "core", "by its sheet")] = CoreOf()
    wound: Annotated[WoundAs | None, Quantity("", "winding that exists", "none: it is designed")] = None

    def flyback(self) -> Flyback:
        """It in numbers; UserError where it can't be."""
        return _flyback(self)

    def ratings(self) -> dict[str, object]:
        """What it is as a donor, worked out of it."""
        found = self.flyback()
        return {
            "no_load_V": self.volts,
            "tolerance": self.tolerance,
            "rated_A": min(self.amps, found.most_W / self.volts),
            "rated_W": min(self.amps * self.volts, found.most_W),
            "limit_A": found.most_W / self.volts,
            "beyond": self.beyond,
            "trip_V": self.trip_V,
            "efficiency": self.efficiency,
            "bulk_V": bulk_peak_V(self.line_high_V),
            "bulk_F": self.bulk_F,
            "opened": True,
        }


@lru_cache(maxsize=64)
def _flyback(circuit: FlybackCircuit) -> Flyback:
    core = circuit.core
    wanted = Wanted(
        (circuit.line_low_V, circuit.line_high_V),
        circuit.mains_Hz,
        circuit.bulk_F,
        (Output(circuit.volts, circuit.amps, circuit.output_F, circuit.esr_ohm),),
        circuit.frequency_Hz,
        Core(core.area_m2, core.path_m, core.window_m2, core.flux_T),
        AuxSupply(circuit.aux_V, circuit.aux_A, circuit.aux_F, circuit.aux_least_V),
        circuit.mode,
        circuit.duty,
        circuit.efficiency,
        limit_A=circuit.limit_A,
        clamp_V=circuit.clamp_V,
        preload_A=circuit.preload_A,
    )
    wound = circuit.wound
    if wound is None:
        return designed(wanted)
    return as_wound(wanted, (wound.primary, wound.secondary, wound.aux), wound.gap_m)
