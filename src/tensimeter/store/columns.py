"""What a column of a log holds, by its header: the quantity, and the unit that its figures are in.

Units stand in brackets, behind a stroke or `in`, or as the last word (`Voltage (mV)`, `U/mV`, `current_mA`).
"""

import re

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError

_PREFIXES = {"": 1.0, "n": 1e-9, "u": 1e-6, "µ": 1e-6, "μ": 1e-6, "m": 1e-3, "k": 1e3}
_WORDS = {"nano": 1e-9, "micro": 1e-6, "milli": 1e-3, "kilo": 1e3, "": 1.0}
#: (factor, what is added after it) from a unit to the SI unit used inside, by quantity.
_UNITS: dict[str, dict[str, tuple[float, float]]] = {
    "volts": {f"{p}V": (f, 0.0) for p, f in _PREFIXES.items()},
    "amps": {f"{p}A": (f, 0.0) for p, f in _PREFIXES.items()},
    "time": {
        **{f"{p}s": (f, 0.0) for p, f in _PREFIXES.items() if f <= 1},
        **dict.fromkeys(("sec", "secs", "second", "seconds"), (1.0, 0.0)),
        **dict.fromkeys(("min", "mins", "minute", "minutes"), (60.0, 0.0)),
        **dict.fromkeys(("h", "hr", "hrs", "hour", "hours"), (3600.0, 0.0)),
        **dict.fromkeys(("d", "day", "days"), (86400.0, 0.0)),
        "msec": (1e-3, 0.0),
        "usec": (1e-6, 0.0),
    },
    "temp": {
        **dict.fromkeys(("C", "°C", "º C", "ºC", "° C", "degC", "deg C", "celsius"), (1.0, 0.0)),
        **dict.fromkeys(("F", "°F", "ºF", "° F", "degF", "deg F", "fahrenheit"), (5 / 9, -160 / 9)),
        **dict.fromkeys(("K", "kelvin"), (1.0, -273.15)),
    },
}
for _word, _factor in _WORDS.items():
    _UNITS["volts"] |= {f"{_word}volt": (_factor, 0.0), f"{_word}volts": (_factor, 0.0)}
    _UNITS["amps"] |= dict.fromkeys(
        (f"{_word}amp", f"{_word}amps", f"{_word}ampere", f"{_word}amperes"), (_factor, 0.0)
    )
    if _factor <= 1:
        _UNITS["time"] |= {f"{_word}second": (_factor, 0.0), f"{_word}seconds": (_factor, 0.0)}
_UNITS["set"] = _UNITS["amps"]

#: What a header may be called, by the quantity it stands for.
_NAMES = {
    "time": re.compile(
        r"^(t|time|times?tamp|elapsed|zeit|uhrzeit|zeitstempel|dauer|temps|heure|tiempo|hora|tempo|ora|czas|tid|"
        r"tijd|aika|date|datum|fecha)\b|^time_",
        re.I,
    ),
    "volts": re.compile(
        r"^(v|u|voltage|volts?|vout|v_?meas|spannung|tension|tensión|voltaje|tensione|tensão|napięcie|spänning|"
        r"spanning|jännite)\b|^(v|u|voltage|volts?|vout)_",
        re.I,
    ),
    "amps": re.compile(
        r"^(i|current|amps?|iout|i_?meas|strom|stromstärke|courant|intensité|corriente|corrente|prąd|ström|stroom|"
        r"virta)\b|^(i|current|amps?|iout)_",
        re.I,
    ),
    "temp": re.compile(r"^(temp|temperature|température|lämpötila|t_)", re.I),
    "set": re.compile(r"^(set|setpoint|set_?a)\b", re.I),
}
_BRACKETS = re.compile(r"[\[(]\s*([^\])]*?)\s*[\])]")
_SUFFIX = re.compile(r"(?:\s*/\s*|\s+in\s+|[\s_]+)([^\s_/\[(\])]+|deg [CF]|[°º] [CF])$")


class Header(Struct, frozen=True):
    """A column's header taken apart: its name without its unit, the quantity, and how its figures scale."""

    text: str
    name: str
    quantity: str
    factor: float = 1.0
    offset: float = 0.0

    def in_si(self, values: Array) -> Array:
        """Figures (n,) of the column in V, A, s or °C."""
        if self.factor == 1.0 and self.offset == 0.0:
            return values
        scaled: Array = np.asarray(values * self.factor + self.offset)
        return scaled


def unit_of(text: str, quantity: str) -> tuple[float, float] | None:
    """Factor and offset of a unit of a quantity; None where it is none of them.

    Where only the case of its letters is unusual (`mv`, `SEC`) and nothing else could be meant it is taken as
    well; `MV` could be meant for either of two, and is none.
    """
    known = _UNITS[quantity]
    if text in known:
        return known[text]
    alike = {u for u in known if u.casefold() == text.casefold()}
    if len({known[u] for u in alike}) != 1 or (text[:1] == "M" and len(text) == 2):
        return None
    return known[alike.pop()]


#: Units of what a log may hold beside: they are read, and no quantity is made of them.
_OTHERS = {
    f"{p}{u}": (f, 0.0)
    for p, f in {**_PREFIXES, "M": 1e6}.items()
    for u in ("Ω", "ohm", "Ohm", "W", "Hz", "Ah", "Wh", "F", "VA")
}
_OTHERS |= dict.fromkeys(("%", "rpm", "dB"), (1.0, 0.0))


def any_unit(text: str) -> tuple[float, float] | None:
    """Factor and offset of a unit of whatever quantity; None where it is no unit that is known."""
    known = (unit_of(text, quantity) for quantity in ("volts", "amps", "time", "temp"))
    return next((u for u in known if u is not None), _OTHERS.get(text))


def header_of(text: str, quantity: str | None = None) -> Header | None:
    """A header taken apart, as the quantity named or by what it is called; None for a column of no interest.

    UserError where its unit is not known, or belongs to another quantity.
    """
    written = _BRACKETS.findall(text)
    plain = _BRACKETS.sub("", text).strip()
    bare = _bare(plain)
    if bare is not None and (quantity is None or quantity == bare) and not written:
        return Header(text, "", bare, *(unit_of(plain, bare) or (1.0, 0.0)))
    of_heat = plain.casefold() == "t" and any(unit_of(w, "temp") is not None for w in written)
    found = (
        quantity
        or ("temp" if of_heat else None)
        or _by_name(plain)
        or (bare if bare is not None else _by_unit(written))
    )
    if found is None:
        return None
    if written:
        scale = next((u for u in (unit_of(w, found) for w in written) if u is not None), None)
        if scale is None:
            raise UserError(
                f"“{text}”: “{written[0]}” is no unit of {_SAID[found]} that is known. Nothing was taken; "
                f"write it like {_LIKE[found]}."
            )
        return Header(text, plain, found, *scale)
    suffix = _SUFFIX.search(plain)
    scale = unit_of(suffix[1], found) if suffix else None
    if suffix and scale is not None:
        return Header(text, plain[: suffix.start()].strip(), found, *scale)
    return Header(text, plain, found)


_SAID = {"volts": "volts", "amps": "amps", "time": "time", "temp": "temperature", "set": "amps"}
_LIKE = {"volts": "(mV)", "amps": "(mA)", "time": "(min)", "temp": "(°C)", "set": "(A)"}


def _by_name(plain: str) -> str | None:
    alone = re.fullmatch(r"[tT]_(\w+)", plain)
    if alone and unit_of(alone[1], "time") is not None:
        return "time"
    if re.match(r"^T[_ ]", plain):
        return "temp"
    return next((q for q, pattern in _NAMES.items() if pattern.search(plain)), None)


def _bare(plain: str) -> str | None:
    """The quantity of a header that is a unit and nothing else: `mV`, `seconds`, `A`."""
    for quantity in ("volts", "amps", "time", "temp"):
        if plain not in ("F", "K", "C", "d", "M") and unit_of(plain, quantity) is not None:
            return quantity
    return None


def _by_unit(written: list[str]) -> str | None:
    """What a column is whose name says nothing but whose unit does: `T (°C)`, `Ch 1 (mV)`."""
    for quantity in ("volts", "amps", "time", "temp"):
        if any(unit_of(w, quantity) is not None for w in written):
            return quantity
    return None
