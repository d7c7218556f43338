"""tensimeter size sink-load: a home-made electronic load by its circuit."""

from typing import Annotated

import typer

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import pairs, size
from tensimeter.core.electrical.sink_load import SHUNT_RISE_K, SHUNT_SHARE, Device, SinkLoad, sized
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.quantity import parse


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
        raise UserError(
            f"One gate for {found.devices} devices is refused: a threshold falls as a device warms, and the "
            "warmest takes ever more. Give each its own shunt and amplifier."
        )
    rated = parse(shunt_watts, "W")
    if rated <= 0:
        raise UserError("A shunt is rated for watts above zero.")
    n, per_V = found.devices, found.devices / found.shunt_ohm
    rise_K = SHUNT_RISE_K * found.shunt_W / rated
    gain = parse(shunt_tolerance) + shunt_ppm * 1e-6 * rise_K
    margin = parse(gate, "V") - parse(gate_at, "V") - found.shunt_V if gate and gate_at else None
    scales = {"set": (dac_range, dac_bits), "read": (adc_range, adc_bits)}
    full = {name: parse(text, "V") for name, (text, _) in scales.items() if text}
    counts = {name: full[name] / 2 ** scales[name][1] * per_V for name in full}
    wrong = _wrong(found, rated, margin, full)
    derated = ["Half of the DC curve is counted on of a part made for switching: a rule of thumb."]
    answer(
        {
            "devices": n,
            "junction_C": float(found.junction_C.max()),
            "case_C": float(found.case_C.max()),
            "lowest_V": found.lowest_V,
            "shunt_V": found.shunt_V,
            "shunt_W": found.shunt_W,
            "offset_A": abs(parse(offset, "V")) * per_V,
            "set_count_A": counts.get("set"),
            "read_count_A": counts.get("read"),
            "gain_percent": 100 * gain,
            "gate_margin_V": margin,
            "soa_margin": found.soa_margin,
            "continuous_W": found.continuous_W(),
            "verdict": Verdict.NONCONFORMING if wrong else Verdict.CONFORMS,
            "warnings": [*wrong, *(derated if switching else [])],
        },
        json,
    )


def _wrong(found: SinkLoad, rated_W: float, margin: float | None, full: dict[str, float]) -> list[str]:
    """What does not hold, a sentence each."""
    said = []
    if found.shunt_W > SHUNT_SHARE * rated_W:
        said.append(
            f"Each shunt takes {found.shunt_W:.3g} W of {rated_W:.3g} W: half of that is used at the most."
        )
    if margin is not None and margin <= 0:
        said.append(f"The gates lack {-margin:.3g} V: the devices do not turn on as far as they must.")
    if found.lowest_V > found.volts:
        said.append("Its lowest volts lie above the volts that it is made for.")
    for name, what in (("set", "What sets it"), ("read", "What measures it")):
        if name in full and full[name] < found.shunt_V:
            said.append(f"{what} ends at {full[name]:.3g} V; a shunt has {found.shunt_V:.3g} V at full amps.")
    return said
