"""The stages down the left, each with what is open in it."""

from PyQt6.QtWidgets import QWidget

from tensimeter.core.held.points import is_rated, proven_A
from tensimeter.core.procedure.notices import open_holds
from tensimeter.core.procedure.stages import Stage
from tensimeter.core.testplan.evaluation import shows_load
from tensimeter.core.testplan.step import Outcome, panel_of
from tensimeter.core.testplan.taken import asks_points
from tensimeter.ui.session import Session
from tensimeter.ui.stage_buttons import StageButtons


class StageRail(StageButtons):
    """The stages of a job, each with what is open in it."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        #: The tests that were read, as last judged: a long soak's forecast takes a while.
        self.outcomes: list[Outcome] = []
        session.job_changed.connect(self.ask)
        session.readings_changed.connect(self.ask)
        session.noticed.connect(self.refresh)
        self.ask()

    def ask(self) -> None:
        """Have all tests that were read judged, and say meanwhile what is known."""
        now = self.session.now
        self.session.aside.ask("judged", self, lambda: now.outcomes(read_only=True), self._take)
        self.refresh()

    def _take(self, outcomes: list[Outcome]) -> None:
        self.outcomes = outcomes
        self.refresh()

    def refresh(self) -> None:
        for button in self.buttons:
            count = len(open_holds(self.session.notices, button.stage.id))
            caption = f"{count} hold{'s' if count > 1 else ''} open" if count else ""
            button.show_caption(caption or self._caption(button.stage), count)

    def _caption(self, stage: Stage) -> str:
        job, outcomes = self.session.job, self.outcomes
        if stage.id == "stock":
            count = len(job.stock)
            return f"{count} part{'s' * (count != 1)}" if count else "empty"
        if stage.id == "design":
            count = len(job.design.links)
            return f"{count} link{'s' * (count != 1)}" if count else "empty"
        if stage.id == "prove":
            total = len(job.campaign.tests)
            done = sum(o.complete for o in outcomes)
            if total == 1 and outcomes:
                return f"{outcomes[0].measured} of {len(outcomes[0].steps)} read"
            return f"{done} of {total} tests read" if total else "no test"
        if stage.id == "plate":
            by_points = (o for o in outcomes if asks_points(o.plan.test))
            shown = {o.plan.output.id for o in by_points if proven_A(o) or is_rated(o)}
            shown |= {o.plan.output.id for o in outcomes if shows_load(o)}
            count = len({t.output for t in job.campaign.tests})
            if not shown and any(o.pretended for o in outcomes):
                return "simulated only"
            return f"{len(shown)} of {count} rated" if count else "nothing yet"
        if stage.id == "assemble":
            made = sum(w.made for w in job.assembly.wires)
            return "as it stands" if job.assembly.already_running else f"{made} wires made"
        if stage.id == "wake":
            return "as it stands" if job.assembly.already_running else "nothing open"
        count = sum(panel_of(o.id) in self.session.now.so_far.places for o in job.design.outputs())
        return f"{count} display{'s' * (count != 1)} read" if count else "no display read"
