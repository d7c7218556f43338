"""Plates after edits: nothing is printed that the newest state of the supply has not shown.

`python -m benchmarks.edited [EDITS] [SEED]`: evenings as in `sessions`, and after each ten edits at random,
of what is electrical, of what is wished for, of the place, of the campaign; answers to what is asked; states
that are said; undone and done again. What is printed is held against the lines alone.
"""

import re
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.sessions import BIT, LABELS, Oracle, _done, begun, lines_of, outlets_of
from tensimeter.app.job_in_hand import JobInHand
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, new_link, with_link, with_test, without_test
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import open_state
from tensimeter.core.model.tests import LineRegulation, LoadRegulation
from tensimeter.core.plate.rating import Plate, plate
from tensimeter.core.quantity import parse

EACH = 10
#: What was said of mains and room.
Said = dict[str, list[float]]


def edit_of(job: Job, rng: np.random.Generator) -> tuple[str, Job]:
    """An edit at random: what it is called, and the job with it."""
    outputs = job.design.outputs()
    output = outputs[int(rng.integers(len(outputs)))]
    share = float(rng.choice([0.5, 0.9, 1.1, 2.0]))
    of = {
        "more is wanted": lambda: with_link(job, changed(output, full_load_A=output.full_load_A * share)),
        "other volts": lambda: with_link(job, changed(output, nominal_V=round(output.nominal_V * share, 2))),
        "a tighter band": lambda: with_link(job, changed(output, tolerance=0.02)),
        "another name": lambda: with_link(job, changed(output, name=f"{output.name} b"[:20])),
        "another place": lambda: job.model_copy(
            update={"settings": changed(job.settings, mains_V=float(rng.choice([120.0, 240.0])))}
        ),
        "a warmer room": lambda: job.model_copy(
            update={"settings": changed(job.settings, ambient_C=float(rng.choice([10.0, 40.0])))}
        ),
        "a test more": lambda: with_test(job, LineRegulation(id=f"line-{rng.integers(9)}", output=output.id)),
        "a test again": lambda: with_test(
            job, LoadRegulation(id=f"load-{rng.integers(9)}", output=output.id)
        ),
        "a test out": lambda: without_test(
            job, str(rng.choice([t.id for t in job.campaign.tests] or ["none"]))
        ),
        "an outlet more": lambda: new_link(job, f"output AUX {rng.integers(9)} 5V 1A", None),
    }
    name = str(rng.choice(list(of)))
    return name, of[name]()


def evening(label: str, rng: np.random.Generator, folder: Path, count: int) -> Iterator[str]:
    """One evening and the edits after it; a sentence for each thing that is printed and was not shown."""
    hand = begun(label, folder)
    outlets = outlets_of(hand, rng)
    oracle, said = Oracle(outlets), Said(mains=[], room=[])
    try:
        for line in lines_of(outlets, rng):
            _told(hand, oracle, said, line, rng, folder)
        for _ in range(count):
            what = _edited(hand, oracle, said, rng, folder)
            yield from (f"{what}: {w}" for w in wrong(hand, oracle, said))
    finally:
        hand.file.close()


def _told(
    hand: JobInHand, oracle: Oracle, said: Said, line: str, rng: np.random.Generator, folder: Path
) -> None:
    """A line, heard by the oracle; each point and each condition with the number of its state."""
    known = list(oracle.points)
    try:
        _done(hand, oracle, line, rng, folder)
    except UserError:
        return
    if line.startswith("changed") or line == "supply changed":
        # What stands goes on standing; what was read before is of a state that was.
        oracle.points[:] = known
    number = hand.job.states[-1].number if hand.job.states else 1
    for p in oracle.points:
        p.setdefault("state", number)
    for what, value in re.findall(r"\b(mains|room) ([\d.]+)", line):
        said[what].append(float(value))


def _edited(hand: JobInHand, oracle: Oracle, said: Said, rng: np.random.Generator, folder: Path) -> str:
    kind = rng.random()
    if open_state(hand.job) is not None and kind < 0.5:
        answer = str(rng.choice(["supply changed", "only described"]))
        _told(hand, oracle, said, answer, rng, folder)
        return answer
    if kind < 0.08:
        _told(hand, oracle, said, "changed: pad replaced", rng, folder)
        return "changed"
    if kind < 0.2:
        facts = len(hand.now.readings)
        hand.undo() if kind < 0.15 else hand.redo()
        if len(hand.now.readings) != facts:
            # Of a line that is taken back the oracle knows nothing: edits alone are undone here.
            hand.redo() if kind < 0.15 else hand.undo()
        return "undone"
    if kind < 0.35:
        for line in lines_of(list(oracle.outlets.values()), rng):
            _told(hand, oracle, said, line, rng, folder)
            break
        return "a line more"
    try:
        name, job = edit_of(hand.job, rng)
    except UserError as trouble:
        return f"refused: {trouble}"
    hand.edit(name, job)
    return name


def wrong(hand: JobInHand, oracle: Oracle, said: Said) -> Iterator[str]:
    """What a plate prints and nobody has shown."""
    found = plate(hand.job, hand.now.outcomes(), hand.now.readings, 2e9)
    links = {o.id: o for o in hand.job.design.outputs()}
    for name, of in oracle.outlets.items():
        if name in links:
            of.nominal = links[name].nominal_V
    begun = max([s.number for s in hand.job.states if s.how != "described"], default=1)
    every = oracle.points
    oracle.points = [p for p in every if int(str(p["state"])) >= begun]
    yield from _ratings(hand, oracle, found)
    oracle.points = every
    yield from _circumstances(found, said)


def _ratings(hand: JobInHand, oracle: Oracle, found: Plate) -> Iterator[str]:
    links = {o.id: o for o in hand.job.design.outputs()}
    for outlet in found.outlets:
        rated = [
            e for e in outlet.entries if e.key in ("continuous", "minutes", "moments", "no_load", "reach")
        ]
        if rated and open_state(hand.job) is not None:
            yield f"{outlet.name} is rated while it is asked whether the supply was changed"
        for e in rated:
            if e.key == "reach" or outlet.output not in oracle.outlets:
                continue
            most = oracle.most(outlet.output, links[outlet.output].tolerance)
            if e.value is not None and (most is None or e.value > most + BIT):
                yield f"{outlet.name} is claimed to {e.value:g} A, the lines show {most}"


def _circumstances(found: Plate, said: Said) -> Iterator[str]:
    for e in found.whole:
        if e.key == "mains" and "V~" in e.text:
            volts = [parse(x) for x in re.findall(r"[\d.]+", e.text.split("V~")[0])]
            if (
                not said["mains"]
                or min(volts) < min(said["mains"]) - 1
                or max(volts) > max(said["mains"]) + 1
            ):
                yield f"“{e.text}”, said were {sorted(said['mains'])}"
        if e.key == "room":
            heat = [float(x) for x in re.findall(r"-?[\d.]+", e.text)]
            if not said["room"] or min(heat) < min(said["room"]) - 1 or max(heat) > max(said["room"]) + 1:
                yield f"“{e.text}”, said were {sorted(said['room'])}"


def main(edits: int, seed: int) -> int:
    bad = 0
    rng = np.random.default_rng(seed)
    where = "/dev/shm" if Path("/dev/shm").is_dir() else None
    for k in range(-(-edits // EACH)):
        label = LABELS[k % len(LABELS)]
        with tempfile.TemporaryDirectory(dir=where) as folder:
            for trouble in evening(label, rng, Path(folder), EACH):
                bad += 1
                print(f"{k}, {label}: {trouble}")
    print(f"{edits} edits: {bad} plates that print what was not shown")
    return 1 if bad else 0


if __name__ == "__main__":
    given = [int(x) for x in sys.argv[1:]]
    sys.exit(main(given[0] if given else 1000, given[1] if len(given) > 1 else 33))
