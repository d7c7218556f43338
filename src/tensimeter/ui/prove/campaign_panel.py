"""The campaign: its tests with their verdicts, what measures, and the run's buttons."""

from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
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

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.edits import with_test, without_test
from tensimeter.core.parts.instrument_part import SetLoad, VoltMeter
from tensimeter.core.quantity import parse, show
from tensimeter.core.testplan.evaluation import already_read
from tensimeter.core.testplan.generator import blank, generated
from tensimeter.core.testplan.registry import KINDS, kind_of
from tensimeter.core.testplan.step import Outcome, Plan
from tensimeter.store.logs import Log, TemperatureLog, read_log, read_temperatures
from tensimeter.store.waveforms import read_waveform
from tensimeter.ui.parts.path_field import PathField
from tensimeter.ui.parts.text import Field, label, tip
from tensimeter.ui.parts.verdict_square import verdict_icon
from tensimeter.ui.parts.words import tr
from tensimeter.ui.prove.log_columns import HeatColumns, LoadColumns, LogColumns
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
        column.addWidget(label(tr("Campaign"), "heading"))
        self._time = label("", "caption", wrap=True)
        column.addWidget(self._time)
        self.tests = QListWidget()
        self.tests.setAccessibleName(tr("tests of the campaign"))
        self.tests.setIconSize(QSize(16, 16))
        self.tests.setWordWrap(False)
        self.tests.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tests.currentItemChanged.connect(self._on_test)
        self.tests.installEventFilter(self)
        self.tests.setToolTip(tr("Delete takes a test out; its readings stay"))
        column.addWidget(self.tests)
        self.plan_all = QPushButton(tr("Plan every test"))
        self.plan_all.setToolTip(
            tr("What the outputs, the policy and the instruments in stock allow, in order")
        )
        self.plan_all.clicked.connect(self._plan_all)
        column.addWidget(self.plan_all)
        self.add_kind = QComboBox()
        self.add_kind.setAccessibleName(tr("add a test for the output in hand"))
        self.add_kind.addItem(tr("add a test …"), "")
        for key, kind in KINDS.items():
            self.add_kind.addItem(kind.name, key)
        self.add_kind.activated.connect(self._add)
        column.addWidget(self.add_kind)
        self._add_measuring(column)
        self._unreachable = label("", "caption", wrap=True)
        column.addWidget(self._unreachable)
        column.addStretch(1)

    def _add_measuring(self, column: QVBoxLayout) -> None:
        column.addWidget(label(tr("Measured with"), "strong"))
        self.source = QComboBox()
        self.source.setAccessibleName(tr("what measures"))
        for words, key in self.control.sources():
            self.source.addItem(words, key)
        self.source.activated.connect(lambda _=0: self.refresh())
        column.addWidget(self.source)
        self.meter = QComboBox()
        self.meter.setAccessibleName(tr("meter in hand"))
        self.meter.activated.connect(self._on_meter)
        column.addWidget(self.meter)
        self.bench_path = PathField("", "Bench files (*.toml)", saves=False)
        self.bench_path.setPlaceholderText(tr("path of a bench file"))
        self.bench_path.setAccessibleName(tr("path of a bench file"))
        column.addWidget(self.bench_path)
        for box in (self.source, self.meter, self.add_kind):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
        self.present = QCheckBox(tr("I stay with the load"))
        self.present.setToolTip(tr("Asked because this load has no watchdog"))
        column.addWidget(self.present)
        self.start = QPushButton(tr("Start the run"))
        self.start.setProperty("kind", "main")
        self.start.clicked.connect(self._on_start)
        column.addWidget(self.start)
        self.start_all = QPushButton(tr("Run all that is open"))
        self.start_all.clicked.connect(self._on_start_all)
        column.addWidget(self.start_all)
        self.pause = QPushButton(tr("Pause"))
        self.pause.clicked.connect(self._on_pause)
        column.addWidget(self.pause)
        self.skip = QPushButton(tr("Pass this point over"))
        self.skip.clicked.connect(lambda: self.session.skip_point())
        column.addWidget(self.skip)
        self.anew = QPushButton(tr("Begin anew"))
        self.anew.setProperty("kind", "quiet")
        self.anew.clicked.connect(lambda: self._on_start(anew=True))
        column.addWidget(self.anew)
        self.sound = QCheckBox(tr("Sound at each point"))
        self.sound.setChecked(theme.sound)
        self.sound.toggled.connect(lambda on: setattr(theme, "sound", on))
        column.addWidget(self.sound)
        self.find_button = QPushButton(tr("Instruments …"))
        self.find_button.setToolTip(tr("See who answers, and which does what"))
        self.find_button.clicked.connect(self._on_find)
        column.addWidget(self.find_button)
        self.rate = Field()
        self.rate.setPlaceholderText(tr("samples a second, 10M"))
        self.rate.setAccessibleName(tr("samples a second of a waveform that has no times"))
        column.addWidget(self.rate)
        self.take_log = QPushButton(tr("Take in a file …"))
        self.take_log.setToolTip(
            tr("A log with volts and amps, or a waveform in CSV or NumPy; or drop it here")
        )
        self.take_log.clicked.connect(self._on_log)
        column.addWidget(self.take_log)

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        session = self.session
        self.tests.blockSignals(True)
        self.tests.setIconSize(QSize(theme.px(16), theme.px(16)))
        self.tests.clear()
        outputs = {o.id: o.name for o in session.job.design.outputs()}
        for test in session.job.campaign.tests:
            # What nobody has read yet needs no plan to be told as open.
            result = session.outcome_of(test.id) if session.now.was_read(test.id) else None
            verdict = result.verdict if result else Verdict.NOT_MEASURED
            name = KINDS[test.kind].name + (f", {result.pretended}" if result and result.pretended else "")
            output = outputs.get(test.output, test.output)
            figure = _figure(result) if result else "open"
            item = QListWidgetItem(verdict_icon(verdict, theme.px(16)), f"{name}\n{output} · {figure}")
            item.setToolTip(tip(f"{name}, {output}: {verdict.words}"))
            item.setData(Qt.ItemDataRole.UserRole, test.id)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, item.toolTip())
            self.tests.addItem(item)
            if test.id == session.test_id:
                self.tests.setCurrentItem(item)
        self.tests.blockSignals(False)
        rows = min(max(self.tests.count(), 1), 6)
        self.tests.setFixedHeight(rows * theme.px(46) + 4)
        if self.tests.currentItem() is not None:
            self.tests.scrollToItem(self.tests.currentItem())
        self.tests.setVisible(self.tests.count() > 0)
        self._show_plan()
        self._show_measuring()

    def _show_plan(self) -> None:
        session = self.session
        outputs = bool(list(session.job.design.outputs()))
        self.plan_all.setVisible(outputs)
        self.add_kind.setVisible(outputs)
        now, tests = session.now, [t.id for t in session.job.campaign.tests]
        if not tests:
            said = "Plan tests below." if outputs else "A test belongs to an output: join one in Design."
            self._time.setText(said)
        else:
            session.aside.ask("time", self, lambda: [now.plan(t) for t in tests], self._show_time)
        plan = session.plan
        self._unreachable.setText("\n".join(plan.unreachable) if plan else "")
        self._unreachable.setVisible(bool(plan and plan.unreachable))

    def _show_time(self, found: list[Plan | None]) -> None:
        plans = [p for p in found if p is not None]
        seconds, joules = sum(p.duration_s for p in plans), sum(p.energy_J for p in plans)
        time = f"{seconds / 3600:.1f} h" if seconds > 5400 else show(round(seconds / 60, 1), "min", 2)
        self._time.setText(
            tr("{0} test{1}, {2}, {3:.1f} Wh").format(len(plans), "s" * (len(plans) > 1), time, joules / 3600)
        )

    def _show_measuring(self) -> None:
        session, running = self.session, self.session.running
        by_hand = self.source.currentData() == "hand"
        load = session.job.part(session.job.campaign.load)
        guarded = isinstance(load, SetLoad) and load.watchdog
        self.meter.setVisible(by_hand)
        self.bench_path.setVisible(self.source.currentData() == "bench")
        self.present.setVisible(not by_hand and not guarded)
        self.start.setVisible(not by_hand and not running)
        self.start.setEnabled(session.plan is not None and bool(session.plan.steps))
        done = already_read(session.outcome)
        left = len(session.plan.steps) - len(done) if session.plan else 0
        self.start.setText(tr("Go on, {0} open").format(left) if done else tr("Start the run"))
        many = len(session.job.campaign.tests) > 1
        self.start_all.setVisible(many and not by_hand and not running)
        self.anew.setVisible(bool(done) and not by_hand and not running)
        self.skip.setVisible(running)
        self.sound.setVisible(not by_hand)
        self.find_button.setVisible(not running)
        waves = session.plan is not None and any(s.capture for s in session.plan.steps)
        self.rate.setVisible(by_hand and waves)
        self.pause.setVisible(running)
        paused = session.engine is not None and session.engine.paused
        self.pause.setText(tr("Go on") if paused else tr("Pause, load off"))
        self.take_log.setVisible(by_hand)
        self.source.setEnabled(not running)
        self.tests.setEnabled(not running)
        self.meter.blockSignals(True)
        self.meter.clear()
        for part in session.job.stock:
            if isinstance(part, VoltMeter):
                self.meter.addItem(part.name, part.id)
        if not self.meter.count():
            self.meter.addItem(tr("plain handheld, 0.5 % + 2, assumed"), None)
        chosen = session.hand_meter or session.job.campaign.voltmeter
        self.meter.setCurrentIndex(max(self.meter.findData(chosen), 0))
        self.meter.blockSignals(False)

    # -- hands ----------------------------------------------------------------------------------

    def _on_test(self, item: QListWidgetItem | None, _: object) -> None:
        if item is not None:
            self.test_chosen.emit(item.data(Qt.ItemDataRole.UserRole))

    def _on_meter(self, _: int) -> None:
        self.session.hand_meter = self.meter.currentData()
        self.session.look_again()

    def _plan_all(self) -> None:
        self.session.edit("campaign planned", generated(self.session.job))
        if self.session.plan is not None and self.session.test_id is not None:
            self.session.choose_test(self.session.test_id)

    def _add(self, _: int) -> None:
        kind = self.add_kind.currentData()
        self.add_kind.setCurrentIndex(0)
        job, output = self.session.job, self.session.output_id
        if not kind or output is None:
            return
        try:
            test = blank(kind, job, job.output(output))
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        if self.session.edit(f"{test.id} planned", with_test(job, test)):
            self.session.choose_test(test.id)
            self.refresh()

    def _drop_test(self) -> None:
        """Delete on a test takes it out of the campaign; undo brings it back, its readings stay."""
        item = self.tests.currentItem()
        if item is not None and not self.session.running:
            test = item.data(Qt.ItemDataRole.UserRole)
            self.session.edit(f"{test} dropped", without_test(self.session.job, test))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        assert event is not None
        pressed = (
            event.key() if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress else None
        )
        if pressed == Qt.Key.Key_Delete and watched is getattr(self, "tests", None):
            self._drop_test()
            return True
        return super().eventFilter(watched, event)

    def _on_find(self) -> None:
        from tensimeter.ui.prove.instruments_window import InstrumentsWindow

        self.instruments = InstrumentsWindow(self.session, self.window())
        self.instruments.bench_chosen.connect(self._use_bench)
        self.instruments.show()

    def _use_bench(self, path: str) -> None:
        self.bench_path.setText(path)
        self.source.setCurrentIndex(self.source.findData("bench"))
        self.refresh()

    def _on_start(self, _: bool = False, *, anew: bool = False) -> None:
        try:
            self.control.start(
                self.source.currentData(),
                self.bench_path.text().strip(),
                present=self.present.isChecked(),
                anew=anew,
            )
        except UserError as trouble:
            self.session.complain(str(trouble))
        self.refresh()

    def _on_start_all(self) -> None:
        try:
            self.control.start_all(
                self.source.currentData(), self.bench_path.text().strip(), present=self.present.isChecked()
            )
        except UserError as trouble:
            self.session.complain(str(trouble))
        self.refresh()

    def _on_pause(self) -> None:
        engine = self.session.engine
        if engine is not None:
            engine.resume() if engine.paused else engine.pause()
        self.refresh()

    def _on_log(self) -> None:
        kinds = "Logs and waveforms (*.csv *.tsv *.txt *.npy)"
        path, _ = QFileDialog.getOpenFileName(self, "Take in a file", "", kinds)
        if path:
            self.take_in(Path(path))

    def take_in(self, path: Path) -> None:
        """File a log, or a waveform where the step in hand asks for one, under the test in hand."""
        plan = self.session.plan
        step = plan.steps[self.session.step_index] if plan and plan.steps else None
        try:
            if path.suffix.casefold() == ".npy" or (step is not None and step.capture is not None):
                typed = self.rate.text().strip()
                wave = read_waveform(path, parse(typed, "Hz") if typed else None)
                self.session.take_wave(wave, path.name)
                self.session.say(tr("{0} samples of {1} kept.").format(len(wave.volts), path.name))
                return
            if plan is not None and kind_of(plan.test).heats:
                self._look_at_heat(path)
                return
            self._look_at(path)
        except UserError as trouble:
            self.session.complain(str(trouble))

    def _look_at(self, path: Path) -> None:
        """A plain log is taken at once; any other is shown first, with what each column was taken for."""
        try:
            log = read_log(path)
            if not log.said and {"volts", "amps"} <= set(log.columns):
                self._keep(log, path.name)
                return
        except UserError as trouble:
            if "--map" not in str(trouble):
                raise
        self._show(path, LoadColumns())

    def _look_at_heat(self, path: Path) -> None:
        """Temperatures whose places are known are taken at once; else each column's place is asked."""
        try:
            log = read_temperatures(path)
            if self.session.is_plain_heat(log):
                self._keep(log, path.name)
                return
        except UserError as trouble:
            if not any(word in str(trouble) for word in ("--map", "no column of")):
                raise
        places = self.session.places_of_heat()
        self._show(path, HeatColumns(places, next(iter(places))))

    def _show(self, path: Path, columns: LogColumns) -> None:
        from tensimeter.ui.prove.log_window import LogWindow

        self.log_window = LogWindow(path, columns, self)
        self.log_window.taken.connect(lambda log: self._keep(log, path.name))
        self.log_window.open()

    def _keep(self, log: Log | TemperatureLog, name: str) -> None:
        try:
            count = self.session.take_log(log, name)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        said = "; ".join(log.said) if isinstance(log, Log) else ""
        self.session.say(f"{count} rows of {name} kept" + (f": {said}." if said else "."))


def _figure(result: Outcome) -> str:
    """The figure that says most of a test, for its line in the list."""
    if not result.measured:
        return "open"
    if not result.complete:
        return f"{result.measured} of {len(result.steps)} read"
    if result.regulation:
        return show(result.regulation.load_regulation.value, "%", 3)
    judged = [f for f in result.findings if f.value is not None] or list(result.findings)
    if not judged:
        return "read"
    worst = next((f for f in judged if f.verdict is result.verdict), judged[0])
    return show(worst.value.value, worst.unit, 3) if worst.value else worst.text[:24]
