"""Commands that size what keeps a supply cool: heat sink, derating, fan, thermistor."""

from pathlib import Path
from typing import Annotated

import typer
from msgspec.structs import asdict

from tensimeter.cli.analyse_soak import shown_by
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import pairs, size
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band, judge
from tensimeter.core.quantity import parse
from tensimeter.core.testplan.soak.identified import Shown
from tensimeter.core.thermal import derating, fan, heatsink, ntc

Fitted = Annotated[Path | None, typer.Option(help="A job whose latest soak gives θ, C, heat and room.")]


@size.command("heat-sink")
def size_heat_sink(
    power: Annotated[str, typer.Option(help="Heat of all devices together, W.")] = "",
    junction: Annotated[str, typer.Option(help="θ junction to case, K/W.")] = "",
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
    fitted: Fitted = None,
    json: Json = False,
) -> None:
    """The sink that a heat needs, or how hot it gets on one at hand."""
    if fitted is not None:
        _sink_as_shown(shown_by(fitted), parse(limit, "C"), power, json=json)
        return
    if not power or not junction:
        raise UserError("Give --power and --junction, or --fitted with a job whose soak has shown them.")
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


def _sink_as_shown(shown: Shown, limit_C: float, power: str, *, json: bool) -> None:
    """The sink that a part needs by what its soak has shown of its mounting and its heat."""
    watts = parse(power, "W") if power else shown.own_W
    theta = shown.fit.stages.theta_K_W
    limit = min(limit_C, shown.limit_C)
    needed = heatsink.sink_needed([watts], theta["case"], shown.part.junction_K_W, limit, shown.air_C)
    part = shown.as_part(limit)
    warnings = [] if needed >= theta["sink"] else [f"The sink that is there has {theta['sink']:.3g} K/W."]
    answer(
        {
            "part": shown.name,
            "power_W": watts,
            "sink_K_per_W": needed,
            "sink_now_K_per_W": shown.fit.theta("sink"),
            "mounting_K_per_W": shown.fit.theta("case"),
            "air_C": shown.air_C,
            "hottest_junction_C": part.hottest_C,
            "warnings": warnings,
        },
        json,
    )


@size.command("derating")
def size_derating(
    curve: Annotated[list[str], typer.Option(help="A point of the curve: °C = allowed, e.g. 50=6A.")] = [],  # noqa: B006
    temperature: Annotated[str, typer.Option(help="°C; with --fitted where its soak ends.")] = "",
    used: Annotated[str, typer.Option(help="What is used; tells up to which temperature.")] = "",
    count: Annotated[int, typer.Option(min=1, help="Devices in parallel that share what is used.")] = 1,
    mismatch: Annotated[str, typer.Option(help="How much more than its part one of them takes.")] = "20%",
    fitted: Fitted = None,
    json: Json = False,
) -> None:
    """What a device may carry at a temperature; with --fitted what would make it cooler, ranked."""
    found: dict[str, object] = {}
    if fitted is not None:
        shown = shown_by(fitted)
        part = shown.as_part(shown.limit_C)
        band = Band(None, part.limit_C)
        rows = [
            {"change": r.what, "buys_K": r.buys_K, "hottest_C": ends, "verdict": judge(ends, band).words}
            for r, ends in shown.remedies()
        ]
        found = {"part": shown.name, "hottest_C": part.hottest_C, "limit_C": part.limit_C, "remedies": rows}
        temperature = temperature or f"{part.hottest_C}"
    if not curve:
        if not found:
            raise UserError("Give the points of a --curve, or --fitted with a job whose soak was read.")
        answer(found, json)
        return
    if not temperature:
        raise UserError("Give the --temperature that the curve is read at.")
    points = pairs(curve, "C", "")
    allowed = float(derating.allowed_at(points, parse(temperature, "C")))
    found["allowed"] = allowed
    warnings = []
    if used:
        # Of several side by side the one that takes most counts.
        uneven = parse(mismatch) if count > 1 else 0.0
        taken = parse(used) * heatsink.shares(count, uneven)[0]
        found["used_percent"] = 100 * taken / allowed if allowed else None
        found["up_to_C"] = derating.hottest_for(points, taken)
        if taken > allowed:
            warnings.append(f"{taken:.3g} is more than the {allowed:.3g} allowed at this temperature.")
    answer({**found, "warnings": warnings}, json)


@size.command("fan")
def size_fan(
    on: Annotated[str, typer.Option(help="Switches on at, °C.")],
    off: Annotated[str, typer.Option(help="Switches off at, °C.")],
    blown: Annotated[str, typer.Option(help="θ with the fan on, K/W.")],
    power: Annotated[str, typer.Option(help="Heat, W.")] = "",
    still: Annotated[str, typer.Option(help="θ with the fan off, K/W.")] = "",
    capacity: Annotated[str, typer.Option(help="Heat capacity, J/K.")] = "",
    ambient: Annotated[str, typer.Option(help="°C")] = "25",
    speed: Annotated[str, typer.Option(help="Speed over full speed: tells how much quieter.")] = "",
    fitted: Fitted = None,
    json: Json = False,
) -> None:
    """Whether a fan with thresholds rests, stays on or hunts at a power, and how often."""
    if fitted is not None:
        shown = shown_by(fitted)
        stages = shown.fit.stages
        power, still = power or f"{shown.own_W}", still or f"{stages.theta_K_W['sink']}"
        capacity, ambient = capacity or f"{stages.capacity_J_K['sink']}", f"{shown.air_C}"
    if not (power and still and capacity):
        raise UserError(
            "Give --power, --still and --capacity, or --fitted with a job whose soak has shown them."
        )
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
    fitted: Fitted = None,
    json: Json = False,
) -> None:
    """A thermistor's curve from its points or label, and its counts in a divider."""
    if point:
        made = ntc.from_points(pairs(point, "C", "ohm"))
    elif resistance and beta:
        made = ntc.from_beta(parse(resistance, "ohm"), parse(beta))
    else:
        raise UserError("Give two or three --point, or --resistance and --beta.")
    if fitted is not None:
        shown = shown_by(fitted)
        # Where the sink ends, and where it is when the junction is at its limit: what a trip is set by.
        sink = shown.air_C + shown.own_W * shown.fit.stages.theta_K_W["sink"]
        part = shown.as_part(shown.limit_C)
        at = [*at, f"{sink}", f"{sink + part.limit_C - part.hottest_C}"]
    rows = []
    for celsius in [parse(t, "C") for t in at] or [0.0, 20.0, 40.0, 60.0, 80.0, 100.0]:
        ohms = made.ohms(celsius)
        row: dict[str, object] = {"temperature_C": celsius, "resistance_ohm": ohms}
        if series:
            row["counts"] = round(ntc.counts(ohms, parse(series, "ohm"), counts))
        rows.append(row)
    curve = {"beta_K": made.beta} if made.c == 0 else {"a": made.a, "b": made.b, "c": made.c}
    answer({**curve, "table": rows}, json)
