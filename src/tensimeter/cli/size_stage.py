"""tensimeter size linear-stage: a linear stage by its circuit."""

from typing import Annotated

import typer

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import size
from tensimeter.core.electrical import stage_words
from tensimeter.core.electrical.linear_stage import CurrentLimit, Divider, LinearStage, Taps, checked
from tensimeter.core.electrical.stage_loop import Follower, StageAmplifier
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.quantity import parse


@size.command("linear-stage")
def size_linear_stage(
    amps: Annotated[str, typer.Option(help="Amps that are wanted for good.")],
    input_high: Annotated[str, typer.Option(help="Input without load at high line, V.")],
    input_low: Annotated[str, typer.Option(help="Valley of the input at full load and low line, V.")],
    stands: Annotated[str, typer.Option(help="What its input stands, V.")] = "40",
    reference: Annotated[str, typer.Option(help="Reference, V.")] = "1.25",
    reference_tolerance: Annotated[str, typer.Option(help="How far it strays.")] = "3%",
    top: Annotated[str, typer.Option(help="From output to the pin, ohms.")] = "240",
    bottom: Annotated[str, typer.Option(help="From the pin to common, ohms.")] = "0",
    pot: Annotated[str, typer.Option(help="Potentiometer, ohms.")] = "0",
    pot_in: Annotated[str, typer.Option(help="Which leg it is in: top or bottom.")] = "bottom",
    pot_end: Annotated[str, typer.Option(help="What it keeps at its end, ohms.")] = "0",
    tied: Annotated[bool, typer.Option("--tied", help="Its wiper is tied to an end.")] = False,
    tolerance: Annotated[str, typer.Option(help="How far resistors stray.")] = "1%",
    pin: Annotated[str, typer.Option(help="Amps out of a three-terminal part’s pin.")] = "50u",
    drop: Annotated[str, typer.Option(help="What a three-terminal part drops, V.")] = "2",
    least: Annotated[str, typer.Option(help="Least load that it asks for, A.")] = "10m",
    sense: Annotated[str, typer.Option(help="Sense resistor of its limit, ohms.")] = "",
    sense_at: Annotated[str, typer.Option(help="Volts across it at which it acts.")] = "0.65",
    fold: Annotated[str, typer.Option(help="Share of the output by which it folds back.")] = "0",
    devices: Annotated[int, typer.Option(min=1, help="Pass devices side by side.")] = 1,
    ballast: Annotated[str, typer.Option(help="Of each, ohms.")] = "0",
    theta_jc: Annotated[str, typer.Option(help="Junction to case, K/W.")] = "3",
    theta_cs: Annotated[str, typer.Option(help="Case to sink, K/W.")] = "0.8",
    sink: Annotated[str, typer.Option(help="The sink that all share, K/W.")] = "2.5",
    ambient: Annotated[str, typer.Option(help="Air at the sink, °C.")] = "40",
    tj_max: Annotated[str, typer.Option(help="Hottest junction, °C.")] = "125",
    gain: Annotated[str, typer.Option(help="Discrete: current gain of the pass devices.")] = "",
    base: Annotated[str, typer.Option(help="Discrete: base over emitter, V.")] = "1.3",
    base_resistor: Annotated[str, typer.Option(help="Discrete: amplifier to base, ohms.")] = "100",
    transition: Annotated[str, typer.Option(help="Discrete: of the pass devices, Hz.")] = "1M",
    unity: Annotated[str, typer.Option(help="Discrete: of the amplifier, Hz.")] = "1M",
    lost_at_top: Annotated[str, typer.Option(help="Discrete: below the amplifier’s supply, V.")] = "1.5",
    lost_at_bottom: Annotated[str, typer.Option(help="Discrete: above common, V.")] = "0",
    integrator: Annotated[str, typer.Option(help="Discrete: F from its output to its input.")] = "10n",
    output_cap: Annotated[str, typer.Option(help="At its output, F.")] = "100u",
    esr: Annotated[str, typer.Option(help="Its own resistance, ohms.")] = "0.1",
    diodes: Annotated[bool, typer.Option("--diodes", help="It has its protection diodes.")] = False,
    lower_tap: Annotated[str, typer.Option(help="Highest input of the lower tap, V.")] = "",
    tap_up: Annotated[str, typer.Option(help="Output above which the upper tap feeds it, V.")] = "8",
    tap_hysteresis: Annotated[str, typer.Option(help="How much lower its relay falls back, V.")] = "0.5",
    tracks: Annotated[str, typer.Option(help="What a pre-regulator leaves across it, V.")] = "",
    json: Json = False,
) -> None:
    """A linear stage: span, dropout, limit, junction at its worst points, sharing, loop of a discrete one."""
    discrete = bool(gain)
    divider = Divider(
        parse(reference, "V"), parse(top, "ohm"), parse(bottom, "ohm"), parse(pot, "ohm"), pot_in,
        parse(pot_end, "ohm"), parse(tolerance), parse(reference_tolerance), parse(pin, "A"), not discrete,
        tied,
    )  # fmt: skip
    follower = Follower(
        parse(gain), parse(transition, "Hz"), parse(ballast, "ohm"), devices, parse(base_resistor, "ohm"),
        parse(base, "V"),
    ) if discrete else None  # fmt: skip
    amplifier = StageAmplifier(
        parse(unity, "Hz"), parse(lost_at_top, "V"), parse(lost_at_bottom, "V"), parse(integrator, "F")
    )
    limit = CurrentLimit(parse(sense, "ohm"), parse(sense_at, "V"), parse(fold)) if sense else None
    taps = Taps(*(parse(x, "V") for x in (lower_tap, tap_up, tap_hysteresis))) if lower_tap else None
    stage = checked(
        LinearStage(
            divider, parse(amps, "A"), parse(input_high, "V"), parse(input_low, "V"), parse(stands, "V"),
            devices, parse(ballast, "ohm"), parse(theta_jc), parse(theta_cs), parse(sink),
            parse(ambient, "C"), parse(tj_max, "C"), limit, parse(drop, "V"),
            0.0 if discrete else parse(least, "A"), follower,
            amplifier if discrete else None, parse(output_cap, "F"), parse(esr, "ohm"), diodes, taps,
            parse(tracks, "V") if tracks else None,
        )
    )  # fmt: skip
    wrong = stage_words.wrong(stage)
    low, high = divider.span_V
    loop = stage.loop()
    stable = loop is not None and loop.loop.stable
    step = loop.set_step() if loop and stable else None
    answer(
        {
            "lowest_V": low,
            "highest_V": high,
            "lowest_worst_V": divider.worst_V[0],
            "highest_worst_V": divider.worst_V[1],
            "dropout_V": stage.dropout_V,
            "most_V": stage.most_V,
            "divider_A": divider.draws_A,
            "limit_A": limit.amps(high) if limit else None,
            "short_A": limit.amps(0.0) if limit else None,
            "holds_A": stage.holds_A,
            "worst_share_percent": 100 * stage.share,
            "points": [
                {"where": words, "out_V": v, "out_A": a, "junction_C": c}
                for words, v, a, c in stage.worst_points
            ],
            "phase_margin": (loop.phase_margin if stable else -180.0) if loop else None,
            "overshoot_percent": 100 * step.overshoot if step else None,
            "settling_s": step.settles_s if step else None,
            "verdict": Verdict.NONCONFORMING if wrong else Verdict.CONFORMS,
            "warnings": [*wrong, *stage_words.minded(stage)],
        },
        json,
    )
