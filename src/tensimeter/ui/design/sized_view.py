"""How the link in hand is sized: figures with their why, worked from the design it stands in."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.design.sizing import sized
from tensimeter.core.quantity import show
from tensimeter.ui.parts.text import Figure, label
from tensimeter.ui.session import Session


class SizedView(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        subject = session.subject
        links = {link.id: link.name for link in session.job.design.links}
        if not session.now.solved or subject not in links:
            words = "Choose a link of the path: what it is sized by is worked out here."
            column.addWidget(label(words, "caption", wrap=True))
            return
        found = sized(session.job, subject, session.now.solved[1])
        column.addWidget(label(links[subject], "strong"))
        if not found.figures and not found.notes:
            words = "Nothing of this link is sized. Fuses, leads, units, converters and fans are."
            column.addWidget(label(words, "caption", wrap=True))
        rows = QWidget()
        grid = QGridLayout(rows)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(2, 1)
        grid.setHorizontalSpacing(18)
        for line, worked in enumerate(found.figures):
            grid.addWidget(label(worked.title), line, 0)
            figure = Figure(show(worked.value, worked.unit, 3), _always(worked), "strong")
            figure.asked.connect(session.why)
            grid.addWidget(figure, line, 1, Qt.AlignmentFlag.AlignRight)
            grid.addWidget(label(worked.formula, "caption"), line, 2)
        column.addWidget(rows)
        for note in found.notes:
            column.addWidget(label(note, wrap=True))


def _always(worked: Derivation) -> Callable[[], Derivation]:
    return lambda: worked
