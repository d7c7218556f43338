"""How long a load stays on when the program is killed, stopped, hangs, or loses the load's link.

A window in a process of its own runs a test on simulated instruments that live in this one. At a random
moment with the load on it is killed (SIGKILL), stopped (SIGSTOP), its window's thread hangs (asleep, or
holding the interpreter), or the load's link dies for good. Loads with and without a watchdog, that take one
client or more, in turn. Where the load's own link is dead, what powers the supply must have been cut.

    python -m benchmarks.dying [KILLS STOPS HANGS LINKS]
"""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from importlib import resources
from pathlib import Path

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.tests import LoadRegulation
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.store.jobfile import JobFile

SPEED = 4.0
WAYS = ("kill", "stop", "hang", "link")
_WINDOW = """
import json, os, signal, sys, time
from pathlib import Path
from tensimeter.bench.setup import open_bench
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.app import make_application
from tensimeter.ui.session import Session
from tensimeter.ui.window import MainWindow

from PyQt6.QtCore import QTimer
app = make_application()
session = Session(JobFile(Path(sys.argv[1])))
window = MainWindow(session)
window.stage("prove")
window.show()

def shown(event):
    for reading in event.readings:
        os.write(1, f"{reading.id} {reading.value!r}\\n".encode())
    if event.kind in ("complete", "protected", "aborted", "fault", "bug"):
        os.write(1, f"ended {event.kind} {event.text}\\n".encode())

signal.signal(signal.SIGUSR1, lambda *_: time.sleep(8))
signal.signal(signal.SIGUSR2, lambda *_: sum(range(10**9)))
session.run_event.connect(shown)
session.choose_test("t")
profiles = {"load": sys.argv[4]} if sys.argv[4] else {}
bench = open_bench(session.job, json.loads(sys.argv[2]), profiles=profiles, speed=float(sys.argv[3]))
session.start_run(bench, present=True)
os.write(1, b"begun\\n")
waker = QTimer()
waker.start(50)
waker.timeout.connect(lambda: None)
app.exec()
"""


#: How long a window may take to load its supply, and by when the load must be off after its end, s.
ON_S, OFF_S = 15.0, 2.0


def one(case: tuple[int, str]) -> dict[str, object]:
    """What came of one way to die."""
    seed, way = case
    rng = random.Random(seed)
    watchdog, one_client = bool(seed & 1), bool(seed & 2)
    test = LoadRegulation(
        id="t", output="mount", points=(0.5, 0.7, 0.85, 1.0), dwell_s=20, longest_dwell_s=60
    )
    job = with_campaign(demo_job("ridge-pier"), tests=(test,))
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        path = folder / "job.tensi"
        JobFile.create(path, job).close()
        profile = "" if watchdog else _plain_load(folder)
        with stand_ins(job, speed=SPEED) as served:
            if one_client:
                served.one_client.add("load")
            window = subprocess.Popen(
                [sys.executable, "-c", _WINDOW, str(path), json.dumps(served.resources), str(SPEED), profile],
                stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env={**os.environ,
                "QT_QPA_PLATFORM": "offscreen"},
            )  # fmt: skip
            assert window.stdout is not None
            found: dict[str, object] = {"way": way, "watchdog": watchdog, "one_client": one_client}
            try:
                assert window.stdout.readline() == b"begun\n", "the window did not begin its run"
                _wait(lambda: served.load_drawing and served.world.supply.amps("mount") > 1, ON_S)
                time.sleep(rng.uniform(0.0, 5.0))
                _wait(lambda: served.load_drawing, ON_S)
                _strike(way, seed, window, served)
                found["off_s"] = _off_after(served)
                found["cut"] = not served.world.supply.powered
                if way == "stop":
                    window.send_signal(signal.SIGCONT)
                    time.sleep(0.5)
                if way in ("link", "hang"):
                    time.sleep(1.0)
            finally:
                window.kill()
            if way == "kill":
                # The guard writes the logbook once the file is free.
                time.sleep(0.8)
            told = window.stdout.read().decode(errors="replace").splitlines()
            window.wait()
        shown = [line.split() for line in told if line[:1].isdigit() and line.count(" ") == 1]
        with _opened(path) as file:
            kept = {r.id: r for r in file.readings()}
            found["lost"] = sum(int(n) not in kept for n, _ in shown)
            found["wrong"] = sum(
                r.quantity == "A" and abs(r.value - _set_A(test, r.step)) > 0.3 for r in kept.values()
            )
            found["logged"] = any("guard" in e.text.casefold() for e in file.logbook())
            assert not file.check()
    return found


def _set_A(test: LoadRegulation, step: int | None) -> float:
    return 8.0 * test.points[step or 0]


def _plain_load(folder: Path) -> str:
    text = resources.files("tensimeter.bench").joinpath("profiles", "generic-load.toml").read_text()
    path = folder / "plain-load.toml"
    path.write_text("\n".join(line for line in text.splitlines() if not line.startswith("watchdog")))
    return str(path)


def _opened(path: Path) -> JobFile:
    """The file, once the guard has written its logbook."""
    end = time.monotonic() + ON_S
    while True:
        try:
            return JobFile(path)
        except UserError:
            if time.monotonic() > end:
                raise
            time.sleep(0.1)


def _wait(ready, seconds: float) -> None:
    end = time.monotonic() + seconds
    while not ready():
        assert time.monotonic() < end, "the load was never on"
        time.sleep(0.005)


def _strike(way: str, seed: int, window, served) -> None:
    if way == "kill":
        window.send_signal(signal.SIGKILL)
    elif way == "stop":
        window.send_signal(signal.SIGSTOP)
    elif way == "hang":
        window.send_signal(signal.SIGUSR1 if seed & 4 else signal.SIGUSR2)
    else:
        served.kill_link("load")


def _off_after(served) -> float:
    """Seconds until nothing flows: the load is off, or what powers the supply was cut."""
    begin = time.monotonic()
    while served.load_drawing and served.world.supply.powered and time.monotonic() - begin < 3 * OFF_S:
        time.sleep(0.002)
    return round(time.monotonic() - begin, 3)


def main(*counts: str) -> None:
    wanted = [int(c) for c in counts] or [200, 100, 50, 50]
    cases = [(k, way) for way, count in zip(WAYS, wanted, strict=True) for k in range(count)]
    random.Random(1).shuffle(cases)
    with ThreadPoolExecutor(2) as pool:
        found = list(pool.map(one, cases))
    for way in WAYS:
        for watchdog in (True, False):
            for one_client in (True, False):
                rows = [
                    f
                    for f in found
                    if (f["way"], f["watchdog"], f["one_client"]) == (way, watchdog, one_client)
                ]
                if rows:
                    off = sorted(float(str(f["off_s"])) for f in rows)

                    def total(key: str, rows: list[dict[str, object]] = rows) -> int:
                        return sum(
                            int(str(int(bool(f[key])) if key in ("cut", "logged") else f[key])) for f in rows
                        )

                    print(
                        f"{way:<5s} {'watchdog' if watchdog else 'none    '} "
                        f"{'one client ' if one_client else 'two clients'} {len(rows):4d}: "
                        f"off after {off[len(off) // 2]:.2f} s (median), {off[-1]:.2f} s at most; "
                        f"cut in {total('cut')}, lost {total('lost')}, "
                        f"wrong {total('wrong')}, in the logbook {total('logged')}"
                    )
    print(json.dumps({
        "cases": len(found), "late": sum(float(str(f["off_s"])) > OFF_S for f in found),
        "lost": sum(int(str(f["lost"])) for f in found), "wrong": sum(int(str(f["wrong"])) for f in found),
    }))  # fmt: skip


if __name__ == "__main__":
    main(*sys.argv[1:])
