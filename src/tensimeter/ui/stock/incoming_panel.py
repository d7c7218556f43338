"""Dead or alive: the steps that try a part by itself, each with its window gauge and a line to type in."""

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval, Verdict
from tensimeter.core.measurement.readings import interval_of
from tensimeter.core.model.edits import changed
from tensimeter.core.parts.registry import Part
from tensimeter.core.procedure.incoming_check import IncomingResult, learnt, outcome, tried
from tensimeter.core.quantity import show
from tensimeter.ui.parts.text import Field, clear, label, rule
from tensimeter.ui.parts.verdict_square import VerdictSquare
from tensimeter.ui.parts.window_gauge import WindowGauge
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class IncomingPanel(QWidget):
    """`apply` takes a changed card and says whether it was kept; None for what has no card."""

    def __init__(self, session: Session, part: Part, apply: Callable[[Part, str], bool] | None) -> None:
        super().__init__()
        self.session, self.part, self._apply = session, part, apply
        self.fields: dict[str, Field] = {}
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self.refresh()

    def refresh(self) -> None:
        clear(self._column)
        self.fields = {}
        found = tried(self.session.job, self.part, self.session.now.readings)
        if not found:
            self._column.addWidget(
                label(tr("There is nothing to try on it by itself."), "caption", wrap=True)
            )
            return
        for k, step in enumerate(found, 1):
            self._show(k, step)
        self._conclude(found)

    def _show(self, k: int, found: IncomingResult) -> None:
        step = found.step
        if step.caution:
            self._column.addWidget(_coloured(step.caution, "hold"))
        head = QHBoxLayout()
        square = VerdictSquare()
        square.show_verdict(found.verdict)
        head.addWidget(square)
        head.addWidget(label(f"{k}  {step.probe}", "strong", wrap=True), 1)
        self._column.addLayout(head)
        self._column.addWidget(label(step.do, wrap=True))
        interval = interval_of(found.reading) if found.reading else None
        if step.quantity == "ohm":
            low, high = step.band.ends
            words = (
                f"at least {show(low, 'ohm', 2)}"
                if step.band.high is None
                else f"up to {show(high, 'ohm', 2)}"
            )
            read = f"; read {show(found.reading.value, 'ohm')}" if found.reading else ""
            self._column.addWidget(label(words + read, "caption"))
        else:
            gauge = WindowGauge(step.quantity)
            expected = (
                None if step.expected is None else Interval(step.expected, step.expected, step.expected)
            )
            gauge.show_values(step.band, expected, interval)
            self._column.addWidget(gauge)
        field = Field()
        unit = {"ohm": "ohms, or OL", "V": "volts", "C": "°C"}[step.quantity]
        field.setPlaceholderText(tr("type what it reads: {0}").format(unit))
        field.setAccessibleName(tr("reading, {0}").format(step.probe))
        field.returnPressed.connect(lambda: self.take(found, field))
        self._column.addWidget(field)
        self.fields[step.id] = field
        if found.verdict is Verdict.NONCONFORMING:
            self._column.addWidget(_coloured(step.rules_out, "miss"))
        self._column.addWidget(rule())

    def take(self, found: IncomingResult, field: Field) -> None:
        try:
            name = f"{self.part.name}, {found.step.probe}"
            self.session.take_at(found.step.place, name, found.step.quantity, field.text())
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.refresh()
        following = list(self.fields)
        at = following.index(found.step.id) + 1
        if at < len(following):
            self.fields[following[at]].setFocus()

    def _conclude(self, found: list[IncomingResult]) -> None:
        verdict = outcome(found)
        words = {
            Verdict.CONFORMS: "Every step holds: it works.",
            Verdict.NONCONFORMING: "A step misses: not to be relied on as it is.",
            Verdict.TOO_CLOSE: "A reading is too close to call: take a finer range or another meter.",
            Verdict.NOT_MEASURED: "Steps are still open.",
        }[verdict]
        self._column.addWidget(label(words, "strong", wrap=True))
        takes = {k: v for k, v in learnt(found).items() if getattr(self.part, k) != v}
        wanted = {Verdict.CONFORMS: "works", Verdict.NONCONFORMING: "faulty"}.get(
            verdict, self.part.condition
        )
        if self._apply is not None and (takes or wanted != self.part.condition):
            button = QPushButton(f"onto its card: {wanted}" + (", as measured" if takes else ""))
            button.clicked.connect(lambda: self._onto_card(takes, wanted))
            self._column.addWidget(button)

    def _onto_card(self, takes: dict[str, float], condition: str) -> None:
        origins = {**self.part.origins, **dict.fromkeys(takes, "measured")}
        if self._apply is not None:
            card = changed(self.part, **takes, condition=condition, origins=origins)
            self._apply(card, "what was tried")


def _coloured(text: str, colour: str) -> QWidget:
    made = label(text, wrap=True)
    made.setStyleSheet(f"color: {getattr(theme.colours, colour)};")
    return made
