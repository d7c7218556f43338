"""A window killed at random moments of a campaign: is all that was shown kept, the load off, can it go on?

The stand-ins live in this process; a window in another runs a test of the demo's whole campaign on them and
writes down every reading that it has shown. It is killed without warning; then the file is opened, checked
and compared, the load is watched, and the test is taken up where it stopped.

    python -m benchmarks.killed [TIMES]
"""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tensimeter.bench.engine import RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.model.job import Job
from tensimeter.core.model.tests import Test
from tensimeter.core.testplan.evaluation import outcome
from tensimeter.core.testplan.generator import generated
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook

SPEED = 12.0
_WINDOW = """
import json, os, sys
from pathlib import Path
from tensimeter.bench.setup import open_bench
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.app import make_application
from tensimeter.ui.session import Session
from tensimeter.ui.window import MainWindow

app = make_application()
session = Session(JobFile(Path(sys.argv[1])))
window = MainWindow(session)
window.stage("prove")
window.show()

def shown(event):
    # Called after every widget has taken the event; what it says is on screen.
    app.processEvents()
    for reading in event.readings:
        os.write(1, f"{reading.id} {reading.value!r}\\n".encode())

session.run_event.connect(shown)
session.choose_test(sys.argv[4])
session.start_run(open_bench(session.job, json.loads(sys.argv[2]), speed=float(sys.argv[3])))
os.write(1, b"begun\\n")
app.exec()
"""


#: By when the load must be off after a kill, and how long the file may take to open, s.
OFF_S, REOPENED_S = 2.0, 1.0


def one(folder: Path, rng: random.Random) -> tuple[int, float, float]:
    """Readings shown, seconds until the load was off, seconds to reopen; fails with a sentence."""
    import json

    path = folder / "job.tensi"
    for old in folder.glob("job.tensi*"):
        old.unlink()
    job = generated(demo_job("ridge-pier"))
    JobFile.create(path, job).close()
    test = rng.choice(job.campaign.tests)
    with stand_ins(job, speed=SPEED) as served:
        window = subprocess.Popen(
            [sys.executable, "-c", _WINDOW, str(path), json.dumps(served.resources), str(SPEED), test.id],
            stdout=subprocess.PIPE, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        )  # fmt: skip
        assert window.stdout is not None
        assert window.stdout.readline() == b"begun\n", "the window did not begin its run"
        time.sleep(rng.uniform(0.0, 1.2 * plan(job, test).duration_s / SPEED))
        window.send_signal(signal.SIGKILL)
        killed = time.monotonic()
        told = window.stdout.read().decode().splitlines()
        window.wait()
        # What was cut off in the middle of a line was not shown whole.
        lines = [line.split() for line in told if line.count(" ") == 1]
        shown = [(int(n), float(v)) for n, v in lines if n != "wave"]
        waves = [int(v) for n, v in lines if n == "wave"]
        while served.load_drawing:
            assert time.monotonic() - killed < OFF_S, "the load was still on two seconds after"
            time.sleep(0.01)
        off = time.monotonic() - killed
    begin = time.monotonic()
    with JobFile(path) as file:
        reopened = time.monotonic() - begin
        wrong = file.check()
        kept = {r.id: r.value for r in file.readings()}
    assert not wrong, wrong[0]
    assert reopened < REOPENED_S, f"reopening took {reopened:.2f} s"
    lost = [n for n, value in shown if kept.get(n) != value]
    assert not lost, f"{len(lost)} readings that were shown are lost"
    _go_on(path, job, test, waves)
    return len(shown) + len(waves), off, reopened


def _go_on(path: Path, job: Job, test: Test, waves: list[int]) -> None:
    """Take the test up again: what was taken is passed over, the rest is taken, and it ends whole."""
    worked_out = plan(job, test)
    with JobFile(path) as file, stand_ins(job, speed=60) as served:
        book = WaveBook(file)
        assert set(waves) <= {w.id for w in book.waves()}, "a waveform that was shown is lost"
        before = outcome(job, worked_out, file.readings(), book.waves())
        whole = any(s.past_limits for s in worked_out.steps)
        done = frozenset(r.step.index for r in before.steps if r.taken and not whole)
        bench = open_bench(job, served.resources, speed=60)
        engine = RunEngine(file, worked_out, bench, lambda event: None, done=done)
        engine.start()
        engine.join(120)
        bench.close()
        after = outcome(job, worked_out, file.readings(), book.waves())
        assert engine.ended is not None, f"{test.id}: it did not end"
        assert engine.ended.kind == "complete", f"{test.id}: {engine.ended.text}"
        assert after.complete, f"{test.id} is not whole after going on"


def _one_apart(seed: int) -> tuple[int, float, float]:
    with tempfile.TemporaryDirectory() as scratch:
        return one(Path(scratch), random.Random(seed))


def main(times: int = 50) -> None:
    with ThreadPoolExecutor(3) as pool:
        found = list(pool.map(_one_apart, range(times)))
    shown, off, reopened = zip(*found, strict=True)
    print(
        f"{times} kills, {sum(shown)} readings and waveforms shown, all kept ({min(shown)} to {max(shown)} a "
        f"run); load off after {max(off):.2f} s at most; reopened in {max(reopened) * 1e3:.0f} ms at most; "
        "every test taken up again and ended whole"
    )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 50)
