"""The job file: SQLite in WAL mode; revisions, readings, runs and log are only ever added to."""

import json
import sqlite3
import threading
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from operator import attrgetter
from pathlib import Path
from typing import Any

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job, read_job
from tensimeter.core.model.migrations import MAJOR, MINOR, of_number
from tensimeter.core.model.states import FIRST, answered, changed_state, edited, state_of
from tensimeter.store.database import (
    APPLICATION_ID,
    FORMAT_NUMBER,
    TABLES,
    build_empty,
    cannot_write,
    connect,
    held_for,
    said,
    tables_of,
)
from tensimeter.store.entries import (
    UNDONE,
    LogEntry,
    Run,
    Strikes,
    accuracy_json,
    add_entry,
    add_revision,
    runs_of,
)
from tensimeter.store.held import Holding
from tensimeter.store.own_schema import must_be_ours
from tensimeter.store.rows import READING_COLUMNS, TOLD_APART, ScansApart, faults, readings_after, with_states
from tensimeter.store.whereabouts import ROOM_BYTES, WriteAheadLog, must_be_there, must_have_room


class JobFile:
    """One open job file. May be used from several threads; every call is one transaction.

    Who writes holds the file by a lock, which the system drops with the process.
    """

    def __init__(self, path: Path, *, read_only: bool = False) -> None:
        self.path = Path(path)
        self.read_only = read_only
        self._mutex = threading.RLock()
        self._scans: int | None = None
        self._replaces = False
        self._known: list[Reading] = []
        self._apart = ScansApart()
        #: Which state a revision is of; which states something was read of, by place, and how far that was
        #: looked at: it is asked for by an edit, and not while a file is opened.
        self._states: dict[int, int] = {}
        self._read: set[tuple[int, str]] = set()
        self._looked = 0
        self._strikes = Strikes()
        self._earlier: dict[int, Job] = {}
        self._held: Holding | None = held_for(self.path, writing=not read_only)
        try:
            self._db = connect(self.path, read_only, alone=self._held.alone)
            self._check_version()
            must_be_ours(self._db, self.path)
            self._tables = tables_of(self._db, self.path, complete=not read_only)
            self._log = WriteAheadLog(self.path)
            self.revision = self._head_revision()
            self.job = self._head_job()
        except BaseException:
            if hasattr(self, "_db"):
                self._db.close()
            self._unlock()
            raise

    @classmethod
    def create(cls, path: Path, job: Job) -> "JobFile":
        """A new file with this job as its first revision; UserError when one is there already."""
        path = Path(path)
        if path.exists():
            raise UserError(f"{path.name} exists already; it was left as it is. Choose another name.")
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            build_empty(path)
            db = sqlite3.connect(path, isolation_level=None)
            with said(path):
                db.execute("BEGIN")
                add_revision(db, None, "new job", job)
                db.execute("COMMIT")
            db.close()
        except OSError as error:
            raise UserError(cannot_write(path, error)) from error
        return cls(path)

    def close(self) -> None:
        with self._mutex:
            self._db.close()
            self._unlock()

    def __enter__(self) -> "JobFile":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    # -- the document ---------------------------------------------------------------------------

    def _head_revision(self) -> int:
        row = self._row("SELECT revision FROM head ORDER BY id DESC LIMIT 1")
        if not row:
            raise UserError(f"{self.path.name} holds no job; it was left as it is.")
        return self._number(row[0])

    def _number(self, value: object) -> int:
        """The number of a revision; UserError where the row that names it is damaged."""
        if not isinstance(value, int):
            raise UserError(
                f"{self.path.name} is damaged: a revision is named by no number. It was left as it is."
            )
        return value

    def edit(self, name: str, job: Job, kind: str = "edit") -> None:
        """Keep a new revision of the job under a name, and note it by its kind; on disk when this returns.

        Where it moves what is electrical after an output was read, it is asked whether the supply was
        changed.
        """
        job = edited(self.job, job, name, time.time(), self._next_state(), self._states_read())
        with self._transaction() as db:
            made = add_revision(db, self.revision, name, job)
            add_entry(db, kind, name)
        self.revision, self.job = made, job

    def begin_state(self, what: str) -> None:
        """Begin a new state of the supply, named by what was changed; what was read before stays as it is."""
        stands = changed_state(self.job, what, time.time(), self._next_state())
        self.edit(f"changed: {what}", stands, "changed")

    def answer_state(self, *, changed: bool) -> None:
        """Say of the last electrical edit whether the supply was changed, or only its description."""
        words = "the supply was changed" if changed else "only the description was changed"
        self.edit(words, answered(self.job, changed=changed), "changed")

    def _next_state(self) -> int:
        """A number that no state has had, undone ones too: that of the revision that is made next."""
        row = self._row("SELECT max(id) FROM revision")
        return (int(row[0]) if row else FIRST) + 1

    def _states_read(self) -> set[int]:
        """The states in which an output was read."""
        outputs = {o.id for o in self.job.design.outputs()}
        with self._mutex:
            known = self.facts()
            fresh, self._looked = known[self._looked :], len(known)
            self._read.update({(r.state, r.place) for r in fresh if r.quantity in _OF_SUPPLY})
            return {state for state, place in self._read if place in outputs}

    def undo_name(self) -> str:
        """Name of the edit that undo would take back; empty when there is none."""
        row = self._row("SELECT name, parent FROM revision WHERE id = ?", self.revision)
        return str(row[0]) if row and row[1] is not None else ""

    def redo_name(self) -> str:
        row = self._redo_row()
        return str(row[1]) if row else ""

    def undo(self) -> str:
        """Take back the last edit; its name, or empty when there was none."""
        row = self._row("SELECT name, parent FROM revision WHERE id = ?", self.revision)
        if not row or row[1] is None:
            return ""
        self._move_head(self._number(row[1]))
        return str(row[0])

    def redo(self) -> str:
        """Bring back the edit undone last; its name, or empty when there was none."""
        row = self._redo_row()
        if not row:
            return ""
        self._move_head(self._number(row[0]))
        return str(row[1])

    def _redo_row(self) -> tuple[Any, ...] | None:
        return self._row(
            "SELECT id, name FROM revision WHERE parent = ? ORDER BY id DESC LIMIT 1", self.revision
        )

    def _move_head(self, revision: int) -> None:
        with self._transaction() as db:
            db.execute("INSERT INTO head (at, revision) VALUES (?, ?)", (time.time(), revision))
        self.revision = revision
        self.job = self._head_job()

    def _head_job(self) -> Job:
        row = self._row("SELECT job FROM revision WHERE id = ?", self.revision)
        if not row:
            raise UserError(f"{self.path.name} holds no job; it was left as it is.")
        return read_job(row[0])

    # -- facts ----------------------------------------------------------------------------------

    def must_be_there(self) -> None:
        """UserError where the file was moved or removed while it is open; all that was kept is in it then."""
        if self._held is not None and not self.read_only:
            with self._mutex:
                must_be_there(self.path, self._held.handle, self._db)

    def must_have_room(self, bytes_needed: int = ROOM_BYTES) -> None:
        """UserError where the disk has no room for a run's readings."""
        must_have_room(self.path, bytes_needed)

    def keep(self, readings: Sequence[Reading]) -> list[Reading]:
        """Keep readings for good, all or none; they come back with their ids."""
        rows = [(*r[:6], accuracy_json(r.accuracy), *r[7:15], self.revision) for r in readings]
        self.must_be_there()
        with self._transaction() as db:
            db.executemany(_KEEP, rows)
            last = int(db.execute("SELECT last_insert_rowid()").fetchone()[0])
        # One writer and no deletions: the ids of one transaction follow one another.
        first, state = last - len(rows) + 1, state_of(self.job)
        return [Reading._make((*r[:15], first + k, state)) for k, r in enumerate(readings)]

    def settle(self) -> None:
        """Bring what was kept from the log beside the file into the file: a copy of it is whole then."""
        if not self.read_only:
            with self._mutex, said(self.path):
                self._db.execute("PRAGMA wal_checkpoint(PASSIVE)")

    def next_scan(self, count: int = 1) -> int:
        """The first of so many numbers in a row for scans, which none has yet (one writer holds the file)."""
        with self._mutex:
            if self._scans is None:
                row = self._row("SELECT coalesce(max(scan), 0) FROM reading WHERE scan < ?", TOLD_APART)
                self._scans = int(row[0]) if row else 0
            first = self._scans + 1
            self._scans += count
            return first

    def readings(self) -> list[Reading]:
        """The readings that count, in the order kept: neither struck nor replaced by a later one."""
        with self._mutex:
            every, struck = self.facts(), self.struck("reading")
            # What replaced one and was taken back by undo leaves it standing again.
            replaced = (
                {r.corrects for r in every if r.corrects is not None and struck.get(r.id or 0) != UNDONE}
                if self._replaces
                else ()
            )
            if not struck and not replaced:
                return every
            return [r for r in every if r.id not in struck and r.id not in replaced]

    def facts(self) -> list[Reading]:
        """Every reading ever kept, struck ones too; rows never change, so those known are not read again."""
        with self._mutex, said(self.path):
            after = (self._known[-1].id if self._known else 0) or 0
            fresh = with_states(self._db, readings_after(self._db, after), self._states)
            self._replaces = self._replaces or not set(map(attrgetter("corrects"), fresh)) <= {None}
            self._known += self._apart.told(fresh)
            return list(self._known)

    def struck(self, what: str = "reading") -> dict[int, str]:
        """Why each struck reading (or `wave`) was struck, by its id."""
        with self._mutex:
            for row in self.pick("strike", "id, what, target, reason", self._strikes.newest):
                self._strikes.take(*row)
            return dict(self._strikes.reasons.get(what, {}))

    def strike(self, ids: Iterable[int], reason: str, what: str = "reading") -> int:
        """Strike rows with a reason, or take them up again with none; how many that changed.

        The rows stay as they are and where they are; they no longer enter any figure.
        """
        before = self.struck(what)
        wanted = [i for i in dict.fromkeys(ids) if bool(before.get(i)) != bool(reason)]
        now = time.time()
        with self._transaction() as db:
            db.executemany(
                "INSERT INTO strike (at, what, target, reason, revision) VALUES (?, ?, ?, ?, ?)",
                [(now, what, i, reason, self.revision) for i in wanted],
            )
        return len(wanted)

    def job_at_reading(self, number: int) -> Job | None:
        """The job as it stood when a reading was kept; the one in hand where it has not changed since."""
        row = self._row("SELECT revision FROM reading WHERE id = ?", number)
        if row is None or row[0] == self.revision:
            return self.job
        if row[0] not in self._earlier:
            found = self._row("SELECT job FROM revision WHERE id = ?", row[0])
            if found is None:
                return None
            self._earlier[row[0]] = read_job(found[0])
        return self._earlier[row[0]]

    def begin_run(self, test: str, instruments: dict[str, str]) -> int:
        said_of = json.dumps(instruments)
        return self.add("run", at=time.time(), test=test, revision=self.revision, instruments=said_of)

    def run_event(self, run: int, kind: str, sentence: str = "") -> None:
        """Something that happened in a run; those of `RUN_ENDS` end it."""
        self.add("run_event", run=run, at=time.time(), kind=kind, sentence=sentence)

    def pick_events(self, kind: str) -> list[tuple[str]]:
        """What was said with the events of a kind, of all runs in the order kept."""
        with self._mutex, said(self.path):
            return self._db.execute(
                "SELECT sentence FROM run_event WHERE kind = ? ORDER BY id", (kind,)
            ).fetchall()

    def runs(self) -> list[Run]:
        with self._mutex, said(self.path):
            return runs_of(self._db)

    def log(self, kind: str, text: str) -> LogEntry:
        entry = LogEntry(time.time(), kind, text)
        self.add("log", at=entry.at, kind=entry.kind, text=entry.text)
        return entry

    def logbook(self, last: int = 1000) -> list[LogEntry]:
        with self._mutex, said(self.path):
            rows = self._db.execute(
                "SELECT at, kind, text FROM log ORDER BY id DESC LIMIT ?", (last,)
            ).fetchall()
        return [LogEntry(*row) for row in reversed(rows)]

    def add_attachment(
        self, subject: str, name: str, media: str, data: bytes | None, hides: int | None = None
    ) -> int:
        """Keep a file with what it belongs to; with `hides` it takes an earlier one away from view."""
        row = {"subject": subject, "name": name, "media": media, "data": data, "hides": hides}
        return self.add("attachment", at=time.time(), **row)

    def attachment_rows(self, subject: str = "") -> list[tuple[int, float, str, str, str]]:
        """Id, time, subject, name, kind of what belongs to a subject (all for none) and is not hidden."""
        with self._mutex, said(self.path):
            return self._db.execute(
                "SELECT id, at, subject, name, media FROM attachment a WHERE ? IN (subject, '')"
                " AND hides IS NULL AND NOT EXISTS (SELECT 1 FROM attachment h WHERE h.hides = a.id)"
                " ORDER BY id",
                (subject,),
            ).fetchall()

    def add(self, table: str, **columns: object) -> int:
        """Add one row for good; its id."""
        if table not in TABLES:
            raise KeyError(table)
        names, marks = ", ".join(columns), ", ".join("?" * len(columns))
        with self._transaction() as db:
            cursor = db.execute(f"INSERT INTO {table} ({names}) VALUES ({marks})", tuple(columns.values()))
            return int(cursor.lastrowid or 0)

    def pick(self, table: str, names: str, after: int = 0) -> list[tuple[Any, ...]]:
        """Some columns of the rows of a table whose id is above `after`, in the order kept."""
        if table not in TABLES:
            raise KeyError(table)
        if table not in self._tables:
            return []
        with self._mutex, said(self.path):
            return self._db.execute(
                f"SELECT {names} FROM {table} WHERE id > ? ORDER BY id", (after,)
            ).fetchall()

    def blob(self, table: str, number: int) -> bytes:
        """The data of one row; empty where it has none."""
        if table not in TABLES:
            raise KeyError(table)
        row = self._row(f"SELECT data FROM {table} WHERE id = ?", number)
        return bytes(row[0]) if row and row[0] is not None else b""

    # -- the file -------------------------------------------------------------------------------

    def check(self) -> list[str]:
        """What is wrong with the file; empty when its pages and every row can be read."""
        with self._mutex, said(self.path):
            return faults(self._db, self._tables)

    def count(self, table: str) -> int:
        if table not in TABLES:
            raise KeyError(table)
        row = self._row(f"SELECT count(*) FROM {table}")
        return int(row[0]) if row else 0

    def rows(self, table: str) -> tuple[list[str], list[tuple[Any, ...]]]:
        """Column names and all rows of a table, for export."""
        if table not in TABLES:
            raise KeyError(table)
        with self._mutex, said(self.path):
            cursor = self._db.execute(f"SELECT * FROM {table} ORDER BY id")
            return [c[0] for c in cursor.description], cursor.fetchall()

    @property
    def is_of_this_format(self) -> bool:
        """Whether the file is of this program's own format: to write into it changes no more than that."""
        with self._mutex, said(self.path):
            return bool(self._db.execute("PRAGMA user_version").fetchone()[0] == FORMAT_NUMBER)

    def _check_version(self) -> None:
        with said(self.path):
            ours = self._db.execute("PRAGMA application_id").fetchone()[0]
            version = self._db.execute("PRAGMA user_version").fetchone()[0]
        if ours != APPLICATION_ID:
            raise UserError(f"{self.path.name} is a database, but no job file; it was left as it is.")
        major, minor = of_number(version)
        if major > MAJOR:
            raise UserError(
                f"{self.path.name} was written by a newer Tensimeter (format {major}.{minor}; this one "
                f"reads {MAJOR}.{MINOR}). Nothing was changed; open it with the newer version."
            )

    def _row(self, sql: str, *values: object) -> tuple[Any, ...] | None:
        with self._mutex, said(self.path):
            row = self._db.execute(sql, values).fetchone()
        return tuple(row) if row else None

    @contextmanager
    def _transaction(self) -> Iterator[sqlite3.Connection]:
        if self.read_only:
            raise UserError(f"{self.path.name} is open for reading only; nothing was changed.")
        with self._mutex, said(self.path):
            self._mend_log()
            self._db.execute("BEGIN IMMEDIATE")
            try:
                yield self._db
                self._db.execute("COMMIT")
            except BaseException:
                if self._db.in_transaction:
                    self._db.execute("ROLLBACK")
                raise
            # Removed since it was looked for: what was just kept is not left in it.
            self._mend_log()

    def _unlock(self) -> None:
        if self._held:
            self._held.release()
            self._held = None

    def _mend_log(self) -> None:
        """Where another program removed the log beside the file: what is in it goes into the file, and a new
        one is begun before anything more is kept."""
        if self._log.is_there():
            return
        # Where the file itself went with it, what it held is written anew: this is the only handle on it.
        self.must_be_there()
        self._db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        self._db.close()
        self._db = connect(self.path, False)
        self._log = WriteAheadLog(self.path)
        text = "Another program removed the log beside this file while it was open; nothing was lost."
        self._db.execute("INSERT INTO log (at, kind, text) VALUES (?, 'file', ?)", (time.time(), text))


#: What is read of an output, by which a state of the supply is known to have been read.
_OF_SUPPLY = frozenset(("V", "A", "Vpp"))
_KEEP = f"INSERT INTO reading ({READING_COLUMNS}, revision) VALUES ({', '.join('?' * 16)})"
