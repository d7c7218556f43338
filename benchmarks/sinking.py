"""Random designs with random loads in hand: is each step one that they sink, and is none left out?

`python -m benchmarks.sinking [DESIGNS] [SEED]`: demos with other full loads, and loads of other amps, watts,
volts and ohms; every plan of the campaign that they ask for.
"""

import sys
from collections.abc import Iterator

import numpy as np

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, with_campaign, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.generator import generated
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Plan, Step
from tensimeter.demo.library import demo_job

DEMOS = ("ridge-pier", "dome-workshop", "finishers-bench")
#: Set to whole milliamperes, and near enough.
NEAR = 2e-3


def sunk(load: object, volts: float) -> float:
    """What a load sinks for good at these volts, A: by its amps, its watts and its ohms when fully on."""
    if not 0 < volts <= load.max_V:  # type: ignore[attr-defined]
        return 0.0
    return min(load.max_A, load.max_W / volts, volts / load.on_ohm)  # type: ignore[attr-defined]


def design(rng: np.random.Generator) -> Job:
    job = demo_job(str(rng.choice(DEMOS)))
    for o in job.design.outputs():
        amps = round(o.full_load_A * float(rng.uniform(0.3, 1.5)), 2)
        job = with_link(job, changed(o, full_load_A=amps))
    loads = []
    for name in ("first", "second")[: int(rng.integers(1, 3))]:
        first = next(p for p in job.stock if p.kind == "load")
        made = changed(
            first, id=name, name=name, max_A=round(float(rng.uniform(1, 30)), 1),
            max_W=round(float(10 ** rng.uniform(1, 2.6)), 1), max_V=float(rng.choice([15.0, 30.0, 120.0])),
            on_ohm=round(float(rng.uniform(0.02, 0.5)), 3),
        )  # fmt: skip
        job, loads = job.model_copy(update={"stock": (*job.stock, made)}), [*loads, made]
    ids = [p.id for p in loads]
    return with_campaign(job, load=ids[0], ammeter=ids[0], parallel_loads=(), other_loads=tuple(ids[1:]))


def wrong(job: Job, worked_out: Plan) -> Iterator[str]:
    """Steps that its loads can't sink; and amps that they can, and nobody asks for."""
    first = job.part(job.campaign.load)
    name = worked_out.test.id
    most: dict[str, float] = {}
    for step in worked_out.steps:
        place = step.place or worked_out.output.id
        volts = step.trim_V or job.output(place).nominal_V
        able = sunk(first, volts)
        if "real-device" in name:
            # A device of its own is joined, and no load.
            continue
        if step.set_A > able + NEAR and not step.past_limits and step.ohms is None:
            yield f"{name}: {step.title or step.index}: {step.set_A} A of {able:.3f} A at {volts:g} V"
        most[place] = max(most.get(place, 0.0), step.set_A)
        for other, amps in step.others:
            yield from _beside(job, name, step, other, amps)
    if kind_of(worked_out.test).rates(worked_out.test) and most:
        place = worked_out.output.id
        able = min(worked_out.full_load.amps, sunk(first, worked_out.output.nominal_V))
        if most.get(place, 0.0) < able * 0.99 - NEAR:
            yield f"{name}: asks for {most.get(place, 0.0):.3f} A of {able:.3f} A that can be sunk"


def _beside(job: Job, name: str, step: Step, other: str, amps: float) -> Iterator[str]:
    if job.campaign.other_loads:
        able = sunk(job.part(job.campaign.other_loads[0]), job.output(other).nominal_V)
        if amps > able + NEAR:
            yield f"{name}: {step.title}: {amps} A of {able:.3f} A beside at {other}"


def main(count: int, seed: int) -> int:
    rng, bad, plans = np.random.default_rng(seed), 0, 0
    for k in range(count):
        job = generated(design(rng))
        for test in job.campaign.tests:
            try:
                worked_out = plan(job, test)
            except UserError:
                continue
            plans += 1
            for trouble in wrong(job, worked_out):
                bad += 1
                print(f"{k} {job.name}: {trouble}")
    print(f"{count} designs, {plans} plans: {bad} steps that can't be sunk, or are left out")
    return 1 if bad else 0


if __name__ == "__main__":
    given = [int(x) for x in sys.argv[1:]]
    sys.exit(main(*(*given, *(200, 7)[len(given) :])))
