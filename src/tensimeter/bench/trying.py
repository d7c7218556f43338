"""Trying a profile out on an instrument, command by command; nothing is switched on or moved by it."""

import contextlib
import math
import re
from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.bench.doors import opened
from tensimeter.bench.link import Said
from tensimeter.bench.profile import QUESTIONS, Profile, figures
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.roles import LinkFailed


class IncomingResult(Struct, frozen=True):
    """One command of a profile as it was tried: what was sent, what came back, whether that fits."""

    command: str
    sent: str
    answer: str
    fits: bool | None
    remark: str = ""
    #: The bytes that went over the link for it, both ways.
    raw: tuple[Said, ...] = ()


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


def try_profile(instrument: ProfiledInstrument, profile: Profile) -> Iterator[IncomingResult]:
    """Try each command of a profile on an instrument; nothing is switched on or moved by it.

    A query must answer in time and with what is asked for; after another command the error queue, where
    the profile has one, must be empty.
    """
    names = [*(n for n in _ORDER if n in profile.commands)]
    names += [n for n in (*profile.commands, *profile.told_by_itself()) if n not in names]
    with contextlib.suppress(LinkFailed):
        instrument.hear_out()
    for name in names:
        instrument.talk.clear()
        found = _one(instrument, profile, name)
        yield replace(found, raw=tuple(instrument.talk))


def tried_at(resource: str, profile: Profile, part: str) -> list[IncomingResult]:
    """Open an instrument by its profile's door, try each command, and let it go; LinkFailed where none is."""
    instrument = opened(resource, profile, part)
    try:
        return list(try_profile(instrument, profile))
    finally:
        instrument.close()


def _one(instrument: ProfiledInstrument, profile: Profile, name: str) -> IncomingResult:
    if name in profile.told_by_itself():
        return _read(instrument, name)
    text = profile.commands[name]
    if name in _MOVES or (profile.role == "line" and name in ("off", "reset")):
        return IncomingResult(name, text, "", None, "not sent: it would switch something on or move it")
    for word, value in _HARMLESS.items():
        text = text.replace("{" + word + "}", value)
    if "{" in text:
        return IncomingResult(name, text, "", False, "has a word in braces that is not known")
    return _tried(instrument, profile, name, text)


def _read(instrument: ProfiledInstrument, name: str) -> IncomingResult:
    try:
        value = instrument.read(name)[0]
    except LinkFailed as failed:
        return IncomingResult(name, "", "", False, str(failed))
    return IncomingResult(name, "", f"{value:g}", True, "over range" if math.isinf(value) else "")


def _tried(instrument: ProfiledInstrument, profile: Profile, name: str, text: str) -> IncomingResult:
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
    fits, remark = _fits(profile, name, answer)
    if fits and name != "scaling":
        return _as_in_a_run(instrument, profile, name, IncomingResult(name, text, answer[:60], fits, remark))
    return IncomingResult(name, text, answer[:60], fits, remark)


def _as_in_a_run(
    instrument: ProfiledInstrument, profile: Profile, name: str, plain: IncomingResult
) -> IncomingResult:
    """A question that was answered, asked again as a run asks it: behind a number, before an identity."""
    try:
        answer, known = instrument.ask_as_in_a_run(name)
    except LinkFailed as failed:
        _drain(instrument, profile)
        return replace(plain, fits=False, remark=f"answered alone, and not as a run asks it: {failed}")
    if not known:
        return plain
    fits, remark = _fits(profile, name, answer)
    return replace(plain, fits=fits, remark=remark or plain.remark or f"told {known}")


def _drain(instrument: ProfiledInstrument, profile: Profile) -> None:
    """After a command that got no answer: a link opened anew, and the error it left behind taken away."""
    try:
        instrument.reconnect()
        instrument.hear_out()
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
            value = figures(profile, name, answer, 1)[0]
        except ValueError:
            return False, "a number was asked"
        return True, "over range" if math.isinf(value) else ""
    if name == "scaling":
        parts = answer.split(",")
        return len(parts) == 4, "" if len(parts) == 4 else "four figures were asked: s, s, V, V"
    return bool(answer.strip()), ""
