"""What is at hand now: the step, its target, the reading in large figures, its verdict."""

import math

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tensimeter.bench.events import ENDS, Event
from tensimeter.core.derivation import Derivation
from tensimeter.core.heat_design.measuring_points import measuring_points, thermometer
from tensimeter.core.measurement.conformity import Interval, Verdict, explain_reading
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.quantity import decimals_for, fixed, show
from tensimeter.core.testplan.step import OPEN, StepResult
from tensimeter.ui.parts.text import Figure, label
from tensimeter.ui.parts.verdict_square import VerdictSquare
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.window_gauge import WindowGauge
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class NowPanel(QWidget):
    """Volts with their window gauge, amps, sink temperature; live in a run, else as kept."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._live: Event | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.px(14), theme.px(12), theme.px(14), theme.px(4))
        self._celsius: tuple[float, ...] = ()
        column.setSpacing(theme.px(2))
        self.title = label(tr("Now"), "heading", wrap=True)
        column.addWidget(self.title)
        self.todo = label("", "", wrap=True)
        column.addWidget(self.todo)
        row = QHBoxLayout()
        self.volts = Figure("– V", self._why_volts, "reading")
        self.volts.asked.connect(session.why)
        self.half = label("", "caption")
        row.addStretch(1)
        row.addWidget(self.volts)
        row.addWidget(self.half, 0, Qt.AlignmentFlag.AlignBottom)
        column.addLayout(row)
        self.gauge = WindowGauge("V")
        column.addWidget(self.gauge)
        verdict = QHBoxLayout()
        self.square = VerdictSquare()
        self.words = label(tr("not measured"), "strong")
        verdict.addWidget(self.square)
        verdict.addWidget(self.words)
        verdict.addStretch(1)
        self.amps = label("– A", "strong")
        verdict.addWidget(self.amps)
        column.addLayout(verdict)
        self.heat = label("", "caption")
        column.addWidget(self.heat)
        self.asked = label("", "strong", wrap=True)
        column.addWidget(self.asked)
        self.done = QPushButton(tr("Done, go on"))
        self.done.setProperty("kind", "main")
        self.done.clicked.connect(self._on_done)
        column.addWidget(self.done)
        whole = WhenSeen(self, self.refresh)
        for signal in (
            session.job_changed,
            session.readings_changed,
            session.subject_changed,
            session.judged,
        ):
            signal.connect(whole.take)
        session.run_event.connect(self._on_run_event)
        theme.changed.connect(self.refresh)
        self.refresh()

    def result(self) -> StepResult | None:
        """The step in hand with what was read there."""
        found = self.session.outcome
        if found is None or self.session.step_index >= len(found.steps):
            return None
        return found.steps[self.session.step_index]

    def _interval(self) -> Interval | None:
        result = self.result()
        if self._live is not None and self.session.running and math.isfinite(self._live.volts):
            job = self.session.job
            accuracy, _ = accuracy_of(job, job.campaign.voltmeter, "V", self._live.volts)
            half = accuracy.half_width(self._live.volts)
            return Interval(self._live.volts, self._live.volts - half, self._live.volts + half)
        return result.volts if result else None

    def refresh(self) -> None:
        result, plan = self.result(), self.session.plan
        if result is None or plan is None:
            self.title.setText(tr("Now"))
            self.todo.setText(tr("No test is planned yet."))
            return
        asked = self.session.asked_of_hands if self.session.running else ""
        self.asked.setText(asked)
        self.asked.setVisible(bool(asked))
        self.done.setVisible(bool(asked))
        count = len(plan.steps)
        live = self._live is not None and self.session.running
        self.title.setText(
            tr("{0} {1} of {2}").format("Live: step" if live else "Step", result.step.index + 1, count)
        )
        load = "no load" if result.step.set_A == 0 else f"load {show(result.step.set_A, 'A', 4)}"
        expected = result.step.predicted_V
        name = self._place_name(result.step.place) or plan.output.name
        text = f"{result.step.title}; {load}" if result.step.title else f"{name}, {load}"
        if expected:
            text += f"; expect {fixed(expected.value, 'V')}"
        if result.step.hand and not self.session.running and not result.taken:
            text += f". {result.step.hand}"
        units = {"C": "°C"}
        wants = [f"“{place} … {units.get(q, q)}”" for place, q in result.step.also if q != "V"]
        if wants and not self.session.running:
            begin = "Type" if result.step.allowed == OPEN else "Beside the volts, type"
            text += f". {begin} {' and '.join(wants)}."
        self.todo.setText(text)
        interval = self._interval()
        places = decimals_for(interval.half_width) if interval else 2
        self.volts.setText(fixed(interval.value if interval else None, "V", places))
        self.half.setText(f"± {fixed(interval.half_width, 'V', places)}" if interval else "")
        judged = result.step.allowed != OPEN
        self.gauge.setVisible(judged)
        if judged:
            self.gauge.show_values(result.step.allowed, expected, interval)
        verdict = Verdict.NOT_MEASURED if live else result.verdict
        self.square.show_verdict(verdict)
        self.square.setVisible(judged)
        said = (
            tr(verdict.words)
            if judged
            else "recorded"
            if result.wave
            else "read"
            if result.taken
            else "not read"
        )
        self.words.setText(tr("settling") if live else said)
        amps = (
            self._live.amps if live and self._live else (result.pair.amps.value if result.pair else math.nan)
        )
        self.amps.setText(fixed(amps, "A", 3))
        self.heat.setText(self._warm())
        self.heat.setVisible(bool(self.heat.text()))

    def _warm(self) -> str:
        """What every probe reads now, and the junction as it is estimated."""
        session = self.session
        if not self._celsius or not session.running:
            return ""
        names = measuring_points(session.job)
        places = session.job.campaign.probes or ("sink",)
        read = zip(places, self._celsius, strict=False)
        half = fixed(0.95 * thermometer(session.job).accuracy_K, "K", 1)
        lines = [f"{names.get(p, p)}  {fixed(c, 'C', 1)} ± {half}" for p, c in read]
        if session.soak is not None and session.soak.on_spot and not session.soak.at_full:
            now = session.soak.spot.now
            lines.append(f"junction, estimated  {fixed(now.value, 'C', 0)} ± {fixed(now.half_width, 'K', 0)}")
        return "\n".join(lines)

    def _place_name(self, place: str) -> str:
        outputs = self.session.job.design.outputs()
        return next((o.name for o in outputs if o.id == place), place)

    def _on_done(self) -> None:
        self.session.hands_are_done()
        self.refresh()

    def _why_volts(self) -> Derivation | None:
        result, interval = self.result(), self._interval()
        if interval is None or result is None:
            return None
        reading = result.pair.volts if result.pair else None
        job = self.session.job
        accuracy = reading.accuracy if reading else None
        if accuracy is None:
            accuracy, _ = accuracy_of(job, job.campaign.voltmeter, "V", interval.value)
        return explain_reading("Volts as read", interval.value, "V", accuracy, interval)

    def _on_run_event(self, event: Event) -> None:
        if (event.kind in ("kept", "ask") or event.kind in ENDS - {"complete", "aborted"}) and theme.sound:
            QApplication.beep()
        self._celsius = event.celsius or (self._celsius if event.kind != "started" else ())
        if event.kind == "live":
            self._live = event
        elif event.kind in ENDS | {"kept", "started"}:
            self._live = None
        self.refresh()
