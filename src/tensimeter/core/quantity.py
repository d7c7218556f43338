"""Numbers as people type and read them; SI base units inside.

Reading and writing of prefixes is QuantiPhy's; this module adds what bench notes hold besides:
a decimal comma, `4k7`, `16awg`, `0.75mm2`, `OL`.
"""

import math
import re
from functools import lru_cache

from quantiphy import Quantity, UnitConversion

from tensimeter.core.errors import UserError

UnitConversion("Ω", "ohm")
UnitConversion("°C", "C")

#: A code such as 4k7: the prefix stands where the decimal point would.
_INFIX = re.compile(r"^([+-]?\d+)([RpnuµmkKMG])(\d+)([A-Za-zΩ°]*)$")
_NUMBER = re.compile(r"^[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?")
_UNITS = {
    "V": "V",
    "A": "A",
    "W": "W",
    "Ω": "ohm",
    "ohm": "ohm",
    "ohms": "ohm",
    "R": "ohm",
    "C": "C",
    "°C": "C",
    "degC": "C",
    "s": "s",
    "min": "min",
    "h": "h",
    "Hz": "Hz",
    "F": "F",
    "H": "H",
    "K": "K",
    "m": "m",
    "mm2": "mm2",
    "awg": "awg",
    "Ah": "Ah",
    "Wh": "Wh",
    "%": "%",
    "dB": "dB",
    "turn": "turn",
    "turns": "turn",
    "rpm": "rpm",
    "": "",
}
#: The largest and the smallest figure that is taken, in any unit: nothing on a bench is beyond.
LARGEST, SMALLEST = 1e12, 1e-15
#: The longest text that is taken for a figure, characters.
MOST_TYPED = 60
#: Words for an open reading: more than the meter can show.
OPEN_WORDS = frozenset({"ol", "o.l", "open", "overload", "inf"})
_decimal_mark = "."
#: Units that take no prefix; seconds do where they are short.
_PLAIN = frozenset({"", "C", "K", "%", "s", "h", "min", "dB", "turn", "rpm", "K/W", "J/K", "mm2"})
#: What is below matters to nobody who builds a supply, by unit: it is nothing, left over from arithmetic.
_NOTHING = {"V": 1e-9, "A": 1e-12, "W": 1e-12, "ohm": 1e-9, "J": 1e-12}
#: A share beyond this is one of almost nothing, and no figure.
MOST_SHARE = 100.0
SHORT_S = 0.1


def use_decimal_mark(mark: str) -> None:
    """Choose the decimal mark of every figure shown from now on ('.' or ',')."""
    global _decimal_mark
    if mark not in (".", ","):
        raise ValueError(mark)
    _decimal_mark = mark


def parse(text: str, unit: str = "") -> float:
    """The value of `text` in SI base units.

    `unit` is the unit expected (``V``, ``A``, ``ohm``, ``C``, ``mm2`` …); a figure without a unit
    is taken to be in it.

    >>> parse("13,58 V", "V"), parse("4k7", "ohm"), parse("21m", "ohm"), parse("5%", "%")
    (13.58, 4700.0, 0.021, 0.05)

    Raises UserError when it is not a finite number (`OL` is what a meter shows, and no figure), or has
    another unit than the one expected.
    """
    value, found = split(text)
    if math.isinf(value):
        raise UserError(f"“{text.strip()}” is no figure; only a meter can be over its range.")
    if unit and found and found != unit:
        raise UserError(f"“{text.strip()}” is in {found}; a value in {unit} was expected.")
    return value


def split(text: str) -> tuple[float, str]:
    """Value and unit (as in `parse`; empty when none was written) of one typed figure."""
    value, unit = _split(text)
    if math.isinf(value) and text.strip().lower() in OPEN_WORDS:
        return value, unit
    if value and not SMALLEST <= abs(value) <= LARGEST:
        raise UserError(f"“{text.strip()}” is no size that anything here has.")
    return value, unit


def _split(text: str) -> tuple[float, str]:
    if len(text) > MOST_TYPED:
        raise UserError(f"“{text[:20]}…” is too long for a number.")
    raw = text.strip().replace("−", "-").replace("\u202f", " ")
    if raw.lower() in OPEN_WORDS:
        return math.inf, ""
    if re.fullmatch(r"[+-]?\d+,\d+.*", raw):
        raw = raw.replace(",", ".", 1)
    infix = _INFIX.match(raw.replace(" ", ""))
    if infix:
        whole, prefix, part, tail = infix.groups()
        raw = f"{whole}.{part}{'' if prefix == 'R' else prefix}{tail}"
    number = _NUMBER.match(raw)
    if not number:
        raise UserError(f"“{text.strip()}” is not a number.")
    tail = raw[number.end() :].strip()
    if tail[:1].isdigit() or tail[:1] in (".", ","):
        # A second figure, or a second decimal mark: what it would be is not guessed at.
        raise UserError(f"“{text.strip()}” is not one number; write one decimal mark and no spaces in it.")
    if tail in _UNITS and tail != "m":
        value = float(number.group())
        return (value / 100 if tail == "%" else value), _UNITS[tail]
    try:
        quantity = Quantity(number.group() + tail)
    except ValueError as error:
        raise UserError(f"“{text.strip()}” is not a number with a unit that is known.") from error
    if quantity.units not in _UNITS:
        raise UserError(f"The unit of “{text.strip()}” is not known.")
    return float(quantity), _UNITS[quantity.units]


def localised(text: str) -> str:
    """The text of a figure with the decimal mark in use."""
    return text if _decimal_mark == "." else text.replace(".", _decimal_mark)


def show(value: float | None, unit: str, digits: int = 3) -> str:
    """A value with prefix and unit, to `digits` significant figures; a dash when there is none.

    >>> show(0.0281, "ohm"), show(None, "V"), show(13.6, "V", 4)
    ('28.1 mΩ', '– V', '13.6 V')
    """
    if value is None or math.isnan(value):
        return f"– {_symbol(unit)}".strip()
    return localised(_shown(float(value), unit, digits))


@lru_cache(maxsize=16384)
def _shown(value: float, unit: str, digits: int) -> str:
    """As `show`, with a point: the same few figures are shown again and again."""
    symbol = _symbol(unit)
    if math.isinf(value):
        return "open" if unit == "ohm" else f"over range {symbol}".strip()
    if unit == "%" and abs(value) > MOST_SHARE:
        return f"{'under −' if value < 0 else 'over '}{MOST_SHARE * 100:.0f} %"
    if abs(value) < _NOTHING.get(unit, SMALLEST):
        return f"0 {symbol}".strip()
    if unit in _PLAIN and not (unit == "s" and 0 < abs(value) < SHORT_S):
        scaled = value * 100 if unit == "%" else value
        plain = (
            f"{float(f'{scaled:.{digits}g}'):.0f}" if abs(scaled) >= 10**digits else f"{scaled:.{digits}g}"
        )
        return f"{plain} {symbol}".replace("-", "−")
    text = Quantity(value, symbol).render(prec=digits - 1, form="si", strip_zeros=True)
    # A prefix stands right before the unit; the font has the micro sign.
    return re.sub(r"(?<=\d )u", "µ", text).replace("-", "−")


def show_at_least(value: float, unit: str, digits: int = 3) -> str:
    """A value that is vouched for, rounded down to `digits` figures: never more than was shown.

    >>> show_at_least(6.398, "A"), show_at_least(6.4, "A")
    ('6.39 A', '6.4 A')
    """
    if not math.isfinite(value) or value <= 0:
        return show(value, unit, digits)
    step = 10.0 ** (math.floor(math.log10(value)) - digits + 1)
    # A figure that stands on a step but for the last bit of a float stays on it.
    return show(math.floor(value / step + 1e-9) * step, unit, digits)


def show_at_most(value: float, unit: str, digits: int = 3) -> str:
    """A value that is not exceeded, rounded up to `digits` figures.

    >>> show_at_most(0.02412, "V"), show_at_most(0.024, "V")
    ('24.2 mV', '24 mV')
    """
    if not math.isfinite(value) or value <= 0:
        return show(value, unit, digits)
    step = 10.0 ** (math.floor(math.log10(value)) - digits + 1)
    return show(math.ceil(value / step - 1e-9) * step, unit, digits)


def with_uncertainty(value: float, half_width: float, unit: str) -> str:
    """A value and its 95 % half-width in one unit, to two figures of the half-width.

    >>> with_uncertainty(0.05193, 0.00016, "ohm"), with_uncertainty(0.0306, 0.0001, "%")
    ('51.93 ± 0.16 mΩ', '3.060 ± 0.010 %')
    """
    if not (math.isfinite(value) and math.isfinite(half_width)):
        return f"{show(value, unit)} ± open"
    largest = max(abs(value), half_width)
    prefix, scale = "", 1.0
    if unit == "%":
        scale = 0.01
    elif (unit not in _PLAIN or (unit == "s" and largest < SHORT_S)) and largest < 1:
        prefix, scale = next(
            ((p, s) for p, s in (("m", 1e-3), ("µ", 1e-6), ("n", 1e-9)) if largest >= s), ("", 1.0)
        )
    places = decimals_for(half_width / scale)
    text = f"{value / scale:.{places}f} ± {half_width / scale:.{places}f} {prefix}{_symbol(unit)}"
    return localised(text.replace("-", "−"))


def fixed(value: float | None, unit: str, decimals: int = 2) -> str:
    """A value with a set number of decimals, for columns that align.

    >>> fixed(13.6, "V"), fixed(float("nan"), "A")
    ('13.60 V', '– A')
    """
    symbol = _symbol(unit)
    if value is None or not math.isfinite(value):
        return f"– {symbol}".strip()
    text = f"{0.0 if abs(value) < 0.5 * 10**-decimals else value:.{decimals}f}"
    return localised(text.replace("-", "−")) + (f" {symbol}" if symbol else "")


def decimals_for(uncertainty: float, most: int = 4) -> int:
    """Decimals that show a value to about two figures of its uncertainty."""
    if not math.isfinite(uncertainty) or uncertainty <= 0:
        return 2
    return max(0, min(most, 1 - math.floor(math.log10(uncertainty))))


def _symbol(unit: str) -> str:
    return {"ohm": "Ω", "C": "°C", "%": "%", "mm2": "mm²"}.get(unit, unit)
