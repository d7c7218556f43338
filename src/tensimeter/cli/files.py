"""Commands on job files: report, export, import, logbook, check, schema."""

import json as json_module
import time
from pathlib import Path
from typing import Annotated

import typer

from tensimeter.cli.commands import app
from tensimeter.cli.compute import Json
from tensimeter.cli.output import answer
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.model.migrations import MAJOR, MINOR
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
    print(f"{output} written.")


@app.command("export")
def export_command(
    job: Path,
    folder: Path,
    parquet: Annotated[bool, typer.Option("--parquet", help="Readings by job, run and channel.")] = False,
) -> None:
    """A job as a folder of JSON and CSV, or its readings as Parquet beside those of others."""
    with JobFile(job, read_only=True) as file:
        if parquet:
            print(f"{export_partitioned(file, folder)} readings written to {folder}.")
            return
        written = export_folder(file, folder)
    print(f"{len(written)} files written to {folder}.")


@app.command("logbook")
def logbook_command(
    job: Path,
    find: Annotated[str, typer.Option(help="Only entries with these words.")] = "",
    kind: Annotated[str, typer.Option(help="Only edit, reading, run, remark or export.")] = "",
) -> None:
    """The logbook of a job as Markdown: every edit, reading, run, remark and export, by day."""
    with JobFile(job, read_only=True) as file:
        entries, name = file.logbook(last=1_000_000), file.job.name
    if kind and kind not in ("edit", "reading", "run", "remark", "export"):
        raise UserError(f"“{kind}” is no kind of entry: edit, reading, run, remark or export.")
    print(f"# {name}, logbook")
    day = ""
    for entry in entries:
        if (kind and entry.kind != kind) or find.casefold() not in entry.text.casefold():
            continue
        now = time.strftime("%Y-%m-%d", time.localtime(entry.at))
        if now != day:
            print(f"\n## {now}\n")
            day = now
        text = entry.text.replace("\n", " ").replace("*", "\\*").replace("_", "\\_")
        print(f"- {time.strftime('%H:%M:%S', time.localtime(entry.at))} *{entry.kind}* {text}")


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
    told = Job.model_json_schema()
    head = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": f"urn:tensimeter:job:{MAJOR}.{MINOR}",
    }
    print(json_module.dumps(head | told, indent=1))
