"""A home-made electronic load, by its circuit."""

import math
from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from tensimeter.core.derivation import Input
from tensimeter.core.described import Quantity
from tensimeter.core.electrical import sink_words
from tensimeter.core.electrical.control_loop import ControlLoop
from tensimeter.core.electrical.elements import CurrentSink
from tensimeter.core.electrical.made_sink import SHARES
from tensimeter.core.measurement.conformity import Accuracy, Band
from tensimeter.core.parts.electronic_load import ElectronicLoad
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.made_part import Circuit
from tensimeter.core.parts.path_part import PassivePart
from tensimeter.core.parts.sink_circuit import LoadByCircuit, SinkCircuit
from tensimeter.core.parts.sized import Sized, figure
from tensimeter.core.parts.steps import ISOLATED_OHM, IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.path import Link, LoadLink
from tensimeter.core.quantity import show
from tensimeter.core.record import NotNegative, Positive
from tensimeter.core.settings import Spread
from tensimeter.core.thermal.heatsink import SinkFigures

#: Of what a device stands: leads' inductance adds as amps are let go; rule of thumb.
STANDS_SHARE = 0.8
#: Heat that the case and tab of one device take; rule of thumb.
DEVICE_J_K = 6.0
_NONE_YET = Accuracy(of_reading=0.0, counts=0.0, resolution=1.0)


class MadeLoad(LoadByCircuit, ElectronicLoad, PassivePart):
    """A load that one makes: volts, amps, watts, lowest volts and accuracy follow from its circuit.

    It measures other supplies, and is the end of a path where it is itself built and tried.
    """

    derived: ClassVar[frozenset[str]] = frozenset({"max_V", "max_A", "max_W", "on_ohm", "volts", "amps"})
    circuit_kind: ClassVar[type[Circuit]] = SinkCircuit
    link_kind: ClassVar[str] = "made_load"

    kind: Literal["made_load"] = "made_load"  # type: ignore[assignment]
    circuit: Annotated[SinkCircuit, Quantity("", "circuit", "what it is made of")]
    # Worked out of the circuit before anybody sees them.
    max_V: Annotated[Positive, Quantity("V", "max", "most volts it stands")] = 1.0
    max_A: Annotated[Positive, Quantity("A", "max", "most amps it sinks")] = 1.0
    max_W: Annotated[Positive, Quantity("W", "max", "most watts it sinks")] = 1.0
    on_ohm: Annotated[NotNegative, Quantity("Ω", "on", "its lowest volts for each ampere")] = 0.0
    volts: Annotated[Accuracy, Quantity("", "volts", "how well it reads them")] = _NONE_YET
    amps: Annotated[Accuracy, Quantity("", "amps", "how well it reads them, or is set")] = _NONE_YET

    def summary(self) -> tuple[str, str]:
        made = self.circuit.made()
        devices = f"{made.sink.devices} device" + ("s" if made.sink.devices > 1 else "")
        lowest = "never" if math.isinf(made.lowest_V) else f"from {show(made.lowest_V, 'V')}"
        return f"{self.max_V:g} V  {self.max_A:g} A  {self.max_W:.3g} W", f"{devices}, {lowest}"

    # -- as the end of a path -------------------------------------------------------------------

    def as_link(self, link_id: str, name: str) -> Link:
        volts = min(12.0, self.max_V)
        amps = min(self.max_A, self.max_W / volts)
        return LoadLink(id=link_id, name=name, part=self.id, nominal_V=volts, full_load_A=amps, tolerance=0.1)

    def element(self, job: Surroundings, link: Link) -> CurrentSink:
        return CurrentSink(link.id, link.fed_by)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {}

    def limits(self, here: Operating) -> list[Limit]:
        link, point = here.link, here.point
        return [
            limit(link, "volts", point.V, self.max_V, "V", "what it is made for"),
            limit(link, "amps", point.I, self.max_A, "A", "what it is made for"),
            limit(link, "watts for good", point.V * point.I, self.max_W, "W", "by junction and DC curve"),
            limit(link, "lowest volts", point.I * self.on_ohm, point.V, "V", "volts that are at it"),
        ]

    def hot_part(self) -> HotPart:
        circuit, n = self.circuit, self.circuit.made().sink.devices
        device = circuit.device
        blown = circuit.sink_K_W if circuit.still_K_W else None
        sink = SinkFigures(circuit.still_K_W or circuit.sink_K_W, blown, circuit.sink_J_K)
        above = (device.junction_K_W + device.mounting_K_W) / n
        return HotPart(above, device.junction_K_W / n, DEVICE_J_K * n, sink, device.hottest_C, what="device")

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        made, circuit = self.circuit.made(), self.circuit
        some = max(0.1 * made.own_A, 1e-3)
        volts = some * circuit.shunt.ohm
        off = made.gain * volts + circuit.drive.offset_V
        yield incoming_step(
            self, "tab", "Unplugged: ohms from the sink to its input, both ways round.", "sink to input +",
            "ohm", Band(ISOLATED_OHM, None),
            rules_out="A tab that touches the sink: it puts the input on the sink and on what holds it.",
        )  # fmt: skip
        yield incoming_step(
            self, "off", "Its control on, nothing set, 12 V at its input behind a lamp.", "amps into it", "A",
            Band(None, max(2 * made.offset_A, 5e-3)), expected=0.0,
            rules_out="Amps with nothing set: a shorted device, or an amplifier at its top.",
        )  # fmt: skip
        yield incoming_step(
            self, "each", f"Set to {show(some * made.sink.devices, 'A')}: read every shunt, note the worst.",
            "across a shunt", "V", Band(volts - off, volts + off), expected=volts,
            rules_out="One apart from the others: its amplifier oscillates, or its device does not turn on.",
        )  # fmt: skip

    def plate(self) -> str:
        """What may stand on its own front: amps, volts, watts for good and for minutes."""
        circuit, made = self.circuit, self.circuit.made()
        text = f"{circuit.amps:g} A, {circuit.volts:g} V, {math.floor(self.max_W):g} W continuous"
        if circuit.peak_W and self.max_W < circuit.peak_W:
            held = made.sink.minutes_at(circuit.peak_W, circuit.sink_J_K)
            minutes = 0 if math.isinf(held) else math.floor(held)
            text += f", {circuit.peak_W:g} W for {minutes:g} min" if minutes >= 1 else ""
        return text

    def loop(self) -> ControlLoop | None:
        one = self.circuit.made().loop()
        return one.loop if one else None

    def wrong(self) -> tuple[str, ...]:
        stands, found = self.circuit.device.stands_V, sink_words.wrong(self.circuit.made())
        if self.circuit.volts > STANDS_SHARE * stands:
            found.append(
                f"It is put across {show(self.circuit.volts, 'V')} and its devices stand "
                f"{show(stands, 'V')}: leads "
                "that are pulled add to that. Four fifths are used at the most, a rule of thumb."
            )
        return tuple(found)

    def worked_out(self) -> Sized:
        circuit, made = self.circuit, self.circuit.made()
        sink = made.sink
        each = Input("I", "amps of one device", made.own_A, "A")
        shunt = Input("R", "its shunt", circuit.shunt.ohm, "ohm")
        heat = (
            Input("n", "devices", sink.devices, ""),
            Input("θ", "sink", circuit.sink_K_W, "K/W"),
            Input("P", "of one, the most", float(sink.each_W.max()), "W"),
        )
        series = "thermal resistances in series; all devices share the sink"
        falling = "its published curve, falling in a straight line to the hottest junction"
        hottest, margin = float(sink.junction_C.max()), made.gate_margin_V or 0.0
        case, count = Input("T", "case", float(sink.case_C.max()), "C"), circuit.set_by.scale().count_V
        chain = "T = air + n·P·θsink + P·(θmounting + θjunction)"
        rows = [
            figure("hottest junction", chain, hottest, "C", *heat, source=series),
            figure("hottest, shunts apart", "one shunt low, the others high", made.unequal_C, "C", *heat),
            figure(
                "DC curve allows",
                "allowed over wanted, worst volts",
                sink.soa_margin,
                "×",
                case,
                source=falling,
            ),
            figure("for good", "the most that junction and DC curve hold", sink.continuous_W(), "W"),
            figure("lowest volts", "V = I·(Rds + R) + leads, hot", made.lowest_V, "V", each, shunt),
            figure("gate to spare", "drive − gate at full amps − I·R", margin, "V", each, shunt),
            figure("a shunt takes", "P = I²·R", sink.shunt_W, "W", each, shunt),
            figure("one count of setting", "count·n/R", count * made.per_V, "A", shunt),
        ]
        if circuit.pulses:
            ripple, settles = circuit.of_pulses(circuit.pulses)
            rows.append(
                figure("ripple of its pulses, p-p", "of the filter, at half duty, to amps", ripple, "A")
            )
            rows.append(figure("pulses settle in", "RC·ln(2^(bits + 1))", settles, "s"))
        for share in SHARES:
            amps = share * circuit.amps
            off = made.half_width_A(made.set_by, amps)
            title = f"set to {show(amps, 'A')}, off by"
            rows.append(figure(title, "shunts, reference, offsets and a count, 95 %", off, "A"))
        if made.margins:
            share, margin, _ = min(made.margins, key=lambda row: row[1])
            at = Input("I", "at", share * circuit.amps, "A")
            rows.append(figure("phase margin", "180° + phase where the loop’s gain is one", margin, "°", at))
        if circuit.peak_W:
            minutes = sink.minutes_at(circuit.peak_W, circuit.sink_J_K)
            if not math.isinf(minutes):
                title = f"{circuit.peak_W:g} W for"
                rows.append(figure(title, "its sink warming up from cold", minutes, "min"))
        return Sized(tuple(rows), (self.plate(), *sink_words.minded(made), *self._minded()))

    def _minded(self) -> list[str]:
        said = []
        if not self.circuit.reverse_diode:
            said.append(
                "Reversed leads are not stopped: the devices’ own diodes conduct, without limit. A fuse "
                "and a "
                "diode that blows it."
            )
        if self.circuit.cutoff_V is None:
            said.append("It lets no battery go: it discharges it to nothing. Stay with it, or set a cut-off.")
        return said
