"""A profile made in the window from what a meter says, kept, and measured with."""

from pathlib import Path

import pytest
from PyQt6.QtCore import Qt

from tensimeter.bench.profile import load_profile, own_profiles
from tensimeter.bench.setup import read_bench_file
from tensimeter.core.model.job import Job
from tensimeter.demo.library import stand_ins as simulated
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.prove.instruments_window import InstrumentsWindow
from tensimeter.ui.prove.profile_window import ProfileWindow
from tensimeter.ui.session import Session

#: What somebody types who has read the meter's manual.
LISTED = """
role = "voltmeter"
termination = "\\r\\n"
[commands]
read_volts = "R"
"""


@pytest.mark.parametrize(("door", "way"), [("stream", 0), ("list", 1), ("frame", 2), ("modbus", 3)])
def test_a_profile_is_made_from_what_a_meter_says(
    qtbot, tmp_path: Path, demo: Job, door: str, way: int
) -> None:
    with JobFile.create(tmp_path / "r.tensi", demo) as file, simulated(demo, voltmeter_as=door) as served:
        window = InstrumentsWindow(Session(file))
        window.show()
        window.make_profile("voltmeter")
        assert "Type where" in window.said.text()
        place = served.resources["voltmeter"]
        window.fields["voltmeter"].setText(place)
        window.fields["load"].setText(served.resources["load"])
        window.make_profile("voltmeter")
        made = window.findChild(ProfileWindow)
        made.way.setCurrentIndex(way)
        made.way.activated.emit(way)
        if door == "list":
            made.text.setPlainText(LISTED)
            qtbot.keyClicks(made.conversation.line, "R")
            qtbot.keyClick(made.conversation.line, Qt.Key.Key_Return)
        else:
            # Nothing is read yet, so it can't be kept.
            assert not made.keep.isEnabled()
        volts = served.world.supply.volts(served.world.place("voltmeter"))
        qtbot.keyClicks(made.shown, f"{volts:.1f}")
        if door == "modbus":
            qtbot.keyClick(made.shown, Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: made.proposals.count() > 0, timeout=60_000)
        made.take(0)
        made.try_all()
        assert "everything that was tried fits" in made.said.text()
        good = made.text.toPlainText()
        for half in (
            "role = 5",
            "termination = 5",
            "frame = 1\nregisters = 2\npatterns = 3",
            "[[",
            "streaming = 1",
        ):
            made.text.setPlainText(half)
            made.conversation.close_link()
            made._listen()
            made.propose()
            made.take(0)
            made.look_through()
            made.try_all()
            assert made.said.text()
        made.text.setPlainText(good)
        made.name.setText("../bad")
        made.keep_it()
        assert "plain name" in made.said.text()
        made.name.setText("bench-meter")
        own = own_profiles() / "bench-meter.toml"
        own.parent.mkdir(parents=True, exist_ok=True)
        own.write_text("# of another meter")
        qtbot.mouseClick(made.keep, Qt.MouseButton.LeftButton)
        assert "already" in made.said.text()
        assert own.read_text() == "# of another meter"
        qtbot.mouseClick(made.keep, Qt.MouseButton.LeftButton)
        assert window.profiles["voltmeter"].currentText() == "bench-meter"
        assert own.read_text() == good
        assert load_profile("bench-meter").role == "voltmeter"
        with qtbot.waitSignal(window.bench_chosen) as chosen:
            window.use()
        assert read_bench_file(Path(chosen.args[0])).profiles["voltmeter"] == "bench-meter"
