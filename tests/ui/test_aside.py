"""What is worked out beside the window: the newest answer only, for who asked, and never a stale one."""

import threading
from pathlib import Path

import numpy as np
import pytest
from benchmarks.anything import used
from PyQt6 import sip
from PyQt6.QtCore import QObject

from tensimeter.core.circuit.load_line import load_line
from tensimeter.core.circuit.network import build
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, with_campaign, with_link
from tensimeter.core.model.job import Job
from tensimeter.core.remembered import remembered
from tensimeter.ui.aside import Aside


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
    qtbot.waitUntil(lambda: not aside.waits(), timeout=20000)
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
