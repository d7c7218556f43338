"""The Prove stage: campaign, plot of the test, its steps; what the readings say in a sentence."""

from functools import cached_property, partial
from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QStackedWidget,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.bench.events import ENDS, Event
from tensimeter.core.derivation import Derivation
from tensimeter.core.guarded import guarded
from tensimeter.core.measurement.readings import PRETENDED_WORDS, Reading
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import decimals_for, fixed, show
from tensimeter.core.testplan.advice import meter_sentence, next_sentence, outcome_sentence, settle_sentence
from tensimeter.core.testplan.registry import KINDS, kind_of
from tensimeter.core.testplan.soak.run import soak_runs
from tensimeter.core.testplan.step import OPEN, Outcome, StepResult
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.plots import TraceView
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Figure, label, rule, tip
from tensimeter.ui.parts.verdict_square import mark_verdict, name_empty
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.prove.campaign_panel import CampaignPanel
from tensimeter.ui.prove.equipment_view import EquipmentView
from tensimeter.ui.prove.findings_table import FindingsTable
from tensimeter.ui.prove.plot_area import PlotArea
from tensimeter.ui.prove.readings_view import ReadingsView
from tensimeter.ui.prove.run_control import RunControl
from tensimeter.ui.prove.setup_view import SetupView
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_COLUMNS = ("", "load", "predicted", "read", "±", "verdict", "how")
_VIEWS = (
    ("points", "Points"),
    ("found", "What it gives"),
    ("readings", "Readings"),
    ("setup", "Set-up"),
    ("with", "With what"),
)
#: How two runs of a soak are laid over one another.
_COMPARE = "Before and after"


class ProveStage(QWidget):
    def __init__(self, session: Session, control: RunControl, parent: QWidget | None = None):
        super().__init__(parent)
        self.session = session
        self.setAcceptDrops(True)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(10), 0)
        layout.setSpacing(theme.px(12))
        self.campaign = CampaignPanel(session, control)
        self.campaign.test_chosen.connect(session.choose_test)
        layout.addWidget(self.campaign)
        layout.addWidget(rule(vertical=True))
        column = QVBoxLayout()
        column.setSpacing(theme.px(4))
        self.title = label("", "heading")
        self.sentence = Figure("", self._why)
        self.sentence.setWordWrap(True)
        self.sentence.asked.connect(session.why)
        self.meter = label("", "caption", wrap=True)
        for widget in (self.title, self.sentence, self.meter):
            column.addWidget(widget)
        self.next_act = NextAct(session, "prove")
        column.addWidget(self.next_act)
        self._below = QWidget()
        column.addWidget(self._below, 20)
        self.plot = PlotArea(session)
        column.addWidget(self.plot, 7)
        self._traced = QVBoxLayout()
        column.addLayout(self._traced)
        column.addLayout(self._views())
        self.steps = self._steps_table()
        self.found = FindingsTable()
        self.found.asked.connect(session.why)
        self.setup = SetupView(session)
        self.tables = QStackedWidget()
        self.tables.setMinimumHeight(theme.px(120))
        self.readings = ReadingsView(session)
        self.equipment = EquipmentView(session)
        for table in (self.steps, self.found, self.readings, self.setup, self.equipment):
            self.tables.addWidget(table)
        column.addWidget(self.tables, 4)
        layout.addLayout(column, 1)
        whole = WhenSeen(self, self.refresh)
        for signal in (session.job_changed, session.readings_changed, session.subject_changed, theme.changed):
            signal.connect(whole.take)
        session.run_event.connect(self._on_run_event)
        session.judged.connect(whole.take)
        self.refresh()

    @cached_property
    def trace(self) -> TraceView:
        """What a run reads, as it comes; made with the first run."""
        trace = TraceView()
        trace.setFixedHeight(theme.px(110))
        trace.hide()
        self._traced.addWidget(trace)
        return trace

    def _views(self) -> QHBoxLayout:
        row, group = QHBoxLayout(), QButtonGroup(self)
        row.setSpacing(theme.px(4))
        self.views: dict[str, QPushButton] = {}
        for key, words in _VIEWS:
            button = QPushButton(tr(words))
            button.setCheckable(True)
            button.setProperty("kind", "view")
            button.clicked.connect(lambda _=False, key=key: self.show_view(key))
            group.addButton(button)
            self.views[key] = button
            row.addWidget(button)
        self.views["points"].setChecked(True)
        row.addStretch(1)
        self.compare = QPushButton(tr(_COMPARE))
        self.compare.setCheckable(True)
        self.compare.setProperty("kind", "view")
        self.compare.setToolTip(tr("All runs of this test over one another, as rise over the room"))
        self.compare.toggled.connect(self._on_compare)
        row.addWidget(self.compare)
        return row

    def show_view(self, key: str) -> None:
        """The points of the test, what they give, or how it is set up."""
        self.views[key].setChecked(True)
        self.tables.setCurrentIndex([k for k, _ in _VIEWS].index(key))
        # A list that is looked through wants more room than one that stands beside its plot.
        self.tables.setMinimumHeight(theme.px(240 if key in ("readings", "with") else 120))
        self._show_lower()

    def _on_compare(self, on: bool) -> None:
        self.plot.compared = on
        if self.session.outcome is not None:
            self.plot.show_result(self.session.outcome)

    def first_focus(self) -> QWidget:
        return self.campaign.tests

    def _steps_table(self) -> QTreeWidget:
        table = QTreeWidget()
        table.setColumnCount(len(_COLUMNS))
        table.setHeaderLabels(list(_COLUMNS))
        table.setRootIsDecorated(False)
        table.setUniformRowHeights(True)
        table.setAccessibleName(tr("steps of the test"))
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        header = present(table.header())
        header.setStretchLastSection(True)
        header.setMinimumSectionSize(theme.px(22))
        for k in range(len(_COLUMNS) - 1):
            header.setSectionResizeMode(k, QHeaderView.ResizeMode.ResizeToContents)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for k in (1, 2, 3, 4):
            present(table.headerItem()).setTextAlignment(k, right)
        table.currentItemChanged.connect(self._on_step)
        return table

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        self.campaign.setFixedWidth(theme.px(206))
        self.campaign.refresh()
        session, result = self.session, self.session.outcome
        self.next_act.refresh()
        self._below.setVisible(result is None)
        for widget in (self.plot, self.tables, self.meter, *self.views.values()):
            widget.setVisible(result is not None)
        if result is None:
            self._say_nothing_planned()
            return
        name = KINDS[result.plan.test.kind].name
        made_up = f": {PRETENDED_WORDS[result.pretended]}" if result.pretended else ""
        late = ", judged anew …" if session.is_late(session.test_id) else ""
        self.title.setText(f"{name[0].upper()}{name[1:]}, {result.plan.output.name}{made_up}{late}")
        self.sentence.setText(guarded("What it says", lambda: outcome_sentence(result), str))
        advice = partial(_advice, session.job, result, session.hand_meter, session.now.readings)
        work = partial(guarded, "What comes next", advice, str)
        session.aside.ask("advice", self.meter, work, self.meter.setText)
        heats = kind_of(result.plan.test).heats and result.facts is not None
        runs = soak_runs(present(result.facts).readings, result.plan.output.id) if heats else []
        self.compare.setVisible(len(runs) > 1)
        guarded("The picture", lambda: self.plot.show_result(result), self.meter.setText)
        self._show_lower()

    def _say_nothing_planned(self) -> None:
        self.compare.hide()
        tests = self.session.job.campaign.tests
        why = self.session.now.why_unplanned(self.session.test_id or (tests[0].id if tests else None))
        self.title.setText(tr("This test can't be planned") if why else tr("Nothing to prove yet"))
        self.sentence.setText(why or "Join an output in Design; its test is planned with it.")

    def _show_lower(self) -> None:
        result = self.session.outcome
        if result is None:
            return
        view = self.tables.currentWidget()
        if view is self.found:
            self.found.show_result(result)
        elif view is self.readings:
            self.readings.refresh()
        elif view is self.equipment:
            self.equipment.refresh()
        elif view is self.setup:
            self.setup.show_test(result.plan.test)
        self.steps.setColumnHidden(2, all(r.step.predicted_V is None for r in result.steps))
        named = any(r.step.title for r in result.steps)
        present(self.steps.headerItem()).setText(1, "point" if named else "load")
        modes = QHeaderView.ResizeMode
        present(self.steps.header()).setStretchLastSection(not named)
        present(self.steps.header()).setSectionResizeMode(
            1, modes.Stretch if named else modes.ResizeToContents
        )
        present(self.steps.header()).setSectionResizeMode(
            6, modes.ResizeToContents if named else modes.Interactive
        )
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        present(self.steps.headerItem()).setTextAlignment(1, left if named else right)
        self._show_steps(result.steps)

    def _show_steps(self, steps: tuple[StepResult, ...]) -> None:
        self.steps.blockSignals(True)
        self.steps.setIconSize(QSize(theme.px(14), theme.px(14)))
        self.steps.clear()
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for r in steps:
            places = decimals_for(r.volts.half_width) if r.volts else 2
            item = QTreeWidgetItem(
                [
                    "",
                    # What flowed, once it was read: not what was planned.
                    r.step.title or fixed(r.pair.amps.value if r.pair else r.step.set_A, "A", 2),
                    fixed(r.step.predicted_V.value if r.step.predicted_V else None, "V"),
                    fixed(r.volts.value if r.volts else None, "V", places),
                    fixed(r.volts.half_width, "V", places) if r.volts else "",
                    _said(r),
                    _how(r),
                ]
            )
            if r.step.allowed != OPEN:
                mark_verdict(item, 0, r.verdict, theme.px(14))
            if r.step.title:
                item.setToolTip(1, tip(f"{r.step.title}, {fixed(r.step.set_A, 'A', 3)}"))
            for k in (1, 2, 3, 4) if not r.step.title else (2, 3, 4):
                item.setTextAlignment(k, right)
            name_empty(item)
            self.steps.addTopLevelItem(item)
            if r.step.index == self.session.step_index:
                self.steps.setCurrentItem(item)
        self.steps.blockSignals(False)

    def _why(self) -> Derivation | None:
        result = self.session.outcome
        if result and result.regulation:
            return result.regulation.worked()["resistance"]
        return next((f.worked for f in result.findings if f.worked), None) if result else None

    # -- hands ----------------------------------------------------------------------------------

    def _on_step(self, item: QTreeWidgetItem | None, _: object) -> None:
        if item is not None and not self.session.running:
            self.session.choose_step(self.steps.indexOfTopLevelItem(item))

    def _on_run_event(self, event: Event) -> None:
        if event.kind == "started":
            self.trace.show_points([])
            # A low window has room for one plot only, and the test's own matters more.
            told = self.session.plan is not None and kind_of(self.session.plan.test).heats
            self.trace.setVisible(self.height() > theme.px(560) and not told)
        elif event.kind == "live":
            self.trace.show_points(self.session.trace)
        elif event.kind in ("step", "paused"):
            self.campaign.refresh()
            self.steps.blockSignals(True)
            self.steps.setCurrentItem(self.steps.topLevelItem(self.session.step_index))
            self.steps.blockSignals(False)
        elif event.kind in ENDS:
            # The trace of a run that went well is told by its points.
            self.trace.setVisible(event.kind != "complete" and self.trace.isVisible())
            self.refresh()

    def _next_test(self) -> None:
        """Ctrl+PgDown: the next test of the campaign."""
        tests = self.campaign.tests
        tests.setCurrentRow((tests.currentRow() + 1) % max(tests.count(), 1))

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if present(event.mimeData()).hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        for url in present(event.mimeData()).urls():
            self.campaign.take_in(Path(url.toLocalFile()))


def _advice(job: Job, result: Outcome, meter: str | None, readings: list[Reading]) -> str:
    """Whether the meter can settle it, and what would tell most next."""
    about = settle_sentence(job, result.plan) or meter_sentence(job, result.plan, meter)
    return f"{about} {next_sentence(job, result, readings)}".strip()


def _said(r: StepResult) -> str:
    """A step's verdict in words; of one that is only read or recorded, that it was."""
    if r.wave is not None and (r.volts is None or r.step.allowed == OPEN):
        return "recorded"
    if r.step.allowed == OPEN:
        return "read" if r.taken else "not read"
    return tr(r.verdict.words)


def _how(r: StepResult) -> str:
    """How a step's readings came in, and what was read beside its volts."""
    origin = r.pair.volts.origin if r.pair else r.wave.origin if r.wave else ""
    beside = [show(x.value, x.quantity, 4) for _, x in r.also if x.quantity != "V"]
    if r.peaks is not None and r.wave is None:
        origin, beside = r.peaks.origin, [show(r.peaks.value, "Vpp", 3), *beside]
    return ", ".join(x for x in (origin, *beside) if x)
