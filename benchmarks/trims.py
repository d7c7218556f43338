"""How often two trims that act on one another are both set within three rounds.

python -m benchmarks.trims [SUPPLIES]
"""

import sys

import numpy as np

from tensimeter.core.tuning.turning import HAND, Turned, behind_play, sensitivity, turns_for

PLAY, TOLERANCE, METER_SD = 0.125, 0.005, 0.001
TARGETS = {"a": 12.0, "b": 5.0}


class Bench:
    """A supply of two screws with play, and a hand that turns them not quite as told."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng = rng
        main = rng.uniform(0.3, 1.2, 2) * rng.choice([-1, 1], 2)
        cross = rng.uniform(-0.6, 0.6, 2)
        self.matrix = np.array([[main[0], cross[0] * main[0]], [cross[1] * main[1], main[1]]])
        self.rest = np.array(list(TARGETS.values())) * (1 + rng.uniform(-0.08, 0.08, 2))
        self.shafts: list[np.ndarray] = [np.zeros(2)]
        self.log: list[tuple[np.ndarray, np.ndarray]] = []

    def turn(self, screw: int, to: float) -> None:
        shaft = self.shafts[-1].copy()
        shaft[screw] = to
        self.shafts.append(shaft)

    def read(self) -> np.ndarray:
        """What both figures read; kept with where the builder thinks that the screws stand."""
        told = np.array(self.shafts)
        really = told + 0.0
        really[1:] += HAND / 2 * self.rng.uniform(-1, 1, really[1:].shape) * (np.diff(told, axis=0) != 0)
        at = [behind_play(really[:, k], PLAY)[-1] + PLAY for k in range(2)]
        figures = self.rest + self.matrix @ np.array(at) + METER_SD * self.rng.standard_normal(2)
        self.log.append((told[-1], figures))
        return figures

    def turned(self) -> Turned:
        turns, figures = (np.array(x) for x in zip(*self.log, strict=True))
        return Turned(("s1", "s2"), ("a", "b"), turns, figures, np.full(2, METER_SD))


def rounds(rng: np.random.Generator) -> int:
    """Rounds until both are held; 9 where they are not within eight."""
    bench = Bench(rng)
    bench.read()
    for screw in (0, 1):
        bench.turn(screw, 0.5)
        bench.read()
    for n in range(1, 9):
        found = sensitivity(bench.turned())
        for turn in turns_for(found, TARGETS, {}, ("s1", "s2")):
            screw = ("s1", "s2").index(turn.screw)
            if turn.past:
                bench.turn(screw, turn.ends_at - turn.past)
                bench.log.append((bench.shafts[-1], np.full(2, np.nan)))
            bench.turn(screw, turn.ends_at)
            bench.log.append((bench.shafts[-1], np.full(2, np.nan)))
        figures = bench.read()
        if all(abs(f - t) <= TOLERANCE * t for f, t in zip(figures, TARGETS.values(), strict=True)):
            return n
    return 9


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    rng = np.random.default_rng(3)
    taken = [rounds(rng) for _ in range(count)]
    print({n: taken.count(n) for n in sorted(set(taken))}, f"within three: {sum(n <= 3 for n in taken)}")


if __name__ == "__main__":
    main()
