"""Commands on job files: report, export, import, check, schema."""

import json as json_module
from pathlib import Path
from typing import Annotated

import typer

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.store.database import TABLES
from tensimeter.store.exchange import export as export_folder
from tensimeter.store.exchange import import_folder
from tensimeter.store.jobfile import JobFile


@app.command()
def report(
    job: Path,
    output: Annotated[Path, typer.Option("-o", "--output", help="FILE.pdf or FILE.html")],
    beside: Annotated[
        list[Path] | None, typer.Option("--beside", help="Another supply's job, told beside it.")
    ] = None,
) -> None:
    """The data sheet as PDF or as one self-contained HTML file."""
    from tensimeter.report.datasheet import write

    with JobFile(job, read_only=True) as file:
        write(file, output, beside or ())
    print(f"{output} written.")


@app.command("export")
def export_command(job: Path, folder: Path) -> None:
    """A job as a folder of JSON and CSV."""
    with JobFile(job, read_only=True) as file:
        written = export_folder(file, folder)
    print(f"{len(written)} files written to {folder}.")


@app.command("import")
def import_command(folder: Path, job: Path) -> None:
    """A job file from an exported folder."""
    with import_folder(folder, job) as file:
        print(f"{job}: {file.job.name}, {file.count('reading')} readings.")


@app.command()
def check(job: Path, json: Json = False) -> None:
    """Whether a job file is whole."""
    with JobFile(job, read_only=True) as file:
        wrong = file.check()
        counts = {table: file.count(table) for table in TABLES}
    if wrong:
        raise UserError(f"{job.name} is damaged: {wrong[0]}. It was left as it is.")
    answer({"whole": True, **counts}, json)


@app.command()
def schema() -> None:
    """The JSON Schema of a job."""
    print(json_module.dumps(Job.model_json_schema(), indent=1))
