"""Tune from nothing, by the reading line: what a display is off by, what to set, what is left."""

from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog

from tensimeter.core.model.edits import with_link
from tensimeter.demo.library import demo_job
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.window import MainWindow

#: What the hub's display shows while 0.1, 0.5, 1, 1.5 and 2 A flow: it reads low by 6 %.
LINES = (
    "hub 5.021 @0.1A", "hub 0.1A", "hub-panel 4.99", "hub-panel 0.09A",
    "hub 5.012 @0.5A", "hub 0.5A", "hub-panel 4.98", "hub-panel 0.47A",
    "hub 5.003 @1A", "hub 1A", "hub-panel 4.97", "hub-panel 0.94A",
    "hub 4.994 @1.5A", "hub 1.5A", "hub-panel 4.96", "hub-panel 1.41A",
    "hub 4.985 @2A", "hub 2A", "hub-panel 4.95 @2A", "hub-panel 1.88A",
)  # fmt: skip


def test_a_display_is_held_against_the_meter(window: MainWindow, keys) -> None:
    stage = window.stage("tune").displays
    assert "No display was read" in stage.title.text()
    assert "mount-panel 13.6V" in stage.sentence.text()
    assert window.rail.buttons[5].caption == "no display read"
    for line in LINES:
        keys(window, "Ctrl+l", line, "Enter")
    assert window.rail.buttons[5].caption == "1 display read"
    assert [stage.list.item(k).text().split("\n")[0] for k in range(stage.list.count())] == [
        "CAMERA HUB, own display, volts",
        "CAMERA HUB, own display, amps",
    ]
    # Volts were read over 40 mV alone: nobody can tell a gain from that, and none is set.
    assert "too close together" in stage.sentence.text()
    assert "Add 33 mV: 5 mV is left" in stage.sentence.text()
    stage.list.setFocus()
    keys(window, "Down")
    assert stage.check.quantity == "A"
    assert "less than there is (6 % at 2 A)" in stage.sentence.text()
    assert "Multiply its gain by 1.0620: " in stage.sentence.text()
    assert stage.table.topLevelItemCount() == 5
    assert stage.table.topLevelItem(4).text(2) == "−0.1200"
    assert abs(float(stage.table.topLevelItem(4).text(3).replace("−", "-"))) < 0.005
    assert "Its range is covered" in stage.wanted.text()
    stage.lets.setCurrentIndex(stage.lets.findData("offset"))
    stage.lets.activated.emit(0)
    # By least squares true is 1.06202·shown + 2.58 mA: 8.2 mA off at one end, 119.2 mA at the other.
    assert "Add 63.7 mA: 56 mA is left" in stage.sentence.text()
    stage.step.setText("minus")
    stage.step.editingFinished.emit()
    assert "minus" in window.line.hint.text()
    # A display's amps are no reading of the output: the volts stay with the current that was said.
    read = [r for r in window.session.now.readings if r.place == "hub-panel"]
    assert [r.quantity for r in read].count("A") == 5
    assert {r.instrument for r in read} == {"step-down-3a"}


def _view(window: MainWindow, keys, key: str):
    """A view of the stage, by keyboard: along the row of words."""
    stage = window.stage("tune")
    stage.buttons[[view.key for view in stage.views].index(key)].setFocus()
    keys(window, "Space")
    assert stage.view.key == key
    return stage.view


def _cells(table, row: int) -> list[str]:
    item = table.topLevelItem(row)
    return [item.text(k) for k in range(table.columnCount())]


def test_a_cause_is_found_taken_in_and_mended(window: MainWindow, keys) -> None:
    view = _view(window, keys, "causes")
    assert "Too little was read" in view.sentence.text()
    # The hub's lead has 47.5 mΩ by design, all at 5.2 V less 15 mΩ of the module: at 2 A 30 + 95 mV less.
    for line in ("hub 5.2V @0.001A", "hub 5.02V @1A", "hub 4.84V @2A", "hub-lead-drop 330mV @2A",
                 "hub-lead-joints 251mV @2A"):  # fmt: skip
        keys(window, "Ctrl+l", line, "Enter")
    view = _view(window, keys, "causes")
    assert "Hub lead: a worse contact" in view.title.text()
    assert _cells(view.table, 0)[2].endswith("mΩ")
    assert "Its lugs, crimps and screws" in view.look.text()
    volts = window.session.now.solved[1]["hub"].V
    view.accept.setFocus()
    keys(window, "Space")
    assert window.session.job.design.link("hub-lead").found[0].key == "contact"
    assert float(window.session.now.solved[1]["hub"].V) < float(volts) - 0.1
    assert "Nothing is wrong" in view.title.text()
    assert "mended: Hub lead, contact" in view.back.text()
    keys(window, "Ctrl+z")
    assert window.session.job.design.link("hub-lead").found == ()
    keys(window, "Ctrl+Shift+z")
    view.back.setFocus()
    keys(window, "Space")
    assert window.session.job.design.link("hub-lead").found == ()
    # Down the list: each cause is drawn over what was read.
    view.table.setFocus()
    keys(window, "Down")
    assert view.cause is not None


def test_trims_by_keyboard(window: MainWindow, keys) -> None:
    view = _view(window, keys, "trims")
    assert view.first_focus() is view.name
    view.name.setFocus()
    keys(window, "Enter")
    assert "Give the trim a name" in window.line.hint.text()
    view.name.setText("Front end, volts")
    view.moves.setCurrentIndex(view.moves.findText("MOUNT"))
    view.up.setText("6")
    view.name.setFocus()
    keys(window, "Enter", "Ctrl+l", "mount 13.3V @0.001A", "Enter")
    for turns, volts in ((0.5, 13.4), (1, 13.5)):
        keys(window, "Ctrl+l", f"front-end-volts {turns} turn", "Enter")
        keys(window, "Ctrl+l", f"mount {volts}V @0.001A", "Enter")
    view = _view(window, keys, "trims")
    cells = _cells(view.table, 0)
    assert cells[:2] == ["Front end, volts", "mount"]
    assert cells[2] == "13.5000 ± 0.0078 V"
    assert "mV a turn" in cells[6]
    assert "Turn Front end, volts up by" in view.sentence.text()
    view.seal.click()
    assert window.session.job.assembly.trims[0].sealed
    view.forget.click()
    assert window.session.job.assembly.trims == ()
    assert [r for r in window.session.now.readings if r.quantity == "turn"]


def test_before_and_after_and_contacts(window: MainWindow, keys) -> None:
    view = _view(window, keys, "changes")
    assert "No test was gone through twice" in view.title.text()
    for run in (("13.571", "13.441", "13.311"), ("13.571", "13.491", "13.411")):
        for volts, amps in zip(run, ("0", "4", "8"), strict=True):
            keys(window, "Ctrl+l", f"mount {volts}V @{amps}A", "Enter")
    view = _view(window, keys, "changes")
    assert "MOUNT, load regulation" in view.title.text()
    assert view.sentence.text().startswith("Better: nearer to nominal by")
    assert "Nothing was noted in between" in view.done.text()
    assert _cells(view.table, 2)[1:3] == ["13.3110 V", "13.4110 V"]
    view.before.setCurrentIndex(1)
    view.after.setCurrentIndex(0)
    view.after.activated.emit(0)
    assert view.sentence.text().startswith("Worse")
    view = _view(window, keys, "contacts")
    assert "Nothing was read along the path" in view.title.text()
    assert "“mount-fuse-drop … mV @8A”" in view.next.text()
    keys(window, "Ctrl+l", "mount-lead-drop 400mV @8A", "Enter")
    assert "To make anew: Lead 2 m" in view.sentence.text()
    assert _cells(view.table, 0)[-1] == "misses"


def test_a_check_is_kept_and_readings_follow(window: MainWindow, keys) -> None:
    """The display of the finisher's bench is a panel meter of its stock: it keeps what was found of it."""
    from tensimeter.core.parts.panel_meter import PanelMeter
    from tensimeter.core.path import MeterLink

    meter = next(p for p in demo_job("finishers-bench").stock if isinstance(p, PanelMeter))
    job = window.session.job
    links = []
    for link in job.design.links:
        fed = link.with_fields(fed_by="hub-meter") if link.id == "hub" else link
        if link.id == "hub":
            links.append(MeterLink(id="hub-meter", name="Hub meter", part="front-meter", fed_by="hub-lead"))
        links.append(fed)
    design = job.design.with_fields(links=tuple(links))
    window.session.edit("a meter", job.with_fields(stock=(*job.stock, meter), design=design))
    for line in LINES:
        keys(window, "Ctrl+l", line, "Enter")
    view = _view(window, keys, "displays")
    view.list.setCurrentRow(1)
    facts = [r for r in window.session.now.readings if r.instrument == "front-meter"]
    view.months.setText("none")
    view.keep.click()
    assert "none" in window.line.hint.text()
    view.months.setText("6")
    view.earlier.setChecked(True)
    view.keep.click()
    (check,) = window.session.job.part("front-meter").checks
    assert abs(check.gain - 1.062) < 0.002
    assert abs(check.until - check.at - 6 * 30.44 * 86400) < 1
    assert "are corrected" in view.sentence.text()
    assert [r for r in window.session.now.readings if r.instrument == "front-meter"] == facts
    view.forget.click()
    assert window.session.job.part("front-meter").checks == ()


@pytest.mark.parametrize(
    ("name", "output", "place", "cause"),
    [
        # What is hidden in each: contacts of the hub's lead of 31 mΩ for 8, of the shutter's of 48 for 8.
        ("ridge-pier", "mount", "hub-lead-joints", ("hub-lead", "hub-module")),
        ("dome-workshop", "shutter", "shutter-lead-joints", ("shutter-lead",)),
        ("finishers-bench", "bath", "", ()),
    ],
)
def test_a_demo_is_tuned_by_keyboard(
    name: str, output: str, place: str, cause: tuple[str, ...], tmp_path: Path, open_window, keys
) -> None:
    """Every view in turn: what is asked for is read on the demo's supply, until nothing more is."""
    window = open_window(JobFile.create(tmp_path / "demo.tensi", demo_job(name)))
    stage = window.stage("tune")
    window.session.choose(output)

    def read(times: int) -> None:
        for _ in range(times):
            stage.read.setFocus()
            keys(window, "Space")

    causes = _view(window, keys, "causes")
    read(4 if cause else 1)
    assert causes.found is not None
    first = causes.found.causes[0]
    assert first.link in cause or not cause
    contacts = _view(window, keys, "contacts")
    read(12)
    assert contacts.next.text() == ""
    redo = contacts.found.redo
    assert getattr(redo, "place", "") == place
    displays = _view(window, keys, "displays")
    read(1)
    assert displays.check is not None
    assert "simulated, proves nothing" in displays.title.text()
    trims = _view(window, keys, "trims")
    read(20)
    assert trims.found.held is bool(window.session.job.assembly.trims)
    changes = _view(window, keys, "changes")
    read(2)
    assert changes.found is None or changes.found.verdict == "alike"
    assert {r.origin for r in window.session.now.readings} == {"simulated"}


def test_symptoms_point_at_a_part(window: MainWindow, keys) -> None:
    view = _view(window, keys, "symptoms")
    assert "Look next" in view.next.text()
    assert not view.note.isEnabled()
    for key, answer in (("output", "right"), ("display", "dead")):
        view.answers[key].setFocus()
        view.answers[key].setCurrentText(answer)
        view.answers[key].activated.emit(0)
    assert _cells(view.table, 0)[0] == "its display"
    view.note.setFocus()
    keys(window, "Space")
    assert view.seen == {}
    assert any("points at its display" in e.text for e in window.session.file.logbook())


def test_a_fan_is_read_and_its_curve_is_written(open_window, tmp_path: Path, keys, monkeypatch) -> None:
    job = demo_job("finishers-bench")
    job = with_link(job, job.output("bath").model_copy(update={"full_load_A": 1.0}))
    window = open_window(JobFile.create(tmp_path / "bench.tensi", job))
    keys(window, "Alt+6")
    view = _view(window, keys, "fan")
    assert "Its start was not seen yet" in view.sentence.text()
    for line in ("fan 4V", "fan 0 rpm", "fan 5,5V", "fan 1400rpm", "fan 24dB"):
        keys(window, "Ctrl+l", line, "Enter")
    assert "It starts between 4 V and 5.5 V" in view.sentence.text()
    assert [_cells(view.rows, k) for k in (0, 1)] == [["4.00", "stands", ""], ["5.50", "1400", "24.0"]]
    view.keep.setText("200 K")
    view.keep.editingFinished.emit()
    assert "below their limits" in view.sentence.text()
    view.keep.setText("10 K")
    view.keep.editingFinished.emit()
    for name, begins in (("fan.csv", "sink [degC],fan [V],speed [%]"), ("fan.h", "/* Fan volts")):
        path = tmp_path / name
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, path=path: (str(path), ""))
        view.write.setFocus()
        keys(window, "Space")
        assert path.read_text(encoding="utf-8").startswith(begins)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "fan.doc"), ""))
    keys(window, "Space")
    assert "A curve is written as .csv, .c, .h" in window.line.hint.text()
