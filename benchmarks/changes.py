"""How often two runs are told rightly, and a second way back is found, over seeded ones.

python -m benchmarks.changes [PAIRS]
"""

import sys
from collections import Counter

import numpy as np

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Campaign, Job
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.parts.donor import Donor
from tensimeter.core.path import Design, OutputLink, UnitLink
from tensimeter.core.testplan.plan import plan
from tensimeter.core.tuning.before_after import TwoRuns, compare, laps
from tensimeter.core.tuning.disagreement import disagreement

METER = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)
PANEL = Accuracy(of_reading=0.01, counts=3, resolution=0.01)


def job() -> Job:
    unit = Donor(id="unit", name="Unit", no_load_V=12.0, rated_A=10, rated_W=120, output_resistance_ohm=0.03)
    links = (
        UnitLink(id="source", name="Source", part="unit"),
        OutputLink(id="out", name="OUT", fed_by="source", nominal_V=12, full_load_A=8),
    )
    tests = (LoadRegulation(id="regulation", output="out"),)
    return Job(name="pairs", stock=(unit,), design=Design(links=links), campaign=Campaign(tests=tests))


class Bench:
    """One meter with a gain and an offset of its own, and a supply that is changed by so many volts."""

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng = rng
        self.gain, self.offset = rng.uniform(-1, 1, 2) * (METER.of_reading, METER.offset)
        self.number = 0

    def run(self, supply: Job, run: int, more_V: float) -> list[Reading]:
        rows = []
        for step in plan(supply, supply.campaign.tests[0]).steps:
            true = 12.0 - 0.03 * step.set_A + more_V - 0.4
            volts = true * (1 + self.gain) + self.offset
            volts += METER.noise_counts * METER.resolution * self.rng.standard_normal()
            scan = self.number
            for quantity, value in (("V", round(volts, 3)), ("A", step.set_A)):
                self.number += 1
                rows.append(
                    Reading(scan, float(self.number), "out", quantity, value, "meter", METER, "four-wire",
                            "instrument", test="regulation", step=step.index, run=run, id=self.number)
                )  # fmt: skip
        return rows


def told(supply: Job, rng: np.random.Generator, more_V: float) -> TwoRuns:
    bench = Bench(rng)
    rows = bench.run(supply, 1, 0.0) + bench.run(supply, 2, more_V)
    worked_out = plan(supply, supply.campaign.tests[0])
    first, second = laps(supply, worked_out, rows)
    return compare(supply, worked_out, first, second)


def second_returns(count: int, rng: np.random.Generator) -> Counter[str]:
    """What is said of a panel past whose shunt 5 to 50 % go back, read with and without all else joined."""
    amps = np.array([0.5, 1.0, 2.0, 3.0, 4.0, 2.0, 4.0])
    alone = np.array([False] * 5 + [True] * 2)
    found: Counter[str] = Counter()
    for _ in range(count):
        part = np.where(alone, 0.0, rng.uniform(0.05, 0.5))
        shown = []
        for true, accuracy in ((amps * (1 - part), PANEL), (amps, METER)):
            gain, offset = rng.uniform(-1, 1, 2)
            read = true * (1 + gain * accuracy.of_reading) + offset * accuracy.offset
            read += accuracy.noise_counts * accuracy.resolution * rng.standard_normal(len(amps))
            shown.append(np.round(read / accuracy.resolution) * accuracy.resolution)
        said = disagreement("A", *shown, PANEL, METER, low_side=True, draws_A=0.02, alone=alone)
        found[said.explanations[0].key] += 1
        found["leads named"] += any(e.key == "lead_drop" for e in said.explanations)
    return found


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    supply, rng = job(), np.random.default_rng(4)
    print("no change:", Counter(told(supply, rng, 0.0).verdict for _ in range(count)))
    half = told(supply, rng, 0.0).gain.half_width
    for sign, words in ((1, "nearer"), (-1, "farther")):
        changed = [told(supply, rng, sign * 2 * half).verdict for _ in range(count)]
        print(f"{words} by twice the uncertainty ({2 * half * 1e3:.2f} mV):", Counter(changed))
    print("second return:", second_returns(100, rng))


if __name__ == "__main__":
    main()
