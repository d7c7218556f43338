"""The reading line: what `mount 13.58V @4A` means in this job.

    line     = [place] figure ["@" figure]
    figure   = number [unit] | OL
    place    = the name of an output, a link or another place that is known, its unambiguous beginning,
               or a new name: letters first, and no figure in it

The whole line must be of this form; what is not is said and never guessed at. Volts are meant where no unit
is typed, and the figure after @ is the load's current. What was kept is taken back by

    strike   = "strike" (number | "last" | "run" number | "wave" number | "log" name) "," reason
    replace  = "replace" (number | "last") "by" figure "," reason
"""

import difflib
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import measuring_points
from tensimeter.core.measurement.readings import Measurand, resolution_of
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import OPEN_WORDS, parse, show, split

_QUANTITIES: dict[str, Measurand] = {"V": "V", "A": "A", "C": "C", "ohm": "ohm", "W": "W", "dB": "dB"}
#: Places whose temperature is meant, by what they are called.
_HEAT = {"ambient": "ambient", "room": "ambient", "case": "case", "sink": "sink", "air": "air"}
#: Peak to peak, as it is read off a screen: `mount 42mVpp`.
_PEAKS = re.compile(r"V\s*pp$", re.I)
_NUMBER = r"[+\-−]?\d+(?:[.,]\d+)?(?:[eE][+\-]?\d+)?"
#: A number and its unit; the prefix may stand where the decimal mark would (4k7).
_FIGURE = re.compile(rf"(?:{_NUMBER}\s*[a-zA-ZµμΩ°%]*|[+\-−]?\d+[RpnuµmkMG]\d+\s*[a-zA-ZΩ°]*|OL|ol|open)")
#: The last figure of a line whose place is not known, and what stands before it.
_LAST = re.compile(rf"^(?P<place>.*?)[\s:=]+(?P<figure>{_FIGURE.pattern})$")
_NEW_PLACE = re.compile(r"^[^\W\d_][\w .\-/()+]*$")
#: The longest line, and the longest name of a new place, characters.
MOST_LINE, MOST_PLACE = 200, 60


@dataclass(frozen=True)
class Understood:
    """What was understood: a value at a place, perhaps at a current, and what looks wrong."""

    place: str
    known: bool
    name: str
    quantity: Measurand
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
        *(p for p in measuring_points(job) if p.endswith(("-case", "-sink"))),
        *(f"{name.casefold()}-panel" for name in outputs),
    ]


def completion(job: Job, typed: str) -> str:
    """What would complete the place being typed; empty when nothing or several do."""
    start = typed.casefold()
    if not start.strip():
        return ""
    fitting = [p for p in places(job) if p.casefold().startswith(start)]
    return fitting[0][len(typed) :] if fitting else ""


def all_places(job: Job, seen: Sequence[str] = ()) -> dict[str, tuple[str, str]]:
    """Every place that is known, by its name in small letters: its id and its name; `seen` have readings."""
    found = {place.casefold(): (place, place) for place in seen}
    found |= {p.casefold(): (p.casefold().replace(" ", "-"), p) for p in places(job)}
    found |= {name: (place, name) for name, place in _HEAT.items()}
    for link in job.design.links:
        found[link.id.casefold()] = found[link.name.casefold()] = (link.id, link.name)
        if link.kind == "output":
            found |= {p: (p, p) for p in (f"earth-{link.id}", f"{link.id}-panel")}
    return found


def find_place(job: Job, typed: str) -> tuple[str, str, bool]:
    """(id, name, whether it is known) of a typed place; UserError when several begin like it."""
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
        raise UserError(f"“{typed}” could be {' or '.join(b.name for b in begin)}; type more of it.")
    known = wanted in (p.casefold() for p in places(job))
    return wanted.replace(" ", "-"), typed.strip(), known


def understand(
    job: Job,
    text: str,
    predicted_V: float | None = None,
    default_place: str | None = None,
    asked: Sequence[tuple[str, Measurand]] = (),
    seen: Sequence[str] = (),
    most_A: float | None = None,
) -> Understood:
    """Read one line; UserError in one sentence when it can't be read.

    `predicted_V` is what is expected at the step in hand and `most_A` the most that is planned, to ask about
    a value that cannot be right; `default_place` (an output's id) is meant when only a figure is typed.
    `asked` are places with what the step in hand asks of them: their unit need not be typed. `seen` are
    places that have readings already.
    """
    line = text.strip()
    if len(line) > MOST_LINE:
        raise UserError(f"A reading is one short line; this one has {len(line)} characters.")
    left, at_sign, right = line.partition("@")
    seen = (*seen, *(place for place, _ in asked))
    where, raw = _parted(job, left.strip(), default_place, seen)
    place, name, known = where
    at_A, at_step = None, 0.01
    if at_sign:
        if not _FIGURE.fullmatch(right.strip()) or right.strip().casefold() in OPEN_WORDS:
            raise UserError(f"After @ goes the current, one figure in A; “{right.strip()}” is none.")
        at_A, unit = split(right)
        # “@4A” is a load set to 4 A, not one that shows whole amperes.
        at_step = min(_digit(right, at_A), 0.01)
        if unit not in ("", "A"):
            raise UserError(f"After @ goes the current; “{right.strip()}” is in {unit}.")
    question = "" if known else _new_place(job, name, seen)
    if raw.casefold() in OPEN_WORDS:
        quantity: Measurand = "ohm" if place.startswith("earth-") else "V"
        return Understood(place, known, name, quantity, math.inf, 1.0, at_A, at_step, text, question)
    peaks = bool(_PEAKS.search(raw))
    value, unit = split(_PEAKS.sub("V", raw))
    if unit and unit not in _QUANTITIES:
        raise UserError(f"A reading is in V, A, Ω, W, °C or dB; “{raw.strip()}” is in {unit}.")
    quantity = "Vpp" if peaks else _QUANTITIES[unit or _default_unit(place, asked)]
    question = question or _doubt(
        quantity, value, predicted_V if place == default_place else None, at_A, most_A
    )
    return Understood(place, known, name, quantity, value, _digit(raw, value), at_A, at_step, text, question)


def _default_unit(place: str, asked: Sequence[tuple[str, Measurand]]) -> str:
    """What is meant at a place where no unit is typed."""
    if place.startswith("earth-"):
        return "ohm"
    if place in _HEAT.values() or (place, "C") in asked or place.endswith(("-case", "-sink")):
        return "C"
    return "W" if place == "wall" else "V"


def _parted(
    job: Job, left: str, default_place: str | None, seen: Sequence[str]
) -> tuple[tuple[str, str, bool], str]:
    """The place and the figure of what stands before @; UserError where it is not exactly that."""
    if default_place and _FIGURE.fullmatch(left):
        return find_place(job, default_place), left
    known = all_places(job, seen)
    folded = left.casefold()
    for name in sorted(known, key=len, reverse=True):
        rest = left[len(name) :]
        if folded.startswith(name) and rest[:1] in (" ", ":", "=", "\t"):
            figure = rest.strip(" :=\t")
            if _FIGURE.fullmatch(figure):
                return (*known[name], True), figure
            if figure[:1].isdigit() or figure[:1] in "+-−":
                raise UserError(_not_one_figure(figure, known[name][1]))
    match = _LAST.match(left)
    if not match or not match["place"]:
        raise UserError("Type a place and a value, for example “mount 13.58V @4A”.")
    place = match["place"].strip(" :=")
    words = place.split()
    if len(words) == 1 and default_place and _FIGURE.fullmatch(place) and place[:1] in "+-−0123456789":
        raise UserError(_not_one_figure(left, find_place(job, default_place)[1]))
    if words and _FIGURE.fullmatch(words[-1]) and len(words) > 1:
        raise UserError(_not_one_figure(f"{words[-1]} {match['figure']}", " ".join(words[:-1])))
    found = find_place(job, place)
    if not found[2] and (not _NEW_PLACE.match(place) or len(place) > MOST_PLACE or _holds_figure(words)):
        raise UserError(
            f"“{place}” is no place that is known, and no name for a new one: letters first, no figures."
        )
    return found, match["figure"]


def _holds_figure(words: list[str]) -> bool:
    return any(_FIGURE.fullmatch(word) and any(c.isdigit() for c in word) for word in words)


def _not_one_figure(said: str, place: str) -> str:
    return (
        f"“{said}” is not one figure. Put @ before the load's current, and one decimal mark in a number: "
        f"{place} 13.58V @4A."
    )


def _new_place(job: Job, name: str, seen: Sequence[str]) -> str:
    """What is asked about a place that nothing is known of."""
    known = all_places(job, seen)
    near = difflib.get_close_matches(name.casefold(), known, n=1, cutoff=0.6)
    meant = f" Did you mean {known[near[0]][1]}?" if near else ""
    return f"“{name}” is a new place.{meant}"


@dataclass(frozen=True)
class Correction:
    """What is to be taken back, and why: `what` is reading, run, wave or log; `figure` replaces a reading."""

    what: str
    target: str
    reason: str
    figure: str = ""


_STRIKE = re.compile(
    r"^strike\s+(?:(?P<what>run|wave|log)\s+)?(?P<target>last|\d+|[^,:]+?)\s*[,:]\s*(?P<reason>.+)$", re.I
)
_REPLACE = re.compile(
    r"^replace\s+(?P<target>last|\d+)\s+(?:by|with)\s+(?P<figure>[^:;]+?)\s*(?:[:;]|,\s)\s*(?P<reason>.+)$",
    re.I,
)


def correction(text: str) -> Correction | None:
    """A line that takes something back; None where it is a reading. UserError where it is half of one."""
    line = text.strip()
    if not re.match(r"^(strike|replace)\b", line, re.I):
        return None
    strike, replace = _STRIKE.match(line), _REPLACE.match(line)
    if strike is not None:
        what = (strike["what"] or "reading").casefold()
        target = strike["target"].strip()
        if what != "log" and target != "last" and not target.isdecimal():
            raise UserError(f"“{target}” is no number; the number of a reading stands beside it.")
        return Correction(what, target, _reason(strike["reason"]))
    if replace is not None:
        return Correction("reading", replace["target"], _reason(replace["reason"]), replace["figure"].strip())
    raise UserError("Say what and why: “strike 17, mistyped”, or “replace 17 by 13.602 V, a slip”.")


def _reason(text: str) -> str:
    if len(text.strip()) < MOST_TERSE:
        raise UserError("Say in a few words why; it stays beside what is struck.")
    return text.strip()[:MOST_LINE]


#: A reason is of so many characters at least.
MOST_TERSE = 3


def at_place(place: str, name: str, quantity: Measurand, raw: str) -> Understood:
    """A figure typed where its place and quantity are known already; UserError when it is none."""
    if raw.strip().casefold() in OPEN_WORDS:
        return Understood(place, True, name, quantity, math.inf, 1.0, None, 0.01, raw)
    value = parse(raw, quantity)
    return Understood(place, True, name, quantity, value, _digit(raw, value), None, 0.01, raw)


def _digit(raw: str, value: float) -> float:
    """Value of the last digit typed, with its prefix followed."""
    # In 2k2 the prefix stands where the decimal point would.
    plain_text = re.sub(r"^([+\-−]?\d+)[a-zA-Zµ](\d+)", r"\1.\2", raw.strip())
    number = re.match(r"[+\-−]?[\d.,]+", plain_text)
    digits = (number.group() if number else "0").replace(",", ".").replace("−", "-").rstrip(".")
    plain = abs(float(digits or 0)) if digits.count(".") < 2 else 0.0
    scale = abs(value) / plain if plain else 1.0
    return resolution_of(digits) * scale


def _doubt(
    quantity: str, value: float, predicted: float | None, at_A: float | None, most_A: float | None = None
) -> str:
    """What can't be right about a value, as a question; empty when nothing is."""
    if at_A is not None and at_A < 0:
        return "The load's current is below zero. Are its wires swapped?"
    if at_A is not None and most_A and at_A >= 10 * most_A:
        return f"{show(at_A, 'A', 4)} is far above the {show(most_A, 'A', 3)} that are planned. A slip?"
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
