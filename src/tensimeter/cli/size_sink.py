"""tensimeter size sink-load: a home-made electronic load by its circuit."""

import math
from typing import Annotated

import typer

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import pairs, size
from tensimeter.core.electrical import sink_words
from tensimeter.core.electrical.made_sink import SHARES, MadeSink, Scale, Shunt
from tensimeter.core.electrical.sink_load import Device, SinkLoad, sized
from tensimeter.core.electrical.sink_loop import Amplifier, GateDriven
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.parts.sink_circuit import GateDrive, SinkCircuit
from tensimeter.core.quantity import parse

#: What a card takes where nothing else is said: one default for both.
_DRIVE, _LEADS_H = GateDrive(), SinkCircuit.model_fields["leads_H"].default


@size.command("sink-load")
def size_sink_load(
    volts: Annotated[str, typer.Option(help="Highest volts that it is put across.")],
    amps: Annotated[str, typer.Option(help="Most amps that it sinks.")],
    watts: Annotated[str, typer.Option(help="Most watts, for good.")],
    rds_on: Annotated[str, typer.Option(help="Of one device at 25 °C, ohms.")] = "50m",
    theta_jc: Annotated[str, typer.Option(help="Junction to case, K/W.")] = "1",
    theta_cs: Annotated[str, typer.Option(help="Case to sink, K/W.")] = "0.5",
    sink: Annotated[str, typer.Option(help="The sink that all share, K/W.")] = "1",
    ambient: Annotated[str, typer.Option(help="Air at the sink, °C.")] = "25",
    tj_max: Annotated[str, typer.Option(help="Hottest junction, °C.")] = "150",
    shunt: Annotated[str, typer.Option(help="Of each device, ohms.")] = "0.1",
    shunt_tolerance: Annotated[str, typer.Option(help="How far it strays.")] = "1%",
    shunt_ppm: Annotated[float, typer.Option(min=0, help="How it goes with its heat, ppm/K.")] = 100.0,
    shunt_watts: Annotated[str, typer.Option(help="What each shunt is rated for.")] = "5",
    soa: Annotated[str, typer.Option(help="The published DC curve: “10V=12A 30V=2.5A”.")] = "",
    soa_case: Annotated[str, typer.Option(help="Case temperature that the curve is for, °C.")] = "25",
    switching: Annotated[bool, typer.Option("--switching", help="Made for switching: derated.")] = False,
    one_gate: Annotated[bool, typer.Option("--one-gate", help="One gate for several devices.")] = False,
    offset: Annotated[str, typer.Option(help="Of each amplifier, V.")] = "0",
    adc_bits: Annotated[int, typer.Option(min=1, max=32, help="Of what measures a shunt.")] = 16,
    adc_range: Annotated[str, typer.Option(help="Its full scale, V at the shunt.")] = "",
    dac_bits: Annotated[int, typer.Option(min=1, max=32, help="Of what sets it.")] = 12,
    dac_range: Annotated[str, typer.Option(help="Its full scale, V at the shunt.")] = "",
    gate: Annotated[str, typer.Option(help="The most that the amplifier drives a gate to, V.")] = "",
    gate_at: Annotated[str, typer.Option(help="Gate volts that a device needs at its amps.")] = "",
    leads: Annotated[str, typer.Option(help="Leads and fuse, ohms.")] = "0",
    gm: Annotated[str, typer.Option(help="Transconductance and its amps: 20@10A.")] = "",
    threshold: Annotated[str, typer.Option(help="Highest gate threshold, V.")] = "4",
    unity: Annotated[
        str, typer.Option(help="Where the amplifier’s gain is one, Hz.")
    ] = f"{_DRIVE.unity_Hz:g}",
    slew: Annotated[str, typer.Option(help="How fast it goes, V a second.")] = f"{_DRIVE.slew_V_s:g}",
    gate_resistor: Annotated[
        str, typer.Option(help="From amplifier to gate, ohms.")
    ] = f"{_DRIVE.gate_ohm:g}",
    integrator: Annotated[
        str, typer.Option(help="Its resistor and capacitor: 10k*1n; none: it has none.")
    ] = f"{_DRIVE.integrator_ohm:g}*{_DRIVE.integrator_F:g}",
    lead_inductance: Annotated[str, typer.Option(help="Of the leads, H.")] = f"{_LEADS_H:g}",
    peak: Annotated[str, typer.Option(help="Watts for minutes: how long.")] = "",
    sink_capacity: Annotated[str, typer.Option(help="Heat that the sink takes, J/K.")] = "",
    still: Annotated[str, typer.Option(help="The sink as its fan stands, K/W.")] = "",
    json: Json = False,
) -> None:
    """A test load: devices by junction and DC curve, lowest volts, shunt, mA of an offset and of a count."""
    curve = tuple(sorted(pairs(soa.split(), "V", "A"))) if soa.strip() else ()
    device = Device(
        parse(rds_on, "ohm"), parse(theta_jc), parse(theta_cs), parse(tj_max, "C"), curve,
        parse(soa_case, "C"), switching,
    )  # fmt: skip
    wanted = SinkLoad(
        device, 1, parse(volts, "V"), parse(amps, "A"), parse(watts, "W"), parse(shunt, "ohm"), parse(sink),
        parse(ambient, "C"), parse(leads, "ohm"),
    )  # fmt: skip
    found = sized(wanted)
    if one_gate and found.devices > 1:
        raise UserError(sink_words.ONE_GATE.format(found.devices))
    made = MadeSink(
        found,
        Shunt(parse(shunt_tolerance), shunt_ppm, parse(shunt_watts, "W")),
        parse(offset, "V"),
        set_by=Scale(parse(dac_range, "V"), dac_bits) if dac_range else None,
        read_by=Scale(parse(adc_range, "V"), adc_bits) if adc_range else None,
        gate=GateDriven(parse(threshold, "V"), *_at(gm), device.rds_on_ohm) if gm else None,
        amplifier=_amplifier(unity, slew, gate, gate_resistor, integrator) if gate else None,
        leads_H=parse(lead_inductance),
        still_K_W=parse(still) if still else None,
        sink_J_K=parse(sink_capacity) if sink_capacity else None,
    )
    if made.shunt.rated_W <= 0:
        raise UserError("A shunt is rated for watts above zero.")
    margin = (
        parse(gate, "V") - parse(gate_at, "V") - found.shunt_V if gate and gate_at else made.gate_margin_V
    )
    wrong = sink_words.wrong(made)
    if gate_at and margin is not None and margin <= 0:
        wrong.append(f"The gates lack {-margin:.3g} V: the devices do not turn on as far as they must.")
    answer(
        {
            "devices": found.devices,
            "junction_C": float(found.junction_C.max()),
            "case_C": float(found.case_C.max()),
            "lowest_V": made.lowest_V,
            "shunt_V": found.shunt_V,
            "shunt_W": found.shunt_W,
            "offset_A": made.offset_A,
            "set_count_A": made.set_by.count_V * made.per_V if made.set_by else None,
            "read_count_A": made.read_by.count_V * made.per_V if made.read_by else None,
            "gain_percent": 100 * made.gain,
            "errors": _errors(made),
            "gate_margin_V": margin,
            "soa_margin": found.soa_margin,
            "continuous_W": found.continuous_W(),
            **_peak(made, parse(peak, "W") if peak else None),
            **_loop(made),
            "verdict": Verdict.NONCONFORMING if wrong else Verdict.CONFORMS,
            "warnings": [*wrong, *sink_words.minded(made)],
        },
        json,
    )


def _at(text: str) -> tuple[float, float]:
    """`20@10A` as siemens and the amps that they are stated at."""
    siemens, mark, amps = text.partition("@")
    if not mark:
        raise UserError(
            f"“{text}” is no transconductance; write A/V and the amps they are stated at: 20@10A."
        )
    return parse(siemens), parse(amps, "A")


def _amplifier(unity: str, slew: str, gate: str, resistor: str, integrator: str) -> Amplifier:
    """What drives a gate; its integrator as `10k*1n`, or `none`."""
    there = integrator.strip().casefold() not in ("", "none")
    ohms, mark, farad = integrator.partition("*")
    if there and not mark:
        raise UserError(f"“{integrator}” is no integrator; write ohms and farads: 10k*1n.")
    pair = (parse(ohms, "ohm"), parse(farad, "F")) if there else (0.0, 0.0)
    return Amplifier(parse(unity, "Hz"), parse(slew), parse(gate, "V"), parse(resistor, "ohm"), *pair)


def _errors(made: MadeSink) -> list[dict[str, float]]:
    """What its offsets and a count come to at 10, 50 and 100 % of its amps."""
    rows = []
    for share in SHARES:
        amps = share * made.sink.amps
        off = made.half_width_A(made.set_by, amps)
        rows.append({"at_A": amps, "off_A": off, "off_percent": 100 * off / amps})
    return rows


def _peak(made: MadeSink, watts: float | None) -> dict[str, float | None]:
    """How long it holds more than its watts."""
    if watts is None or made.sink_J_K is None:
        return {"peak_W": watts, "peak_s": None}
    minutes = made.sink.minutes_at(watts, made.sink_J_K)
    return {"peak_W": watts, "peak_s": None if math.isinf(minutes) else 60 * minutes}


def _loop(made: MadeSink) -> dict[str, float | None]:
    """What its loop does, where gate and amplifier are stated."""
    loop = made.loop()
    stable = loop is not None and loop.loop.stable
    step = loop.set_step() if loop and stable else None
    return {
        "phase_margin": min((m for _, m, _ in made.margins), default=None),
        "crossover_Hz": loop.loop.crossover_Hz if loop else None,
        "overshoot_percent": 100 * step.overshoot if step else None,
        "settling_s": step.settles_s if step else None,
        "start_peak_A": made.start.peak_A if made.start else None,
        "start_above_s": made.start.above_s if made.start else None,
    }
