"""What follows from the circuit of a part that one makes: its figures with their why, what does not hold."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.parts.made_part import MadePart
from tensimeter.core.quantity import show
from tensimeter.ui.parts.text import Figure, clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class WorkedOut(QWidget):
    def __init__(self, session: Session, part: MadePart) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName(tr("what follows from its circuit"))
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, theme.px(6))
        self.follow(part)

    def follow(self, part: MadePart) -> None:
        """Show what follows from the circuit as it is now."""
        clear(self._column)
        found, wrong = part.worked_out(), part.wrong()
        self._column.addWidget(label(tr("what follows from its circuit"), "strong", wrap=True))
        for text in wrong:
            self._column.addWidget(label(f"✗ {text}", wrap=True))
        rows = QWidget()
        grid = QGridLayout(rows)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(0, 1)
        for line, worked in enumerate(found.figures):
            grid.addWidget(label(worked.title, "caption", wrap=True), line, 0)
            figure = Figure(show(worked.value, worked.unit, 3), _always(worked), "strong")
            figure.asked.connect(self.session.why)
            grid.addWidget(figure, line, 1, Qt.AlignmentFlag.AlignRight)
        self._column.addWidget(rows)
        loop = part.loop()
        if loop is not None:
            # A window begins with its stock, and does not wait for what draws plots.
            from tensimeter.ui.stock.bode_plot import BodePlot

            plot = BodePlot(loop)
            words = f"its loop, {plot.words}; dashed: degrees left to half a turn"
            self._column.addWidget(label(words, "caption", wrap=True))
            self._column.addWidget(plot)
        for note in found.notes:
            self._column.addWidget(label(note, "caption", wrap=True))


def _always(worked: Derivation) -> Callable[[], Derivation]:
    return lambda: worked
