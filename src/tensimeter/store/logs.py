"""Measurement logs in CSV: columns by header with their units, either decimal mark, usual separators."""

import codecs
import re
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.store.columns import Header, header_of
from tensimeter.store.regular import MOST_TABLE, open_regular

if TYPE_CHECKING:
    import pyarrow as pa

#: How much of a file is looked at for its header, and the longest header that is one, characters.
HEAD_BYTES, MOST_HEADER, MOST_COLUMNS = 65_536, 20_000, 1_000
#: What stands for infinity in an instrument's answer (IEEE 488.2; SCPI 1999, volume 1, 7.2.1.4).
OVER_RANGE = 9.9e37


@dataclass(frozen=True)
class Log:
    """Columns of a log by quantity (`volts`, `amps`, `time`, …), and its own headers."""

    columns: dict[str, Array]
    headers: tuple[str, ...]

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
    path = Path(path)
    headers, separator, comma = headers_of(path)
    wanted = _match(headers, named or {}, path)
    if not wanted:
        raise UserError(f"{path.name} has no header that is known; its first line begins {_begins(headers)}.")
    return Log(read_columns(path, headers, separator, comma, wanted), tuple(headers))


@dataclass(frozen=True)
class TemperatureLog:
    """s and °C by name (n,), and volts and amps where they stand beside."""

    time_s: Array
    celsius: dict[str, Array]
    volts: Array | None = None
    amps: Array | None = None


#: A column of temperature: `temp sink [degC]`, `T case`, `ambient`; its place is what is left.
_TEMPERATURE = re.compile(
    r"^(?:(?:temp(?:erature)?|celsius)\b[_ ]*(?P<place>[^\[(]*)"
    r"|t[_ ]+(?P<short>[^\[(]+)|(?P<room>ambient|room)\b)",
    re.I,
)


def read_temperatures(path: Path, time: str = "") -> TemperatureLog:
    """Temperatures over time; `time` names the column of times where its header does not say so.

    Times in minutes or hours are told by the header's unit. UserError where there is no time or temperature.
    """
    path = Path(path)
    headers, separator, comma = headers_of(path)
    base = _match(headers, {"time": time} if time else {}, path)
    wanted = {k: v for k, v in base.items() if k in ("time", "volts", "amps")}
    taken = {column for column, _ in wanted.values()}
    for k, header in enumerate(headers):
        match = _TEMPERATURE.match(_plain(header))
        found = header_of(header, "temp" if match else None) if k not in taken else None
        if found is not None and found.quantity == "temp":
            match = _TEMPERATURE.match(found.name) or match
            # Without a word for heat the unit tells, and the header is the place.
            name = (match["place"] or match["short"] or match["room"] or "") if match else found.name
            name = name.strip().replace(" ", "-").casefold()
            wanted[f"at {name or 'temperature'}"] = (k, found)
    places = [key for key in wanted if key.startswith("at ")]
    if "time" not in wanted or not places:
        missing = "times" if "time" not in wanted else "temperatures"
        raise UserError(
            f"{path.name} has no column of {missing} that is known; it begins {_begins(headers)}."
        )
    columns = read_columns(path, headers, separator, comma, wanted)
    Log({k: columns[k] for k in ("time", *places)}, tuple(headers)).need("time", *places)
    celsius = {key.removeprefix("at "): columns[key] for key in places}
    return TemperatureLog(columns["time"], celsius, columns.get("volts"), columns.get("amps"))


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


def headers_of(path: Path) -> tuple[list[str], str, bool]:
    """Headers, separator, and whether the decimal mark is a comma."""
    with open_regular(path, MOST_TABLE) as file:
        start = file.read(HEAD_BYTES)
    try:
        # A character may lie across the end of what was read.
        text = codecs.getincrementaldecoder("utf-8-sig")().decode(start, final=len(start) < HEAD_BYTES)
    except UnicodeDecodeError as error:
        raise UserError(f"{path.name} is not a text file in UTF-8.") from error
    lines = text.splitlines()
    if not any(line.strip() for line in lines):
        raise UserError(f"{path.name} is empty; there is nothing to read in it.")
    if len(lines[0]) > MOST_HEADER:
        raise UserError(f"{path.name} has a header of more than {MOST_HEADER} characters; it is no log.")
    separator, comma = _format(lines)
    headers = [h.strip().strip('"') for h in lines[0].split(separator)]
    if len(headers) > MOST_COLUMNS:
        raise UserError(f"{path.name} has {len(headers)} columns; {MOST_COLUMNS} are the most of a log.")
    if len(set(headers)) != len(headers):
        raise UserError(f"{path.name} has two columns of one name; give each a name of its own.")
    return headers, separator, comma


def read_columns(
    path: Path, headers: list[str], separator: str, comma: bool, wanted: dict[str, tuple[int, Header]]
) -> dict[str, Array]:
    """The wanted columns in SI units, by their keys."""
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
        raise UserError(f"{path.name}: {_reason(str(error))} Nothing was taken from it.") from error
    if table.num_rows == 0:
        raise UserError(f"{path.name} has a header but no rows; there is nothing to read in it.")
    columns = {q: header.in_si(_column(table, headers[k], path)) for q, (k, header) in wanted.items()}
    # The columns are copies: a long log is not held twice.
    del table
    pa.default_memory_pool().release_unused()
    return columns


def _format(lines: list[str]) -> tuple[str, bool]:
    """Separator, and whether the decimal mark is a comma."""
    head, first = lines[0], next((line for line in lines[1:] if line.strip()), "")
    separator = next((s for s in ("\t", ";") if s in head), ",")
    return separator, separator != "," and bool(re.search(r"\d,\d", first))


def _match(headers: list[str], named: dict[str, str], path: Path) -> dict[str, tuple[int, Header]]:
    """Which column is which quantity, and how its figures scale; the first of a kind counts."""
    found: dict[str, tuple[int, Header]] = {}
    try:
        for quantity, name in named.items():
            if name not in headers:
                raise UserError(f"{path.name} has no column “{name}”; it has {', '.join(headers)[:200]}.")
            header = header_of(name, quantity)
            assert header is not None
            found[quantity] = (headers.index(name), header)
        taken = {k for k, _ in found.values()}
        for k, text in enumerate(headers):
            header = header_of(text) if k not in taken else None
            if header is not None and header.quantity not in found:
                found[header.quantity] = (k, header)
    except UserError as trouble:
        raise UserError(f"{path.name}: {trouble}") from trouble
    return found


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
    if column.null_count:
        raise UserError(
            f"{path.name}: column “{name}” has {column.null_count} empty cells. Fill or "
            "remove those rows; nothing was taken."
        )
    values: Array = column.to_numpy()
    beyond = np.abs(values) >= OVER_RANGE
    # A figure too large for any number is not what an instrument says when it is over range.
    said_so = np.abs(values) < 1e39
    if beyond.any() and said_so[beyond].all() and not np.isnan(values).any():
        return np.where(beyond, np.copysign(np.inf, values), values)
    if not np.isfinite(values).all() or beyond.any():
        raise UserError(f"{path.name}: column “{name}” has values that are not finite numbers.")
    return values
