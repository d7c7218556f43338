"""Evenings as people say them: does each line land as it was meant, or is it asked about?

`python -m benchmarks.evenings [FIRST] [LAST]`: the lines of `evenings.txt`, typed one after another into a
job begun from the nameplate. Counted are lines that were kept as something else, and those
that were asked about.
"""

import math
import re
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from msgspec import Struct

from benchmarks.sessions import Quiet
from tensimeter.app.job_in_hand import JobInHand
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.edits import readings_first
from tensimeter.core.model.states import state_of
from tensimeter.store.jobfile import JobFile

TABLE = Path(__file__).with_name("evenings.txt")


class Evening(Struct, frozen=True):
    """A supply by its nameplate, and lines with what each of them means."""

    label: str
    lines: tuple[tuple[str, str], ...]


def evenings() -> list[Evening]:
    """All of the table."""
    found: list[tuple[str, list[tuple[str, str]]]] = []
    for row in TABLE.read_text().splitlines():
        if row.startswith("== "):
            found.append((row[3:].strip(), []))
        elif " | " in row and not row.startswith("#"):
            typed, _, meant = row.partition(" | ")
            found[-1][1].append((typed.strip(), meant.strip()))
    return [Evening(label, tuple(lines)) for label, lines in found]


class Landed(Struct):
    """What became of a line: facts, or a question."""

    kept: list[Reading]
    asked: str = ""
    remarked: bool = False
    state_began: bool = False


def typed(hand: JobInHand, line: str, *, sure: bool = False) -> Landed:
    """Type a line as somebody would; what is asked about is confirmed only by who is sure."""
    before, state, entries = len(hand.file.facts()), state_of(hand.job), len(hand.file.logbook())
    try:
        understood = hand.line(line)
        if understood.question and not sure:
            return Landed([], understood.question)
        hand.take_line(understood)
    except UserError as trouble:
        return Landed([], str(trouble))
    remarked = any(e.kind == "remark" for e in hand.file.logbook()[entries:])
    return Landed(hand.file.facts()[before:], "", remarked, state_of(hand.job) != state)


def wrong(hand: JobInHand, landed: Landed, line: str, meant: str) -> str:
    """What is wrong with how a line landed; empty where it is as meant, or was asked about."""
    if landed.asked:
        return ""
    if meant == "ask":
        return f"kept, not asked: {said(landed.kept)}" if landed.kept or landed.remarked else ""
    if meant == "state":
        return "" if landed.state_began else "no state began"
    if meant == "remark":
        return "" if landed.remarked and not landed.kept else f"is a remark; kept {said(landed.kept)}"
    if meant.startswith("stands"):
        return _stands(hand, landed, line, meant.split()[1:])
    if meant.startswith("event"):
        return _event(hand, landed, meant)
    return "; ".join(x for one in meant.split(";") if (x := _reading(hand, landed, one.strip())))


def said(rows: list[Reading]) -> str:
    return ", ".join(f"{r.place}={r.value:g}{r.quantity} {r.known}" for r in rows) or "nothing"


def _stands(hand: JobInHand, landed: Landed, line: str, words: list[str]) -> str:
    read = [r for r in landed.kept if r.known == "read" and r.place not in ("mains", "ambient")]
    if read:
        return f"kept as a reading: {said(read)}"
    standing, text = hand.lines.standing, " ".join(words)
    told: list[tuple[object, float]] = []
    named = [o.id for o in hand.job.design.outputs() if line.startswith(o.name)]
    output = named[0] if named else hand.output_id or ""
    for what, figure in re.findall(r"(@|set |mains |room )([\d.]+)", text):
        load = standing.loads.get(output)
        found = {
            "@": load.amps if load is not None else None,
            "set ": standing.set_V.get(output),
            "mains ": standing.mains_V,
            "room ": standing.room_C,
        }[what]
        told.append((found, float(figure)))
    off = [f"{want:g} but {has} stands" for has, want in told if "R" not in text and has != want]
    return ", ".join(off)


def _event(hand: JobInHand, landed: Landed, meant: str) -> str:
    word = re.match(r"event ([a-z ]+?)(?: [@+]|$)", meant)
    assert word is not None
    own = next((r for r in landed.kept if r.quantity == "event"), None)
    if own is None or own.range != word[1].strip():
        return f"kept {said(landed.kept)}"
    return _conditions(landed.kept, own, hand, meant)


def _reading(hand: JobInHand, landed: Landed, meant: str) -> str:
    place, _, rest = meant.partition("=")
    figure = re.match(r"(-?[\d.]+|inf)(mVpp|m?V|Ah|Wh|A|C|W|mH|uF|rpm|dB|turns|ohm)", rest)
    assert figure is not None, meant
    scale = {"mV": 1e-3, "mVpp": 1e-3, "mH": 1e-3, "uF": 1e-6}.get(figure[2], 1.0)
    value = float(figure[1]) * scale
    unit = {"mVpp": "Vpp", "turns": "turn", "mH": "H", "uF": "F"}.get(figure[2], figure[2])
    own = next(
        (
            r
            for r in landed.kept
            if r.known == "read" and r.place == place and r.quantity == unit and math.isclose(r.value, value)
        ),
        None,
    )
    if own is None:
        return f"kept {said(landed.kept)}"
    return _conditions(hand.file.facts(), own, hand, rest[figure.end() :])


def _conditions(rows: list[Reading], own: Reading, hand: JobInHand, meant: str) -> str:
    """What is wrong with the conditions of a reading."""
    at = [r for r in rows if r.scan == own.scan]
    output = own.place if own.place in {o.id for o in hand.job.design.outputs()} else hand.output_id or ""
    found = []
    amps = next((r.value for r in at if r.place == output and r.quantity == "A" and r is not own), None)
    load = re.search(r"@([\d.?]+)", meant)
    if load is not None:
        want = None if load[1] == "?" else float(load[1])
        if (want is None) != (amps is None) or (
            want is not None and not math.isclose(want, amps or 0, rel_tol=3e-3)
        ):
            found.append(f"amps {amps}")
    for word, place in (("set", set_of(output)), ("mains", "mains"), ("room", "ambient")):
        told = re.search(rf"{word}([\d.]+)", meant)
        has = next((r.value for r in at if r.place == place), None)
        if told is not None and (has is None or not math.isclose(has, float(told[1]))):
            found.append(f"{word} {has}")
    later = re.search(r"\+(\d+)", meant)
    has = next((r.value for r in at if r.place == "clock"), None)
    if later is not None and has != float(later[1]):
        found.append(f"clock {has}")
    return ", ".join(found)


def played(evening: Evening, folder: Path) -> Iterator[tuple[str, str, Landed, str]]:
    """Each line with what it means, how it landed, and what is wrong with that."""
    job = readings_first("Shelf supply", evening.label)
    hand = JobInHand(JobFile.create(folder / "evening.tensi", job), Quiet())  # type: ignore[arg-type]
    try:
        for line, meant in evening.lines:
            landed = typed(hand, line)
            trouble = wrong(hand, landed, line, meant)
            if landed.asked and meant not in ("ask", "remark"):
                # Whoever meant it says so once more, and it has to be that then.
                again = typed(hand, line, sure=True)
                trouble = f"asked in vain: {again.asked}" if again.asked else wrong(hand, again, line, meant)
            yield line, meant, landed, trouble
    finally:
        hand.file.close()


def main(first: int = 1, last: int = 10_000) -> int:
    lines = bad = asked = needlessly = 0
    where = "/dev/shm" if Path("/dev/shm").is_dir() else None
    for number, evening in enumerate(evenings(), 1):
        if not first <= number <= last:
            continue
        with tempfile.TemporaryDirectory(dir=where) as folder:
            for line, meant, landed, trouble in played(evening, Path(folder)):
                lines += 1
                asked += bool(landed.asked)
                bad += bool(trouble)
                if landed.asked and meant not in ("ask", "remark"):
                    needlessly += 1
                    print(f"{number} asked: {line} [{meant}]: {landed.asked}")
                if trouble:
                    print(f"{number} WRONG: {line} [{meant}]: {trouble}")
    print(
        f"{lines} lines: {bad} kept as something else, {asked} asked about ({needlessly} of them needlessly)"
    )
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main(*(int(x) for x in sys.argv[1:3])))
