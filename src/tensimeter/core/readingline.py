"""The reading line: what `mount 13.58V @4A` means in this job.

    line     = [place] reading | number reading
    reading  = figure ["@" figure] | "@" figure figure | figure "A" figure | figure figure "A"
    figure   = number [unit] | OL | beep
    place    = the name of an output, a link or another place that is known, its unambiguous beginning,
               or a new name: letters first, and no figure in it

The whole line must be of this form; what is not is said and never guessed at. Volts are meant where no unit
is typed and nothing else is asked; of two figures the one after @, or the one in A, is the load's current. A
number alone before a reading is that of a point of the isolation matrix.
"""

import difflib
import math
import re
from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.circuit.along_path import places_along
from tensimeter.core.circuit.sources import below_common
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import measuring_points
from tensimeter.core.measurement.readings import Measurand, resolution_of
from tensimeter.core.model.compared_places import compared_places
from tensimeter.core.model.job import Job
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import OPEN_WORDS, parse, show, split

_QUANTITIES: dict[str, Measurand] = {
    "V": "V",
    "A": "A",
    "C": "C",
    "ohm": "ohm",
    "W": "W",
    "dB": "dB",
    "turn": "turn",
    "rpm": "rpm",
    "Ah": "Ah",
    "Wh": "Wh",
    "H": "H",
    "F": "F",
}
#: Places whose temperature is meant, by what they are called.
_HEAT = {"ambient": "ambient", "room": "ambient", "case": "case", "sink": "sink", "air": "air"}
#: Other places that every bench has.
_OTHERS = ("mains", "noise")
#: Peak to peak, as it is read off a screen: `mount 42mVpp`.
_PEAKS = re.compile(r"V\s*pp$", re.I)
_NUMBER = r"[+\-−]?\d+(?:[.,]\d+)?(?:[eE][+\-]?\d+)?"
_OPEN = r"(?i:o\.?l|open|overload|inf|beeps?)\b"
#: What a meter says by sound alone, and of up to how many Ω: a rule of thumb, handhelds beep below 20 to 50.
BEEP_WORDS, BEEP_OHM = frozenset({"beep", "beeps"}), 50.0
#: A number and its unit; the prefix may stand where the decimal mark would (4k7).
_FIGURE = re.compile(
    rf"(?:[+\-−]?\d+[RpnuµmkMG]\d+\s*[a-zA-ZΩ°]*|{_NUMBER}\s*(?!{_OPEN})[a-zA-ZµμΩ°%]*(?:\s+pp\b)?|{_OPEN})"
)
_TOKEN = re.compile(rf"\s*(?P<at>@?)\s*(?P<figure>{_FIGURE.pattern})(?=[\s@]|$)")
#: The number of a point of the matrix, and what was read there.
_BY_NUMBER = re.compile(rf"^(?P<number>\d{{1,3}})[:.]?\s+(?P<figure>{_FIGURE.pattern})$")
_NEW_PLACE = re.compile(r"^[^\W\d_][\w .\-/()+]*$")
#: Amps are asked about from so many times what is planned.
FAR_ABOVE = 5
#: How it is said that a figure can hardly be; see `doubt`.
FAR_OFF = "is far from the expected"
#: The longest line, and the longest name of a new place, characters.
MOST_LINE, MOST_PLACE = 200, 60


_BEEP_WHERE = (
    "A beep is heard between two points where ohms are asked: type its number first, as in “3 beep”."
)


class Understood(Struct, frozen=True):
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
    #: It was heard, not read: somewhere from none to BEEP_OHM.
    heard: bool = False

    @property
    def summary(self) -> str:
        """One line that says it back."""
        if self.heard:
            return f"{self.name}: a beep, some ohms of up to {BEEP_OHM:.0f}; a figure in Ω tells more"
        value = "over range" if math.isinf(self.value) else show(self.value, self.quantity, 6)
        where = self.name if self.known else f"{self.name} (a new place)"
        at = f" at {show(self.at_A, 'A', 4)}" if self.at_A is not None else ""
        return f"{where}: {value}{at}"


def places(job: Job) -> list[str]:
    """Names that the line completes: outputs first, then the other links, then heat."""
    outputs = [o.name for o in job.design.outputs()]
    others = [link.name for link in job.design.links if not isinstance(link, OutputLink)]
    return [
        *outputs,
        *others,
        *(f"earth-{name.casefold()}" for name in outputs),
        *_HEAT,
        "wall",
        "fan",
        *_OTHERS,
        *(p for p in measuring_points(job) if p.endswith(("-case", "-sink"))),
        *(f"{name.casefold()}-panel{end}" for end in ("", "-alone") for name in outputs),
        *places_along(job),
        *compared_places(job),
        *(screw.id for screw in job.assembly.trims),
    ]


def example(job: Job) -> str:
    """A line as it may be typed in this job."""
    output = next(iter(job.design.outputs()), None)
    if output is None:
        return "mount 13.58V @4A"
    return f"{output.name.casefold()} {output.nominal_V:g}V @{output.full_load_A / 2:.2g}A"


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
        if isinstance(link, OutputLink):
            own = (f"earth-{link.id}", f"{link.id}-panel", f"{link.id}-panel-alone")
            found |= {p: (p, p) for p in own}
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
    place = wanted.replace(" ", "-")
    known = place in (p.casefold().replace(" ", "-") for p in places(job))
    return place, typed.strip(), known


class InHand(Struct, frozen=True):
    """What the step in hand says of a line before it is read.

    A bare figure is a reading of `asks` at `place`; `asked` are places whose unit need not be typed. By
    `predicted_V` and `most_A` a value that can't be right is asked about; None where anything may be.
    """

    place: str | None = None
    asks: Measurand = "V"
    asked: tuple[tuple[str, Measurand], ...] = ()
    predicted_V: float | None = None
    most_A: float | None = None


NOTHING_IN_HAND = InHand()


def understand(
    job: Job,
    text: str,
    in_hand: InHand = NOTHING_IN_HAND,
    seen: Sequence[str] = (),
    numbered: Mapping[int, tuple[str, str, Measurand]] | None = None,
) -> Understood:
    """Read one line; UserError in one sentence when it can't be read.

    `seen` are places that have readings already; `numbered` are the points of the matrix by their number,
    which may be typed before what is read there.
    """
    line = text.strip()
    if len(line) > MOST_LINE:
        raise UserError(f"A reading is one short line; this one has {len(line)} characters.")
    by_number = _BY_NUMBER.match(line)
    if numbered and by_number and int(by_number["number"]) in numbered:
        place, name, quantity = numbered[int(by_number["number"])]
        return replace(at_place(place, name, quantity, by_number["figure"]), text=text)
    seen = (*seen, *(place for place, _ in in_hand.asked))
    (place, name, known), figures = _parted(job, line, in_hand.place, seen)
    raw, amps_raw = _roles(figures, name)
    at_A, at_step = None, 0.01
    if amps_raw:
        at_A, unit = split(amps_raw)
        # “@4A” is a load set to 4 A, not one that shows whole amperes.
        at_step = min(_digit(amps_raw, at_A), 0.01)
        if unit not in ("", "A") or math.isinf(at_A):
            raise UserError(f"After @ goes the current, one figure in A; “{amps_raw}” is none.")
    question = "" if known else _new_place(job, name, seen)
    asks = in_hand.asks if place == in_hand.place else "V"
    if raw.casefold() in OPEN_WORDS | BEEP_WORDS:
        quantity = "ohm" if place.startswith("earth-") else asks
        said = at_place(place, name, quantity, raw)
        return replace(said, known=known, at_A=at_A, at_resolution=at_step, text=text, question=question)
    peaks = bool(_PEAKS.search(raw))
    value, unit = split(_PEAKS.sub("V", raw))
    if unit and unit not in _QUANTITIES:
        raise UserError(
            f"A reading is in V, A, Ω, W, °C, dB, Ah, Wh, H, F, turns or rpm; “{raw.strip()}” is in {unit}."
        )
    default = _default_unit(job, place, in_hand.asked)
    if unit == "F" and default == "C":
        raise UserError(f"A temperature is in °C: {value:g} °F are {(value - 32) / 1.8:.1f}C.")
    if unit in ("H", "F") and place in {o.id for o in job.design.outputs()}:
        raise UserError(f"Of what? Name it before “{raw.strip()}”, for example “choke {raw.strip()}”.")
    quantity = "Vpp" if peaks else _QUANTITIES[unit] if unit else asks if default == "V" else default
    if value < 0 and quantity == "V" and _stands_below(job, place):
        # Black on common, a meter shows it with a minus: so many volts it stands from common all the same.
        value = -value
    question = question or doubt(
        quantity, value, in_hand.predicted_V if place == in_hand.place else None, at_A, in_hand.most_A
    )
    return Understood(place, known, name, quantity, value, _digit(raw, value), at_A, at_step, text, question)


def _stands_below(job: Job, place: str) -> bool:
    """Whether it is an output below common, or its own display."""
    output = place.removesuffix("-panel")
    return output in {o.id for o in job.design.outputs()} and below_common(job, output)


def _default_unit(job: Job, place: str, asked: Sequence[tuple[str, Measurand]]) -> Measurand:
    """What is meant at a place where no unit is typed."""
    if any(place == screw.id for screw in job.assembly.trims):
        return "turn"
    if place.startswith("earth-"):
        return "ohm"
    if place in _HEAT.values() or (place, "C") in asked or place.endswith(("-case", "-sink")):
        return "C"
    return "W" if place == "wall" else "V"


def _figures(text: str) -> list[tuple[bool, str]]:
    """The figures that a text is made of, each with whether @ stands before it; empty where it is not."""
    found: list[tuple[bool, str]] = []
    at, whole = 0, text.strip()
    while at < len(whole):
        match = _TOKEN.match(whole, at)
        if match is None:
            return []
        found.append((bool(match["at"]), match["figure"].strip()))
        at = match.end()
    return found


def _roles(figures: list[tuple[bool, str]], name: str) -> tuple[str, str]:
    """What was read, and the load's current with it; UserError where that can't be told apart."""
    if len(figures) == 1 and not figures[0][0]:
        return figures[0][1], ""
    marked = [raw for at, raw in figures if at]
    plain = [raw for at, raw in figures if not at]
    if len(figures) == 2 and not marked:
        # 20 A beside 12.9 V: their units tell which is which.
        marked = [raw for raw in plain if _unit(raw) == "A"]
        plain = [raw for raw in plain if _unit(raw) != "A"]
    if len(figures) != 2 or len(marked) != 1:
        raise UserError(_not_one_figure(" ".join(f"@{r}" if at else r for at, r in figures), name))
    return plain[0], marked[0]


def _unit(raw: str) -> str:
    try:
        return split(_PEAKS.sub("V", raw))[1]
    except UserError:
        return ""


def _parted(
    job: Job, line: str, default_place: str | None, seen: Sequence[str]
) -> tuple[tuple[str, str, bool], list[tuple[bool, str]]]:
    """The place of a line and its figures; UserError where it is not exactly that."""
    if default_place and (found := _figures(line)):
        return find_place(job, default_place), found
    known = all_places(job, seen)
    folded = line.casefold()
    for name in sorted(known, key=len, reverse=True):
        rest = line[len(name) :]
        if folded.startswith(name) and rest[:1] in (" ", ":", "=", "\t", "@"):
            said = rest.strip(" :=\t")
            if found := _figures(said):
                return (*known[name], True), found
            if said[:1].isdigit() or said[:1] in "+-−@":
                raise UserError(_why_not(said, known[name][1]))
    place, found = _split_off(job, line, default_place)
    where = find_place(job, place)
    words = place.split()
    if not where[2] and (not _NEW_PLACE.match(place) or len(place) > MOST_PLACE or _holds_figure(words)):
        raise UserError(
            f"“{place}” is no place that is known, and no name for a new one: letters first, no figures."
        )
    return where, found


def _split_off(job: Job, line: str, default_place: str | None) -> tuple[str, list[tuple[bool, str]]]:
    """The words before the figures of a line, and the figures; UserError where it has no such form."""
    for gap in re.finditer(r"[\s:=]+", line):
        place, found = line[: gap.start()].strip(" :="), _figures(line[gap.end() :])
        if place and found:
            return place, found
    if default_place and line[:1].isdigit():
        raise UserError(_why_not(line, find_place(job, default_place)[1]))
    if "@" in line.lstrip("@ "):
        raise UserError(_why_not(line, line.split("@")[0].split(" ")[0]))
    raise UserError(f"Type a place and a value, for example “{example(job)}”.")


def _why_not(said: str, place: str) -> str:
    """Why what stands after a place is no reading."""
    left, at, right = said.partition("@")
    right = right.strip()
    if at and right and not _FIGURE.fullmatch(right) and (not left.strip() or not right[:1].isdigit()):
        return f"After @ goes the current, one figure in A; “{right}” is none."
    return _not_one_figure(said, place)


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


def is_bare(text: str) -> bool:
    """Whether a line is one figure alone, or that nothing conducts: no place and no current is named."""
    figures = _figures(text)
    return len(figures) == 1 and not figures[0][0]


def at_place(place: str, name: str, quantity: Measurand, raw: str) -> Understood:
    """A figure typed where its place and quantity are known already; UserError when it is none."""
    if raw.strip().casefold() in OPEN_WORDS:
        return Understood(place, True, name, quantity, math.inf, 1.0, None, 0.01, raw)
    if raw.strip().casefold() in BEEP_WORDS:
        if quantity != "ohm":
            raise UserError(_BEEP_WHERE)
        # The middle of what it may be: compared as it stands, it is neither a joint nor open.
        return Understood(place, True, name, quantity, BEEP_OHM / 2, BEEP_OHM, None, 0.01, raw, heard=True)
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


def doubt(
    quantity: str, value: float, predicted: float | None, at_A: float | None, most_A: float | None = None
) -> str:
    """What can't be right about a value, as a question; empty when nothing is."""
    if at_A is not None and at_A < 0:
        return "The load's current is below zero. Are its wires swapped?"
    if at_A is not None and most_A and at_A >= FAR_ABOVE * most_A:
        return f"{show(at_A, 'A', 4)} is far above the {show(most_A, 'A', 3)} that are planned. A slip?"
    if quantity != "V" or predicted is None or not predicted:
        return ""
    if value < 0 < predicted:
        return f"{show(value, 'V', 4)} is negative. Are the probes swapped?"
    ratio = abs(value / predicted) if value else 0.0
    if ratio > 5 or ratio < 0.2:
        return (
            f"{show(value, 'V', 4)} {FAR_OFF} {show(predicted, 'V', 4)}. "
            "Is a decimal point or a prefix out of place?"
        )
    return ""
