"""A line as a person says it, put into the words of the reading line: “11.9V at 3A, sink 40C”.

Only the form is changed, never a figure: what can't be told for certain is left as it was typed, and is asked
about by whoever reads it.
"""

import itertools
import re
from collections.abc import Sequence

from tensimeter.core.errors import UserError
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.step import FAN, panel_of

_NUMBER = r"[+\-−]?\d+(?:[.,]\d+)?"
_AMPS = rf"{_NUMBER}\s*[mµu]?A\b"
_LOADS = rf"(?:{_AMPS}|\d+[RkK]\d*\b|{_NUMBER}\s*(?:[kKm]?(?:Ω|ohm|R)|k?W)(?!\w))"
_HAPPENED = r"(?<!tripped )(?<!died )(?<!cut )(?<!on )(?<!off )"
_WORDS = {
    "volt": "V",
    "amp": "A",
    "ampere": "A",
    "watt": "W",
    "ohm": "ohm",
    "milliamp": "mA",
    "millivolt": "mV",
}

#: Each way of saying something, and the same in the words of the line; one after another.
_SAYINGS: tuple[tuple[re.Pattern[str], str], ...] = tuple(
    (re.compile(pattern, re.I), instead)
    for pattern, instead in (
        # A comma before a space parts; within a figure it is its decimal mark.
        (r"[,;]\s+", " "),
        (r"(?<![\w.,])[UV]\s*=\s*(?=[+\-−]?\d)", ""),
        (rf"(?<![\w.,])I\s*=\s*(?={_AMPS})", ""),
        (
            r"\b(?:no|without)[ -]load\b(?:\s*:)?|\bnothing connected\b|\boff load\b|\bopen circuit\b",
            "unloaded",
        ),
        (r"(?<=\dV)\s+open\b|(?<=\d V)\s+open\b", " unloaded"),
        (r"\bat\s+(?=unloaded\b)", "@"),
        (rf"{_HAPPENED}\bat\s+(?={_LOADS})", "@"),
        (r"\bwith\s+(?=\d+[RkK]\d*\b)", "@"),
        # What stands before a colon, an arrow or a stroke is beside what stands behind it.
        (rf"^({_LOADS})\s*(?::|→|->)\s*(?=[+\-−]?\d)", r"\1 "),
        (rf"(?<=\d)(\s*m?V)\s*/\s*(?={_AMPS})", r"\1 "),
        (rf"\b(?:ripple|pp|p-p)\s+({_NUMBER}\s*[mµu]?V)(?:\s*(?:pp|p-p))?(?!\w)", r"\1pp"),
        (rf"\bturns?\s+(?:at\s+)?({_NUMBER})(?=$|\s)", r"\1turns"),
    )
)
_UNIT_WORD = re.compile(rf"(?<=\d)\s*({'|'.join(_WORDS)})s?\b", re.I)
_SMALL_UNIT = re.compile(r"(?<=\d)(\s*)(m?)([vaw])(?=$|[\s@,;)/:])")
_FIGURE = r"[+\-−]?\d"
_BOTH_SHOWN = re.compile(rf"^(?P<place>\S+-panel)\s+(?P<volts>{_NUMBER}\s*m?V)\s+(?P<amps>{_AMPS})$", re.I)
_WITH_WATTS = re.compile(
    rf"^(?P<place>.*?)(?<![\d.,]){_NUMBER}\s*m?V(?:\s+{_AMPS})?\s+(?P<watts>{_NUMBER}\s*m?W)$", re.I
)
#: A figure alone whose unit says what it is of.
_OF_UNIT = ((re.compile(rf"^{_NUMBER}\s*rpm$", re.I), FAN), (re.compile(rf"^{_NUMBER}\s*dB$", re.I), "noise"))


def in_words_of_line(text: str, outputs: Sequence[OutputLink], in_hand: str | None) -> str:
    """The same, as the reading line has it; `in_hand` is the output that is meant where none is named.

    UserError where it may be one thing or another.

    Examples
    --------
    >>> in_words_of_line("ripple 45 mV at 2 A", (), None)
    '45 mVpp @2 A'
    >>> in_words_of_line("No load: 12.08V", (), None)
    'unloaded 12.08V'
    """
    line = " ".join(text.split())
    line = _UNIT_WORD.sub(lambda m: _WORDS[m[1].casefold()], line)
    line = _SMALL_UNIT.sub(lambda m: f"{m[1]}{m[2]}{m[3].upper()}", line)
    for pattern, instead in _SAYINGS:
        line = pattern.sub(instead, line)
    _must_be_one(line.strip(), outputs, in_hand)
    line = _loads(_panels(line.strip(), outputs, in_hand))
    line = _named(line, outputs)
    for pattern, place in _OF_UNIT:
        if pattern.match(line):
            line = f"{place} {line}"
    return line


def _must_be_one(line: str, outputs: Sequence[OutputLink], in_hand: str | None) -> None:
    """UserError where “12V 2A” may be amps of the outlet 12 V, or what was read of the one in hand."""
    for output in outputs:
        if (
            _is_figure(output)
            and output.id != in_hand
            and re.match(rf"{_spelt(output)}\s+{_AMPS}$", line, re.I)
        ):
            such = f"{output.name} {output.nominal_V:g}V @{output.full_load_A / 2:.2g}A"
            raise UserError(
                f"“{line}”: is {output.name} the outlet, or what was read? Type the outlet’s name, its volts "
                f"and its amps: “{such}”."
            )


def _is_figure(output: OutputLink) -> bool:
    """Whether an outlet is called by its volts: “12 V”, “−12 V”."""
    return output.name.lstrip("−-")[:1].isdigit()


def _spelt(output: OutputLink) -> str:
    """How its name may be typed: with any space or none, with either minus, with a plus where it has none."""
    spelt = r"\s*".join(re.escape(word) for word in output.name.lstrip("−-").split())
    return rf"[−-]{spelt}" if output.name[:1] in "−-" else rf"\+?{spelt}"


def _loads(line: str) -> str:
    """“11.9V 2A” says what the output was loaded with, as “11.9V @2A” does; a display shows both itself."""
    if "@" in line or "-panel " in line:
        return line
    line = re.sub(rf"(?<=\d)(\s*m?V(?:pp)?)\s+({_AMPS})", r"\1 @\2", line, count=1)
    return (
        re.sub(rf"(^|\s)({_AMPS})\s+(?={_NUMBER}\s*m?V)", r"\1@\2 ", line, count=1)
        if "@" not in line
        else line
    )


def _panels(line: str, outputs: Sequence[OutputLink], in_hand: str | None) -> str:
    """“OUT 1 panel 5.1V” is of that output's own display; without a name, of the one in hand."""
    for output in outputs:
        for name in (output.name, output.id):
            line = re.sub(
                rf"\b{re.escape(name)}\s+(?:panel|display)\s+(?={_FIGURE})",
                f"{panel_of(output.id)} ",
                line,
                flags=re.I,
            )
    # Where an outlet is called a panel, that is meant.
    named = re.compile(r"\b(?:panel|display)\b", re.I)
    if in_hand is not None and not any(named.search(f"{o.name} {o.id}") for o in outputs):
        line = re.sub(
            rf"(?:^|(?<=\s))(?:panel|display)\s+(?={_FIGURE})", f"{panel_of(in_hand)} ", line, flags=re.I
        )
    return line


def _named(line: str, outputs: Sequence[OutputLink]) -> str:
    """An output that is called by a figure (“12 V”) by its id, where volts are behind it."""
    also, _, rest = line.partition(" ") if line.casefold().startswith("also ") else ("", "", line)
    for output in sorted(outputs, key=lambda o: -len(o.name)):
        if not _is_figure(output):
            continue
        named = re.match(rf"{_spelt(output)}(?:\s+(?:rail|output))?\s*[:=\s]\s*(?=\S)", rest, re.I)
        if named is None:
            continue
        behind = rest[named.end() :]
        if re.match(rf"{_NUMBER}\s*m?V", behind, re.I) or not re.match(r"[+\-−@\d]|unloaded", behind):
            return f"{also} {output.id} {behind}".strip()
    return line


def several(line: str, names: Sequence[str]) -> list[str]:
    """A line of several readings as one each: where a place that is known stands behind a figure.

    Examples
    --------
    >>> several("out 11.9V 3A sink 41C", ["out", "sink"])
    ['out 11.9V 3A', 'sink 41C']
    """
    if len(re.findall(_NUMBER, line)) < 2:
        return [line]
    both = _BOTH_SHOWN.match(line)
    if both is not None:
        return [f"{both['place']} {both['volts']}", f"{both['place']} {both['amps']}"]
    watts = _WITH_WATTS.match(line)
    if watts is not None:
        return [line[: watts.start("watts")].strip(), f"{watts['place']}{watts['watts']}"]
    known = "|".join(re.escape(n) for n in sorted(names, key=len, reverse=True))
    cuts = [m.start(1) for m in re.finditer(rf"(?<=[\dA-Za-zΩ°])\s+((?:{known})\s+{_FIGURE})", line, re.I)]
    cuts = [c for c in cuts if re.search(r"\d\s*[A-Za-zµΩ°]{0,4}\s*$", line[:c])]
    edges = [0, *cuts, len(line)]
    return [line[a:b].strip() for a, b in itertools.pairwise(edges) if line[a:b].strip()]
