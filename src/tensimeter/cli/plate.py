"""tensimeter plate: what may be written on the front, at 1:1."""

import time
from pathlib import Path
from typing import Annotated, Any

import typer

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.noting import note_export
from tensimeter.cli.output import answer
from tensimeter.core.errors import UserError
from tensimeter.core.plate.dial import dial, dial_scale
from tensimeter.core.plate.label import Style, label
from tensimeter.core.plate.missing import missing, missing_sentence
from tensimeter.core.plate.rating import Plate
from tensimeter.core.tuning.trims import positions
from tensimeter.report.lettering import EngravedLetters, OutlineLetters
from tensimeter.report.plate import plate_of
from tensimeter.report.sheet import outcomes
from tensimeter.report.vector import write_drawing
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook

#: How much of a plate is drawn.
STYLES: dict[str, Style] = {"full": "full", "short": "short", "line": "line"}


@app.command("plate")
def plate_command(
    job: Path,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="FILE.svg, .dxf or .pdf, at 1:1.")
    ] = None,
    width: Annotated[float | None, typer.Option(help="Width of the plate, mm; as the job says.")] = None,
    style: Annotated[str, typer.Option(help="full, short or line")] = "full",
    knob: Annotated[
        str, typer.Option("--dial", help="Instead the scale of a knob, by its readings in Tune.")
    ] = "",
    radius: Annotated[float, typer.Option(help="Of the scale, mm.")] = 18.0,
    engraved: Annotated[bool, typer.Option("--engraved", help="Letters of single lines.")] = False,
    json: Json = False,
) -> None:
    """What has been proven, as it may stand on the front: by readings that hold, and by nothing else."""
    if style not in STYLES:
        raise UserError(f"“{style}” is no style of a plate; there are {', '.join(STYLES)}.")
    if knob:
        answer(_dial(job, knob, radius, output, engraved=engraved), json)
        return
    with JobFile(job, read_only=True) as file:
        judged = outcomes(file.job, file.readings(), WaveBook(file).waves())
        found = plate_of(file.job, file.readings(), judged, time.time())
        left = missing(file.job, judged)
        wide = width if width is not None else file.job.plate.width_mm
    told = {**_told(found), "missing": [missing_sentence(m) for m in left]}
    drawing = label(found, wide, STYLES[style], EngravedLetters() if engraved else OutlineLetters())
    told |= {"width_mm": drawing.width, "height_mm": drawing.height}
    if output is not None:
        write_drawing(drawing, output, engraved=engraved)
        note_export(job, f"plate written to {output.name}")
        told["written"] = str(output)
    answer(told, json)


def _dial(path: Path, knob: str, radius: float, output: Path | None, *, engraved: bool) -> dict[str, Any]:
    """The scale of a knob: its round values, and where each lies in turns."""
    with JobFile(path, read_only=True) as file:
        turns, values, unit = positions(file.job, file.readings(), knob)
    scale = dial_scale(turns, values, unit)
    drawing = dial(scale, radius, f"{knob}, {unit}")
    if output is not None:
        write_drawing(drawing, output, engraved=engraved)
        note_export(path, f"scale of {knob} written to {output.name}")
    long, _ = scale.ticks()
    ticks = zip(long.tolist(), scale.turn_at(long).tolist(), strict=True)
    return {
        "knob": knob,
        "unit": unit,
        "ticks": [{"value": v, "turns": t} for v, t in ticks],
        "written": str(output) if output is not None else None,
    }


def _told(found: Plate) -> dict[str, Any]:
    return {
        "title": found.title,
        "outlets": [
            {
                "output": outlet.output,
                "rated": outlet.rated,
                "says": [e.text for e in outlet.entries],
                "figures": {e.key: e.value for e in outlet.entries if e.value is not None},
                "reach": [{"volts_V": v, "amps_A": a} for v, a in outlet.reach.tolist()],
            }
            for outlet in found.outlets
        ],
        "supply": [e.text for e in (*found.whole, *found.foot)],
        "marks": list(found.marks),
    }
