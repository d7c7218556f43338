"""What follows from the circuit of a part that one makes: its figures with their why, what does not hold."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tensimeter.core.electrical.control_loop import ControlLoop
from tensimeter.core.parts.made_part import MadePart
from tensimeter.core.parts.sized import Sized
from tensimeter.ui.parts.text import clear, label
from tensimeter.ui.parts.why_figures import why_figures
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
        """Show what follows from the circuit as it is now; until it is worked out, that it is."""
        if not self._column.count():
            self._column.addWidget(label(tr("being worked out …"), "caption"))

        def work() -> tuple[Sized, tuple[str, ...], ControlLoop | None]:
            return part.worked_out(), tuple(part.wrong()), part.loop()

        self.session.aside.ask("made", self, work, self._show)

    def _show(self, told: tuple[Sized, tuple[str, ...], ControlLoop | None]) -> None:
        found, wrong, loop = told
        clear(self._column)
        self._column.addWidget(label(tr("what follows from its circuit"), "strong", wrap=True))
        for text in wrong:
            self._column.addWidget(label(f"✗ {text}", wrap=True))
        self._column.addWidget(why_figures(found.figures, self.session.why))
        if loop is not None:
            # A window begins with its stock, and does not wait for what draws plots.
            from tensimeter.ui.stock.bode_plot import BodePlot

            plot = BodePlot(loop)
            words = f"its loop, {plot.words}; dashed: degrees left to half a turn"
            self._column.addWidget(label(words, "caption", wrap=True))
            self._column.addWidget(plot)
        for note in found.notes:
            self._column.addWidget(label(note, "caption", wrap=True))
