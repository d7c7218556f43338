"""A linear stage that one makes, by its circuit."""

from typing import Annotated, ClassVar, Literal

from tensimeter.core.derivation import Input
from tensimeter.core.described import Quantity
from tensimeter.core.electrical import stage_words
from tensimeter.core.electrical.control_loop import ControlLoop
from tensimeter.core.electrical.pwm_dac import pwm_dac
from tensimeter.core.parts.converter import Converter
from tensimeter.core.parts.made_part import Circuit, MadePart
from tensimeter.core.parts.sized import Sized, figure
from tensimeter.core.parts.stage_circuit import StageCircuit
from tensimeter.core.quantity import show
from tensimeter.core.record import NotNegative, Positive


class MadeStage(MadePart, Converter):
    """A linear converter that one makes: its span, dropout, heat and tolerance follow from its circuit."""

    derived: ClassVar[frozenset[str]] = frozenset(
        {
            "topology", "out_min_V", "out_max_V", "in_max_V", "rated_A", "dropout_V", "loss_fixed_W",
            "loss_per_A", "loss_per_A2", "set_tolerance", "switch_K_W", "junction_K_W", "sink_K_W",
            "sink_J_K", "hot_limit_C", "feedback", "output_resistance_ohm",
        }
    )  # fmt: skip
    circuit_kind: ClassVar[type[Circuit]] = StageCircuit

    kind: Literal["made_stage"] = "made_stage"  # type: ignore[assignment]
    circuit: Annotated[StageCircuit, Quantity("", "circuit", "what it is made of")]
    # Worked out of the circuit before anybody sees them.
    out_min_V: Annotated[NotNegative, Quantity("V", "out min", "lowest volts it can be set to")] = 0.0
    out_max_V: Annotated[Positive, Quantity("V", "out max", "highest volts it can be set to")] = 1.0
    in_max_V: Annotated[Positive, Quantity("V", "in max", "volts that its input stands")] = 1.0
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps for good")] = 1.0

    def summary(self) -> tuple[str, str]:
        made = "discrete" if self.circuit.discrete else "three-terminal"
        return (
            f"{self.out_min_V:.3g}–{self.out_max_V:.3g} V  {self.rated_A:g} A",
            f"made here, {made}, drops {show(self.dropout_V, 'V')}",
        )

    def loop(self) -> ControlLoop | None:
        one = self.circuit.stage().loop()
        return one.loop if one else None

    def wrong(self) -> tuple[str, ...]:
        return tuple(stage_words.wrong(self.circuit.stage()))

    def worked_out(self) -> Sized:
        circuit, stage = self.circuit, self.circuit.stage()
        of = stage.divider
        low, high = of.span_V
        legs = (
            Input("R1", "output to pin", of.top_ohm, "ohm"),
            Input("R2", "pin to common", of.bottom_ohm, "ohm"),
        )
        formula = "V = Vref·(1 + R2/R1) + Ipin·R2" if of.across_top else "V = Vref·(1 + R1/R2)"
        reference = Input("Vref", "reference", of.reference_V, "V")
        rows = [
            figure("lowest volts", formula, low, "V", reference, *legs),
            figure("highest volts", formula, high, "V", reference, *legs),
            figure("lowest, at all tolerances", "corners of reference and legs", of.worst_V[0], "V"),
            figure("highest, at all tolerances", "corners of reference and legs", of.worst_V[1], "V"),
            figure("needs across itself", "headroom, base, ballast, sense", stage.dropout_V, "V"),
            figure("gives at the lowest input", "lowest input less what it needs", stage.most_V, "V"),
            figure("divider draws", "Vref/R1" if of.across_top else "Vref/R2", of.draws_A, "A"),
            figure("for good at its lowest volts", "by its hottest junction", stage.holds_A, "A"),
        ]
        for words, volts, amps, hot_C in stage.worst_points:
            at = Input("V", "out", volts, "V"), Input("I", "out", amps, "A")
            rows.append(
                figure(f"junction {words}", "(Vin − V)·I through sink, mounting, case", hot_C, "C", *at)
            )
        if stage.limit:
            rows.append(figure("limits at", "(Von·(1 + k) + k·V)/R", stage.limit.amps(high), "A"))
            rows.append(figure("into a short", "Von·(1 + k)/R", stage.limit.amps(0.0), "A"))
        loop = stage.loop()
        if loop is not None and loop.loop.stable:
            step, dip = loop.set_step(), loop.load_step(0.1 * circuit.amps)
            for share, margin in stage.margins:
                name = f"phase margin at {100 * share:.0f} % of its amps"
                rows.append(figure(name, "180° + phase where the loop’s gain is one", margin, "°"))
            rows.append(figure("overshoot", "of a small step of what is set", step.overshoot, "%"))
            rows.append(figure("settles in", "to 1 % of a step", step.settles_s, "s"))
            rows.append(figure("dips by", "at a tenth of its amps more", dip[0], "V"))
        if circuit.set_by:
            rows.append(
                figure("one count of setting", "full scale / 2^bits", circuit.set_by.scale().count_V, "V")
            )
        if circuit.pulses:
            by = circuit.pulses
            pulses = pwm_dac(by.supply_V, by.pulse_Hz, by.bits, by.filter_ohm, by.filter_F)
            gain = high / by.supply_V
            rows.append(figure("a step of its pulses", "at the output", pulses.step_V * gain, "V"))
            rows.append(figure("ripple of its pulses, p-p", "at half duty", pulses.ripple_pp_V * gain, "V"))
            rows.append(figure("pulses settle in", "RC·ln(2^(bits + 1))", pulses.settling_s, "s"))
        return Sized(tuple(rows), (*stage_words.minded(stage), *self._minded()))

    def _minded(self) -> list[str]:
        if self.circuit.isolated_tab:
            return []
        return [
            "Its tab is live: bolted to a sink or a metal case it joins them to its output or input. Pad, "
            "bush and washer, and ohms read before power."
        ]
