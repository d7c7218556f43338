"""The builder's own bin: what is owned and what has been learnt of it, across all jobs.

One SQLite file. Rows are only ever added: the newest of a part counts, so that it can be told what was
known of it when. A job keeps a snapshot of what it took and reads the same in ten years.
"""

import sqlite3
import threading
import time
from collections.abc import Iterable
from functools import cache
from pathlib import Path

from msgspec import Struct
from pydantic import TypeAdapter, ValidationError

from tensimeter.core.errors import UserError
from tensimeter.core.parts.registry import Part
from tensimeter.store.database import cannot_write, said

#: Marks the file as a bin: "tebn" in ASCII (SQLite application id).
APPLICATION_ID = 0x7465626E
_TABLES = """
CREATE TABLE IF NOT EXISTS thing (
    id INTEGER PRIMARY KEY, at REAL NOT NULL, part TEXT NOT NULL, record TEXT
);
CREATE TABLE IF NOT EXISTS use (
    id INTEGER PRIMARY KEY, at REAL NOT NULL, job TEXT NOT NULL, part TEXT NOT NULL, used INTEGER NOT NULL
);
"""


@cache
def _reader() -> TypeAdapter[Part]:
    """Made when a record is first read: it is no part of the start of the window."""
    return TypeAdapter(Part)


class Kept(Struct, frozen=True):
    """A part of the bin, since when it is owned, and the jobs that use it."""

    part: Part
    since: float
    jobs: tuple[str, ...]


class Bin:
    """The open bin; may be used from several threads and by several windows at once."""

    def __init__(self, path: Path) -> None:
        self.path, self._mutex = Path(path), threading.RLock()
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise UserError(cannot_write(self.path, error)) from error
        with said(self.path):
            self._db = sqlite3.connect(self.path, check_same_thread=False, isolation_level=None, timeout=5)
            ours = self._db.execute("PRAGMA application_id").fetchone()[0]
            if ours == 0 and not self._db.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]:
                self._db.execute(f"PRAGMA application_id = {APPLICATION_ID}")
            elif ours != APPLICATION_ID:
                self._db.close()
                raise UserError(f"{self.path.name} is a database, but no bin; it was left as it is.")
            self._db.execute("PRAGMA journal_mode = WAL")
            self._db.executescript(_TABLES)

    def close(self) -> None:
        with self._mutex:
            self._db.close()

    def __enter__(self) -> "Bin":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def keep(self, part: Part) -> None:
        """Write a part down as it is known now; what was known before stays readable."""
        self._add("INSERT INTO thing (at, part, record) VALUES (?, ?, ?)", part.id, part.model_dump_json())

    def take_out(self, part_id: str) -> None:
        """The part is no longer owned; jobs keep their snapshots."""
        self._add("INSERT INTO thing (at, part, record) VALUES (?, ?, ?)", part_id, None)

    def note_use(self, job: str, part_ids: Iterable[str]) -> None:
        """Which parts of the bin a job has in its path now."""
        now, before = set(part_ids), set(self._used_by(job))
        for part_id in sorted(now ^ before):
            self._add(
                "INSERT INTO use (at, job, part, used) VALUES (?, ?, ?, ?)", job, part_id, int(part_id in now)
            )

    def parts(self) -> list[Kept]:
        """All that is owned, the latest first; a record that a newer program wrote is passed over."""
        with self._mutex, said(self.path):
            rows = self._db.execute(
                "SELECT part, (SELECT min(at) FROM thing first WHERE first.part = thing.part), record"
                " FROM thing WHERE id IN (SELECT max(id) FROM thing GROUP BY part)"
                " AND record IS NOT NULL ORDER BY id DESC"
            ).fetchall()
        found = []
        for part_id, since, record in rows:
            try:
                found.append(Kept(_reader().validate_json(record), since, self.jobs_of(part_id)))
            except ValidationError:
                continue
        return found

    def part(self, part_id: str) -> Kept | None:
        return next((kept for kept in self.parts() if kept.part.id == part_id), None)

    def history(self, part_id: str) -> list[tuple[float, Part]]:
        """What was known of a part, and when, the oldest first."""
        with self._mutex, said(self.path):
            rows = self._db.execute(
                "SELECT at, record FROM thing WHERE part = ? AND record IS NOT NULL ORDER BY id", (part_id,)
            ).fetchall()
        return [(at, _reader().validate_json(record)) for at, record in rows]

    def jobs_of(self, part_id: str) -> tuple[str, ...]:
        """The jobs that have a part in their path."""
        with self._mutex, said(self.path):
            rows = self._db.execute(
                "SELECT job, used FROM use WHERE id IN (SELECT max(id) FROM use WHERE part = ? GROUP BY job)"
                " ORDER BY job",
                (part_id,),
            ).fetchall()
        return tuple(job for job, used in rows if used)

    def _used_by(self, job: str) -> list[str]:
        with self._mutex, said(self.path):
            rows = self._db.execute(
                "SELECT part, used FROM use WHERE id IN"
                " (SELECT max(id) FROM use WHERE job = ? GROUP BY part)",
                (job,),
            ).fetchall()
        return [part for part, used in rows if used]

    def _add(self, sql: str, *values: object) -> None:
        with self._mutex, said(self.path):
            self._db.execute(sql, (time.time(), *values))
