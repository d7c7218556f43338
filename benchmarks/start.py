"""Start to a window that answers, against importing what any such window must import."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from benchmarks.measure import Row, in_turns
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile

_FLOOR = "import PyQt6.QtWidgets, numpy, pyqtgraph"
# The program's own way to a window; then a key is pressed, its answer seen, and the window closed.
_OURS = """
import gc
# As the program itself does before it loads the window; here that is loaded sooner, to be listened to.
gc.disable()
from PyQt6.QtCore import Qt, QTimer
from tensimeter.cli.main import run
from tensimeter.ui.app import Tensimeter

answered = []

def press(window):
    if not window.isActiveWindow() or window.rail.visibleRegion().isEmpty():
        QTimer.singleShot(1, lambda: press(window))
        return
    from PyQt6.QtTest import QTest
    QTest.keyClick(window, Qt.Key.Key_F2)
    answered.append(not window.column.isVisible())
    window.close()

show_job = Tensimeter.show_job
def show_and_press(self, file):
    window = show_job(self, file)
    window.activateWindow()
    QTimer.singleShot(0, lambda: press(window))
    return window

Tensimeter.show_job = show_and_press
try:
    run()
except SystemExit:
    assert answered == [True]
"""


def rows() -> list[Row]:
    with tempfile.TemporaryDirectory() as scratch:
        path = Path(scratch) / "job.tensi"
        JobFile.create(path, demo_job("ridge-pier")).close()

        def run(code: str, *arguments: str) -> None:
            environment = {**os.environ, "HOME": scratch, "QT_QPA_PLATFORM": "offscreen"}
            # A user's Python keeps what it has compiled; one told not to would compile at each start.
            environment.pop("PYTHONDONTWRITEBYTECODE", None)
            # What a window remembers of the start before is not what is timed.
            environment["XDG_CONFIG_HOME"] = tempfile.mkdtemp(dir=scratch)
            subprocess.run(
                [sys.executable, "-c", code, *arguments], check=True, capture_output=True, env=environment
            )

        times = in_turns(lambda: run(_OURS, str(path)), lambda: run(_FLOOR), 9)
    return [Row("start to a window that answers", "demo job", *times, 2.0)]
