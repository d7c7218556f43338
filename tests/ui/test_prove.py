"""Prove in the window: the campaign planned and run by keyboard, every view, files, instruments, hands."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtTest import QTest

from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.setup import open_bench, read_bench_file
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import Corner
from tensimeter.core.model.tests import (
    ClaimedFound,
    LineRegulation,
    LoadRegulation,
    Overload,
    ReachPoints,
    Ripple,
    StartUp,
    Transient,
)
from tensimeter.core.testplan.registry import KINDS
from tensimeter.demo.library import stand_ins as simulated
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.prove.instruments_window import InstrumentsWindow
from tensimeter.ui.prove.profile_window import ProfileWindow
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.window import MainWindow


def ended(window: MainWindow) -> bool:
    return not window.session.running and window.session.bench is None


def with_tests(window: MainWindow, *tests: object) -> None:
    """The demo's job with these tests only."""
    window.session.edit("tests", with_campaign(window.session.job, tests=tests))
    window.session.choose_test(tests[0].id)


def run(window: MainWindow, served: SimulatedBench, qtbot, test: str) -> None:
    session = window.session
    session.choose_test(test)
    session.start_run(open_bench(session.job, served.resources, clock=served.clock))
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)


@pytest.fixture
def served(demo: Job):
    # Time that passes only while it is waited for: a machine that stalls lets no watchdog act.
    with simulated(demo, seed=5, clock=SteppedClock()) as bench:
        yield bench


def test_a_campaign_is_planned_taken_apart_and_put_back(window: MainWindow, keys, qtbot) -> None:
    stage = window.stage("prove")
    panel, session = stage.campaign, window.session
    assert panel.tests.count() == 4
    panel.plan_all.setFocus()
    keys(window, "Space")
    assert panel.tests.count() == 31
    assert "31 tests" in panel._time.text()
    assert " h," in panel._time.text()
    assert "Wh" in panel._time.text()
    # By arrow keys through every test: each has its title, its plot, its points, its set-up.
    panel.tests.setFocus()
    panel.tests.setCurrentRow(0)
    seen = set()
    for _ in range(panel.tests.count()):
        kind = session.test.kind
        seen.add(kind)
        assert stage.title.text().casefold().startswith(KINDS[kind].name.casefold())
        assert stage.steps.topLevelItemCount() == len(session.plan.steps)
        for view in ("found", "setup", "points"):
            stage.show_view(view)
        keys(window, "Down")
    assert seen >= {"ripple", "reach", "current-limit", "cross-regulation", "start-up"}
    panel.tests.setCurrentRow(panel.tests.count() - 1)
    keys(window, "Delete")
    assert panel.tests.count() == 30
    window.session.undo()
    assert panel.tests.count() == 31
    session.choose("dew")
    panel.add_kind.setCurrentIndex(panel.add_kind.findData("minimum-load"))
    panel.add_kind.activated.emit(panel.add_kind.currentIndex())
    assert (session.test.kind, session.test.output) == ("minimum-load", "dew")
    assert window.rail.buttons[4].caption.endswith("tests read") or "hold" in window.rail.buttons[4].caption


def test_what_each_kind_gives_is_shown(window: MainWindow, served: SimulatedBench, qtbot) -> None:
    with_tests(
        window,
        Ripple(id="ripple", output="mount", switching_Hz=117e3, points=(0.0, 1.0)),
        Transient(id="step", output="mount"),
        StartUp(id="start", output="mount"),
        Overload(id="limit", output="dew"),
        LineRegulation(id="line", output="hub"),
        ReachPoints(id="reach", output="mount", points=(Corner(volts=12, amps=2),)),
    )
    stage, session = window.stage("prove"), window.session
    stage.campaign.sound.setChecked(False)
    for test, plot, figure in (
        ("ripple", stage.plot.waves, "p-p at 8 A"),
        ("step", stage.plot.waves, "dip, 2 A to 6 A"),
        ("start", stage.plot.waves, "overshoot, MOUNT"),
        ("limit", stage.plot.picture, "limit begins at; design says 3.5 A"),
        ("line", stage.plot.picture, "line regulation; from 207 to 253 V"),
        ("reach", stage.plot.map, "reach shown at"),
    ):
        run(window, served, qtbot, test)
        assert stage.plot.currentWidget() is plot
        stage.show_view("found")
        rows = [stage.found.topLevelItem(k).text(0) for k in range(stage.found.topLevelItemCount())]
        assert figure in rows, (test, rows)
        assert session.outcome.complete
        assert (
            figure.split(";")[0] in stage.sentence.text() or session.outcome.verdict is Verdict.NONCONFORMING
        )
    stage.show_view("points")
    session.choose_test("ripple")
    session.choose_step(0)
    assert stage.plot.waves.wave._wave.step == 0
    session.choose_step(1)
    assert stage.plot.waves.wave._wave.step == 1
    assert stage.plot.waves.spectrum.isVisible()
    session.choose_test("limit")
    assert stage.steps.topLevelItem(0).text(5) == "read"
    # A figure answers why, and the night theme draws it all again.
    stage.show_view("found")
    stage.found.setCurrentItem(stage.found.topLevelItem(1), 1)
    assert "small steps" in stage.found.worked().formula
    theme.use(night=True, scale=1.3)
    theme.use(night=False, scale=1.0)


def test_zoom_and_pan_by_keys(window: MainWindow, served: SimulatedBench, qtbot) -> None:
    with_tests(window, Ripple(id="ripple", output="mount", points=(1.0,)))
    stage = window.stage("prove")
    run(window, served, qtbot, "ripple")
    plot = stage.plot.waves.wave
    whole = plot.getViewBox().viewRange()[0]
    assert whole == pytest.approx([0, 50], abs=0.5)
    QTest.keyClick(plot, Qt.Key.Key_Plus)
    near = plot.getViewBox().viewRange()[0]
    assert near[1] - near[0] == pytest.approx(25, rel=0.05)
    QTest.keyClick(plot, Qt.Key.Key_Right)
    assert plot.getViewBox().viewRange()[0][0] > near[0]
    for _ in range(12):
        QTest.keyClick(plot, Qt.Key.Key_Plus)
    x, y = plot._curve.getData()
    # Close by, every sample is drawn.
    assert np.diff(x) == pytest.approx(50 / 200_000, rel=0.01)
    assert len(y) < 200
    QTest.keyClick(plot, Qt.Key.Key_Minus)
    QTest.keyClick(plot, Qt.Key.Key_0)
    assert plot.getViewBox().viewRange()[0] == pytest.approx(whole, abs=0.01)
    QTest.keyClick(plot, Qt.Key.Key_A)


def test_a_test_is_set_up_in_place(window: MainWindow, keys) -> None:
    with_tests(
        window,
        LoadRegulation(id="load", output="mount"),
        ReachPoints(id="reach", output="mount", points=(Corner(volts=12, amps=2),)),
        ClaimedFound(id="bought", output="mount"),
    )
    stage, session = window.stage("prove"), window.session
    session.choose_test("load")
    stage.show_view("setup")
    field = stage.setup.form.fields["points"]
    assert field.text() == "0  20  40  60  80  100  50  0"
    field.setText("0 50% 100")
    field.editingFinished.emit()
    assert session.test.points == (0.0, 0.5, 1.0)
    assert stage.steps.topLevelItemCount() == 3
    field.setText("0 500")
    field.editingFinished.emit()
    assert "points" in window.line.hint.text()
    assert session.test.points == (0.0, 0.5, 1.0)
    for test, text, count in (("reach", "12 V 2 A low\n14 V 3 A", 2), ("bought", "brick 12 V 2 A", 2)):
        session.choose_test(test)
        stage.show_view("setup")
        lines = stage.setup.lines
        lines.setPlainText(text)
        lines.focusOutEvent(QFocusEvent(QFocusEvent.Type.FocusOut))
        assert len(session.plan.steps) == count
        lines = stage.setup.lines
        lines.setPlainText("nonsense")
        lines.focusOutEvent(QFocusEvent(QFocusEvent.Type.FocusOut))
        assert "nonsense" in window.line.hint.text()
        assert len(session.plan.steps) == count
    session.undo()


def test_by_hand_with_what_a_step_asks_for_beside(window: MainWindow, keys, tmp_path: Path) -> None:
    job = window.session.job
    window.session.edit("tests", with_campaign(job, tests=()))
    stage, session = window.stage("prove"), window.session
    for kind in ("efficiency", "ripple"):
        session.choose("mount")
        stage.campaign.add_kind.setCurrentIndex(stage.campaign.add_kind.findData(kind))
        stage.campaign.add_kind.activated.emit(0)
    session.choose_test("efficiency")
    session.choose_step(5)
    assert "wall" in window.now_panel.todo.text()
    # Enter on an empty line says what the step asks for; what is read then is of one moment.
    keys(window, "Ctrl+l", "Enter")
    assert window.line.entry.text() == "@8A"
    keys(window, "Enter", "wall 133W", "Enter", "mount 13.2V", "Enter", "mount-panel 13.3V", "Enter")
    result = session.outcome
    names = [f.name for f in result.findings]
    assert "efficiency at 8 A" in names
    assert "the panel reads off by" in names
    assert "A part of it so far" in stage.sentence.text()
    assert "133 W" in stage.steps.topLevelItem(5).text(6)
    session.choose_test("ripple")
    session.choose_step(2)
    keys(window, "Ctrl+l", "mount 240mVpp", "Enter")
    assert session.outcome.findings[0].verdict is Verdict.NONCONFORMING
    session.choose_step(1)
    volts = 13.4 + 0.02 * np.sin(np.arange(20_000) / 50)
    path = tmp_path / "scope.npy"
    np.save(path, volts)
    stage.campaign.take_in(path)
    assert "--rate" in window.line.hint.text()
    stage.campaign.rate.setText("1M")
    stage.campaign.take_in(path)
    assert "20000 samples" in window.line.hint.text()
    assert session.outcome.steps[1].wave.origin == "file"
    assert stage.plot.currentWidget() is stage.plot.waves
    session.choose_test("efficiency")
    stage.campaign.take_in(path)
    assert "asks for no waveform" in window.line.hint.text()


def test_a_run_goes_on_where_it_stopped(window: MainWindow, qtbot) -> None:
    with_tests(window, LoadRegulation(id="load", output="hub", dwell_s=12.0))
    stage, session = window.stage("prove"), window.session
    panel = stage.campaign
    panel.source.setCurrentIndex(panel.source.findData("quick"))
    panel.refresh()
    assert panel.start.text() == "Start the run"
    panel.start.click()
    qtbot.waitUntil(lambda: session.outcome.measured >= 2, timeout=60_000)
    qtbot.waitUntil(panel.skip.isVisible, timeout=60_000)
    panel.skip.click()
    qtbot.waitUntil(lambda: session.outcome.measured >= 3, timeout=60_000)
    window.escape()
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)
    panel.refresh()
    read = session.outcome.measured
    assert panel.start.text() == f"Go on, {8 - read} open"
    assert panel.anew.isVisible()
    panel.start.click()
    qtbot.waitUntil(lambda: session.outcome.complete and ended(window), timeout=60_000)
    assert f"{8 - read} steps read" in window.line.hint.text()
    # Each point was taken once.
    assert len({r.scan for r in session.file.readings() if r.quantity == "V"}) == 8
    assert not panel.anew.isVisible()


def test_all_that_is_open_is_run_one_after_another(window: MainWindow, qtbot, keys) -> None:
    with_tests(
        window,
        LoadRegulation(id="one", output="hub", points=(0.0, 1.0), dwell_s=1.0),
        LineRegulation(id="two", output="hub", lines=(0.9, 1.1), dwell_s=1.0),
        LoadRegulation(id="three", output="dew", points=(0.0, 1.0), dwell_s=1.0),
    )
    panel, session = window.stage("prove").campaign, window.session
    panel.source.setCurrentIndex(panel.source.findData("quick"))
    panel.refresh()
    panel.start_all.setFocus()
    keys(window, "Space")
    qtbot.waitUntil(lambda: all(o.complete for o in session.now.outcomes()) and ended(window), timeout=60_000)
    assert [r.test for r in session.file.runs()] == ["one", "two", "three"]
    panel.start_all.click()
    assert "complete already" in window.line.hint.text()
    more = (Ripple(id="r", output="hub"), Ripple(id="s", output="dew"))
    session.edit("again", with_campaign(session.job, tests=(*session.job.campaign.tests, *more)))
    panel.start_all.click()
    qtbot.waitUntil(lambda: len(session.file.runs()) == 4, timeout=60_000)
    keys(window, "Esc")
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)
    # Esc drops the load and ends all of it.
    assert not window.control.waiting
    assert [r.test for r in session.file.runs()] == ["one", "two", "three", "r"]


def test_hands_are_asked_on_screen(window: MainWindow, served: SimulatedBench, qtbot) -> None:
    with_tests(window, LineRegulation(id="line", output="hub", lines=(0.9, 1.1)))
    session = window.session
    window.stage("prove")
    bench = open_bench(session.job, served.resources, clock=served.clock)
    bench.line = bench.hands = None
    served.connect("hub")
    session.choose_test("line")
    session.start_run(bench)
    now = window.now_panel
    for volts in ("207", "253"):
        qtbot.waitUntil(lambda v=volts: v in now.asked.text() and now.done.isVisible(), timeout=60_000)
        assert not served.load_drawing
        now.done.click()
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)
    assert session.outcome.complete
    assert not now.done.isVisible()
    assert "set it back" in window.line.hint.text()


def test_instruments_are_found_tried_and_assigned(
    window: MainWindow, served: SimulatedBench, tmp_path: Path, qtbot
) -> None:
    panel = window.stage("prove").campaign
    panel.find_button.click()
    dialog: InstrumentsWindow = panel.instruments
    dialog.use()
    assert "needs a load" in dialog.said.text()
    dialog.check("load")
    assert "Type where the load is first" in dialog.said.text()
    dialog.fields["load"].setText(served.resources["load"])
    host, port = served.resources["voltmeter"].split("::")[1:3]
    dialog.fields["voltmeter"].setText(f"{host}:{port}")
    dialog.look()
    answers = [dialog.answers.topLevelItem(k).text(1) for k in range(dialog.answers.topLevelItemCount())]
    assert "Simulated,electronic load,0,1" in answers
    assert "2 answered." in dialog.said.text()
    dialog.fields["thermometer"].setFocus()
    dialog._last = "thermometer"
    dialog.answers.itemActivated.emit(
        dialog.answers.topLevelItem(answers.index("Simulated,multimeter,0,1")), 0
    )
    dialog.check("thermometer")
    assert "1 commands do not fit" in dialog.said.text() or "do not fit" in dialog.said.text()
    dialog.check("load")
    assert dialog.said.text() == "Every command that was tried fits."
    dialog.fields["thermometer"].setText("127.0.0.1:1")
    dialog.check("thermometer")
    assert dialog.said.text()
    dialog.fields["thermometer"].clear()
    path = tmp_path / "mine.toml"
    dialog.path.setText(str(path))
    dialog.use()
    resources = read_bench_file(path).resources
    assert resources["voltmeter"] == f"TCPIP::{host}::{port}::SOCKET"
    assert panel.bench_path.text() == str(path)
    assert panel.source.currentData() == "bench"
    assert not served.load_drawing


def test_instruments_of_a_run_are_its_own(
    window: MainWindow, served: SimulatedBench, qtbot, tmp_path: Path
) -> None:
    panel, session = window.stage("prove").campaign, window.session
    panel.find_button.click()
    dialog: InstrumentsWindow = panel.instruments
    dialog.fields["voltmeter"].setText(served.resources["voltmeter"])
    dialog.make_profile("voltmeter")
    made = dialog.findChild(ProfileWindow)
    qtbot.waitUntil(lambda: made.conversation._link is not None, timeout=60_000)
    with session.asked, pytest.raises(UserError, match="being asked"):
        window.control.start("quick")
    session.bench_wanted.emit()
    assert made.conversation._link is None
    assert made.conversation._opened == []
    served.connect("hub")
    session.start_run(open_bench(session.job, served.resources, clock=served.clock))
    with JobFile.create(tmp_path / "other.tensi", session.job) as other:
        # The bench of another window may hold the very same.
        beside = InstrumentsWindow(Session(other))
        beside.look()
        assert "A run is on" in beside.said.text()
        beside.session.close()
    dialog.look()
    assert "A run is on" in dialog.said.text()
    for ask in (lambda: dialog.check("voltmeter"), lambda: dialog.make_profile("voltmeter")):
        dialog.said.clear()
        ask()
        assert "A run is on" in dialog.said.text()
    made.conversation.line.setText("*RST")
    for ask in (made.conversation.send, made.try_all):
        made.said.clear()
        ask()
        assert "A run is on" in made.said.text()
    made._listen()
    assert made.conversation._link is None
    assert len(dialog.findChildren(ProfileWindow)) == 1
    qtbot.waitUntil(lambda: ended(window), timeout=60_000)
    assert session.outcome.complete
    made._listen()
    qtbot.waitUntil(lambda: made.conversation._link is not None, timeout=60_000)
    dialog.close()


def test_the_sheet_has_a_section_for_each_test(
    window: MainWindow, served: SimulatedBench, qtbot, tmp_path: Path
) -> None:
    from tensimeter.report.datasheet import html, pdf
    from tensimeter.report.sheet import build

    with_tests(
        window,
        LoadRegulation(id="load", output="hub"),
        LineRegulation(id="line", output="hub"),
        Ripple(id="ripple", output="hub"),
        Overload(id="limit", output="dew"),
        Transient(id="later", output="hub"),
    )
    window.stage("prove")
    for test in ("load", "line", "ripple", "limit"):
        run(window, served, qtbot, test)
    sheet = build(window.session.file)
    assert [s.title for s in sheet.sections] == [
        "Load regulation, CAMERA HUB (simulated)",
        "Line regulation, CAMERA HUB (simulated)",
        "Ripple and noise, CAMERA HUB (simulated)",
        "Current limit, DEW HEATER (simulated)",
    ]
    assert sheet.unread == ("Load transient, CAMERA HUB",)
    assert [s.standard for s in sheet.sections][:3] == [
        "load effect",
        "source effect",
        "periodic and random deviation",
    ]
    # The rating comes from load regulation alone.
    assert [r.output for r in sheet.ratings] == ["CAMERA HUB"]
    assert any("No switching frequency was given" in n for n in sheet.sections[2].notes)
    text = html(sheet)
    assert text.count("<figure>") == 4
    assert "foldback" in text
    assert pdf(text).startswith(b"%PDF")
    part = JobFile(window.session.file.path, read_only=True)
    assert len(build(part).sections) == 4
    part.close()


def test_a_log_as_it_comes_is_shown_before_it_is_taken(window, tmp_path: Path) -> None:
    window.stage("prove")
    session = window.session
    session.choose_test("load-regulation")
    panel = window.stage("prove").campaign
    log = tmp_path / "abend.csv"
    rows = "\n".join(f"{k};13,{60 - k};{-2 * k},0" for k in range(5))
    log.write_bytes(f"Messung 7\nZeit;Spannung;Last\n{rows}\nEnde\n".encode("latin-1"))
    panel.take_in(log)
    shown = panel.log_window
    assert [b.currentText() for b in shown.boxes] == ["time", "volts", "–"]
    assert not shown.take.isEnabled() or "volts" in shown.mapping()
    assert shown.grid.item(1, 1).text() == "13.6 V"
    shown.boxes[2].setCurrentIndex(shown.boxes[2].findData("amps"))
    shown.boxes[2].activated.emit(0)
    shown.turned.setChecked(True)
    assert shown.mapping() == {"time": "#1", "volts": "#2", "amps": "-#3"}
    assert shown.grid.item(5, 2).text() == "8 A"
    assert "a comma is the decimal mark" in shown.said.text()
    shown.accept()
    assert "5 rows of abend.csv kept" in window.line.hint.text()
    kept = [r.value for r in session.now.readings if r.quantity == "A" and r.origin == "file"]
    assert kept == pytest.approx([0, 2, 4, 6, 8])
    # The next one of its kind is known already.
    panel.take_in(log)
    assert panel.log_window.mapping() == {"time": "#1", "volts": "#2", "amps": "-#3"}
    panel.log_window.reject()
    # What can be read in two ways is asked about there; what is no log is a sentence, and no window.
    log.write_text("time\tvoltage\tcurrent\n1\t13,600\t1,200\n2\t13,550\t2,400\n")
    panel.take_in(log)
    asked = panel.log_window
    assert not asked.take.isEnabled()
    asked.choices["decimal"].setCurrentIndex(asked.choices["decimal"].findData("comma"))
    asked.choices["decimal"].activated.emit(0)
    assert asked.take.isEnabled()
    assert asked.grid.item(1, 1).text() == "13.6 V"
    # Read anew: the boxes that are seen are those that count.
    asked.choices["dates"].activated.emit(0)
    assert [asked.grid.cellWidget(0, k) for k in range(3)] == asked.boxes
    asked.reject()
    log.write_text("nothing of the kind\n")
    panel.take_in(log)
    assert panel.log_window is asked
    assert "no rows of figures" in window.line.hint.text()


def test_a_log_of_heat_asks_which_place_each_column_is(window, tmp_path: Path) -> None:
    window.stage("prove")
    session = window.session
    session.choose_test("soak")
    panel = window.stage("prove").campaign
    log = tmp_path / "night.csv"
    rows = [f"{k * 30},{22 + k},{21 + k / 2},{20 + k / 9:.2f}" for k in range(12)]
    log.write_text("\n".join(["seconds,K1 [degC],K2 [degC],K3 [degC]", *rows]))
    panel.take_in(log)
    shown = panel.log_window
    # What nobody can know by its header is asked for; nothing is taken meanwhile.
    assert [b.currentText() for b in shown.boxes] == ["time", "–", "–", "–"]
    assert not shown.take.isEnabled()
    assert "at which place each temperature was read" in shown.said.text()
    for k, place in ((1, "front-end-case"), (2, "front-end-case"), (3, "k3")):
        shown.boxes[k].setCurrentIndex(shown.boxes[k].findData(place))
        shown.boxes[k].activated.emit(0)
    assert "Two columns are taken for °C at" in shown.said.text()
    assert not shown.take.isEnabled()
    shown.boxes[2].setCurrentIndex(0)
    shown.boxes[2].activated.emit(0)
    assert shown.grid.item(1, 1).text() == "22 °C"
    assert shown.grid.item(1, 2).text() == "21"
    shown.accept()
    assert "12 rows of night.csv kept" in window.line.hint.text()
    kept = [(r.place, r.value) for r in session.now.readings if r.quantity == "C" and r.origin == "file"]
    assert kept[:2] == [("front-end-case", 22.0), ("k3", 20.0)]
    assert {place for place, _ in kept} == {"front-end-case", "k3"}
    # One whose places are known is taken as it is.
    plain = tmp_path / "plain.csv"
    plain.write_text(
        "seconds,temp front-end-sink [degC]\n" + "\n".join(f"{k * 30},{20 + k}" for k in range(9))
    )
    panel.take_in(plain)
    assert "9 rows of plain.csv kept" in window.line.hint.text()
