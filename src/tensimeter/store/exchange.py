"""A job as a folder of JSON and CSV, and back; the round trip loses nothing."""

import json
import math
import os
import sqlite3
from functools import partial
from pathlib import Path
from typing import Any

from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import read_job
from tensimeter.core.model.migrations import MAJOR, MINOR
from tensimeter.core.plain_text import as_cell, as_kept
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.taken import taken
from tensimeter.store.attachments import SUFFIXES
from tensimeter.store.database import TABLES, build_empty
from tensimeter.store.jobfile import JobFile
from tensimeter.store.regular import MOST_TABLE, MOST_TEXT, open_regular, read_regular

#: The largest attachment or waveform of an export, bytes.
MOST_DATA = 100_000_000

_TYPES = {
    "id": "int",
    "parent": "int",
    "revision": "int",
    "run": "int",
    "scan": "int",
    "step": "int",
    "corrects": "int",
    "hides": "int",
    "target": "int",
    "at": "float",
    "value": "float",
    "samples": "int",
    "rate": "float",
    "start": "float",
}


def export(file: JobFile, folder: Path) -> list[Path]:
    """Write job.json (for people), one CSV per table and manifest.json; the paths written."""
    import pyarrow as pa
    import pyarrow.csv

    folder = Path(folder)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if any(folder.iterdir()):
            raise UserError(f"{folder} is not empty; it was left as it is. Choose another folder.")
        written = [folder / "manifest.json", folder / "job.json"]
        written[0].write_text(
            json.dumps({"tensimeter": "job export", "format": MAJOR, "minor": MINOR}) + "\n"
        )
        written[1].write_text(file.job.model_dump_json(indent=1) + "\n")
        for table in TABLES:
            names, rows = file.rows(table)
            if "data" in names:
                rows = _data_as_files(folder, table, names, rows, written)
            rows = [tuple(as_cell(v) if isinstance(v, str) else v for v in row) for row in rows]
            columns: list[Any] = list(zip(*rows, strict=True)) or [[] for _ in names]
            arrays = [pa.array(list(c), _arrow_type(n)) for n, c in zip(names, columns, strict=True)]
            written.append(folder / f"{table}.csv")
            pa.csv.write_csv(pa.table(dict(zip(names, arrays, strict=True))), written[-1])
        written += _readings_by_test(file, folder)
    except OSError as error:
        raise UserError(
            f"The export to {folder} failed: {error.strerror}. The job file is untouched."
        ) from error
    return written


def _data_as_files(
    folder: Path, table: str, names: list[str], rows: list[tuple[Any, ...]], written: list[Path]
) -> list[tuple[Any, ...]]:
    """Each attachment and waveform as a file named by its id; the row says only that it is there."""
    at = names.index("data")
    changed = []
    for row in rows:
        if row[at] is not None:
            path = _data_file(folder, table, dict(zip(names, row, strict=True)))
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(row[at])
            written.append(path)
        changed.append((*row[:at], None if row[at] is None else path.name, *row[at + 1 :]))
    return changed


def _data_file(folder: Path, table: str, row: dict[str, Any]) -> Path:
    """Where a row's file lies; its name follows from the id, never from what a table says."""
    suffix = ".npy" if table == "wave" else SUFFIXES.get(str(row.get("media")), ".bin")
    inside = folder / f"{table}s"
    if inside.is_symlink() or not isinstance(row["id"], int):
        raise UserError(f"{inside.name} of the export is not a folder of its own; nothing was made.")
    return inside / f"{row['id']}{suffix}"


def _files_as_data(folder: Path, table: str, rows: list[dict[str, Any]]) -> None:
    for row in rows:
        if row.get("data") is not None:
            path = _data_file(folder, table, row)
            try:
                row["data"] = read_regular(path, MOST_DATA, links=False)
            except UserError as trouble:
                raise UserError(f"{trouble} Nothing was made.") from trouble


def _readings_by_test(file: JobFile, folder: Path) -> list[Path]:
    """What was read for each test, run by run, as logs that any program reads; no import needs them."""
    import pyarrow as pa
    import pyarrow.csv

    written = []
    readings = [r for r in file.readings() if math.isfinite(r.value)]
    for test in file.job.campaign.tests:
        planned = guarded("This test", partial(plan, file.job, test), lambda _: None)
        mine = [r for r in readings if r.test == test.id]
        mine = taken(file.job, planned, readings) if planned is not None else mine
        runs = list(dict.fromkeys(r.run for r in mine))
        for run in runs:
            rows = [r for r in mine if r.run == run]
            name = test.id if len(runs) == 1 else f"{test.id}-{'by-hand' if run is None else f'run-{run}'}"
            path = folder / "readings" / f"{name}.csv"
            path.parent.mkdir(exist_ok=True)
            pa.csv.write_csv(pa.table(_columns_of(rows, test.output)), path)
            written.append(path)
    return written


#: The column of a quantity at the output under test, and of one at another place.
_HERE = {"V": "voltage [V]", "A": "current [A]"}
_ELSEWHERE = {"V": "v {} [V]", "A": "i {} [A]", "C": "temp {} [degC]"}


def _columns_of(rows: list[Reading], output: str) -> dict[str, list[float | None]]:
    """A row a scan: time, then each quantity at each place; empty where a scan lacks it."""
    scans: dict[int, dict[str, float]] = {}
    start, names = rows[0].at, dict.fromkeys(("current [A]", "voltage [V]"))
    for r in rows:
        name = _HERE.get(r.quantity) if r.place == output else None
        name = name or _ELSEWHERE.get(r.quantity, "{} [" + r.quantity + "]").format(r.place)
        names[name] = None
        scans.setdefault(r.scan, {"time [s]": r.at - start})[name] = r.value
    used = [n for n in names if any(n in scan for scan in scans.values())]
    return {as_cell(n): [scan.get(n) for scan in scans.values()] for n in ("time [s]", *used)}


def import_folder(folder: Path, path: Path) -> JobFile:
    """A new job file from an exported folder; UserError, and no file, when anything is wrong.

    It is built beside its place, every row of it is checked, and only then it gets its name.
    """
    folder, path = Path(folder), Path(path)
    if path.exists() or path.is_symlink():
        raise UserError(f"{path.name} exists already; it was left as it is. Choose another name.")
    tables = _tables_of(folder)
    making = path.with_name(f".{path.name}.importing")
    try:
        making.unlink(missing_ok=True)
        build_empty(making)
        _fill(making, tables)
        with JobFile(making, read_only=True) as made:
            wrong = made.check()
        if wrong:
            raise UserError(f"The export does not fit together: {wrong[0]} Nothing was made.")
        os.link(making, path)
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}. Nothing was made.") from error
    finally:
        for left in (making, *(making.with_name(making.name + end) for end in ("-wal", "-shm"))):
            left.unlink(missing_ok=True)
    return JobFile(path)


def _tables_of(folder: Path) -> dict[str, list[dict[str, Any]]]:
    """Every table of an export, its attachments and waveforms put back; UserError where it is none."""
    try:
        manifest = json.loads(read_regular(folder / "manifest.json", MOST_TEXT, links=False))
    except (UserError, ValueError, RecursionError) as error:
        raise UserError(f"{folder} is not an exported job: its manifest.json can't be read.") from error
    if not isinstance(manifest, dict) or manifest.get("tensimeter") != "job export":
        raise UserError(f"{folder} is not an exported job.")
    version = manifest.get("format")
    if not isinstance(version, int) or not 1 <= version <= MAJOR:
        raise UserError("This export was written by a newer Tensimeter; nothing was changed.")
    since = {"strike": 2}
    tables = {t: _read_table(folder / f"{t}.csv") if version >= since.get(t, 1) else [] for t in TABLES}
    for table in ("attachment", "wave"):
        _files_as_data(folder, table, tables[table])
    if not tables["revision"] or not tables["head"]:
        raise UserError(f"{folder} holds no revision of a job; nothing was made.")
    for row in tables["revision"]:
        if not isinstance(row.get("job"), str):
            raise UserError("A revision of the export holds no job; nothing was made.")
        read_job(row["job"])
    return tables


def _arrow_type(name: str) -> object:
    import pyarrow as pa

    return {"int": pa.int64(), "float": pa.float64()}.get(_TYPES.get(name, ""), pa.string())


def _read_table(path: Path) -> list[dict[str, Any]]:
    import pyarrow as pa
    import pyarrow.csv

    try:
        with open_regular(path, MOST_TABLE, links=False) as file:
            header = file.readline(MOST_TEXT).decode("utf-8")
            names = [n.strip().strip('"') for n in header.split(",")]
            options = pa.csv.ConvertOptions(
                column_types={n: _arrow_type(n) for n in names},
                strings_can_be_null=True,
                quoted_strings_can_be_null=False,
            )
            parse = pa.csv.ParseOptions(newlines_in_values=True)
            file.seek(0)
            table = pa.csv.read_csv(file, convert_options=options, parse_options=parse)
    except (OSError, pa.ArrowException, ValueError) as error:
        raise UserError(f"{path.name} of the export can't be read; nothing was made.") from error
    if len(set(table.column_names)) != table.num_columns:
        raise UserError(f"{path.name} of the export has two columns of one name; nothing was made.")
    rows: list[dict[str, Any]] = table.to_pylist()
    return [{k: as_kept(v) if isinstance(v, str) else v for k, v in row.items()} for row in rows]


def _fill(path: Path, tables: dict[str, list[dict[str, Any]]]) -> None:
    db = sqlite3.connect(path, isolation_level=None)
    try:
        db.execute("BEGIN")
        for table in TABLES:
            known = {row[1] for row in db.execute(f"PRAGMA table_info({table})")}
            for row in tables[table]:
                if set(row) != known:
                    raise UserError(
                        f"{table}.csv of the export has other columns than expected; nothing was made."
                    )
                names = list(row)
                db.execute(
                    f"INSERT INTO {table} ({', '.join(names)}) VALUES ({', '.join('?' for _ in names)})",
                    [row[n] for n in names],
                )
        db.execute("COMMIT")
        if db.execute("PRAGMA foreign_key_check").fetchone():
            raise UserError("The export does not fit together: a row points nowhere; nothing was made.")
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    except (sqlite3.Error, OverflowError) as error:
        raise UserError(f"The export does not fit together ({error}); nothing was made.") from error
    finally:
        db.close()
