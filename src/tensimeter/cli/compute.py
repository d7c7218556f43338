"""Commands that compute: solve, analyse."""

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import numpy as np
import typer

from tensimeter.cli.commands import app
from tensimeter.cli.output import answer
from tensimeter.core.arrays import Array
from tensimeter.core.electrical.network import has_source
from tensimeter.core.electrical.solution import State
from tensimeter.core.errors import Trouble
from tensimeter.core.judge import Accuracy, Band, Interval, Verdict, judge, parse_accuracy, worst
from tensimeter.core.limits import at, ranked
from tensimeter.core.quantity import parse
from tensimeter.core.reach import most_A, reach, volts_span
from tensimeter.core.verify.cross import cross_regulation
from tensimeter.core.verify.leakage import leakage
from tensimeter.core.verify.readings import UNKNOWN_METER
from tensimeter.core.verify.regulation import Readings, regulation
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_load_cases, read_log

Json = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]
Require = Annotated[str, typer.Option(help="Exit 1 unless the verdict is this one.")]

analyse = typer.Typer(help="Analyse a log of readings.", no_args_is_help=True)
app.add_typer(analyse, name="analyse")


@analyse.callback()
def _analyse() -> None:
    """Analyse a log of readings."""


def known_verdict(require: str) -> None:
    """Trouble for a word that is no verdict, before anything is done."""
    if require and require not in [v.value for v in Verdict]:
        raise Trouble(f"“{require}” is no verdict; use {', '.join(v.value for v in Verdict)}.")


def check_required(require: str, verdict: Verdict) -> None:
    """Exit 1 when another verdict was asked for."""
    if require and verdict != require:
        raise typer.Exit(1)


def _currents(loads: list[str]) -> dict[str, float]:
    found = {}
    for text in loads:
        name, mark, amps = text.partition("=")
        if not mark:
            raise Trouble(f"“{text}” is no load; write OUTPUT=4A.")
        value = parse(amps, "A")
        if not 0 <= value < np.inf:
            raise Trouble(f"“{text}”: a load's current is zero or above.")
        found[name] = value
    return found


@app.command()
def solve(
    job: Path,
    load: Annotated[list[str], typer.Option(help="An output and its current: OUTPUT=4A.")] = [],  # noqa: B006
    json: Json = False,
) -> None:
    """Every link's volts, amps and watts at given loads."""
    with JobFile(job, read_only=True) as file:
        document = file.job
    if not has_source(document):
        raise Trouble("This job has no path from a source; it is known by its readings only.")
    currents = {document.output(name).id: amps for name, amps in _currents(load).items()}
    _, solution, limits = at(document, currents)
    links = []
    for link in document.design.links:
        p = solution[link.id]
        links.append(
            {
                "link": link.name,
                "id": link.id,
                "voltage_V": p.V,
                "current_A": p.I,
                "power_W": p.power_out,
                "input_V": p.V_in,
                "input_A": p.I_in,
                "loss_W": p.loss,
                "state": State(int(p.state)).words,
            }
        )
    first = ranked(limits)[0]
    warnings = [f"{limit.name}: {limit.sentence}." for limit in ranked(limits) if limit.fraction > 1]
    answer(
        {
            "links": links,
            "wall_W": solution.wall_W,
            "gives_up_first": first.name,
            "used_percent": float(first.fraction) * 100,
            "warnings": warnings,
        },
        json,
    )


@app.command("reach")
def reach_command(
    job: Path,
    output: str,
    load: Annotated[list[str], typer.Option(help="What the others draw: OUTPUT=4A.")] = [],  # noqa: B006
    points: Annotated[int, typer.Option(min=2, max=401, help="Voltages along the border.")] = 21,
    json: Json = False,
) -> None:
    """Where the reach of an adjustable output ends, and what stops it there."""
    with JobFile(job, read_only=True) as file:
        document = file.job
    wanted = document.output(output)
    others = {document.output(name).id: amps for name, amps in _currents(load).items()}
    low, high = volts_span(document, wanted.id)
    most = 1.5 * max(wanted.full_load_A, most_A(document, wanted.id))
    found = reach(document, wanted.id, np.linspace(low, high, points), np.linspace(0, most, 401), others)
    rows = [
        {"voltage_V": here.volts, "current_A": here.amps, "limiter": here.limiter, "short_time_A": timed.amps}
        for here, timed in zip(found.border(), found.border(timed=True), strict=True)
    ]
    answer({"output": wanted.name, "border": rows, "warnings": []}, json)


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
    require: Require = "",
    json: Json = False,
) -> None:
    """Load regulation and output resistance from volts over amps."""
    known_verdict(require)
    share = _share(tolerance)
    named = {k: v for k, v in (("volts", volts), ("amps", amps)) if v}
    columns = [read_log(path, named).need("volts", "amps") for path in files]
    v, i = (np.concatenate(c) for c in zip(*columns, strict=True))
    warnings: list[str] = []
    accuracies = (
        _accuracy(meter, v, "voltmeter", warnings),
        _accuracy(ammeter, i, "ammeter", warnings, 0.01),
    )
    ohms = parse(lead, "ohm")
    data = Readings.of_one_pair(v, i, *accuracies, ohms, 0.1 * abs(ohms))
    volts_nominal = parse(nominal, "V") if nominal else float(v[np.argmin(i)])
    if not 0 < volts_nominal < np.inf:
        raise Trouble("Nominal volts must be above zero.")
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
        _accuracy(meter, volts, "voltmeter", warnings),
        _accuracy(ammeter, amps, "ammeter", warnings, 0.01),
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
    require: Require = "",
    json: Json = False,
) -> None:
    """Volts to earth: the source behind an open and a loaded reading, and the current through a hand."""
    known_verdict(require)
    found = leakage(
        parse(open_, "V"),
        parse(meter, "ohm"),
        parse(loaded, "V"),
        parse(shunt, "ohm"),
        parse(mains, "Hz"),
        parse(limit, "A"),
    )
    answer(asdict(found), json)
    check_required(require, found.verdict)


def _share(text: str) -> float:
    """A tolerance: `5%`, or a fraction."""
    value = parse(text)
    if not 0 < value <= 1:
        raise Trouble(f"“{text}” is no tolerance; write it like 5%.")
    return value


def _single(volts: float, accuracy: Accuracy, lead_bound: float, band: Band) -> Verdict:
    half = accuracy.half_width(volts, (lead_bound,) if lead_bound else ())
    return judge(Interval(volts, volts - half, volts + half), band)


def _accuracy(text: str, values: Array, what: str, warnings: list[str], coarsest: float = 1.0) -> Accuracy:
    # Whole amperes in a log are a load's settings, not a meter that shows no more.
    step = min(_resolution(values), coarsest)
    if text:
        return parse_accuracy(text, step)
    warnings.append(f"No accuracy given for the {what}; {UNKNOWN_METER}@{step:g} was assumed.")
    return parse_accuracy(UNKNOWN_METER, step)


def _resolution(values: Array) -> float:
    """The decimal step in which all values are written, from 1 to 1e−6."""
    for decimals in range(6):
        if np.allclose(values, np.round(values, decimals), rtol=0, atol=1e-9):
            return float(10.0**-decimals)
    return 1e-6
