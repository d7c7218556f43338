"""Tune from nothing, by the reading line: what a display is off by, what to set, what is left."""

from tensimeter.ui.window import MainWindow

#: What the hub's display shows while 0.1, 0.5, 1, 1.5 and 2 A flow: it reads low by 6 %.
LINES = (
    "hub 5.021 @0.1A", "hub-panel 4.99", "hub-panel 0.09A",
    "hub 5.012 @0.5A", "hub-panel 4.98", "hub-panel 0.47A",
    "hub 5.003 @1A", "hub-panel 4.97", "hub-panel 0.94A",
    "hub 4.994 @1.5A", "hub-panel 4.96", "hub-panel 1.41A",
    "hub 4.985 @2A", "hub-panel 4.95 @2A", "hub-panel 1.88A",
)  # fmt: skip


def test_a_display_is_held_against_the_meter(window: MainWindow, keys) -> None:
    stage = window.stage("tune")
    assert "No display was read" in stage.title.text()
    assert "mount-panel 13.6V" in stage.sentence.text()
    assert window.rail.buttons[5].caption == "nothing read"
    for line in LINES:
        keys(window, "Ctrl+l", line, "Enter")
    assert window.rail.buttons[5].caption == "1 display read"
    assert [stage.list.item(k).text().split("\n")[0] for k in range(stage.list.count())] == [
        "CAMERA HUB, volts",
        "CAMERA HUB, amps",
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
    assert {r.instrument for r in read} == {""}
