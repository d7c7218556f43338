"""Plates of supplies that read anything: no printed figure beyond what was held, nothing that missed.

`python -m benchmarks.plates [SETS]`: the oracle reads the words of each plate and the raw readings alone.
"""

import re
import sys
from collections.abc import Iterator
from functools import cache

import numpy as np
from shapely.geometry import MultiPoint, Point

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import AS_SAID, Reading
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.heat_tests import Soak
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import TestRecord
from tensimeter.core.model.tests import Corner, LoadRegulation, ReachPoints
from tensimeter.core.path import OutputLink
from tensimeter.core.plate.rating import Plate, plate
from tensimeter.core.quantity import parse
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.step import Plan
from tensimeter.demo.library import demo_job

ACCURACIES = (
    Accuracy(of_reading=0.0005, counts=2, resolution=0.001),
    Accuracy(of_reading=0.005, counts=3, resolution=0.01),
    Accuracy(of_reading=0.02, counts=5, resolution=0.1),
)
#: How far an allowed interval may be off for rounding in the last bit of a float.
BIT = 1e-6


@cache
def planned(name: str) -> tuple[Job, OutputLink, tuple[Plan, ...]]:
    """A real supply like a demo's, and its tests of one output worked out."""
    job = demo_job(name).model_copy(update={"demo": False})
    output = job.design.outputs()[0]
    tests: list[TestRecord] = [LoadRegulation(id="regulation", output=output.id)]
    tests.append(Soak(id="soak", output=output.id))
    if output.adjustable:
        corners = tuple(Corner(volts=v, amps=a, why="") for v, a in ((2, 1), (5, 1.5), (12, 1.2), (18, 0.5)))
        tests.append(ReachPoints(id="reach", output=output.id, points=corners))
    job = job.model_copy(update={"campaign": job.campaign.model_copy(update={"tests": tuple(tests)})})
    return job, output, tuple(plan(job, t) for t in tests)


def readings_of(output: OutputLink, plans: tuple[Plan, ...], rng: np.random.Generator) -> list[Reading]:
    """Readings at steps of the tests: right, a little off, far off, missing, out of order, taken twice."""
    rows: list[Reading] = []
    calm = bool(rng.random() < 0.8)
    order = [(p, s) for p in plans for s in p.steps for _ in range(rng.integers(0, 3))]
    for k in rng.permutation(len(order)).tolist():
        worked_out, step = order[k]
        wanted = step.trim_V or output.nominal_V
        # What fails once in a state has failed: in most sets little does.
        chances = [0.6, 0.37, *[0.03 / 4] * 4] if calm else [1 / 6] * 6
        off = rng.choice([0.0, 0.3, 1.0, 1.02, 3.0, 30.0], p=chances) * rng.choice([-1, 1]) * output.tolerance
        volts = float(max(wanted * (1 + off), 0.0))
        amps = float(max(step.set_A * rng.choice([0.0, 0.5, 1.0, 1.0, 1.0, 1.01, 3.0]), 0.0))
        scan, at = len(rows) + 1, 1e9 + 60 * len(rows)
        how = ACCURACIES[rng.integers(len(ACCURACIES))]
        test, index = worked_out.test.id, (None if rng.random() < 0.1 else step.index)
        origin = "simulated" if rng.random() < 0.1 else "typed"
        for quantity, value in (("V", volts), ("A", amps)):
            n = len(rows) + 1
            rows.append(
                Reading(scan, at, output.id, quantity, round(value, 3), "m", how, "four-wire", origin,
                        test=test, step=index, id=n)
            )  # fmt: skip
        if step.trim_V is not None:
            rows.append(
                Reading(scan, at, set_of(output.id), "V", step.trim_V, "", None, "two-wire", origin, AS_SAID,
                        test=test, step=index, id=len(rows) + 1)
            )  # fmt: skip
        if worked_out.test.soaks and rng.random() < 0.7:
            hot = float(rng.uniform(20, 140))
            link = getattr(worked_out.test, "link", None) or "front-end"
            n = len(rows) + 1
            rows.append(
                Reading(scan, at, f"{link}-case", "C", hot, "t", None, "four-wire", origin, test=test,
                        step=index, id=n)
            )  # fmt: skip
    return rows


def plate_of(name: str, rows: list[Reading]) -> Plate:
    """What is printed by these readings."""
    job, _, plans = planned(name)
    return plate(job, [outcome(job, p, rows) for p in plans], rows, 2e9)


def wrong(name: str, rows: list[Reading], found: Plate) -> Iterator[str]:
    """What a plate says that its readings do not bear out; by the words and the raw readings alone."""
    job, output, plans = planned(name)
    held, missed = _read(job, output, plans, rows)
    outlet = next(o for o in found.outlets if o.output == output.id)
    own = [m for m in missed if m[2] is None]
    for e in outlet.entries:
        figures = [parse(f) for f in re.findall(r"[\d.]+ m?A", e.text)]
        volts = [parse(f) for f in re.findall(r"[\d.]+ m?V", e.text)]
        if e.key in ("continuous", "minutes", "moments"):
            (amps,) = figures
            if not any(a >= amps - BIT for _, a, set_V in held if set_V is None):
                yield f"{e.text}: not so much was held"
            if any(a <= amps + BIT for _, a, _ in own if a > 0) or any(a == 0 for _, a, _ in own):
                yield f"{e.text}: {min(a for _, a, _ in own):g} A missed"
        elif e.key == "reach" and len(volts) == 1:
            near = [
                a for _, a, set_V in held if abs((set_V or output.nominal_V) - volts[0]) < 0.01 * volts[0]
            ]
            if figures and max(near, default=-1.0) < figures[0] - BIT:
                yield f"{e.text}: not so much was held there"
        elif e.key == "reach":
            if not any(v <= volts[0] + BIT for v, _, _ in held) or not any(
                v >= volts[1] - BIT for v, _, _ in held
            ):
                yield f"{e.text}: not held so far"
            for v, a, _ in missed:
                if volts[0] < v < volts[1] and figures and a < figures[0] - BIT:
                    yield f"{e.text}: {v:g} V {a:g} A missed"
        elif e.key == "corner" and not _within(held, volts[0], figures[0]):
            yield f"{e.text}: no such point was held"


def _within(held: list[tuple[float, float, float | None]], volts: float, amps: float) -> bool:
    """Whether a claim lies between points that were held, as another library sees it, above none."""
    every = MultiPoint([p for v, a, _ in held for p in ((v, a), (v, 0.0))]).convex_hull
    return every.buffer(BIT).covers(Point(volts, amps)) and amps <= max(a for _, a, _ in held) + BIT


def _read(
    job: Job, output: OutputLink, plans: tuple[Plan, ...], rows: list[Reading]
) -> tuple[list[tuple[float, float, float | None]], list[tuple[float, float, float | None]]]:
    """(lowest volts, lowest amps, volts set) of what holds and of what does not, of all that is real."""
    held, missed = [], []
    for p in plans:
        mine = [r for r in rows if r.test == p.test.id and r.origin == "typed"]
        scans: dict[int, dict[str, Reading]] = {}
        for r in mine:
            if r.place == output.id:
                scans.setdefault(r.scan, {})[r.quantity] = r
        said = {r.scan: r.value for r in mine if r.place == set_of(output.id)}
        for scan, both in scans.items():
            v, a, set_V = both["V"], both["A"], said.get(scan)
            share = p.test.allowed if isinstance(p.test, ReachPoints) else output.tolerance
            if v.step is None or not p.test.soaks:
                share = max(share, output.tolerance)
            middle = set_V or output.nominal_V
            set_V = None if middle == output.nominal_V else set_V
            assert v.accuracy is not None
            assert a.accuracy is not None
            half, half_A = v.accuracy.half_width(v.value), a.accuracy.half_width(a.value)
            inside = abs(v.value - middle) + half <= share * middle + BIT
            (held if inside else missed).append((v.value - half, max(a.value - half_A, 0.0), set_V))
    return held, missed


def main(sets: int) -> None:
    rng = np.random.default_rng(18)
    names = ("ridge-pier", "dome-workshop", "finishers-bench")
    bad, rated, reaches = 0, 0, 0
    for k in range(sets):
        name = names[k % 3]
        _, output, plans = planned(name)
        rows = readings_of(output, plans, rng)
        found = plate_of(name, rows)
        rated += found.outlets[0].rated
        reaches += any(e.key == "reach" for e in found.outlets[0].entries)
        for said in wrong(name, rows, found):
            bad += 1
            print(f"set {k}: {said}")
    print(f"{sets} sets of readings: {rated} rated, {reaches} with a reach, {bad} figures not borne out")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000)
