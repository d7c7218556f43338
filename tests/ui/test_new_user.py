"""From nothing to a plate by keyboard alone, as somebody would on the first evening."""

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel

from tensimeter.core.model.edits import readings_first
from tensimeter.core.model.job import Job
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.window import MainWindow


def add(window: MainWindow, keys, *texts: str) -> None:
    """Type links into the add line of Design."""
    path = window.stage("design").path
    for text in texts:
        path.add.setFocus()
        keys(window, text)
        path.add.completer().popup().hide()
        # Off screen nothing gives the window its focus back when a popup goes.
        window.activateWindow()
        path.add.setFocus()
        keys(window, "Enter")


def set_field(form, name: str, text: str, keys, window: MainWindow) -> None:
    QApplication.processEvents()
    form.fields[name].setFocus()
    form.fields[name].selectAll()
    keys(window, text, "Enter")


def test_a_stacked_supply_with_two_outputs(open_window, tmp_path: Path, keys, qtbot) -> None:
    window = open_window(JobFile.create(tmp_path / "evening.tensi", Job(name="Evening supply")))
    session = window.session
    keys(window, "Alt+1")
    stock = window.stage("stock")
    for plate in ("24V 6.3A 150W lower", "24V 6.3A 150W upper", "19V 4.7A brick", "12V 5A spare"):
        stock.nameplate.setFocus()
        keys(window, plate, "Enter")
    assert [p.name for p in session.job.stock] == ["lower", "upper", "brick", "spare"]
    for name in (
        "Step-down module 8 A", "Step-down module 3 A", "Fuse 5 A slow, holder", "Lead 1 m, 1.5 mm²",
        "Electronic load 120 V 20 A 150 W", "Handheld multimeter",
    ):  # fmt: skip
        stock.nameplate.setText(name)
        stock.nameplate.setFocus()
        keys(window, "Enter")
    # The module that stands 40 V only is put right on its card: it will see the whole stack.
    stock.choose("step-down-module-8-a")
    set_field(stock.form, "in_max_V", "60", keys, window)
    set_field(stock.form, "name", "Front end", keys, window)
    assert session.job.part("step-down-module-8-a").in_max_V == 60

    keys(window, "Alt+2")
    add(window, keys, "lower", "upper", "Front end", "Fuse 5 A slow", "Lead 1 m", "output MOUNT 13.6V 4A")
    assert [x.kind for x in session.job.design.path_to("mount")] == [
        "unit", "unit", "converter", "fuse", "lead", "output",
    ]  # fmt: skip
    session.choose("lower")
    add(window, keys, "Step-down module 3 A")
    session.choose(session.job.design.links[-1].id if session.subject is None else session.subject)
    add(window, keys, "output HUB 5.2V 1A")
    assert session.job.design.path_to("hub")[0].id == "lower"
    QApplication.processEvents()

    # What limits is said, at the block and as a card; a bigger fuse mends it.
    titles = [n.title for n in session.now.notices if n.kind == "miss"]
    assert "Fuse 5 A slow, holder, continuous: over" in titles
    front = next(x for x in session.job.design.links if x.name == "Front end")
    session.choose(front.id)
    form = window.stage("design").path.form
    set_field(form, "set_V", "13.6", keys, window)
    window.stage("stock").choose("fuse-5-a-slow-holder")
    set_field(window.stage("stock").form, "rated_A", "8", keys, window)
    hub = next(x for x in session.job.design.links if x.name == "Step-down module 3 A")
    session.choose(hub.id)
    set_field(window.stage("design").path.form, "set_V", "5.3", keys, window)
    assert [n.title for n in session.now.notices if n.kind == "miss"] == []

    # A variant is set aside under its name, the other goes on; both stand side by side.
    session.choose("mount")
    bar = window.stage("design").variants
    QApplication.processEvents()
    bar.name.setFocus()
    keys(window, "careful", "Enter")
    assert session.job.variant == "careful"
    window.stage("design").findings.show_view("variants")
    table = window.stage("design").findings._body.itemAt(1).widget()
    assert table.topLevelItemCount() == 2

    # The hold point is lifted by its reading, the test is typed, the plate says what was shown.
    keys(window, "Alt+5")
    keys(window, "Ctrl+l")
    for line in ("earth-mount OL", "mount 13.61 @0A", "mount 13.55 @2A", "mount 13.49 @4A"):
        keys(window, line, "Enter")
    assert session.outcome.regulation is not None
    assert 0.02 < session.outcome.regulation.output_resistance_ohm.value < 0.04
    plate = window.stage("plate")
    qtbot.waitUntil(lambda: plate.ready, timeout=60_000)
    plate.path.setText(str(tmp_path / "sheet.pdf"))
    plate.write(".pdf")
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    # Every step can be taken back, to the empty bin.
    for _ in range(60):
        session.undo()
    assert session.job == Job(name="Evening supply")


def test_two_sources_in_one_box_from_nothing(open_window, tmp_path: Path, keys, qtbot) -> None:
    """Two bought units side by side, each with an outlet; parts that are not in the stock by their name."""
    window = open_window(JobFile.create(tmp_path / "two.tensi", Job(name="Two in a box")))
    session = window.session
    keys(window, "Alt+1")
    stock = window.stage("stock")
    for plate in ("24V 3A 72W tall", "12V 5A 50W flat"):
        stock.nameplate.setFocus()
        keys(window, plate, "Enter")
    # A label that does not add up is said as it is typed.
    assert "12 V × 5 A is 60 W, not 50 W" in window.line.hint.text()

    keys(window, "Alt+2")
    # What is not in the stock is asked about and taken from the library by a second Enter.
    add(window, keys, "tall", "Fuse 5 A slow", "Fuse 5 A slow", "output LAMPS 24V 2A")
    add(window, keys, "and flat", "Blade fuse 15 A", "Blade fuse 15 A", "output FANS 12V 3A")
    assert [[x.id for x in session.job.design.path_to(o)] for o in ("lamps", "fans")] == [
        ["tall", "fuse-5-a-slow-holder", "lamps"],
        ["flat", "blade-fuse-15-a-holder", "fans"],
    ]
    assert session.now.solved is not None
    assert {t.output for t in session.job.campaign.tests} == {"lamps", "fans"}

    # A hold comes into hand by its number, or by a click on its line; what it reads is ohms.
    keys(window, "Alt+3")
    window.stage("assemble").show_view("matrix")
    numbers = {name: k for k, (_, name, _) in session.now.numbered.items()}
    crossed = numbers["LAMPS + to FANS +"]
    keys(window, "Ctrl+l", f"{crossed} 4.7", "Enter")
    card = next(n for n in session.now.notices if n.title == "LAMPS + to FANS +")
    assert "The pluses of two sources meet" in card.text
    keys(window, f"{crossed} OL", "Enter")
    assert card.title not in [n.title for n in session.now.notices]
    hold = next(n for n in session.now.notices if n.kind == "hold" and n.stage == "assemble")
    window.notices._taken_up(hold.id)
    assert session.hand.place == hold.lifted_by
    keys(window, "0.2" if session.hand.band.high else "OL", "Enter")
    assert hold.id not in [n.id for n in session.now.notices]

    # What is typed is shown where it will count, across the tests, and can be moved.
    keys(window, "Alt+5")
    session.choose_test(next(t.id for t in session.job.campaign.tests if t.output == "lamps"))
    keys(window, "Ctrl+l", "fans 3A 11.8V")
    assert window.line.hint.text() == "FANS: 11.8 V at 3 A → FANS, load regulation, 3 A"
    keys(window, "Enter", "23.9 @2", "Enter", "24.0 @unloaded", "Enter")
    plans = [session.now.plan(t.id) for t in session.job.campaign.tests]
    taken = [r for p in plans for r in session.now.so_far.taken(p) if r.quantity == "V"]
    read = {(r.place, r.value, r.step) for r in taken}
    assert read == {("fans", 11.8, 5), ("lamps", 23.9, 5), ("lamps", 24.0, 7)}
    plate = window.stage("plate")
    qtbot.waitUntil(lambda: plate.ready, timeout=60_000)


def test_examples_lead_from_nothing_to_a_claim(open_window, tmp_path: Path, keys) -> None:
    """Whoever knows nothing yet takes the offered examples; what was read is held to the label."""
    window = open_window(JobFile.create(tmp_path / "first.tensi", Job(name="First")))
    session = window.session
    stages = ("assemble", "wake", "prove", "plate", "design")
    for stage in stages:
        window.stage(stage)
        act = next(a for a in window.stage(stage).findChildren(NextAct) if a.isVisible()).act
        assert act.text() == "go to Stock", stage
        act.click()
        assert window.stage_index == 0
    for stage, example in (
        ("stock", "24V 6.3A 150W"),
        ("design", "Donor 24 V 6.3 A"),
        ("design", "output OUT"),
    ):
        offer = next(a for a in window.stage(stage).findChildren(NextAct) if a.isVisible())
        assert offer.act.text().startswith(f"take the example “{example}")
        offer.act.click()
        QApplication.processEvents()
    assert not window.stage("design").next_act.isVisible()
    assert session.now.solved is not None
    keys(window, "Alt+5", "Ctrl+l")
    for line in ("24.1 @0", "24.0 @3", "20.0 @3.1"):
        keys(window, line, "Enter")
    plate = window.stage("plate")
    plate.views["Claimed and found"].click()
    table = plate.claims
    rows = [[table.topLevelItem(k).text(c) for c in range(5)] for k in range(table.topLevelItemCount())]
    assert [(r[0], r[1], r[2][:3]) for r in rows] == [
        ("OUT", "3.1 A", "3 A"),
        ("Donor 24 V 6.3 A (unit)", "6.3 A", "3 A"),
    ]
    assert rows[0][4].startswith("3.1 A")
    # Sorted by figures: 47.6 % of the label before 93.8 % of the outlet, whatever their letters.
    table.sortItems(3, Qt.SortOrder.AscendingOrder)
    assert table.topLevelItem(0).text(0) == "Donor 24 V 6.3 A (unit)"
    # From there by keys alone to a template that can be printed.
    face = plate.face
    plate.views["Front and box"].setFocus()
    keys(window, "Space")
    for field, text in zip(face.sizes, ("160", "80", "2"), strict=True):
        field.setFocus()
        field.selectAll()
        keys(window, text, "Enter")
    for button in (face.draw_button, face.buttons["what the design asks for"]):
        button.setFocus()
        keys(window, "Space")
    assert [i.name for i in session.job.plate.faces[0].items] == ["OUT"]
    assert "Nothing is in the way" in face.sentence.text()
    face.write_button.setFocus()
    keys(window, "Space")
    assert (tmp_path / "first-front.pdf").read_bytes().startswith(b"%PDF")
    plate.views["Plate"].setFocus()
    keys(window, "Space")
    plate.plate.button.setFocus()
    keys(window, "Space")
    assert (tmp_path / "first-plate.pdf").read_bytes().startswith(b"%PDF")


def test_a_bought_supply_is_tried_dead_or_alive_without_a_path(open_window, tmp_path: Path, keys) -> None:
    file = JobFile.create(tmp_path / "shed.tensi", readings_first("Shed supply", "12V 5A"))
    window = open_window(file)
    stage = window.stage("assemble")
    assert [k for k, b in stage.buttons.items() if not b.isHidden()] == ["matrix", "alive", "apart"]
    stage.show_view("alive")
    fields = stage.shown.panel.fields
    fields["volts"].setFocus()
    keys(window, "9.1", "Enter")
    read = window.session.now.readings[-1]
    assert (read.place, read.value) == ("alive-supply-volts", 9.1)
    assert "Far below or pulsing" in " ".join(w.text() for w in stage.shown.findChildren(QLabel))
