"""Commands that size wires and the fuses before them."""

import math
from typing import Annotated

import typer
from msgspec.structs import asdict

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import size
from tensimeter.core.electrical import fuse as fuses
from tensimeter.core.electrical import wire
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.quantity import parse

Ambient = Annotated[str, typer.Option(help="Hottest air around the wire, °C.")]
Bundle = Annotated[int, typer.Option(min=1, help="So many circuits lie bundled together.")]
Insulation = Annotated[str, typer.Option(help="What the wire's insulation stands, °C.")]


@size.command("wire")
def size_wire(
    gauge: Annotated[str, typer.Option(help="16awg or 0.75mm2")],
    length: Annotated[str, typer.Option(help="Length of one leg, m.")],
    current: Annotated[str, typer.Option(help="Current, A.")],
    temperature: Annotated[str, typer.Option(help="Temperature of the copper, °C.")] = "20",
    ambient: Ambient = "20",
    bundle: Bundle = 1,
    insulation: Insulation = "70",
    json: Json = False,
) -> None:
    """Resistance, drop and loss of a two-conductor lead, both legs."""
    area = wire.parse_area(gauge)
    metres, amps, celsius = _metres(length), parse(current, "A"), parse(temperature, "C")
    if metres < 0 or amps < 0:
        raise UserError("Length and current must be zero or above.")
    if not -100 <= celsius <= 400:
        raise UserError(f"{celsius:g} °C is outside what copper wire is used at.")
    ohms = wire.resistance(metres, area, celsius)
    carries = wire.ampacity(area, parse(insulation, "C"), parse(ambient, "C"), bundle)
    warnings = []
    if amps > carries:
        warnings.append(
            f"{amps:.3g} A is above the {carries:.3g} A that this size carries in free "
            f"air of {ambient} °C with insulation for {insulation} °C (rule of thumb)."
        )
    answer(
        {
            "resistance_ohm": ohms,
            "drop_V": ohms * amps,
            "loss_W": ohms * amps**2,
            "area_mm2": area * 1e6,
            "ampacity_A": carries,
            "warnings": warnings,
        },
        json,
    )


def _metres(text: str) -> float:
    """A length; a bare `m` is metres here, not milli."""
    stripped = text.strip()
    for unit, scale in (("mm", 1e-3), ("cm", 1e-2), ("m", 1.0)):
        if stripped.endswith(unit):
            return parse(stripped.removesuffix(unit)) * scale
    return parse(stripped)


@size.command("fuse")
def size_fuse(
    current: Annotated[str, typer.Option(help="Continuous current, A.")],
    wire_gauge: Annotated[str, typer.Option("--wire", help="Wire behind it: 16awg or 0.75mm2")] = "",
    inrush: Annotated[str, typer.Option(help="i²t of the inrush, A²s.")] = "0",
    source: Annotated[str, typer.Option(help="The most the source can deliver, A.")] = "",
    speed: Annotated[str, typer.Option(help="slow or fast")] = "slow",
    share: Annotated[str, typer.Option(help="Share of its rating in continuous use.")] = "75%",
    family: Annotated[str, typer.Option(help="cartridge, blade or line; else not known")] = "not known",
    at_times: Annotated[str, typer.Option("--at", help="When it blows at so many times its rating: 2x")] = "",
    ambient: Ambient = "20",
    bundle: Bundle = 1,
    insulation: Insulation = "70",
    json: Json = False,
) -> None:
    """The rating of a fuse, and whether it can do its work."""
    if speed not in fuses.MELTING_S:
        raise UserError(f"“{speed}” is no speed of a fuse; use slow or fast.")
    if family not in (*fuses.FUSING, "line"):
        raise UserError(f"“{family}” is no family of fuses; use cartridge, blade or line.")
    around = parse(insulation, "C"), parse(ambient, "C"), bundle
    found = fuses.choose(
        parse(current, "A"),
        wire_A=wire.ampacity(wire.parse_area(wire_gauge), *around) if wire_gauge else None,
        inrush_A2s=parse(inrush),
        most_A=parse(source, "A") if source else None,
        speed=speed,
        share=parse(share),
        family=family,
    )
    amps = parse(at_times.removesuffix("x")) * found.rated_A if at_times else parse(source or "0", "A")
    told: dict[str, object] = {**asdict(found), "conventional_fusing_A": found.blows_for_certain_A}
    if amps > 0:
        least, most = fuses.blow_s(found.rated_A, amps, "blade" if family == "blade" else speed)
        middle = math.sqrt(least * most) if math.isfinite(least * most) else most
        told["time_s"] = Interval(middle, least, most)
    answer(told, json)


@size.command("transformer-fuse")
def size_transformer_fuse(
    current: Annotated[str, typer.Option(help="DC behind the reservoir, A.")],
    secondary: Annotated[str, typer.Option(help="Secondary volts, rms.")],
    primary: Annotated[str, typer.Option(help="Primary volts, rms.")] = "230",
    rms_factor: Annotated[str, typer.Option(help="Secondary rms over DC, 1.8 to 2.")] = "1.8",
    factor: Annotated[str, typer.Option(help="Rating over the primary current.")] = "1.5",
    json: Json = False,
) -> None:
    """The primary fuse of a transformer that feeds a rectifier and a reservoir."""
    amps = fuses.transformer_primary_A(
        parse(current, "A"), parse(secondary, "V"), parse(primary, "V"), parse(rms_factor)
    )
    found = fuses.choose(amps * parse(factor), share=1.0)
    warnings = [
        "Slow type: a transformer draws a multiple of its current for some cycles when it is switched on.",
        "The mains side is for those licensed for it; local codes decide.",
    ]
    answer({"primary_A": amps, "rated_A": found.rated_A, "speed": "slow", "warnings": warnings}, json)
