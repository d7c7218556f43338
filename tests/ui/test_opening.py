"""A window is there before its job is: what is done meanwhile is kept, and what can go wrong is told."""

import contextlib
import subprocess
import sys
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QApplication, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.demo.library import demo_job, demo_names
from tensimeter.demo.names import TITLES
from tensimeter.store.jobfile import JobFile
from tensimeter.ui import app
from tensimeter.ui.app import Tensimeter
from tensimeter.ui.job_window import JobWindow
from tensimeter.ui.start_page import StartPage


@pytest.fixture
def path(tmp_path: Path) -> Path:
    made = tmp_path / "a.tensi"
    JobFile.create(made, demo_job("ridge-pier")).close()
    return made


@pytest.fixture
def program():
    QSettings().clear()
    made = Tensimeter()
    yield made
    for window in (made.opening, made.window, *made.others, made.start):
        with contextlib.suppress(RuntimeError):  # closed and gone already
            if window is not None:
                window.window().close()
    QSettings().clear()


def test_what_is_done_while_a_job_is_read_is_kept(
    program: Tensimeter, path: Path, keys, qtbot, monkeypatch
) -> None:
    go_on, read = threading.Event(), app._read
    monkeypatch.setattr(app, "_read", lambda path: read(path) if go_on.wait(20) else None)
    program.open(path)
    opening = program.opening
    assert opening is not None
    qtbot.waitExposed(opening)
    opening.activateWindow()
    qtbot.waitUntil(lambda: opening.frame.entry.hasFocus(), timeout=60_000)
    assert opening.windowTitle() == "a – Tensimeter"
    for widget in opening.findChildren(QWidget):
        assert widget.accessibleName() or widget.focusPolicy() == Qt.FocusPolicy.NoFocus, widget
    keys(opening, "mount 13.58V @4", "Left", "Left", "Left", "Enter")
    assert "what is typed stays" in opening.frame.hint.text()
    keys(opening, "Alt+2", "F2")
    assert [b.isChecked() for b in opening.frame.rail.buttons].index(True) == 1
    assert not opening.frame.column.isVisible()
    # A further start meanwhile is answered once the first job is there.
    JobFile.create(path.with_name("b.tensi"), Job(name="Second")).close()
    program.also(str(path.with_name("b.tensi")))
    assert program.others == []
    go_on.set()
    qtbot.waitUntil(lambda: program.window is not None, timeout=60_000)
    window = program.window
    assert window is not None
    assert opening.main is window
    assert window.window() is opening
    assert opening.windowTitle() == "Ridge pier supply – Tensimeter"
    assert window.stage_index == 1
    assert not window.column.isVisible()
    line = window.line
    assert (line.entry.text(), line.entry.cursorPosition()) == ("mount 13.58V @4", 12)
    assert line.entry.hasFocus() or not opening.isActiveWindow()
    assert "13.58 V at 4 A" in line.hint.text()
    qtbot.waitUntil(lambda: program.opening is None, timeout=60_000)
    assert [w.session.job.name for w in program.others] == ["Second"]
    # What it was is remembered, whichever of the two is closed; the file is free again.
    opening.close()
    assert not window.isVisible()
    assert int(QSettings().value("stage")) == 1
    JobFile(path).close()


def test_one_that_is_closed_meanwhile_lets_go_of_its_file(program: Tensimeter, path: Path, qtbot) -> None:
    program.open(path)
    assert program.opening is not None
    program.opening.close()
    assert program.opening is None
    program.open(path.with_name("none.tensi"))
    qtbot.waitUntil(lambda: program.start is not None, timeout=60_000)
    qtbot.waitUntil(lambda: _held(path) is None, timeout=60_000)


def test_one_that_can_not_be_shown_is_told_and_left_as_it_was(
    program: Tensimeter, path: Path, qtbot, monkeypatch
) -> None:
    def broken(*_: object) -> None:
        raise ValueError("no window")

    monkeypatch.setattr("tensimeter.ui.window.MainWindow", broken)
    program.open(path)
    qtbot.waitUntil(lambda: program.start is not None, timeout=60_000)
    assert "left as it is" in program.start.said.text()
    assert _held(path) is None


def _held(path: Path) -> str | None:
    try:
        JobFile(path).close()
    except UserError as trouble:
        return str(trouble)
    return None


@pytest.mark.parametrize("seen", [True, False])
def test_a_job_that_can_not_be_opened_is_told_of_where_someone_looks(
    path: Path, monkeypatch, qtbot, capsys, seen: bool
) -> None:
    shown: list[str] = []

    def look() -> int:
        """What goes on until the start page is there, or until nothing is any more."""
        pages: list[StartPage] = []

        def over() -> bool:
            windows = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
            pages[:] = [w for w in windows if isinstance(w, StartPage)]
            return bool(pages) or not any(isinstance(w, JobWindow) for w in windows)

        qtbot.waitUntil(over, timeout=60_000)
        shown.extend(page.said.text() for page in pages)
        for page in pages:
            page.close()
        return 0

    monkeypatch.setattr(QApplication, "exec", staticmethod(look))
    monkeypatch.setattr(app.signal, "signal", lambda *_: None)
    monkeypatch.setattr("sys.excepthook", None)
    with JobFile(path):
        if seen:
            assert app.open_window(path) == 0
            assert any("open in another" in text for text in shown)
            assert "open in another" in capsys.readouterr().err
        else:
            with pytest.raises(UserError, match="open in another"):
                app.open_window(path, seen=False)
            assert shown == []


#: Shows a first window and says what of the heavy packages was loaded by then.
FIRST = """
import sys
from pathlib import Path
from tensimeter.ui.app import Tensimeter, make_application
app = make_application(figures=False)
program = Tensimeter()
program.{act}
heavy = [m for m in sys.modules if m.partition(".")[0] in ("numpy", "pydantic", "scipy", "pyvisa")]
core = [m for m in sys.modules if m.startswith(("tensimeter.store.jobfile", "tensimeter.core.model"))]
print(heavy, core)
"""


@pytest.mark.parametrize("act", ["show_start()", "open(Path('a.tensi'))"])
def test_a_first_window_waits_for_nothing_that_computes(act: str) -> None:
    code = FIRST.format(act=act)
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[] []"


#: The whole program: once a job is in its window all that can be let go of is; then it is closed.
STANDS = """
import gc, sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from tensimeter.ui.app import Tensimeter, open_window

def look(program):
    gc.unfreeze()
    gc.collect()
    QTimer.singleShot(int(sys.argv[2]), lambda: close(program.window))

def close(window):
    print(window.isVisible(), window.window().isVisible(), window.line.entry.isVisible())
    window.window().close()

show = Tensimeter._show
def show_and_look(self, *a):
    window = show(self, *a)
    QTimer.singleShot(0, lambda: look(self))
    return window

Tensimeter._show = show_and_look
sys.exit(open_window(Path(sys.argv[1])))
"""


@pytest.mark.parametrize("after_ms", [1, 300, 700])
def test_the_window_of_a_job_stands_by_itself_and_can_be_left(path: Path, after_ms: int) -> None:
    command = [sys.executable, "-c", STANDS, str(path), str(after_ms)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "True True True"
    assert (done.returncode, "Fatal" in done.stderr) == (0, False)


def test_demos_are_offered_by_the_names_they_have() -> None:
    assert {short: demo_job(short).name for short in demo_names()} == TITLES
