"""A flyback that one makes, by its circuit: a donor whose mains side is one's own."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.derivation import Input
from tensimeter.core.described import Quantity
from tensimeter.core.electrical import flyback_words
from tensimeter.core.electrical.flyback_core import winding_plan
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.flyback_circuit import FlybackCircuit
from tensimeter.core.parts.made_part import Circuit, MadePart
from tensimeter.core.parts.sized import Sized, figure
from tensimeter.core.parts.steps import IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Surroundings
from tensimeter.core.quantity import show
from tensimeter.core.record import Positive

#: Insulation between mains and output at 500 V DC: a rule of thumb, local codes decide.
INSULATION_OHM = 7e6


class MadeFlyback(MadePart, Donor):
    """An AC–DC unit that one makes: ratings, limit and stored charge follow from its circuit.

    It counts as opened: its mains side is met, so that the holds of a mains side stand before it.
    """

    derived: ClassVar[frozenset[str]] = frozenset(
        {
            "family", "no_load_V", "tolerance", "rated_A", "rated_W", "limit_A", "beyond", "trip_V",
            "efficiency", "bulk_V", "bulk_F", "opened",
        }
    )  # fmt: skip
    circuit_kind: ClassVar[type[Circuit]] = FlybackCircuit
    isolates_mains: ClassVar[bool] = True

    kind: Literal["made_flyback"] = "made_flyback"  # type: ignore[assignment]
    circuit: Annotated[FlybackCircuit, Quantity("", "circuit", "what it is made of")]
    # Worked out of the circuit before anybody sees them.
    no_load_V: Annotated[Positive, Quantity("V", "no load", "that it holds")] = 1.0
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps for good")] = 1.0
    rated_W: Annotated[Positive, Quantity("W", "rated", "watts for good")] = 1.0

    def summary(self) -> tuple[str, str]:
        mode = {"dcm": "discontinuous", "crm": "critical", "ccm": "continuous"}[self.circuit.mode]
        hertz = show(self.circuit.frequency_Hz, "Hz")
        return f"{self.no_load_V:g} V  {self.rated_A:.3g} A", f"flyback, {mode}, {hertz}"

    def wrong(self) -> tuple[str, ...]:
        return tuple(flyback_words.wrong(self.circuit.flyback()))

    def worked_out(self) -> Sized:
        found = self.circuit.flyback()
        worst, core = found.worst, self.circuit.core
        volts = Input("V", "lowest bulk", found.wanted.lowest_V, "V")
        turns = Input("N", "primary", found.primary_turns, "")
        limit = Input("I", "current limit", found.limit_A, "A")
        rows = [
            figure("bulk valley", "energy between two peaks of the line", found.wanted.valley_V, "V"),
            figure("primary turns", "N ≥ L·I/(B·Ae)", found.primary_turns, "", limit),
            figure("secondary turns", "by the reflected volts", found.turns[0], ""),
            figure("aux turns", "by its volts", found.aux_turns or 0, ""),
            figure("primary", "L = V·D/(ΔI·f)", found.primary_H, "H", volts),
            figure("gap", "magnetic circuit with its fringing", found.gap_m, "m", turns),
            figure("flux at the limit", "B = L·I/(N·Ae)", found.flux_T, "T", limit, turns),
            figure("it bears", "of its sheet, hot", core.flux_T, "T"),
            figure("peak of the switch", "middle of its ramp and half of it", worst.peak_A, "A", volts),
            figure("rms of the primary", "√(D·(Im² + ΔI²/12))", worst.primary_rms_A, "A"),
            figure("rms of the secondary", "√(D′·(Im² + ΔI²/12))", worst.secondary_rms_A, "A"),
            figure("rms of its capacitor", "√(Is² − I²)", worst.capacitor_rms_A, "A"),
            figure("switch stands", "bulk at high line and its clamp", found.switch_V, "V"),
            figure("diode stands", "output and high line by the turns", found.diode_V(), "V"),
            figure("its clamp takes", "½·Ll·I²·f·Vc/(Vc − Vr)", found.clamp_W, "W"),
            figure("copper in the window", "of all windings", found.fill, "%"),
            figure("gives at the most", "at its limit and lowest bulk", found.most_W, "W"),
        ]
        if self.circuit.output_F:
            ripple = worst.ripple_V(self.circuit.output_F, self.circuit.esr_ohm)
            rows.append(figure("ripple, p-p", "its charge and ESR over one cycle", ripple, "V"))
        primary, *others = found.windings
        plan = "; ".join(winding_plan(found.wanted.core, primary, others))
        guard = [] if self.trip_V else ["No over-voltage trip is stated: nobody guards what it feeds."]
        return Sized(tuple(rows), (f"From the core outwards: {plan}.", *guard, *flyback_words.unknown(found)))

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        yield incoming_step(
            self, "insulation", "Nothing plugged in, its bulk empty: an insulation tester, 500 V DC.",
            "both mains pins together to its output", "ohm", Band(INSULATION_OHM, None),
            rules_out="Less than 7 MΩ (a rule of thumb): mains on the output. It never gets power.",
        )  # fmt: skip
        yield from super().incoming(job)
