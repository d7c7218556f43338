"""Displays, ammeters, trims and causes: is each figure held beside what was read with it, and nothing else?

`python -m benchmarks.pairing [COUNT] [SEED]`: evenings in random order at a supply with two outlets, a trim
and a path; displays, a clamp, turns, settings, other mains and other states between. The oracle hears the
lines alone.
"""

import math
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from benchmarks.sessions import Quiet
from tensimeter.app.job_in_hand import JobInHand
from tensimeter.core.measurement.readings import counting
from tensimeter.core.model.states import of_newest
from tensimeter.core.testplan.compared_pairs import compared_pairs
from tensimeter.core.tuning.observed import observed
from tensimeter.core.tuning.trim_edits import with_trim
from tensimeter.core.tuning.trims import trimming
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile

OUTLETS = {"mount": 13.6, "hub": 5.2}
#: What a turn of the screw does, V.
A_TURN = 0.4


class Bench:
    """What is true, and what was said of it: every figure that is typed is told apart by its last digits."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng, self.number = rng, 0
        self.turns = 0.0
        self.shift = 0.0
        #: What stands, as the lines say it.
        self.amps: dict[str, float] = {}
        self.mains: float | None = None
        self.moment = 0
        self.read_in: set[str] = set()
        #: By the figure: place, amps that stand, moment, state, at other mains.
        self.volts: dict[float, dict[str, object]] = {}
        self.shown: dict[float, tuple[str, int]] = {}
        self.clamps: dict[int, dict[str, float]] = {}
        self.state = 1

    def figure(self, value: float) -> float:
        """It, told apart from all others by its last digits."""
        self.number += 1
        return round(round(value, 2) + 1e-6 * self.number, 6)

    def moved(self) -> None:
        self.moment += 1
        self.read_in = set()

    def of_moment(self, what: str) -> None:
        if what in self.read_in:
            self.moved()
        self.read_in.add(what)

    def lines(self) -> Iterator[str]:
        for _ in range(int(self.rng.integers(8, 30))):
            yield from self.one()

    def one(self) -> Iterator[str]:
        rng, kind = self.rng, self.rng.random()
        name = str(rng.choice(list(OUTLETS)))
        if kind < 0.30:
            if rng.random() < 0.6:
                amps = round(float(rng.uniform(0, 4)), 1)
                if self.amps != {name: amps}:
                    self.moved()
                self.amps = {name: amps}
                yield f"{name} {self._volts(name)} @{amps}A"
            else:
                yield f"{name} {self._volts(name)}"
        elif kind < 0.45:
            shown = self.figure(OUTLETS[name] * 1.01)
            self.of_moment(f"{name}-panel V")
            self.shown[shown] = (name, self.moment)
            yield f"{name}-panel {shown:.6f}V"
        elif kind < 0.55:
            shown = self.figure(self.amps.get(name, 1.0) * 1.02)
            self.of_moment(f"{name}-panel A")
            self.shown[shown] = (name, self.moment)
            yield f"{name}-panel {shown:.6f}A"
        elif kind < 0.65:
            amps = self.figure(self.amps.get(name, 1.0))
            self.of_moment(f"{name} A")
            self.clamps.setdefault(self.moment, {})[name] = amps
            yield f"{name} {amps:.6f}A"
        elif kind < 0.75:
            self.turns = round(float(rng.uniform(-1, 1)), 2)
            # Turned, it is another supply: what is read then is of no moment before.
            self.moved()
            yield f"hub-volts {self.turns:.2f} turn"
        elif kind < 0.82:
            mains = float(rng.choice([207.0, 230.0, 253.0]))
            if mains != self.mains:
                self.moved()
            self.mains = mains
            self.of_moment("mains V")
            yield f"mains {mains:g}V"
        elif kind < 0.88:
            self.state += 1
            self.amps, self.shift = {}, self.shift + float(rng.choice([-0.2, 0.2]))
            self.moved()
            yield "changed: another unit put in"
        else:
            yield f"{name} @unloaded"
            self._unloaded(name)

    def _unloaded(self, name: str) -> None:
        """Said of volts whose amps nobody had said, it is of those; else of what comes next."""
        mine = [v for v in self.volts.values() if v["moment"] == self.moment and v["place"] == name]
        if self.amps == {name: 0.0}:
            return
        answers = f"{name} V" in self.read_in and name not in self.amps
        for v in mine if answers else ():
            v["amps"] = {**self.amps, name: 0.0}
        if self.amps or not answers:
            self.moved()
        self.amps = {name: 0.0}

    def _volts(self, name: str) -> str:
        amps = self.amps.get(name)
        moved = A_TURN * self.turns if name == "hub" else 0.0
        value = self.figure(OUTLETS[name] + moved + self.shift - 0.03 * (amps or 0.0))
        self.of_moment(f"{name} V")
        elsewhere = self.mains is not None and abs(self.mains - 230) > 7
        self.volts[value] = {
            "place": name, "amps": dict(self.amps), "moment": self.moment, "state": self.state,
            "turns": self.turns, "elsewhere": elsewhere,
        }  # fmt: skip
        return f"{value:.6f}V"


def evening(rng: np.random.Generator, folder: Path) -> Iterator[str]:
    job = with_trim(
        demo_job("ridge-pier").model_copy(update={"demo": False}), "Hub volts", "hub", up="2", down="2"
    )
    hand = JobInHand(JobFile.create(folder / "bench.tensi", job), Quiet())  # type: ignore[arg-type]
    bench = Bench(rng)
    try:
        for line in bench.lines():
            hand.take_line(hand.line(line))
        yield from _displays(hand, bench)
        yield from _causes(hand, bench)
        yield from _trims(hand, bench)
    finally:
        hand.file.close()


def _displays(hand: JobInHand, bench: Bench) -> Iterator[str]:
    """Each figure of a display is beside what was read of its output at that moment."""
    for subject, pairs in compared_pairs(hand.job, of_newest(hand.job, counting(hand.now.readings))):
        if not subject.place.endswith("-panel"):
            continue
        for pair in pairs:
            name, moment = bench.shown[pair.shown.value]
            if pair.reference.known != "read" or pair.reference.place != name:
                yield f"{pair.shown.value} beside {pair.reference.place} {pair.reference.known}"
            elif pair.reference.quantity == "V":
                of = bench.volts[pair.reference.value]
                if of["moment"] != moment:
                    yield f"{pair.shown.value} beside {pair.reference.value} of another moment"
            elif bench.clamps.get(moment, {}).get(name) != pair.reference.value:
                yield f"{pair.shown.value} beside {pair.reference.value} A of another moment"


def _causes(hand: JobInHand, bench: Bench) -> Iterator[str]:
    """Each figure that causes are told by is of this state, at the design's mains, with its own amps."""
    seen = observed(hand.job, hand.now.readings, hand.now.plans)
    for f in seen.figures:
        of = bench.volts.get(f.value)
        if of is None or f.quantity != "V":
            continue
        if of["state"] != bench.state or of["elsewhere"]:
            yield f"{f.value} of another state or mains"
            continue
        amps = dict(of["amps"])  # type: ignore[call-overload]
        amps.update(bench.clamps.get(int(str(of["moment"])), {}))
        if of["place"] not in amps:
            yield f"{f.value} with amps that nobody said"
        for name, has in ((o, float(a[f.case])) for o, a in seen.loads.items()):
            if not math.isclose(has, round(amps.get(name, 0.0), 6), abs_tol=2e-6):
                yield f"{f.value} with {has} A at {name}, said was {amps}"


def _trims(hand: JobInHand, bench: Bench) -> Iterator[str]:
    """What a turn is told to do is what it does, where it is told for certain."""
    found = trimming(hand.job, hand.now.readings).found
    if found is None or not found.known[0]:
        return
    told = found.per_turn("hub", "hub-volts")
    # What is true is rounded to 10 mV here, which the meter's digits do not tell.
    if not told.low - 0.02 <= A_TURN <= told.high + 0.02:
        ends = f"{told.low:.3f} to {told.high:.3f}"
        yield f"a turn is told to do {told.value:.3f} V ({ends}), it does {A_TURN} V"


def main(count: int, seed: int) -> int:
    bad, rng = 0, np.random.default_rng(seed)
    where = "/dev/shm" if Path("/dev/shm").is_dir() else None
    for k in range(count):
        with tempfile.TemporaryDirectory(dir=where) as folder:
            for wrong in evening(rng, Path(folder)):
                bad += 1
                print(f"{k}: {wrong}")
    print(f"{count} evenings: {bad} figures beside what they were not read with")
    return 1 if bad else 0


if __name__ == "__main__":
    given = [int(x) for x in sys.argv[1:]]
    sys.exit(main(given[0] if given else 2000, given[1] if len(given) > 1 else 33))
