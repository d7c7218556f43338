"""The margin bar: how much of a limit is used; ranked, they make the limits ladder."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tensimeter.core.parts.limit import Limit
from tensimeter.core.quantity import fixed
from tensimeter.ui.parts.text import tip
from tensimeter.ui.theme import theme


def paint_bar(painter: QPainter, box: QRectF, fraction: float) -> None:
    """A bar filled to the share used; full and in the colour of a miss when over."""
    painter.fillRect(box, theme.colour("rule"))
    over = fraction > 1
    used = min(max(fraction, 0.0), 1.0)
    painter.fillRect(
        QRectF(box.left(), box.top(), box.width() * used, box.height()),
        theme.colour("miss" if over else "prediction"),
    )


class MarginRow(QWidget):
    """One rung of the ladder: the limit's name, its bar, used of allowed, and what sets it."""

    asked = pyqtSignal(object)

    def __init__(self, limit: Limit, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.limit = limit
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.WhatsThisCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"{limit.name}, {self._words()}")
        self.setToolTip(tip(f"{limit.note}. F1 or click: why?"))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(420), theme.px(26))

    def worked(self) -> object:
        return self.limit.worked()

    def _words(self) -> str:
        used, allowed = self.limit.shown
        places = 1 if max(allowed, 1) < 100 else 0
        return f"{fixed(used, '', places)} of {fixed(allowed, self.limit.unit, places)}"

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        fraction = float(self.limit.fraction)
        over = fraction > 1
        width, height = self.width(), self.height()
        name_w, figure_w = round(width * 0.34), theme.px(156 if over else 118)
        note_w = max(0, round(width * 0.22)) if width > theme.px(560) else 0
        bar_w = width - name_w - figure_w - note_w - theme.px(16)
        painter.setFont(theme.font(10.5))
        painter.setPen(theme.colour("ink"))
        middle = Qt.AlignmentFlag.AlignVCenter
        metrics = painter.fontMetrics()
        # Where it is too long the link's name gives way, not what limits.
        what = f", {self.limit.short}"
        link = self.limit.name.removesuffix(what)
        room = name_w - 8 - metrics.horizontalAdvance(what)
        name = metrics.elidedText(link, Qt.TextElideMode.ElideRight, max(room, theme.px(30))) + what
        painter.drawText(QRectF(0, 0, name_w, height), middle, name)
        bar = QRectF(name_w, height / 2 - theme.px(4), bar_w, theme.px(8))
        paint_bar(painter, bar, fraction)
        painter.setPen(theme.colour("miss" if over else "ink"))
        text = ("over: " if over else "") + self._words()
        right = Qt.AlignmentFlag.AlignRight | middle
        painter.drawText(QRectF(name_w + bar_w, 0, figure_w + 8, height), right, text)
        if note_w:
            painter.setFont(theme.font(9))
            painter.setPen(theme.colour("pencil"))
            note = painter.fontMetrics().elidedText(self.limit.note, Qt.TextElideMode.ElideRight, note_w - 4)
            painter.drawText(QRectF(width - note_w, 0, note_w, height), middle, note)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("prediction"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.asked.emit(self.limit.worked())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_F1, Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.asked.emit(self.limit.worked())
        else:
            super().keyPressEvent(event)
