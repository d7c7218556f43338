"""Commands on job files: report, export, import, logbook, check, schema."""

import json as json_module
from pathlib import Path
from typing import Annotated

import typer

from tensimeter.app.logbook import KINDS, Wanted, chosen, entries_of
from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.noting import note_export
from tensimeter.cli.output import answer
from tensimeter.cli.streams import say
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.model.migrations import MAJOR, MINOR
from tensimeter.report.logbook import as_markdown
from tensimeter.store.database import TABLES
from tensimeter.store.exchange import export as export_folder
from tensimeter.store.exchange import import_folder
from tensimeter.store.jobfile import JobFile
from tensimeter.store.partitioned import export_partitioned


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
    note_export(job, f"data sheet written to {output.name}")
    say(f"{output} written.")


@app.command("export")
def export_command(
    job: Path,
    folder: Path,
    parquet: Annotated[bool, typer.Option("--parquet", help="Readings by job, run and channel.")] = False,
) -> None:
    """A job as a folder of JSON and CSV, or its readings as Parquet beside those of others."""
    with JobFile(job, read_only=True) as file:
        if parquet:
            told = f"{export_partitioned(file, folder)} readings written to {folder}."
        else:
            told = f"{len(export_folder(file, folder))} files written to {folder}."
    note_export(job, f"{'readings' if parquet else 'everything'} written to {folder.name}")
    say(told)


@app.command("logbook")
def logbook_command(
    job: Path,
    find: Annotated[str, typer.Option(help="Only entries with these words.")] = "",
    kind: Annotated[str, typer.Option(help="Only edit, reading, run, remark, export or photo.")] = "",
    link: Annotated[str, typer.Option(help="Only what names this link, by its id.")] = "",
    test: Annotated[str, typer.Option(help="Only what names this test, by its id.")] = "",
) -> None:
    """The logbook of a job as Markdown: every edit, reading, run, remark, photo and export, by day."""
    with JobFile(job, read_only=True) as file:
        entries, job_in_it = entries_of(file), file.job
    if kind and kind not in KINDS:
        raise UserError(f"“{kind}” is no kind of entry: {', '.join(KINDS)}.")
    if link and link not in {x.id for x in job_in_it.design.links}:
        raise UserError(f"“{link}” is no link of this job; its links are named by their ids.")
    if test and test not in {t.id for t in job_in_it.campaign.tests}:
        raise UserError(f"“{test}” is no test of this job; its tests are named by their ids.")
    print(as_markdown(job_in_it.name, chosen(job_in_it, entries, Wanted(find, kind, link, test))))


@app.command("import")
def import_command(folder: Path, job: Path) -> None:
    """A job file from an exported folder."""
    with import_folder(folder, job) as file:
        say(f"{job}: {file.job.name}, {file.count('reading')} readings.")


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
    told = Job.model_json_schema()
    head = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": f"urn:tensimeter:job:{MAJOR}.{MINOR}",
    }
    print(json_module.dumps(head | told, indent=1))
