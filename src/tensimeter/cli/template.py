"""tensimeter template: a face of the box with its holes, at 1:1."""

from pathlib import Path
from typing import Annotated

import typer

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.noting import note_export
from tensimeter.cli.output import answer
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.plate.drilling import CARE, SWARF, schedule
from tensimeter.core.plate.face import faults
from tensimeter.core.plate.face_edits import face_of, from_design, new_face, placed, with_item
from tensimeter.core.plate.template import template
from tensimeter.report.vector import write_drawing
from tensimeter.store.drill_table import write_table
from tensimeter.store.jobfile import JobFile


@app.command("template")
def template_command(
    job: Path,
    face: Annotated[str, typer.Argument(help="front, back, left, right, lid or base")],
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="FILE.svg, .dxf or .pdf, at 1:1.")
    ] = None,
    size: Annotated[str, typer.Option(help="Make the face: 220x90 or 220x90x1.5, mm, cm or in.")] = "",
    material: Annotated[str, typer.Option(help="metal, wood, plastic or printed")] = "metal",
    sure: Annotated[bool, typer.Option("--sure", help="An unusual size is meant in mm.")] = False,
    design: Annotated[bool, typer.Option("--from-design", help="Set on it what it asks for.")] = False,
    add: Annotated[list[str] | None, typer.Option(help="Set a fitting: “terminal=Bath plus@40,25”.")] = None,
    inch: Annotated[bool, typer.Option("--inch", help="Dimensions in inches.")] = False,
    table: Annotated[Path | None, typer.Option(help="Write the drill table, FILE.csv.")] = None,
    json: Json = False,
) -> None:
    """A face of the box with its holes: what is wrong with it, its drill table, its template at 1:1."""
    changes = bool(size or design or add)
    with JobFile(job, read_only=not changes) as file:
        if changes:
            file.edit(f"face {face} drawn", _changed(file.job, face, size, material, sure, design, add or []))
        found, mains_V = face_of(file.job, face), file.job.settings.mains_V
        wrong = [f for f in faults(file.job.plate.faces, mains_V) if f.face == found.id]
        title = f"{file.job.name}, {found.id}"
    if output is not None:
        write_drawing(template(found, title, inch=inch), output)
        note_export(job, f"{found.id} written to {output.name}")
    if table is not None:
        write_table(found, table)
        note_export(job, f"drill table of {found.id} written to {table.name}")
    answer(
        {
            "face": found.id,
            "width_mm": found.width_mm,
            "height_mm": found.height_mm,
            "faults": [{"key": f.key, "items": list(f.items), "caution": f.caution} for f in wrong],
            "steps": [
                {"order": s.order, "x_mm": s.x_mm, "y_mm": s.y_mm, "tool": s.tool,
                 "diameter_mm": s.diameter_mm, "for": s.item, "what": s.what}
                for s in schedule(found)
            ],
            "written": [str(p) for p in (output, table) if p is not None],
            "warnings": [*(f.text for f in wrong), f"{CARE[found.material]}.", SWARF],
        },
        json,
    )  # fmt: skip


def _changed(job: Job, face: str, size: str, material: str, sure: bool, design: bool, add: list[str]) -> Job:
    if size:
        parts = size.casefold().replace("×", "x").split("x")
        if len(parts) not in (2, 3):
            raise UserError(f"“{size}” is no size of a face; write it like 220x90x1.5.")
        unit = next((u for u in ("mm", "cm", "in") if parts[-1].strip().endswith(u)), "")
        wide, high, *rest = (p if p.strip()[-1:].isalpha() else p + unit for p in parts)
        job = new_face(job, face, wide, high, rest[0] if rest else "1.5mm", material, sure=sure)
    if design:
        job = from_design(job, face)
    for text in add:
        job = _added(job, face, text)
    return job


def _added(job: Job, face: str, text: str) -> Job:
    """A fitting as typed: its kind, its name behind =, its place behind @."""
    said, _, at = text.partition("@")
    kind, _, name = said.partition("=")
    job = with_item(job, face, kind.strip(), name)
    if not at:
        return job
    try:
        x, y = (float(part) for part in at.split(","))
    except ValueError as error:
        raise UserError(f"“{at}” is no place on a face; write it like 40,25 in mm.") from error
    return placed(job, face, face_of(job, face).items[-1].id, x, y)
