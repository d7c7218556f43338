"""How soon the real window answers: keys in, what is painted out; p95 against its goal in ms, at two sizes.

Each answer is timed until nothing more is waiting to be painted. What is worked out beside the window is
waited for before the next one begins, as a hand would.
"""

import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks.measure import Row
from benchmarks.window import answer
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.generator import generated
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile

STAGES = ("stock", "design", "assemble", "wake", "prove", "tune", "plate")
ACCURACY = Accuracy(of_reading=0.0005, counts=3, resolution=0.001)


class Answers:
    """A window on a job, its answers timed."""

    def __init__(self, folder: Path, job: Job, readings: list[Reading] | None = None) -> None:
        from tensimeter.ui.app import make_application
        from tensimeter.ui.aside import Aside
        from tensimeter.ui.session import Session
        from tensimeter.ui.sweep import Sweep
        from tensimeter.ui.window import MainWindow

        self.app = make_application()
        file = JobFile.create(folder / f"{time.time_ns()}.tensi", job)
        if readings:
            file.keep(readings)
        self.window = MainWindow(Session(file, Aside(threaded=True)))
        self.window.resize(1280, 800)
        self.window.show()
        self.session = self.window.session
        # As the program does once its window stands.
        self.sweep = Sweep()
        self.sweep.settle(self.session)
        self.rest()

    def rest(self) -> None:
        """Until nothing is waited for, and the map has its band."""
        quiet = 0
        ahead = self.window.ahead
        while quiet < 30:
            answer()
            waits = self.session.aside.waits() or (ahead is not None and ahead.left)
            quiet = 0 if waits else quiet + 1
            time.sleep(0.005)

    def timed(self, act: Callable[[], object], *, whole: bool = False) -> float:
        """Seconds until an act is painted; `whole`: until all that follows is."""
        self.rest()
        begin = time.perf_counter()
        act()
        answer()
        while whole and self.session.aside.waits():
            answer()
        return time.perf_counter() - begin

    def edit(self, k: int) -> None:
        """What a figure typed into a field of Design does."""
        link = self.session.job.design.link("front-end")
        moved = changed(link, set_V=13.0 + 0.01 * (k % 97))
        self.session.edit("set volts", with_link(self.session.job, moved))

    def type(self, text: str) -> None:
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        self.window.line.entry.setFocus()
        self.window.line.entry.setText(text)
        QTest.keyClick(self.window.line.entry, Qt.Key.Key_Return)

    def close(self) -> None:
        self.window.close()
        answer()


def p95(times: list[float]) -> float:
    return float(np.quantile(times, 0.95))


def row(what: str, size: str, seconds: float, goal_s: float) -> Row:
    return Row(what, size, seconds, goal_s, 1.0)


def spread_readings(job: Job, count: int) -> list[Reading]:
    """Pairs over the steps of the first test, as somebody types them who can't stop."""
    test = job.campaign.tests[0]
    steps, rng = plan(job, test).steps, np.random.default_rng(4)
    found = []
    for k in range(count // 2):
        step = steps[k % len(steps)]
        volts = 13.6 - 0.043 * step.set_A + 2e-4 * rng.standard_normal()
        for quantity, value in (("V", round(volts, 4)), ("A", step.set_A)):
            found.append(
                Reading(k + 1, float(k), test.output, quantity, value, "bench-meter", ACCURACY, "four-wire",
                        "typed", "60 V", test.id, step.index)
            )  # fmt: skip
    return found


def edits(folder: Path, job: Job, size: str) -> list[Row]:
    seen, whole = Answers(folder, job), []
    seen.window.stage("design")
    seen.session.choose("mount")
    at_once = [seen.timed(lambda k=k: seen.edit(k)) for k in range(20)]
    whole = [seen.timed(lambda k=k: seen.edit(k + 40), whole=True) for k in range(12)]
    found = [
        row("an edit in Design: strip, ladder, figures", size, p95(at_once), 0.033),
        row("the same, with the map and all the rest", size, p95(whole), 0.150),
    ]
    others = []
    for stage in STAGES:
        seen.window.stage(stage)
        if stage != "design":
            others += [seen.timed(lambda k=k: seen.edit(k + 7)) for k in range(5)]
    found.append(row("an edit at any other stage", size, p95(others), 0.033))
    again = [seen.timed(lambda s=s: seen.window.stage(s)) for _ in range(3) for s in STAGES]
    found.append(row("a stage, again", size, p95(again), 0.033))
    seen.window.stage("design")
    seen.rest()
    begin, count = time.perf_counter(), 60
    for k in range(count):
        seen.session.try_point("mount", 13.0 + 0.1 * (k % 30), 2.0 + 0.1 * (k % 50))
        answer()
    found.append(row("the point dragged over the map", size, (time.perf_counter() - begin) / count, 1 / 30))
    found.append(row("the longest pause while a map is made", size, _pause(seen), 0.050))
    seen.close()
    return found


def _pause(seen: Answers) -> float:
    """The longest that the window did not answer while all that follows an edit was worked out."""
    seen.rest()
    seen.edit(3)
    answer()
    longest = 0.0
    while seen.session.aside.waits():
        begin = time.perf_counter()
        answer()
        longest = max(longest, time.perf_counter() - begin)
    return longest


def first_stages(folder: Path, job: Job, size: str) -> Row:
    times = []
    for stage in STAGES[1:]:
        seen = Answers(folder, job)
        times.append(seen.timed(lambda s=stage, seen=seen: seen.window.stage(s)))
        seen.close()
    return row("a stage, the first time", size, max(times), 0.200)


def readings(folder: Path, count: int) -> Row:
    job = demo_job("ridge-pier")
    seen = Answers(folder, job, spread_readings(job, count))
    seen.window.stage("prove")
    times = [seen.timed(lambda k=k: seen.type(f"mount {13.6 - 0.01 * k:.3f} @{k % 8}A")) for k in range(15)]
    seen.close()
    return row("a typed reading: verdict, plot, figures", f"{count} readings", p95(times), 0.033)


_OPEN = """
import os, sys, time
from pathlib import Path
from tensimeter.ui.app import make_application
from tensimeter.ui.aside import Aside
from tensimeter.ui.session import Session
from tensimeter.ui.window import MainWindow
from tensimeter.store.jobfile import JobFile
app = make_application()
begin = time.perf_counter()
window = MainWindow(Session(JobFile(Path(sys.argv[1])), Aside(threaded=True)))
window.show()
app.processEvents()
print(time.perf_counter() - begin)
while window.session.aside.waits():
    app.processEvents()
# The most that this process held; what is told of its children would count its parent's, too.
lines = Path("/proc/self/status").read_text().splitlines()
print(next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) / 1024, flush=True)
window.close()
# In which order the interpreter takes Qt's objects apart at its end is none of what is timed.
os._exit(0)
"""


def opened(folder: Path, count: int, scans: int) -> list[Row]:
    """A job with many readings and a long soak: how long until it is there, and what it takes."""
    job = generated(demo_job("ridge-pier"))
    soak = next(t for t in job.campaign.tests if t.soaks)
    path = folder / "long.tensi"
    with JobFile.create(path, job) as file:
        file.keep(spread_readings(job, count))
        run = file.begin_run(soak.id, {})
        rows = []
        for k in range(scans):
            at, warm = 0.1 * k, 20 + 40 * (1 - np.exp(-0.1 * k / 1200))
            for place, quantity, value in (
                (soak.output, "V", 13.4), (soak.output, "A", 8.0), ("sink", "C", round(warm, 1)),
            ):  # fmt: skip
                rows.append(
                    Reading(count + k, at, place, quantity, value, "", ACCURACY, "four-wire", "instrument",
                            "", soak.id, 0, run)
                )  # fmt: skip
        file.keep(rows)
    made = subprocess.run(
        [sys.executable, "-c", _OPEN, str(path)], capture_output=True, text=True, check=True
    )
    seconds, mb = (float(x) for x in made.stdout.split())
    size = f"{count}, {scans} scans"
    return [
        row("opening a long job", size, seconds, 1.0),
        Row("its memory, MB", size, mb, 250.0, 1.0, plain=True),
    ]


def sheet(folder: Path, job: Job, size: str) -> Row:
    """A data sheet with every test read at every step, as PDF."""
    from tensimeter.report.datasheet import write

    rows: list[Reading] = []
    with JobFile.create(folder / f"sheet-{size[:2].strip()}.tensi", job) as file:
        for test in job.campaign.tests:
            for step in plan(job, test).steps:
                volts = step.prediction.value if step.prediction else 12.0
                for quantity, value in (("V", volts), ("A", step.set_A)):
                    rows.append(
                        Reading(len(rows) // 2, float(len(rows)), step.place or test.output, quantity, value,
                                "bench-meter", ACCURACY, "four-wire", "typed", "", test.id, step.index)
                    )  # fmt: skip
        file.keep(rows)
        begin = time.perf_counter()
        write(file, folder / "sheet.pdf")
        return row("a data sheet as PDF", size, time.perf_counter() - begin, 5.0)


def rows() -> list[Row]:
    few = demo_job("ridge-pier")
    many = generated(few)
    found = []
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        for job in (few, many):
            size = f"{len(job.campaign.tests)} tests"
            found += edits(folder, job, size)
            found.append(first_stages(folder, job, size))
            found.append(sheet(folder, job, size))
        found += [readings(folder, count) for count in (10, 1_000, 10_000)]
        found += opened(folder, 10_000, 72_000)
    return found


if __name__ == "__main__":
    from benchmarks.measure import HEAD

    print(HEAD)
    for one in rows():
        print(one.text(), flush=True)
    print(f"memory of this run {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")
