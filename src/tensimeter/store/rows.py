"""Rows of a job file as what they stand for; a damaged row is a sentence, never a crash."""

import contextlib
import gc
import json
import math
import sqlite3
from collections.abc import Iterator, Mapping
from functools import lru_cache
from operator import attrgetter
from typing import Any, get_args

from pydantic import ValidationError

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import AS_SAID, AS_SET, Measurand, Origin, Reading
from tensimeter.core.model.job import read_job
from tensimeter.store.database import TABLES

#: The fields of a reading but its id, in their order.
READING_FIELDS = Reading._fields[:15]
READING_COLUMNS = ", ".join(READING_FIELDS)
_QUANTITIES, _ORIGINS = frozenset(get_args(Measurand)), frozenset(get_args(Origin))
_WIRINGS = frozenset(("two-wire", "four-wire"))
_FIGURE, _TEXT, _NUMBER = (float, int), (str,), (int,)
#: The type of each column of a reading; an integer will do where a float is meant.
_TYPES: dict[str, tuple[type, ...]] = {
    "scan": _NUMBER,
    "at": _FIGURE,
    "place": _TEXT,
    "quantity": _TEXT,
    "value": _FIGURE,
    "instrument": _TEXT,
    "accuracy": (str, type(None)),
    "wiring": _TEXT,
    "origin": _TEXT,
    "range": _TEXT,
    "test": (str, type(None)),
    "step": (int, type(None)),
    "run": (int, type(None)),
    "note": _TEXT,
    "corrects": (int, type(None)),
}
#: What the columns of the other tables must be, for a check of every row.
_KINDS: dict[str, dict[str, tuple[type, ...]]] = {
    "revision": {"name": (str,), "job": (str,), "at": (float, int), "parent": (int, type(None))},
    "head": {"at": (float, int), "revision": (int,)},
    "run": {"at": (float, int), "test": (str,), "revision": (int,), "instruments": (str,)},
    "run_event": {"run": (int,), "at": (float, int), "kind": (str,), "sentence": (str,)},
    "attachment": {"subject": (str,), "name": (str,), "media": (str,), "data": (bytes, type(None))},
    "wave": {
        "place": (str,),
        "rate": (float, int),
        "start": (float, int),
        "samples": (int,),
        "instrument": (str,),
        "origin": (str,),
        "note": (str,),
        "data": (bytes,),
    },
    "strike": {"what": (str,), "target": (int,), "reason": (str,)},
    "log": {"at": (float, int), "kind": (str,), "text": (str,)},
}


def reading_of(row: Mapping[str, Any] | sqlite3.Row) -> Reading:
    """A reading from its columns by name; UserError names the row where it is none."""
    fields = {name: row[name] for name in _TYPES}
    if not all(isinstance(fields[name], allowed) for name, allowed in _TYPES.items()):
        raise _damaged("reading", row["id"])
    words = (fields["quantity"], fields["wiring"], fields["origin"])
    if words[0] not in _QUANTITIES or words[1] not in _WIRINGS or words[2] not in _ORIGINS:
        raise _damaged("reading", row["id"])
    if math.isnan(fields["value"]) or not math.isfinite(fields["at"]):
        raise _damaged("reading", row["id"])
    try:
        fields["accuracy"] = _accuracy(fields["accuracy"])
    except ValidationError as error:
        raise _damaged("reading", row["id"]) from error
    return Reading(**fields, id=row["id"])


#: What tells one scan's row from the next; all else repeats.
_OWN = ("scan", "at", "value")
#: So many kinds of rows are told apart by the database; of more each row is looked at by itself.
_MOST_KINDS = 60


def readings_after(db: sqlite3.Connection, number: int) -> list[Reading]:
    """The readings whose id is above a number, in the order kept; UserError names the row that is none.

    Most of a row repeats from scan to scan: it is fetched, looked at and kept once for all rows of its kind.
    """
    alike = [name for name in READING_FIELDS if name not in _OWN]
    kinds = db.execute(f"SELECT DISTINCT {', '.join(alike)} FROM reading WHERE id > ?", (number,)).fetchall()
    odd = db.execute(
        "SELECT 1 FROM reading WHERE id > ? AND NOT (typeof(scan) = 'integer' AND typeof(at) = 'real' AND "
        "typeof(value) = 'real' AND abs(at) < 9e999) LIMIT 1",
        (number,),
    ).fetchone()
    try:
        if odd is None and len(kinds) <= _MOST_KINDS:
            blank = {"scan": 0, "at": 0.0, "value": 0.0, "id": None}
            like = [reading_of({**dict(zip(alike, kind, strict=True)), **blank}) for kind in kinds]
            return _alike(db, number, alike, kinds, like)
    except UserError:
        # One of them is none: it is looked for below, and named.
        pass
    rows = db.execute(f"SELECT {READING_COLUMNS}, id FROM reading WHERE id > ? ORDER BY id", (number,))
    return [reading_of(dict(zip((*READING_FIELDS, "id"), row, strict=True))) for row in rows]


def _alike(
    db: sqlite3.Connection, number: int, names: list[str], kinds: list[tuple[Any, ...]], like: list[Reading]
) -> list[Reading]:
    """Rows of known kinds: the database tells which, and only what is a row's own is fetched."""
    told = " AND ".join(f"{name} IS ?" for name in names)
    which = f"CASE {f'WHEN {told} THEN ? ' * len(kinds)}END" if kinds else "0"
    given = [value for k, kind in enumerate(kinds) for value in (*kind, k)]
    rows = db.execute(
        f"SELECT scan, at, value, id, {which} FROM reading WHERE id > ? ORDER BY id", (*given, number)
    )
    heads, tails = [tuple(r[2:4]) for r in like], [tuple(r[5:15]) for r in like]
    with _uncollected():
        return [_make((scan, at, *heads[k], value, *tails[k], own, 1)) for scan, at, value, own, k in rows]


def with_states(db: sqlite3.Connection, fresh: list[Reading], known: dict[int, int]) -> list[Reading]:
    """Readings with the state that each is of: the newest of the revision that it was kept under.

    `known` holds that by revision, and is added to. Of amps that an older program wrote in, as set, beside
    volts that were typed nobody knows anything: they are left out; what was said behind @ is told from what
    was read.
    """
    if not fresh:
        return fresh
    first, last = fresh[0].id, fresh[-1].id
    for (revision,) in db.execute(
        "SELECT DISTINCT revision FROM reading WHERE id BETWEEN ? AND ?", (first, last)
    ).fetchall():
        _state_of(db, revision, known)
    if any(number != 1 for number in known.values()):
        of = dict(
            db.execute("SELECT id, revision FROM reading WHERE id BETWEEN ? AND ?", (first, last)).fetchall()
        )
        fresh = [r._replace(state=known[of[r.id]]) if known[of[r.id]] != 1 else r for r in fresh]
        fresh = _as_corrected(db, fresh, known)
    # Few of a long record are typed amps: those alone are looked at.
    typed = [k for k, r in enumerate(fresh) if r.quantity == "A" and r.origin == "typed"]
    told = {k: _as_known(fresh[k], fresh[k - 1] if k else None) for k in typed}
    if all(told[k] is fresh[k] for k in typed):
        return fresh
    kept = (told.get(k, r) for k, r in enumerate(fresh))
    return [r for r in kept if r is not None]


def _as_corrected(db: sqlite3.Connection, fresh: list[Reading], known: dict[int, int]) -> list[Reading]:
    """Corrections with the state of what they correct, whenever that was done."""
    return [r if r.corrects is None else r._replace(state=_state_at(db, r.corrects, known)) for r in fresh]


def _state_at(db: sqlite3.Connection, number: int, known: dict[int, int]) -> int:
    """The state of a reading; of one that corrects another, that of what it was at first."""
    revision = None
    while True:
        row = db.execute("SELECT revision, corrects FROM reading WHERE id = ?", (number,)).fetchone()
        revision = row[0] if row is not None else revision
        if row is None or row[1] is None or row[1] >= number:
            return _state_of(db, revision, known)
        number = row[1]


def _state_of(db: sqlite3.Connection, revision: int | None, known: dict[int, int]) -> int:
    """The newest state of a revision; `known` holds it by revision, and is added to."""
    if revision is None:
        return 1
    if revision not in known:
        row = db.execute(
            "SELECT json_extract(job, '$.states[#-1].number') FROM revision WHERE id = ?", (revision,)
        ).fetchone()
        known[revision] = row[0] if row and isinstance(row[0], int) else 1
    return known[revision]


def _as_known(r: Reading, before: Reading | None) -> Reading | None:
    """Typed amps as what they are known to be; None where they are no fact. `before` was kept before them."""
    if r.range == AS_SET:
        return None
    beside = before is not None and (before.scan, before.note, before.place) == (r.scan, r.note, r.place)
    return r._replace(range=AS_SAID) if beside and "@" in r.note else r


_make = Reading._make
#: Numbers from here on tell scans apart that an older program gave the same number.
TOLD_APART = 2**40


class ScansApart:
    """Tells apart scans that share a number: rows of one scan are kept together, so they follow one another.

    Earlier programs numbered the rows of a log from one number on and went on with the next for what was
    kept after it. A row that corrects another belongs to that one's scan wherever it stands.
    """

    def __init__(self) -> None:
        self._seen: set[int] = set()
        self._last: int | None = None
        self._as = 0

    def told(self, fresh: list[Reading]) -> list[Reading]:
        """Rows in the order kept, those of a number that was used before under one of their own."""
        last = self._last
        scans = list(map(attrgetter("scan"), fresh))
        starts = [scan for scan, before in zip(scans, (last, *scans), strict=False) if scan != before]
        numbers = set(starts)
        if len(numbers) == len(starts) and not numbers & self._seen and self._as == 0:
            self._seen |= numbers
            self._last = fresh[-1].scan if fresh else last
            return fresh
        return [self._one(r) for r in fresh]

    def _one(self, r: Reading) -> Reading:
        if r.corrects is not None:
            return r
        if r.scan != self._last:
            self._last = r.scan
            self._as = TOLD_APART + (r.id or 0) if r.scan in self._seen else 0
            self._seen.add(r.scan)
        return r._replace(scan=self._as) if self._as else r


@contextlib.contextmanager
def _uncollected() -> Iterator[None]:
    """No search for garbage while nothing but rows is made: it would look at all of them again and again."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def instruments_of(text: str, number: int) -> dict[str, str]:
    """What the instruments of a run said of themselves, by role."""
    try:
        found = json.loads(text)
    except (ValueError, TypeError, RecursionError) as error:
        raise _damaged("run", number) from error
    if not isinstance(found, dict) or not all(isinstance(v, str) for v in found.values()):
        raise _damaged("run", number)
    return found


def fault_of(table: str, columns: list[str], row: tuple[Any, ...]) -> str:
    """What is wrong with a row of any table, in a sentence; empty when nothing is."""
    named = dict(zip(columns, row, strict=True))
    try:
        if table == "reading":
            reading_of({"id": None, **dict.fromkeys(READING_FIELDS), **named})
            return ""
        for column, allowed in _KINDS[table].items():
            if column not in named or not isinstance(named[column], allowed):
                raise _damaged(table, named.get("id"))
        if table == "run":
            instruments_of(named["instruments"], named.get("id", 0))
        if table == "wave" and (named["origin"] not in _ORIGINS or not named["rate"] > 0):
            raise _damaged(table, named.get("id"))
    except UserError as trouble:
        return str(trouble)
    return ""


def faults(db: sqlite3.Connection, tables: set[str]) -> list[str]:
    """Everything that is wrong with a job file: its pages, rows that point nowhere, rows that are none."""
    found = [str(r[0]) for r in db.execute("PRAGMA integrity_check") if r[0] != "ok"]
    found += [f"a row of {r[0]} points nowhere" for r in db.execute("PRAGMA foreign_key_check")]
    for table in TABLES:
        if table in tables:
            cursor = db.execute(f"SELECT * FROM {table} ORDER BY id")
            columns = [c[0] for c in cursor.description]
            found += [fault for row in cursor if (fault := _fault_of(table, columns, row))]
    return found


def _fault_of(table: str, columns: list[str], row: tuple[Any, ...]) -> str:
    """What is wrong with one row; a revision is read as the job that it is."""
    wrong = fault_of(table, columns, row)
    if table != "revision" or wrong:
        return wrong
    try:
        read_job(row[columns.index("job")])
    except UserError as trouble:
        return f"revision {row[0]}: {trouble}"
    return ""


def _damaged(table: str, number: object) -> UserError:
    return UserError(
        f"Row {number} of the table “{table}” is damaged. The file was left as it is; take the last export "
        "or a copy of it."
    )


@lru_cache(maxsize=256)
def _accuracy(text: str | None) -> Accuracy | None:
    return Accuracy.model_validate_json(text) if text else None
