"""Start to a window that answers, and to the job in it, against importing what such a window must import."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.measure import Row, in_turns
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile

_FLOOR = "import PyQt6.QtWidgets, numpy, pyqtgraph; print('answered', flush=True)"
# The program's own way to a window; then a key is pressed and its answer seen: so far it is timed. Closed at
# once, a program still waits for what it was loading.
_OURS = """
import gc
# As the program itself does before it loads the window; here that is loaded sooner, to be listened to.
gc.disable()
import sys
from PyQt6.QtCore import Qt, QTimer
from tensimeter.cli.main import run
from tensimeter.ui.app import Tensimeter

what = sys.argv.pop()
answered = []

def shown(program):
    if what == "page":
        return program.start
    if what == "job":
        return program.window
    return program.opening and program.opening.frame

def press(program):
    there = shown(program)
    if not there or not there.window().isActiveWindow() or there.visibleRegion().isEmpty():
        QTimer.singleShot(1, lambda: press(program))
        return
    from PyQt6.QtTest import QTest
    if what == "page":
        QTest.keyClicks(there.read_name, "Shed")
        answered.append(there.read_name.text() == "Shed")
    else:
        QTest.keyClick(there, Qt.Key.Key_F2)
        answered.append(not there.column.isVisible())
    print("answered" if answered == [True] else "NOTHING", flush=True)
    there.window().close()

open_job = Tensimeter.open
def open_and_press(self, path):
    open_job(self, path)
    self.opening.activateWindow()
    QTimer.singleShot(0, lambda: press(self))

show_start = Tensimeter.show_start
def show_and_press(self, said=""):
    show_start(self, said)
    self.start.activateWindow()
    QTimer.singleShot(0, lambda: press(self))

Tensimeter.open, Tensimeter.show_start = open_and_press, show_and_press
try:
    run()
except SystemExit:
    assert answered == [True]
"""


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "job.tensi"
        JobFile.create(path, demo_job("ridge-pier")).close()
        begun: list[subprocess.Popen[bytes]] = []

        def run(code: str, *arguments: str) -> None:
            environment = {**os.environ, "HOME": scratch, "QT_QPA_PLATFORM": "offscreen"}
            # A user's Python keeps what it has compiled; one told not to would compile at each start.
            environment.pop("PYTHONDONTWRITEBYTECODE", None)
            # What a window remembers of the start before is not what is timed.
            environment["XDG_CONFIG_HOME"] = tempfile.mkdtemp(dir=scratch)
            command = [sys.executable, "-c", code, *arguments]
            begun.append(
                subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=environment)
            )
            assert begun[-1].stdout is not None
            assert begun[-1].stdout.readline() == b"answered\n"

        def ended() -> None:
            """What one of them still does is not part of the next."""
            while begun:
                assert begun.pop().wait(30) == 0

        def row(what: str, size: str, goal: float, *words: str) -> Row:
            times = in_turns(lambda: run(_OURS, *words), lambda: run(_FLOOR), 9, between=ended)
            return Row(what, size, *times, goal)

        return [
            row("start to a start page that answers", "no job", 1.6, "page"),
            row("start to a window that answers", "any job", 1.6, str(path), "frame"),
            row("start to the job in it, answering", "demo job", 2.0, str(path), "job"),
        ]
