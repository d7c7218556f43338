"""Cells of a log: figures with their units, over range, gaps, dates and times of day."""

import datetime as dt
import math
import re
from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.store.columns import any_unit, header_of, unit_of

#: What an instrument says when it shows nothing that is a figure.
OVER = frozenset(("ol", "0l", "o.l", "0.l", "overload", "over", "inf", "+inf", "infinity", "overrange"))
GAPS = frozenset(("", "-", "--", "---", "----", "nan", "n/a", "na", "null", "none", "#n/a"))
_FIGURE = re.compile(
    r"^(?P<sign>[+\-−]?)\s*(?P<digits>\d{1,3}(?:[ \u00a0'’]\d{3})+(?:[.,]\d+)?|\d[\d.,]*|[.,]\d+)"
    r"(?P<power>[eE][+\-]?\d+)?\s*(?P<unit>[^\d\s.,+\-][^\d]{0,9})?$"
)
_DAY = (
    r"(?:(?P<y>\d{4})[-/.](?P<m>\d{1,2})[-/.](?P<d>\d{1,2})|"
    r"(?P<a>\d{1,2})(?P<by>[/.\-])(?P<b>\d{1,2})[/.\-](?P<c>\d{4}|\d{2}))"
)
_CLOCK = r"(?P<H>\d{1,3}):(?P<M>\d{2})(?::(?P<S>\d{2}(?:[.,]\d+)?))?\s*(?P<half>[AaPp][Mm])?"
_DATE = re.compile(rf"^{_DAY}$")
_TIME = re.compile(rf"^{_CLOCK}$")
_BOTH = re.compile(rf"^{_DAY}[T ,]+{_CLOCK}\s*(?:Z|[+-]\d{{2}}:?\d{{2}})?$")
DAY_S = 86400.0


class Marks(Struct, frozen=True):
    """How figures are written: a comma for the decimal mark, or a point."""

    comma: bool = False

    @staticmethod
    def of(cells: Sequence[str], separator: str, choices: Mapping[str, str]) -> "Marks":
        """By the cells; UserError where every comma could be either mark and nothing tells which."""
        if "decimal" in choices:
            return Marks(choices["decimal"] == "comma")
        figures = [m["digits"] for m in (_FIGURE.match(c) for c in cells) if m]
        told = {_mark_of(text) for text in figures}
        comma, point, unsure = "," in told, "." in told, "?" in told
        if comma and point and not any("," in f and "." in f for f in figures):
            raise UserError("Some figures have a comma and some a point: say --map decimal=comma or point.")
        if unsure and not (comma or point):
            if separator == ";":
                # Columns are parted by semicolons where the comma is the decimal mark.
                return Marks(True)
            raise UserError(
                "Its commas may part thousands or be decimal marks: say --map decimal=comma or decimal=point."
            )
        return Marks(comma)


def _mark_of(figure: str) -> str:
    """The decimal mark that a figure tells of, `?` where it may part thousands; empty without one."""
    marks = [c for c in figure if c in ".,"]
    if not marks:
        return ""
    if len(set(marks)) == 2:
        return marks[-1]
    if len(marks) > 1:
        # Several of one kind part thousands, so that the other is the decimal mark.
        return "," if marks[0] == "." else "."
    return "?" if re.fullmatch(r"[1-9]\d{0,2},\d{3}", figure) else marks[0]


def takes_as_value(cell: str) -> bool:
    """Whether a cell holds a figure, a gap, an over range, or a time."""
    low = cell.casefold()
    if low in OVER or low in GAPS or _TIME.match(cell) or _DATE.match(cell) or _BOTH.match(cell):
        return True
    match = _FIGURE.match(cell)
    if match is None:
        return False
    # A word of three letters may be a unit that is not known: it is named then, not passed over.
    unit = (match["unit"] or "").strip()
    return not unit or any_unit(unit) is not None or len(unit) <= 3


def _figure(match: "re.Match[str]", comma: bool) -> float:
    digits = re.sub(r"[ \u00a0'’]", "", match["digits"])
    thousands, decimal = (".", ",") if comma else (",", ".")
    digits = digits.replace(thousands, "").replace(decimal, ".")
    sign = -1.0 if match["sign"] in ("-", "−") else 1.0
    return sign * float(digits + (match["power"] or ""))


def numbers(cells: Sequence[str], marks: Marks, where: str, head: str) -> tuple[Array, str]:
    """A column's figures (n,), nan for gaps and inf for over range, and the unit they are in then.

    Units in cells are brought to one; UserError names a unit that is not known, or what is no figure.
    """
    found = header_of_or_none(head)
    values, used = np.empty(len(cells)), ""
    bare = False
    for k, cell in enumerate(cells):
        low = cell.casefold()
        if low in GAPS:
            values[k] = math.nan
            continue
        if low in OVER:
            values[k] = math.inf
            continue
        match = _FIGURE.match(cell)
        if match is None:
            raise UserError(f"{where}: “{cell[:40]}” is no figure. Nothing was taken.")
        values[k] = _figure(match, marks.comma)
        unit = (match["unit"] or "").strip()
        bare |= not unit
        if unit:
            scale = scale_of(unit, found)
            if scale is None:
                raise UserError(f"{where}: “{unit}” is no unit that is known. Nothing was taken.")
            factor, offset, base = scale
            if used and base != used:
                raise UserError(f"{where}: cells are in {used} and in {base}. Nothing was taken.")
            values[k] = values[k] * factor + offset
            used = base
    if used and bare:
        raise UserError(f"{where}: some cells have a unit and some have none. Nothing was taken.")
    return values, used


_BASE = {"volts": "V", "amps": "A", "time": "s", "temp": "°C"}


def scale_of(unit: str, quantity: str | None) -> tuple[float, float, str] | None:
    """Factor, offset and base unit of a cell's unit, of the quantity of its header first."""
    for q in (quantity, "volts", "amps", "time", "temp"):
        scale = unit_of(unit, q) if q in _BASE else None
        if scale is not None:
            return *scale, _BASE[str(q)]
    other = any_unit(unit)
    return (*other, unit.lstrip("numkMµμ") or unit) if other else None


def header_of_or_none(head: str) -> str | None:
    """The quantity of a header; None where that tells nothing, or its unit is for a later sentence."""
    try:
        found = header_of(head)
    except UserError:
        return None
    return found.quantity if found else None


class Time(Struct, frozen=True):
    """A column of dates, times of day or both, as seconds (n,)."""

    seconds: Array
    what: Literal["date", "time", "both"]


def times(cells: Sequence[str], choices: Mapping[str, str], where: str) -> Time | None:
    """A column's dates or times as seconds; None where it is none of either."""
    filled = next((c for c in cells if c), "")
    for pattern, what in ((_BOTH, "both"), (_DATE, "date"), (_TIME, "time")):
        if not pattern.match(filled):
            continue
        matches = [pattern.match(c) if c else None for c in cells]
        wrong = next((c for c, m in zip(cells, matches, strict=True) if c and m is None), None)
        if wrong is not None:
            raise UserError(f"{where}: “{wrong[:40]}” is no time like the others. Nothing was taken.")
        days = _days(matches, choices, where) if what != "time" else np.zeros(len(cells))
        clock = np.array([_clock(m) for m in matches]) if what != "date" else np.zeros(len(cells))
        if what == "time":
            clock = _as_minutes(clock, matches, choices, where)
            # Past midnight it goes on.
            back = np.flatnonzero(np.diff(clock) < -DAY_S / 2)
            for k in back:
                clock[k + 1 :] += DAY_S
        return Time(days * DAY_S + clock, what)  # type: ignore[arg-type]
    return None


def _as_minutes(
    clock: Array, matches: Sequence["re.Match[str] | None"], choices: Mapping[str, str], where: str
) -> Array:
    """Seconds (n,) of times of two figures: a clock's hours and minutes, or a timer's minutes and seconds.

    UserError where neither the header (`mm:ss`) nor an answer tells.
    """
    short = [m for m in matches if m is not None and m["S"] is None and not m["half"]]
    if not short:
        return clock
    said = choices.get("times", "")
    if re.search(r"\bm{1,2}:ss?\b|min:s", where, re.I):
        said = "minutes-seconds"
    elif re.search(r"\bh{1,2}:m{1,2}\b|h:min", where, re.I):
        said = "hours-minutes"
    if said not in ("hours-minutes", "minutes-seconds"):
        raise UserError(
            f"{where}: “{short[0][0][:20]}” may be hours and minutes or minutes and seconds: say --map "
            "times=hours-minutes or times=minutes-seconds."
        )
    if said == "hours-minutes":
        return clock
    two = np.array([m is not None and m["S"] is None and not m["half"] for m in matches])
    return np.where(two, clock / 60.0, clock)


def _clock(match: "re.Match[str] | None") -> float:
    if match is None:
        return math.nan
    hours, half = int(match["H"]), (match["half"] or "").casefold()
    if half:
        hours = hours % 12 + (12 if half == "pm" else 0)
    seconds = float((match["S"] or "0").replace(",", "."))
    return hours * 3600.0 + int(match["M"]) * 60 + seconds


def _days(matches: Sequence["re.Match[str] | None"], choices: Mapping[str, str], where: str) -> Array:
    """Days (n,) since the first of January 1970."""
    pairs = [(int(m["a"]), int(m["b"])) for m in matches if m and m["a"]]
    day_first = choices.get("dates") != "month-first"
    if pairs and "dates" not in choices:
        dotted = any(m and m["by"] == "." for m in matches)
        first, second = max(a for a, _ in pairs) > 12, max(b for _, b in pairs) > 12
        # One day alone is read either way: only what passes from row to row counts.
        if not (dotted or first or second) and len(set(pairs)) > 1:
            raise UserError(
                f"{where}: dates may have their day or their month first: say --map dates=day-first or "
                "month-first."
            )
        day_first = not second or first
    found = np.empty(len(matches))
    for k, m in enumerate(matches):
        if m is None:
            found[k] = math.nan
            continue
        try:
            found[k] = _date(m, day_first).toordinal() - 719163
        except ValueError as error:
            raise UserError(f"{where}: “{m[0][:40]}” is no date. Nothing was taken.") from error
    return found


def _date(match: "re.Match[str]", day_first: bool) -> dt.date:
    if match["y"]:
        return dt.date(int(match["y"]), int(match["m"]), int(match["d"]))
    day, month = (match["a"], match["b"]) if day_first else (match["b"], match["a"])
    year = int(match["c"])
    return dt.date(year + 2000 if year < 100 else year, int(month), int(day))
