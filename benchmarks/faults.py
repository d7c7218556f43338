"""Does the load go off, whatever fails, at every kind of step? Seconds until it does.

In each kind of test each instrument that it uses dies, answers late, answers overload or answers garbage,
half-way through its steps. The load must be off within two seconds by command or by its own watchdog; what
was read must be kept; a sentence must say what happened; and a run begun anew must end well.

    python -m benchmarks.faults [KIND …]
"""

import sys
import tempfile
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tensimeter.bench.engine import Event, RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import Corner
from tensimeter.core.model.tests import (
    CapacityDown,
    CrossRegulation,
    Efficiency,
    LineRegulation,
    LoadRegulation,
    MinimumLoad,
    Outlets,
    Overload,
    OverVoltage,
    ReachPoints,
    RealDevice,
    Ripple,
    ShortCircuit,
    StartUp,
    Test,
    Tolerance,
    Transient,
)
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook

SPEED = 25.0
FAULTS = ("close", "late", "overload", "garble")
BOTH = ("load", "voltmeter")
CASES: tuple[tuple[Test, tuple[str, ...]], ...] = (
    (LoadRegulation(id="t", output="mount"), (*BOTH, "thermometer")),
    (MinimumLoad(id="t", output="mount"), BOTH),
    (Tolerance(id="t", output="mount", span_V=(12, 15)), BOTH),
    (LineRegulation(id="t", output="mount"), (*BOTH, "line")),
    (CrossRegulation(id="t", output="mount", others=("dew",)), (*BOTH, "load2")),
    (ReachPoints(id="t", output="mount", points=(Corner(volts=12, amps=2), Corner(volts=14, amps=3))), BOTH),
    (Outlets(id="t", output="mount", others=("dew",)), (*BOTH, "load2")),
    (Efficiency(id="t", output="mount"), (*BOTH, "line")),
    (Ripple(id="t", output="mount"), (*BOTH, "scope")),
    (Transient(id="t", output="mount"), (*BOTH, "scope")),
    (StartUp(id="t", output="mount"), (*BOTH, "scope", "line")),
    (RealDevice(id="t", output="mount"), (*BOTH, "scope")),
    (CapacityDown(id="t", output="mount", cutoff_V=13.45, every_s=1.0), BOTH),
    (Overload(id="t", output="dew"), BOTH),
    (OverVoltage(id="t", output="mount"), BOTH),
    (ShortCircuit(id="t", output="dew"), BOTH),
)


def run(job: Job, test: Test, role: str, fault: str) -> tuple[bool, str]:
    """Whether one case went as it must, and a line about it."""
    job = with_campaign(job, tests=(test,))
    worked_out = plan(job, test)
    struck: list[float] = []
    with (
        tempfile.TemporaryDirectory() as scratch,
        JobFile.create(Path(scratch) / "job.tensi", job) as file,
        stand_ins(job, seed=2, speed=SPEED) as served,
    ):
        bench = open_bench(job, served.resources, speed=SPEED)
        middle = len(worked_out.steps) // 2
        shown: set[int] = set()

        def tell(event: Event) -> None:
            shown.update(r.id for r in event.readings if r.id)
            due = event.step is not None and event.step.index >= middle
            if event.kind in ("step", "kept", "wave", "live") and due and not struck:
                served.faults[role] = fault
                struck.append(time.monotonic())

        engine = RunEngine(file, worked_out, bench, tell)
        engine.start()
        off = _watch(engine, served, struck)
        bench.close()
        served.faults.clear()
        kept = {r.id for r in file.readings()}
        ended = engine.ended
        fine = shown <= kept and ended is not None and (ended.kind == "complete" or "kept" in ended.text)
        again = open_bench(job, served.resources, speed=SPEED)
        done = frozenset(
            r.step.index for r in outcome(job, worked_out, file.readings(), WaveBook(file).waves()).steps
            if r.taken and not any(s.past_limits for s in worked_out.steps)
        )  # fmt: skip
        second = RunEngine(file, worked_out, again, lambda event: None, done=done)
        second.start()
        second.join(60)
        again.close()
        resumed = second.ended is not None and second.ended.kind == "complete"
        good = fine and resumed and off <= 2.0
        text = (
            f"{test.kind:<17s} {role:<12s} {fault:<9s} off after {off:4.2f} s, {len(kept)} readings kept, "
            f"{'resumed' if resumed else 'NOT RESUMED: ' + (second.ended.text if second.ended else '')}; "
            f"{ended.text if ended else 'never ended'}"
        )
    return good, text


def _watch(engine: RunEngine, served: object, struck: list[float]) -> float:
    """Seconds from the fault until no load draws for good."""
    last = 0.0
    while engine.alive:
        if struck and served.load_drawing:
            last = time.monotonic()
        time.sleep(0.01)
    end = time.monotonic() + 2.5
    while time.monotonic() < end and served.load_drawing:
        last = time.monotonic()
        time.sleep(0.01)
    failed = engine.ended is not None and engine.ended.kind != "complete"
    return max(last - struck[0], 0.0) if struck and failed else 0.0


def main(kinds: list[str]) -> None:
    job = demo_job("ridge-pier")
    cases = [(t, r, f) for t, roles in CASES for r in roles for f in FAULTS if not kinds or t.kind in kinds]
    bad = 0
    lock = threading.Lock()

    def one(case: tuple[Test, str, str]) -> None:
        nonlocal bad
        good, text = run(job, *case)
        with lock:
            bad += not good
            print("ok  " if good else "BAD ", text, flush=True)

    with ThreadPoolExecutor(3) as pool:
        list(pool.map(one, cases))
    print(f"{len(cases)} cases, {bad} bad")


if __name__ == "__main__":
    main(sys.argv[1:])
