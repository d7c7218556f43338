"""Where a reading meets its expectation: gauge or words, a line to type in, the practice supply's reading."""

import math

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tensimeter.core.errors import Trouble
from tensimeter.core.judge import Interval
from tensimeter.core.quantity import show
from tensimeter.core.verify.readings import interval_of
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.verdict_square import VerdictSquare, verdict_colour
from tensimeter.ui.parts.window_gauge import WindowGauge
from tensimeter.ui.session import Hand, Session
from tensimeter.ui.theme import theme


class StepEntry(QWidget):
    """Shows the session's step in hand; Enter keeps what was typed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self.field = Field()
        session.hand_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        focused = self.field.hasFocus()
        clear(self._column)
        hand = self.session.hand
        if hand is None:
            return
        row = QHBoxLayout()
        square = VerdictSquare(hand.verdict)
        row.addWidget(square)
        said = label(self._said(hand), "strong", wrap=True)
        said.setStyleSheet(f"color: {getattr(theme.colours, verdict_colour(hand.verdict))};")
        row.addWidget(said, 1)
        self._column.addLayout(row)
        if hand.quantity != "ohm":
            gauge = WindowGauge(hand.quantity)
            at = hand.expected
            interval = interval_of(hand.last) if hand.last else None
            gauge.show_values(hand.band, None if at is None else Interval(at, at, at), interval)
            self._column.addWidget(gauge)
        entry = QHBoxLayout()
        self.field = Field()
        unit = {"ohm": "ohms, or OL", "V": "volts", "C": "°C"}[hand.quantity]
        self.field.setPlaceholderText(f"type what it reads: {unit}")
        self.field.setAccessibleName(f"reading, {hand.name}")
        self.field.returnPressed.connect(self.take)
        entry.addWidget(self.field, 1)
        if self.session.practice is not None:
            button = QPushButton("read the practice supply")
            button.clicked.connect(self.practise)
            entry.addWidget(button)
        self._column.addLayout(entry)
        if focused:
            self.field.setFocus()

    def _said(self, hand: Hand) -> str:
        if hand.last is None:
            return "not measured yet"
        value = "over range" if math.isinf(hand.last.value) else show(hand.last.value, hand.quantity, 4)
        return f"{value}: {hand.verdict.words}"

    def take(self) -> None:
        hand = self.session.hand
        if hand is None or not self.field.text().strip():
            return
        try:
            self.session.take_at(hand.place, hand.name, hand.quantity, self.field.text())
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))

    def practise(self) -> None:
        hand = self.session.hand
        if hand is None:
            return
        try:
            self.session.take_practice(hand.place, hand.name, hand.quantity)
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
