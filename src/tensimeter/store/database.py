"""The SQLite side of a job file: making, opening and locking it, and what its errors mean."""

import errno
import fcntl
import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.model.migrations import MAJOR, MINOR, as_number
from tensimeter.store.held import Holding, hold, holding_of, one_at_a_time
from tensimeter.store.regular import open_regular

#: Marks a file as ours: "tens" in ASCII (SQLite application id).
APPLICATION_ID = 0x74656E73
#: The format that is written, as one number.
FORMAT_NUMBER = as_number(MAJOR, MINOR)
#: The largest job file that is opened, bytes.
MOST_JOB = 64_000_000_000
TABLES = ("revision", "head", "run", "run_event", "reading", "attachment", "wave", "strike", "log")


def build_empty(path: Path) -> None:
    """The tables of a job file with nothing in them; a file that fails half-way is removed."""
    try:
        with said(path):
            db = sqlite3.connect(path, isolation_level=None)
            try:
                db.execute("PRAGMA journal_mode = WAL")
                db.execute(f"PRAGMA application_id = {APPLICATION_ID}")
                db.execute(f"PRAGMA user_version = {FORMAT_NUMBER}")
                make_tables(db)
            finally:
                db.close()
    except UserError:
        path.unlink(missing_ok=True)
        raise


def make_tables(db: sqlite3.Connection) -> None:
    """The tables that are not there yet, each with what keeps its rows from being changed."""
    script = resources.files("tensimeter.store").joinpath("schema.sql").read_text()
    db.executescript(script)
    for table in TABLES:
        for verb in ("UPDATE", "DELETE"):
            db.execute(
                f"CREATE TRIGGER IF NOT EXISTS {table}_no_{verb.lower()} BEFORE {verb} ON {table}"
                f" BEGIN SELECT RAISE(ABORT, 'rows are never changed'); END"
            )


def tables_of(db: sqlite3.Connection, path: Path, *, complete: bool) -> set[str]:
    """The tables that a file has; with `complete`, those that came later are added empty."""
    ask = "SELECT name FROM sqlite_master WHERE type = 'table'"
    with said(path):
        found = {str(row[0]) for row in db.execute(ask)}
        version = db.execute("PRAGMA user_version").fetchone()[0]
        if complete and (version < FORMAT_NUMBER or not set(TABLES) <= found):
            make_tables(db)
            # What an older program does not know of it would leave out of account.
            db.execute(f"PRAGMA user_version = {FORMAT_NUMBER}")
            return set(TABLES)
    return found


def connect(path: Path, read_only: bool, *, alone: bool = False) -> sqlite3.Connection:
    """Open a database; `alone` when nobody writes it while it is read: then nothing is left beside it."""
    with said(path):
        if read_only:
            db = sqlite3.connect(
                f"{path.resolve().as_uri()}?{_reading_mode(path, alone)}",
                uri=True,
                check_same_thread=False,
                isolation_level=None,
            )
        else:
            db = sqlite3.connect(path, check_same_thread=False, isolation_level=None, timeout=5)
            db.execute("PRAGMA journal_mode = WAL")
            # A reading that was shown must outlive a power cut, not only a killed program.
            db.execute("PRAGMA synchronous = FULL")
            db.execute("PRAGMA foreign_keys = ON")
        # Nothing that the file itself defines is run, and damaged pages are seen as such.
        db.execute("PRAGMA trusted_schema = OFF")
        db.execute("PRAGMA cell_size_check = ON")
        db.execute("SELECT count(*) FROM sqlite_master").fetchone()
        return db


def _reading_mode(path: Path, alone: bool) -> str:
    """How to open for reading: where nothing is or can be written, SQLite need not look for its log.

    A log that is there holds the newest entries; then the folder has to be writable to read them.
    """
    written = path.resolve().with_name(path.resolve().name + "-wal")
    logged = written.exists() and written.stat().st_size
    still = alone or not os.access(path.parent, os.W_OK)
    return "mode=ro&immutable=1" if still and not logged else "mode=ro"


def held_for(path: Path, *, writing: bool) -> Holding:
    """Hold a job file by the file itself, under whatever name; UserError where it is none, or held elsewhere.

    The lock is `flock`'s, which SQLite's own locks (of `fcntl`) do not meet. Who reads keeps writers away, or
    reads beside the one that is there.
    """
    _must_be_named(path)
    with one_at_a_time():
        held = holding_of(path)
        if held is not None and (writing or held.path != path.resolve()):
            raise UserError(f"{path.name} is open in another window; close it there first.")
        if held is not None:
            held.users += 1
            return held
        if writing:
            _must_be_writable(path)
        return _opened(path, writing=writing)


def _opened(path: Path, *, writing: bool) -> Holding:
    handle = open_regular(path, MOST_JOB)
    try:
        start = os.pread(handle.fileno(), 16, 0)
        if start != b"SQLite format 3\0":
            what = "empty" if not start else "something else than a job file"
            raise UserError(f"{path.name} is {what}; it was left as it is.")
        alone = True
        try:
            fcntl.flock(handle, (fcntl.LOCK_EX if writing else fcntl.LOCK_SH) | fcntl.LOCK_NB)
        except OSError as error:
            if writing:
                raise UserError(
                    f"{path.name} is open in another Tensimeter; close it there first."
                ) from error
            alone = False
        # Who reads beside this program's own writer is not alone with the file either.
        return hold(path, handle, exclusive=writing, alone=alone and not writing)
    except BaseException:
        handle.close()
        raise


def _must_be_named(path: Path) -> None:
    try:
        if not path.exists():
            raise UserError(f"There is no file {path}.")
    except (OSError, ValueError) as error:
        raise UserError("That is no name of a file.") from error
    if path.is_dir():
        raise UserError(f"{path} is a folder, not a job file.")


def _must_be_writable(path: Path) -> None:
    if not os.access(path, os.W_OK):
        raise UserError(
            f"{path.name} can't be written: no permission. It was left as it is; copy it "
            "to a folder of your own."
        )
    if not os.access(path.resolve().parent, os.W_OK):
        raise UserError(cannot_write(path, PermissionError(errno.EACCES, os.strerror(errno.EACCES))))


def cannot_write(path: Path, error: OSError) -> str:
    return (
        f"{path.name} can't be written in {path.parent}: {error.strerror}. Nothing was changed; "
        "choose another folder."
    )


@contextmanager
def said(path: Path) -> Iterator[None]:
    """Turn what SQLite reports into a sentence."""
    try:
        yield
    except (sqlite3.Error, UnicodeDecodeError, OverflowError, RecursionError) as error:
        # Damaged text can't even be told of by SQLite in words that can be read.
        raise UserError(f"{path.name}: {_sentence(error)}") from error


def _sentence(error: Exception) -> str:
    text = "malformed" if not isinstance(error, sqlite3.Error) else str(error)
    if "disk is full" in text or (isinstance(error, sqlite3.OperationalError) and "disk I/O error" in text):
        return "the disk is full. What was kept before is whole; make room and repeat the last entry."
    if "locked" in text:
        return "another program holds the file. Nothing was lost; try again."
    if "readonly" in text or "unable to open" in text:
        return "no permission to write there. Nothing was changed; choose another folder."
    if "malformed" in text or "not a database" in text or "UTF-8" in text or "corrupt" in text:
        return (
            "the file is damaged or cut short. It was left as it is; take the last export or a "
            "copy, or try “tensimeter check”."
        )
    return f"the file can't be used ({text}). It was left as it is."
