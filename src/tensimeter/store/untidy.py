"""Logs as they come: preamble, units in a row or in cells, any separator, either decimal mark, dates.

What can be read in two ways is asked about and never guessed; what was left out is said.
"""

import csv
import io
import re
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.store.cells import (
    DAY_S,
    Marks,
    Time,
    header_of_or_none,
    numbers,
    scale_of,
    takes_as_value,
    times,
)
from tensimeter.store.columns import any_unit, header_of
from tensimeter.store.regular import MOST_TABLE, open_regular

#: How a word of `--map` that names no column is said.
CHOICES = {
    "decimal": ("comma", "point"),
    "dates": ("day-first", "month-first"),
    "times": ("hours-minutes", "minutes-seconds", "days", "seconds"),
}
#: So many lines are looked at to find the table, and so many columns at the most.
LOOKED_AT, MOST_COLUMNS = 400, 1000
_SEPARATORS = ("\t", ";", "|", ",", " ")
_NAMED = {"\t": "tabs", ";": "semicolons", "|": "strokes", ",": "commas", " ": "spaces"}


#: A place whose temperature a column is.
_PLACE = re.compile(r"[^\W\d_][\w .\-]{1,40}$")
#: What a column may be named as.
NAMED = ("time", "volts", "amps", "set")


def mapping(text: str) -> dict[str, str]:
    """What `--map` says: `volts=Spannung,amps=-#3,decimal=comma`; UserError for what is none of it."""
    found = {}
    for part in (p.strip() for p in text.split(",") if p.strip()):
        key, mark, value = (x.strip() for x in part.partition("="))
        if not mark or not value or not (key in (*NAMED, *CHOICES) or _PLACE.match(key)):
            known = ", ".join((*NAMED, *CHOICES))
            raise UserError(
                f"“{part}” says nothing of a log: write {known} or a place that is warm, and what it is, as "
                "volts=#2 or case=#3."
            )
        if key in CHOICES and value not in CHOICES[key]:
            raise UserError(f"“{part}”: {key} is {' or '.join(CHOICES[key])}.")
        found[key] = value
    columns = [value.removeprefix("-").casefold() for key, value in found.items() if key not in CHOICES]
    twice = next((c for c in columns if columns.count(c) > 1), None)
    if twice is not None:
        raise UserError(f"Column {twice} is named for two figures; each has a column of its own.")
    return found


class Tidied(Struct, frozen=True):
    """A log as a table: headers with their units, columns (n,) of figures in them, what is to be said."""

    headers: tuple[str, ...]
    columns: tuple[Array, ...]
    said: tuple[str, ...]


class _Table(Struct, frozen=True):
    """Cells of the rows, the header's and units' cells, and how many lines lay before and after."""

    rows: list[list[str]]
    head: list[str] | None
    units: list[str] | None
    separator: str
    before: int
    after: int


def decoded(raw: bytes, name: str) -> tuple[str, str]:
    """The text of a file, and in which encoding it was; UserError for what is no text."""
    for mark, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if raw.startswith(mark):
            return raw.decode(encoding, errors="replace"), "UTF-16" if encoding == "utf-16" else "UTF-8"
    if raw[:200].count(0) > 20:
        wide = "utf-16-le" if raw[1:2] == b"\0" else "utf-16-be"
        return raw.decode(wide, errors="replace"), "UTF-16"
    if 0 in raw[:4096]:
        raise UserError(f"{name} is no text file; nothing was taken.")
    try:
        return raw.decode("utf-8"), "UTF-8"
    except UnicodeDecodeError:
        return raw.decode("cp1252", errors="replace"), "Latin-1"


def tidied(path: Path, choices: Mapping[str, str] | None = None) -> Tidied:
    """A log of any usual shape as a table in the units of its headers.

    `choices` answer what was asked: `decimal` (comma, point), `dates` (day-first, month-first).

    Raises
    ------
    UserError
        In one sentence where there is no table, a unit that is not known, or two ways to read it.
    """
    with open_regular(path, MOST_TABLE) as file:
        text, encoding = decoded(file.read(), path.name)
    if not text.strip():
        raise UserError(f"{path.name} is empty; there is nothing to read in it.")
    lines = re.split(r"\r\n|\n|\r", text)
    table = _table(lines, path.name)
    said = [f"columns parted by {_NAMED[table.separator]}"]
    if encoding != "UTF-8":
        said.append(f"read as {encoding}")
    if table.before:
        said.append(f"{_lines(table.before)} before the table left out")
    if table.after:
        said.append(f"{_lines(table.after)} behind it left out")
    if table.head is None:
        said.append("it has no header: columns are numbered")
    marks = Marks.of([c for row in table.rows[:LOOKED_AT] for c in row], table.separator, dict(choices or {}))
    heads = _unique(table.head or [f"column {k + 1}" for k in range(len(table.rows[0]))])
    units = table.units or [""] * len(heads)
    columns, headers = _columns(table.rows, heads, units, marks, dict(choices or {}), path.name)
    if marks.comma:
        said.append("a comma is the decimal mark")
    return Tidied(tuple(headers), tuple(columns), tuple(said))


def _lines(count: int) -> str:
    return f"{count} line" if count == 1 else f"{count} lines"


def _fields(line: str, separator: str) -> list[str]:
    if separator == " ":
        return line.split()
    return [
        c.strip() for c in next(csv.reader(io.StringIO(line), delimiter=separator, skipinitialspace=True), [])
    ]


def _is_data(cells: Sequence[str]) -> bool:
    """A row of the table: two cells or more, half of them values or more, and a figure among them."""
    filled = [c for c in cells if c]
    values = [c for c in filled if takes_as_value(c)]
    if any(c.lstrip("+-")[:1].isdigit() for c in filled if not takes_as_value(c)):
        # Half of a figure: the separator is another one, or the row is torn.
        return False
    enough = len(values) > 1 or len(values) == len(filled)
    return len(cells) > 1 and enough and 2 * len(values) >= len(filled) and any(map(_has_digit, values))


def _has_digit(cell: str) -> bool:
    return any(c.isdigit() for c in cell)


def _table(lines: list[str], name: str) -> _Table:
    """Where the table is, by the separator that gives most rows alike."""
    best: tuple[int, int, str] | None = None
    looked = [line for line in lines[: 4 * LOOKED_AT] if line.strip()]
    for rank, separator in enumerate(_SEPARATORS):
        counts: dict[int, int] = {}
        for line in looked:
            cells = _fields(line, separator)
            if _is_data(cells):
                counts[len(cells)] = counts.get(len(cells), 0) + 1
        if counts:
            width, rows = max(counts.items(), key=lambda x: (x[1], x[0]))
            if best is None or (rows, -rank) > (best[0], best[1]):
                best = rows, -rank, f"{separator}{width}"
    if best is None:
        raise UserError(f"{name} has no rows of figures in columns; nothing was taken.")
    separator, width = best[2][0], int(best[2][1:])
    table: list[list[str]] = [_fields(line, separator) if line.strip() else [] for line in lines]
    data = [k for k, row in enumerate(table) if len(row) == width and _is_data(row)]
    first, last = data[0], data[-1]
    within = set(data)
    odd = next((k for k in range(first, last + 1) if k not in within and not _skipped(lines[k])), None)
    # A last row that is half a row is none of a footer.
    odd = (
        next((k for k in range(last + 1, len(table)) if _torn(table[k], width)), None) if odd is None else odd
    )
    if odd is not None:
        raise UserError(
            f"{name}, line {odd + 1}: “{lines[odd].strip()[:40]}” is no row of its table. Nothing was taken."
        )
    head, units, used = _head(lines, table, first, width)
    before = sum(1 for k in range(first) if lines[k].strip()) - used
    after = sum(1 for line in lines[last + 1 :] if line.strip())
    return _Table([table[k] for k in data], head, units, separator, before, after)


def _torn(cells: list[str], width: int) -> bool:
    return len(cells) == width and any(takes_as_value(c) and _has_digit(c) for c in cells)


def _skipped(line: str) -> bool:
    """A line within the table that is none of it: empty, or a remark."""
    return not line.strip() or line.lstrip().startswith(("#", "//", "%"))


def _head(
    lines: list[str], cells: list[list[str]], first: int, width: int
) -> tuple[list[str] | None, list[str] | None, int]:
    """Header's cells and units' cells before the first row, and how many lines those are."""
    above = [k for k in range(first - 1, -1, -1) if lines[k].strip()][:2]
    rows = [_of_width(lines[k], cells[k], width) for k in above]
    if not rows or rows[0] is None:
        return None, None, 0
    if len(rows) > 1 and rows[1] is not None and all(not c or any_unit(c.strip("[]() ")) for c in rows[0]):
        return rows[1], [c.strip("[]() ") for c in rows[0]], 2
    return rows[0], None, 1


def _of_width(line: str, cells: list[str], width: int) -> list[str] | None:
    """A line as a header of the table, also behind the mark of a remark; None where it is none."""
    row = list(cells)
    if line.lstrip().startswith("#") and row:
        row[0] = row[0].lstrip("# ")
        row = row[1:] if not row[0] and len(row) == width + 1 else row
    if len(row) == width + 1 and not row[-1]:
        row = row[:-1]
    return row if len(row) == width and any(row) and not _is_data(row) else None


def _unique(heads: Sequence[str]) -> list[str]:
    """Headers told apart by a number where two are alike."""
    found: list[str] = []
    for k, head in enumerate(heads):
        name = head.strip().strip('"') or f"column {k + 1}"
        times_ = sum(1 for f in heads[:k] if f.strip().strip('"') == name)
        found.append(f"{name}, {times_ + 1}" if times_ else name)
    return found


def _columns(
    rows: list[list[str]],
    heads: list[str],
    units: list[str],
    marks: Marks,
    choices: dict[str, str],
    name: str,
) -> tuple[list[Array], list[str]]:
    """Every column as figures, times joined, with its header and unit."""
    columns: list[Array] = []
    headers: list[str] = []
    clock: list[tuple[int, Time]] = []
    for k, head in enumerate(heads):
        cells = [row[k] for row in rows]
        when = times(cells, choices, f"{name}, “{head}”")
        if when is not None:
            clock.append((len(columns), when))
            columns.append(when.seconds)
            headers.append(f"{head} [s]" if "[" not in head else head)
            continue
        filled = [c for c in cells if c]
        beside = _units_beside(filled) and len(filled) == len(cells) and bool(columns)
        if beside and not any(at == len(columns) - 1 for at, _ in clock):
            columns[-1], headers[-1] = _in_units(columns[-1], headers[-1], cells, f"{name}, “{head}”")
            columns.append(np.full(len(cells), np.nan))
            headers.append(head)
            continue
        if 2 * sum(map(takes_as_value, filled)) < len(filled):
            # Words, such as a mode: no figures are looked for among them.
            columns.append(np.full(len(cells), np.nan))
            headers.append(head)
            continue
        values, unit = numbers(cells, marks, f"{name}, “{head}”", head)
        unit = unit or units[k]
        columns.append(values)
        headers.append(f"{_plain(head)} [{unit}]" if unit else head)
    if len(clock) == 2 and {c.what for _, c in clock} == {"date", "time"}:
        (a, first), (b, second) = clock
        # A day is told by its date: past midnight none is added besides.
        both = {c.what: c.seconds for c in (first, second)}
        columns[a] = both["date"] + np.mod(both["time"], DAY_S)
        headers[a] = "time [s]"
        del columns[b], headers[b]
        clock = [(a, first)]
    if clock:
        at = clock[0][0]
        columns[at] = columns[at] - np.nanmin(columns[at])
        headers[at] = "time [s]" if header_of(headers[at]) is None else headers[at]
    return columns, headers


def _units_beside(cells: Sequence[str]) -> bool:
    """Whether a column holds the units of the figures before it, and nothing else."""
    return bool(cells) and all(not _has_digit(c) and any_unit(c) is not None for c in set(cells))


def _in_units(values: Array, head: str, units: Sequence[str], where: str) -> tuple[Array, str]:
    """Figures (n,) whose unit stands beside each, in one unit that their header names then."""
    written = header_of_or_none(head)
    if re.search(r"[\[(]", head):
        raise UserError(f"{where}: a unit stands in the header “{head}” and another beside each figure.")
    scaled, base = np.empty_like(values), ""
    for k, unit in enumerate(units):
        scale = scale_of(unit, written)
        if scale is None or (base and scale[2] != base):
            raise UserError(f"{where}: “{unit}” is no unit like the others. Nothing was taken.")
        scaled[k], base = values[k] * scale[0] + scale[1], scale[2]
    return scaled, f"{_plain(head)} [{base}]"


def _plain(head: str) -> str:
    return re.sub(r"\s*[\[(][^\])]*[\])]", "", head).strip() or head
