"""What to say to an instrument of a role: profiles in TOML, and trying one out."""

import math
import tomllib
from collections.abc import Iterator
from dataclasses import dataclass
from importlib import resources
from pathlib import Path
from typing import Literal, Protocol

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tensimeter.bench.roles import LinkFailed
from tensimeter.core.errors import Trouble

Role = Literal["load", "voltmeter", "thermometer", "scope", "clamp", "line", "hands"]


class Profile(BaseModel):
    """What to say to an instrument, from a TOML file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    role: Role
    termination: str = "\n"
    timeout_s: float = Field(default=0.7, gt=0, le=10)
    #: For a serial port.
    baud: int = Field(default=9600, gt=0)
    #: How a waveform comes: a binary block (IEEE 488.2) of integers or floats, or text.
    encoding: Literal["int16", "float32", "ascii"] = "int16"
    big_endian: bool = True
    commands: dict[str, str]


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
    """The role of a bench's entry: `load2` is a load as well; Trouble where it is none."""
    plain = name.rstrip("0123456789")
    if plain not in GENERIC or (plain != name and plain != "load"):
        roles = [*(r for r in GENERIC if r != "hands"), "load2", "load3"]
        raise Trouble(f"“{name}” is no role; use one of {', '.join(roles)}.")
    return plain


def load_profile(name: str) -> Profile:
    """A shipped profile by name, or one of the user's by path; Trouble when it can't be used."""
    path = Path(name)
    shipped = resources.files("tensimeter.bench").joinpath("profiles", f"{path.name}.toml")
    try:
        text = shipped.read_text() if shipped.is_file() else path.read_text()
        profile = Profile.model_validate(tomllib.loads(text))
    except OSError as error:
        raise Trouble(f"The profile {name} can't be read: {error.strerror}.") from error
    except (tomllib.TOMLDecodeError, ValidationError, UnicodeDecodeError) as error:
        first = str(error).splitlines()[0]
        raise Trouble(f"The profile {name} is not one that can be used: {first}.") from error
    missing = NEEDED[profile.role] - set(profile.commands)
    if missing:
        raise Trouble(f"The profile {name} lacks the command {', '.join(sorted(missing))}.")
    return profile


@dataclass(frozen=True)
class Tried:
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


def try_profile(instrument: "Talks", profile: Profile) -> Iterator[Tried]:
    """Try each command of a profile on an instrument; nothing is switched on or moved by it.

    A query must answer in time and with what is asked for; after another command the error queue, where
    the profile has one, must be empty.
    """
    names = [*(n for n in _ORDER if n in profile.commands)]
    names += [n for n in profile.commands if n not in names]
    for name in names:
        text = profile.commands[name]
        if name in _MOVES or (profile.role == "line" and name in ("off", "reset")):
            yield Tried(name, text, "", None, "not sent: it would switch something on or move it")
            continue
        for word, value in _HARMLESS.items():
            text = text.replace("{" + word + "}", value)
        if "{" in text:
            yield Tried(name, text, "", False, "has a word in braces that is not known")
            continue
        yield _tried(instrument, profile, name, text)


def _tried(instrument: "Talks", profile: Profile, name: str, text: str) -> Tried:
    try:
        if name == "fetch":
            count = len(instrument.fetch_raw())
            return Tried(name, text, f"{count} samples", count > 1)
        if "?" not in text:
            instrument.say_raw(text)
            if "error" not in profile.commands:
                return Tried(name, text, "", None, "sent; this profile has no way to ask for errors")
            said = instrument.ask_raw(profile.commands["error"])
            fine = said.lstrip("+").startswith("0")
            return Tried(name, text, "", fine, "accepted" if fine else f"refused: {said}")
        answer = instrument.ask_raw(text)
    except LinkFailed as failed:
        _drain(instrument, profile)
        return Tried(name, text, "", False, str(failed))
    return Tried(name, text, answer[:60], *_fits(name, answer))


def _drain(instrument: "Talks", profile: Profile) -> None:
    """After a command that got no answer: a link opened anew, and the error it left behind taken away."""
    try:
        instrument.reconnect()
        if "error" in profile.commands:
            instrument.ask_raw(profile.commands["error"])
    except LinkFailed:
        return


def _fits(name: str, answer: str) -> tuple[bool, str]:
    if name == "is_on":
        fine = answer.strip().upper() in ("0", "1", "ON", "OFF")
        return fine, "" if fine else "on or off was asked"
    if name in ("read_volts", "read_amps", "read_celsius", "read_all_celsius", "read_watts"):
        try:
            value = float(answer)
        except ValueError:
            return False, "a number was asked"
        if math.isnan(value):
            return False, "a number was asked"
        return True, "over range" if abs(value) >= 9.9e37 else ""
    if name == "scaling":
        parts = answer.split(",")
        return len(parts) == 4, "" if len(parts) == 4 else "four figures were asked: s, s, V, V"
    return bool(answer.strip()), ""


class Talks(Protocol):
    """What trying a profile needs of a link."""

    def say_raw(self, text: str) -> None: ...

    def ask_raw(self, text: str) -> str: ...

    def fetch_raw(self) -> list[float]: ...

    def reconnect(self) -> None: ...
