"""A soak in the window: forecast, load dropped in time, what was changed, before and after, the reach."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.setup import open_bench
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import changed, with_test
from tensimeter.core.model.heat_tests import FanTest, SensorCheck, Soak
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.readingline import understand
from tensimeter.core.testplan.evaluation import already_read
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.window import MainWindow
from tests.core.test_heat_tests import Log, soaked

WAIT = 120_000


@pytest.fixture
def warm(open_window, tmp_path: Path) -> MainWindow:
    """A window on a job whose soak failed after forty minutes and was run again with its pad reseated."""
    log = Log(demo_job("ridge-pier"), Soak(id="hot", output="mount", stages=(1.0,)))
    soaked(log, 1.0, (5.6, 6.2), dies_at=2400.0, every=30.0)
    soaked(log, 1.5, (1.8, 6.2), begin=90_000.0, run=2, every=60.0)
    file = JobFile.create(tmp_path / "warm.tensi", log.job)
    for _ in (1, 2):
        file.begin_run("hot", {})
    file.keep([r._replace(id=None) for r in log.readings])
    window = open_window(file)
    window.stage("prove")
    window.session.choose_test("hot")
    return window


def test_a_soak_is_run_with_its_forecast_and_dropped_in_time(window: MainWindow, qtbot) -> None:
    session, stage = window.session, window.stage("prove")
    session.edit(
        "read less often", with_test(session.job, changed(_soak(session), stages=(1.0,), every_s=20))
    )
    session.choose_test("soak")
    assert "Four-channel thermometer" in stage.meter.text()
    said: list[str] = []
    session.run_event.connect(lambda e: said.append(stage.sentence.text()) if e.state else None)
    clock = SteppedClock()
    with stand_ins(session.job, clock=clock) as served:
        session.start_run(open_bench(session.job, served.resources, clock=clock))
        qtbot.waitUntil(lambda: session.soak is not None, timeout=WAIT)
        qtbot.waitUntil(lambda: not session.running and session.bench is None, timeout=WAIT)
        assert not served.load_drawing
    assert any("cross" in text for text in said)
    assert "dropped before the limit" in session.file.runs()[-1].sentence
    assert stage.plot.currentWidget() is stage.plot.heat
    assert "junction" in stage.sentence.text()
    # The whole is taken anew: half a soak would start warm.
    assert already_read(session.outcome) == frozenset()


def _soak(session) -> Soak:
    return next(t for t in session.job.campaign.tests if t.kind == "soak")


def _hottest(session, run: int) -> float:
    return max(r.value for r in session.now.readings if r.run == run and r.place == "front-end-case")


def test_what_was_changed_and_runs_laid_over_one_another(warm: MainWindow) -> None:
    session, stage = warm.session, warm.stage("prove")
    assert "Stays below" in stage.sentence.text()
    stage.show_view("setup")
    stage.setup.changed_field.setFocus()
    stage.setup.changed_field.setText("switch replaced")
    QTest.keyClick(stage.setup.changed_field, Qt.Key.Key_Return)
    change = session.test.changes[-1]
    assert (change.link, change.what, change.after_run) == ("front-end", "switch replaced", 2)
    assert stage.compare.isVisible()
    stage.compare.setChecked(True)
    lines = [c for c in stage.plot.heat.listDataItems() if c.xData is not None and len(c.xData) > 20]
    assert len(lines) == 2
    before, after = (np.max(c.yData) for c in lines)
    assert before > after + 10
    # Over a room of 20 °C: what is drawn is the rise.
    assert before == pytest.approx(_hottest(session, 1) - 20)
    stage.compare.setChecked(False)
    assert stage.plot.heat.getAxis("left").labelText == "°C"
    stage.show_view("found")
    names = [stage.found.topLevelItem(k).text(0) for k in range(stage.found.topLevelItemCount())]
    assert any("θ case to sink" in name for name in names)
    session.undo()
    assert session.test.changes == ()


def test_the_design_follows_what_the_soak_has_shown(warm: MainWindow) -> None:
    session = warm.session
    assert session.now.heat_job is not session.job
    part = session.now.heat_job.part(session.now.heat_job.design.link("front-end").part)
    assert part.sink_K_W == pytest.approx(6.2, rel=0.1)
    assert part.switch_K_W == pytest.approx(0.9 + 1.8, rel=0.15)
    design = warm.stage("design")
    session.choose("mount")
    design.findings.show_view("heat")
    assert "soak has shown" in design._caption.text()


def test_temperatures_and_loudness_are_typed(window: MainWindow) -> None:
    session = window.session
    session.choose_test("soak")
    kept = session.take_typed(understand(session.job, "front-end-case 47.2"))
    assert (kept[0].quantity, kept[0].test, kept[0].place) == ("C", "soak", "front-end-case")
    session.edit("a fan", with_test(session.job, FanTest(id="fan", output="mount")))
    session.choose_test("fan")
    kept = session.take_typed(understand(session.job, "fan 34dB"))
    assert (kept[0].quantity, kept[0].test, kept[0].value) == ("dB", "fan", 34.0)
    assert any(f.name.startswith("loudness") for f in session.outcome.findings)


def test_a_log_of_temperatures_is_taken_in_as_a_run(window: MainWindow, tmp_path: Path) -> None:
    session, stage = window.session, window.stage("prove")
    session.choose_test("soak")
    log = tmp_path / "night.csv"
    rows = ["time [min],temp front-end-case [degC],temp front-end-sink,ambient,current [A],voltage [V]"]
    for k in range(181):
        # Ten minutes of half load, then full: 3.86 W and 8.18 W through 2 and 6 K/W, the sink 22 min slow.
        late = max(k - 10, 0)
        sink = 3.86 * 6 * (1 - np.exp(-k / 22)) + 4.32 * 6 * (1 - np.exp(-late / 22))
        case = sink + (8.18 if k >= 10 else 3.86) * 2 * (1 - np.exp(-(late if k >= 10 else k) / 0.5))
        amps = 8.0 if k >= 10 else 4.0
        rows.append(f"{k},{20 + case:.1f},{20 + sink:.1f},20.0,{amps},13.4")
    log.write_text("\n".join(rows))
    stage.campaign.take_in(log)
    read = session.file.readings()
    assert len(read) == 181 * 5
    assert {r.origin for r in read} == {"file"}
    assert {r.step for r in read} == {0, 1}
    assert session.file.runs()[-1].ended == "complete"
    assert "Stays below" in stage.sentence.text()
    assert stage.plot.currentWidget() is stage.plot.heat
    # Logs that are none are told in a sentence, and nothing is taken from them.
    said: list[str] = []
    session.trouble.connect(said.append)
    log.write_text("\n".join([rows[0], rows[9], rows[3]]))
    stage.campaign.take_in(log)
    assert "run backwards" in said[-1]
    log.write_text("time,volts\n1,2\n")
    stage.campaign.take_in(log)
    # Of one without any it is asked which column they are, and nothing is taken meanwhile.
    asked = stage.campaign.log_window
    assert not asked.take.isEnabled()
    assert "at which place each temperature was read" in asked.said.text()
    asked.reject()
    assert len(session.file.readings()) == 181 * 5


def test_a_soak_by_hand_with_a_thermometer_and_a_pencil(
    open_window, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = open_window(JobFile.create(tmp_path / "hand.tensi", demo_job("ridge-pier")))
    window.stage("prove")
    session, line = window.session, window.line
    session.choose_test("soak")
    begun = 1_790_000_000.0

    def typed(minute: float, text: str) -> None:
        monkeypatch.setattr("tensimeter.app.imported_readings.time.time", lambda: begun + 60 * minute)
        line.entry.setText(text)
        QTest.keyClick(line.entry, Qt.Key.Key_Return)
        assert line.hint.text().startswith("kept"), line.hint.text()

    typed(0.0, "mount 13.38V @4A")
    assert session.step_index == 0
    typed(0.1, "room 20.1")
    typed(1.0, "case 27.9")
    assert "1 of 8 readings that a forecast takes" in window.stage("prove").sentence.text()
    assert session.outcome.verdict is Verdict.NOT_MEASURED
    typed(4.0, "case 30.6")
    # The load that is typed tells which step the temperatures after it belong to.
    typed(5.0, "mount 13.25V @8A")
    assert session.step_index == 1
    for minute in range(6, 30, 2):
        # 8.18 W into 2.0 K/W of the pad at once and 6.0 K/W of the sink, with 1320 s.
        rise = 8.18 * (2.0 + 6.0 * (1 - np.exp(-(minute - 4.2) * 60 / 1320)))
        typed(minute, f"case {20 + rise:.1f}")
    assert {r.place for r in session.now.readings if r.quantity == "C"} == {"ambient", "front-end-case"}
    assert {r.step for r in session.now.readings[-12:]} == {1}
    final = next(f for f in session.outcome.findings if f.name.startswith("junction")).value
    assert final.low < 20 + 8.18 * 8.9 < final.high < 105


def test_a_sensor_and_its_reference_are_typed_pair_by_pair(window: MainWindow) -> None:
    session, line, stage = window.session, window.line, window.stage("prove")
    session.edit("sensor", with_test(session.job, SensorCheck(id="ntc", output="mount", sensor="ntc")))
    session.choose_test("ntc")
    for step, (sensor, reference) in enumerate(((21.0, 20.4), (44.0, 47.1), (66.0, 72.0))):
        assert session.step_index == step
        for text in (f"ntc {sensor}", f"sink {reference}"):
            line.entry.setText(text)
            QTest.keyClick(line.entry, Qt.Key.Key_Return)
    assert {r.quantity for r in session.now.readings if r.test == "ntc"} == {"C"}
    assert stage.sentence.text().startswith("sensor is off by: −6.0 ± 1.1 K, misses")
    assert stage.plot.currentWidget() is stage.plot.picture


def test_before_a_reading_the_design_is_drawn_and_what_is_blind_is_said(open_window, tmp_path: Path) -> None:
    job = demo_job("ridge-pier")
    window = open_window(JobFile.create(tmp_path / "new.tensi", job))
    stage = window.stage("prove")
    window.session.choose_test("soak")
    drawn = [i for i in stage.plot.heat.getPlotItem().items if hasattr(i, "toPlainText")]
    words = {i.toPlainText() for i in drawn}
    assert {"junction, by the design", "its case", "its sink", "junction limit 105 °C"} <= words
    assert "Stock" not in stage.meter.text()
    bare = with_part(job, changed(job.part("front-end-40"), switch_K_W=None))
    window.session.edit("card", bare)
    assert "give the converter K/W of its switch and sink" in stage.meter.text()


@pytest.mark.parametrize("night", [False, True])
def test_the_plot_of_a_soak_in_either_light_and_as_it_grows(warm: MainWindow, night: bool) -> None:
    from tensimeter.core.testplan.soak.run import soak_runs
    from tensimeter.ui.parts.heat_plot import Heat, HeatMark, HeatPlot
    from tensimeter.ui.theme import theme

    theme.use(night=night)
    facts = warm.session.outcome.facts
    run = soak_runs(facts.readings, facts.plan.output.id)[0]
    plot = HeatPlot()
    plot.resize(640, 320)
    plot.show_heat(Heat(run, None, {}, "front-end-case", HeatMark(105.0, "limit")))
    curves = dict(plot._curves)
    # Readings are shown one by one only while they are few.
    assert [c.opts["symbol"] for c in curves.values()] == [None] * len(curves)
    (_, right), _ = plot.viewRange()
    # A reading more within what is shown moves the lines that are there; past it all is drawn anew.
    plot.show_heat(Heat(run, None, {}, "front-end-case", HeatMark(105.0, "limit")))
    assert plot._curves == curves
    for curve in curves.values():
        assert curve.xData[-1] <= right
    theme.use(night=not night)
    assert plot._curves.keys() == curves.keys()
    assert plot._curves != curves
    plot.close()
