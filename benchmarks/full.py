"""A disk that fills up: at every write of a run in turn, is what was shown kept, and does the load go off?

A run in a process of its own meets a limit on the size of what it writes (RLIMIT_FSIZE), a little later each
time, from its first write to its last; the simulated instruments live in this process.

    python -m benchmarks.full [STEP IN BYTES]
"""

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.store.jobfile import JobFile

SPEED = 60.0
_RUN = """
import json, os, resource, sys
from pathlib import Path
from tensimeter.bench.engine import RunEngine
from tensimeter.bench.setup import open_bench
from tensimeter.core.testplan.plan import plan
from tensimeter.store.jobfile import JobFile

file = JobFile(Path(sys.argv[1]))
bench = open_bench(file.job, json.loads(sys.argv[2]), speed=float(sys.argv[3]))
def tell(event):
    for r in event.readings:
        os.write(1, f"{r.id} {r.value!r}\\n".encode())
engine = RunEngine(file, plan(file.job, file.job.campaign.tests[0]), bench, tell, present=True)
if int(sys.argv[4]):
    resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[4]), int(sys.argv[4])))
engine.start()
engine.finished.wait(60)
os.write(1, f"ended {engine.ended.kind} {engine.load_off} {engine.ended.text}\\n".encode())
"""


def one(room: int) -> tuple[bool, bool, int, str, int]:
    """Whether nothing shown was lost, the load was off, how many were shown, the end, the largest file."""
    test = LoadRegulation(id="t", output="mount", points=(0.0, 0.3, 0.6, 1.0), dwell_s=2)
    job = with_campaign(demo_job("ridge-pier"), tests=(test,))
    with tempfile.TemporaryDirectory() as scratch, stand_ins(job, speed=SPEED) as served:
        path = Path(scratch) / "job.tensi"
        JobFile.create(path, job).close()
        words = [str(path), json.dumps(served.resources), str(SPEED), str(room)]
        run = subprocess.Popen([sys.executable, "-c", _RUN, *words], stdout=subprocess.PIPE, text=True)
        told, _ = run.communicate(timeout=120)
        time.sleep(0.05)
        off = not served.load_drawing
        lines = told.splitlines()
        shown = {int(n): float(v) for n, v in (line.split() for line in lines if line[:1].isdigit())}
        log = path.with_name(path.name + "-wal")
        size = max(path.stat().st_size, log.stat().st_size if log.exists() else 0)
        with JobFile(path) as file:
            kept = {r.id: r.value for r in file.readings()}
            whole = not file.check()
        ended = next((line for line in lines if line.startswith("ended")), "never ended")
        return whole and all(kept.get(n) == v for n, v in shown.items()), off, len(shown), ended, size


def main(step: int = 512) -> None:
    _, off, shown, ended, _ = one(0)
    print(f"room for all: {shown} shown, {ended}")
    rows = []
    for room in range(step, 400_000, step):
        lossless, off, count, ended, _ = one(room)
        rows.append((lossless, off))
        if not (lossless and off):
            print(f"BAD at {room} bytes: lossless {lossless}, off {off}, {ended}")
        elif len(rows) % 8 == 1:
            print(f"{room:7d} bytes: {count} shown, {ended[:110]}", flush=True)
        if count == shown and "complete" in ended:
            break
    bad = sum(not (a and b) for a, b in rows)
    print(json.dumps({"limits": len(rows), "bad": bad, "last_room": room}))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 512)
