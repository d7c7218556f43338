"""The demo without a display: the same window off screen plays the campaign and leaves its results."""

import os
from collections.abc import Iterator
from pathlib import Path

from tensimeter.bench.clock import SteppedClock, clock_at
from tensimeter.bench.setup import open_bench
from tensimeter.core.errors import UserError
from tensimeter.demo.library import demo_job, stand_ins
from tensimeter.report.datasheet import write
from tensimeter.store.jobfile import JobFile


def _free(folder: Path, name: str) -> Path:
    """A path for the demo's file that nothing has yet."""
    numbered = (folder / f"{name}-{n}.tensi" for n in range(2, 10_000))
    first = folder / f"{name}.tensi"
    return next(p for p in (first, *numbered) if not p.exists())


def play(name: str, folder: Path, speed: float) -> Iterator[str]:
    """Play a demo's campaign; yields a line for each thing done. UserError when it can't."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from tensimeter.ui.app import make_application
    from tensimeter.ui.pictures import picture_stages, wait_until
    from tensimeter.ui.session import Session
    from tensimeter.ui.window import MainWindow

    try:
        file = JobFile.create(_free(folder, name), demo_job(name))
    except OSError as error:
        raise UserError(f"{folder} can't be written: {error.strerror}.") from error
    yield "No display: playing the demo off screen."
    app = make_application()
    session = Session(file)
    window = MainWindow(session)
    window.show()
    window.stage("prove")
    job = file.job
    # The same whenever it is played, however busy the machine is.
    clock = clock_at(speed) if speed else SteppedClock()
    # Nobody looks while it plays: painting each look at the bench would take most of the time.
    window.hide()
    with stand_ins(job, clock=clock) as served:
        for test in job.campaign.tests:
            served.connect(test.output)
            session.choose_test(test.id)
            session.start_run(open_bench(job, served.resources, clock=clock))
            ended = wait_until(lambda: not session.running and session.bench is None, 300)
            result = session.outcome
            if not ended or result is None or session.engine is None or session.engine.ended is None:
                raise UserError(f"{test.id} did not end.")
            yield f"{result.plan.output.name}: {session.engine.ended.text} {result.verdict.words}"
    window.show()
    session.choose_test(job.campaign.tests[0].id)
    sheets = [folder / f"{name}.{ending}" for ending in ("pdf", "html")]
    for sheet in sheets:
        write(file, sheet)
    pictures = picture_stages(window, folder / "pictures")
    window.close()
    app.processEvents()
    yield (
        f"Left in {folder}: {file.path.name}, {sheets[0].name}, {sheets[1].name}, "
        f"pictures of {len(pictures)} stages."
    )
