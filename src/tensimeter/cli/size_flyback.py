"""tensimeter size flyback: a flyback from what is wanted of it, or as it is wound."""

from typing import Annotated, cast

import typer

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import size
from tensimeter.core.electrical import flyback_words
from tensimeter.core.electrical.flyback_core import Core, skin_depth_m, winding_plan
from tensimeter.core.electrical.flyback_design import (
    AuxSupply,
    Flyback,
    Mode,
    Output,
    Wanted,
    as_wound,
    designed,
)
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.quantity import parse


@size.command("flyback")
def size_flyback(
    line: Annotated[str, typer.Option(help="Lowest and highest line, rms: 180V..264V.")],
    output: Annotated[list[str], typer.Option(help="An output, the one that is held first: 12V@5A.")],
    ae: Annotated[str, typer.Option(help="Area of the core: 76mm2.")],
    le: Annotated[str, typer.Option(help="Length of its path: 72mm.")],
    window: Annotated[str, typer.Option(help="Area of its window: 90mm2.")],
    bulk: Annotated[str, typer.Option(help="Bulk capacitor, F.")] = "120u",
    mains: Annotated[str, typer.Option(help="Mains frequency, Hz.")] = "50",
    aux: Annotated[str, typer.Option(help="What the control lives on: 18V@20m.")] = "",
    frequency: Annotated[str, typer.Option(help="Of the switch, Hz.")] = "65k",
    mode: Annotated[str, typer.Option(help="dcm, crm (critical) or ccm.")] = "dcm",
    duty: Annotated[str, typer.Option(help="At the lowest bulk volts and full load.")] = "0.45",
    efficiency: Annotated[str, typer.Option(help="Watts out of watts in.")] = "85%",
    flux: Annotated[str, typer.Option(help="Flux that the core bears at 100 °C, T.")] = "0.28",
    ramp: Annotated[str, typer.Option(help="ccm: how far amps rise, of their middle.")] = "1",
    limit: Annotated[str, typer.Option(help="Current limit of the control, A.")] = "",
    diode: Annotated[str, typer.Option(help="Drop of the output’s diode, V.")] = "0.5",
    clamp: Annotated[str, typer.Option(help="Clamp over the bulk, V.")] = "",
    leakage: Annotated[str, typer.Option(help="Leakage of the primary’s inductance.")] = "2%",
    breadth: Annotated[str, typer.Option(help="Breadth of a layer: 20mm.")] = "",
    hold_up: Annotated[str, typer.Option(help="Seconds to go on after the line has gone.")] = "0",
    output_cap: Annotated[str, typer.Option(help="Capacitor of the first output, F.")] = "",
    esr: Annotated[str, typer.Option(help="Its own resistance, ohms.")] = "0",
    preload: Annotated[str, typer.Option(help="What the first output always takes, A.")] = "",
    aux_cap: Annotated[str, typer.Option(help="Capacitor of the aux winding, F.")] = "",
    aux_least: Annotated[str, typer.Option(help="Least volts that its control runs at.")] = "",
    gap: Annotated[str, typer.Option(help="As wound: its gap, 0.4mm.")] = "",
    turns: Annotated[str, typer.Option(help="As wound: turns of primary, outputs, aux: 37:4:6.")] = "",
    json: Json = False,
) -> None:
    """A flyback: bulk valley, turns, gap, flux at its limit, what switch and diode stand, winding plan."""
    if bool(gap) != bool(turns):
        raise UserError("A winding that exists has both its --turns and its --gap.")
    if mode not in ("dcm", "crm", "ccm"):
        raise UserError("A mode is dcm, crm or ccm.")
    low, mark, high = line.partition("..")
    if not mark:
        raise UserError("Write the line as its lowest and its highest volts: 180V..264V.")
    first, *others = [_at(text) for text in output]
    farad = parse(output_cap, "F") if output_cap else None
    supply = None
    if aux:
        supply = AuxSupply(
            *_at(aux), parse(aux_cap, "F") if aux_cap else None, parse(aux_least, "V") if aux_least else None
        )
    wanted = Wanted(
        (parse(low, "V"), parse(high, "V")),
        parse(mains, "Hz"),
        parse(bulk, "F"),
        (Output(*first, farad, parse(esr, "ohm")), *(Output(*other) for other in others)),
        parse(frequency, "Hz"),
        Core(
            parse(ae, "mm2") * 1e-6,
            parse(le, "m"),
            parse(window, "mm2") * 1e-6,
            parse(flux),
            parse(breadth, "m") if breadth else 0.0,
        ),
        supply,
        cast("Mode", mode),
        parse(duty),
        parse(efficiency),
        parse(ramp),
        parse(limit, "A") if limit else None,
        parse(diode, "V"),
        parse(clamp, "V") if clamp else None,
        parse(leakage),
        parse(hold_up, "s"),
        parse(preload, "A") if preload else None,
    )
    found = as_wound(wanted, _turns(turns), parse(gap, "m")) if turns else designed(wanted)
    wrong = flyback_words.wrong(found)
    answer(
        {
            **_figures(found),
            "verdict": Verdict.NONCONFORMING if wrong else Verdict.CONFORMS,
            "warnings": [*wrong, *flyback_words.unknown(found)],
        },
        json,
    )


def _at(text: str) -> tuple[float, float]:
    """`12V@5A` as volts and amps."""
    volts, mark, amps = text.partition("@")
    if not mark:
        raise UserError(f"“{text}” is no output; write volts and amps: 12V@5A.")
    return parse(volts, "V"), parse(amps, "A")


def _turns(text: str) -> tuple[int, ...]:
    if not all(x.strip().isdecimal() for x in text.split(":")):
        raise UserError(f"“{text}” are no turns; write whole numbers: 37:4:6.")
    return tuple(int(x) for x in text.split(":"))


def _figures(found: Flyback) -> dict[str, object]:
    """All that was found, by key."""
    wanted, worst, first = found.wanted, found.worst, found.wanted.outputs[0]
    primary, *others = found.windings
    ripple = worst.ripple_V(first.farad, first.esr_ohm) if first.farad else None
    rows = [
        {
            "output": k + 1,
            "turns": turns,
            "volts_V": found.volts_of(turns),
            "rms_A": found.windings[k + 1].rms_A,
            "capacitor_rms_A": found.cycle(wanted.lowest_V, k).capacitor_rms_A,
            "diode_V": found.diode_V(k),
        }
        for k, turns in enumerate(found.turns)
    ]
    return {
        "bulk_valley_V": wanted.valley_V,
        "lowest_bulk_V": wanted.lowest_V,
        "mode": "ccm" if worst.continuous else "dcm",
        "duty": worst.duty,
        "frequency_Hz": worst.stage.frequency_Hz,
        "high_line_frequency_Hz": found.cycle(found.high_V).stage.frequency_Hz,
        "primary_turns": found.primary_turns,
        "secondary_turns": found.turns[0],
        "aux_turns": found.aux_turns,
        "aux_V": found.volts_of(found.aux_turns) if found.aux_turns else None,
        "primary_H": found.primary_H,
        "gap_mm": found.gap_m * 1e3,
        "peak_A": worst.peak_A,
        "limit_A": found.limit_A,
        "primary_rms_A": worst.primary_rms_A,
        "secondary_peak_A": worst.secondary_peak_A,
        "secondary_rms_A": worst.secondary_rms_A,
        "capacitor_rms_A": worst.capacitor_rms_A,
        "ripple_V": ripple,
        "flux_T": found.flux_T,
        "reflected_V": found.reflected_V,
        "clamp_V": found.clamp_V,
        "clamp_W": found.clamp_W,
        "switch_V": found.switch_V,
        "diode_V": found.diode_V(),
        "skin_depth_mm": skin_depth_m(worst.stage.frequency_Hz) * 1e3,
        "fill_percent": 100 * found.fill,
        "most_W": found.most_W,
        "outputs": rows,
        "winding_plan": winding_plan(wanted.core, primary, others),
    }
