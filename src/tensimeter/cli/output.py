"""How commands answer: one JSON object or a readable table; one sentence and exit 2 for bad input."""

import json
import math
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from tensimeter.core.errors import one_line
from tensimeter.core.measurement.conformity import Interval, Verdict
from tensimeter.core.quantity import show

if TYPE_CHECKING:
    from rich.table import Table
    from rich.text import Text

#: Figures of a row beyond which they do not fit beside one another.
MOST_COLUMNS = 12
#: Units at the end of a key, longest first.
_UNITS = {
    "_percent": "%",
    "_K_per_W": "K/W",
    "_A2s": "A²s",
    "_dB": "dB",
    "_J": "J",
    "_ohm": "ohm",
    "_Ah": "Ah",
    "_Wh": "Wh",
    "_Hz": "Hz",
    "_F": "F",
    "_mm2": "mm2",
    "_V": "V",
    "_A": "A",
    "_W": "W",
    "_C": "C",
    "_s": "s",
    "_K": "K",
    "_m": "m",
}


def span(interval: Interval | None, scale: float = 1.0) -> dict[str, float | None] | None:
    """A measured or fitted value as value, low, high; an open end is null."""
    if interval is None:
        return None
    return {
        "value": _number(interval.value * scale),
        "low": _number(interval.low * scale),
        "high": _number(interval.high * scale),
    }


def _number(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def _plain(value: object) -> Any:  # noqa: ANN401 - what JSON holds
    if isinstance(value, Interval):
        return span(value)
    if isinstance(value, Verdict):
        return value.value
    if isinstance(value, Mapping):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(v) for v in value]
    if hasattr(value, "item"):
        value = value.item()
    if isinstance(value, float):
        return _number(value)
    return value


def answer(result: Mapping[str, Any], as_json: bool) -> None:
    """Print a result in the form asked for."""
    plain = _plain(result)
    if as_json:
        print(json.dumps(plain, allow_nan=False))
        return
    from rich.console import Console
    from rich.table import Table

    # What people call things is text: no markup, and nothing that a terminal would act on.
    console = Console(highlight=False, soft_wrap=True, markup=False, emoji=False)
    if not console.is_terminal:
        # Nothing says how wide the reader of a pipe is; a row must not be broken for it.
        console.width = 200
    table = Table(box=None, show_header=False, pad_edge=False)
    for key, value in plain.items():
        if key == "warnings":
            continue
        rows = _as_rows(value)
        if rows:
            if table.row_count:
                console.print(table)
                table = Table(box=None, show_header=False, pad_edge=False)
            for part in _rows(rows):
                console.print(part)
        else:
            table.add_row(_label(key), _text(_cell(key, value)))
    if table.row_count:
        console.print(table)
    for warning in plain.get("warnings", ()):
        console.print(_text(f"! {warning}"))


def _as_rows(value: object) -> list[dict[str, Any]]:
    """What is told in rows: figures of several things, or figures by their key; empty where it is none."""
    if isinstance(value, list):
        return value if value and isinstance(value[0], dict) else []
    named = isinstance(value, dict) and all(isinstance(v, dict) and "name" in v for v in value.values())
    return list(value.values()) if named and isinstance(value, dict) else []


def _text(words: str) -> "Text":
    from rich.text import Text

    return Text(one_line(words))


def _rows(rows: list[dict[str, Any]]) -> "list[Table]":
    """Rows beneath one another; of so many figures that none would fit its column, each by itself."""
    from rich.table import Table

    rows = [_with_unit(row) for row in rows]
    keys = list(dict.fromkeys(key for row in rows for key in row))
    if len(keys) > MOST_COLUMNS:
        found = [Table(box=None, show_header=False, pad_edge=False) for _ in rows]
        for table, row in zip(found, rows, strict=True):
            for key, value in row.items():
                table.add_row(_label(key), _text(_cell(key, value)))
            table.add_row("")
        return found
    table = Table(box=None, pad_edge=False)
    for key in keys:
        words = any(isinstance(row.get(key), str) for row in rows)
        table.add_column(_label(key), justify="left" if words else "right")
    for row in rows:
        table.add_row(*(_text(_cell(key, row[key]) if key in row else "") for key in keys))
    return [table]


def _with_unit(row: dict[str, Any]) -> dict[str, Any]:
    """A row whose unit stands in it, with its figure in words; else as it is."""
    unit, value = row.get("unit"), row.get("value")
    if not isinstance(unit, str) or not (isinstance(value, int | float | dict) or value is None):
        return row
    told = "–" if value is None else _figure(value, unit)
    return {k: told if k == "value" else v for k, v in row.items() if k != "unit"}


def _figure(value: Any, unit: str) -> str:  # noqa: ANN401 - a figure, or one with its ends
    if isinstance(value, dict):
        ends = f"{_show(value['low'], unit)} … {_show(value['high'], unit)}"
        return f"{_show(value['value'], unit)}  ({ends})"
    return _show(value, unit)


def _unit(key: str) -> str:
    if key.startswith("minutes"):
        return "min"
    return next((unit for end, unit in _UNITS.items() if key.endswith(end)), "")


def _label(key: str) -> str:
    end = next((e for e in _UNITS if key.endswith(e)), "")
    return key.removesuffix(end).replace("_", " ")


def _cell(key: str, value: object) -> str:
    unit = _unit(key)
    if isinstance(value, dict) and "low" in value and "high" in value and "value" in value:
        return _figure(value, unit)
    if isinstance(value, dict):
        return ", ".join(f"{_label(k)} {_cell(k, v)}" for k, v in value.items())
    if isinstance(value, bool) or value is None:
        return {True: "yes", False: "no", None: "–"}[value]
    if isinstance(value, int) and not unit:
        # A count, a number of a run or a reading: every digit of it is meant.
        return str(value)
    if isinstance(value, int | float):
        return _show(value, unit)
    if key in ("verdict",) and isinstance(value, str):
        # What compares two runs may say that it can't tell; that is no verdict on a limit.
        return Verdict(value).words if value in {v.value for v in Verdict} else value.replace("_", " ")
    if isinstance(value, list):
        return ", ".join(_cell(key, v) for v in value)
    return str(value)


def _show(value: float | None, unit: str) -> str:
    if value is None:
        return "open"
    # A percentage in a result is a figure in per cent already.
    return show(value / 100 if unit == "%" else value, unit, 5)
