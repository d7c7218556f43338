"""The reading line: what `mount 13.58V @4A` means in this job.

    place value[unit] [@ value[unit]]        place OL

A place is an output or another link of the path, by name, id or unambiguous beginning, or a free
name; volts are meant where no unit is typed, and the figure after @ is the load's current.
"""

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

from tensimeter.core.errors import Trouble
from tensimeter.core.job.document import Job
from tensimeter.core.quantity import OPEN_WORDS, parse, show, split
from tensimeter.core.thermal.places import temperature_places
from tensimeter.core.verify.readings import Quantity, resolution_of

_QUANTITIES: dict[str, Quantity] = {"V": "V", "A": "A", "C": "C", "ohm": "ohm", "W": "W", "dB": "dB"}
#: Places whose temperature is meant, by what they are called.
_HEAT = {"ambient": "ambient", "room": "ambient", "case": "case", "sink": "sink", "air": "air"}
#: Peak to peak, as it is read off a screen: `mount 42mVpp`.
_PEAKS = re.compile(r"V\s*pp$", re.I)
_VALUE = re.compile(
    r"^(?P<place>.*?)[\s:=]+(?P<value>[+\-−]?(?:\d[\d.,]*\s*[a-zA-ZµΩ°]*\d*)|OL|ol|open)\s*"
    r"(?:@\s*(?P<at>[+\-−]?\d[\d.,]*\s*[a-zA-Zµ]*))?\s*$"
)


@dataclass(frozen=True)
class Understood:
    """What was understood: a value at a place, perhaps at a current, and what looks wrong."""

    place: str
    known: bool
    name: str
    quantity: Quantity
    value: float
    resolution: float
    at_A: float | None
    at_resolution: float
    text: str
    question: str = ""

    @property
    def summary(self) -> str:
        """One line that says it back."""
        value = "over range" if math.isinf(self.value) else show(self.value, self.quantity, 6)
        where = self.name if self.known else f"{self.name} (a new place)"
        at = f" at {show(self.at_A, 'A', 4)}" if self.at_A is not None else ""
        return f"{where}: {value}{at}"


def places(job: Job) -> list[str]:
    """Names that the line completes: outputs first, then the other links, then heat."""
    outputs = [o.name for o in job.design.outputs()]
    others = [link.name for link in job.design.links if link.kind != "output"]
    return [
        *outputs,
        *others,
        *(f"earth-{name.casefold()}" for name in outputs),
        *_HEAT,
        "wall",
        "fan",
        *(p for p in temperature_places(job) if p.endswith(("-case", "-sink"))),
        *(f"{name.casefold()}-panel" for name in outputs),
    ]


def completion(job: Job, typed: str) -> str:
    """What would complete the place being typed; empty when nothing or several do."""
    start = typed.casefold()
    if not start.strip():
        return ""
    fitting = [p for p in places(job) if p.casefold().startswith(start)]
    return fitting[0][len(typed) :] if fitting else ""


def find_place(job: Job, typed: str) -> tuple[str, str, bool]:
    """(id, name, whether it is known) of a typed place; Trouble when several begin like it."""
    wanted = typed.strip().casefold()
    for link in job.design.links:
        if wanted in (link.name.casefold(), link.id.casefold()):
            return link.id, link.name, True
    if wanted in _HEAT:
        return _HEAT[wanted], wanted, True
    begin = [link for link in job.design.links if link.name.casefold().startswith(wanted)]
    if len(begin) == 1:
        return begin[0].id, begin[0].name, True
    if begin:
        raise Trouble(f"“{typed}” could be {' or '.join(b.name for b in begin)}; type more of it.")
    known = wanted in (p.casefold() for p in places(job))
    return wanted.replace(" ", "-"), typed.strip(), known


def understand(
    job: Job,
    text: str,
    predicted_V: float | None = None,
    default_place: str | None = None,
    asked: Sequence[tuple[str, Quantity]] = (),
) -> Understood:
    """Read one line; Trouble in one sentence when it can't be read.

    `predicted_V` is what is expected at the step in hand, to ask about a value that cannot be
    right; `default_place` (an output's id) is meant when only a figure is typed. `asked` are places
    with what the step in hand asks of them: their unit need not be typed.
    """
    line = text.strip()
    if default_place and re.match(r"^[+\-−]?\d", line) and _starts_with_figure(line):
        line = f"{default_place} {line}"
    match = _VALUE.match(line)
    if not match or not match["place"]:
        raise Trouble("Type a place and a value, for example “mount 13.58V @4A”.")
    place, name, known = find_place(job, match["place"])
    raw = match["value"]
    at_A, at_step = None, 0.01
    if match["at"]:
        at_A, unit = split(match["at"])
        # “@4A” is a load set to 4 A, not one that shows whole amperes.
        at_step = min(_digit(match["at"], at_A), 0.01)
        if unit not in ("", "A"):
            raise Trouble(f"After @ goes the current; “{match['at'].strip()}” is in {unit}.")
    if raw.casefold() in OPEN_WORDS:
        quantity: Quantity = "ohm" if place.startswith("earth-") else "V"
        return Understood(place, known, name, quantity, math.inf, 1.0, at_A, at_step, text)
    peaks = bool(_PEAKS.search(raw))
    value, unit = split(_PEAKS.sub("V", raw))
    default = (
        "ohm"
        if place.startswith("earth-")
        else "C"
        if place in _HEAT.values() or (place, "C") in asked or place.endswith(("-case", "-sink"))
        else "W"
        if place == "wall"
        else "V"
    )
    quantity = "Vpp" if peaks else _QUANTITIES.get(unit or default, "V")
    if unit and unit not in _QUANTITIES:
        raise Trouble(f"A reading is in V, A, Ω, W, °C or dB; “{raw.strip()}” is in {unit}.")
    question = _doubt(quantity, value, predicted_V if place == default_place else None, at_A)
    return Understood(place, known, name, quantity, value, _digit(raw, value), at_A, at_step, text, question)


def at_place(place: str, name: str, quantity: Quantity, raw: str) -> Understood:
    """A figure typed where its place and quantity are known already; Trouble when it is none."""
    if raw.strip().casefold() in OPEN_WORDS:
        return Understood(place, True, name, quantity, math.inf, 1.0, None, 0.01, raw)
    value = parse(raw, quantity)
    return Understood(place, True, name, quantity, value, _digit(raw, value), None, 0.01, raw)


def _starts_with_figure(line: str) -> bool:
    """Whether the line is a figure alone (`13.58 @4A`), not a place that begins with a digit."""
    return bool(re.match(r"^[+\-−]?\d[\d.,]*\s*(?:[mkµu]?[VAΩ]|ohm|°?C)?\s*(?:@.*)?$", line))


def _digit(raw: str, value: float) -> float:
    """Value of the last digit typed, with its prefix followed."""
    # In 2k2 the prefix stands where the decimal point would.
    plain_text = re.sub(r"^([+\-−]?\d+)[a-zA-Zµ](\d+)", r"\1.\2", raw.strip())
    number = re.match(r"[+\-−]?[\d.,]+", plain_text)
    digits = number.group() if number else "0"
    plain = abs(float(digits.replace(",", ".").replace("−", "-").rstrip(".")))
    scale = abs(value) / plain if plain else 1.0
    return resolution_of(digits) * scale


def _doubt(quantity: str, value: float, predicted: float | None, at_A: float | None) -> str:
    """What can't be right about a value, as a question; empty when nothing is."""
    if at_A is not None and at_A < 0:
        return "The load's current is below zero. Are its wires swapped?"
    if quantity != "V" or predicted is None or not predicted:
        return ""
    if value < 0 < predicted:
        return f"{show(value, 'V', 4)} is negative. Are the probes swapped?"
    ratio = abs(value / predicted) if value else 0.0
    if ratio > 5 or ratio < 0.2:
        return (
            f"{show(value, 'V', 4)} is far from the expected {show(predicted, 'V', 4)}. "
            "Is a decimal point or a prefix out of place?"
        )
    return ""
