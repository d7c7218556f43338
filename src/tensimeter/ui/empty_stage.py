"""A stage that is not built yet: one sentence on what it will hold, and nothing else."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tensimeter.core.procedure.stages import Stage
from tensimeter.ui.parts.text import label
from tensimeter.ui.theme import theme


class EmptyStage(QWidget):
    def __init__(self, stage: Stage, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(*[theme.px(24)] * 4)
        layout.addWidget(label(stage.name, "heading"))
        sentence = label(stage.will_hold, wrap=True)
        sentence.setMaximumWidth(theme.px(560))
        layout.addWidget(sentence)
        layout.addStretch(1)
        layout.setAlignment(Qt.AlignmentFlag.AlignTop)
