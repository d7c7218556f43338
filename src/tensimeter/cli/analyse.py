"""Commands that analyse a log of readings."""

from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from msgspec import Struct
from msgspec.structs import asdict

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json, Map, Require, check_required, known_verdict
from tensimeter.cli.output import answer
from tensimeter.core.analysis.capacity import capacity
from tensimeter.core.analysis.cross import cross_regulation
from tensimeter.core.analysis.current_limit import LimitKind, current_limit
from tensimeter.core.analysis.leakage import leakage
from tensimeter.core.analysis.regulation import Readings, regulation
from tensimeter.core.analysis.ripple import ripple
from tensimeter.core.analysis.transient import transient
from tensimeter.core.arrays import Array
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.measurement.conformity import (
    Accuracy,
    Band,
    Interval,
    Verdict,
    judge,
    parse_accuracy,
    worst,
)
from tensimeter.core.measurement.plausible import doubts
from tensimeter.core.measurement.readings import UNKNOWN_METER
from tensimeter.core.measurement.recorder import Recorder
from tensimeter.core.quantity import parse
from tensimeter.store.logs import read_load_cases, read_log
from tensimeter.store.untidy import mapping
from tensimeter.store.waveforms import read_waveform

analyse = typer.Typer(help="Analyse a log of readings.", no_args_is_help=True)
app.add_typer(analyse, name="analyse")


@analyse.callback()
def _analyse() -> None:
    """Analyse a log of readings."""


Accept = Annotated[bool, typer.Option("--accept", help="Take figures that can't be right all the same.")]


def must_be_plausible(file: Path, accept: bool, **columns: Any) -> None:  # noqa: ANN401 - as in doubts
    """Doubtful where the figures of a log can't be right, unless they are accepted; as in `doubts`."""
    found = doubts(**columns) if not accept else []
    if found:
        raise Doubtful(f"{file.name}: {found[0]} Nothing was computed; --accept takes it all the same.")


@analyse.command("regulation")
def analyse_regulation(
    files: list[Path],
    nominal: Annotated[str, typer.Option(help="Nominal volts; else the no-load volts.")] = "",
    tolerance: str = "5%",
    lead: Annotated[str, typer.Option(help="Ohms of the voltmeter's lead, taken out.")] = "0",
    meter: Annotated[str, typer.Option(help="Voltmeter: 0.5%+2@0.01")] = "",
    ammeter: Annotated[str, typer.Option(help="Ammeter: 0.5%+2@0.01")] = "",
    volts: str = "",
    amps: str = "",
    map_: Map = "",
    accept: Accept = False,
    require: Require = "",
    json: Json = False,
) -> None:
    """Load regulation and output resistance from volts over amps."""
    from tensimeter.app.imported_readings import must_sink

    known_verdict(require)
    share = _share(tolerance)
    named = mapping(map_) | {k: v for k, v in (("volts", volts), ("amps", amps)) if v}
    columns = [read_log(path, named).need("volts", "amps") for path in files]
    for path, (volts_read, amps_read) in zip(files, columns, strict=True):
        expected = parse(nominal, "V") if nominal else None
        must_sink(path.name, amps_read, 0.0)
        must_be_plausible(path, accept, volts=volts_read, amps=amps_read, expected_V=expected)
    v, i = (np.concatenate(c) for c in zip(*columns, strict=True))
    warnings: list[str] = []
    accuracies = (
        stated_accuracy(meter, v, "voltmeter", warnings),
        stated_accuracy(ammeter, i, "ammeter", warnings, 0.01),
    )
    ohms = parse(lead, "ohm")
    data = Readings.of_one_pair(v, i, *accuracies, ohms, 0.1 * abs(ohms))
    volts_nominal = parse(nominal, "V") if nominal else float(v[np.argmin(i)])
    if not 0 < volts_nominal < np.inf:
        raise UserError("Nominal volts must be above zero.")
    if not nominal:
        warnings.append(
            f"No nominal volts given; {volts_nominal:.5g} V, the least loaded reading, were taken."
        )
    found = regulation(data, volts_nominal)
    band = Band.around(volts_nominal, share)
    verdict = worst(
        _single(x + ohms * y, accuracies[0], 0.1 * abs(ohms) * y, band) for x, y in zip(v, i, strict=True)
    )
    if found.birge > 1:
        warnings.append(
            f"The readings scatter {found.birge:.1f} times as much as the meters' noise "
            "explains; the intervals were widened."
        )
    if accuracies[0].half_width(volts_nominal) >= volts_nominal * share:
        warnings.append(
            "This voltmeter can't settle this tolerance: its own uncertainty is wider. "
            "A finer range or meter would."
        )
    answer(
        {
            "no_load_V": found.no_load_V,
            "full_load_V": found.full_load_V,
            "full_load_A": found.full_load_A,
            "load_regulation_percent": Interval(
                *(
                    100 * x
                    for x in (
                        found.load_regulation.value,
                        found.load_regulation.low,
                        found.load_regulation.high,
                    )
                )
            ),
            "output_resistance_ohm": found.output_resistance_ohm,
            "curved": found.curved,
            "verdict": verdict,
            "readings": found.count,
            "warnings": warnings,
        },
        json,
    )
    check_required(require, verdict)


@analyse.command("cross")
def analyse_cross(
    file: Path,
    meter: Annotated[str, typer.Option(help="Voltmeter: 0.5%+2@0.01")] = "",
    ammeter: Annotated[str, typer.Option(help="Ammeter: 0.5%+2@0.01")] = "",
    json: Json = False,
) -> None:
    """Cross regulation of rails from a table of load cases: columns v NAME and i NAME."""
    rails, volts, amps = read_load_cases(file)
    warnings: list[str] = []
    found = cross_regulation(
        rails,
        volts,
        amps,
        stated_accuracy(meter, volts, "voltmeter", warnings),
        stated_accuracy(ammeter, amps, "ammeter", warnings, 0.01),
    )
    if found.cases == len(rails) + 1:
        warnings.append("As many cases as unknowns: a wrong reading would not show. Add one.")
    rail, by, ohms = found.worst
    answer(
        {
            "rails": found.rails,
            "no_load_V": found.no_load_V,
            "resistance_ohm": found.resistance_ohm,
            "worst": {"rail": rail, "by": by, "coupling_ohm": ohms},
            "residual_V": found.residual_V,
            "warnings": warnings,
        },
        json,
    )


@analyse.command("leakage")
def analyse_leakage(
    open_: Annotated[str, typer.Option("--open", help="Volts to earth through the meter alone, AC.")],
    loaded: Annotated[str, typer.Option(help="The same with the resistor across the meter.")],
    meter: Annotated[str, typer.Option(help="The meter's input.")] = "10M",
    shunt: Annotated[str, typer.Option(help="The resistor.")] = "100k",
    mains: Annotated[str, typer.Option(help="Mains frequency, Hz.")] = "50",
    limit: Annotated[str, typer.Option(help="Touch current, A.")] = "0.25m",
    accuracy: Annotated[str, typer.Option(help="Of the meter, 95 %: 3%. Else 5 % is assumed.")] = "",
    second: Annotated[str, typer.Option(help="With another resistor across the meter: 10k=0.7V.")] = "",
    require: Require = "",
    json: Json = False,
) -> None:
    """Volts to earth: the source behind an open and a loaded reading, and the current through a hand."""
    known_verdict(require)
    read = [parse(open_, "V"), parse(loaded, "V")]
    third = None
    if second:
        ohms, _, volts = second.partition("=")
        third = parse(volts, "V"), parse(ohms, "ohm")
        read.append(third[0])
    found = leakage(
        read[0],
        parse(meter, "ohm"),
        read[1],
        parse(shunt, "ohm"),
        parse(mains, "Hz"),
        parse(limit, "A"),
        half_widths=tuple(parse(accuracy) * v for v in read) if accuracy else None,
        second=third,
    )
    answer(_figures(found), json)
    check_required(require, found.verdict)


Gain = Annotated[str, typer.Option(help="How far the recorder's gain may be off.")]
StepV = Annotated[str, typer.Option(help="A step of its digitiser, V; else as the record shows.")]


def _figures(found: Struct) -> dict[str, object]:
    """A record's fields by name, its intervals as they are."""
    return asdict(found)


@analyse.command("capacity")
def analyse_capacity(
    file: Path,
    cutoff: Annotated[str, typer.Option(help="Volts at which it counts as empty.")],
    own: Annotated[str, typer.Option(help="What the load draws for itself, A.")] = "0",
    meter: Annotated[str, typer.Option(help="Voltmeter: 0.5%+2@0.01")] = "",
    ammeter: Annotated[str, typer.Option(help="Ammeter: 0.5%+2@0.01")] = "",
    time: str = "",
    volts: str = "",
    amps: str = "",
    map_: Map = "",
    accept: Accept = False,
    json: Json = False,
) -> None:
    """Charge and energy down to a cut-off, from volts and amps over time."""
    named = mapping(map_) | {k: v for k, v in (("time", time), ("volts", volts), ("amps", amps)) if v}
    t, v, i = read_log(file, named).need("time", "volts", "amps")
    must_be_plausible(file, accept, volts=v, amps=i)
    warnings: list[str] = []
    found = capacity(
        t, v, i, parse(cutoff, "V"), parse(own, "A"),
        voltmeter=stated_accuracy(meter, v, "voltmeter", warnings),
        ammeter=stated_accuracy(ammeter, i, "ammeter", warnings, 0.01),
    )  # fmt: skip
    answer({**_figures(found), "warnings": warnings}, json)


@analyse.command("transient")
def analyse_transient(
    file: Path,
    band: Annotated[str, typer.Option(help="Share of the settled volts.")] = "1%",
    step_at: Annotated[str, typer.Option(help="When the load steps, s; else it is looked for.")] = "",
    gain: Gain = "3%",
    step: StepV = "0",
    time: str = "",
    volts: str = "",
    map_: Map = "",
    json: Json = False,
) -> None:
    """Dip, overshoot and recovery after a step of the load."""
    named = mapping(map_) | {k: v for k, v in (("time", time), ("volts", volts)) if v}
    t, v = read_log(file, named).need("time", "volts")
    at_s = parse(step_at, "s") if step_at else None
    recorder = Recorder(_share(gain), parse(step, "V"))
    answer(_figures(transient(t, v, _share(band), at_s, recorder)), json)


@analyse.command("ripple")
def analyse_ripple(
    file: Path,
    rate: Annotated[str, typer.Option(help="Samples a second, where the file has no times.")] = "",
    mains: Annotated[str, typer.Option(help="Mains frequency, Hz.")] = "50",
    switching: Annotated[str, typer.Option(help="The converter's switching frequency, if known.")] = "",
    bandwidth: Annotated[str, typer.Option(help="Limit the bandwidth first: 20M")] = "",
    trim: Annotated[str, typer.Option(help="Share of the time left out of the second p-p.")] = "1%",
    gain: Gain = "3%",
    step: StepV = "0",
    time: str = "",
    volts: str = "",
    map_: Map = "",
    json: Json = False,
) -> None:
    """Ripple and noise from a waveform in CSV or NumPy: p-p, rms, and the lines of its spectrum."""
    named = mapping(map_) | {k: v for k, v in (("time", time), ("volts", volts)) if v}
    wave = read_waveform(file, parse(rate, "Hz") if rate else None, named)
    found = ripple(
        wave.volts,
        wave.rate_Hz,
        parse(mains, "Hz"),
        parse(switching, "Hz") if switching else None,
        parse(bandwidth, "Hz") if bandwidth else None,
        parse(trim),
    )
    within = found.within(Recorder(_share(gain), parse(step, "V")))
    half = _share(gain) * abs(found.mean_V)
    answer(
        {
            "mean_V": Interval(found.mean_V, found.mean_V - half, found.mean_V + half),
            "pp_V": within.pp_V,
            "pp_trimmed_V": within.pp_trimmed_V,
            "rms_V": within.rms_V,
            "lines": [
                {"frequency_Hz": x.frequency_Hz, "rms_V": rms, "name": x.name}
                for x, rms in zip(found.lines, within.lines, strict=True)
            ],
            "hidden_by_digitiser": within.blind,
            "warnings": found.warnings,
        },
        json,
    )


@analyse.command("limit")
def analyse_limit(
    file: Path,
    load_max: Annotated[str, typer.Option(help="The most amps the load can sink.")] = "",
    load_watts: Annotated[str, typer.Option(help="The most watts the load can sink.")] = "",
    ammeter: Annotated[str, typer.Option(help="Ammeter: 0.5%+2@0.01")] = "",
    time: str = "",
    volts: str = "",
    amps: str = "",
    set_: Annotated[str, typer.Option("--set", help="Column of the load's setting.")] = "",
    map_: Map = "",
    accept: Accept = False,
    json: Json = False,
) -> None:
    """Current limit from volts and amps in the order taken: where it begins, and its kind."""
    given = (("time", time), ("volts", volts), ("amps", amps), ("set", set_))
    log = read_log(file, mapping(map_) | {k: v for k, v in given if v})
    v, i = log.need("volts", "amps")
    must_be_plausible(file, accept, volts=v, amps=i, steady=False)
    found = current_limit(
        v,
        i,
        log.columns.get("time"),
        log.columns.get("set"),
        parse(load_max, "A") if load_max else None,
        parse(load_watts, "W") if load_watts else None,
        parse_accuracy(ammeter, min(resolution(i), 0.01)) if ammeter else None,
    )
    warnings = [f"{found.reason[0].upper()}{found.reason[1:]}."] if found.kind is LimitKind.UNSURE else []
    result = asdict(found) | {"kind": found.kind.value, "knee_A": found.knee_A, "short_A": found.short_A}
    answer(result | {"warnings": warnings}, json)


def _share(text: str) -> float:
    """A tolerance: `5%`, or a fraction."""
    value = parse(text)
    if not 0 < value <= 1:
        raise UserError(f"“{text}” is no tolerance; write it like 5%.")
    return value


def _single(volts: float, accuracy: Accuracy, lead_bound: float, band: Band) -> Verdict:
    half = accuracy.half_width(volts, (lead_bound,) if lead_bound else ())
    return judge(Interval(volts, volts - half, volts + half), band)


def stated_accuracy(
    text: str, values: Array, what: str, warnings: list[str], coarsest: float = 1.0
) -> Accuracy:
    """An instrument's accuracy as given; a plain handheld's, with a warning, where none is."""
    # Whole amperes in a log are a load's settings, not a meter that shows no more.
    step = min(resolution(values), coarsest)
    if text:
        return parse_accuracy(text, step)
    warnings.append(f"No accuracy given for the {what}; {UNKNOWN_METER}@{step:g} was assumed.")
    return parse_accuracy(UNKNOWN_METER, step)


def resolution(values: Array) -> float:
    """The decimal step in which all values are written, from 1 to 1e−6."""
    for decimals in range(6):
        if np.allclose(values, np.round(values, decimals), rtol=0, atol=1e-9):
            return float(10.0**-decimals)
    return 1e-6
