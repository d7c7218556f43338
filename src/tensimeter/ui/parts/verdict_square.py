"""The verdict square: shape and colour both say it."""

from functools import cache

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QLabel, QTreeWidgetItem, QWidget

from tensimeter.core.measurement.conformity import Verdict
from tensimeter.ui.parts.figures_table import NOTHING
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

_COLOUR = {
    Verdict.CONFORMS: "holds",
    Verdict.TOO_CLOSE: "hold",
    Verdict.NONCONFORMING: "miss",
    Verdict.NOT_MEASURED: "pencil",
}


def verdict_colour(verdict: Verdict) -> str:
    """Name of the colour that belongs to a verdict."""
    return _COLOUR[verdict]


def paint_verdict(painter: QPainter, box: QRectF, verdict: Verdict) -> None:
    """Filled: holds. Lower half filled: too close. Struck through: misses. Outline: not measured."""
    colour = theme.colour(_COLOUR[verdict])
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(colour, 1.5))
    painter.setBrush(colour if verdict is Verdict.CONFORMS else Qt.BrushStyle.NoBrush)
    painter.drawRect(box)
    if verdict is Verdict.TOO_CLOSE:
        painter.fillRect(QRectF(box.left(), box.center().y(), box.width(), box.height() / 2), colour)
    elif verdict is Verdict.NONCONFORMING:
        painter.setPen(QPen(colour, 2))
        painter.drawLine(QPointF(box.left(), box.bottom()), QPointF(box.right(), box.top()))
    painter.restore()


def verdict_icon(verdict: Verdict, size: int = 14) -> QIcon:
    """A verdict's square as a row shows it."""
    return _icon(verdict, size, theme.night)


def mark_verdict(item: QTreeWidgetItem, column: int, verdict: Verdict, size: int = 14) -> None:
    """A verdict's square in a row, and its words for who can't see it."""
    item.setIcon(column, verdict_icon(verdict, size))
    text = item.text(column)
    role = Qt.ItemDataRole.AccessibleTextRole
    item.setData(column, role, f"{text}, {verdict.words}" if text else verdict.words)


def name_empty(item: QTreeWidgetItem) -> None:
    """Cells that hold nothing are told as that."""
    role = Qt.ItemDataRole.AccessibleTextRole
    for column in range(item.columnCount()):
        if not item.text(column) and not item.data(column, role):
            item.setData(column, role, NOTHING)


@cache
def _icon(verdict: Verdict, size: int, night: bool) -> QIcon:
    pixmap = QPixmap(QSize(size, size) * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    paint_verdict(painter, QRectF(1.5, 1.5, size - 3, size - 3), verdict)
    painter.end()
    icon = QIcon(pixmap)
    # A chosen or disabled row must not tint what the colour says.
    for mode in (QIcon.Mode.Selected, QIcon.Mode.Disabled):
        icon.addPixmap(pixmap, mode)
    return icon


class VerdictSquare(QLabel):
    """A square of its own, named for those who cannot see it."""

    def __init__(self, verdict: Verdict = Verdict.NOT_MEASURED, parent: QWidget | None = None):
        super().__init__(parent)
        self.show_verdict(verdict)

    def show_verdict(self, verdict: Verdict) -> None:
        self._verdict = verdict
        side = theme.px(16)
        self.setFixedSize(side, side)
        self.setAccessibleName(tr(verdict.words))
        self.setToolTip(tr(verdict.words))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        paint_verdict(painter, QRectF(self.rect()).adjusted(2, 2, -2, -2), self._verdict)
