"""Measurement logs in CSV: columns by header with their units, either decimal mark, usual separators."""

import codecs
import contextlib
import re
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.store.cells import OVER
from tensimeter.store.columns import Header, any_unit, header_of
from tensimeter.store.regular import MOST_TABLE, open_regular
from tensimeter.store.untidy import CHOICES, NAMED, Tidied, tidied

if TYPE_CHECKING:
    import pyarrow as pa

#: How much of a file is looked at for its header, and the longest header that is one, characters.
HEAD_BYTES, MOST_HEADER, MOST_COLUMNS = 65_536, 20_000, 1_000
#: What stands for infinity in an instrument's answer (IEEE 488.2; SCPI 1999, volume 1, 7.2.1.4).
OVER_RANGE = 9.9e37


class Log(Struct, frozen=True):
    """Columns of a log by quantity (`volts`, `amps`, `time`, …), and its own headers."""

    columns: dict[str, Array]
    headers: tuple[str, ...]
    #: What was taken for what, and what was left out, a few words each.
    said: tuple[str, ...] = ()

    def __len__(self) -> int:
        return max((len(c) for c in self.columns.values()), default=0)

    def need(self, *quantities: str, over_range: bool = False) -> tuple[Array, ...]:
        """The columns asked for; UserError names the one that was not found.

        Figures that the instrument gave as over range are infinite, and refused unless asked for.
        """
        for quantity in quantities:
            if quantity not in self.columns:
                raise UserError(
                    f"No column for {quantity} was found; the headers are "
                    f"{', '.join(self.headers)}. Name it with --{quantity}."
                )
            beyond = 0 if over_range else int(np.isinf(self.columns[quantity]).sum())
            if beyond:
                raise UserError(
                    f"{beyond} of {len(self)} rows of {quantity} are over the instrument's range. Take them "
                    "out, or read again on a wider range; nothing was computed."
                )
        return tuple(self.columns[q] for q in quantities)


def read_log(path: Path, named: dict[str, str] | None = None) -> Log:
    """Read a CSV log with a header line.

    `named` maps a quantity to the header of its column. Figures are scaled by the unit that the header
    names. UserError in one sentence for an empty file, a word in a number column, a unit that is not known,
    or a column that is missing.
    """
    path, given = Path(path), dict(named or {})
    choices = {k: given.pop(k) for k in CHOICES if k in given}
    strange = next((k for k in given if k not in NAMED), None)
    if strange is not None:
        raise UserError(
            f"“{strange}” is a place; of volts and amps name {', '.join(NAMED)}, as volts=#2. Temperatures "
            "belong to a soak: choose it first."
        )
    headers, separator, comma = headers_of(path, choices)
    wanted = _match(headers, given, path)
    if not wanted:
        raise UserError(
            f"{path.name} has no header that is known; it begins {_begins(headers)}. Say which column is "
            "which: "
            "--map volts=#2,amps=#3."
        )
    columns = read_columns(path, headers, separator, comma, wanted, choices)
    rows = len(next(iter(columns.values())))
    columns, gaps = _without_gaps(columns)
    if "time" in columns:
        columns["time"] = _in_seconds(columns["time"], wanted["time"][1], choices, path)
    said = list(_said(path, separator, choices))
    if said or named:
        said += [f"“{h.text}” taken for {q}" for q, (_, h) in wanted.items()]
    if gaps:
        said.append(f"{gaps} of {rows} rows with empty cells left out")
    return Log(columns, tuple(headers), tuple(said))


def _without_gaps(columns: dict[str, Array]) -> tuple[dict[str, Array], int]:
    """Columns without the rows in which one of them has nothing, and how many those were."""
    whole = ~np.any([np.isnan(c) for c in columns.values()], axis=0)
    return {q: c[whole] for q, c in columns.items()}, int((~whole).sum())


#: What a spreadsheet counts days from 1900 as in our century; steps of a log that would be days, not seconds.
_SHEET_DAYS, _TINY_STEP = (25_000.0, 80_000.0), 2e-3


def _in_seconds(time: Array, header: Header, choices: dict[str, str], path: Path) -> Array:
    """Times (n,) in s; those that a spreadsheet wrote as days are asked about.

    An evening of them goes on by some hundred-thousandths: nobody logs volts and amps every microsecond.
    """
    steps = np.diff(time[np.isfinite(time)])
    if len(steps) < 2 or header.factor != 1.0 or re.search(r"[\[(/_]|\bs(ec|econds?)?\b", header.text):
        return time
    step, first = float(np.median(np.abs(steps))), float(time[0])
    as_days = step < _TINY_STEP and (_SHEET_DAYS[0] < first < _SHEET_DAYS[1] or 0 < first < 1 > time.max())
    if not as_days or choices.get("times") == "seconds":
        return time
    if choices.get("times") != "days":
        raise UserError(
            f"{path.name}: times such as {first:.6g} may be days, as a spreadsheet counts them, or seconds: "
            "say --map times=days or times=seconds."
        )
    return np.asarray((time - time[0]) * 86400.0)


#: The separator of a log that was put in order first.
UNTIDY = ""


@lru_cache(maxsize=1)
def _in_order(path: Path, _stamp: tuple[int, int], choices: tuple[tuple[str, str], ...]) -> Tidied:
    return tidied(path, dict(choices))


def _tidied(path: Path, choices: dict[str, str]) -> Tidied:
    """A log put in order; read once as long as it stays as it is."""
    stat = path.stat()
    return _in_order(path, (stat.st_mtime_ns, stat.st_size), tuple(sorted(choices.items())))


def _said(path: Path, separator: str, choices: dict[str, str]) -> tuple[str, ...]:
    return _tidied(path, choices).said if separator == UNTIDY else ()


class TemperatureLog(Struct, frozen=True):
    """s and °C by name (n,), and volts and amps where they stand beside."""

    time_s: Array
    celsius: dict[str, Array]
    volts: Array | None = None
    amps: Array | None = None
    #: The places that somebody said a column is of.
    said: tuple[str, ...] = ()


#: A column of temperature: `temp sink [degC]`, `T case`, `ambient`; its place is what is left.
_TEMPERATURE = re.compile(
    r"^(?:(?:temp(?:erature)?|celsius)\b[_ ]*(?P<place>[^\[(]*)"
    r"|t[_ ]+(?P<short>[^\[(]+)|(?P<room>ambient|room)\b)",
    re.I,
)


def place_in(header: str) -> str | None:
    """The place that a header of a temperature names, `temperature` where none; None: of no heat."""
    match = _TEMPERATURE.match(_plain(header))
    found = header_of(header, "temp" if match else None)
    if found is None or found.quantity != "temp":
        return None
    match = _TEMPERATURE.match(found.name) or match
    # Without a word for heat the unit tells, and the header is the place.
    name = (match["place"] or match["short"] or match["room"] or "") if match else found.name
    return name.strip().replace(" ", "-").casefold() or "temperature"


def read_temperatures(
    path: Path, time: str = "", named: dict[str, str] | None = None, *, others: bool = True
) -> TemperatureLog:
    """Temperatures over time; `time` names the column of times where its header does not say so.

    `named` may say the same, and answer what was asked, as in `read_log`; without `others` no column counts
    that it does not name.

    Times in minutes or hours are told by the header's unit. UserError where there is no time or temperature.
    """
    path, given = Path(path), {"time": time} if time else {}
    given |= {k: v for k, v in (named or {}).items() if k in ("time", "volts", "amps", *CHOICES)}
    choices = {k: given.pop(k) for k in CHOICES if k in given}
    headers, separator, comma = headers_of(path, choices)
    said = {k: _named(v, headers, path) for k, v in (named or {}).items() if k not in (*NAMED, *CHOICES)}
    base = _match(headers, given, path)
    kept = ("time", "volts", "amps") if others else tuple(given)
    wanted = {k: v for k, v in base.items() if k in kept}
    for place, (k, _) in said.items():
        header = header_of(headers[k], "temp")
        assert header is not None
        wanted[f"at {place.strip().replace(' ', '-').casefold()}"] = (k, header)
    taken = {column for column, _ in wanted.values()}
    for k, text in enumerate(headers):
        own = place_in(text) if others and k not in taken else None
        if own is not None:
            header = header_of(text, "temp")
            assert header is not None
            wanted[f"at {own}"] = (k, header)
    places = [key for key in wanted if key.startswith("at ")]
    if "time" not in wanted or not places:
        missing = "times" if "time" not in wanted else "temperatures"
        raise UserError(
            f"{path.name} has no column of {missing} that is known; it begins {_begins(headers)}."
        )
    columns, _ = _without_gaps(read_columns(path, headers, separator, comma, wanted, choices))
    Log({k: columns[k] for k in ("time", *places)}, tuple(headers)).need("time", *places)
    celsius = {key.removeprefix("at "): columns[key] for key in places}
    told = tuple(place.strip().replace(" ", "-").casefold() for place in said)
    return TemperatureLog(columns["time"], celsius, columns.get("volts"), columns.get("amps"), told)


def _plain(header: str) -> str:
    """A header without what stands in brackets."""
    return re.sub(r"[\[(][^\])]*[\])]", "", header).strip()


def read_load_cases(path: Path) -> tuple[tuple[str, ...], Array, Array]:
    """Names of rails, volts and amps (n, r) of a table with a row a load case.

    Its columns are `v NAME` and `i NAME`; UserError where a rail has only one of them.
    """
    path = Path(path)
    headers, separator, comma = headers_of(path)
    wanted: dict[str, tuple[int, Header]] = {}
    for k, header in enumerate(headers):
        match = _CASE.match(_plain(header))
        if match:
            what = match["what"].lower()
            unit = header_of(re.sub(r"^[^\[(]*", "x ", header), {"v": "volts", "i": "amps"}[what])
            assert unit is not None
            wanted[f"{what} {match['rail']}"] = (k, unit)
    rails = tuple(dict.fromkeys(key.partition(" ")[2] for key in wanted))
    for rail in rails:
        for what in ("v", "i"):
            if f"{what} {rail}" not in wanted:
                raise UserError(f"{path.name} has no column “{what} {rail}”; nothing was taken.")
    if not rails:
        raise UserError(f"{path.name} has no columns such as “v 12 V” and “i 12 V”; nothing was taken.")
    log = Log(read_columns(path, headers, separator, comma, wanted), tuple(headers))
    columns = dict(zip(wanted, log.need(*wanted), strict=True))
    volts, amps = (np.column_stack([columns[f"{what} {rail}"] for rail in rails]) for what in ("v", "i"))
    return rails, volts, amps


#: A column of a load case: what it holds, and of which rail.
_CASE = re.compile(r"^(?P<what>[viVI])\s+(?P<rail>.+)$")


def _begins(headers: list[str]) -> str:
    return f"“{', '.join(headers)[:60]}”"


def headers_of(path: Path, choices: dict[str, str] | None = None) -> tuple[list[str], str, bool]:
    """Headers, separator, and whether the decimal mark is a comma.

    A log that is no plain table (other encoding, preamble, units in cells …) is put in order first; its
    separator is `UNTIDY`.
    """
    plain = None if choices else _plain_head(path)
    if plain is not None:
        return plain
    found = _tidied(path, choices or {})
    return list(found.headers), UNTIDY, False


def _plain_head(path: Path) -> tuple[list[str], str, bool] | None:
    """The same of a plain table; None where it is none."""
    with open_regular(path, MOST_TABLE) as file:
        start = file.read(HEAD_BYTES)
    try:
        # A character may lie across the end of what was read.
        text = codecs.getincrementaldecoder("utf-8-sig")().decode(start, final=len(start) < HEAD_BYTES)
    except UnicodeDecodeError:
        return None
    lines = text.splitlines()
    if not any(line.strip() for line in lines):
        raise UserError(f"{path.name} is empty; there is nothing to read in it.")
    if len(lines[0]) > MOST_HEADER:
        raise UserError(f"{path.name} has a header of more than {MOST_HEADER} characters; it is no log.")
    separator, comma = _format(lines)
    headers = [h.strip().strip('"') for h in lines[0].split(separator)]
    if len(headers) > MOST_COLUMNS:
        raise UserError(f"{path.name} has {len(headers)} columns; {MOST_COLUMNS} are the most of a log.")
    return (headers, separator, comma) if _is_plain(lines, headers, separator, comma) else None


def _tells_decimals(lines: list[str]) -> bool:
    """Whether one of the first rows has a comma that can't part thousands."""
    commas = re.findall(r"(?<![\d.,])\d+,\d+(?![\d,])", "\n".join(lines[1:400]))
    return any(not re.fullmatch(r"[1-9]\d{0,2},\d{3}", c) for c in commas)


#: A figure that is written plainly.
_PLAIN = re.compile(r"^\s*\"?[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?\"?\s*$")


def _is_plain(lines: list[str], headers: list[str], separator: str, comma: bool) -> bool:
    """A header of one line, rows of plain figures right below it."""
    if lines[0].lstrip().startswith("#") or len(set(headers)) != len(headers):
        return False
    first = next((line for line in lines[1:] if line.strip()), "")
    cells = first.replace(",", ".").split(separator) if comma else first.split(separator)
    if comma and separator != ";" and not _tells_decimals(lines):
        return False
    if any(any_unit(c.strip().strip('"')) for c in cells if not _PLAIN.match(c)):
        # A unit stands beside its figure.
        return False
    second = next((line for line in lines[2:] if line.strip()), "")
    if second and '"' not in second and len(second.split(separator)) > len(headers):
        # What stands above is no header, but pairs of words.
        return False
    plain = [bool(_PLAIN.match(c)) for c in cells if c.strip()]
    # A word, such as a mode, is passed over; a date or a figure with a unit has to be put in order.
    words = sum(c.strip()[:1].isalpha() and c.strip().casefold() not in OVER for c in cells)
    whole = len(cells) == len(headers) and sum(plain) >= 1 and sum(plain) + words == len(plain)
    return whole and not any(_PLAIN.match(h) for h in headers) and (not first or lines[1:2] == [first])


def read_columns(
    path: Path,
    headers: list[str],
    separator: str,
    comma: bool,
    wanted: dict[str, tuple[int, Header]],
    choices: dict[str, str] | None = None,
) -> dict[str, Array]:
    """The wanted columns in SI units, by their keys; nan where a cell is empty."""
    if separator == UNTIDY:
        table = _tidied(path, choices or {}).columns
        return {q: header.in_si(table[k]) for q, (k, header) in wanted.items()}
    return _plain_columns(path, headers, separator, comma, wanted)


def _plain_columns(
    path: Path, headers: list[str], separator: str, comma: bool, wanted: dict[str, tuple[int, Header]]
) -> dict[str, Array]:
    """The same of a plain table, by a reader that is made for it."""
    import pyarrow as pa
    import pyarrow.csv

    convert = pa.csv.ConvertOptions(
        column_types={headers[k]: pa.float64() for k, _ in wanted.values()},
        include_columns=[headers[k] for k, _ in wanted.values()],
        decimal_point="," if comma else ".",
    )
    read = pa.csv.ReadOptions(column_names=headers, skip_rows=1)
    try:
        table = pa.csv.read_csv(path, read, pa.csv.ParseOptions(delimiter=separator), convert)
    except (pa.ArrowException, OSError, ValueError) as error:
        plainly = UserError(f"{path.name}: {_reason(str(error))} Nothing was taken from it.")
        try:
            found = _as_it_came(path, headers, wanted)
        except UserError as trouble:
            # What can be answered, or names a unit, says more than that a figure is none.
            raise (trouble if re.search(r"--map|unit", str(trouble)) else plainly) from error
        if found is not None:
            return found
        raise plainly from error
    if table.num_rows == 0:
        raise UserError(f"{path.name} has a header but no rows; there is nothing to read in it.")
    columns = {q: header.in_si(_column(table, headers[k], path)) for q, (k, header) in wanted.items()}
    # The columns are copies: a long log is not held twice.
    del table
    pa.default_memory_pool().release_unused()
    return columns


def _as_it_came(
    path: Path, headers: list[str], wanted: dict[str, tuple[int, Header]]
) -> dict[str, Array] | None:
    """Columns of a table that begins plainly and does not go on so; None where they are others."""
    table = _tidied(path, {})
    if len(table.headers) != len(headers):
        return None
    found = {}
    for quantity, (k, header) in wanted.items():
        same = header if table.headers[k] == header.text else header_of(table.headers[k], header.quantity)
        if same is None:
            return None
        found[quantity] = same.in_si(table.columns[k])
    return found


def _format(lines: list[str]) -> tuple[str, bool]:
    """Separator, and whether the decimal mark is a comma."""
    head, first = lines[0], next((line for line in lines[1:] if line.strip()), "")
    separator = next((s for s in ("\t", ";") if s in head), ",")
    return separator, separator != "," and bool(re.search(r"\d,\d", first))


def _match(headers: list[str], named: dict[str, str], path: Path) -> dict[str, tuple[int, Header]]:
    """Which column is which quantity, and how its figures scale; several of one kind are asked about."""
    found: dict[str, tuple[int, Header]] = {}
    try:
        for quantity, name in named.items():
            k, turned = _named(name, headers, path)
            header = header_of(headers[k], quantity)
            assert header is not None
            # The other way round: what flows out is written as less than nothing.
            header = replace(header, factor=-header.factor, offset=-header.offset) if turned else header
            found[quantity] = (k, header)
        taken = {k for k, _ in found.values()}
        for k, text in enumerate(headers):
            header = header_of(text) if k not in taken else None
            if header is not None and header.quantity not in found:
                found[header.quantity] = (k, header)
        _must_be_one(headers, found, set(named))
    except UserError as trouble:
        raise UserError(f"{path.name}: {trouble}") from trouble
    return found


#: Words of a column that holds what was asked for, or an end of what was read, beside what was read.
_BESIDE = re.compile(
    r"\b(set|setpoint|target|limit|max|min|nominal|average|avg|soll|grenz\w*|consigne)\b|_(set|limit|max|min)\b",
    re.I,
)


def _must_be_one(headers: list[str], found: dict[str, tuple[int, Header]], named: set[str]) -> None:
    """UserError where several columns could be the volts, or the amps, and nobody said which."""
    for quantity in [q for q in ("volts", "amps") if q in found and q not in named]:
        others, read = _columns_of(headers, quantity)
        if len(read) == 1:
            found[quantity] = read[0]
        elif len(others) > 1:
            names = ", ".join(f"#{k + 1} “{h.text}”" for k, h in others[:4])
            raise UserError(
                f"There are {len(others)} columns of {quantity}: {names}. Say which with --map "
                f"{quantity}=#{others[0][0] + 1}."
            )


def unclear_in(headers: Sequence[str]) -> set[str]:
    """Which of volts and amps could be several columns."""
    told = {quantity: _columns_of(headers, quantity) for quantity in ("volts", "amps")}
    return {quantity for quantity, (every, read) in told.items() if len(every) > 1 and len(read) != 1}


def _columns_of(
    headers: Sequence[str], quantity: str
) -> tuple[list[tuple[int, Header]], list[tuple[int, Header]]]:
    """All columns of a quantity, and those of them that no word says were set, or are an end of it."""
    every = []
    for k, text in enumerate(headers):
        with contextlib.suppress(UserError):
            header = header_of(text)
            if header is not None and header.quantity == quantity:
                every.append((k, header))
    return every, [(k, h) for k, h in every if not _BESIDE.search(h.text)]


def _named(name: str, headers: list[str], path: Path) -> tuple[int, bool]:
    """Which column a name means (`#3` the third, `-NAME` with its sign turned), and whether it is turned."""
    turned = name not in headers and name.startswith("-")
    bare = name[1:] if turned else name
    if bare in headers:
        return headers.index(bare), turned
    alike = [k for k, h in enumerate(headers) if _plain(h) == bare]
    if len(alike) == 1:
        return alike[0], turned
    if re.fullmatch(r"#\d+", bare) and 1 <= int(bare[1:]) <= len(headers):
        return int(bare[1:]) - 1, turned
    raise UserError(f"{path.name} has no column “{bare}”; it has {', '.join(headers)[:200]}.")


def _reason(text: str) -> str:
    column = re.search(r"column #(\d+)", text, re.I)
    value = re.search(r"(?:invalid value|to double: ).*?'([^']*)'", text, re.S)
    where = f" in column {int(column.group(1)) + 1}" if column else ""
    if value:
        return f"“{value.group(1)}”{where} is not a number."
    if "Expected" in text and "columns" in text:
        return "a row has more or fewer columns than the header."
    return "a row can't be read."


def _column(table: "pa.Table", name: str, path: Path) -> Array:
    column = table.column(name)
    if column.null_count == len(column):
        raise UserError(f"{path.name}: column “{name}” has empty cells only; nothing was taken.")
    values: Array = column.to_numpy()
    beyond = np.abs(values) >= OVER_RANGE
    # A figure too large for any number is not what an instrument says when it is over range.
    said_so = np.abs(values) < 1e39
    if beyond.any() and said_so[beyond].all():
        return np.where(beyond, np.copysign(np.inf, values), values)
    if np.isinf(values).any() or beyond.any():
        raise UserError(f"{path.name}: column “{name}” has values that are not finite numbers.")
    return values
