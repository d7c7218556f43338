"""Dead or alive, of a supply that is known by its nameplate: the steps of its incoming check."""

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tensimeter.core.procedure.incoming_check import whole_supply
from tensimeter.ui.parts.text import label
from tensimeter.ui.session import Session
from tensimeter.ui.stock.incoming_panel import IncomingPanel


class AliveView(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        words = "Its case stays closed. Each step rules something out before more is risked."
        column.addWidget(label(words, "caption", wrap=True))
        part = whole_supply(session.job)
        self.panel = IncomingPanel(session, part, None) if part is not None else None
        if self.panel is not None:
            column.addWidget(self.panel)
        column.addStretch(1)

    def refresh(self) -> None:
        """What was read meanwhile."""
        if self.panel is not None:
            self.panel.refresh()
