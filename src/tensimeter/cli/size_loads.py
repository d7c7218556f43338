"""tensimeter size load-bank, led-strings, motor-load, pulsed-load: loads of what is in the bin."""

import math
from typing import Annotated, Any

import typer

from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.cli.size import size
from tensimeter.core.electrical.load_bank import Bank, LedString, Motor, Piece, Pulsed, nearest_banks
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import parse

#: How far off a bank may be before it is said.
FAR = 0.2
HOT = "Hot for minutes after it is off; keep wood, cable and printed plastic away, and a hand."


def _piece(text: str) -> Piece:
    ohm, mark, watts = text.partition("@")
    if not mark:
        raise UserError(f"“{text}” is no resistor; write ohms and watts: 10R@50W.")
    return Piece(parse(ohm, "ohm"), parse(watts, "W"))


def _joined(bank: Bank) -> str:
    return ("  +  " if bank.series else "  ∥  ").join(f"{p.ohm:g} Ω {p.rated_W:g} W" for p in bank.pieces)


@size.command("load-bank")
def size_load_bank(
    volts: Annotated[str, typer.Option(help="Volts that it is put across.")],
    piece: Annotated[list[str], typer.Option(help="A resistor of the bin: 10R@50W; several.")],
    amps: Annotated[list[str], typer.Option(help="A point that is wanted, A; several.")],
    json: Json = False,
) -> None:
    """Which resistors of the bin give the wanted points: watts of each, hot amps, when too hot to touch."""
    wanted = [parse(a, "A") for a in amps]
    banks = nearest_banks([_piece(p) for p in piece], parse(volts, "V"), wanted)
    rows: list[dict[str, Any]] = [
        {
            "wanted_A": a,
            "amps_A": bank.amps,
            "cold_A": bank.cold_A,
            "pieces": _joined(bank),
            "hottest_W": max(bank.watts),
            "hottest_C": max(bank.celsius),
            "touch_s": None if math.isinf(bank.touch_s) else bank.touch_s,
            "within_half": bank.within,
        }
        for a, bank in zip(wanted, banks, strict=True)
    ]
    words = "no bank holds it within half of its ratings; for seconds only."
    over = [f"{row['wanted_A']:g} A: {words}" for row in rows if not row["within_half"]]
    far = [
        f"{row['wanted_A']:g} A: the nearest of this bin that holds draws {row['amps_A']:.3g} A."
        for row in rows
        if abs(row["amps_A"] / row["wanted_A"] - 1) > FAR
    ]
    answer({"points": rows, "warnings": [*over, *far, HOT]}, json)


@size.command("led-strings")
def size_led_strings(
    threshold: Annotated[str, typer.Option(help="Volts at which one string begins, 25 °C.")],
    slope: Annotated[str, typer.Option(help="Ohms of one string beyond that.")],
    volts: Annotated[str, typer.Option(help="Volts of its source.")],
    leds: Annotated[int, typer.Option(min=1, help="LEDs in a string.")] = 1,
    strings: Annotated[int, typer.Option(min=1, help="Strings side by side.")] = 1,
    tolerance: Annotated[str, typer.Option(help="How far the source strays.")] = "2%",
    differ: Annotated[str, typer.Option(help="How far strings differ, V.")] = "0.1",
    cold: Annotated[str, typer.Option(help="Coldest, °C.")] = "0",
    hot: Annotated[str, typer.Option(help="Hottest LED, °C.")] = "80",
    json: Json = False,
) -> None:
    """Strings of LEDs: amps cold, hot, at the source's upper end; amps for 0.1 V; how strings share."""
    one = LedString(parse(threshold, "V"), parse(slope, "ohm"), leds)
    if one.slope_ohm <= 0 or one.threshold_V <= 0:
        raise UserError("A string begins above zero volts and has ohms above zero.")
    at, high = parse(volts, "V"), parse(volts, "V") * (1 + parse(tolerance))
    cold_K, hot_K = parse(cold, "C") - 25, parse(hot, "C") - 25
    share = one.share(strings, parse(differ, "V"), at)
    warnings = ["A current limit holds what volts alone do not: a string takes far more for a little more."]
    if strings > 1 and share > 1.3 / strings:
        warnings.append(
            f"One of {strings} strings takes {100 * share:.0f} % of the amps: a resistor in each."
        )
    answer(
        {
            "amps_A": strings * one.amps(at),
            "cold_A": strings * one.amps(at, cold_K),
            "hot_A": strings * one.amps(at, hot_K),
            "upper_hot_A": strings * one.amps(high, hot_K),
            "amps_per_tenth_V_A": strings * 0.1 / one.slope_ohm,
            "most_share_percent": 100 * share,
            "warnings": warnings,
        },
        json,
    )


@size.command("motor-load")
def size_motor_load(
    volts: Annotated[str, typer.Option(help="Volts of its supply.")],
    winding: Annotated[str, typer.Option(help="Ohms of its winding, read at rest in several places.")],
    own: Annotated[str, typer.Option(help="Share of the volts that it makes itself as it runs.")] = "85%",
    json: Json = False,
) -> None:
    """A motor as a load: starting, running, reversed, and what it feeds back."""
    motor = Motor(parse(volts, "V"), parse(winding, "ohm"), parse(own))
    if motor.volts <= 0 or motor.winding_ohm <= 0 or not 0 <= motor.own_share < 1:
        raise UserError("Volts and ohms of a motor are above zero, its own share between 0 and 100 %.")
    answer(
        {
            "stalled_A": motor.stalled_A,
            "running_A": motor.running_A,
            "reversed_A": motor.reversed_A,
            "feeds_back_V": motor.feeds_back_V,
            "warnings": [
                "It feeds back while it turns and its supply is off: a supply that can’t take that climbs. "
                "A diode, "
                "or a resistor that is switched across it."
            ],
        },
        json,
    )


@size.command("pulsed-load")
def size_pulsed_load(
    high: Annotated[str, typer.Option(help="Amps while it draws.")],
    share: Annotated[str, typer.Option(help="Share of the time.")],
    low: Annotated[str, typer.Option(help="Amps for the rest.")] = "0",
    json: Json = False,
) -> None:
    """A pulsed load: mean, rms and peak amps, and which of them a clamp and a display show."""
    load = Pulsed(parse(high, "A"), parse(low, "A"), parse(share))
    if not 0 < load.share <= 1 or load.low_A < 0 or load.high_A <= load.low_A:
        raise UserError("A pulse draws more than its rest, for more than nothing up to all of the time.")
    answer(
        {
            "mean_A": load.mean_A,
            "rms_A": load.rms_A,
            "peak_A": load.high_A,
            "crest_factor": load.high_A / load.rms_A,
            "warnings": [
                "Displays and clamps for DC show the mean, wires and fuses heat by the rms, and a limit "
                "acts at the peak."
            ],
        },
        json,
    )
