"""What to say to an instrument of a role: profiles in TOML."""

import contextlib
import re
from importlib import resources
from pathlib import Path
from typing import Annotated, Literal

from platformdirs import user_config_path
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from tensimeter.bench.figures import Scale, number, scaled
from tensimeter.bench.frame import Frame
from tensimeter.bench.registers import Registers
from tensimeter.core.errors import UserError
from tensimeter.store.columns import any_unit
from tensimeter.store.regular import MOST_TEXT, parse_toml, read_regular

Role = Literal["load", "voltmeter", "thermometer", "scope", "clamp", "line", "hands"]


#: The longest command that is sent, and what of an answer is looked through by a pattern, characters.
MOST_COMMAND, MOST_LOOKED = 400, 400
#: How long a profile's pattern may look through an answer, s.
PATTERN_S = 0.1
_NOTHING: frozenset[str] = frozenset()
#: Roles that only read.
READERS = ("voltmeter", "thermometer", "clamp")
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
    #: What the figures of a command are multiplied by.
    scales: dict[str, Scale] = Field(default_factory=dict)
    #: It sends frames of bytes instead of lines.
    frame: Frame | None = None
    #: It speaks Modbus: over TCP, or RTU on a serial port.
    registers: Registers | None = None
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
        for name, pattern in self.patterns.items():
            _must_find_a_value(name, pattern, self.commands)
        for name in self.columns:
            if name not in {**self.commands, **dict.fromkeys(QUESTIONS)} or name in self.patterns:
                raise ValueError(f"columns: “{name[:40]}” is no command that is asked, or has a pattern too")
        for name in (*self.told_by_itself(), *self.scales):
            if name not in QUESTIONS:
                raise ValueError(f"“{name[:40]}” is nothing that can be read")
        if self.sequence:
            _must_be_plain("sequence", self.sequence, frozenset(("n",)))
        return self

    @model_validator(mode="after")
    def _fits_its_role(self) -> "Profile":
        """What switches something is spoken to in lines; one way of speaking is enough."""
        if self.role == "load" and (self.patterns or self.columns or self.acknowledge or self.scales):
            raise ValueError(
                "patterns, columns, scales, acknowledge are not for a load: its guard knows figures"
            )
        if self.role not in READERS and (self.streaming or self.frame or self.registers):
            raise ValueError(
                "only a voltmeter, a thermometer or a clamp may send of itself, in frames or by Modbus: what "
                "switches is spoken to in lines, so that its guard can switch it off"
            )
        if (self.frame or self.registers) and (self.commands or (self.frame and self.registers)):
            raise ValueError("frame, registers and commands are three ways; a profile has one")
        return self

    def told_by_itself(self) -> dict[str, object]:
        """What it tells without a command in lines: of itself, in frames, in registers."""
        if self.frame or self.registers:
            return {
                **(self.frame.values if self.frame else {}),
                **(self.registers.values if self.registers else {}),
            }
        return {**self.patterns, **self.columns} if self.streaming else {}


def _must_find_a_value(name: str, pattern: str, commands: dict[str, str]) -> None:
    if name not in commands and name not in QUESTIONS:
        raise ValueError(f"patterns: “{name[:40]}” is no command of it")
    import regex

    try:
        groups = regex.compile(pattern).groupindex
    except regex.error as error:
        raise ValueError(f"the pattern of {name} is none: {error}") from error
    if "value" not in groups:
        raise ValueError(f"the pattern of {name} has no group (?P<value>…)")


def text_of(data: bytes) -> str:
    """What an instrument sends as text, its `°C` as plain `C`; other bytes that are no ASCII as `�`.

    >>> text_of("23.5 °C\\r\\n".encode()), text_of("23.5 °C".encode("latin-1")), text_of(b"\\xff5")
    ('23.5 C', '23.5 C', '�5')
    """
    return data.replace(b"\xc2\xb0", b"").replace(b"\xb0", b"").decode("ascii", "replace").strip()


def figures(profile: Profile, command: str, answer: str, count: int) -> list[float]:
    """The first figures in an answer; ValueError where there are fewer.

    By a pattern they are what it finds one after the other, by a column that one and those behind it.

    >>> p = Profile(role="voltmeter", commands={"read_volts": "R"},
    ...             patterns={"read_volts": r"V=(?P<value>[-+.\\d]+)\\s*(?P<unit>m?V)"})
    >>> figures(p, "read_volts", "I=4.8 V=13600 mV", 1)
    [13.6]
    """
    if command in profile.patterns:
        told = _found_by(profile.patterns[command], answer[:MOST_LOOKED])
    elif command in profile.columns:
        cells = re.split(r"[,;\t]\s*|\s+", answer.strip())
        told = [(cell, "") for cell in cells[profile.columns[command] - 1 :]]
    else:
        told = [(cell, "") for cell in (answer.split(",") if count > 1 else [answer])]
        if len(told) > count:
            # More than was asked for is an answer to something else.
            raise ValueError(answer)
    if len(told) < count:
        raise ValueError(answer)
    scale = profile.scales.get(command, 1.0)
    return [scaled(_with_unit(text, unit.strip()), scale) for text, unit in told[:count]]


def _found_by(pattern: str, answer: str) -> list[tuple[str, str]]:
    """Figure and unit of each place that a pattern finds; ValueError where it looks for ever.

    Somebody's pattern may go back over an answer more often than there are seconds: it has a deadline, and
    other threads go on meanwhile.
    """
    import regex

    try:
        found = list(regex.finditer(pattern, answer, timeout=PATTERN_S, concurrent=True))
    except TimeoutError as error:
        raise ValueError(f"the pattern {pattern[:60]} did not come to an end") from error
    return [(m["value"] or "", m.groupdict().get("unit") or "") for m in found]


def _with_unit(text: str, unit: str) -> float:
    if not unit:
        return number(text)
    known = any_unit(unit)
    if known is None:
        raise ValueError(unit)
    return scaled(number(text), known[0]) + known[1]


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


def own_profiles() -> Path:
    """The folder in which a user's own profiles are found by name."""
    return user_config_path("tensimeter") / "profiles"


def profile_names(role: str) -> list[str]:
    """Profiles of a role by name, the generic one first, the user's own last; what can't be read is left."""
    shipped = resources.files("tensimeter.bench").joinpath("profiles")
    names = [p.name.removesuffix(".toml") for p in shipped.iterdir() if p.name.endswith(".toml")]
    own = sorted(p.stem for p in own_profiles().glob("*.toml"))
    found = []
    for name in dict.fromkeys((GENERIC[role], *sorted(names), *own)):
        with contextlib.suppress(UserError):
            if load_profile(name).role == role:
                found.append(name)
    return found


def load_profile(name: str) -> Profile:
    """A profile: one of the user's folder or a shipped one by name, or any by path.

    UserError when it can't be used.
    """
    try:
        path = Path(name)
        path.is_file()
    except (OSError, ValueError) as error:
        raise UserError("That is no name of a profile.") from error
    shipped = resources.files("tensimeter.bench").joinpath("profiles", f"{path.name}.toml")
    own = own_profiles() / f"{path.name}.toml"
    if path.name == name and own.is_file():
        data = read_regular(own, MOST_TEXT)
    else:
        data = shipped.read_bytes() if shipped.is_file() else read_regular(path, MOST_TEXT)
    return parsed_profile(data, f"The profile {name}")


def parsed_profile(data: bytes, called: str) -> Profile:
    """A profile from its text; UserError in the words of `called` when it can't be used."""
    try:
        profile = Profile.model_validate(parse_toml(data, called, "one that can be used"))
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(step) for step in first["loc"]) or "the whole"
        raise UserError(f"{called} is not one that can be used: {where}: {first['msg']}.") from error
    missing = NEEDED[profile.role] - {*profile.commands, *profile.told_by_itself()}
    if missing:
        raise UserError(f"{called} lacks the command {', '.join(sorted(missing))}.")
    return profile
