"""Is the load off in time, whatever an instrument does with any answer, and does *drop* wait for anybody?

Every query of every role is answered by a drip, a flood, 100 MB, nothing, a closed link or half a line, once
with the load's watchdog and once without, at a moment when the load is on. The load must be off within two
seconds by itself; and within 0.3 s where someone drops it while the run waits for that answer.

    python -m benchmarks.dropping [PART OF A CASE'S NAME]
"""

import json
import sys
import tempfile
import time
from dataclasses import dataclass
from importlib import resources
from multiprocessing import get_context
from pathlib import Path

from tensimeter.bench import wall
from tensimeter.bench.engine import Event, RunEngine
from tensimeter.bench.profile import GENERIC, role_of
from tensimeter.bench.setup import open_bench
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.tests import (
    CrossRegulation,
    Efficiency,
    LineRegulation,
    LoadRegulation,
    Ripple,
    Test,
)
from tensimeter.core.parts.instruments import Clamp
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.simulation.misbehaving import Fault
from tensimeter.store.jobfile import JobFile

SPEED = 10.0
KINDS = ("drip", "flood", "huge", "silent", "close", "half")
#: Role and question, and a test in which it is asked while the load is on.
PLAIN = LoadRegulation(id="t", output="mount", points=(0.0, 0.5, 1.0), dwell_s=30, longest_dwell_s=60)
QUERIES: tuple[tuple[str, str, Test], ...] = (
    ("load", "MEAS:CURR?", PLAIN),
    ("load", "INP?", PLAIN),
    ("load", "SYST:ERR?", PLAIN),
    ("load", "*IDN?", PLAIN),
    ("voltmeter", "MEAS:VOLT", PLAIN),
    ("voltmeter", "*IDN?", PLAIN),
    ("thermometer", "MEAS:TEMP", PLAIN),
    ("clamp", "MEAS:CURR?", PLAIN),
    ("load2", "MEAS:CURR?", CrossRegulation(id="t", output="mount", others=("dew",), dwell_s=30)),
    ("load2", "INP?", CrossRegulation(id="t", output="mount", others=("dew",), dwell_s=30)),
    ("line", "MEAS:POW?", Efficiency(id="t", output="mount", points=(0.5, 1.0))),
    ("line", "OUTP?", LineRegulation(id="t", output="mount", lines=(0.9, 1.1), dwell_s=20)),
    ("scope", "SYST:ERR?", Ripple(id="t", output="mount")),
    ("scope", "WAV:PRE?", Ripple(id="t", output="mount")),
    ("scope", "WAV:DATA?", Ripple(id="t", output="mount")),
)  # fmt: skip


@dataclass(frozen=True)
class Case:
    """One fault in one answer."""

    kind: str
    role: str
    query: str
    test: Test
    watchdog: bool
    dropped: bool

    @property
    def name(self) -> str:
        dog = "watchdog" if self.watchdog else "no watchdog"
        return f"{self.role} {self.query} {self.kind}, {dog}{', dropped' if self.dropped else ''}"


def _job(case: Case):
    job = demo_job("ridge-pier")
    if case.role == "clamp":
        clamp = Clamp(
            id="clamp", name="Clamp", most_A=20, amps=Accuracy(of_reading=0.01, counts=3, resolution=0.01)
        )
        job = with_campaign(job.model_copy(update={"stock": (*job.stock, clamp)}), clamp="clamp")
    return with_campaign(job, tests=(case.test,))


def _profile(folder: Path, role: str, *without: str) -> str:
    """A role's shipped profile without some of its lines."""
    name = GENERIC[role_of(role)]
    text = resources.files("tensimeter.bench").joinpath("profiles", f"{name}.toml").read_text()
    path = folder / f"{role}.toml"
    path.write_text("\n".join(line for line in text.splitlines() if not line.startswith(without)))
    return str(path)


def _profiles(case: Case, folder: Path) -> dict[str, str]:
    """Without a watchdog where there is to be none; one that is told by its identity where that is asked."""
    without: dict[str, list[str]] = {}
    for role in () if case.watchdog else ("load", "load2"):
        without.setdefault(role, []).append("watchdog")
    if case.query == "*IDN?":
        without.setdefault(case.role, []).append("sequence")
    return {role: _profile(folder, role, *lines) for role, lines in without.items()}


def run(case: Case) -> tuple[float, str, str]:
    """Seconds from fault (or drop) until no load draws for good, the end's kind and words; -1 where unmet."""
    job = _job(case)
    with (
        tempfile.TemporaryDirectory() as scratch,
        JobFile.create(Path(scratch) / "job.tensi", job) as file,
        stand_ins(job, seed=2, speed=SPEED) as served,
    ):
        profiles = _profiles(case, Path(scratch))
        bench = open_bench(job, served.resources, profiles=profiles, speed=SPEED)
        begun: list[float] = []
        fault = Fault(case.kind, case.query)

        def tell(event: Event) -> None:
            loaded = event.step is not None and event.step.set_A > 0
            if loaded and event.kind in ("step", "live", "kept") and served.load_drawing and not begun:
                served.faults[case.role] = fault
                begun.append(wall.now())

        engine = RunEngine(file, plan(job, case.test), bench, tell, present=True)
        engine.start()
        end = time.monotonic() + 40
        while engine.alive and not begun and time.monotonic() < end:
            time.sleep(0.002)
        end = time.monotonic() + 8
        while begun and fault.met_at is None and engine.alive and time.monotonic() < end:
            time.sleep(0.002)
        if fault.met_at is None:
            engine.drop()
            engine.join(10)
            bench.close()
            return -1.0, "", "never asked while the load was on"
        start = fault.met_at
        if case.dropped:
            time.sleep(0.05)
            start = wall.now()
            engine.drop()
        last = start
        watched = wall.now() + 4.5
        while wall.now() < watched:
            if served.load_drawing and served.world.supply.powered:
                last = wall.now()
            elif not engine.alive:
                break
            time.sleep(0.002)
        engine.join(15)
        bench.close()
        ended = engine.ended
        return last - start, ended.kind if ended else "alive", ended.text if ended else "THE RUN NEVER ENDED"


def main(part: str = "") -> None:
    cases = [
        Case(kind, role, query, test, watchdog, dropped)
        for role, query, test in QUERIES
        for kind in KINDS
        for watchdog in (True, False)
        for dropped in (False, True)
    ]
    cases = [c for c in cases if part in c.name]
    found = []
    with get_context("spawn").Pool(2, maxtasksperchild=20) as pool:
        for case, (seconds, kind, text) in zip(cases, pool.imap(run, cases), strict=True):
            limit = 0.3 if case.dropped else 2.0
            good = seconds <= limit and kind in ("fault", "protected", "bug", "aborted")
            unmet = seconds < 0
            print(
                "--  " if unmet else "ok  " if good else "BAD ",
                f"{case.name:<58s} {seconds:5.2f} s  {text[:150]}",
                flush=True,
            )
            found.append({"case": case.name, "seconds": seconds, "good": good or unmet, "unmet": unmet})
    asked = [f for f in found if not f["unmet"]]
    by = {d: [f["seconds"] for f in asked if f["case"].endswith("dropped") is d] for d in (False, True)}
    print(json.dumps({
        "cases": len(asked), "bad": sum(not f["good"] for f in asked), "never_asked": len(found) - len(asked),
        "worst_by_itself_s": round(max(by[False], default=0), 3),
        "worst_dropped_s": round(max(by[True], default=0), 3),
    }))  # fmt: skip


if __name__ == "__main__":
    main(*sys.argv[1:])
