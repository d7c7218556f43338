"""The bench view: the same step in figures that can be read from two metres."""

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from tensimeter.app.hand import Hand
from tensimeter.bench.events import Event
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import decimals_for, fixed, show
from tensimeter.core.testplan.step import OPEN, Outcome, StepResult
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.verdict_square import verdict_colour
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class _Entry(QLineEdit):
    """Space takes the reading: a figure has no space in it."""

    taken = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.taken.emit()
        else:
            super().keyPressEvent(event)


class BenchView(QWidget):
    """Covers the window: what to do, target, predicted, entered, verdict."""

    closed = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._live: Event | None = None
        self._asked = ""
        self.setAutoFillBackground(True)
        self.setAccessibleName(tr("bench view"))
        column = QVBoxLayout(self)
        column.setContentsMargins(*[theme.px(32)] * 4)
        self.todo = label("", wrap=True)
        self.big = label("")
        self.big.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.verdict = label("")
        self.verdict.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(self.todo)
        column.addStretch(1)
        column.addWidget(self.big)
        column.addWidget(self.verdict)
        column.addStretch(1)
        row = QHBoxLayout()
        self.entry = _Entry()
        self.entry.setPlaceholderText(tr("type the volts, Space takes them"))
        self.entry.setAccessibleName(tr("volts read; Space takes them"))
        self.entry.taken.connect(self.take)
        self.expected = label("")
        row.addWidget(self.entry, 1)
        row.addWidget(self.expected, 1)
        column.addLayout(row)
        self.keys = label(tr("Space takes the reading · Ctrl+B goes back · Esc drops the load"), "caption")
        column.addWidget(self.keys)
        for signal in (
            session.readings_changed,
            session.subject_changed,
            session.job_changed,
            session.hand_changed,
        ):
            signal.connect(self._refresh_if_seen)
        session.run_event.connect(self._on_run_event)
        theme.changed.connect(self.refresh)
        self.refresh()

    def _refresh_if_seen(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        self.setPalette(present(self.parentWidget()).palette() if self.parentWidget() else self.palette())
        size = 96 if self.width() > theme.px(900) else 72
        self.big.setStyleSheet(f"font-size: {size * theme.scale}pt;")
        for widget, points in ((self.todo, 28), (self.verdict, 28), (self.expected, 22), (self.entry, 28)):
            widget.setStyleSheet(f"font-size: {points * theme.scale}pt;")
        if self.session.hand is not None:
            self._show_hand(self.session.hand)
            return
        result, plan = self.session.outcome, self.session.plan
        if result is None or plan is None:
            self.todo.setText(tr("No test is planned yet."))
            return
        running = self.session.running
        index = min(self.session.step_index, len(result.steps) - 1)
        r = result.steps[index]
        load = "no load" if r.step.set_A == 0 else f"{show(r.step.set_A, 'A', 4)}"
        set_it = "load off" if r.step.set_A == 0 else "set the load"
        what = "runs by itself" if running else f"{set_it}, read the volts"
        where = r.step.title or f"{plan.output.name} at {load}"
        if r.step.hand and not running:
            what = r.step.hand[0].lower() + r.step.hand[1:].rstrip(".") + ", read the volts"
        self.todo.setText(tr("Step {0} of {1} · {2}: {3}").format(index + 1, len(result.steps), where, what))
        expect = f"expect {fixed(r.step.predicted_V.value, 'V')}, " if r.step.predicted_V else ""
        allowed = r.step.allowed.words("V")
        self.expected.setText(
            tr("{0}allowed {1}").format(expect, allowed) if allowed else expect.rstrip(", ")
        )
        self.expected.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        asked = self.session.asked_of_hands if running else ""
        self.entry.setVisible(not running or bool(asked))
        self.entry.setPlaceholderText(
            tr("Space: it is done") if asked else tr("type the volts, Space takes them")
        )
        if asked:
            self.todo.setText(asked)
            self.entry.setFocus()
        last = self._last_taken(result)
        if running and self._live is not None:
            self.big.setText(fixed(self._live.volts, "V", 3))
            self._say(tr("{0}, settling").format(fixed(self._live.amps, "A", 3)), "pencil")
        elif last is not None and last.volts is not None:
            self.big.setText(fixed(last.volts.value, "V", decimals_for(last.volts.half_width)))
            said = tr(last.verdict.words) if last.step.allowed != OPEN else "read"
            where = last.step.title or f"at {show(last.step.set_A, 'A', 3)}"
            self._say(f"{where}: {said}", verdict_colour(last.verdict))
        else:
            self.big.setText("– V")
            self._say(tr("not measured"), "pencil")

    def _show_hand(self, hand: Hand) -> None:
        """A step of Assemble or Wake."""
        self.todo.setText(f"{hand.title} · {hand.name}")
        low, high = hand.band.ends
        ends = [fixed(e, hand.quantity, 2) if math.isfinite(e) else "open" for e in (low, high)]
        self.expected.setText(tr("allowed {0} … {1}").format(ends[0], ends[1]))
        self.entry.setPlaceholderText(tr("type what it reads, Space takes it"))
        self.entry.setVisible(True)
        if hand.last is None:
            self.big.setText(f"– {hand.quantity.replace('ohm', 'Ω').replace('C', '°C')}")
            self._say(tr("not measured"), "pencil")
        else:
            self.big.setText(show(hand.last.value, hand.quantity, 4))
            self._say(tr(hand.verdict.words), verdict_colour(hand.verdict))

    def _last_taken(self, result: Outcome) -> StepResult | None:
        """The step read last, which is what the builder wants confirmed."""
        taken = [r for r in result.steps if r.pair is not None]
        return max(taken, key=lambda r: (r.pair and r.pair.volts.id) or 0, default=None)

    def _say(self, text: str, colour: str) -> None:
        self.verdict.setText(text)
        self.verdict.setStyleSheet(
            f"font-size: {28 * theme.scale}pt; color: {getattr(theme.colours, colour)};"
        )

    def take(self) -> None:
        """Space: keep what was typed as the volts of this step."""
        if self.session.asked_of_hands and self.session.running:
            self.session.hands_are_done()
            self.refresh()
            return
        text, plan, hand = self.entry.text().strip(), self.session.plan, self.session.hand
        if text and hand is not None:
            try:
                self.entry.clear()
                self.session.take_at(hand.place, hand.name, hand.quantity, text)
            except UserError as trouble:
                self._say(str(trouble), "miss")
            return
        if plan is None:
            return
        if not text:
            # What the step asks for is said with a second press.
            self.entry.setText(self.session.as_asked)
            return
        try:
            line = self.session.line(text)
            if line.question and self._asked != text:
                self._asked = text
                self._say(tr("{0} Space again keeps it.").format(line.question), "hold")
                return
            self.entry.clear()
            self.session.take_line(line)
        except UserError as trouble:
            self._say(str(trouble), "miss")

    def _on_run_event(self, event: Event) -> None:
        self._live = event if event.kind in ("live", "kept") else self._live
        if self.isVisible():
            self.refresh()
