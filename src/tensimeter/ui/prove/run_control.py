"""Starts runs from the window: on a real bench, or on stand-ins of the job."""

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QTimer

from tensimeter.bench.events import ENDS, Event
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.model.job import Job
from tensimeter.core.procedure.notices import must_be_lifted
from tensimeter.ui.session import Session

if TYPE_CHECKING:
    from tensimeter.simulation.server import SimulatedBench

#: How fast the quick stand-ins' clock runs.
QUICK = 20.0


class RunControl:
    """Owns the stand-ins while they are wanted; the run itself is the session's."""

    def __init__(self, session: Session) -> None:
        self.session = session
        #: Tests still to be run by themselves, one after another, and how.
        self.waiting: list[str] = []
        self._how: tuple[str, str, bool] = ("", "", False)
        session.run_event.connect(self._on_run_event)
        #: What the last start was asked about: another instrument answers where one was known.
        self._asked_about = ""
        self._served: tuple[Job, float, SimulatedBench] | None = None

    def sources(self) -> list[tuple[str, str]]:
        """What can measure, in words, and its key."""
        return [
            ("by hand, typed or a log", "hand"),
            (f"stand-ins, {QUICK:g} × as fast", "quick"),
            ("stand-ins, real time", "real"),
            ("instruments of a bench file", "bench"),
        ]

    def start(self, source: str, bench_path: str = "", *, present: bool = False, anew: bool = False) -> None:
        """Begin the run of the test in hand; UserError when it can't."""
        from tensimeter.bench.setup import open_bench, open_bench_file

        session = self.session
        if session.plan is None:
            raise UserError("Choose a test first.")
        if session.running:
            raise UserError("A run is on already.")
        if session.asked.is_on:
            raise UserError("Instruments are being asked in their window; start once they have answered.")
        if source == "bench":
            if not bench_path:
                raise UserError("Type the path of a bench file first.")
            # Said before a bench is opened; the run engine waits for them by itself.
            must_be_lifted(session.job, session.now.readings, session.plan.output.id)
            for each in session.asked.sessions():
                each.bench_wanted.emit()
            bench = open_bench_file(session.job, Path(bench_path))
        else:
            speed = QUICK if source == "quick" else 1.0
            served = self._stand_ins(speed, session.plan.output.id)
            bench = open_bench(session.job, served.resources, speed=speed)
        try:
            try:
                session.start_run(bench, present=present, anew=anew)
            except Doubtful as trouble:
                asked, self._asked_about = self._asked_about, str(trouble)
                # Started once more, what was asked about is meant; anything else is asked in its turn.
                if asked != self._asked_about:
                    raise
                session.start_run(bench, present=present, anew=anew, others_are_meant=True)
        except UserError:
            bench.close()
            raise
        self._asked_about = ""

    def start_all(self, source: str, bench_path: str = "", *, present: bool = False) -> None:
        """Run every test that is not complete, in the campaign's order; one that fails stops the rest."""
        self._how = (source, bench_path, present)
        asked = {t.id for t in self.session.job.campaign.tests}
        judged = [o for o in self.session.now.outcomes() if o.plan.test.id in asked]
        self.waiting = [o.plan.test.id for o in judged if not o.complete and o.steps]
        if not self.waiting:
            raise UserError("Every test is complete already.")
        self._next()

    def _next(self) -> None:
        if not self.waiting or self.session.closed:
            return
        source, path, present = self._how
        self.session.choose_test(self.waiting.pop(0))
        try:
            self.start(source, path, present=present)
        except UserError as trouble:
            self.waiting.clear()
            self.session.complain(str(trouble))

    def _on_run_event(self, event: Event) -> None:
        if event.kind in ENDS - {"complete"}:
            self.waiting.clear()
        elif event.kind == "complete" and self.waiting:
            # Once everybody has heard that this one is over.
            QTimer.singleShot(0, self._next)

    def _stand_ins(self, speed: float, output: str) -> "SimulatedBench":
        # Only wanted for a run; their event loop costs a tenth of the start of the window.
        from tensimeter.demo.library import stand_ins

        job = self.session.job
        if self._served and (self._served[0] is not job or self._served[1] != speed):
            self.stop()
        if self._served is None:
            served = stand_ins(job, speed=speed).start()
            self._served = (job, speed, served)
        self._served[2].connect(output)
        return self._served[2]

    def stop(self) -> None:
        if self._served is not None:
            self._served[2].stop()
            self._served = None
