"""Does an answer that is late, twice, out of order, in pieces, one behind or unasked ever become a reading?

Runs of load regulation in which the voltmeter mixes up its answers, on instruments that give a number back
(`sequence`), on ones that only say who they are,
and on ones that do neither. Every reading that a run kept is
held against what truly stood at the output at its load; a run may end for it, a wrong value may not be kept.

    python -m benchmarks.stale [RUNS]
"""

import json
import random
import sys
import tempfile
from collections import Counter
from importlib import resources
from multiprocessing import get_context
from pathlib import Path

from tensimeter.bench.engine import RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.simulation.misbehaving import Fault
from tensimeter.store.jobfile import JobFile

SPEED = 60.0
KINDS = ("dawdling", "twice", "swapped", "pieces", "previous", "stream")
#: How far a reading may be off what stood there: the meter's error at 13.5 V, and the noise of three counts.
BOUND_V = 13.6 * 0.0005 + 6 * 0.001
MARKS = ("number", "identity", "none")


def _profile(folder: Path, mark: str) -> str:
    text = resources.files("tensimeter.bench").joinpath("profiles", "generic-meter.toml").read_text()
    drop = {"number": (), "identity": ("sequence",), "none": ("sequence", "identify")}[mark]
    path = folder / "meter.toml"
    path.write_text("\n".join(line for line in text.splitlines() if not line.startswith(drop or ("\0",))))
    return str(path)


def one(seed: int) -> tuple[str, str, int, list[str], str]:
    """Kind and mark of one run, how many readings it kept, the wrong ones, and how it ended."""
    rng = random.Random(seed)
    kind, mark = KINDS[seed % len(KINDS)], MARKS[(seed // len(KINDS)) % len(MARKS)]
    test = LoadRegulation(id="t", output="mount", points=(0.0, 0.5, 1.0), dwell_s=2.0, longest_dwell_s=60)
    job = with_campaign(demo_job("ridge-pier"), tests=(test,), thermometer=None)
    with (
        tempfile.TemporaryDirectory() as scratch,
        JobFile.create(Path(scratch) / "job.tensi", job) as file,
        stand_ins(job, seed=seed, speed=SPEED) as served,
    ):
        if kind == "stream":
            served.streams["voltmeter"] = rng.choice((1.0, 3.0, 10.0, 25.0, 50.0))
        else:
            served.faults["voltmeter"] = Fault(kind, "MEAS:VOLT", rng)
        try:
            bench = open_bench(
                job, {k: v for k, v in served.resources.items() if k in ("load", "voltmeter")},
                profiles={"voltmeter": _profile(Path(scratch), mark)}, speed=SPEED,
            )  # fmt: skip
        except UserError as trouble:
            return kind, mark, 0, [], str(trouble)
        engine = RunEngine(file, plan(job, test), bench, lambda event: None)
        engine.start()
        engine.join(60)
        bench.close()
        wrong = []
        for r in file.readings():
            if r.quantity == "V" and r.step is not None:
                true = _true_volts(served, engine.plan.steps[r.step].set_A)
                if abs(r.value - true) > BOUND_V:
                    wrong.append(f"{r.value:.4f} V kept for {true:.4f} V at step {r.step}")
        kept = sum(r.quantity == "V" for r in file.readings())
        return kind, mark, kept, wrong, engine.ended.text if engine.ended else "never ended"


def _true_volts(served, amps: float) -> float:
    """What stands at the output with a load of so much on it, by the hidden supply itself."""
    from tensimeter.simulation.behaviour import Demand

    load = served.devices["load"]
    value = (
        max(served.world.errors.shifted(f"{load.part.id}|set", amps, load.part.amps), 0.0) if amps else 0.0
    )
    served.world.supply.draw("mount", Demand("CC", value) if value else Demand())
    return served.world.supply.settled("mount")


def main(runs: int = 1000) -> None:
    counts: dict[tuple[str, str], Counter[str]] = {}
    bad: list[str] = []
    with get_context("spawn").Pool(2, maxtasksperchild=50) as pool:
        for kind, mark, kept, wrong, ended in pool.imap(one, range(runs)):
            row = counts.setdefault((kind, mark), Counter())
            row.update(runs=1, kept=kept, wrong=len(wrong), whole=int(kept == 3))
            bad += [f"{kind}, {mark}: {w} ({ended})" for w in wrong]
    for (kind, mark), row in sorted(counts.items()):
        print(
            f"{kind:<9s} told by {mark:<8s} {row['runs']:4d} runs, {row['whole']:4d} whole, "
            f"{row['kept']:5d} kept, {row['wrong']} wrong"
        )
    print(*bad[:20], sep="\n")
    print(json.dumps({"runs": runs, "kept": sum(r["kept"] for r in counts.values()), "wrong": len(bad)}))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 1000)
