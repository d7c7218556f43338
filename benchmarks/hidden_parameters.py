"""Are hidden truths found? Seeded supplies with random limits, trips and couplings on the simulated bench.

Each supply has two outputs behind converters of its own. Load regulation, cross regulation, over-voltage
trip and current limit are run by the engine over TCP on stand-ins with hidden errors, and what the readings
give is set beside what is hidden: kind of limit, knee, trip, resistance, regulation, each cross term.

    python -m benchmarks.hidden_parameters [SUPPLIES] [FIRST SEED]
"""

import sys
import tempfile
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from tensimeter.bench.engine import RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.analysis.current_limit import LimitKind
from tensimeter.core.model.job import Campaign, Job
from tensimeter.core.model.tests import CrossRegulation, LoadRegulation, Overload, OverVoltage
from tensimeter.core.parts.converter import Converter
from tensimeter.core.parts.donor import Donor
from tensimeter.core.parts.electronic_load import ElectronicLoad
from tensimeter.core.parts.lead import LeadPart
from tensimeter.core.path import ConverterLink, Design, LeadLink, OutputLink, UnitLink
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.kinds.overload import limit_of
from tensimeter.core.testplan.plan import plan
from tensimeter.core.testplan.step import Outcome
from tensimeter.demo.bench_parts import ROLES, bench_parts
from tensimeter.simulation.behaviour import Behaviour
from tensimeter.simulation.server import SimulatedBench
from tensimeter.simulation.supply import SimulatedSupply
from tensimeter.store.jobfile import JobFile

KINDS = [k for k in LimitKind if k is not LimitKind.UNSURE]
SPEED = 25.0
#: Most of the time is waiting for the bench.
WORKERS = 6


def made(seed: int) -> tuple[Job, dict[tuple[str, str], float], dict[str, Behaviour], LimitKind, float]:
    """A job, its hidden truths and behaviours, and the kind and knee of output a's limit."""
    rng = np.random.default_rng([seed, 77])
    kind = KINDS[seed % len(KINDS)]
    nominal = {"a": float(rng.choice([5.2, 9.0, 12.0, 13.6, 15.0])), "b": float(rng.choice([3.3, 5.0, 12.0]))}
    full = {"a": float(rng.uniform(2, 8)), "b": float(rng.uniform(1, 4))}
    expected = full["a"] * float(rng.uniform(1.2, 1.5))
    knee = expected * float(rng.uniform(0.92, 1.2))
    load_A = full["a"] * 1.02 if kind is LimitKind.LOAD_LIMITED else 60.0
    stock: list[object] = [
        Donor(id="unit", name="Unit", no_load_V=28.0, rated_A=60, rated_W=1600, output_resistance_ohm=0.002)
    ]
    links: list[object] = [UnitLink(id="unit-link", name="Unit", part="unit")]
    for o in ("a", "b"):
        limit = expected if o == "a" else 3 * full["b"]
        stock.append(
            Converter(id=f"module-{o}", name=f"Module {o}", out_max_V=26, in_max_V=40, rated_A=40,
                      rated_W=900, output_resistance_ohm=0.004)
        )  # fmt: skip
        stock.append(LeadPart(id=f"wire-{o}", name=f"Wire {o}", length_m=1.0, area_mm2=2.5))
        links += [
            ConverterLink(id=f"conv-{o}", name=f"Converter {o}", part=f"module-{o}", fed_by="unit-link",
                          set_V=nominal[o], limit_A=limit),
            LeadLink(id=f"lead-{o}", name=f"Lead {o}", part=f"wire-{o}", fed_by=f"conv-{o}"),
            OutputLink(id=o, name=o.upper(), fed_by=f"lead-{o}", nominal_V=nominal[o], full_load_A=full[o]),
        ]  # fmt: skip
    parts = [p for p in bench_parts() if p.id not in ("sink-150", "sink-60")]
    fine = next(p for p in bench_parts() if p.id == "sink-150")
    assert isinstance(fine, ElectronicLoad)
    parts += [fine.model_copy(update={"max_A": load_A, "max_W": 3000.0, "on_ohm": 0.02}),
              fine.model_copy(update={"id": "sink-60", "max_A": 60.0, "max_W": 3000.0})]  # fmt: skip
    tests = (
        LoadRegulation(id="load", output="a", dwell_s=1.0),
        CrossRegulation(id="cross", output="a", others=("b",), dwell_s=1.0),
        OverVoltage(id="trip", output="a"),
        Overload(id="limit", output="a"),
    )
    job = Job(name=f"Supply {seed}", stock=(*stock, *parts), design=Design(links=tuple(links)),
              campaign=Campaign(tests=tests, **ROLES))  # fmt: skip
    truths = {
        ("conv-a", "set_V"): nominal["a"] * float(rng.uniform(0.99, 1.01)),
        ("conv-b", "set_V"): nominal["b"] * float(rng.uniform(0.99, 1.01)),
        ("conv-a", "resistance"): float(rng.uniform(0.002, 0.015)),
        ("conv-b", "resistance"): float(rng.uniform(0.002, 0.02)),
        ("lead-a", "contact"): float(rng.uniform(0.0, 0.01)),
    }
    unlimited = kind in (LimitKind.NONE_REACHED, LimitKind.LOAD_LIMITED)
    ohms = rng.uniform(-0.02, 0.02, 2)
    behaviours = {
        "a": Behaviour(
            limit=kind,
            limit_A=1e3 if unlimited else knee,
            short_share=float(rng.uniform(0.15, 0.65)),
            sag_share=float(rng.uniform(1.6, 4.0)),
            period_s=float(rng.uniform(0.3, 1.5)),
            duty=float(rng.uniform(0.12, 0.4)),
            trip_V=nominal["a"] * float(rng.uniform(1.08, 1.35)),
            couples=(("b", float(ohms[0])),),
        ),
        "b": Behaviour(couples=(("a", float(ohms[1])),)),
    }
    return job, truths, behaviours, kind, knee


def run(seed: int) -> dict[str, object]:
    """What was found of one supply, set beside what is hidden in it."""
    job, truths, behaviours, kind, knee = made(seed)
    found: dict[str, Outcome] = {}
    with (
        tempfile.TemporaryDirectory() as scratch,
        JobFile.create(Path(scratch) / "job.tensi", job) as file,
        SimulatedBench(job, truths=truths, behaviours=behaviours, seed=seed, speed=SPEED) as served,
    ):
        bench = open_bench(job, served.resources, speed=SPEED)
        for test in job.campaign.tests:
            worked_out = plan(job, test)
            engine = RunEngine(file, worked_out, bench, lambda event: None)
            engine.start()
            engine.join(120)
            if engine.ended is None or engine.ended.kind != "complete":
                return {"seed": seed, "failed": f"{test.id}: {engine.ended and engine.ended.text}"}
            found[test.id] = outcome(job, worked_out, file.readings())
        bench.close()
    supply = SimulatedSupply(job, truths, behaviours=behaviours)

    def volts(output: str, **amps: float) -> float:
        for o in ("a", "b"):
            supply.draw(o, amps.get(o, 0.0))
        return supply.settled(output)

    limit = limit_of(found["limit"].facts)
    fit = found["load"].regulation
    trip = next((f.value for f in found["trip"].findings if f.name == "trips at"), None)
    full = job.output("a").full_load_A
    ohm = (volts("a") - volts("a", a=full)) / full
    inside = {
        "resistance": fit.output_resistance_ohm.low <= ohm <= fit.output_resistance_ohm.high,
        "regulation": fit.load_regulation.low
        <= ohm * fit.full_load_A / job.output("a").nominal_V
        <= fit.load_regulation.high,
    }
    for f in found["cross"].findings:
        if " by " in f.name:
            one, by = (x.lower() for x in f.name.split(" by "))
            true = (volts(one) - volts(one, **{by: 1.0})) / 1.0
            inside[f"{one} by {by}"] = f.value.low <= true <= f.value.high
    return {
        "seed": seed,
        "kind": kind.value,
        "said": limit.kind.value,
        "reason": limit.reason,
        "knee": None
        if limit.knee_A is None or kind in (KINDS[6], KINDS[7])
        else limit.knee_A.value / knee - 1,
        "trip": None if trip is None else trip.value / behaviours["a"].trip_V - 1,
        "inside": inside,
    }


def main(supplies: int = 400, first: int = 0) -> None:
    with ProcessPoolExecutor(WORKERS) as pool:
        rows = []
        for row in pool.map(run, range(first, first + supplies)):
            rows.append(row)
            if row.get("failed") or row["said"] != row["kind"]:
                print(row, flush=True)
    good = [r for r in rows if "failed" not in r]
    right = sum(r["said"] == r["kind"] for r in good)
    unsure = sum(r["said"] == "unsure" for r in good)
    print(f"{supplies} supplies: kind right {right}, unsure {unsure}, wrong {len(good) - right - unsure}, "
          f"runs failed {len(rows) - len(good)}")  # fmt: skip
    for name, goal in (("knee", 0.02), ("trip", 0.01)):
        off = np.abs([r[name] for r in good if r[name] is not None])
        print(f"{name}: {len(off)}, worst {off.max():.4f}, beyond {goal:g}: {(off > goal).sum()}")
    for name in good[0]["inside"]:
        count = sum(bool(r["inside"][name]) for r in good)
        print(f"{name}: inside its 95 % interval in {count}")


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
