"""Commands that compute from a job: solve, reach; and what commands share."""

from pathlib import Path
from typing import Annotated

import numpy as np
import typer

from tensimeter.cli.commands import app
from tensimeter.cli.output import answer
from tensimeter.core.circuit.network import has_source
from tensimeter.core.design.reach import most_A, reach, volts_span
from tensimeter.core.electrical.solution import State
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.quantity import parse
from tensimeter.core.rating.dissipation import wall_W
from tensimeter.core.rating.ladder import at, ranked
from tensimeter.store.jobfile import JobFile

Json = Annotated[bool, typer.Option("--json", help="Print one JSON object.")]
Map = Annotated[
    str, typer.Option("--map", help="Which column is which: volts=Spannung,amps=-#3,decimal=comma.")
]
Require = Annotated[str, typer.Option(help="Exit 1 unless the verdict is this one.")]


def known_verdict(require: str) -> None:
    """UserError for a word that is no verdict, before anything is done."""
    if require and require not in [v.value for v in Verdict]:
        raise UserError(f"“{require}” is no verdict; use {', '.join(v.value for v in Verdict)}.")


def check_required(require: str, verdict: Verdict) -> None:
    """Exit 1 when another verdict was asked for."""
    if require and verdict != require:
        raise typer.Exit(1)


def _currents(loads: list[str]) -> dict[str, float]:
    found = {}
    for text in loads:
        name, mark, amps = text.partition("=")
        if not mark:
            raise UserError(f"“{text}” is no load; write OUTPUT=4A.")
        value = parse(amps, "A")
        if not 0 <= value < np.inf:
            raise UserError(f"“{text}”: a load's current is zero or above.")
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
        raise UserError("This job has no path from a source; it is known by its readings only.")
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
            "wall_W": wall_W(document, solution),
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


@app.command("claims")
def claims_command(job: Path, json: Json = False) -> None:
    """What labels and outlets claim, and what was found: amps in their band, where they fall, charge."""
    from tensimeter.core.held.claims import claims
    from tensimeter.report.sheet import outcomes
    from tensimeter.store.waves import WaveBook

    with JobFile(job, read_only=True) as file:
        rows = claims(file.job, outcomes(file.job, file.readings(), WaveBook(file).waves()))
    found = [
        {
            "name": c.name, "is": c.what, "claimed_A": c.claimed_A, "reached_A": c.reached_A,
            "falls_at_A": c.collapse_A, "verdict": c.verdict, "claimed_Ah": c.claimed_Ah,
            "found_Ah": c.found_Ah, "claimed_cell_Ah": c.claimed_cell_Ah, "found_cell_Ah": c.found_cell_Ah,
            "charge_verdict": c.charge_verdict, "proves_nothing": c.pretended,
        }
        for c in rows
    ]  # fmt: skip
    answer({"claims": found}, json)
