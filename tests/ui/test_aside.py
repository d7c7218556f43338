"""What is worked out beside the window: the newest answer only, for who asked, and never a stale one."""

import ast
import gc
import subprocess
import sys
import threading
import weakref
from pathlib import Path

import numpy as np
import pytest
from benchmarks.anything import used
from PyQt6 import sip
from PyQt6.QtCore import QObject

from tensimeter.core.circuit.load_line import load_line
from tensimeter.core.circuit.network import build
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.edits import changed, with_campaign, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.remembered import remembered
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.aside import Aside
from tensimeter.ui.session import Session
from tensimeter.ui.sweep import WORTH, Sweep
from tensimeter.ui.window import MainWindow


def test_only_the_newest_of_a_kind_is_shown_and_only_to_who_is_there(qtbot) -> None:
    aside, who, gone = Aside(threaded=True), QObject(), QObject()
    going, shown = threading.Event(), []
    aside.ask("map", who, lambda: going.wait(5) and "old", shown.append)
    qtbot.wait(30)
    # One is being worked on; of those that wait behind it only the last is worked on at all.
    worked = []
    for k in range(5):
        aside.ask("map", who, lambda k=k: worked.append(k) or k, shown.append)
    aside.ask("other", who, lambda: "other", shown.append)
    aside.ask("failing", who, lambda: 1 / 0, shown.append)
    aside.ask("gone", gone, lambda: "gone", shown.append)
    sip.delete(gone)
    assert aside.waits("map", "nothing")
    going.set()
    qtbot.waitUntil(lambda: not aside.waits(), timeout=60_000)
    assert (shown, worked) == ([4, "other"], [4])
    aside.ask("map", who, lambda: "unwanted", shown.append)
    aside.drop("map")
    aside.stop()
    aside.ask("map", who, lambda: "too late", shown.append)
    qtbot.wait(60)
    assert shown == [4, "other"]
    at_once = Aside()
    at_once.ask("map", who, lambda: "at once", shown.append)
    assert shown[-1] == "at once"
    assert not at_once.waits()


def test_an_answer_is_kept_while_what_it_follows_from_is_the_same(demo: Job) -> None:
    asked = []

    @remembered("design", kept=2)
    def answer(job: Job, amps: np.ndarray, *, word: str = "") -> object:
        asked.append(word)
        if word == "wrong":
            raise UserError("no")
        return job.design, amps.sum()

    amps = np.array([1.0, 2.0])
    assert answer(demo, amps) is answer(demo, amps.copy())
    # What it does not follow from may change; what it does makes it ask again, as do other figures.
    assert answer(with_campaign(demo, wiring="two-wire"), amps) is answer(demo, amps)
    edited = with_link(demo, changed(demo.design.link("front-end"), set_V=14.0))
    assert answer(edited, amps)[0] is edited.design
    assert answer(demo, amps + 1)[1] == 5.0
    assert len(asked) == 3
    answer(demo, amps)
    assert len(asked) == 4
    for _ in range(2):
        with pytest.raises(UserError):
            answer(demo, amps, word="wrong")
    assert asked.count("wrong") == 2
    # The same in the program: an edited job is never answered by the one before.
    before, after = (load_line(job, "mount", amps) for job in (demo, edited))
    assert after.volts[0] - before.volts[0] == pytest.approx(0.4, abs=0.01)
    assert build(demo) is build(demo)
    assert build(edited) is not build(demo)


def test_after_anything_every_figure_is_that_of_a_window_opened_just_now(qtbot, tmp_path: Path) -> None:
    """Forty acts of a demo; `python -m benchmarks.anything` does as many as one likes."""
    wrong, _ = used(40, 1, tmp_path)
    assert wrong == []


def test_a_soak_is_judged_beside_the_window(qtbot, demo: Job, tmp_path: Path) -> None:
    digits, waited = Accuracy(of_reading=0.0005, counts=2, resolution=0.1), "Its heat is being worked out."
    with JobFile.create(tmp_path / "soaked.tensi", demo) as file:
        run = file.begin_run("soak", {})
        read = (("mount", "V", 13.2), ("mount", "A", 8.0), ("ambient", "C", 20.0))
        rows = []
        for k in range(90):
            case = ("front-end-case", "C", round(20 + 45 * (1 - np.exp(-k / 25)), 1))
            rows += [
                Reading(k, 30.0 * k, *what, "", digits, "four-wire", "instrument", "", "soak", 1, run)
                for what in (*read, case)
            ]
        file.keep(rows)
        session = Session(file, Aside(threaded=True))
        first = session.outcome_of("soak")
        assert (first.verdict, first.findings[0].text) == (Verdict.NOT_MEASURED, waited)
        assert session.is_late("soak")
        # Others are told at once, and asking again asks for nothing more.
        assert session.outcome_of("load-regulation").measured == 0
        assert session.outcome_of("soak").findings == first.findings
        with qtbot.waitSignal(session.judged, timeout=60_000):
            pass
        told = session.outcome_of("soak")
        assert not session.is_late("soak")
        assert any(f.key.startswith("in_the_end") or "in the end" in f.name for f in told.findings)
        moved = changed(demo.design.link("front-end"), set_V=13.7)
        session.edit("set volts", with_link(session.job, moved))
        # Whether the supply was changed is asked: until that is said, nothing that was read counts for it.
        assert session.outcome_of("soak").measured == 0
        session.take_line(session.line("only described"))
        session.outcome_of("soak")
        assert session.is_late("soak")
        qtbot.waitUntil(lambda: not session.aside.waits(), timeout=60_000)
        assert session.outcome_of("soak") is not told
        assert session.outcome_of("soak").measured == 1
        session.aside.stop()


def test_garbage_is_looked_for_while_nobody_waits(window: MainWindow) -> None:
    class Circle:
        def __init__(self) -> None:
            self.own = [self, [], {}]

    sweep = Sweep()
    sweep.settle(window.session)
    ends = [weakref.ref(Circle()) for _ in range(WORTH)]
    window.session.readings_changed.emit()
    sweep._look()
    assert ends[0]() is not None
    sweep._touched -= 10
    sweep._look()
    assert ends[0]() is None
    assert not gc.isenabled()


#: Loads what is loaded ahead and says which objects of Qt's that has made.
MADE = """
import ast
import gc
import subprocess
import sys
from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QApplication
app = QApplication([])
from tensimeter.ui import ahead, theme
for name in ahead.WANTED:
    ahead.load(name)
print({type(o).__name__ for o in gc.get_objects() if isinstance(o, QObject)})
"""


def test_what_is_loaded_ahead_makes_no_object_of_the_wrong_thread() -> None:
    done = subprocess.run([sys.executable, "-c", MADE], capture_output=True, text=True, check=True)
    assert ast.literal_eval(done.stdout) == {"QApplication", "Theme"}
