"""Conditions that hold while readings are typed: what a line says of them, and what stands after it.

    condition = "@" figure A | "@unloaded" | "@" figure (Ω | R | W) | "set" figure V | "mains" figure V
              | "room" figure °C | "with" what is joined
    line      = ["also"] [clock] [reading] {condition} ["(" condition … ")"] ["+" duration]

A condition changes what stands for this line and those after it; in brackets it is of this line alone.
What nobody has said is not known, and stays so.
"""

import re
from datetime import datetime
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import EVENTS
from tensimeter.core.quantity import parse, show

#: Conditions are asked for again after so long without a line, s.
STALE_S = 3600.0
#: Lines under the same conditions are of one moment within so long, s; a rule of thumb.
TOGETHER_S = 300.0
#: What people measure at: mains, V, and the room, °C; what is said beyond is a slip.
MAINS_V, ROOM_C = (10.0, 1000.0), (-50.0, 80.0)
_NUMBER = r"[+\-−]?\d+(?:[.,]\d+)?"
_LOAD = rf"@\s*(?:(?P<none>unloaded|no\s+load)|(?P<load>\d+[RkK]\d*|{_NUMBER}\s*[a-zA-ZµμΩ]*))"
_AROUND = r"(?:^|(?<=\s))"
_CONDITIONS = re.compile(
    rf"(?:{_LOAD}|{_AROUND}set\s+(?:to\s+)?(?P<set>{_NUMBER}\s*m?[vV]?)"
    rf"|{_AROUND}mains\s+(?P<mains>{_NUMBER}\s*[vV]?)(?:\s+(?P<hertz>{_NUMBER}\s*[hH]z))?"
    rf"|{_AROUND}room\s+(?P<room>{_NUMBER}\s*°?[cC]?)|{_AROUND}(?P<unloaded>unloaded|no\s+load)"
    rf"|{_AROUND}with\s+(?P<joined>[^@()+\d]{{2,40}}(?:{_NUMBER}\s*W)?))\s*(?=$|\s|\()",
    re.I,
)
_LATER = re.compile(
    rf"(?:^|\s)\+\s*(?P<value>{_NUMBER})\s*(?P<unit>h|min|s)(?:\s*(?P<more>\d+)\s*(?P<less>min|s))?\s*$", re.I
)
_CLOCK = re.compile(r"^\s*(?P<h>[01]?\d|2[0-3]):(?P<m>[0-5]\d)(?::(?P<s>[0-5]\d))?\s+(?=\S)")
_CHANGED = re.compile(r"^\s*changed\s*[:,]\s*(?P<what>.*)$", re.I)
_EVENT = re.compile(
    r"^\s*(?:(?P<place>\w[\w .\-]*?)\s+)?"
    rf"(?P<event>{'|'.join(sorted(EVENTS))})"
    rf"(?:\s+(?:at\s+|after\s+|@\s*)?(?P<at>{_NUMBER}\s*(?:m?A|°?C|m?V|min|s)))?\s*$",
    re.I,
)
#: What answers whether the supply was changed with its description.
_ANSWERS: dict[str, Literal["changed", "described"]] = {
    "only described": "described",
    "supply changed": "changed",
}
_ALSO = re.compile(r"^\s*also\s+", re.I)
_SECONDS = {"h": 3600.0, "min": 60.0, "s": 1.0}


class Load(Struct, frozen=True):
    """What an output is loaded with, as said: amps, ohms or watts.

    All are None where something is joined of which nobody has said what it draws.
    """

    amps: float | None = None
    ohms: float | None = None
    watts: float | None = None
    #: The value of the last digit said, A.
    digit: float = 0.01
    joined: str = ""

    def amps_at(self, volts: float) -> float | None:
        """The current, A, that flows at these volts; None where that is not known."""
        if self.amps is not None:
            return self.amps
        if self.ohms:
            return abs(volts) / self.ohms
        return self.watts / abs(volts) if self.watts is not None and volts else None

    @property
    def size(self) -> tuple[object, ...]:
        """What it is, without the digits that it was said with."""
        return (self.amps, self.ohms, self.watts, self.joined)

    @property
    def words(self) -> str:
        """It as it is shown."""
        if self.amps is not None:
            return show(self.amps, "A", 4) if self.amps else "unloaded"
        if self.ohms or self.watts is not None:
            return show(self.ohms, "ohm", 4) if self.ohms else show(self.watts or 0.0, "W", 4)
        return f"with {self.joined}" if self.joined else "? A"


class Standing(Struct, frozen=True):
    """The conditions that hold now; what is not in it is not known. By output: its load, its set volts."""

    loads: dict[str, Load] = {}
    set_V: dict[str, float] = {}
    mains_V: float | None = None
    mains_Hz: float | None = None
    room_C: float | None = None

    def words(self, output: str, *, adjustable: bool = False) -> str:
        """What stands of an output, as it is shown beside the line."""
        load = self.loads.get(output)
        told = [load.words if load is not None else "? A"]
        volts = self.set_V.get(output)
        if volts is not None or adjustable:
            told.append(f"set {show(volts, 'V', 4)}" if volts is not None else "set ?")
        told.append(f"{show(self.mains_V, 'V', 4)} mains" if self.mains_V is not None else "mains ?")
        told.append(show(self.room_C, "C", 3) if self.room_C is not None else "room ?")
        return " · ".join(told)

    def is_like(self, other: "Standing") -> bool:
        """Whether the same stands; to how many digits it was said makes no difference."""
        mine, theirs = ({k: v.size for k, v in s.loads.items()} for s in (self, other))
        return mine == theirs and replace(self, loads={}) == replace(other, loads={})

    def unloaded(self) -> "Standing":
        """What stands once the load was dropped: what flows then is asked for."""
        return replace(self, loads={})


class SaidLine(Struct, frozen=True):
    """A line taken apart: what reads like a reading, what it says of conditions, when it was."""

    reading: str
    #: Conditions for this line and those after it, and for this line alone.
    lasting: tuple[tuple[str, str], ...] = ()
    alone: tuple[tuple[str, str], ...] = ()
    #: Seconds since the load began, as said; or a time of day.
    after_s: float | None = None
    clock: tuple[int, int, int] | None = None
    changed: str = ""
    #: The question about the last edit answered: the supply was changed, or only its description.
    answer: Literal["", "changed", "described"] = ""
    #: The other outputs stay loaded as they are; else one load was put from output to output.
    also: bool = False
    #: What happened, at which place, with the figure that was said of it.
    event: str = ""
    event_place: str = ""
    event_at: str = ""

    @property
    def says_conditions(self) -> bool:
        """Whether it says anything of conditions."""
        return bool(self.lasting or self.alone)


def taken_apart(text: str) -> SaidLine:
    """What a typed line says of conditions and time, and what is left as a reading.

    Examples
    --------
    >>> taken_apart("out 11.93V @2A set 12V +40min").reading
    'out 11.93V'
    >>> taken_apart("@unloaded").lasting
    (('load', '0A'),)
    """
    answered = _ANSWERS.get(" ".join(text.casefold().split()))
    if answered is not None:
        return SaidLine("", answer=answered)
    state = _CHANGED.match(text)
    if state is not None:
        return SaidLine("", changed=state["what"].strip())
    line, after, clock = text.strip(), None, None
    further = _ALSO.match(line)
    if further is not None:
        line = line[further.end() :]
    day = _CLOCK.match(line)
    if day is not None:
        clock = (int(day["h"]), int(day["m"]), int(day["s"] or 0))
        line = line[day.end() :]
    later = _LATER.search(line)
    if later is not None:
        after = _seconds(later["value"], later["unit"]) + _seconds(later["more"] or "0", later["less"] or "s")
        line = line[: later.start()]
    alone: list[tuple[str, str]] = []
    bracket = re.search(r"\(([^()]*)\)\s*$", line)
    if bracket is not None and _only_conditions(bracket[1]):
        _, alone = _conditions(bracket[1])
        line = line[: bracket.start()]
    # “tripped at 6.4A” names what flowed as it did; no load stands from then on.
    happened, lasting = _EVENT.match(line), list[tuple[str, str]]()
    if happened is None:
        line, lasting = _conditions(line)
        happened = _EVENT.match(line)
    if happened is not None:
        event, place = happened["event"].casefold(), happened["place"] or ""
        at = (happened["at"] or "").strip()
        if at.casefold().endswith("a"):
            # What it tripped at is what flowed then, and does not stand any longer.
            alone = [c for c in alone if c[0] != "load"] + [("load", at)]
        of = (tuple(lasting), tuple(alone), after, clock)
        return SaidLine("", *of, event=event, event_place=place, event_at=at)
    words = " ".join(line.split())
    return SaidLine(words, tuple(lasting), tuple(alone), after, clock, also=further is not None)


def _seconds(value: str, unit: str) -> float:
    return float(value.replace(",", ".")) * _SECONDS[unit.casefold()]


def _only_conditions(text: str) -> bool:
    left, found = _conditions(text)
    return bool(found) and not left.strip()


def _conditions(text: str) -> tuple[str, list[tuple[str, str]]]:
    """What is left of a text without its conditions, and those."""
    found: list[tuple[str, str]] = []

    def take(match: re.Match[str]) -> str:
        before, after = text[: match.start()].strip(), text[match.end() :].strip()
        if match["set"] and before and not _ENDS_PART.search(before):
            return match.group()  # “bench load set 4A” names a place
        found.extend(_told_by(match))
        # Alone, mains and room are readings as well, filed as such.
        alone = not before and not after and (match["mains"] or match["room"]) and not match["hertz"]
        return match.group() if alone else " "

    return _CONDITIONS.sub(take, text), found


#: What may stand before “set 12V” where that is no part of a name: a figure, or another condition.
_ENDS_PART = re.compile(r"[\d)VvAaCΩ°%]$|unloaded$|load$")


def _told_by(match: re.Match[str]) -> list[tuple[str, str]]:
    """The conditions that one match of them tells."""
    if match["none"] or match["unloaded"]:
        return [("load", "0A")]
    named = {**match.groupdict(), "none": None, "unloaded": None}
    return [(what, value.strip()) for what, value in named.items() if value]


def said(
    standing: Standing, output: str | None, conditions: tuple[tuple[str, str], ...], *, also: bool = False
) -> Standing:
    """What stands once conditions were said of an output; UserError where one is none.

    A load that is said of an output was put there: of the others nothing is known any more, but with `also`.
    """
    names = [what for what, _ in conditions]
    if len(set(names)) < len(names):
        raise UserError("A line says each condition once; here one stands twice. Nothing was kept.")
    for what, text in conditions:
        if what in ("load", "set", "joined") and output is None:
            raise UserError("Of which output? Name it: “out @2A”.")
        if what == "load":
            others = standing.loads if also else {}
            standing = replace(standing, loads={**others, output or "": _load(text)})
        elif what == "joined":
            others = standing.loads if also else {}
            standing = replace(standing, loads={**others, output or "": _joined(text)})
        elif what == "set":
            volts = _figure(text, "V")
            standing = replace(standing, set_V={**standing.set_V, output or "": volts})
        elif what == "mains":
            standing = replace(standing, mains_V=_among(text, "V", "mains", MAINS_V))
        elif what == "hertz":
            standing = replace(standing, mains_Hz=_positive(text, "Hz", "mains"))
        elif what == "room":
            standing = replace(standing, room_C=_among(text, "C", "room", ROOM_C))
    return standing


def _load(text: str) -> Load:
    ohms = re.fullmatch(r"(\d+)([RkK])(\d*)", text)
    if ohms is not None:
        value = float(f"{ohms[1]}.{ohms[3] or 0}") * (1000.0 if ohms[2] in "kK" else 1.0)
        if value <= 0:
            raise UserError(f"A load of {text} is none; a short is a test of its own.")
        return Load(ohms=value)
    unit = re.sub(r"[\d.,+\-−\s]", "", text)
    if unit.casefold().endswith(("ohm", "ω", "Ω".casefold(), "r")):
        return Load(ohms=_positive(text.rstrip("rR") if unit in "rR" else text, "ohm", "load"))
    if unit.casefold() == "w":
        return Load(watts=_positive(text, "W", "load"))
    try:
        amps = parse(text, "A")
    except UserError as trouble:
        raise UserError(f"After @ goes the current, one figure in A; “{text}” is none.") from trouble
    if amps < 0:
        raise UserError("The load's current is below zero. Are its wires swapped? Nothing was kept.")
    digits = re.sub(r"[^\d.,]", "", text).replace(",", ".")
    decimals = len(digits.split(".")[1]) if "." in digits else 0
    scale = 1e-3 if unit.casefold() == "ma" else 1.0
    return Load(amps=amps, digit=min(10.0**-decimals * scale, 0.01))


def _joined(text: str) -> Load:
    watts = re.search(rf"({_NUMBER})\s*W$", text)
    return Load(watts=float(watts[1].replace(",", ".")) if watts else None, joined=text[:40])


def _figure(text: str, unit: str) -> float:
    try:
        return parse(text, unit)
    except UserError as trouble:
        raise UserError(
            f"“{text}” is no condition in {unit}: {str(trouble).rstrip('.')}. Nothing was kept."
        ) from trouble


def _among(text: str, unit: str, what: str, ends: tuple[float, float]) -> float:
    value = _figure(text, unit)
    if not ends[0] <= value <= ends[1]:
        raise UserError(
            f"A {what} of {text} is none that people work at: it is between {show(ends[0], unit)} and "
            f"{show(ends[1], unit)}. Nothing was kept."
        )
    return value


def _positive(text: str, unit: str, what: str) -> float:
    value = _figure(text, unit)
    if value <= 0:
        raise UserError(f"{what.capitalize()} of {text} is none. Nothing was kept.")
    return value


def moment_of_day(clock: tuple[int, int, int], now: float) -> float:
    """The newest time of day like this that is not after now, s since 1970, in local time."""
    here = datetime.fromtimestamp(now)
    found = here.replace(hour=clock[0], minute=clock[1], second=clock[2], microsecond=0).timestamp()
    return found if found <= now + 60 else found - 86400.0
