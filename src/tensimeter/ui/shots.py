"""Redraws the pictures of the manual from the demo: python -m tensimeter.ui.shots FOLDER."""

import os
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from tensimeter.bench.clock import SteppedClock
from tensimeter.bench.setup import open_bench
from tensimeter.core.model.edits import changed, readings_first, with_test
from tensimeter.core.model.job import Job
from tensimeter.core.model.test_record import Changed
from tensimeter.core.plate.face_edits import from_design, new_face
from tensimeter.core.testplan.generator import generated
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.simulation.server import SimulatedBench
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.parts.present import present

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow


def _window(path: Path, job: Job) -> "MainWindow":
    from tensimeter.ui.session import Session
    from tensimeter.ui.window import MainWindow

    window = MainWindow(Session(JobFile.create(path, job)))
    window.show()
    return window


def _ridge_pier(scratch: Path, folder: Path) -> None:
    """The main demo from its stock to its plate."""
    from tensimeter.ui.pictures import picture, wait_until

    window = _window(scratch / "ridge-pier.tensi", demo_job("ridge-pier"))
    session = window.session
    stock = window.stage("stock")
    stock.choose("front-end-40")
    picture(window, folder / "stock.png")
    stock.choose("step-down-5a")
    stock.editor.show_view("alive")
    incoming = present(stock.editor.alive)
    for step, read in (("short", "1k8"), ("through", "OL"), ("idle", "1.27")):
        incoming.fields[step].setText(read)
        incoming.fields[step].returnPressed.emit()
    _assemble_and_wake(window, folder)
    session.choose("mount")
    design = window.stage("design")
    design.findings.show_view("faults")
    session.choose("hub")
    picture(window, folder / "design-faults.png")
    design.findings.show_view("ladder")
    session.choose("mount")
    window.stage("prove")
    job = session.job
    with stand_ins(job, speed=30) as served:
        session.start_run(open_bench(job, served.resources, speed=30))
        wait_until(lambda: session.step_index == 4 and session.running)
        wait_until(lambda: False, 0.1)
        picture(window, folder / "prove-running.png")
        wait_until(lambda: not session.running and session.bench is None)
        window.go_to(4)
        picture(window, folder / "prove.png")
        window.toggle_bench_view()
        picture(window, folder / "bench-view.png")
        window.toggle_bench_view()
        _ripple(window, served, folder)
    _soak(window, folder)
    window.stage("design")
    wait_until(lambda: False, 0.8)
    picture(window, folder / "design.png")
    plate = window.stage("plate")
    wait_until(lambda: plate.ready, 60)
    picture(window, folder / "plate.png")
    _front(window, folder)
    window.close()


def _soak(window: "MainWindow", folder: Path) -> None:
    """The soak that is stopped in time, and the one after its pad was seated anew."""
    from tensimeter.ui.pictures import picture, wait_until

    session, stage = window.session, window.stage("prove")
    session.choose_test("soak")

    def run() -> None:
        clock = SteppedClock()
        with stand_ins(session.job, clock=clock) as served:
            session.start_run(open_bench(session.job, served.resources, clock=clock))
            wait_until(lambda: not session.running and session.bench is None, 300)

    run()
    stage.show_view("found")
    picture(window, folder / "prove-soak.png")
    # The one after its repair is what Tune lays over it.
    soak = present(session.test)
    runs = [r.run for r in session.now.readings if r.test == "soak" and r.run is not None]
    change = Changed(link="front-end", what="thermal pad seated anew", after_run=max(runs))
    mended = changed(soak, changes=(change,), every_s=60.0, hold_s=4500.0)
    session.edit("what was changed", with_test(session.job, mended))
    run()
    stage.show_view("points")
    session.choose_test("load-regulation")


def _ripple(window: "MainWindow", served: SimulatedBench, folder: Path) -> None:
    """A test beyond load regulation: the whole campaign planned, ripple taken."""
    from tensimeter.ui.pictures import picture, wait_until

    session = window.session
    stage = window.stage("prove")
    session.edit("campaign planned", generated(session.job))
    ripple = next(t for t in session.job.campaign.tests if t.kind == "ripple")
    known = changed(ripple, switching_Hz=117e3)
    session.edit("switching", with_test(session.job, known))
    session.choose_test(ripple.id)
    session.start_run(open_bench(session.job, served.resources, speed=30))
    wait_until(lambda: not session.running and session.bench is None)
    session.choose_step(2)
    stage.show_view("found")
    picture(window, folder / "prove-ripple.png")
    stage.show_view("points")
    session.choose_test("load-regulation")


def _assemble_and_wake(window: "MainWindow", folder: Path) -> None:
    """The same demo half assembled, and woken up to a mistake that shows."""
    from tensimeter.core.procedure.practice import Practice
    from tensimeter.ui.pictures import picture, settle

    session = window.session
    stage = window.stage("assemble")
    picture(window, folder / "assemble-wires.png")
    supply = Practice(session.job)
    stage.show_view("matrix")
    for _ in range(9):
        settle(2)
        hand = present(session.hand)
        value = present(supply.value(hand.place))
        session.take_at(hand.place, hand.name, hand.quantity, "OL" if value > 1e12 else f"{value:.3g}")
    picture(window, folder / "assemble-matrix.png")
    wake = window.stage("wake")
    wake.looked.click()
    for step, text in (("alone-donor-a", "24.09"), ("alone-donor-b", "24.21"), ("stack-donor-b", "24.2")):
        wake.choose(step)
        wake.entry.field.setText(text)
        wake.entry.take()
    wake.choose("stack-donor-b")
    picture(window, folder / "wake.png")


def _front(window: "MainWindow", folder: Path) -> None:
    """The front of the main demo with what its design asks for."""
    from tensimeter.ui.pictures import picture
    from tensimeter.ui.plate.stage import PlateStage

    session = window.session
    job = from_design(new_face(session.job, "front", "280mm", "110mm", "2mm", "metal"), "front")
    session.edit("front drawn", job)
    stage = window.stage("plate")
    assert isinstance(stage, PlateStage)
    stage.views["Front and box"].click()
    picture(window, folder / "plate-front.png")
    stage.views["Data sheet"].click()


def _other_designs(scratch: Path, folder: Path) -> None:
    """The other two demos at the problem that each has."""
    from tensimeter.ui.pictures import picture

    for name, output in (("dome-workshop", "shutter"), ("finishers-bench", "bath")):
        window = _window(scratch / f"{name}.tensi", demo_job(name))
        window.session.choose(output)
        design = window.stage("design")
        if name == "finishers-bench":
            window.session.try_point(output, 3.0, 1.2)
            design.findings.show_view("heat")
            picture(window, folder / "design-heat.png")
        window.close()


def _made_load(scratch: Path, folder: Path) -> None:
    """A load that one makes, on its card, by night."""
    from tensimeter.ui.pictures import picture
    from tensimeter.ui.theme import theme

    theme.use(night=True)
    window = _window(scratch / "test-load.tensi", demo_job("test-load"))
    window.stage("stock").choose("own-sink")
    picture(window, folder / "made-load-night.png")
    window.close()
    theme.use(night=False)


def _tune(scratch: Path, folder: Path) -> None:
    """Why the shutter does not read as designed, by what a hand reads of the demo's supply."""
    from tensimeter.ui.pictures import picture
    from tensimeter.ui.tune.stage import TuneStage

    window = _window(scratch / "tune.tensi", demo_job("dome-workshop"))
    stage = window.stage("tune")
    assert isinstance(stage, TuneStage)
    window.session.choose("shutter")
    stage.show_view("causes")
    stage.read.click()
    picture(window, folder / "tune.png")
    window.close()


def _profile(scratch: Path, folder: Path) -> None:
    """A profile made from what a handheld meter sends."""
    from tensimeter.ui.pictures import picture, wait_until
    from tensimeter.ui.prove.profile_window import ProfileWindow
    from tensimeter.ui.session import Session

    job = demo_job("ridge-pier")
    with (
        JobFile.create(scratch / "profile.tensi", job) as file,
        stand_ins(job, voltmeter_as="frame") as served,
    ):
        window = ProfileWindow(Session(file), "voltmeter", served.resources["voltmeter"], "generic-meter")
        window.resize(1280, 800)
        window.show()
        window.way.setCurrentIndex(2)
        window.way.activated.emit(2)
        wait_until(lambda: window.conversation.words.count() > 18, 20)
        window.shown.setText("13.57")
        wait_until(lambda: window.proposals.count() > 0, 20)
        window.take(0)
        window.try_all()
        picture(window, folder / "profile.png")
        window.close()


#: Pictures that the manual inside shows, smaller, beside its pages.
IN_MANUAL = ("start", "stock", "design", "assemble-matrix", "wake", "prove", "tune", "plate")
MANUAL_WIDTH = 560


def for_manual(folder: Path, manual: Path) -> None:
    """Small copies of the pictures, for the manual that comes with the program."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtGui import QImage

    manual.mkdir(exist_ok=True)
    for name in IN_MANUAL:
        whole = QImage(str(folder / f"{name}.png"))
        small = whole.scaledToWidth(MANUAL_WIDTH, Qt.TransformationMode.SmoothTransformation)
        small.save(str(manual / f"{name}.jpg"), "JPG", 85)


def main(folder: Path) -> None:
    """Every main view at 1280 × 800, by day; one of them by night."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from tensimeter.ui.app import make_application
    from tensimeter.ui.pictures import picture
    from tensimeter.ui.session import Session
    from tensimeter.ui.start_page import StartPage
    from tensimeter.ui.window import MainWindow

    make_application()
    with tempfile.TemporaryDirectory() as scratch:
        # The pictures show made-up data only: no job or bin of whoever takes them.
        os.environ["HOME"] = scratch
        for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_DOCUMENTS_DIR"):
            os.environ[name] = str(Path(scratch) / name)
        _ridge_pier(Path(scratch), folder)
        _other_designs(Path(scratch), folder)
        _tune(Path(scratch), folder)
        _made_load(Path(scratch), folder)
        _profile(Path(scratch), folder)

        file = JobFile.create(Path(scratch) / "shed.tensi", readings_first("Shed bench supply", "12V 5A"))
        session = Session(file)
        window = MainWindow(session)
        window.show()
        for text in ("out 12.08V @0A", "out 11.94V @2A", "out 11.79V @4A"):
            session.take_line(session.line(text))
        window.line.entry.setText("out 11.7 @5A")
        window.line._look("out 11.7 @5A")
        picture(window, folder / "readings-first.png")
        window.close()
        start = StartPage()
        start.show()
        picture(start, folder / "start.png")
        for_manual(folder, Path(__file__).parents[1] / "assets" / "manual" / "pictures")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
