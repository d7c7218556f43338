"""The work session as widgets see it: what has changed comes as signals, in the window's own thread."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from tensimeter.app.derived import Derived
from tensimeter.app.work_session import WorkSession
from tensimeter.bench.events import Event
from tensimeter.core.derivation import Derivation
from tensimeter.core.errors import UserError
from tensimeter.core.notice import Notice
from tensimeter.core.testplan.evaluation import not_judged
from tensimeter.core.testplan.step import Outcome
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.aside import Aside
from tensimeter.ui.asked import Asked
from tensimeter.ui.run_feed import RunFeed

if TYPE_CHECKING:
    from collections.abc import Callable

    from tensimeter.bench.setup import Bench


class _Teller:
    """Hands on to the session's signals what the work session tells."""

    def __init__(self, session: "Session") -> None:
        self.job_changed = session.job_changed.emit
        self.readings_changed = session.readings_changed.emit
        self.subject_changed = session.subject_changed.emit
        self.point_changed = session.point_changed.emit
        self.hand_changed = session.hand_changed.emit
        self.logged = session.logged.emit
        self.run_told = session.run_event.emit
        self.said = session.say
        self.troubled = session.complain


class Session(WorkSession, QObject):
    """The open job and everything in hand. Widgets read it and ask it; it tells them of change."""

    job_changed = pyqtSignal()
    readings_changed = pyqtSignal()
    subject_changed = pyqtSignal()
    point_changed = pyqtSignal()
    logged = pyqtSignal()
    run_event = pyqtSignal(object)
    asked_why = pyqtSignal(object)
    trouble = pyqtSignal(str)
    told = pyqtSignal(str)
    hand_changed = pyqtSignal()
    #: A run is about to open its instruments: whoever else holds one lets it go.
    bench_wanted = pyqtSignal()
    #: A stage that is to be gone to.
    stage_wanted = pyqtSignal(str)

    #: A test whose judgement takes long has been judged.
    judged = pyqtSignal()
    #: What is to be minded has been worked out anew.
    noticed = pyqtSignal()

    def __init__(self, file: JobFile, aside: Aside | None = None) -> None:
        QObject.__init__(self)
        #: Where what takes long is worked out; at once, unless another is given.
        self.aside = aside or Aside()
        self.notices: list[Notice] = []
        #: Outcomes of tests whose judgement takes long, as last shown, and for what each was asked last.
        self._shown_before: dict[str, Outcome] = {}
        self._asked_for: dict[str, Derived] = {}
        self.feed = RunFeed(self)
        WorkSession.__init__(self, file, _Teller(self))
        #: What is asked of instruments outside a run.
        self.asked = Asked(self)
        # Before any widget hears of a change, so that what is worked out at once is there for all.
        self.job_changed.connect(self._ask_notices)
        self.readings_changed.connect(self._ask_notices)
        self._ask_notices()
        self.feed.came.connect(self.on_run_event)
        self.feed.alive.connect(self.show_life)

    def _ask_notices(self) -> None:
        now = self.now
        self.aside.ask("notices", self, lambda: now.notices, self._take_notices)

    def _ask_plans(self) -> None:
        """The plans of all tests: what a reading is held against wherever it is typed."""
        if self.aside.threaded:
            now, tests = self.now, [t.id for t in self.job.campaign.tests]
            self.aside.ask("plans", self, lambda: [now.plan(t) for t in tests], lambda _: None)

    @property
    def outcome(self) -> Outcome | None:
        return self.outcome_of(self.test_id)

    def outcome_of(self, test_id: str | None) -> Outcome | None:
        """A test judged; of one that takes long what was shown before, until that is there."""
        now = self.now
        if test_id is None or not self.aside.threaded or now.answers_at_once(test_id):
            found = now.outcome(test_id)
            if found is not None:
                self._shown_before[found.plan.test.id] = found
            return found
        if self._asked_for.get(test_id) is not now:
            self._asked_for[test_id] = now
            self.aside.ask(f"outcome of {test_id}", self, lambda: now.outcome(test_id), self._take_outcome)
        plan = now.plan(test_id)
        known = self._shown_before.get(test_id)
        if known is not None or plan is None:
            return known
        what = "Its heat" if plan.test.soaks else "It"
        return not_judged(plan, f"{what} is being worked out.")

    def is_late(self, test_id: str | None) -> bool:
        """Whether what is shown of a test is of before, and it is being judged anew."""
        return test_id is not None and self.aside.waits(f"outcome of {test_id}")

    def _take_outcome(self, found: Outcome | None) -> None:
        if found is not None:
            self._shown_before[found.plan.test.id] = found
        self.judged.emit()

    @property
    def minded(self) -> list[Notice]:
        """As last worked out: a line is read at every key."""
        return self.notices

    def _take_notices(self, found: list[Notice]) -> None:
        self.notices = found
        self.noticed.emit()

    @property
    def trace(self) -> list[tuple[float, float]]:
        """Seconds and volts of the run, as they came."""
        return self.feed.trace

    def start_run(
        self,
        bench: "Bench",
        hear: "Callable[[Event], None] | None" = None,
        *,
        present: bool = False,
        anew: bool = False,
        others_are_meant: bool = False,
    ) -> None:
        """Run the test in hand on a bench; what it tells comes by way of the window's own thread."""
        self.feed.begin()
        try:
            WorkSession.start_run(
                self,
                bench,
                hear or self.feed.hear,
                present=present,
                anew=anew,
                others_are_meant=others_are_meant,
            )
        except UserError:
            self.feed.rest()
            raise

    # -- what widgets say -----------------------------------------------------------------------

    def why(self, worked: Derivation) -> None:
        """Have a figure worked out in the right column."""
        self.asked_why.emit(worked)

    def say(self, text: str) -> None:
        """Tell the user in one sentence what was done."""
        self.told.emit(text)

    def complain(self, text: str) -> None:
        """Tell the user in one sentence what can't be done."""
        self.trouble.emit(text)
