"""The stages as buttons, one below the other."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from tensimeter.core.procedure.stages import STAGES, Stage
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme


class StageButton(QAbstractButton):
    """A stage's name and one line on how it stands."""

    def __init__(self, stage: Stage, number: int) -> None:
        super().__init__()
        self.stage, self.caption, self.open_holds, self._number = stage, "", 0, number
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setToolTip(tr("Alt+{0}").format(number))
        self.setAccessibleName(tr(stage.name))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(112), theme.px(50))

    def show_caption(self, caption: str, open_holds: int) -> None:
        self.caption, self.open_holds = caption, open_holds
        self.setAccessibleName(f"{tr(self.stage.name)}, {caption}")
        self.setToolTip(tr("{0}; Alt+{1}").format(caption, self._number))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        if self.isChecked():
            painter.fillRect(self.rect(), theme.colour("sheet"))
            painter.fillRect(0, 0, 4, self.height(), theme.colour("ink"))
        # Where there is little height the edges give way first, then the line on how it stands.
        edge = max(0.0, min(theme.px(5), (self.height() - theme.px(34)) / 2))
        box = QRectF(self.rect()).adjusted(theme.px(18), edge, -2, -edge)
        painter.setFont(theme.font(11, bold=self.isChecked()))
        painter.setPen(theme.colour("ink" if self.isChecked() else "pencil"))
        tight = self.height() < theme.px(34)
        where = Qt.AlignmentFlag.AlignVCenter if tight else Qt.AlignmentFlag.AlignTop
        painter.drawText(box, where, tr(self.stage.name))
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("hold" if self.open_holds else "pencil"))
        text = painter.fontMetrics().elidedText(self.caption, Qt.TextElideMode.ElideRight, round(box.width()))
        if not tight:
            painter.drawText(box, Qt.AlignmentFlag.AlignBottom, text)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("prediction"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class StageButtons(QWidget):
    """All seven stages; one may go back at any time."""

    chosen = pyqtSignal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 8)
        layout.setSpacing(2)
        self.buttons = [StageButton(stage, k + 1) for k, stage in enumerate(STAGES)]
        for k, button in enumerate(self.buttons):
            button.clicked.connect(lambda _=False, k=k: self.chosen.emit(k))
            layout.addWidget(button)
        layout.addStretch(1)

    def show_stage(self, index: int) -> None:
        self.buttons[index].setChecked(True)
