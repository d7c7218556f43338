"""What to say to an instrument of a role: profiles in TOML, and trying one out."""

import math
import re
from collections.abc import Iterator, Sized
from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Annotated, Literal, Protocol

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from tensimeter.bench.roles import LinkFailed
from tensimeter.core.errors import UserError
from tensimeter.store.columns import any_unit
from tensimeter.store.regular import MOST_TEXT, parse_toml, read_regular

Role = Literal["load", "voltmeter", "thermometer", "scope", "clamp", "line", "hands"]


#: The longest command that is sent, and what of an answer is looked through by a pattern, characters.
MOST_COMMAND, MOST_LOOKED = 400, 400
_NOTHING: frozenset[str] = frozenset()
#: Every command that is known, and what must stand in it in braces.
PLACES: dict[str, frozenset[str]] = {
    **dict.fromkeys(
        ("identify", "reset", "clear", "error", "on", "off", "is_on", "power_on", "power_off"), _NOTHING
    ),
    **dict.fromkeys(("constant_current", "constant_resistance", "constant_power"), _NOTHING),
    **dict.fromkeys(("read_volts", "read_amps", "read_celsius", "read_watts", "scaling", "fetch"), _NOTHING),
    "set_amps": frozenset(("amps",)),
    "set_ohms": frozenset(("ohms",)),
    "set_watts": frozenset(("watts",)),
    "set_volts": frozenset(("volts",)),
    "watchdog": frozenset(("seconds",)),
    "read_all_celsius": frozenset(("channels",)),
    "arm": frozenset(("rate", "points", "before", "source")),
    "trim": frozenset(("output", "volts")),
    "place_meter": frozenset(("output",)),
    "place_load": frozenset(("role", "output")),
    "join": frozenset(("output", "amps")),
}
#: What may be left out of a command: an oscilloscope may have a fixed rate.
_MAY_LACK = frozenset(("rate", "points", "before", "source", "channels"))


def _must_be_plain(what: str, text: str, places: frozenset[str]) -> None:
    """ValueError where a command could say more than it shows, or lacks what it is for."""
    if not text.isascii() or not text.isprintable() or not text.strip():
        raise ValueError(f"{what} is not one line of plain text")
    found = set(re.findall(r"\{([^{}]*)\}", text))
    if found - places or re.sub(r"\{[^{}]*\}", "", text).count("{") or "}" in re.sub(r"\{[^{}]*\}", "", text):
        raise ValueError(f"{what} has braces that are not known; it may hold {_listed(places)}")
    if places - found - _MAY_LACK:
        raise ValueError(f"{what} lacks {_listed(places - found - _MAY_LACK)}")


def _listed(places: frozenset[str]) -> str:
    return ", ".join(f"{{{p}}}" for p in sorted(places)) or "none"


class Profile(BaseModel):
    """What to say to an instrument, from a TOML file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    role: Role
    termination: Literal["\n", "\r", "\r\n", "\n\r"] = "\n"
    timeout_s: float = Field(default=0.7, ge=0.01, le=10)
    #: For a serial port.
    baud: int = Field(default=9600, gt=0, le=4_000_000)
    data_bits: Literal[7, 8] = 8
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1
    flow: Literal["none", "xon_xoff", "rts_cts"] = "none"
    #: It sends lines of itself and is asked nothing: the first that begins after a question counts.
    streaming: bool = False
    #: The line that it sends after each command that is no question, such as `OK`; of what only reads.
    acknowledge: str = Field(default="", max_length=40)
    #: Where the figure is in an answer, by command: a regular expression with a group `value` and, where it
    #: says so, one `unit`; or the column of a list, the first 1. Of what only reads: a load's guard knows
    #: figures alone.
    patterns: dict[str, Annotated[str, Field(max_length=200)]] = Field(default_factory=dict)
    columns: dict[str, Annotated[int, Field(ge=1, le=64)]] = Field(default_factory=dict)
    #: How a waveform comes: a binary block (IEEE 488.2) of integers or floats, or text.
    encoding: Literal["int16", "float32", "ascii"] = "int16"
    big_endian: bool = True
    #: What an instrument is asked so that it gives `{n}` back before its answer, in one line: then an answer
    #: that comes late, twice or out of order is known for what it is.
    sequence: str = Field(default="", max_length=80)
    commands: dict[str, Annotated[str, Field(min_length=1, max_length=MOST_COMMAND)]] = Field(
        default_factory=dict
    )

    @model_validator(mode="after")
    def _says_no_more_than_it_says(self) -> "Profile":
        """No command is empty, unknown, or more than a line; only what it needs is put into it."""
        for name, text in self.commands.items():
            if name not in PLACES:
                raise ValueError(f"“{name[:40]}” is no command that is known")
            _must_be_plain(f"the command {name}", text, PLACES[name])
        if self.role == "load" and (self.patterns or self.columns or self.acknowledge):
            raise ValueError("patterns, columns, acknowledge are not for a load: its guard knows figures")
        if self.streaming and self.role not in ("voltmeter", "thermometer", "clamp"):
            raise ValueError("only a voltmeter, a thermometer or a clamp may send of itself")
        for name, pattern in self.patterns.items():
            _must_find_a_value(name, pattern, self.commands)
        for name in self.columns:
            if name not in {**self.commands, **dict.fromkeys(QUESTIONS)} or name in self.patterns:
                raise ValueError(f"columns: “{name[:40]}” is no command that is asked, or has a pattern too")
        if self.sequence:
            _must_be_plain("sequence", self.sequence, frozenset(("n",)))
        return self


def _must_find_a_value(name: str, pattern: str, commands: dict[str, str]) -> None:
    if name not in commands and name not in QUESTIONS:
        raise ValueError(f"patterns: “{name[:40]}” is no command of it")
    try:
        groups = re.compile(pattern).groupindex
    except re.error as error:
        raise ValueError(f"the pattern of {name} is none: {error}") from error
    if "value" not in groups:
        raise ValueError(f"the pattern of {name} has no group (?P<value>…)")


def figure(profile: Profile, command: str, answer: str) -> float:
    """The figure in an answer, in V, A, W or °C; ValueError where there is none.

    >>> p = Profile(role="voltmeter", commands={"read_volts": "R"},
    ...             patterns={"read_volts": r"V=(?P<value>[-+.\\d]+)\\s*(?P<unit>m?V)"})
    >>> figure(p, "read_volts", "I=4.8 V=13600 mV")
    13.6
    """
    text, scale = answer, 1.0
    if command in profile.patterns:
        found = re.search(profile.patterns[command], answer[:MOST_LOOKED])
        if found is None:
            raise ValueError(answer)
        text, unit = found["value"], found.groupdict().get("unit") or ""
        if unit:
            known = any_unit(unit.strip())
            if known is None:
                raise ValueError(unit)
            scale = known[0]
            return number(text) * scale + known[1]
    elif command in profile.columns:
        cells = re.split(r"[,;\t]\s*|\s+", answer.strip())
        text = cells[profile.columns[command] - 1] if len(cells) >= profile.columns[command] else ""
    return number(text) * scale


def number(text: str) -> float:
    """A figure; infinite where it stands for more than can be shown (IEEE 488.2; SCPI 1999, 7.2.1.4)."""
    value = float(text)
    if math.isnan(value):
        raise ValueError(text)
    return math.copysign(math.inf, value) if abs(value) >= 9.9e37 else value


#: Commands that are questions, whatever they look like.
QUESTIONS = frozenset(
    (
        "identify", "error", "is_on", "read_volts", "read_amps", "read_celsius", "read_all_celsius",
        "read_watts", "scaling", "fetch",
    )
)  # fmt: skip
#: Commands that a role can't do without.
NEEDED: dict[str, set[str]] = {
    "load": {"set_amps", "on", "off", "is_on", "read_volts", "read_amps"},
    "voltmeter": {"read_volts"},
    "thermometer": {"read_celsius"},
    "scope": {"arm", "scaling", "fetch"},
    "clamp": {"read_amps"},
    "line": {"set_volts", "on", "off"},
    "hands": set(),
}
#: The shipped profile of each role.
GENERIC: dict[str, str] = {
    "load": "generic-load",
    "voltmeter": "generic-meter",
    "thermometer": "generic-thermometer",
    "scope": "generic-scope",
    "clamp": "generic-clamp",
    "line": "generic-line",
    "hands": "simulated-hands",
}


def role_of(name: str) -> str:
    """The role of a bench's entry: `load2` is a load as well; UserError where it is none."""
    plain = name.rstrip("0123456789")
    if plain not in GENERIC or (plain != name and plain != "load"):
        roles = [*(r for r in GENERIC if r != "hands"), "load2", "load3"]
        raise UserError(f"“{name}” is no role; use one of {', '.join(roles)}.")
    return plain


def load_profile(name: str) -> Profile:
    """A shipped profile by name, or one of the user's by path; UserError when it can't be used."""
    try:
        path = Path(name)
        path.is_file()
    except (OSError, ValueError) as error:
        raise UserError("That is no name of a profile.") from error
    shipped = resources.files("tensimeter.bench").joinpath("profiles", f"{path.name}.toml")
    data = shipped.read_bytes() if shipped.is_file() else read_regular(path, MOST_TEXT)
    try:
        profile = Profile.model_validate(parse_toml(data, f"The profile {name}", "one that can be used"))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(step) for step in first["loc"]) or "the whole"
        raise UserError(
            f"The profile {name} is not one that can be used: {where}: {first['msg']}."
        ) from error
    told = {*profile.patterns, *profile.columns} if profile.streaming else set()
    missing = NEEDED[profile.role] - set(profile.commands) - told
    if missing:
        raise UserError(f"The profile {name} lacks the command {', '.join(sorted(missing))}.")
    return profile


@dataclass(frozen=True)
class IncomingResult:
    """One command of a profile as it was tried: what was sent, what came back, whether that fits."""

    command: str
    sent: str
    answer: str
    fits: bool | None
    remark: str = ""


#: What is put into a command while it is tried: nothing that lets current flow or moves the line.
_HARMLESS = {
    "amps": "0",
    "ohms": "1000",
    "watts": "0",
    "seconds": "1.50",
    "rate": "1000000",
    "points": "1000",
    "channels": "1",
    "before": "0.2",
    "source": "IMM",
}
#: What would switch something on or move what is set; never sent by looking.
_MOVES = frozenset(("on", "set_volts", "trim", "place_load", "place_meter", "power_on", "power_off", "join"))
_ORDER = ("identify", "clear", "error", "reset")


def try_profile(instrument: "Talks", profile: Profile) -> Iterator[IncomingResult]:
    """Try each command of a profile on an instrument; nothing is switched on or moved by it.

    A query must answer in time and with what is asked for; after another command the error queue, where
    the profile has one, must be empty.
    """
    names = [*(n for n in _ORDER if n in profile.commands)]
    names += [n for n in profile.commands if n not in names]
    for name in names:
        text = profile.commands[name]
        if name in _MOVES or (profile.role == "line" and name in ("off", "reset")):
            yield IncomingResult(name, text, "", None, "not sent: it would switch something on or move it")
            continue
        for word, value in _HARMLESS.items():
            text = text.replace("{" + word + "}", value)
        if "{" in text:
            yield IncomingResult(name, text, "", False, "has a word in braces that is not known")
            continue
        yield _tried(instrument, profile, name, text)


def _tried(instrument: "Talks", profile: Profile, name: str, text: str) -> IncomingResult:
    try:
        if name == "identify" and instrument.ask_raw(text) != instrument.ask_raw(text):
            return IncomingResult(name, text, "", False, "it does not answer the same twice")
        if name == "fetch":
            count = len(instrument.fetch_raw())
            return IncomingResult(name, text, f"{count} samples", count > 1)
        if name not in QUESTIONS:
            instrument.say_raw(text)
            if "error" not in profile.commands:
                return IncomingResult(name, text, "", None, "sent; this profile has no way to ask for errors")
            said = instrument.ask_raw(profile.commands["error"])
            fine = said.lstrip("+").startswith("0")
            return IncomingResult(name, text, "", fine, "accepted" if fine else f"refused: {said}")
        answer = instrument.ask_raw(text)
    except LinkFailed as failed:
        _drain(instrument, profile)
        return IncomingResult(name, text, "", False, str(failed))
    return IncomingResult(name, text, answer[:60], *_fits(profile, name, answer))


def _drain(instrument: "Talks", profile: Profile) -> None:
    """After a command that got no answer: a link opened anew, and the error it left behind taken away."""
    try:
        instrument.reconnect()
        if "error" in profile.commands:
            instrument.ask_raw(profile.commands["error"])
    except LinkFailed:
        return


def _fits(profile: Profile, name: str, answer: str) -> tuple[bool, str]:
    if answer.startswith(("HTTP/", "<")):
        return False, "this is a web server, or an error of one"
    if name == "error":
        fine = bool(re.match(r"^[+-]?\d+\s*(,|$)", answer))
        return fine, "" if fine else 'a number and a text were asked, such as 0,"No error"'
    if name == "identify":
        fine = not re.fullmatch(r"[+-]?[\d.]+([eE][+-]?\d+)?", answer.strip()) and bool(answer.strip())
        return fine, "" if fine else "who it is was asked"
    if name == "is_on":
        fine = answer.strip().upper() in ("0", "1", "ON", "OFF")
        return fine, "" if fine else "on or off was asked"
    if name in ("read_volts", "read_amps", "read_celsius", "read_all_celsius", "read_watts"):
        try:
            value = figure(profile, name, answer)
        except ValueError:
            return False, "a number was asked"
        return True, "over range" if math.isinf(value) else ""
    if name == "scaling":
        parts = answer.split(",")
        return len(parts) == 4, "" if len(parts) == 4 else "four figures were asked: s, s, V, V"
    return bool(answer.strip()), ""


class Talks(Protocol):
    """What trying a profile needs of a link."""

    def say_raw(self, text: str) -> None: ...

    def ask_raw(self, text: str) -> str: ...

    def fetch_raw(self) -> Sized: ...

    def reconnect(self) -> None: ...
