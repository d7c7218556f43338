"""Measurement logs in CSV: columns found by header, either decimal mark, any usual separator."""

import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.errors import Trouble

#: What a header may be called, by the quantity it stands for.
_HEADERS = {
    "time": re.compile(r"^(t|time|elapsed|seconds?)\b|^(time|t)\s*[\[(]", re.I),
    "volts": re.compile(r"^(v|u|volts?|voltage|vout|v_?meas)\b|^(v|u)\s*[\[(]", re.I),
    "amps": re.compile(r"^(i|a|amps?|current|iout|i_?meas)\b|^(i|a)\s*[\[(]", re.I),
    "temp": re.compile(r"^(temp|temperature|t_)", re.I),
    "set": re.compile(r"^(set|setpoint|set_?a)\b", re.I),
}


@dataclass(frozen=True)
class Log:
    """Columns of a log by quantity (`volts`, `amps`, `time`, …), and its own headers."""

    columns: dict[str, Array]
    headers: tuple[str, ...]

    def __len__(self) -> int:
        return max((len(c) for c in self.columns.values()), default=0)

    def need(self, *quantities: str) -> tuple[Array, ...]:
        """The columns asked for; Trouble names the one that was not found."""
        for quantity in quantities:
            if quantity not in self.columns:
                raise Trouble(
                    f"No column for {quantity} was found; the headers are "
                    f"{', '.join(self.headers)}. Name it with --{quantity}."
                )
        return tuple(self.columns[q] for q in quantities)


def read_log(path: Path, named: dict[str, str] | None = None) -> Log:
    """Read a CSV log with a header line.

    `named` maps a quantity to the header of its column. Trouble in one sentence for an empty
    file, a word in a number column, or a column that is missing.
    """
    path = Path(path)
    headers, separator, comma = _head(path)
    wanted = _match(headers, named or {}, path)
    if not wanted:
        raise Trouble(f"{path.name} has no header that is known; its first line begins {_begins(headers)}.")
    return Log(_read(path, headers, separator, comma, wanted), tuple(headers))


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
_SECONDS = {"min": 60.0, "minutes": 60.0, "h": 3600.0, "hours": 3600.0, "ms": 1e-3}


def read_temperatures(path: Path, time: str = "") -> TemperatureLog:
    """Temperatures over time; `time` names the column of times where its header does not say so.

    Times in minutes or hours are told by the header's unit. Trouble where there is no time or temperature.
    """
    path = Path(path)
    headers, separator, comma = _head(path)
    base = _match(headers, {"time": time} if time else {}, path)
    wanted = {k: v for k, v in base.items() if k in ("time", "volts", "amps")}
    places: dict[str, int] = {}
    for k, header in enumerate(headers):
        match = _TEMPERATURE.match(header.strip())
        if match and k not in wanted.values():
            name = match["place"] or match["short"] or match["room"] or ""
            name = name.strip().replace(" ", "-").casefold()
            places[name or "temperature"] = k
    if "time" not in wanted or not places:
        missing = "times" if "time" not in wanted else "temperatures"
        raise Trouble(f"{path.name} has no column of {missing} that is known; it begins {_begins(headers)}.")
    columns = _read(path, headers, separator, comma, wanted | places)
    unit = re.search(r"[\[(]\s*(\w+)\s*[\])]", headers[wanted["time"]])
    scale = _SECONDS.get(unit.group(1).casefold(), 1.0) if unit else 1.0
    return TemperatureLog(
        columns["time"] * scale, {p: columns[p] for p in places}, columns.get("volts"), columns.get("amps")
    )


def read_load_cases(path: Path) -> tuple[tuple[str, ...], Array, Array]:
    """Names of rails, volts and amps (n, r) of a table with a row a load case.

    Its columns are `v NAME` and `i NAME`; Trouble where a rail has only one of them.
    """
    path = Path(path)
    headers, separator, comma = _head(path)
    wanted: dict[str, int] = {}
    for k, header in enumerate(headers):
        match = _CASE.match(header)
        if match:
            wanted[f"{match['what'].lower()} {match['rail']}"] = k
    rails = tuple(dict.fromkeys(key.partition(" ")[2] for key in wanted))
    for rail in rails:
        for what in ("v", "i"):
            if f"{what} {rail}" not in wanted:
                raise Trouble(f"{path.name} has no column “{what} {rail}”; nothing was taken.")
    if not rails:
        raise Trouble(f"{path.name} has no columns such as “v 12 V” and “i 12 V”; nothing was taken.")
    columns = _read(path, headers, separator, comma, wanted)
    volts, amps = (np.column_stack([columns[f"{what} {rail}"] for rail in rails]) for what in ("v", "i"))
    return rails, volts, amps


#: A column of a load case: what it holds, and of which rail; a unit in brackets is passed over.
_CASE = re.compile(r"^(?P<what>[viVI])\s+(?P<rail>.+?)\s*(?:[\[(][^\])]*[\])])?$")


def _begins(headers: list[str]) -> str:
    return f"“{', '.join(headers)[:60]}”"


def _head(path: Path) -> tuple[list[str], str, bool]:
    """Headers, separator, and whether the decimal mark is a comma."""
    try:
        with path.open("rb") as file:
            start = file.read(65536)
    except OSError as error:
        raise Trouble(f"{path.name} can't be read: {error.strerror}.") from error
    try:
        lines = start.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as error:
        raise Trouble(f"{path.name} is not a text file in UTF-8.") from error
    if not any(line.strip() for line in lines):
        raise Trouble(f"{path.name} is empty; there is nothing to read in it.")
    separator, comma = _format(lines)
    headers = [h.strip().strip('"') for h in lines[0].split(separator)]
    if len(set(headers)) != len(headers):
        raise Trouble(f"{path.name} has two columns of one name; give each a name of its own.")
    return headers, separator, comma


def _read(
    path: Path, headers: list[str], separator: str, comma: bool, wanted: dict[str, int]
) -> dict[str, Array]:
    """The wanted columns as numbers, by their keys."""
    import pyarrow as pa
    import pyarrow.csv

    convert = pa.csv.ConvertOptions(
        column_types={headers[k]: pa.float64() for k in wanted.values()},
        include_columns=[headers[k] for k in wanted.values()],
        decimal_point="," if comma else ".",
    )
    read = pa.csv.ReadOptions(column_names=headers, skip_rows=1)
    try:
        table = pa.csv.read_csv(path, read, pa.csv.ParseOptions(delimiter=separator), convert)
    except pa.ArrowInvalid as error:
        raise Trouble(f"{path.name}: {_reason(str(error))} Nothing was taken from it.") from error
    if table.num_rows == 0:
        raise Trouble(f"{path.name} has a header but no rows; there is nothing to read in it.")
    columns = {q: _column(table, headers[k], path) for q, k in wanted.items()}
    # The columns are copies: a long log is not held twice.
    del table
    pa.default_memory_pool().release_unused()
    return columns


def _format(lines: list[str]) -> tuple[str, bool]:
    """Separator, and whether the decimal mark is a comma."""
    head, first = lines[0], next((line for line in lines[1:] if line.strip()), "")
    separator = next((s for s in ("\t", ";") if s in head), ",")
    return separator, separator != "," and bool(re.search(r"\d,\d", first))


def _match(headers: list[str], named: dict[str, str], path: Path) -> dict[str, int]:
    found: dict[str, int] = {}
    for quantity, name in named.items():
        if name not in headers:
            raise Trouble(f"{path.name} has no column “{name}”; it has {', '.join(headers)}.")
        found[quantity] = headers.index(name)
    for k, header in enumerate(headers):
        for quantity, pattern in _HEADERS.items():
            if quantity not in found and k not in found.values() and pattern.search(header):
                found[quantity] = k
                break
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


def _column(table: Any, name: str, path: Path) -> Array:
    column = table.column(name)
    if column.null_count:
        raise Trouble(
            f"{path.name}: column “{name}” has {column.null_count} empty cells. Fill or "
            "remove those rows; nothing was taken."
        )
    values: Array = column.to_numpy()
    if not np.isfinite(values).all():
        raise Trouble(f"{path.name}: column “{name}” has values that are not finite numbers.")
    return values
