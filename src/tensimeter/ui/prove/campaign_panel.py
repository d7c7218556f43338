"""The campaign: its tests with their verdicts, what measures, and the run's buttons."""

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.errors import Trouble
from tensimeter.core.job.edits import with_test_for
from tensimeter.core.job.parts import ElectronicLoad
from tensimeter.core.quantity import show
from tensimeter.store.logs import read_log
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.verdict_square import verdict_icon
from tensimeter.ui.prove.run_control import RunControl
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class CampaignPanel(QScrollArea):
    """Tests at the top, then how they are measured."""

    test_chosen = pyqtSignal(str)

    def __init__(self, session: Session, control: RunControl, parent: QWidget | None = None):
        super().__init__(parent)
        self.session, self.control = session, control
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inside = QWidget()
        self.setWidget(inside)
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, theme.px(6), theme.px(6))
        column.setSpacing(theme.px(6))
        column.addWidget(label("Campaign", "heading"))
        self._time = label("", "caption", wrap=True)
        column.addWidget(self._time)
        self.tests = QListWidget()
        self.tests.setAccessibleName("tests of the campaign")
        self.tests.setIconSize(QSize(16, 16))
        self.tests.setWordWrap(True)
        self.tests.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tests.currentItemChanged.connect(self._on_test)
        column.addWidget(self.tests)
        self.plan_missing = QPushButton("plan its test")
        self.plan_missing.clicked.connect(self._plan_missing)
        column.addWidget(self.plan_missing)
        self._add_measuring(column)
        self._unreachable = label("", "caption", wrap=True)
        column.addWidget(self._unreachable)
        column.addStretch(1)

    def _add_measuring(self, column: QVBoxLayout) -> None:
        column.addWidget(label("Measured with", "strong"))
        self.source = QComboBox()
        self.source.setAccessibleName("what measures")
        for words, key in self.control.sources():
            self.source.addItem(words, key)
        self.source.activated.connect(lambda _=0: self.refresh())
        column.addWidget(self.source)
        self.meter = QComboBox()
        self.meter.setAccessibleName("meter in hand")
        self.meter.activated.connect(self._on_meter)
        column.addWidget(self.meter)
        self.bench_path = Field()
        self.bench_path.setPlaceholderText("path of a bench file")
        self.bench_path.setAccessibleName("path of a bench file")
        column.addWidget(self.bench_path)
        for box in (self.source, self.meter):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
        self.present = QCheckBox("I stay with the load")
        self.present.setToolTip("Asked because this load has no watchdog")
        column.addWidget(self.present)
        self.start = QPushButton("Start the run")
        self.start.setProperty("kind", "main")
        self.start.clicked.connect(self._on_start)
        column.addWidget(self.start)
        self.pause = QPushButton("Pause")
        self.pause.clicked.connect(self._on_pause)
        column.addWidget(self.pause)
        self.take_log = QPushButton("Take in a log …")
        self.take_log.setToolTip("A CSV file with columns for volts and amps; or drop it here")
        self.take_log.clicked.connect(self._on_log)
        column.addWidget(self.take_log)

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        session = self.session
        self.tests.blockSignals(True)
        self.tests.setIconSize(QSize(theme.px(16), theme.px(16)))
        self.tests.clear()
        for result in session.now.outcomes():
            test = result.plan.test
            figure = "not read yet"
            if result.regulation:
                figure = show(result.regulation.load_regulation.value, "%", 3)
            if result.measured and not result.complete:
                figure = f"{result.measured} of {len(result.steps)} read"
            item = QListWidgetItem(
                verdict_icon(result.verdict, theme.px(16)), f"{result.plan.output.name}\n{figure}"
            )
            item.setToolTip(f"Load regulation of {result.plan.output.name}: {result.verdict.words}")
            item.setData(Qt.ItemDataRole.UserRole, test.id)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, item.toolTip())
            self.tests.addItem(item)
            if test.id == session.test_id:
                self.tests.setCurrentItem(item)
        self.tests.blockSignals(False)
        rows = max(self.tests.count(), 1)
        self.tests.setFixedHeight(rows * theme.px(46) + 4)
        self.tests.setVisible(self.tests.count() > 0)
        self._show_plan()
        self._show_measuring()

    def _show_plan(self) -> None:
        session = self.session
        plans = [o.plan for o in session.now.outcomes()]
        without = [
            o
            for o in session.job.design.outputs()
            if o.id not in {t.output for t in session.job.campaign.tests}
        ]
        self.plan_missing.setVisible(bool(without))
        if not plans:
            self._time.setText(
                "A test belongs to an output. Join one in Design, or plan below." if not without else ""
            )
        else:
            seconds = sum(p.duration_s for p in plans)
            self._time.setText(f"predicted to take {show(round(seconds / 60, 1), 'min', 2)}")
        plan = session.plan
        self._unreachable.setText("\n".join(plan.unreachable) if plan else "")
        self._unreachable.setVisible(bool(plan and plan.unreachable))

    def _show_measuring(self) -> None:
        session, running = self.session, self.session.running
        by_hand = self.source.currentData() == "hand"
        load = session.job.part(session.job.campaign.load)
        guarded = isinstance(load, ElectronicLoad) and load.watchdog
        self.meter.setVisible(by_hand)
        self.bench_path.setVisible(self.source.currentData() == "bench")
        self.present.setVisible(not by_hand and not guarded)
        self.start.setVisible(not by_hand and not running)
        self.start.setEnabled(session.plan is not None)
        self.pause.setVisible(running)
        paused = session.engine is not None and session.engine.paused
        self.pause.setText("Go on" if paused else "Pause, load off")
        self.take_log.setVisible(by_hand)
        self.source.setEnabled(not running)
        self.tests.setEnabled(not running)
        self.meter.blockSignals(True)
        self.meter.clear()
        for part in session.job.stock:
            if part.kind == "meter":
                self.meter.addItem(part.name, part.id)
        if not self.meter.count():
            self.meter.addItem("plain handheld, 0.5 % + 2, assumed", None)
        chosen = session.hand_meter or session.job.campaign.voltmeter
        self.meter.setCurrentIndex(max(self.meter.findData(chosen), 0))
        self.meter.blockSignals(False)

    # -- hands ----------------------------------------------------------------------------------

    def _on_test(self, item: QListWidgetItem | None, _: object) -> None:
        if item is not None:
            self.test_chosen.emit(item.data(Qt.ItemDataRole.UserRole))

    def _on_meter(self, _: int) -> None:
        self.session.hand_meter = self.meter.currentData()
        self.session.subject_changed.emit()

    def _plan_missing(self) -> None:
        job = self.session.job
        for output in job.design.outputs():
            job = with_test_for(job, output)
        self.session.edit("tests planned", job)
        if self.session.plan is not None:
            self.session.choose_test(self.session.test_id)

    def _on_start(self) -> None:
        try:
            self.control.start(
                self.source.currentData(), self.bench_path.text().strip(), present=self.present.isChecked()
            )
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
        self.refresh()

    def _on_pause(self) -> None:
        engine = self.session.engine
        if engine is not None:
            engine.resume() if engine.paused else engine.pause()
        self.refresh()

    def _on_log(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Take in a log", "", "Logs (*.csv *.tsv *.txt)")
        if path:
            self.take_in(Path(path))

    def take_in(self, path: Path) -> None:
        """File a CSV log under the test in hand."""
        try:
            count = self.session.take_log(read_log(path), path.name)
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
            return
        self.session.told.emit(f"{count} rows of {path.name} kept.")
