"""Job files whose own schema does what no job's does: none may open, or none of its facts may be changed.

Every kind of object that SQLite knows, drawn by a seed: triggers on every table and event, views (some
without an end), indices (unique with replace, over expressions, partial), virtual tables, tables that are
none of ours, ours with other columns, generated columns, checks, numbers of rows at the end of what there is.

    python -m benchmarks.hostile_schemas [FILES] [FIRST SEED]
"""

import contextlib
import random
import sqlite3
import sys
import tempfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import readings_first
from tensimeter.store.database import TABLES
from tensimeter.store.jobfile import JobFile

Made = Callable[[sqlite3.Connection, random.Random], str]
VOLTS = 12.08


def _trigger(db: sqlite3.Connection, rng: random.Random) -> str:
    table, moment = rng.choice(TABLES), rng.choice(("BEFORE", "AFTER"))
    act = rng.choice((
        "SELECT RAISE(IGNORE)",
        "INSERT INTO log (at, kind, text) VALUES (0, 'x', 'doubled')",
        "INSERT INTO strike (at, what, target, reason, revision) VALUES (0, 'reading', 1, 'x', 1)",
        "INSERT OR REPLACE INTO head (id, at, revision) VALUES (1, 0, 1)",
        "SELECT (WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT max(x) FROM n)",
    ))  # fmt: skip
    db.execute(f"CREATE TRIGGER {rng.choice(('a', 'z'))}_own {moment} INSERT ON {table} BEGIN {act}; END")
    return f"trigger on {table}"


def _kept_off(db: sqlite3.Connection, rng: random.Random) -> str:
    """One of the triggers that keep rows, put there anew with nothing in it."""
    table = rng.choice(TABLES)
    db.execute(f"DROP TRIGGER {table}_no_update")
    db.execute(f"CREATE TRIGGER {table}_no_update BEFORE UPDATE ON {table} BEGIN SELECT 1; END")
    return f"an emptied trigger on {table}"


def _view(db: sqlite3.Connection, rng: random.Random) -> str:
    endless = "WITH RECURSIVE n(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM n) SELECT x FROM n"
    db.execute(f"CREATE VIEW {rng.choice(('own', 'facts'))} AS {rng.choice((endless, 'SELECT 1'))}")
    return "view"


def _as_view(db: sqlite3.Connection, rng: random.Random) -> str:
    """One of our tables as a view of another, with triggers in its stead."""
    table = rng.choice(("reading", "log", "strike", "wave"))
    db.execute(f"ALTER TABLE {table} RENAME TO hidden")
    db.execute(f"CREATE VIEW {table} AS SELECT * FROM hidden")
    db.execute(f"CREATE TRIGGER stead INSTEAD OF INSERT ON {table} BEGIN SELECT 1; END")
    return f"{table} as a view"


def _index(db: sqlite3.Connection, rng: random.Random) -> str:
    db.execute(rng.choice((
        "CREATE UNIQUE INDEX own ON log (kind)", "CREATE INDEX own ON reading (abs(value))",
        "CREATE INDEX own ON reading (value) WHERE value > 1",
        "CREATE INDEX own ON log (text COLLATE NOCASE)",
    )))  # fmt: skip
    return "index"


def _table(db: sqlite3.Connection, rng: random.Random) -> str:
    db.execute(rng.choice((
        "CREATE TABLE own (a)", "CREATE TABLE own (a INTEGER PRIMARY KEY AUTOINCREMENT)",
        "CREATE TABLE own (a PRIMARY KEY) WITHOUT ROWID", "CREATE TABLE own (a INT, b AS (a + 1))",
        "CREATE VIRTUAL TABLE own USING fts5 (a)", "CREATE VIRTUAL TABLE own USING rtree (a, b, c)",
    )))  # fmt: skip
    return "table or virtual table"


def _other(db: sqlite3.Connection, rng: random.Random) -> str:
    """One of ours defined otherwise, its rows in it."""
    table = rng.choice(("reading", "log", "strike", "run_event"))
    sql = db.execute("SELECT sql FROM sqlite_master WHERE name = ?", (table,)).fetchone()[0]
    way = rng.randrange(5)
    if way == 0:
        sql = sql.rstrip()[:-1] + ", UNIQUE (id) ON CONFLICT REPLACE)"
    elif way == 1:
        sql = sql.replace("at REAL NOT NULL", "at REAL NOT NULL ON CONFLICT IGNORE", 1)
    elif way == 2:
        sql = sql.rstrip()[:-1] + ", own AS (1))"
    elif way == 3:
        sql = sql.rstrip()[:-1] + ", CHECK (id < 3))"
    else:
        sql = sql.replace("id INTEGER PRIMARY KEY", "id INT PRIMARY KEY", 1)
    for trigger in ("update", "delete"):
        db.execute(f"DROP TRIGGER {table}_no_{trigger}")
    db.execute(f"ALTER TABLE {table} RENAME TO before")
    db.execute(sql)
    names = ", ".join(r[1] for r in db.execute("PRAGMA table_info(before)"))
    db.execute(f"INSERT INTO {table} ({names}) SELECT {names} FROM before")
    db.execute("DROP TABLE before")
    return f"{table} defined otherwise"


def _written(db: sqlite3.Connection, rng: random.Random) -> str:
    """Definitions written straight into the schema."""
    db.execute("PRAGMA writable_schema = ON")
    way = rng.randrange(3)
    if way == 0:
        db.execute("UPDATE sqlite_master SET sql = replace(sql, 'value REAL NOT NULL', "
                   "'value REAL NOT NULL DEFAULT (random())') WHERE name = 'reading'")  # fmt: skip
    elif way == 1:
        page = db.execute("SELECT rootpage FROM sqlite_master WHERE name = 'log'").fetchone()[0]
        twice = "('table', 'twice', 'twice', ?, 'CREATE TABLE twice (a)')"
        db.execute(f"INSERT INTO sqlite_master VALUES {twice}", (page,))
    else:
        db.execute("INSERT INTO sqlite_master VALUES ('view', 'sqlite_stat1', 'sqlite_stat1', 0, "
                   "'CREATE VIEW sqlite_stat1 AS SELECT 1')")  # fmt: skip
    return "written into the schema"


def _numbered(db: sqlite3.Connection, rng: random.Random) -> str:
    table = rng.choice(("log", "head"))
    number = rng.choice((2**63 - 1, 2**53, -5, 0))
    values = "(?, 0, 'remark', 'x')" if table == "log" else "(?, 0, 1)"
    db.execute(f"INSERT INTO {table} VALUES {values}", (number,))
    return f"row {number} of {table}"


WAYS: tuple[Made, ...] = (
    _trigger, _trigger, _trigger, _kept_off, _view, _as_view, _index, _table, _other, _other, _written,
    _numbered,
)  # fmt: skip


def reading(scan: int) -> Reading:
    return Reading(scan, 1e9 + scan, "out", "V", VOLTS, "", None, "two-wire", "typed")


def tried(folder: Path, seed: int) -> tuple[str, str]:
    """What was done to a file, and `refused`, `unchanged` or what went wrong."""
    rng = random.Random(seed)
    path = folder / f"{seed}.tensi"
    with JobFile.create(path, readings_first("Shed", "12V 5A")) as file:
        file.keep([reading(1)])
        file.log("remark", "first")
    db = sqlite3.connect(path, isolation_level=None)
    done = []
    for _ in range(rng.choice((1, 1, 2))):
        with contextlib.suppress(sqlite3.OperationalError):
            done.append(rng.choice(WAYS)(db, rng))
    db.close()
    if not done:
        return "nothing", "unchanged"
    try:
        with JobFile(path) as file:
            before = len(file.logbook()), len(file.facts()), file.revision
            file.keep([reading(2), reading(3)])
            file.log("remark", "second")
            file.edit("x", file.job)
            seen = len(file.logbook()), len(file.facts()), file.revision
        with JobFile(path, read_only=True) as file:
            after = len(file.logbook()), len(file.facts()), file.revision
            same = [r.value for r in file.readings()] == [VOLTS] * 3
            wrong = file.check()
    except UserError as trouble:
        return done[0], "refused" if "\n" not in str(trouble) else "no sentence"
    whole = seen == after == (before[0] + 1, before[1] + 2, before[2] + 1) and same and not wrong
    return done[0], "unchanged" if whole else "FACTS CHANGED"


def main(files: int = 100, first: int = 0) -> int:
    with tempfile.TemporaryDirectory() as scratch:
        found = [tried(Path(scratch), seed) for seed in range(first, first + files)]
    counts = Counter(end for _, end in found)
    for how, end in sorted(set(found)):
        print(f"{how:34s} {end}")
    print(dict(counts))
    return sum(n for end, n in counts.items() if end not in ("refused", "unchanged"))


if __name__ == "__main__":
    sys.exit(1 if main(*map(int, sys.argv[1:])) else 0)
