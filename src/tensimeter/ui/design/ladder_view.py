"""The limits ladder: what gives up first, each limit's share used now and in the worst state."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tensimeter.core.parts.limit import Limit
from tensimeter.core.rating.envelope import State
from tensimeter.core.rating.ladder import ranked
from tensimeter.ui.parts.margin_bar import MarginRow
from tensimeter.ui.parts.text import label


class LadderView(QWidget):
    """A row for each limit; the rows stay and take what is shown next."""

    asked = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self._note = label("", "caption")
        self._column.addWidget(self._note)
        self.rows: list[MarginRow] = []

    def show_limits(self, limits: list[Limit], edges: dict[str, tuple[Limit, State]], note: str = "") -> None:
        """Show limits by the most that is used of them; `note` says what is not told yet."""
        self._note.setText(note)
        self._note.setVisible(bool(note))
        told = sorted(((limit, edges.get(limit.name)) for limit in ranked(limits)), key=_order)
        for limit, edge in told[len(self.rows) :]:
            row = MarginRow(limit, edge)
            row.asked.connect(self.asked)
            self._column.addWidget(row)
            self.rows.append(row)
        for k, row in enumerate(self.rows):
            row.setVisible(k < len(told))
            if k < len(told):
                row.show_limit(*told[k])


def _order(told: tuple[Limit, tuple[Limit, State] | None]) -> float:
    """A least load is no more than asked for at its edge: nothing is drawn there."""
    limit, edge = told
    own = float(limit.fraction)
    return -(own if limit.floor or edge is None else max(own, float(edge[0].fraction)))
