"""Benches with two to four trims, set by following what is advised to the letter: how soon, and how far past.

python -m benchmarks.trims [BENCHES] [SEED]
"""

import sys
from collections.abc import Iterator

import numpy as np

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import AS_SAID, Reading
from tensimeter.core.tuning.trim_edits import with_trim
from tensimeter.core.tuning.trim_words import trims_asked
from tensimeter.core.tuning.trims import Trimming, trimming
from tensimeter.core.tuning.turning import behind_play
from tensimeter.demo.library import demo_job

PLACES = ("mount", "hub", "mount-panel", "hub-panel")
ROUNDS, OVER = 6, 0.10
METER = Accuracy(of_reading=0.0002, counts=2, resolution=0.001)


class Bench:
    """Figures that screws move: coupled, with play, between stops, read to a millivolt, set by a hand."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng, self.count = rng, int(rng.integers(2, 5))
        k = self.count
        job = demo_job("ridge-pier")
        self.nominal = np.array([13.6, 5.2, 13.6, 5.2])[:k]
        own = rng.uniform(0.02, 0.2, k) * self.nominal * rng.choice([-1, 1], k)
        cross = rng.uniform(-0.3, 0.3, (k, k)) * (1 - np.eye(k)) * own
        self.matrix = np.diag(own) + cross
        off = rng.uniform(-0.08, 0.08, k) * self.nominal
        needed = np.linalg.solve(self.matrix, -off)
        self.rest = self.nominal + off
        self.play, share = rng.uniform(0, 0.25, k), rng.uniform(0, 1, k)
        self.share = share
        # The stops leave room for what is needed, and for coming back to it from beyond.
        for n in range(k):
            up, down = max(needed[n], 0) + rng.uniform(1, 3), max(-needed[n], 0) + rng.uniform(1, 3)
            job = with_trim(job, f"Screw {n}", PLACES[n], up=f"{up:.2f}", down=f"{down:.2f}")
        self.job = job
        self.told = [np.zeros(k)]
        self.really = [np.zeros(k)]
        self.rows: list[Reading] = []

    def turn(self, screw: str, to: float) -> None:
        k = [s.id for s in self.job.assembly.trims].index(screw)
        told, really = self.told[-1].copy(), self.really[-1].copy()
        told[k], really[k] = to, to + 0.01 * self.rng.uniform(-1, 1)
        self.told.append(told)
        self.really.append(really)
        self._keep(screw, "turn", round(to, 2))

    def figures(self) -> np.ndarray:
        """What is there now."""
        shafts = np.array(self.really)
        at = [behind_play(shafts[:, k], self.play[k], self.share[k]) for k in range(self.count)]
        return self.rest + self.matrix @ np.array([a[-1] - a[0] for a in at])

    def read(self, place: str) -> None:
        k = PLACES.index(place)
        value = float(self.figures()[k] + 3e-4 * self.rng.standard_normal()) if k < self.count else 0.0
        self._keep(place, "V", round(value, 3))
        if not place.endswith("-panel"):
            self._keep(place, "A", 0.0, said=True)

    def _keep(self, place: str, quantity: str, value: float, *, said: bool = False) -> None:
        scan = len(self.told)
        accuracy = METER if quantity == "V" else None
        row = Reading(scan, float(scan), place, quantity, value, "meter", accuracy, "four-wire", "typed",  # type: ignore[arg-type]
                      range=AS_SAID if said else "", id=len(self.rows) + 1)  # fmt: skip
        self.rows.append(row)


def followed(bench: Bench, most: int = 80) -> Iterator[tuple[Trimming, float]]:
    """What is advised and done, one answer after another; how far the higher output is over its nominal."""
    for _ in range(most):
        found = trimming(bench.job, bench.rows)
        yield found, float(np.max((bench.figures() / bench.nominal - 1)[:2]))
        if found.held:
            return
        for asked in trims_asked(bench.job, found):
            if asked.quantity == "turn":
                bench.turn(asked.place, asked.to)
            elif asked.quantity == "V":
                bench.read(asked.place)


def outcome(rng: np.random.Generator) -> tuple[int, float, bool]:
    """Rounds until all hold (a screw is turned once in one), the most over nominal, and whether they do."""
    bench = Bench(rng)
    turned, over, held = dict.fromkeys((s.id for s in bench.job.assembly.trims), 0), 0.0, False
    for found, above in followed(bench):
        over, held = max(over, above), found.held
        if not held and found.next is not None and not found.unread:
            turned[found.next.screw] += 1
    return max(turned.values()), over, held


def main() -> int:
    given = [int(x) for x in sys.argv[1:]]
    count, seed = (*given, *(50, 3)[len(given) :])
    rng = np.random.default_rng(seed)
    made = [outcome(rng) for _ in range(count)]
    soon = sum(held and n <= ROUNDS for n, _, held in made)
    over = max(o for _, o, _ in made)
    print(f"{count} benches: {soon} set within {ROUNDS} rounds, {sum(h for *_, h in made)} in all; "
          f"rounds {sorted(n for n, *_ in made)}; highest {over:+.1%} over nominal")  # fmt: skip
    return 0 if soon >= 0.96 * count and over <= OVER else 1


if __name__ == "__main__":
    sys.exit(main())
