"""Two parts beside one another, field by field; what differs stands on top and is marked."""

from PyQt6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from tensimeter.core.model.compare import beside
from tensimeter.core.parts.registry import Part
from tensimeter.core.quantity import localised
from tensimeter.ui.parts.text import clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session


class BesidePanel(QWidget):
    def __init__(self, session: Session, part: Part) -> None:
        super().__init__()
        self.session, self.part = session, part
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.other = QComboBox()
        self.other.setAccessibleName(tr("compare with"))
        self.other.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.other.setMinimumContentsLength(10)
        for twin in session.job.stock:
            if twin.kind == part.kind and twin.id != part.id:
                self.other.addItem(twin.name, twin.id)
        self.other.currentIndexChanged.connect(self.refresh)
        column.addWidget(self.other)
        rows = QWidget()
        self._grid = QGridLayout(rows)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setColumnStretch(0, 3)
        for k in (1, 2):
            self._grid.setColumnStretch(k, 2)
        column.addWidget(rows)
        self.refresh()

    def refresh(self) -> None:
        clear(self._grid)
        twin = self.session.job.part(self.other.currentData())
        self.other.setVisible(twin is not None)
        if twin is None:
            words = "Nothing of its kind to compare it with. Duplicate it, or type another nameplate."
            self._grid.addWidget(label(words, "caption", wrap=True), 0, 0, 1, 3)
            return
        for k, words in enumerate(("", "this one", "that one")):
            self._grid.addWidget(label(words, "caption"), 0, k)
        for line, row in enumerate(beside(self.part, twin), 1):
            kind = "strong" if row.differs else "caption"
            mark = "≠ " if row.differs else ""
            self._grid.addWidget(label(f"{mark}{row.words}  {row.unit}".strip(), kind, wrap=True), line, 0)
            self._grid.addWidget(label(localised(row.first), kind, wrap=True), line, 1)
            self._grid.addWidget(label(localised(row.second), kind, wrap=True), line, 2)
