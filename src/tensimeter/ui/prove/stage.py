"""The Prove stage: campaign, plot of the test, its steps; what the readings say in a sentence."""

from pathlib import Path

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QHeaderView, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from tensimeter.bench.engine import Event
from tensimeter.core.advice import meter_sentence, next_sentence, outcome_sentence
from tensimeter.core.campaign import StepResult
from tensimeter.core.explain import Worked
from tensimeter.core.quantity import decimals_for, fixed
from tensimeter.ui.parts.plots import LoadLinePlot, TraceView
from tensimeter.ui.parts.text import Figure, label, rule
from tensimeter.ui.parts.verdict_square import verdict_icon
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.prove.campaign_panel import CampaignPanel
from tensimeter.ui.prove.run_control import RunControl
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_COLUMNS = ("", "load", "predicted", "read", "±", "verdict", "how")


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
        self.plot = LoadLinePlot()
        column.addWidget(self.plot, 5)
        self.trace = TraceView()
        self.trace.setFixedHeight(theme.px(110))
        self.trace.hide()
        column.addWidget(self.trace)
        self.steps = self._steps_table()
        self.steps.setMinimumHeight(theme.px(120))
        column.addWidget(self.steps, 5)
        layout.addLayout(column, 1)
        whole = WhenSeen(self, self.refresh)
        for signal in (session.job_changed, session.readings_changed, session.subject_changed, theme.changed):
            signal.connect(whole.take)
        session.run_event.connect(self._on_run_event)
        self.refresh()

    def first_focus(self) -> QWidget:
        return self.campaign.tests

    def _steps_table(self) -> QTreeWidget:
        table = QTreeWidget()
        table.setColumnCount(len(_COLUMNS))
        table.setHeaderLabels(list(_COLUMNS))
        table.setRootIsDecorated(False)
        table.setUniformRowHeights(True)
        table.setAccessibleName("steps of the test")
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        header = table.header()
        header.setStretchLastSection(True)
        header.setMinimumSectionSize(theme.px(22))
        for k in range(len(_COLUMNS) - 1):
            header.setSectionResizeMode(k, QHeaderView.ResizeMode.ResizeToContents)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        for k in (1, 2, 3, 4):
            table.headerItem().setTextAlignment(k, right)
        table.currentItemChanged.connect(self._on_step)
        return table

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        self.campaign.setFixedWidth(theme.px(206))
        self.campaign.refresh()
        session, result = self.session, self.session.outcome
        for widget in (self.plot, self.steps, self.meter):
            widget.setVisible(result is not None)
        if result is None:
            self.title.setText("Nothing to prove yet")
            self.sentence.setText("Join an output in Design; its test is planned with it.")
            return
        self.title.setText(f"Load regulation of {result.plan.output.name}")
        self.sentence.setText(outcome_sentence(result))
        about = meter_sentence(session.job, result.plan, session.hand_meter)
        following = next_sentence(session.job, result, session.now.readings)
        self.meter.setText(f"{about} {following}".strip())
        plan = result.plan
        self.plot.show_line(plan.steps[0].allowed, plan.line, plan.most_A, result)
        self.steps.setColumnHidden(2, all(r.step.predicted_V is None for r in result.steps))
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
                    fixed(r.step.set_A, "A", 2),
                    fixed(r.step.predicted_V.value if r.step.predicted_V else None, "V"),
                    fixed(r.volts.value if r.volts else None, "V", places),
                    fixed(r.volts.half_width, "V", places) if r.volts else "",
                    r.verdict.words,
                    r.pair.volts.origin if r.pair else "",
                ]
            )
            item.setIcon(0, verdict_icon(r.verdict, theme.px(14)))
            for k in (1, 2, 3, 4):
                item.setTextAlignment(k, right)
            self.steps.addTopLevelItem(item)
            if r.step.index == self.session.step_index:
                self.steps.setCurrentItem(item)
        self.steps.blockSignals(False)

    def _why(self) -> Worked | None:
        result = self.session.outcome
        return result.regulation.worked()["resistance"] if result and result.regulation else None

    # -- hands ----------------------------------------------------------------------------------

    def _on_step(self, item: QTreeWidgetItem | None, _: object) -> None:
        if item is not None and not self.session.running:
            self.session.choose_step(self.steps.indexOfTopLevelItem(item))

    def _on_run_event(self, event: Event) -> None:
        if event.kind == "started":
            self.trace.show_points([])
            # A low window has room for one plot only, and the test's own matters more.
            self.trace.setVisible(self.height() > theme.px(560))
        elif event.kind == "live":
            self.trace.show_points(self.session.trace)
        elif event.kind in ("step", "paused"):
            self.campaign.refresh()
            self.steps.blockSignals(True)
            self.steps.setCurrentItem(self.steps.topLevelItem(self.session.step_index))
            self.steps.blockSignals(False)
        elif event.kind in ("done", "aborted", "failed"):
            # The trace of a run that went well is told by its points.
            self.trace.setVisible(event.kind != "done")
            self.refresh()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for url in event.mimeData().urls():
            self.campaign.take_in(Path(url.toLocalFile()))
