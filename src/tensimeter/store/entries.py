"""What a job file is made of beside its readings: revisions, runs, lines of the logbook, what was struck."""

import sqlite3
import time
from dataclasses import dataclass, field
from functools import lru_cache

from msgspec import Struct

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import RUN_ENDS
from tensimeter.core.model.job import Job
from tensimeter.core.model.migrations import ENDS_BEFORE_3
from tensimeter.store.rows import instruments_of

#: Why a reading was struck that was taken back by undo.
UNDONE = "taken back by undo"


class LogEntry(Struct, frozen=True):
    """One line of the logbook."""

    at: float
    kind: str
    text: str


@dataclass
class Strikes:
    """What is struck by now, as far as it was read."""

    newest: int = 0
    reasons: dict[str, dict[int, str]] = field(default_factory=dict)

    def take(self, number: int, what: str, target: int, reason: str) -> None:
        self.newest = number
        of_kind = self.reasons.setdefault(what, {})
        if reason:
            of_kind[target] = reason
        else:
            of_kind.pop(target, None)


class Run(Struct, frozen=True):
    """One run of a test and how it ended (empty while it is open)."""

    id: int
    at: float
    test: str
    instruments: dict[str, str]
    ended: str = ""
    sentence: str = ""


def runs_of(db: sqlite3.Connection) -> list[Run]:
    """Every run with how it ended, in today's words."""
    ends = ", ".join(f"'{word}'" for word in sorted(RUN_ENDS | set(ENDS_BEFORE_3)))
    cursor = db.execute(
        "SELECT r.id, r.at, r.test, r.instruments, coalesce(e.kind, '') AS ended,"
        " coalesce(e.sentence, '') AS sentence FROM run r LEFT JOIN run_event e ON e.run = r.id"
        f" AND e.kind IN ({ends}) ORDER BY r.id"
    )
    cursor.row_factory = sqlite3.Row
    return [
        Run(
            id=row["id"],
            at=row["at"],
            test=row["test"],
            instruments=instruments_of(row["instruments"], row["id"]),
            ended=ENDS_BEFORE_3.get(row["ended"], row["ended"]),
            sentence=row["sentence"],
        )
        for row in cursor
    ]


@lru_cache(maxsize=256)
def accuracy_json(accuracy: Accuracy | None) -> str | None:
    return accuracy.model_dump_json() if accuracy else None


def add_entry(db: sqlite3.Connection, kind: str, text: str) -> None:
    """A line of the logbook, in the transaction that writes what it is about."""
    db.execute("INSERT INTO log (at, kind, text) VALUES (?, ?, ?)", (time.time(), kind, text))


def add_revision(db: sqlite3.Connection, parent: int | None, name: str, job: Job) -> int:
    now = time.time()
    cursor = db.execute(
        "INSERT INTO revision (parent, at, name, job) VALUES (?, ?, ?, ?)",
        (parent, now, name, job.model_dump_json()),
    )
    db.execute("INSERT INTO head (at, revision) VALUES (?, ?)", (now, cursor.lastrowid))
    return int(cursor.lastrowid or 0)
