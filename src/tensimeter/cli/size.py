"""Commands that size what a supply is made of: rectifier, regulator, feedback, stack, set-point."""

from typing import Annotated

import numpy as np
import typer
from msgspec.structs import asdict

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.core.electrical import feedback as feedbacks
from tensimeter.core.electrical import rectifier as rectifiers
from tensimeter.core.electrical import regulator as regulators
from tensimeter.core.electrical import stack as stacks
from tensimeter.core.electrical.discharge import discharge
from tensimeter.core.electrical.dummy_load import DERATING, RISE_AT_RATING_K, dummy_load
from tensimeter.core.electrical.pwm_dac import pwm_dac
from tensimeter.core.errors import UserError
from tensimeter.core.model.nameplate import read_nameplate
from tensimeter.core.quantity import parse, split

size = typer.Typer(help="Size a part.", no_args_is_help=True)
app.add_typer(size, name="size")


@size.callback()
def _size() -> None:
    """Size a part."""


def pairs(texts: list[str], left: str, right: str) -> list[tuple[float, float]]:
    """Two figures joined by `=`, such as `10k=13.8V`, each in its unit."""
    found = []
    for text in texts:
        first, mark, second = text.partition("=")
        if not mark:
            raise UserError(f"“{text}” is no pair; write two figures joined by “=”.")
        found.append((parse(first, left), parse(second, right)))
    return found


@size.command("rectifier")
def size_rectifier(
    emf: Annotated[str, typer.Option(help="No-load rms volts of the winding (of one half).")],
    capacitance: Annotated[str, typer.Option(help="Reservoir, F.")],
    load: Annotated[str, typer.Option(help="Load: 0.7A, 20R or 12W.")],
    resistance: Annotated[str, typer.Option(help="Ohms behind it; or --rated and --rated-current.")] = "",
    rated: Annotated[str, typer.Option(help="Rms volts of the winding at its rated current.")] = "",
    rated_current: Annotated[str, typer.Option(help="Its rated current, rms.")] = "",
    diode: Annotated[str, typer.Option(help="Drop of each diode, V.")] = "0.8",
    bridge: Annotated[bool, typer.Option("--bridge", help="Four diodes (the default).")] = False,
    centre_tap: Annotated[bool, typer.Option("--centre-tap", help="Two halves, two diodes.")] = False,
    half_wave: Annotated[bool, typer.Option("--half-wave", help="One diode.")] = False,
    esr: Annotated[str, typer.Option(help="The reservoir's own resistance.")] = "0",
    mains: Annotated[str, typer.Option(help="Mains frequency, Hz.")] = "50",
    high_line: Annotated[str, typer.Option(help="How far the mains may rise.")] = "10%",
    json: Json = False,
) -> None:
    """What a reservoir does under load: mean, valley, ripple, currents of diodes, winding, capacitor."""
    if bridge + centre_tap + half_wave > 1:
        raise UserError("Choose one of --bridge, --centre-tap and --half-wave.")
    topology: rectifiers.Topology = "half_wave" if half_wave else ("centre_tap" if centre_tap else "bridge")
    if not resistance and not (rated and rated_current):
        raise UserError("Give --resistance, or --rated and --rated-current.")
    ohms = (
        parse(resistance, "ohm")
        if resistance
        else rectifiers.winding_resistance(parse(emf, "V"), parse(rated, "V"), parse(rated_current, "A"))
    )
    circuit = rectifiers.Rectifier(
        parse(emf, "V"),
        ohms,
        parse(capacitance, "F"),
        parse(diode, "V"),
        topology,
        parse(esr, "ohm"),
        parse(mains, "Hz"),
    )
    value, unit = _load(load)
    found = rectifiers.rectified(circuit, **{f"load_{unit}": value})
    highest = rectifiers.no_load_V(circuit, parse(high_line))
    answer(
        {
            "mean_V": found.mean_V,
            "valley_V": found.valley_V,
            "peak_V": found.peak_V,
            "ripple_pp_V": found.ripple_pp_V,
            "diode_peak_A": found.diode_peak_A,
            "diode_rms_A": found.diode_rms_A,
            "transformer_rms_A": found.transformer_rms_A,
            "capacitor_rms_A": found.capacitor_rms_A,
            "load_A": found.load_A,
            "peak_inverse_V": found.peak_inverse_V,
            "no_load_high_line_V": highest,
            "no_load_inverse_V": rectifiers.peak_inverse_V(circuit, parse(high_line)),
            "warnings": [
                f"The capacitor and what follows must stand {highest:.3g} V, without load at high line."
            ],
        },
        json,
    )


def _load(text: str) -> tuple[float, str]:
    """A load's value and the unit that says its kind: A, ohm or W."""
    value, unit = split(text)
    if unit not in ("", "A", "ohm", "W"):
        raise UserError(f"“{text}” is no load; write amps, ohms or watts.")
    return value, unit or "A"


@size.command("regulator")
def size_regulator(
    r1: Annotated[str, typer.Option(help="From output to adjust pin.")] = "240R",
    r2: Annotated[str, typer.Option(help="Fixed part from adjust pin to common.")] = "0",
    pot: Annotated[str, typer.Option(help="Potentiometer in series with R2.")] = "0",
    turns: Annotated[str, typer.Option(help="Turns of the potentiometer.")] = "1",
    volts: Annotated[str, typer.Option(help="Volts wanted: gives R2.")] = "",
    reference: Annotated[str, typer.Option(help="Reference, V.")] = "1.25",
    adjust: Annotated[str, typer.Option(help="Current of the adjust pin.")] = "50u",
    dropout: Annotated[str, typer.Option(help="Dropout, V.")] = "2",
    minimum: Annotated[str, typer.Option(help="Least load that keeps it regulating.")] = "10m",
    source: Annotated[str, typer.Option("--input", help="Mean input volts.")] = "",
    valley: Annotated[str, typer.Option(help="Input volts at the reservoir's valley, at low line.")] = "",
    current: Annotated[str, typer.Option(help="Load current.")] = "",
    tap: Annotated[list[str], typer.Option(help="Tap switching: input V = up to output V.")] = [],  # noqa: B006
    bin_values: Annotated[list[str], typer.Option("--bin", help="A resistor at hand.")] = [],  # noqa: B006
    json: Json = False,
) -> None:
    """Range, resistors, headroom and dissipation of an adjustable linear regulator."""
    made = regulators.checked(
        regulators.Regulator(
            parse(r1, "ohm"), parse(r2, "ohm"), parse(pot, "ohm"), parse(reference, "V"),
            parse(adjust, "A"), parse(dropout, "V"), parse(minimum, "A"),
        )
    )  # fmt: skip
    low, high = made.span_V
    found: dict[str, object] = {
        "low_V": low, "high_V": high, "per_turn_V": made.volts_per_turn(parse(turns)),
        "programming_A": made.programming_A,
    }  # fmt: skip
    warnings = []
    if made.programming_A < made.minimum_A:
        warnings.append(
            f"R1 draws {made.programming_A * 1e3:.3g} mA, less than the {made.minimum_A * 1e3:.3g} mA it "
            "needs to regulate: without load the output climbs."
        )
    if made.pot_ohm > 0:
        warnings.append(
            "An open wiper in the adjust leg lets the output rise to its input: join it to one end of the "
            "track, so that only a whole track is left."
        )
    if volts:
        wanted = regulators.r2_for(made, parse(volts, "V"))
        found["r2_ohm"] = wanted
        if bin_values:
            picked = regulators.nearest(wanted, [parse(b, "ohm") for b in bin_values])
            found |= {"from_bin_ohm": list(picked.parts), "joined": picked.joined}
    if valley:
        highest = parse(volts, "V") if volts else high
        spare = float(regulators.headroom(parse(valley, "V"), highest, made.dropout_V))
        found["headroom_V"] = spare
        if spare < 0:
            warnings.append(f"At {highest:.3g} V it lacks {-spare:.2g} V in each valley: hum on the output.")
    if source and current:
        feed, amps = parse(source, "V"), parse(current, "A")
        found["worst_W"] = float(regulators.dissipation(feed, low, amps))
        found["least_W"] = float(regulators.dissipation(feed, min(high, feed), amps))
        found["short_W"] = float(regulators.dissipation(feed, 0.0, amps))
        if tap:
            taps = [*pairs(tap, "V", "V"), (feed, np.inf)]
            # On one tap heat falls as the output rises: the worst is at the low end or just over a switch.
            over = np.nextafter([up_to for _, up_to in taps[:-1]], np.inf)
            volts_at = np.array([low, *over[(over > low) & (over < high)]])
            heat = regulators.dissipation(regulators.tapped_input(volts_at, taps), volts_at, amps)
            found["worst_tapped_W"] = float(heat.max())
    answer({**found, "warnings": warnings}, json)


@size.command("feedback")
def size_feedback(
    reference: Annotated[str, typer.Option(help="Reference at the tap, V.")] = "",
    upper: Annotated[str, typer.Option(help="From output to tap.")] = "",
    lower: Annotated[str, typer.Option(help="From tap to common.")] = "",
    fixed: Annotated[str, typer.Option(help="Resistor that is added.")] = "",
    pot: Annotated[str, typer.Option(help="Potentiometer in series with it.")] = "0",
    across: Annotated[str, typer.Option(help="lower or upper")] = "lower",
    trip: Annotated[str, typer.Option(help="Over-voltage trip, V.")] = "",
    tolerance: Annotated[str, typer.Option(help="Of resistors and trip.")] = "1%",
    reference_tolerance: Annotated[str, typer.Option(help="Of the reference.")] = "2%",
    pair: Annotated[list[str], typer.Option(help="Ohms across the lower leg = volts then.")] = [],  # noqa: B006
    volts: Annotated[str, typer.Option(help="Volts wanted, with --pair.")] = "",
    json: Json = False,
) -> None:
    """What a resistor added to a divider does; or an unknown divider from what resistors did.

    With --pair the leg that is added (--fixed, --pot) is told by those pairs: its span, its open wiper, its
    margin to the trip.
    """
    if pair:
        found = feedbacks.infer(pairs(pair, "ohm", "V"))
        result: dict[str, object] = {"before_V": found.before_V, "residual_V": found.residual_V}
        if volts:
            result["resistor_ohm"] = found.resistor_for(parse(volts, "V"))
        if fixed:
            ohms = parse(fixed, "ohm"), parse(pot, "ohm")
            span = feedbacks.span_of(
                found, *ohms, trip_V=parse(trip, "V") if trip else None, tolerance=parse(tolerance)
            )
            result |= asdict(span)
        answer(result, json)
        return
    if across not in ("lower", "upper"):
        raise UserError(f"“{across}” is no leg of a divider; use lower or upper.")
    if not (reference and upper and lower and fixed):
        raise UserError("Give --reference, --upper, --lower and --fixed; or two --pair.")
    divider = feedbacks.Divider(parse(reference, "V"), parse(upper, "ohm"), parse(lower, "ohm"))
    made = feedbacks.shift(
        divider, parse(fixed, "ohm"), parse(pot, "ohm"), "lower" if across == "lower" else "upper",
        trip_V=parse(trip, "V") if trip else None, tolerance=parse(tolerance),
        reference_tolerance=parse(reference_tolerance),
    )  # fmt: skip
    warnings = []
    if made.fails == "high" and parse(pot, "ohm") > 0:
        warnings.append(
            "An open wiper lets the output rise. Refused: put the adjustment across the lower leg."
        )
    if made.trip_margin_V is not None and made.trip_margin_V <= 0:
        warnings.append("With these tolerances the over-voltage trip may act.")
    answer({**asdict(made), "warnings": warnings}, json)


@size.command("stack")
def size_stack(
    unit: Annotated[list[str], typer.Option(help="From the bottom: a nameplate, such as “24V 6.3A 150W”.")],
    trip: Annotated[list[str], typer.Option(help="Trip of each unit, V.")] = [],  # noqa: B006
    tap: Annotated[list[str], typer.Option(help="Amps tapped at each unit's positive.")] = [],  # noqa: B006
    share: Annotated[str, typer.Option(help="How hard a unit is run.")] = "80%",
    diode: Annotated[str, typer.Option(help="Drop of a reverse diode, V.")] = "0.9",
    json: Json = False,
) -> None:
    """Units in series: current, insulation, reverse diodes, and which is the weakest."""
    plates = [read_nameplate(text) for text in unit]
    if any(p.amps is None for p in plates):
        raise UserError("Each nameplate needs amps or watts beside the volts.")
    trips = [parse(t, "V") for t in trip] + [None] * len(plates)
    taps = [parse(t, "A") for t in tap] + [0.0] * len(plates)
    found = stacks.stack(
        [
            stacks.Unit(p.volts, p.amps or 0.0, p.watts, trip_V=t, tap_A=a)
            for p, t, a in zip(plates, trips, taps, strict=False)
        ],
        parse(share),
        parse(diode, "V"),
    )
    answer({**asdict(found), "weakest": found.weakest + 1}, json)


@size.command("dummy-load")
def size_dummy_load(
    volts: Annotated[str, typer.Option(help="Volts of the rail.")],
    current: Annotated[str, typer.Option(help="The least load it needs, A.")],
    ambient: Annotated[str, typer.Option(help="°C")] = "25",
    share: Annotated[str, typer.Option(help="Share of its rating in use.")] = f"{DERATING * 100:g}%",
    rise: Annotated[
        str, typer.Option(help="Rise of the surface at the rating, K.")
    ] = f"{RISE_AT_RATING_K:g}",
    json: Json = False,
) -> None:
    """A resistor that gives a rail its minimum load."""
    found = dummy_load(
        parse(volts, "V"),
        parse(current, "A"),
        parse(ambient, "C"),
        share=parse(share),
        rise_K=parse(rise, "K"),
    )
    hot = [f"Its surface reaches {found.surface_C:.0f} °C: out of reach, clear of plastic and wood."]
    answer({**asdict(found), "warnings": hot if found.surface_C > 60 else []}, json)


@size.command("discharge")
def size_discharge(
    capacitance: Annotated[str, typer.Option(help="F")],
    start: Annotated[str, typer.Option(help="Volts at the start.")],
    resistance: Annotated[str, typer.Option(help="Ohms across it.")],
    end: Annotated[str, typer.Option(help="Volts to reach.")] = "5",
    json: Json = False,
) -> None:
    """How long a resistor takes to empty a capacitor, and what it must stand."""
    found = discharge(parse(capacitance, "F"), parse(start, "V"), parse(end, "V"), parse(resistance, "ohm"))
    creep = f"The volts creep back, to some {found.creeps_to_V:.3g} V: measure again before you touch."
    answer({**asdict(found), "warnings": [creep]}, json)


@size.command("pwm-dac")
def size_pwm_dac(
    supply: Annotated[str, typer.Option(help="V")],
    frequency: Annotated[str, typer.Option(help="Hz")],
    bits: Annotated[int, typer.Option(help="Bits of the pulse's width.")],
    resistance: Annotated[str, typer.Option(help="Ohms of the filter.")],
    capacitance: Annotated[str, typer.Option(help="F of the filter.")],
    json: Json = False,
) -> None:
    """Ripple and settling of a set-point made of filtered pulses."""
    found = pwm_dac(
        parse(supply, "V"), parse(frequency, "Hz"), bits, parse(resistance, "ohm"), parse(capacitance, "F")
    )
    rough = [] if found.half_step_ripple else [f"The ripple leaves {found.bits_left:.1f} of {bits} bits."]
    answer({**asdict(found), "warnings": rough}, json)
