"""Two runs of a test laid over one another: what changed, and whether that can be told."""

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import fixed, with_uncertainty
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.tuning.asked import Asked, steps_asked
from tensimeter.core.tuning.before_after import Lap, TwoRuns, changed_between, compare, laps, picture, worked
from tensimeter.ui.parts.picture_plot import PicturePlot
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.tune.view import TuneView, figures_table, fill


class ChangesView(TuneView):
    """A test and two of its runs are chosen; the difference follows."""

    words, key = "Before and after", "changes"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.laps: dict[str, list[Lap]] = {}
        self.found: TwoRuns | None = None
        row = QHBoxLayout()
        self.test, self.before, self.after = QComboBox(), QComboBox(), QComboBox()
        for box, words in ((self.test, "test"), (self.before, "before"), (self.after, "after")):
            box.setAccessibleName(words)
            row.addWidget(label(words, "caption"))
            row.addWidget(box)
        row.addStretch(1)
        self.choice = QWidget()
        self.choice.setLayout(row)
        row.setContentsMargins(0, 0, 0, 0)
        self.test.activated.connect(lambda _=0: self._choose_test())
        self.before.activated.connect(lambda _=0: self._compare())
        self.after.activated.connect(lambda _=0: self._compare())
        self.column.addWidget(self.choice)
        self.done = label("", "caption", wrap=True)
        self.column.addWidget(self.done)
        self.plot = PicturePlot()
        self.plot.setAccessibleName(tr("both runs"))
        self.plot.setMinimumHeight(theme.px(170))
        self.column.addWidget(self.plot, 5)
        columns = ("at", "before", "after", "difference")
        self.table = figures_table(columns, "points of both runs", words=(0,), gives_way=False)
        self.column.addWidget(self.table, 4)
        self._below = QWidget()
        self.column.addWidget(self._below, 1)

    def first_focus(self) -> QWidget:
        return self.test if self.laps else self

    def worked(self) -> Derivation | None:
        """How the change between the two runs came about."""
        return worked(self.found) if self.found is not None else None

    def refresh(self) -> None:
        """Which tests were gone through twice."""
        job, now = self.session.job, self.session.now
        readings = now.readings

        def work() -> dict[str, list[Lap]]:
            planned = ((t.id, now.plan(t.id)) for t in job.campaign.tests)
            found = {name: laps(job, p, readings) for name, p in planned if p is not None}
            return {name: runs for name, runs in found.items() if len(runs) > 1}

        self.aside(work, self._take)

    def asks(self) -> list[Asked]:
        name = self.test.currentData() or self.session.test_id
        plan = self.session.now.plan(name)
        return steps_asked(plan) if plan is not None else []

    def _take(self, found: dict[str, list[Lap]]) -> None:
        self.laps = found
        kept = self.test.currentData()
        self.test.clear()
        for test in self.session.job.campaign.tests:
            if test.id in found:
                name = self.session.job.output(test.output).name
                self.test.addItem(f"{name}, {kind_of(test).name}", test.id)
        there = self.test.findData(kept)
        self.test.setCurrentIndex(max(there, 0))
        for part in (self.choice, self.plot, self.table, self.done):
            part.setVisible(bool(found))
        self._below.setVisible(not found)
        if not found:
            self.title.setText(tr("No test was gone through twice yet"))
            self.sentence.setText(
                tr(
                    "Change one thing, then read the same steps again: what it did is told here, and how "
                    "sure "
                    "that is. A run of instruments counts as one; of what is typed a new one begins where "
                    "a step "
                    "is read again."
                )
            )
            return
        self._choose_test()

    def _choose_test(self) -> None:
        runs = self.laps.get(self.test.currentData(), [])
        for box, at in ((self.before, len(runs) - 2), (self.after, len(runs) - 1)):
            box.clear()
            for lap in runs:
                box.addItem(lap.name)
            box.setCurrentIndex(max(at, 0))
        self._compare()

    def _compare(self) -> None:
        session, name = self.session, self.test.currentData()
        plan, runs = session.now.plan(name), self.laps.get(name, [])
        one, two = self.before.currentIndex(), self.after.currentIndex()
        self.found = None
        if plan is None or min(one, two) < 0 or max(one, two) >= len(runs):
            return
        try:
            found = compare(session.job, plan, runs[one], runs[two])
        except UserError as trouble:
            self.title.setText(self.test.currentText())
            self.sentence.setText(str(trouble))
            return
        self.found = found
        self.title.setText(
            tr("{0}: {1} and {2}").format(self.test.currentText(), found.before.name, found.after.name)
        )
        self.sentence.setText(found.sentence)
        entries = [(e.at, e.text) for e in session.file.logbook() if e.kind in ("edit", "remark", "changed")]
        deeds = changed_between(found.before, found.after, plan, entries)
        self.done.setText(
            tr("In between: {0}.").format("; ".join(deeds)) if deeds else tr("Nothing was noted in between.")
        )
        self.plot.show_picture(picture(found))
        places = 1 if found.unit == "K" else 4
        fill(
            self.table,
            [
                (
                    p.where,
                    fixed(p.before, found.unit, places),
                    fixed(p.after, found.unit, places),
                    with_uncertainty(p.difference.value, p.difference.half_width, found.unit),
                )
                for p in found.points
            ],
        )
