"""What a job file may define: our own tables and the triggers that keep their rows, word for word.

Anything else (a trigger that changes what is kept, a view that never ends, an index over an expression) would
run as the program reads or writes, and falsify facts or hold it up. It is refused by name before anything of
it has run.
"""

import sqlite3
from functools import cache
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.store.database import TABLES, make_tables, said

#: Statistics that SQLite itself writes where somebody asks it to: they hold nothing that runs.
_OF_SQLITE = {
    "sqlite_stat1": "CREATE TABLE sqlite_stat1(tbl,idx,stat)",
    "sqlite_stat4": "CREATE TABLE sqlite_stat4(tbl,idx,neq,nlt,ndlt,sample)",
}
#: Numbers of rows are counted up from one. Where SQLite's largest (2^63 − 1) is taken it numbers at random.
MOST_ROWS = 2**52
#: How many steps of SQLite's machine looking at a file's own definitions may take: far above what ours take.
_STEPS, _TURNS = 10_000, 500


@cache
def _ours() -> dict[tuple[str, str], str]:
    with sqlite3.connect(":memory:") as db:
        make_tables(db)
        rows = db.execute("SELECT type, name, sql FROM sqlite_master").fetchall()
    db.close()
    return {(kind, name): _plain(sql) for kind, name, sql in rows}


def _plain(sql: object) -> str:
    """A definition without what does not count: white space beside words and signs."""
    return " ".join(str(sql or "").split())


def must_be_ours(db: sqlite3.Connection, path: Path) -> None:
    """UserError where a file defines anything but our own tables, or numbers rows as we never would."""
    left = [_TURNS]

    def over() -> int:
        left[0] -= 1
        return left[0] < 0

    db.set_progress_handler(over, _STEPS)
    try:
        with said(path):
            rows = db.execute("SELECT type, name, sql FROM sqlite_master").fetchall()
        foreign = [(str(k), str(n)) for k, n, sql in rows if not _is_ours(str(k), str(n), sql)]
        if foreign:
            kind, name = foreign[0]
            raise UserError(
                f"{path.name} has a {kind} of its own, “{name[:60]}”, that no Tensimeter writes; it was not "
                "opened and left as it is. Ask whoever made the file for one without it."
            )
        if len({(k, n) for k, n, _ in rows}) != len(rows):
            raise UserError(f"{path.name} defines a table twice; it was not opened and left as it is.")
        for kind, name, _ in rows:
            if kind == "table" and name in TABLES:
                with said(path):
                    first, last = db.execute(f"SELECT min(id), max(id) FROM {name}").fetchone()
                if first is not None and not 1 <= first <= last <= MOST_ROWS:
                    raise UserError(
                        f"{path.name} numbers rows of “{name}” as no Tensimeter does; it was not opened and "
                        "left as it is."
                    )
    finally:
        db.set_progress_handler(None, 0)


def _is_ours(kind: str, name: str, sql: object) -> bool:
    allowed = _OF_SQLITE.get(name) if kind == "table" else None
    return _plain(sql) in (allowed, _ours().get((kind, name)))
