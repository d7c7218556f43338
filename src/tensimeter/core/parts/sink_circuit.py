"""The circuit of a home-made load: its devices, shunts, amplifiers, what sets and reads it, its sink."""

from abc import abstractmethod
from functools import lru_cache
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from tensimeter.core.described import Quantity
from tensimeter.core.electrical import made_sink as sinks
from tensimeter.core.electrical.made_sink import MadeSink, Scale
from tensimeter.core.electrical.pwm_dac import pwm_dac
from tensimeter.core.electrical.sink_load import MOST_DEVICES, Device, SinkLoad, sized
from tensimeter.core.electrical.sink_loop import Amplifier, GateDriven
from tensimeter.core.electrical.sink_words import NO_CURVE, ONE_GATE
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.figures import PulseControl
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.parts.made_part import Circuit, MadePart
from tensimeter.core.record import Count, Derating, Fraction, NotNegative, Positive, Record

Bits = Annotated[int, Field(ge=1, le=32)]


class CurvePoint(Record):
    """A point of a published DC curve."""

    volts: Annotated[Positive, Quantity("V", "across it", "volts across the device")]
    amps: Annotated[NotNegative, Quantity("A", "for good", "amps that it stands there for good")]


class PassDevice(Record):
    """A pass device by its sheet."""

    curve: Annotated[
        tuple[CurvePoint, ...],
        Derating,
        Quantity("", "DC curve: V = A", "the published curve for DC, not for pulses; none: not used"),
    ]
    curve_case_C: Annotated[
        float, Quantity("°C", "curve is for a case of", "case temperature that the curve is stated for")
    ] = 25.0
    linear: Annotated[
        bool, Quantity("", "specified for linear use", "else half of its DC curve counts, a rule of thumb")
    ] = False
    on_ohm: Annotated[Positive, Quantity("Ω", "fully on", "at 25 °C, at its stated gate volts")] = 0.05
    on_at_V: Annotated[Positive, Quantity("V", "fully on at", "gate volts that this is stated for")] = 10.0
    threshold_V: Annotated[Positive, Quantity("V", "threshold, highest", "the upper end on its sheet")] = 4.0
    gm_S: Annotated[Positive, Quantity("A/V", "transconductance", "amps for each volt at its gate")] = 15.0
    gm_A: Annotated[Positive, Quantity("A", "stated at", "amps that it is stated for")] = 5.0
    gate_F: Annotated[Positive, Quantity("F", "gate capacitance", "gate to source")] = 2e-9
    miller_F: Annotated[Positive, Quantity("F", "gate to drain", "reverse transfer")] = 150e-12
    drain_F: Annotated[Positive, Quantity("F", "drain to source", "its output capacitance")] = 500e-12
    junction_K_W: Annotated[NotNegative, Quantity("K/W", "junction to case", "of its sheet")] = 0.75
    mounting_K_W: Annotated[NotNegative, Quantity("K/W", "its mounting", "its case above the sink")] = 0.5
    hottest_C: Annotated[Positive, Quantity("°C", "hottest junction", "of its sheet")] = 150.0
    stands_V: Annotated[Positive, Quantity("V", "stands", "drain to source, of its sheet")] = 60.0


class ShuntResistor(Record):
    """The shunt of one device."""

    ohm: Annotated[Positive, Quantity("Ω", "shunt", "of one device")] = 0.1
    tolerance: Annotated[Fraction, Quantity("%", "tolerance", "how far it strays")] = 0.01
    ppm_K: Annotated[NotNegative, Quantity("ppm/K", "drift", "how it goes with its heat")] = 100.0
    rated_W: Annotated[Positive, Quantity("W", "rated", "watts on its label; half is used at the most")] = 5.0
    four_wire: Annotated[
        bool, Quantity("", "four wires to it", "its volts are taken at its body, not along its leads")
    ] = True


class GateDrive(Record):
    """The amplifier of one device."""

    highest_V: Annotated[Positive, Quantity("V", "highest out", "most that it drives a gate to")] = 10.0
    offset_V: Annotated[NotNegative, Quantity("V", "offset", "how far it is off, at the most")] = 1e-3
    drift_V_K: Annotated[NotNegative, Quantity("V/K", "its drift", "how its offset goes with heat")] = 5e-6
    unity_Hz: Annotated[Positive, Quantity("Hz", "gain of one at", "its bandwidth")] = 1e6
    slew_V_s: Annotated[Positive, Quantity("V/s", "slews at", "how fast it goes at the most")] = 5e5
    gate_ohm: Annotated[Positive, Quantity("Ω", "gate resistor", "from it to the gate")] = 100.0
    integrator_ohm: Annotated[Positive, Quantity("Ω", "integrator, R", "from shunt to its input")] = 10e3
    integrator_F: Annotated[Positive, Quantity("F", "integrator, C", "from its output back")] = 1e-9


class ScaleOf(Record):
    """What sets a load, or reads it."""

    full_V: Annotated[Positive, Quantity("V", "full scale", "at the shunt")] = 0.5
    bits: Annotated[Bits, Quantity("", "bits", "of its converter; of a pot what a hand resolves")] = 12
    reference: Annotated[Fraction, Quantity("%", "reference", "how well its reference is known")] = 0.01

    def scale(self) -> Scale:
        """The same in numbers."""
        return Scale(self.full_V, self.bits, self.reference)


class SinkCircuit(Circuit):
    """A home-made load: what is wanted of it, and what it is made of."""

    volts: Annotated[Positive, Quantity("V", "highest", "volts that it is put across at the most")] = 30.0
    amps: Annotated[Positive, Quantity("A", "most", "amps that it sinks")] = 5.0
    watts: Annotated[Positive, Quantity("W", "for good", "watts that are wanted for good")] = 60.0
    peak_W: Annotated[Positive | None, Quantity("W", "for minutes", "wanted for a while")] = None
    devices: Annotated[Count | None, Quantity("", "devices", "how many; empty: as few as hold")] = None
    one_gate: Annotated[bool, Quantity("", "one gate for all", "refused for more than one device")] = False
    device: Annotated[PassDevice, Quantity("", "pass device", "of its sheet")]
    shunt: Annotated[ShuntResistor, Quantity("", "shunt", "of each device")] = ShuntResistor()
    drive: Annotated[GateDrive, Quantity("", "amplifier", "of each device")] = GateDrive()
    set_by: Annotated[ScaleOf, Quantity("", "what sets it", "a converter, pulses, a pot")] = ScaleOf()
    pulses: Annotated[
        PulseControl | None, Quantity("", "set by filtered pulses", "ripple and settling of what sets it")
    ] = None
    read_by: Annotated[ScaleOf | None, Quantity("", "what reads it", "its own measuring")] = None
    volts_share: Annotated[Fraction, Quantity("%", "its volts, known to", "divider and reference")] = 0.02
    volts_full: Annotated[Positive, Quantity("V", "its volts, full scale", "of what reads its volts")] = 40.0
    sink_K_W: Annotated[Positive, Quantity("K/W", "sink", "that all devices share, its fan running")] = 0.8
    still_K_W: Annotated[
        Positive | None, Quantity("K/W", "sink, fan standing", "the sink in still air; empty: it has no fan")
    ] = None
    sink_J_K: Annotated[Positive, Quantity("J/K", "sink takes", "heat that the sink takes")] = 400.0
    air_C: Annotated[float, Quantity("°C", "air at the sink", "warmest room that it is used in")] = 35.0
    leads_ohm: Annotated[NotNegative, Quantity("Ω", "leads and fuse", "both ways")] = 0.02
    leads_H: Annotated[Positive, Quantity("H", "leads, inductance", "about 1 µH a metre of pair")] = 1e-6
    own_W: Annotated[NotNegative, Quantity("W", "its control takes", "from a supply of its own")] = 1.5
    cutoff_V: Annotated[
        Positive | None, Quantity("V", "lets go below", "where it lets a battery go; empty: it does not")
    ] = None
    reverse_diode: Annotated[
        bool, Quantity("", "stands reversed leads", "a fuse and a diode that blows it, or a switch")
    ] = False

    def of_pulses(self, pulses: PulseControl) -> tuple[float, float]:
        """A of ripple p-p, and s until half a step: the pulses' volts brought down to the full scale."""
        found = pwm_dac(pulses.supply_V, pulses.pulse_Hz, pulses.bits, pulses.filter_ohm, pulses.filter_F)
        scale = self.set_by.full_V / pulses.supply_V
        return found.ripple_pp_V * scale * self.made().per_V, found.settling_s

    def made(self) -> MadeSink:
        """It in numbers; UserError where it is no circuit that anybody could rate."""
        return _made(self)

    def ratings(self) -> dict[str, object]:
        """What it is good for as a load, worked out of it."""
        made = self.made()
        scale = made.read_by or made.set_by
        step = self.volts_full / 2 ** (self.read_by or self.set_by).bits
        lowest = min(made.lowest_V, self.volts)
        return {
            "max_V": self.volts,
            "max_A": self.amps,
            "max_W": min(self.watts, made.sink.continuous_W()),
            "on_ohm": lowest / self.amps,
            "amps": made.accuracy(scale),
            "volts": Accuracy(of_reading=self.volts_share, counts=1, resolution=step),
        }


class LoadByCircuit(MadePart, SetLoad):
    """A load that is known by its circuit."""

    if TYPE_CHECKING:

        @property
        def circuit(self) -> SinkCircuit: ...

    @abstractmethod
    def plate(self) -> str:
        """What may stand on its own front by its circuit."""


@lru_cache(maxsize=64)
def _made(circuit: SinkCircuit) -> MadeSink:
    device, drive = circuit.device, circuit.drive
    if not device.curve:
        raise UserError(NO_CURVE)
    part = Device(
        device.on_ohm, device.junction_K_W, device.mounting_K_W, device.hottest_C,
        tuple((p.volts, max(p.amps, 1e-6)) for p in device.curve), device.curve_case_C, not device.linear,
    )  # fmt: skip
    wanted = SinkLoad(
        part, circuit.devices or 1, circuit.volts, circuit.amps, circuit.watts, circuit.shunt.ohm,
        circuit.sink_K_W, circuit.air_C, circuit.leads_ohm,
    )  # fmt: skip
    found = wanted if circuit.devices and circuit.devices <= MOST_DEVICES else sized(wanted)
    if circuit.one_gate and found.devices > 1:
        raise UserError(ONE_GATE.format(found.devices))
    if not device.hottest_C > max(device.curve_case_C, circuit.air_C):
        raise UserError("The hottest junction lies above the room, and above the case that the curve is for.")
    shunt = circuit.shunt
    on_at_V = max(device.on_at_V, device.threshold_V + 0.5)
    gate = GateDriven(
        device.threshold_V, device.gm_S, device.gm_A, device.on_ohm, on_at_V, device.gate_F, device.miller_F,
        device.drain_F,
    )  # fmt: skip
    amplifier = Amplifier(
        drive.unity_Hz, drive.slew_V_s, drive.highest_V, drive.gate_ohm, drive.integrator_ohm,
        drive.integrator_F,
    )  # fmt: skip
    return MadeSink(
        found,
        sinks.Shunt(shunt.tolerance, shunt.ppm_K, shunt.rated_W, shunt.four_wire),
        drive.offset_V,
        drive.drift_V_K,
        circuit.set_by.scale(),
        circuit.read_by.scale() if circuit.read_by else None,
        gate,
        amplifier,
        circuit.leads_H,
        circuit.still_K_W,
        circuit.sink_J_K,
    )
