"""How the link in hand is sized: figures with their why, worked from the design it stands in."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tensimeter.core.design.sizing import sized
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.why_figures import why_figures
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
        column.addWidget(why_figures(found.figures, session.why, formulas=True))
        for note in found.notes:
            column.addWidget(label(note, wrap=True))
