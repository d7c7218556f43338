"""A window killed at random moments of a run: is all that was shown kept, and the load off in time?

The stand-ins live in this process; a window in another runs the demo's test on them and writes down
every reading that it has shown. It is killed without warning; then the file is opened, checked and
compared, and the load is watched.

    python -m benchmarks.killed [TIMES]
"""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tensimeter.bench.simulated.server import StandIns
from tensimeter.demo.library import demo_job, demo_truths
from tensimeter.store.jobfile import JobFile

SPEED = 4.0
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
session.start_run(open_bench(session.job, json.loads(sys.argv[2]), speed=float(sys.argv[3])))
os.write(1, b"begun\\n")
app.exec()
"""


def one(folder: Path, rng: random.Random) -> tuple[int, float, float]:
    """Readings shown, seconds until the load was off, seconds to reopen; fails with a sentence."""
    import json

    path = folder / "job.tensi"
    for old in folder.glob("job.tensi*"):
        old.unlink()
    job = demo_job("ridge-pier")
    JobFile.create(path, job).close()
    with StandIns(job, truths=demo_truths("ridge-pier"), speed=SPEED) as served:
        window = subprocess.Popen(
            [sys.executable, "-c", _WINDOW, str(path), json.dumps(served.resources), str(SPEED)],
            stdout=subprocess.PIPE, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        )  # fmt: skip
        assert window.stdout is not None
        assert window.stdout.readline() == b"begun\n", "the window did not begin its run"
        time.sleep(rng.uniform(0.0, 13.0))
        window.send_signal(signal.SIGKILL)
        killed = time.monotonic()
        told = window.stdout.read().decode().splitlines()
        window.wait()
        # What was cut off in the middle of a line was not shown whole.
        shown = [(int(n), float(v)) for n, v in (line.split() for line in told if line.count(" ") == 1)]
        while served.load_drawing:
            assert time.monotonic() - killed < 2.0, "the load was still on two seconds after"
            time.sleep(0.01)
        off = time.monotonic() - killed
    begin = time.monotonic()
    with JobFile(path) as file:
        reopened = time.monotonic() - begin
        wrong = file.check()
        kept = {r.id: r.value for r in file.readings()}
    assert not wrong, wrong[0]
    assert reopened < 1.0, f"reopening took {reopened:.2f} s"
    lost = [n for n, value in shown if kept.get(n) != value]
    assert not lost, f"{len(lost)} readings that were shown are lost"
    return len(shown), off, reopened


def main(times: int = 50) -> None:
    rng, found = random.Random(1), []
    with tempfile.TemporaryDirectory() as scratch:
        for _ in range(times):
            found.append(one(Path(scratch), rng))
    shown, off, reopened = zip(*found, strict=True)
    print(
        f"{times} kills, {sum(shown)} readings shown and all kept ({min(shown)} to {max(shown)} a run); "
        f"load off after {max(off):.2f} s at most; reopened in {max(reopened) * 1e3:.0f} ms at most"
    )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 50)
