"""Heat from the command line: a soak's log analysed, and what a job's soaks have shown of its stages."""

from pathlib import Path
from typing import Annotated, Literal, cast

import numpy as np
import typer

from tensimeter.cli.analyse import Accept, analyse, must_be_plausible
from tensimeter.cli.compute import Json, Map
from tensimeter.cli.output import answer
from tensimeter.core.arrays import Array, Figure
from tensimeter.core.errors import UserError
from tensimeter.core.heatup.fit import fit_heat_up
from tensimeter.core.heatup.record import HeatUp
from tensimeter.core.heatup.runaway import runs_away
from tensimeter.core.measurement.readings import standing
from tensimeter.core.quantity import parse
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.soak.identified import Shown, shown
from tensimeter.core.testplan.soak.run import soak_runs
from tensimeter.core.testplan.taken import taken
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_temperatures
from tensimeter.store.untidy import mapping


@analyse.command("soak")
def analyse_soak(
    file: Path,
    ambient: Annotated[str, typer.Option(help="Room, °C, or the header of its column.")] = "",
    start: Annotated[str, typer.Option(help="Temperature as the load came on, °C; else estimated.")] = "",
    load_on: Annotated[
        str, typer.Option(help="When the load came on, s; else time 0 with --start, or the first row.")
    ] = "",
    limit: Annotated[str, typer.Option(help="The hottest it may get, °C.")] = "",
    order: Annotated[str, typer.Option(help="Time constants: 1, 2 or auto.")] = "auto",
    noise: Annotated[str, typer.Option(help="Noise of the thermometer, K rms; else estimated.")] = "",
    lag: Annotated[str, typer.Option(help="Time constant of the thermometer, s.")] = "0s",
    steady: Annotated[str, typer.Option(help="Steady when less than this is to come, K.")] = "1",
    time: str = "",
    temp: str = "",
    map_: Map = "",
    accept: Accept = False,
    json: Json = False,
) -> None:
    """Where a heat-up ends, its slow time constant, minutes to a limit: 95 % intervals."""
    if order not in ("1", "2", "auto"):
        raise UserError(f"“{order}” is no order; use 1, 2 or auto.")
    t, celsius, room, warnings = _columns(file, ambient, time, temp, map_)
    must_be_plausible(file, accept, celsius=celsius)
    if len(t) < 3 or not np.ptp(celsius):
        raise UserError(
            f"{file.name}: nothing rises in its {len(t)} rows, so nothing can be foreseen. Hold a load "
            "for longer, and log while it warms up."
        )
    # A start that is known belongs to the moment that the file's times count from.
    on = parse(load_on, "s") if load_on else 0.0 if start and t[0] >= 0 else float(t[0])
    record = HeatUp(
        t,
        celsius,
        room,
        (on,),
        parse(start, "C") if start else None,
        parse(noise, "K") if noise else None,
        parse(lag, "s"),
    )
    found = fit_heat_up(record, None, cast(Literal["1", "2", "auto"], order))
    minutes = found.minutes_to(parse(limit, "C")) if limit else None
    if found.open_end:
        warnings.append("The readings cannot bound where it ends: hold the load for longer.")
    elif found.span_s < found.time_constant.value:
        warnings.append("Less than one slow time constant was read; the forecast is wide for that.")
    answer(
        {
            "final_C": found.final,
            "time_constant_s": found.time_constant,
            "order": found.order,
            "minutes_to_limit": minutes,
            "steady": found.steady(parse(steady, "K")),
            "runaway": runs_away(record),
            "remaining_rise_K": found.remaining,
            "chance_to_cross_percent": 100 * found.chance_above(parse(limit, "C")) if limit else None,
            "warnings": warnings,
        },
        json,
    )


def _columns(
    file: Path, ambient: str, time: str, temp: str, map_: str
) -> tuple[Array, Array, Figure, list[str]]:
    """Time, temperature, room and what should be known of them."""
    log = read_temperatures(file, time, mapping(map_))
    names = list(log.celsius)
    warnings: list[str] = []
    room_name = ambient if ambient in names else next((n for n in names if n in ("ambient", "room")), "")
    room: Figure
    if ambient and ambient not in names:
        room = parse(ambient, "C")
        room_name = ""
    elif room_name:
        room = log.celsius[room_name]
    else:
        room = 20.0
        warnings.append("No ambient was given; 20 °C, held, were taken.")
    chosen = temp or next((n for n in names if n != room_name), "")
    if chosen not in names:
        raise UserError(f"{file.name} has no temperature “{chosen}”; it has {', '.join(names)}.")
    return log.time_s, log.celsius[chosen], room, warnings


def shown_by(path: Path) -> Shown:
    """The stages fitted to the last run of a job's soaks; UserError where none has been read."""
    with JobFile(path, read_only=True) as file:
        job, readings = file.job, file.readings()
    for test in reversed([t for t in job.campaign.tests if t.soaks]):
        runs = soak_runs(taken(job, plan(job, test), standing(readings)), test.output)
        found = shown(job, plan(job, test), runs[-1]) if runs else None
        if found is not None:
            return found
    raise UserError(f"{path.name} has no soak that was read at a place of its part: run one first.")
