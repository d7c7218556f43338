"""The circuit of a linear stage that one makes: three-terminal, or an amplifier with pass devices."""

from typing import Annotated, Literal

from tensimeter.core.described import Quantity
from tensimeter.core.electrical.linear_stage import CurrentLimit, Divider, LinearStage, Taps, checked
from tensimeter.core.electrical.stage_loop import Follower, StageAmplifier
from tensimeter.core.parts.figures import PulseControl
from tensimeter.core.parts.made_part import Circuit
from tensimeter.core.parts.sink_circuit import ScaleOf
from tensimeter.core.record import Count, Fraction, NotNegative, Positive, Record


class DividerOf(Record):
    """What sets its volts."""

    reference_V: Annotated[Positive, Quantity("V", "reference", "what its reference holds")] = 1.25
    reference_tolerance: Annotated[Fraction, Quantity("%", "reference, strays", "how far it strays")] = 0.03
    top_ohm: Annotated[NotNegative, Quantity("Ω", "output to pin", "measured, where it was")] = 240.0
    bottom_ohm: Annotated[
        NotNegative, Quantity("Ω", "pin to common", "fixed part, measured where it was")
    ] = 0.0
    pot_ohm: Annotated[NotNegative, Quantity("Ω", "pot", "a potentiometer in one leg")] = 2400.0
    pot_in: Annotated[Literal["bottom", "top"], Quantity("", "pot in leg", "bottom: pin to common")] = (
        "bottom"
    )
    end_ohm: Annotated[NotNegative, Quantity("Ω", "pot at its end", "what it keeps there")] = 0.0
    tied: Annotated[bool, Quantity("", "wiper tied to an end", "so that it opens to the whole pot")] = False
    tolerance: Annotated[Fraction, Quantity("%", "resistors stray", "as printed; less once measured")] = 0.01
    pin_A: Annotated[NotNegative, Quantity("A", "out of the pin", "of a three-terminal part")] = 50e-6


class LimitOf(Record):
    """A sense resistor with a base across it, folded back or not."""

    sense_ohm: Annotated[Positive, Quantity("Ω", "sense resistor", "all of the current flows through it")] = (
        0.22
    )
    turns_on_V: Annotated[
        Positive, Quantity("V", "acts at", "volts across it; a junction's fall by 2 mV/K")
    ] = 0.65
    fold: Annotated[NotNegative, Quantity("", "folds back by", "share of the output's volts; 0: not")] = 0.0


class DiscreteOf(Record):
    """An error amplifier and the base that it drives."""

    gain: Annotated[Positive, Quantity("", "current gain", "of the pass devices, with their driver")] = 1000.0
    unity_Hz: Annotated[Positive, Quantity("Hz", "pass, gain of one at", "transition frequency")] = 1e6
    drive_ohm: Annotated[Positive, Quantity("Ω", "base resistor", "amplifier to base")] = 100.0
    base_V: Annotated[Positive, Quantity("V", "base over emitter", "two for a pair in a row")] = 1.3
    saturated_V: Annotated[NotNegative, Quantity("V", "saturates at", "least volts across a device")] = 1.0
    amplifier_Hz: Annotated[Positive, Quantity("Hz", "amplifier, gain of one at", "its bandwidth")] = 1e6
    lost_at_top_V: Annotated[
        NotNegative, Quantity("V", "lost below its supply", "not rail to rail: 1.5 V")
    ] = 1.5
    lowest_V: Annotated[NotNegative, Quantity("V", "lowest out", "what it keeps above common")] = 0.05
    integrator_F: Annotated[NotNegative, Quantity("F", "integrator", "from its output to its input")] = 10e-9


class TapsOf(Record):
    """A relay that switches between two taps by the output's volts."""

    lower_high_V: Annotated[Positive, Quantity("V", "lower tap, highest", "no load, high line")] = 15.0
    up_V: Annotated[Positive, Quantity("V", "upper tap above", "output volts")] = 8.0
    hysteresis_V: Annotated[
        NotNegative, Quantity("V", "falls back lower by", "so that it does not chatter")
    ] = 0.5
    coil_A: Annotated[NotNegative, Quantity("A", "coil takes", "of its relay")] = 0.03


class StageCircuit(Circuit):
    """A linear stage: what feeds it, what is wanted of it, what it is made of."""

    amps: Annotated[Positive, Quantity("A", "wanted", "amps for good")] = 1.0
    in_high_V: Annotated[Positive, Quantity("V", "input, highest", "no load, high line")] = 24.0
    in_low_V: Annotated[Positive, Quantity("V", "input, lowest", "the valley at full load and low line")] = (
        18.0
    )
    in_stands_V: Annotated[Positive, Quantity("V", "input stands", "of its weakest part")] = 40.0
    divider: Annotated[DividerOf, Quantity("", "divider", "what sets its volts")] = DividerOf()
    limit: Annotated[LimitOf | None, Quantity("", "current limit", "a sense resistor")] = None
    discrete: Annotated[DiscreteOf | None, Quantity("", "discrete stage", "none: a three-terminal part")] = (
        None
    )
    drop_V: Annotated[NotNegative, Quantity("V", "three-terminal, drops", "least across it")] = 2.0
    least_A: Annotated[NotNegative, Quantity("A", "least load", "that a three-terminal part asks for")] = 0.01
    own_A: Annotated[NotNegative, Quantity("A", "takes itself", "its control and its relay's coil")] = 0.01
    set_by: Annotated[
        ScaleOf | None, Quantity("", "set by a converter", "else by its pot; full scale at the output")
    ] = None
    pulses: Annotated[
        PulseControl | None, Quantity("", "set by filtered pulses", "ripple and settling of what sets it")
    ] = None
    taps: Annotated[TapsOf | None, Quantity("", "tap switch", "a relay between two taps")] = None
    tracks_V: Annotated[
        Positive | None, Quantity("V", "pre-regulator leaves", "across the stage; empty: there is none")
    ] = None
    devices: Annotated[Count, Quantity("", "pass devices", "side by side, on one sink")] = 1
    ballast_ohm: Annotated[NotNegative, Quantity("Ω", "ballast", "of each device")] = 0.0
    isolated_tab: Annotated[
        bool, Quantity("", "tab insulated", "its tab is live: pad, bush and washer, and a reading of it")
    ] = False
    junction_K_W: Annotated[NotNegative, Quantity("K/W", "junction to case", "of one device")] = 3.0
    mounting_K_W: Annotated[NotNegative, Quantity("K/W", "its mounting", "case above the sink")] = 0.8
    hottest_C: Annotated[Positive, Quantity("°C", "hottest junction", "of its sheet")] = 125.0
    sink_K_W: Annotated[Positive, Quantity("K/W", "sink", "that all devices share")] = 2.5
    sink_J_K: Annotated[Positive, Quantity("J/K", "sink takes", "heat that the sink takes")] = 150.0
    air_C: Annotated[float, Quantity("°C", "air at the sink", "warmest")] = 40.0
    output_F: Annotated[Positive, Quantity("F", "output capacitor", "at its output")] = 100e-6
    esr_ohm: Annotated[NotNegative, Quantity("Ω", "its ESR", "of that capacitor")] = 0.1
    diodes: Annotated[bool, Quantity("", "has protection diodes", "output to input, pin to output")] = False

    def stage(self) -> LinearStage:
        """It in numbers; UserError where a figure can't be."""
        of, discrete, limit = self.divider, self.discrete, self.limit
        divider = Divider(
            of.reference_V, of.top_ohm, of.bottom_ohm, of.pot_ohm, of.pot_in, of.end_ohm, of.tolerance,
            of.reference_tolerance, of.pin_A, discrete is None, of.tied,
        )  # fmt: skip
        follower = amplifier = None
        if discrete is not None:
            follower = Follower(
                discrete.gain, discrete.unity_Hz, self.ballast_ohm, self.devices, discrete.drive_ohm,
                discrete.base_V, discrete.saturated_V,
            )  # fmt: skip
            amplifier = StageAmplifier(
                discrete.amplifier_Hz, discrete.lost_at_top_V, discrete.lowest_V, discrete.integrator_F
            )
        made = LinearStage(
            divider, self.amps, self.in_high_V, self.in_low_V, self.in_stands_V, self.devices,
            self.ballast_ohm, self.junction_K_W, self.mounting_K_W, self.sink_K_W, self.air_C, self.hottest_C,
            CurrentLimit(limit.sense_ohm, limit.turns_on_V, limit.fold) if limit else None, self.drop_V,
            0.0 if discrete else self.least_A, follower, amplifier, self.output_F, self.esr_ohm, self.diodes,
            self._switched(), self.tracks_V,
        )  # fmt: skip
        return checked(made)

    def _switched(self) -> Taps | None:
        of = self.taps
        return Taps(of.lower_high_V, of.up_V, of.hysteresis_V, of.coil_A) if of else None

    def ratings(self) -> dict[str, object]:
        """What it is as a linear converter, worked out of it."""
        stage = self.stage()
        low, high = stage.divider.span_V
        held = min(self.amps, stage.limit.amps(low)) if stage.limit else self.amps
        worst = max(
            abs(end / nominal - 1) for end, nominal in zip(stage.divider.worst_V, (low, high), strict=True)
        )
        return {
            "topology": "linear",
            "out_min_V": low,
            "out_max_V": high,
            "in_max_V": self.in_stands_V,
            "rated_A": held,
            "dropout_V": max(stage.dropout_V, 0.0),
            "loss_fixed_W": (self.own_A + (self.taps.coil_A if self.taps else 0.0)) * self.in_high_V,
            "loss_per_A": 0.0,
            "loss_per_A2": 0.0,
            "set_tolerance": min(worst, 1.0),
            "switch_K_W": stage.share * (self.junction_K_W + self.mounting_K_W),
            "junction_K_W": stage.share * self.junction_K_W,
            "sink_K_W": self.sink_K_W,
            "sink_J_K": self.sink_J_K,
            "hot_limit_C": self.hottest_C,
        }
