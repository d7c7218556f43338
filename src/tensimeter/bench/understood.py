"""What a meter's own words could mean, held against what its display shows: proposals for a profile."""

import itertools
import math
import re
from collections import Counter
from typing import Any

from msgspec import Struct, field

from tensimeter.bench.figures import number, scaled
from tensimeter.bench.frame import Frame, FrameValue, ends_in_sum
from tensimeter.bench.registers import Kind, Register, Table, value_of

_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_UNIT = re.compile(r"\s*(m?V|m?A|°?C)\b")
_SCALES = (1.0, 0.1, 0.01, 0.001, 0.0001, 1e-5, 10.0, 100.0, 1000.0)
#: Frames are looked for from so many bytes to so many, and so many alike must come before one is believed.
_SHORTEST, _LONGEST, _ALIKE = 4, 64, 3
#: So many of the newest bytes show what frames look like.
_ENOUGH = 600
#: So much of a digit shown may a figure differ: a display is cut or rounded.
_DIGIT = 1.01
_SUMS = ("crc16", "sum16", "sum8", "xor8")


class Proposal(Struct, frozen=True):
    """One way to read a figure: in words, as it stands in a profile, and what it reads now."""

    words: str
    value: float
    #: Tables of a profile that it sets, such as {"columns": {"read_volts": 2}}.
    told: dict[str, Any] = field(default_factory=dict)


def shown_figure(text: str) -> tuple[float, float]:
    """What a display shows and the value of its last digit; ValueError where it is no figure."""
    plain = text.strip().replace(",", ".")
    decimals = len(plain.split(".")[1]) if "." in plain else 0
    value = float(plain)
    if not math.isfinite(value):
        raise ValueError(text)
    return value, 10.0**-decimals


def of_line(line: str, command: str, shown: str = "") -> list[Proposal]:
    """Every figure of a line that could be meant; with what the display shows, only those that agree.

    >>> [p.told for p in of_line("1,13.600,4.80", "read_volts", "13.6")]
    [{'columns': {'read_volts': 2}}]
    """
    found = []
    cells = re.split(r"[,;\t]\s*|\s+", line.strip())
    for match in _NUMBER.finditer(line):
        if match.start() and line[match.start() - 1].isalnum():
            # The 1 of `CH1` is a name's.
            continue
        unit = _UNIT.match(line, match.end())
        label = re.search(r"[A-Za-z_]\w*\s*[=:]\s*$", line[: match.start()])
        plain = scaled(number(match[0]), 1e-3 if unit and unit[1].startswith("m") else 1.0)
        for scale in _fitting_scales(plain, shown):
            told: dict[str, Any] = {"scales": {command: scale}} if scale != 1.0 else {}
            tail = rf"\s*(?P<unit>{_units(unit[1][-1])})" if unit else ""
            if label or unit or len(cells) < 2:
                front = re.escape(label[0].strip()) + r"\s*" if label else ""
                told["patterns"] = {command: f"{front}(?P<value>[-+]?[.0-9]+(?:[eE][-+]?[0-9]+)?|-?OL){tail}"}
                where = f"behind “{label[0].strip()}”" if label else "the figure"
            elif match[0] in cells:
                told["columns"] = {command: cells.index(match[0]) + 1}
                where = f"column {cells.index(match[0]) + 1} of the list"
            else:
                continue
            words = f"{where}: {match[0]}{unit[0] if unit else ''}"
            found.append(Proposal(words, scaled(plain, scale), told))
    return found


def _units(letter: str) -> str:
    return f"m?{letter}" if letter in "VA" else letter


def _fitting_scales(value: float, shown: str) -> list[float]:
    """What a figure must be multiplied by to be what is shown: nothing where it is; none where it is not."""
    if not shown.strip():
        return [1.0]
    scale = _scale_to(value, *shown_figure(shown))
    return [] if scale is None else [scale]


def _scale_to(value: float, wanted: float, digit: float) -> float | None:
    """The power of ten by which a figure becomes what is wanted to a digit; None where none does."""
    return next((s for s in _SCALES if abs(scaled(value, s) - wanted) <= _DIGIT * digit), None)


def _could_be(value: float, wanted: float) -> bool:
    """Whether a figure may be what is wanted at some scale: nothing is nothing at any."""
    return math.isfinite(value) and (value == 0.0) == (wanted == 0.0)


def frame_shape(data: bytes) -> dict[str, Any] | None:
    """Length, front and checksum of the frames in what a meter sent; None where none can be told.

    Frames of one length follow one another; what stands in front of each of them is the same, and the sum
    that fits all of them is theirs.
    """
    data = data[-_ENOUGH:]
    for length in range(_SHORTEST, min(_LONGEST, len(data) // _ALIKE) + 1):
        for at in range(length):
            if len({data[at + k * length] for k in range(_ALIKE) if at + k * length < len(data)}) > 1:
                # What stands in front of frames is the same in each.
                continue
            frames = [data[k : k + length] for k in range(at, len(data) - length + 1, length)]
            if len(frames) < _ALIKE or len(set(frames[0])) == 1:
                continue
            front = _same_front(frames)
            # A short sum over frames that are all the same fits by chance.
            for kind in _SUMS if len(set(frames)) >= _ALIKE else _SUMS[:2]:
                told = {"length": length, "start": front.hex(" ").upper(), "checksum": kind}
                if front and all(ends_in_sum(kind, f) for f in frames):
                    return told
    return _without_sum(data)


def _without_sum(data: bytes) -> dict[str, Any] | None:
    """Frames known by two bytes that come again and again at one distance."""
    pairs = Counter(data[k : k + 2] for k in range(len(data) - 1))
    # A line's end is one; what are digits is more likely a figure that does not move.
    likely = sorted(pairs.items(), key=lambda p: (p[0] != b"\r\n", p[0].isalnum(), -p[1]))
    found = []
    for rank, (mark, count) in enumerate(likely[:6]):
        places = [k for k in range(len(data) - 1) if data[k : k + 2] == mark]
        steps = {b - a for a, b in itertools.pairwise(places)}
        length = steps.pop() if len(steps) == 1 else 0
        fits = _SHORTEST <= length <= min(_LONGEST, len(data) // _ALIKE)
        if count >= _ALIKE and fits and len(set(mark)) > 1:
            key = "end" if mark == b"\r\n" else "start"
            found.append((length, rank, {"length": length, key: mark.hex(" ").upper()}))
    # The shortest that fits, and of these what is most likely a mark.
    return min(found, key=lambda f: f[:2])[2] if found else None


def _same_front(frames: list[bytes]) -> bytes:
    first = frames[0]
    same = next((k for k in range(len(first)) if any(f[k] != first[k] for f in frames)), len(first))
    # What stays the same for long is a figure that does not move; two bytes mark a front.
    return first[: min(same, 2)]


def last_frame(data: bytes, shape: dict[str, Any]) -> bytes | None:
    """The newest whole frame of a shape in what came."""
    frame = Frame.model_validate({**shape, "values": {"read_volts": FrameValue(at=0, size=1)}})
    whole = (data[k : k + frame.length] for k in range(len(data) - frame.length, -1, -1))
    return next((f for f in whole if frame.holds(f)), None)


def of_frame(newest: bytes, shape: dict[str, Any], command: str, shown: str) -> list[Proposal]:
    """Where in a frame stands what the display shows; ValueError where that is no figure."""
    wanted, digit = shown_figure(shown)
    kinds = ("signed",) if wanted < 0 else ("unsigned", "bcd")
    found = []
    ways = [("text", n, False) for n in (7, 6, 5, 4)]
    ways += [(k, n, little) for k in kinds for n in (2, 3, 4) for little in (False, True)]
    ways += [("float", n, little) for n in (4, 8) for little in (False, True)]
    for kind, size, little in ways:
        for at in range(len(bytes.fromhex(shape.get("start", ""))), len(newest) - size + 1):
            found += _at(newest, kind, size, little, at, wanted, digit, shape, command)
    return found[:12]


def _at(
    newest: bytes, kind: str, size: int, little: bool, at: int, wanted: float, digit: float,
    shape: dict[str, Any], command: str,
) -> list[Proposal]:  # fmt: skip
    told: dict[str, Any] = {"at": at, "size": size, "kind": kind}
    if little:
        told["little_endian"] = True
    try:
        plain = FrameValue.model_validate(told).read(newest)
    except ValueError:
        return []
    scale = _scale_to(plain, wanted, digit) if _could_be(plain, wanted) else None
    if scale is None:
        return []
    if scale != 1.0:
        told["scale"] = scale
    order = ", low byte first" if little else ""
    words = f"bytes {at} to {at + size - 1}, {kind}{order}, × {scale:g}"
    return [Proposal(words, scaled(plain, scale), {"frame": {**shape, "values": {command: told}}})]


def of_registers(words: dict[tuple[Table, int], int], command: str, shown: str) -> list[Proposal]:
    """Which registers hold what the display shows; ValueError where that is no figure."""
    wanted, digit = shown_figure(shown)
    found = []
    kinds: tuple[Kind, ...] = ("int16",) if wanted < 0 else ("uint16",)
    for (table, at), kind, low_first in itertools.product(words, (*kinds, "float32", "int32"), (False, True)):
        told: dict[str, Any] = {"at": at, "table": table, "kind": kind, "low_word_first": low_first}
        register = Register.model_validate(told)
        held = [words.get((table, at + k)) for k in range(register.words)]
        if (low_first and register.words == 1) or None in held:
            continue
        plain = value_of([w for w in held if w is not None], register)
        scale = _scale_to(plain, wanted, digit) if _could_be(plain, wanted) else None
        if scale is not None:
            told |= {"scale": scale} if scale != 1.0 else {}
            told = {k: v for k, v in told.items() if v is not False}
            value = {"registers": {"values": {command: told}}}
            found.append(Proposal(f"{table} register {at}, {kind}, × {scale:g}", scaled(plain, scale), value))
    return found[:12]
