"""A job as a folder of JSON and CSV, and back; the round trip loses nothing."""

import json
import shutil
import sqlite3
import tempfile
from pathlib import Path
from typing import Any

from tensimeter.core.errors import Trouble
from tensimeter.core.job.document import FORMAT, read_job
from tensimeter.core.verify.readings import pairs
from tensimeter.store.attachments import SUFFIXES
from tensimeter.store.database import TABLES, build_empty
from tensimeter.store.jobfile import JobFile

_TYPES = {
    "id": "int",
    "parent": "int",
    "revision": "int",
    "run": "int",
    "scan": "int",
    "step": "int",
    "corrects": "int",
    "hides": "int",
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
            raise Trouble(f"{folder} is not empty; it was left as it is. Choose another folder.")
        written = [folder / "manifest.json", folder / "job.json"]
        written[0].write_text(json.dumps({"tensimeter": "job export", "format": FORMAT}) + "\n")
        written[1].write_text(file.job.model_dump_json(indent=1) + "\n")
        for table in TABLES:
            names, rows = file.rows(table)
            if "data" in names:
                rows = _data_as_files(folder, table, names, rows, written)
            columns: list[Any] = list(zip(*rows, strict=True)) or [[] for _ in names]
            arrays = [pa.array(list(c), _arrow_type(n)) for n, c in zip(names, columns, strict=True)]
            written.append(folder / f"{table}.csv")
            pa.csv.write_csv(pa.table(dict(zip(names, arrays, strict=True))), written[-1])
        written += _readings_by_test(file, folder)
    except OSError as error:
        raise Trouble(
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
    return folder / f"{table}s" / f"{int(row['id'])}{suffix}"


def _files_as_data(folder: Path, table: str, rows: list[dict[str, Any]]) -> None:
    for row in rows:
        if row.get("data") is not None:
            path = _data_file(folder, table, row)
            try:
                row["data"] = path.read_bytes()
            except OSError as error:
                raise Trouble(f"{path.name} of the export can't be read; nothing was made.") from error


def _readings_by_test(file: JobFile, folder: Path) -> list[Path]:
    """The pairs of each test as a log that any program reads; the import does not need them."""
    import pyarrow as pa
    import pyarrow.csv

    written = []
    readings = file.readings()
    for test in file.job.campaign.tests:
        found = pairs(readings, test.output, test.id)
        if not found:
            continue
        path = folder / "readings" / f"{test.id}.csv"
        path.parent.mkdir(exist_ok=True)
        start = found[0].volts.at
        columns = {
            "time [s]": [p.volts.at - start for p in found],
            "current [A]": [p.amps.value for p in found],
            "voltage [V]": [p.volts.value for p in found],
        }
        pa.csv.write_csv(pa.table(columns), path)
        written.append(path)
    return written


def import_folder(folder: Path, path: Path) -> JobFile:
    """A new job file from an exported folder; Trouble, and no file, when anything is wrong."""
    folder, path = Path(folder), Path(path)
    if path.exists():
        raise Trouble(f"{path.name} exists already; it was left as it is. Choose another name.")
    try:
        manifest = json.loads((folder / "manifest.json").read_text())
    except (OSError, ValueError) as error:
        raise Trouble(f"{folder} is not an exported job: its manifest.json can't be read.") from error
    if not isinstance(manifest, dict) or manifest.get("tensimeter") != "job export":
        raise Trouble(f"{folder} is not an exported job.")
    if manifest.get("format") != FORMAT:
        raise Trouble("This export was written by a newer Tensimeter; nothing was changed.")
    tables = {table: _read_table(folder / f"{table}.csv") for table in TABLES}
    for table in ("attachment", "wave"):
        _files_as_data(folder, table, tables[table])
    if not tables["revision"] or not tables["head"]:
        raise Trouble(f"{folder} holds no revision of a job; nothing was made.")
    for row in tables["revision"]:
        read_job(row["job"])
    with tempfile.TemporaryDirectory() as scratch:
        made = Path(scratch) / "job.tensi"
        build_empty(made)
        _fill(made, tables)
        try:
            shutil.copy(made, path)
        except OSError as error:
            path.unlink(missing_ok=True)
            raise Trouble(f"{path} can't be written: {error.strerror}.") from error
    return JobFile(path)


def _arrow_type(name: str) -> Any:
    import pyarrow as pa

    return {"int": pa.int64(), "float": pa.float64()}.get(_TYPES.get(name, ""), pa.string())


def _read_table(path: Path) -> list[dict[str, Any]]:
    import pyarrow as pa
    import pyarrow.csv

    try:
        header = path.open(encoding="utf-8").readline()
        names = [n.strip().strip('"') for n in header.split(",")]
        options = pa.csv.ConvertOptions(
            column_types={n: _arrow_type(n) for n in names},
            strings_can_be_null=True,
            quoted_strings_can_be_null=False,
        )
        parse = pa.csv.ParseOptions(newlines_in_values=True)
        table = pa.csv.read_csv(path, convert_options=options, parse_options=parse)
    except (OSError, pa.ArrowInvalid, UnicodeDecodeError) as error:
        raise Trouble(f"{path.name} of the export can't be read; nothing was made.") from error
    rows: list[dict[str, Any]] = table.to_pylist()
    return rows


def _fill(path: Path, tables: dict[str, list[dict[str, Any]]]) -> None:
    db = sqlite3.connect(path, isolation_level=None)
    try:
        db.execute("BEGIN")
        for table in TABLES:
            known = {row[1] for row in db.execute(f"PRAGMA table_info({table})")}
            for row in tables[table]:
                if set(row) != known:
                    raise Trouble(
                        f"{table}.csv of the export has other columns than expected; nothing was made."
                    )
                names = list(row)
                db.execute(
                    f"INSERT INTO {table} ({', '.join(names)}) VALUES ({', '.join('?' for _ in names)})",
                    [row[n] for n in names],
                )
        db.execute("COMMIT")
        if db.execute("PRAGMA foreign_key_check").fetchone():
            raise Trouble("The export does not fit together: a row points nowhere; nothing was made.")
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    except sqlite3.Error as error:
        raise Trouble(f"The export does not fit together ({error}); nothing was made.") from error
    finally:
        db.close()
