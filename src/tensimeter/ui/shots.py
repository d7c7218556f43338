"""Redraws the pictures of the manual from the demo: python -m tensimeter.ui.shots FOLDER."""

import os
import sys
import tempfile
from pathlib import Path

from tensimeter.bench.setup import open_bench
from tensimeter.bench.simulated.server import StandIns
from tensimeter.core.job.edits import readings_first
from tensimeter.core.readingline import understand
from tensimeter.demo.library import demo_job, demo_truths
from tensimeter.store.jobfile import JobFile


def main(folder: Path) -> None:
    """Every main view at 1280 × 800, by day; one of them by night."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from tensimeter.ui.app import make_application
    from tensimeter.ui.pictures import picture, wait_until
    from tensimeter.ui.session import Session
    from tensimeter.ui.start_page import StartPage
    from tensimeter.ui.theme import theme
    from tensimeter.ui.window import MainWindow

    make_application()
    with tempfile.TemporaryDirectory() as scratch:
        session = Session(JobFile.create(Path(scratch) / "ridge-pier.tensi", demo_job("ridge-pier")))
        window = MainWindow(session)
        window.show()
        stock = window.stage("stock")
        stock.choose("front-end-40")
        picture(window, folder / "stock.png")
        session.choose("front-end")
        window.stage("design")
        picture(window, folder / "design.png")
        session.choose("mount")
        window.stage("prove")
        job = session.job
        with StandIns(job, truths=demo_truths(job.name), speed=30) as served:
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
        plate = window.stage("plate")
        wait_until(lambda: plate.ready, 60)
        picture(window, folder / "plate.png")
        theme.use(night=True)
        window.stage("design")
        picture(window, folder / "design-night.png")
        theme.use(night=False)
        window.close()

        file = JobFile.create(Path(scratch) / "shed.tensi", readings_first("Shed bench supply", "12V 5A"))
        session = Session(file)
        window = MainWindow(session)
        window.show()
        for text in ("out 12.08V @0A", "out 11.94V @2A", "out 11.79V @4A"):
            session.take_typed(understand(session.job, text))
        window.line.entry.setText("out 11.7 @5A")
        window.line._look("out 11.7 @5A")
        picture(window, folder / "readings-first.png")
        window.close()
        start = StartPage()
        start.show()
        picture(start, folder / "start.png")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
