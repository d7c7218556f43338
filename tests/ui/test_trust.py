"""The window and facts: what is taken back, asked about or made up, and a load that stays on."""

import threading
import time

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.events import Event
from tensimeter.bench.setup import open_bench
from tensimeter.core.errors import UserError
from tensimeter.core.held.points import proven_A, shown_A
from tensimeter.core.held.proven_part import proven_supply
from tensimeter.core.measurement.readings import Reading, thinned
from tensimeter.core.testplan.evaluation import already_read
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.report.sheet import build
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.run_feed import RunFeed
from tensimeter.ui.window import MainWindow


def typed(window: MainWindow, *lines: str) -> None:
    for line in lines:
        window.line.entry.setText(line)
        QTest.keyClick(window.line.entry, Qt.Key.Key_Return)


def values(window: MainWindow, quantity: str = "V") -> list[float]:
    return [r.value for r in window.session.file.readings() if r.quantity == quantity]


def simulate(window: MainWindow, qtbot) -> None:
    """The load regulation of MOUNT on the simulated bench."""
    clock = SteppedClock()
    with stand_ins(window.session.job, clock=clock) as served:
        window.session.start_run(open_bench(window.session.job, served.resources, clock=clock))
        qtbot.waitUntil(lambda: not window.session.running and window.session.bench is None, timeout=60_000)


def test_a_slip_is_asked_about_and_a_mistake_is_taken_back(window: MainWindow) -> None:
    window.stage("prove")
    # None of these is kept, and none raises while it is typed.
    for line in ("mount 13.58 4", "mount 13.58V 4V", "mount 1.234,5", "mount 13.5V @4A and so on"):
        window.line._look(line)
        typed(window, line)
        assert values(window) == [], line
    typed(window, "moutn 13.5V")
    assert values(window) == []
    assert "Did you mean MOUNT?" in window.line.hint.text()
    typed(window, "moutn 13.5V")
    assert values(window) == [13.5]
    typed(window, "strike last, a slip of the finger")
    assert values(window) == []
    assert "struck" in window.line.hint.text()
    typed(window, "mount 13.55V @1.6A", "replace last by 13.50V, misread")
    assert values(window) == [13.5]
    assert values(window, "A") == [1.6]
    typed(window, "strike 99, nothing there")
    assert "no reading 99" in window.line.hint.text()
    typed(window, "strike last")
    assert "why" in window.line.hint.text()


def test_undo_strikes_what_was_typed_or_brought_last(window: MainWindow, tmp_path) -> None:
    stage, session = window.stage("prove"), window.session
    typed(window, "mount 13602V @4A", "mount 13602V @4A")
    assert values(window) == [13602.0]
    session.undo()
    assert values(window) == []
    assert session.file.struck() == {1: "taken back by undo", 2: "taken back by undo"}
    session.redo()
    assert values(window) == [13602.0]
    session.undo()
    log = tmp_path / "bench.csv"
    log.write_text("v,i\n13.6,0\n13.5,1.6\n13.4,3.2\n")
    stage.campaign.take_in(log)
    assert values(window) == [13.6, 13.5, 13.4]
    assert session.outcome is not None
    before = session.outcome.measured
    session.undo()
    assert (values(window), session.outcome.measured, before) == ([], 0, 3)
    # An edit before it is undone after it.
    session.edit("renamed", session.job.model_copy(update={"name": "Other"}))
    typed(window, "mount 13.6V @0A")
    session.undo()
    session.undo()
    assert session.job.name == "Ridge pier supply"


def test_a_doubtful_log_is_taken_when_it_is_brought_again(window: MainWindow, tmp_path) -> None:
    stage = window.stage("prove")
    log = tmp_path / "bench.csv"
    log.write_text("Time (s),V,mA\n0,13600,0\n1,13500,1600\n")
    stage.campaign.take_in(log)
    assert "unit in the header" in window.line.hint.text()
    assert "once more" in window.line.hint.text()
    assert values(window) == []
    stage.campaign.take_in(log)
    assert values(window) == [13600.0, 13500.0]


def test_readings_are_struck_from_their_list_and_stay_in_it(window: MainWindow) -> None:
    stage = window.stage("prove")
    typed(window, "mount 13.6V @0A", "mount 13.2V @4A")
    stage.show_view("readings")
    view = stage.readings
    assert [view.table.topLevelItem(k).text(3) for k in range(4)] == ["4 A", "13.2 V", "0 A", "13.6 V"]
    view.strike()
    assert "Choose a reading first" in view.said.text()
    view.table.setCurrentItem(view.table.topLevelItem(1))
    view.strike()
    assert "why" in view.said.text()
    view.reason.setText("the lead was loose")
    QTest.keyClick(view.reason, Qt.Key.Key_Return)
    assert values(window) == [13.6]
    struck = [view.table.topLevelItem(k) for k in range(4) if view.table.topLevelItem(k).font(3).strikeOut()]
    assert len(struck) == 2
    assert all("the lead was loose" in item.text(6) for item in struck)
    assert "the lead was loose" in build(window.session.file).struck[0]


def test_nothing_simulated_is_proven_in_anybodys_job(open_window, tmp_path, qtbot) -> None:
    own = demo_job("ridge-pier").model_copy(update={"name": "My own", "demo": False})
    window = open_window(JobFile.create(tmp_path / "own.tensi", own))
    stage, session = window.stage("prove"), window.session
    simulate(window, qtbot)
    result = session.outcome
    assert result is not None
    assert (result.pretended, proven_A(result)) == ("simulated", None)
    assert 7.97 < shown_A(result) < 8.0
    assert "simulated, proves nothing" in stage.title.text()
    assert {r.origin for r in session.file.readings()} == {"simulated"}
    sheet = build(session.file)
    assert sheet.stamp == "SIMULATED"
    assert (sheet.ratings[0].proven, "simulated" in sheet.ratings[0].why) == ("not proven", True)
    assert "simulated" in sheet.sections[0].title
    with pytest.raises(UserError, match="proves nothing"):
        proven_supply(session.job, result)
    # One real reading, and what was simulated counts no more beside it.
    typed(window, "mount 13.6V @0A")
    result = session.outcome
    assert result is not None
    assert (result.pretended, result.measured) == ("", 1)
    assert build(session.file).stamp == "SIMULATED IN PART"
    assert already_read(session.outcome, simulated=False) == {0}


def test_a_demo_says_on_every_page_that_it_is_one(window: MainWindow) -> None:
    from tensimeter.report.datasheet import html

    assert "a demo" in window.header._place.text()
    sheet = build(window.session.file)
    assert sheet.stamp == "DEMO"
    text = html(sheet)
    assert "DEMO" in text
    assert "made up" in text.partition("@bottom-right")[0]


def test_a_window_does_not_close_in_silence_on_a_load_that_stays_on(open_window, tmp_path, qtbot) -> None:
    job = demo_job("ridge-pier")
    window = open_window(JobFile.create(tmp_path / "j.tensi", job))
    window.stage("prove")
    with SimulatedBench(job, seed=5, speed=20) as served:
        wanted = {k: v for k, v in served.resources.items() if k in ("load", "voltmeter")}
        bench = open_bench(job, wanted, speed=20)
        window.session.start_run(bench, present=True)
        qtbot.waitUntil(lambda: served.world.supply.amps("mount") > 1, timeout=60_000)
        device = served.devices["load"]
        plain = device.handle
        device.handle = lambda line: None if "OFF" in line or "CURR 0" in line else plain(line)
        assert not window.close()
        assert window.isVisible()
        assert "NOT CONFIRMED OFF" in window.drop_bar.text()
        assert window.drop_bar.isVisible()
        qtbot.waitUntil(lambda: not window.session.running, timeout=60_000)
        device.handle = plain
        assert window.close()


def test_a_run_of_a_day_does_not_starve_the_window(qtbot) -> None:
    feed, came = RunFeed(), []
    took = 0.02

    def slow(event: Event) -> None:
        came.append(event)
        time.sleep(took)

    feed.came.connect(slow)
    feed.begin()
    sent = [
        Event("kept", None, (Reading(k, 0.0, "x", "V", 1.0, "", None, "two-wire", "typed", id=k),))
        for k in range(500)
    ]
    thread = threading.Thread(target=lambda: [feed.hear(e) for e in sent] + [feed.hear(Event("complete"))])
    thread.start()
    qtbot.waitUntil(lambda: bool(came) and came[-1].kind == "complete", timeout=60_000)
    thread.join()
    kept = [e for e in came if e.kind == "kept"]
    # All of it came, in order, brought together: not five hundred times what one costs.
    assert [r.id for e in kept for r in e.readings] == list(range(500))
    assert len(kept) < 50


def test_thinning_keeps_each_runs_ends_and_what_is_of_no_run() -> None:
    def reading(scan: int, run: int | None) -> Reading:
        return Reading(scan, float(scan), "x", "C", 1.0, "", None, "two-wire", "instrument", run=run, id=scan)

    rows = [*(reading(k, 1) for k in range(1000)), *(reading(2000 + k, None) for k in range(50))]
    found = thinned(rows, 100)
    of_run = [r.scan for r in found if r.run == 1]
    assert (of_run[0], of_run[-1]) == (0, 999)
    assert 90 <= len(of_run) <= 102
    assert len([r for r in found if r.run is None]) == 50
    assert thinned(rows[:50], 100) == rows[:50]
