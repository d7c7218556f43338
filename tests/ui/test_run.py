"""Runs from the window: the load drops whatever happens, and nothing shown is lost."""

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
import pyvisa
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QWidget

from tensimeter.bench import wall
from tensimeter.bench.events import Event
from tensimeter.bench.setup import open_bench
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.logbook_window import LogbookWindow
from tensimeter.ui.window import MainWindow

from ..conftest import SPEED

ROOT = Path(__file__).parents[2]


def begin(window: MainWindow, served: SimulatedBench, speed: float = SPEED) -> None:
    window.stage("prove")
    window.session.start_run(open_bench(window.session.job, served.resources, speed=speed))


def ended(window: MainWindow) -> bool:
    return not window.session.running and window.session.bench is None


def test_a_run_from_start_to_plate(window: MainWindow, stand_ins: SimulatedBench, qtbot) -> None:
    seen: list[tuple] = []

    def look(event: Event) -> None:
        session = window.session
        seen.append((event.kind, window.drop_bar.isVisible(), window.strip.mode(), session.load["hub"]))

    window.session.run_event.connect(look)
    begin(window, stand_ins, 40)
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)
    lived = [x for x in seen if x[0] == "live"]
    assert len(lived) >= 3
    # While it ran, Drop load was on screen, the strip was live, and the other outputs stood idle.
    assert all(visible and mode.startswith("live") and hub == 0 for _, visible, mode, hub in lived[1:-1])
    assert len(window.session.trace) >= 8
    assert not window.drop_bar.isVisible()
    assert window.session.outcome.complete
    assert "8 steps read" in window.line.hint.text()
    assert "simulated up to 6.38 A" in window.strip.mode()
    # The operating point is back where the builder had it.
    assert window.session.load == {"mount": 8.0, "dew": 3.0, "hub": 2.0}
    assert window.rail.buttons[6].caption == "simulated only"


def _logbook(window: MainWindow) -> QWidget:
    window.show_logbook()
    return window.findChild(LogbookWindow).words


def _instruments(window: MainWindow) -> QWidget:
    panel = window.stage("prove").campaign
    panel.find_button.click()
    return panel.instruments.fields["load"]


def _choice(window: MainWindow) -> QWidget:
    source = window.stage("prove").campaign.source
    source.showPopup()
    return source.view()


def _line(window: MainWindow, stage: str) -> QWidget:
    window.stage(stage)
    window.focus_line()
    return window.line.entry


@pytest.mark.parametrize(
    "place",
    [*(partial(_line, stage=s) for s in ("prove", "stock", "plate")), _logbook, _instruments, _choice],
)
def test_escape_drops_the_load_from_anywhere(
    window: MainWindow, stand_ins: SimulatedBench, qtbot, place: Callable[[MainWindow], QWidget]
) -> None:
    begin(window, stand_ins, 20)
    qtbot.waitUntil(lambda: stand_ins.load_drawing, timeout=60_000)
    hand = place(window)
    began = wall.now()
    qtbot.keyClick(hand, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: not stand_ins.load_drawing, timeout=60_000)
    assert wall.now() - began < 2
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)
    assert "The load was dropped." in window.line.hint.text()
    assert window.session.file.runs()[0].ended == "aborted"


def test_closing_the_window_puts_the_load_off(
    open_window, job_file: JobFile, stand_ins: SimulatedBench, qtbot
) -> None:
    window = open_window(job_file)
    begin(window, stand_ins, 20)
    qtbot.waitUntil(lambda: stand_ins.load_drawing, timeout=60_000)
    window.close()
    assert not stand_ins.load_drawing
    with JobFile(job_file.path) as file:
        assert file.runs()[0].ended == "aborted"


@pytest.mark.parametrize("fault", ["close", "garble"])
def test_a_lost_instrument_is_a_sentence_on_screen(
    window: MainWindow, stand_ins: SimulatedBench, qtbot, fault: str
) -> None:
    begin(window, stand_ins)
    qtbot.waitUntil(lambda: window.session.outcome.measured >= 2, timeout=60_000)
    stand_ins.faults["voltmeter"] = fault
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)
    assert not stand_ins.load_drawing
    assert "All readings taken were kept." in window.line.hint.text()
    assert window.session.outcome.measured >= 2
    assert not window.drop_bar.isVisible()


def test_a_run_begun_with_the_stages_own_button(window: MainWindow, qtbot) -> None:
    panel = window.stage("prove").campaign
    panel.source.setCurrentIndex(panel.source.findData("quick"))
    panel.refresh()
    assert panel.start.isVisible()
    assert not panel.present.isVisible()
    panel.start.click()
    qtbot.waitUntil(lambda: window.session.running, timeout=60_000)
    with pytest.raises(UserError, match="on already"):
        window.control.start("quick")
    panel.pause.click()
    qtbot.waitUntil(lambda: panel.pause.text() == "Go on", timeout=60_000)
    qtbot.waitUntil(lambda: not window.control._served[2].load_drawing, timeout=60_000)
    panel.pause.click()
    qtbot.waitUntil(lambda: window.control._served[2].load_drawing, timeout=60_000)
    window.escape()
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)


def test_a_real_bench_waits_for_its_hold_points(window: MainWindow, running: Job, keys) -> None:
    panel = window.stage("prove").campaign
    panel.source.setCurrentIndex(panel.source.findData("bench"))
    panel.refresh()
    panel.start.click()
    assert "bench file" in window.line.hint.text()
    panel.bench_path.setText("bench.toml")
    panel.start.click()
    assert "Hold point open: MOUNT to earth." in window.line.hint.text()
    keys(window, "Ctrl+l", "earth-mount OL", "Enter")
    panel.start.click()
    assert "live pin to neutral pin" in window.line.hint.text()
    window.session.edit("built and running", running)
    panel.start.click()
    assert "bench.toml can't be read" in window.line.hint.text()


WINDOW = """
import os, sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from tensimeter.bench.setup import open_bench
from tests.process_time import be_slow
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.app import make_application
from tensimeter.ui.session import Session
from tensimeter.ui.logbook_window import LogbookWindow
from tensimeter.ui.window import MainWindow
be_slow()
app = make_application()
window = MainWindow(Session(JobFile(Path(sys.argv[1]))))
window.show()
window.stage("prove")
def shown():
    print(len(window.session.now.readings), flush=True)
window.session.readings_changed.connect(shown)
resources = {"load": sys.argv[2], "voltmeter": sys.argv[3]}
window.session.start_run(open_bench(window.session.job, resources, speed=4))
app.exec()
"""


def test_a_killed_window_leaves_the_load_off_and_the_readings_there(
    job_file: JobFile, stand_ins: SimulatedBench
) -> None:
    path = job_file.path
    job_file.close()
    words = [
        sys.executable,
        "-c",
        WINDOW,
        str(path),
        stand_ins.resources["load"],
        stand_ins.resources["voltmeter"],
    ]
    process = subprocess.Popen(
        words, stdout=subprocess.PIPE, text=True, cwd=ROOT, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    )
    assert process.stdout is not None
    shown = 0
    while shown < 4:
        shown = int(process.stdout.readline())
    assert stand_ins.load_drawing
    os.kill(process.pid, signal.SIGKILL)
    began = time.monotonic()
    process.wait()
    manager = pyvisa.ResourceManager("@py")
    while stand_ins.load_drawing:
        QApplication.processEvents()
    # Another process does it: two seconds, on a machine of a twentieth of this one's speed.
    assert time.monotonic() - began < 40
    load = manager.open_resource(stand_ins.resources["load"], read_termination="\n", write_termination="\n")
    assert load.query("INP?") == "0"
    load.close()
    with JobFile(path) as file:
        assert len(file.readings()) >= shown
        assert file.check() == []


def test_the_demo_plays_without_a_display(tmp_path: Path) -> None:
    from tensimeter.ui.headless import play

    folder = tmp_path / "demo-out"
    lines = list(play("ridge-pier", folder, SPEED))
    assert [line.split()[-1] for line in lines[1:4]] == ["call", "holds", "holds"]
    assert "dropped before the limit. Will cross" in lines[4]
    assert (folder / "ridge-pier.pdf").read_bytes().startswith(b"%PDF-")
    assert (folder / "ridge-pier.html").exists()
    assert len(list((folder / "pictures").glob("*.png"))) == 7
    with JobFile(folder / "ridge-pier.tensi") as file:
        assert len(file.runs()) == 4
        assert file.check() == []
