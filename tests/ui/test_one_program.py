"""One program running: a further start hands its job over; what a window was is remembered."""

import contextlib
import json
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QSettings
from PyQt6.QtNetwork import QLocalSocket
from PyQt6.QtWidgets import QApplication

from tensimeter.core.model.job import Job
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile
from tensimeter.ui import one_program
from tensimeter.ui.app import Tensimeter
from tensimeter.ui.one_program import OneProgram


def call(raw: bytes) -> QLocalSocket:
    socket = QLocalSocket()
    socket.connectToServer(one_program._name())
    socket.write(raw)
    return socket


def test_a_further_start_is_heard_and_nonsense_is_not(qtbot) -> None:
    one = OneProgram()
    asked: list[str] = []
    one.asked.connect(asked.append)
    odd = [call(raw) for raw in (b"\xff\xfe\n", b"{}\n", b'{"path": 7}\n', b"no line")]
    deep = call(b"[" * 8000 + b"\n")
    qtbot.waitUntil(lambda: deep.state() == QLocalSocket.LocalSocketState.UnconnectedState, timeout=60_000)
    told = call(json.dumps({"path": "/a/job.tensi"}).encode() + b"\n")
    qtbot.waitUntil(lambda: "/a/job.tensi" in asked, timeout=60_000)
    qtbot.waitUntil(lambda: told.bytesAvailable() > 0, timeout=60_000)
    assert told.readAll().data().strip() == b"taken"
    assert set(asked) <= {"", "/a/job.tensi"}
    assert len(odd) == 4
    one.end()
    assert one_program.handed_over(Path("/a/job.tensi")) is False


def test_a_name_that_another_user_could_take_is_none(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot
) -> None:
    open_to_all = tmp_path / "run"
    open_to_all.mkdir()
    open_to_all.chmod(0o777)
    monkeypatch.setattr(one_program, "_places", lambda: [open_to_all])
    assert one_program._name() == ""
    assert one_program.handed_over(Path("/a/job.tensi")) is False
    OneProgram().end()
    # One that sits on the socket and is somebody else is not spoken to; this start opens its own window.
    monkeypatch.undo()
    one = OneProgram()
    assert Path(one_program._name()).parent.stat().st_mode & 0o077 == 0
    monkeypatch.setattr(one_program, "_is_ours", lambda _: False)
    assert one_program.handed_over(Path("/a/job.tensi")) is False
    one.end()


def test_nobody_answers_where_nobody_runs() -> None:
    assert one_program.handed_over(Path("/a/job.tensi")) is False


def also(program: Tensimeter, path: str, qtbot) -> None:
    """A further start, and what comes of it once its job has been read beside the windows."""
    program.also(path)
    qtbot.waitUntil(lambda: program.opening is None, timeout=60_000)


@pytest.fixture
def program():
    made = Tensimeter()
    yield made
    for window in (made.window, *made.others, made.start):
        with contextlib.suppress(RuntimeError):  # closed and gone already
            if window is not None:
                window.close()


def test_the_first_window_goes_and_the_second_leads_back_to_all_jobs(
    program: Tensimeter, tmp_path: Path, qtbot
) -> None:
    """A job was dropped on another's window; the first is closed, then *All jobs* asked for in the second."""
    first = program.show_job(JobFile.create(tmp_path / "a.tensi", demo_job("ridge-pier")))
    second = tmp_path / "b.tensi"
    JobFile.create(second, Job(name="Second")).close()
    also(program, str(second), qtbot)
    beside = program.others[-1]
    first.window().close()
    qtbot.wait(1)
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    beside.jobs_wanted.emit()
    qtbot.waitUntil(lambda: program.start is not None and program.start.isVisible(), timeout=60_000)
    also(program, str(tmp_path / "a.tensi"), qtbot)
    assert any(w.session.job.name == "Ridge pier supply" for w in (program.window, *program.others) if w)


def test_a_second_job_has_its_own_window(program: Tensimeter, tmp_path: Path, qtbot) -> None:
    first = program.show_job(JobFile.create(tmp_path / "a.tensi", demo_job("ridge-pier")))
    JobFile.create(tmp_path / "b.tensi", Job(name="Second")).close()
    also(program, str(tmp_path / "b.tensi"), qtbot)
    assert [w.session.job.name for w in program.others] == ["Second"]
    assert first.isVisible()
    # The same again comes forward; what is none is told, and nothing is lost.
    also(program, str(tmp_path / "b.tensi"), qtbot)
    assert len(program.others) == 1
    (tmp_path / "c.tensi").write_text("no job")
    also(program, str(tmp_path / "c.tensi"), qtbot)
    assert len(program.others) == 1
    assert first.line.hint.text()
    program.also("")
    assert first.isVisible()


def test_a_window_stands_as_the_last_one_stood(program: Tensimeter, tmp_path: Path, qtbot) -> None:
    QSettings().clear()
    window = program.show_job(JobFile.create(tmp_path / "a.tensi", demo_job("ridge-pier")))
    qtbot.waitExposed(window)
    window.window().resize(1010, 640)
    window.go_to(2)
    window.toggle_column()
    assert window.column.isVisible()
    window.window().resize(1200, 640)
    window.toggle_column()
    size = window.window().size()
    # Closed from within, all of it goes.
    around = window.window()
    window.close()
    assert not around.isVisible()
    again = program.show_job(JobFile.create(tmp_path / "b.tensi", demo_job("ridge-pier")))
    qtbot.waitExposed(again)
    # Off screen there is no more width than the screen has.
    assert again.window().height() == size.height()
    assert again.stage_index == 2
    assert not again.column.isVisible()
    QSettings().clear()
