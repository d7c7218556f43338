"""Evenings at a bench, at random: what is claimed after them, against an oracle that reads the lines alone.

`python -m benchmarks.sessions [COUNT] [SEED]`: supplies with a hidden truth, one to four outlets, adjustable
or not; lines in any order, logs, strikes, changes, edits, conditions that nobody said. Counted are amps
that nobody gave, claims that the lines do not bear out, claims that are less than the lines plainly show,
claims that another order or door changes, and claims that grew by anything but a reading that shows them.
"""

import math
import re
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from tensimeter.app.imported_readings import import_log
from tensimeter.app.job_in_hand import JobInHand
from tensimeter.core.correction_line import Correction
from tensimeter.core.errors import UserError
from tensimeter.core.held.claims import claims
from tensimeter.core.model.edits import changed, readings_first, with_link, without_test
from tensimeter.core.path import OutputLink
from tensimeter.core.plate.rating import plate
from tensimeter.core.testplan.plan import plan
from tensimeter.store.corrections import correct
from tensimeter.store.jobfile import JobFile
from tensimeter.store.logs import read_log

LABELS = (
    "12V 5A",
    "0-30V 5A",
    "24V 6.3A",
    "2 × 0-20V 1A",
    "+5V 15A +12V 8A",
    "1.25..27V 1A",
    "+5V 3A +12V 2A +3.3V 4A",
    "4 x 12V 2A",
)
#: A rating is printed to three figures downwards; an interval's last bit.
BIT = 1e-6


class Quiet:
    """Nobody listens."""

    def __getattr__(self, name: str) -> object:
        return lambda *words: None


class Truth:
    """One outlet: its volts at no load, its ohms, where it gives way; what a meter adds."""

    def __init__(self, of: OutputLink, rng: np.random.Generator) -> None:
        nominal, most = of.nominal_V, of.full_load_A
        self.name, self.nominal, self.most, self.adjustable = of.id, nominal, most, of.adjustable
        self.ohms = float(rng.uniform(0.0, 0.06)) * nominal / most
        self.limit = float(rng.uniform(0.4, 1.6)) * most
        self.off = float(rng.normal(0, 0.01))

    def volts(self, amps: float, set_V: float | None, rng: np.random.Generator) -> float:
        base = (set_V or self.nominal) * (1 + self.off)
        if amps > self.limit:
            return round(base * float(rng.uniform(0, 0.7)), 2)
        return round(base - self.ohms * amps + float(rng.normal(0, 0.003)), 2)


def lines_of(outlets: list[Truth], rng: np.random.Generator) -> Iterator[str]:
    """What somebody types of an evening, as people do: some say everything, some nearly nothing."""
    tidy = float(rng.choice([0.2, 0.7, 1.0]))
    stands: dict[str, float | None] = {}
    setting: dict[str, float | None] = {}
    for _ in range(int(rng.integers(4, 16))):
        o = outlets[int(rng.integers(len(outlets)))]
        amps = round(float(rng.choice([0.0, 0.25, 0.5, 0.8, 1.0, 1.3])) * o.most, 2)
        kind = rng.random()
        if kind < 0.08:
            yield f"changed: {rng.choice(['pad replaced', 'second capacitor added', 'new fuse'])}"
            stands.clear()
            continue
        if kind < 0.13:
            yield f"{rng.choice(['room 31C', 'room 18.5C', 'mains 207V', 'mains 231V'])}"
            continue
        if kind < 0.17:
            yield f"{o.name} {rng.choice(['died', 'tripped', 'cut'])}"
            stands[o.name] = None
            continue
        if o.adjustable and kind < 0.35:
            setting[o.name] = round(float(rng.uniform(0.2, 1.0)) * o.nominal, 1)
            yield f"{o.name} set {setting[o.name]}V" if rng.random() < tidy else f"set {setting[o.name]}V"
            if len(outlets) > 1:
                setting.clear()
            continue
        says = rng.random() < tidy
        flows = amps if says or stands.get(o.name) is None else stands[o.name]
        volts = o.volts(flows or 0.0, setting.get(o.name), rng)
        if says:
            stands.clear()
            stands[o.name] = amps
            yield f"{o.name} {volts:.2f}V {'@unloaded' if amps == 0 and rng.random() < 0.5 else f'@{amps}A'}"
        else:
            yield f"{o.name} {volts:.2f}V"
        if rng.random() < 0.06:
            yield "strike"
        if rng.random() < 0.05:
            yield f"log {o.name}"
        if rng.random() < 0.04:
            yield f"take out the tests of {o.name}"
        if rng.random() < 0.15:
            yield f"{o.name}-panel {round(float(flows or 0) * 1.02, 2)}A"


class Oracle:
    """The points of an evening, from its lines alone; read by rules of its own."""

    def __init__(self, outlets: list[Truth]) -> None:
        self.outlets = {o.name: o for o in outlets}
        self.first = outlets[0].name
        self.points: list[dict[str, object]] = []
        self.load: dict[str, float | None] = {}
        self.set: dict[str, float | None] = {}
        self.given: dict[str, set[float]] = {o.name: set() for o in outlets}
        self.struck = 0

    def hear(self, line: str, in_hand: str, number: int) -> None:
        name = next((n for n in sorted(self.outlets, key=len, reverse=True) if line.startswith(n + " ")), "")
        rest = line[len(name) :] if name else line
        own = name or in_hand
        if line.startswith("changed"):
            self.points, self.load = [], {}
            return
        if "-panel" in line or line.startswith(("room", "mains")):
            return
        setting = re.search(r"\bset ([\d.]+)V", rest)
        if setting:
            self.set[own] = float(setting[1])
            return
        if re.search(r"\b(died|tripped|cut)\b", rest):
            self.points.append({"o": own, "V": None, "A": self.load.get(own), "set": self.set.get(own)})
            self.load[own] = None
            return
        said = re.search(r"@(unloaded|[\d.]+)", rest)
        if said:
            # One load goes from outlet to outlet: of the others nobody knows what they carry then.
            self.load = {}
            self.load[own] = 0.0 if said[1] == "unloaded" else float(said[1])
            self.given[own].add(self.load[own] or 0.0)
        volts = re.search(r"(-?[\d.]+)V", rest)
        if volts:
            point = {"o": own, "V": float(volts[1]), "A": self.load.get(own), "set": self.set.get(own)}
            self.points.append({**point, "id": number})

    def read_in_log(self, name: str, rows: list[tuple[float, float]], ids: list[int]) -> None:
        """Rows of a log are points with amps that were read."""
        for (volts, amps), number in zip(rows, ids, strict=True):
            self.points.append({"o": name, "V": volts, "A": amps, "set": self.set.get(name), "id": number})
            self.given[name].add(amps)

    def strike(self, number: int) -> None:
        """A reading of volts counts no more."""
        self.points = [p for p in self.points if p.get("id") != number]

    @staticmethod
    def _set_to_what(o: Truth, p: dict[str, object]) -> bool:
        """Whether nobody can tell what it was set to: it may have been set lower, or have given way."""
        if not o.adjustable or p["set"] is not None or p["V"] is None:
            return False
        return abs(float(str(p["V"])) - o.nominal) > 0.05 * o.nominal

    def most(self, name: str, band: float = 0.05) -> float | None:
        """The most amps that may be claimed of an outlet at its own volts: as said, below what failed."""
        o = self.outlets[name]
        held, failed = [], [math.inf]
        for p in self.points:
            far = p["set"] is not None and abs(float(p["set"]) - o.nominal) > 0.02 * o.nominal  # type: ignore[arg-type]
            if p["o"] != name or far or self._set_to_what(o, p):
                continue
            if p["V"] is None:
                failed.append(float(p["A"] or 0.0))  # type: ignore[arg-type]
            elif p["A"] is not None:
                inside = abs(float(p["V"]) - o.nominal) <= band * o.nominal  # type: ignore[arg-type]
                (held if inside else failed).append(float(p["A"]))  # type: ignore[arg-type]
        least = min(failed)
        if band < 0.05 and math.isfinite(least):
            # What is as near to a failure as amps are known is not plainly below it.
            least = least * (1 - LESS) - LESS_A
        return max((a for a in held if a < least), default=None)


def begun(label: str, folder: Path) -> JobInHand:
    return JobInHand(JobFile.create(folder / "evening.tensi", readings_first("Shelf supply", label)), Quiet())  # type: ignore[arg-type]


def outlets_of(hand: JobInHand, rng: np.random.Generator) -> list[Truth]:
    outputs = hand.job.design.outputs()
    return [Truth(o, rng) for o in outputs]


def rated(hand: JobInHand) -> dict[str, float]:
    """What is printed of each outlet at its own volts, A."""
    now = hand.now
    printed = plate(hand.job, now.outcomes(), now.readings, 2e9)
    own = ("continuous", "minutes", "moments", "no_load")
    return {
        o.output: max((e.value for e in o.entries if e.key in own and e.value is not None), default=-1.0)
        for o in printed.outlets
    }


def evening(label: str, rng: np.random.Generator, folder: Path) -> Iterator[str]:
    """One evening; a sentence for each thing that may not be."""
    hand = begun(label, folder)
    outlets = outlets_of(hand, rng)
    oracle = Oracle(outlets)
    try:
        for line in lines_of(outlets, rng):
            before = rated(hand)
            try:
                _done(hand, oracle, line, rng, folder)
            except UserError as trouble:
                yield f"{line}: refused: {trouble}"
                continue
            now = rated(hand)
            if re.search(r"died|tripped|cut|room|mains|set|panel|take out", line):
                yield from (f"{line}: {o} grew to {a:g} A" for o, a in now.items() if a > before[o] + BIT)
            yield from _borne_out(line, now, oracle)
        yield from _nothing_made_up(hand, oracle)
        yield from _edited(hand, rng)
    finally:
        hand.file.close()


def _done(hand: JobInHand, oracle: Oracle, line: str, rng: np.random.Generator, folder: Path) -> None:
    """Do what a line says; and let the oracle hear it."""
    if line == "strike":
        volts = [r for r in hand.file.readings() if r.quantity == "V" and r.place in oracle.outlets]
        if volts:
            chosen = volts[int(rng.integers(len(volts)))]
            hand.correct(Correction("reading", str(chosen.id), "slipped off"))
            oracle.strike(chosen.id or 0)
        return
    name = line.split()[-1]
    if line.startswith("take out"):
        for test in [t for t in hand.job.campaign.tests if t.output == name]:
            hand.edit("a test out", without_test(hand.job, test.id))
        return
    if line.startswith("log"):
        mine = [t for t in hand.job.campaign.tests if t.output == name and t.kind == "load-regulation"]
        if mine:
            hand.choose_test(mine[0].id)
            _logged(hand, oracle, name, rng, folder)
        return
    in_hand, known = hand.output_id or "", len(hand.file.facts())
    hand.take_line(hand.line(line))
    new = [r.id for r in hand.file.facts()[known:] if r.quantity == "V" and r.known == "read"]
    oracle.hear(line, in_hand, new[0] or 0 if new else 0)


def _logged(hand: JobInHand, oracle: Oracle, name: str, rng: np.random.Generator, folder: Path) -> None:
    o = oracle.outlets[name]
    amps = [round(float(a), 3) for a in rng.uniform(0.05, 1.3, int(rng.integers(2, 7))) * o.most]
    rows = [(o.volts(a, oracle.set.get(name), rng), a) for a in amps]
    path = folder / f"log-{len(oracle.points)}.csv"
    path.write_text("time,volts,amps\n" + "".join(f"{k},{v:.3f},{a:.3f}\n" for k, (v, a) in enumerate(rows)))
    known = len(hand.file.facts())
    log = read_log(path)
    try:
        hand.take_log(log, path.name)
    except UserError:
        # Asked about: what flows or stands may look odd, and is meant.
        hand.take_log(log, path.name)
    ids = [r.id or 0 for r in hand.file.facts()[known:] if (r.place, r.quantity) == (name, "V")]
    oracle.read_in_log(name, rows, ids)


#: What is plainly inside the band, of nominal; and what a claim may stay below it, of it and A.
PLAINLY, LESS, LESS_A = 0.02, 0.06, 0.06


def _borne_out(line: str, now: dict[str, float], oracle: Oracle) -> Iterator[str]:
    for name, amps in now.items():
        most = oracle.most(name)
        if amps >= 0 and (most is None or amps > most + BIT):
            yield f"{line}: {name} is claimed to {amps:g} A, the lines show {most}"
        plainly = oracle.most(name, PLAINLY)
        if plainly is not None and amps < plainly * (1 - LESS) - LESS_A:
            yield f"{line}: {name} is claimed to {amps:g} A, the lines plainly show {plainly}"


def _nothing_made_up(hand: JobInHand, oracle: Oracle) -> Iterator[str]:
    for r in hand.file.facts():
        if r.quantity == "A" and r.place in oracle.given and r.value not in oracle.given[r.place]:
            yield f"{r.place}: {r.value:g} A that nobody gave"
    for c in claims(hand.job, hand.now.outcomes()):
        if c.what == "outlet" and c.reached_A is not None:
            name = next(o.id for o in hand.job.design.outputs() if o.name == c.name)
            most = oracle.most(name)
            if most is None or c.reached_A.value > most + BIT:
                yield f"{c.name}: found {c.reached_A.value:g} A, the lines show {most}"


def _edited(hand: JobInHand, rng: np.random.Generator) -> Iterator[str]:
    """Edits, strikes of what passed and time: nothing may grow by them."""
    before = rated(hand)
    job = hand.job
    output = job.design.outputs()[0]
    wish = changed(output, full_load_A=output.full_load_A * 2)
    hand.edit("more is wanted", with_link(job, wish))
    hand.edit("another place", job.model_copy(update={"settings": changed(job.settings, mains_V=120.0)}))
    yield from (f"an edit: {o} grew to {a:g} A" for o, a in rated(hand).items() if a > before[o] + BIT)
    volts = [r for r in hand.file.readings() if r.quantity == "V" and r.place in before and r.known == "read"]
    if volts:
        chosen = volts[int(rng.integers(len(volts)))]
        nominal = next(o.nominal_V for o in hand.job.design.outputs() if o.id == chosen.place)
        passed = abs(chosen.value - nominal) < 0.045 * nominal
        before = rated(hand)
        correct(hand.file, Correction("reading", str(chosen.id), "slipped off"))
        hand._after_readings()
        grown = [o for o, a in rated(hand).items() if a > before[o] + BIT]
        if passed and grown:
            yield f"striking {chosen.value} V at {chosen.place}, which passed: {grown} grew"


def doors(label: str, rng: np.random.Generator, folder: Path) -> Iterator[str]:
    """The same points typed, typed in another order, and by a log."""
    found = []
    hand = begun(label, folder)
    o = outlets_of(hand, rng)[0]
    hand.file.close()
    amps = [round(float(a), 3) for a in rng.uniform(0, 1.3, int(rng.integers(2, 9))) * o.most]
    rows = [(o.volts(a, None, rng), a) for a in amps]
    for way in ("typed", "shuffled", "log"):
        place = folder / way
        place.mkdir()
        hand = begun(label, place)
        order = rng.permutation(len(rows)).tolist() if way == "shuffled" else range(len(rows))
        if way == "log":
            text = "time,volts,amps\n" + "".join(f"{k},{v:.3f},{a:.3f}\n" for k, (v, a) in enumerate(rows))
            (place / "log.csv").write_text(text)
            worked_out = plan(hand.job, hand.job.campaign.tests[0])
            import_log(hand.file, read_log(place / "log.csv"), worked_out, "log", accept=True)
            hand._after_readings()
        else:
            for k in order:
                hand.take_line(hand.line(f"{o.name} {rows[k][0]:.3f}V (@{rows[k][1]:.3f}A)"))
        found.append(rated(hand)[o.name])
        hand.file.close()
    if max(found) - min(found) > BIT:
        yield f"typed {found[0]:g} A, in another order {found[1]:g} A, by a log {found[2]:g} A: {rows}"


def main(count: int, seed: int) -> int:
    bad = 0
    rng = np.random.default_rng(seed)
    where = "/dev/shm" if Path("/dev/shm").is_dir() else None
    for k in range(count):
        label = LABELS[k % len(LABELS)]
        work = evening if k % 4 else doors
        with tempfile.TemporaryDirectory(dir=where) as folder:
            for wrong in work(label, rng, Path(folder)):
                bad += 1
                print(f"{k}, {label}: {wrong}")
    print(f"{count} evenings: {bad} that may not be")
    return 1 if bad else 0


if __name__ == "__main__":
    given = [int(x) for x in sys.argv[1:]]
    sys.exit(main(given[0] if given else 5000, given[1] if len(given) > 1 else 33))
