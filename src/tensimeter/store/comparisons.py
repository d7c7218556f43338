"""A table of what a meter shows beside a reference: two columns, by their headers."""

import re
from pathlib import Path

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.store.columns import Header, header_of
from tensimeter.store.logs import Log, headers_of, read_columns

_REFERENCE = re.compile(r"^(ref|reference|true|standard)(?![a-z])", re.I)
_SHOWN = re.compile(r"^(panel|shown|shows|display|subject|indicated|meter|set|reads?|sensor)(?![a-z])", re.I)
#: The unit that a comparison is told in, by the quantity of its columns.
_UNITS = {"volts": "V", "amps": "A", "temp": "C"}


def read_comparison(path: Path, reference: str = "", shown: str = "") -> tuple[Array, Array, str]:
    """What was shown, what the reference read (n,), and their unit (V, A, C; empty where none is told).

    Columns are found by their headers, or are named. UserError where one is missing, the units are of
    different quantities, or a figure is over range.
    """
    headers, separator, comma = headers_of(path)
    ref = _column(path, headers, reference, _REFERENCE, "reference")
    sub = _column(path, headers, shown, _SHOWN, "panel")
    if ref == sub:
        raise UserError(f"{path.name}: the panel and the reference are one column; name the other.")
    told = {q for k in (ref, sub) if (q := _quantity(headers[k])) is not None}
    if len(told) > 1:
        raise UserError(f"{path.name}: {headers[sub]} and {headers[ref]} are no readings of one quantity.")
    quantity = told.pop() if told else None
    wanted = {
        name: (k, _header(path, headers[k], quantity)) for name, k in (("reference", ref), ("panel", sub))
    }
    log = Log(read_columns(path, headers, separator, comma, wanted), tuple(headers))
    true, read = log.need("reference", "panel")
    return read, true, _UNITS.get(quantity or "", "")


def _column(path: Path, headers: list[str], name: str, like: re.Pattern[str], what: str) -> int:
    if name:
        if name not in headers:
            raise UserError(f"{path.name} has no column “{name}”; it has {', '.join(headers)[:200]}.")
        return headers.index(name)
    found = [k for k, header in enumerate(headers) if like.match(header.strip())]
    if len(found) != 1:
        which = "no column" if not found else "more than one column"
        raise UserError(
            f"{path.name} has {which} of the {what}; its headers are {', '.join(headers)[:200]}. "
            f"Name it with --{what}."
        )
    return found[0]


def _quantity(header: str) -> str | None:
    """The quantity that a header's unit tells, whatever it is called."""
    for quantity in _UNITS:
        try:
            found = header_of(header, quantity)
        except UserError:
            continue
        if found is not None and found.name != header:
            return quantity
    return None


def _header(path: Path, text: str, quantity: str | None) -> Header:
    if quantity is None:
        return Header(text, text, "")
    try:
        found = header_of(text, quantity)
    except UserError as trouble:
        raise UserError(f"{path.name}: {trouble}") from trouble
    assert found is not None
    return found
