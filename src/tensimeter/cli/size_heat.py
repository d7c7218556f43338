"""Commands that size what keeps a supply cool: heat sink, derating, fan, thermistor."""

from dataclasses import asdict
from typing import Annotated

import typer

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import pairs, size
from tensimeter.core.errors import Trouble
from tensimeter.core.quantity import parse
from tensimeter.core.thermal import derating, fan, heatsink, ntc


@size.command("heat-sink")
def size_heat_sink(
    power: Annotated[str, typer.Option(help="Heat of all devices together, W.")],
    junction: Annotated[str, typer.Option(help="θ junction to case, K/W.")],
    case: Annotated[str, typer.Option(help="θ case to sink, K/W.")] = "0.5",
    sink: Annotated[str, typer.Option(help="θ of a sink at hand, K/W; else the one needed is told.")] = "",
    devices: Annotated[int, typer.Option(min=1)] = 1,
    mismatch: Annotated[str, typer.Option(help="How much more than its part one device takes.")] = "20%",
    limit: Annotated[str, typer.Option(help="Hottest junction allowed, °C.")] = "125",
    ambient: Annotated[
        str, typer.Option(help="Air at the sink, °C; with --flow or --box the room's.")
    ] = "25",
    flow: Annotated[str, typer.Option(help="Air blown through the box, m³/s.")] = "",
    box: Annotated[str, typer.Option(help="Outside surface of a closed box, m².")] = "",
    json: Json = False,
) -> None:
    """The sink that a heat needs, or how hot it gets on one at hand."""
    uneven = parse(mismatch) if devices > 1 else 0.0
    powers = [parse(power, "W") * s for s in heatsink.shares(devices, uneven)]
    thetas = parse(case), parse(junction)
    hottest, air = parse(limit, "C"), parse(ambient, "C")
    if flow:
        air += heatsink.air_rise_K(sum(powers), parse(flow))
    elif box:
        air += heatsink.closed_box_rise_K(sum(powers), parse(box), air)
    if not sink:
        answer({"sink_K_per_W": heatsink.sink_needed(powers, *thetas, hottest, air), "air_C": air}, json)
        return
    found = heatsink.mounted(powers, parse(sink), *thetas, air)
    over = found.hottest_C - hottest
    warnings = [f"The hottest junction is {over:.3g} K over its limit."] if over > 0 else []
    if found.sink_C > 60:
        warnings.append(
            f"The sink reaches {found.sink_C:.0f} °C: hot to the touch, for long after the load is off."
        )
    answer(
        {
            "air_C": air,
            "sink_C": found.sink_C,
            "hottest_case_C": max(found.case_C),
            "hottest_junction_C": found.hottest_C,
            "to_limit_K": -over,
            "warnings": warnings,
        },
        json,
    )


@size.command("derating")
def size_derating(
    curve: Annotated[list[str], typer.Option(help="A point of the curve: °C = allowed, e.g. 50=6A.")],
    temperature: Annotated[str, typer.Option(help="°C")],
    used: Annotated[str, typer.Option(help="What is used; tells up to which temperature.")] = "",
    json: Json = False,
) -> None:
    """What a device may carry at a temperature, from its derating curve."""
    points = pairs(curve, "C", "")
    allowed = float(derating.allowed_at(points, parse(temperature, "C")))
    found: dict[str, object] = {"allowed": allowed}
    warnings = []
    if used:
        taken = parse(used)
        found["used_percent"] = 100 * taken / allowed if allowed else None
        found["up_to_C"] = derating.hottest_for(points, taken)
        if taken > allowed:
            warnings.append(f"{taken:.3g} is more than the {allowed:.3g} allowed at this temperature.")
    answer({**found, "warnings": warnings}, json)


@size.command("fan")
def size_fan(
    power: Annotated[str, typer.Option(help="Heat, W.")],
    still: Annotated[str, typer.Option(help="θ with the fan off, K/W.")],
    blown: Annotated[str, typer.Option(help="θ with the fan on, K/W.")],
    capacity: Annotated[str, typer.Option(help="Heat capacity, J/K.")],
    on: Annotated[str, typer.Option(help="Switches on at, °C.")],
    off: Annotated[str, typer.Option(help="Switches off at, °C.")],
    ambient: Annotated[str, typer.Option(help="°C")] = "25",
    speed: Annotated[str, typer.Option(help="Speed over full speed: tells how much quieter.")] = "",
    json: Json = False,
) -> None:
    """Whether a fan with thresholds rests, stays on or hunts at a power, and how often."""
    found = fan.hunting(
        parse(power, "W"), parse(ambient, "C"), parse(still), parse(blown), parse(capacity),
        parse(on, "C"), parse(off, "C"),
    )  # fmt: skip
    warnings = []
    if found.period_s is not None and found.period_s < 60:
        warnings.append("It switches more than once a minute: widen the hysteresis, or run it in steps.")
    quieter = {"loudness_dB": fan.quieter_dB(1.0, parse(speed))} if speed else {}
    result = asdict(found)
    result["share_on_percent"] = 100 * result.pop("share_on")
    answer({**result, **quieter, "warnings": warnings}, json)


@size.command("ntc")
def size_ntc(
    point: Annotated[list[str], typer.Option(help="°C = Ω, two or three of them.")] = [],  # noqa: B006
    resistance: Annotated[str, typer.Option(help="Ω at 25 °C, with --beta.")] = "",
    beta: Annotated[str, typer.Option(help="β, K.")] = "",
    series: Annotated[str, typer.Option(help="Resistor of the divider: tells counts.")] = "",
    counts: Annotated[int, typer.Option(min=2, help="Counts of the converter, full scale.")] = 1023,
    at: Annotated[list[str], typer.Option(help="Temperatures of the table, °C.")] = [],  # noqa: B006
    json: Json = False,
) -> None:
    """A thermistor's curve from its points or label, and its counts in a divider."""
    if point:
        made = ntc.from_points(pairs(point, "C", "ohm"))
    elif resistance and beta:
        made = ntc.from_beta(parse(resistance, "ohm"), parse(beta))
    else:
        raise Trouble("Give two or three --point, or --resistance and --beta.")
    rows = []
    for celsius in [parse(t, "C") for t in at] or [0.0, 20.0, 40.0, 60.0, 80.0, 100.0]:
        ohms = made.ohms(celsius)
        row: dict[str, object] = {"temperature_C": celsius, "resistance_ohm": ohms}
        if series:
            row["counts"] = round(ntc.counts(ohms, parse(series, "ohm"), counts))
        rows.append(row)
    curve = {"beta_K": made.beta} if made.c == 0 else {"a": made.a, "b": made.b, "c": made.c}
    answer({**curve, "table": rows}, json)
