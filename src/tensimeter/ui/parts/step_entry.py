"""Where a reading meets its expectation: gauge or words, a line to type in, the practice supply's reading."""

import math

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tensimeter.app.hand import Hand
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.measurement.readings import PRETENDED_WORDS, interval_of
from tensimeter.core.quantity import show
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.verdict_square import VerdictSquare, verdict_colour
from tensimeter.ui.parts.window_gauge import WindowGauge
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class StepEntry(QWidget):
    """Shows the session's step in hand; Enter keeps what was typed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        self.square, self.said = VerdictSquare(), label("", "strong", wrap=True)
        row.addWidget(self.square)
        row.addWidget(self.said, 1)
        column.addLayout(row)
        self.gauge = WindowGauge()
        column.addWidget(self.gauge)
        entry = QHBoxLayout()
        self.field = Field()
        self.field.returnPressed.connect(self.take)
        entry.addWidget(self.field, 1)
        self.button = QPushButton(tr("read the practice supply"))
        self.button.clicked.connect(self.practise)
        entry.addWidget(self.button)
        self.meter = QPushButton(tr("read the voltmeter"))
        self.meter.clicked.connect(self.read_meter)
        entry.addWidget(self.meter)
        column.addLayout(entry)
        session.hand_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        hand = self.session.hand
        shown = (self.square, self.said, self.gauge, self.field)
        for widget in shown:
            widget.setVisible(hand is not None)
        self.button.setVisible(hand is not None and self.session.practice is not None)
        self.meter.setVisible(hand is not None and bool(self.session.bench_file) and hand.quantity == "V")
        if hand is None:
            return
        self.square.show_verdict(hand.verdict)
        self.said.setText(self._said(hand))
        self.said.setStyleSheet(f"color: {getattr(theme.colours, verdict_colour(hand.verdict))};")
        self.gauge.setVisible(hand.quantity != "ohm")
        if hand.quantity != "ohm":
            self.gauge.unit, at = hand.quantity, hand.expected
            interval = interval_of(hand.last) if hand.last else None
            self.gauge.show_values(hand.band, None if at is None else Interval(at, at, at), interval)
        unit = {"ohm": "ohms, or OL", "V": "volts", "C": "°C"}[hand.quantity]
        self.field.setPlaceholderText(tr("type what it reads: {0}").format(unit))
        self.field.setAccessibleName(tr("reading, {0}").format(hand.name))

    def _said(self, hand: Hand) -> str:
        if hand.last is None:
            return "not measured yet"
        value = "over range" if math.isinf(hand.last.value) else show(hand.last.value, hand.quantity, 4)
        made_up = f", {PRETENDED_WORDS[hand.last.origin]}" if hand.last.origin in PRETENDED_WORDS else ""
        return f"{value}: {tr(hand.verdict.words)}{made_up}"

    def take(self) -> None:
        hand = self.session.hand
        if hand is None or not self.field.text().strip():
            return
        text = self.field.text()
        self.field.empty()
        try:
            self.session.take_at(hand.place, hand.name, hand.quantity, text)
        except UserError as trouble:
            self.field.setText(text)
            self.session.complain(str(trouble))

    def practise(self) -> None:
        hand = self.session.hand
        if hand is None:
            return
        try:
            self.session.take_practice(hand.place, hand.name, hand.quantity)
        except UserError as trouble:
            self.session.complain(str(trouble))

    def read_meter(self) -> None:
        """One reading of the bench's voltmeter for the step in hand."""
        hand = self.session.hand
        if hand is None:
            return
        try:
            self.session.take_from_meter(hand.place, hand.name)
        except UserError as trouble:
            self.session.complain(str(trouble))
