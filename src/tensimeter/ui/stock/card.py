"""A part's card: its rating drawn to one common scale, its name, its figures."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QWidget

from tensimeter.core.parts.registry import Part
from tensimeter.core.quantity import localised
from tensimeter.ui.parts.text import tip
from tensimeter.ui.theme import theme

#: The common scale of the drawn ratings: a frame of these volts and amps.
SCALE_V, SCALE_A = 60.0, 20.0


class PartCard(QAbstractButton):
    """One part on its shelf. Enter or a click edits it."""

    chosen = pyqtSignal(str)

    def __init__(self, part: Part, used: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.part, self.used, self.current = part, used, False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedSize(self.sizeHint())
        self._name()

    def tell(self, part: Part, used: bool) -> None:
        """The part as it is now."""
        if (part, used) != (self.part, self.used):
            self.part, self.used = part, used
            self._name()
            self.update()

    def _name(self) -> None:
        part, where = self.part, ", in the path" if self.used else ""
        self.setAccessibleName(f"{part.name}, {', '.join(part.summary())}, {part.condition}{where}")
        self.setToolTip(tip(part.note or part.name))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(284), theme.px(80))

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        painter.setBrush(theme.colour("sheet"))
        lit = self.hasFocus() or self.current
        painter.setPen(QPen(theme.colour("prediction" if lit else "rule"), 2 if lit else 1))
        painter.drawRoundedRect(box, 2, 2)
        drawn = self._rating(painter, QRectF(theme.px(9), theme.px(9), theme.px(52), theme.px(44)))
        left = theme.px(70) if drawn else theme.px(10)
        text = QRectF(left, theme.px(6), self.width() - left - theme.px(8), theme.px(70))
        line = theme.px(17)
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(9.5, bold=True))
        self._line(painter, text, 0, self.part.name, line)
        painter.setFont(theme.font(9))
        for k, words in enumerate(self.part.summary()):
            self._line(painter, text, k + 1, localised(words), line)
        bad = self.part.condition in ("faulty", "for parts")
        painter.setPen(theme.colour("miss" if bad else "pencil"))
        ending: list[str] = [self.part.condition]
        if self.part.count > 1:
            ending.append(f"{self.part.count} of these")
        if self.part.doubt:
            ending.append("label doubted")
        if self.used:
            ending.append("in use")
        self._line(painter, text, 3, " · ".join(ending), line)

    def _line(self, painter: QPainter, box: QRectF, k: int, words: str, line: float) -> None:
        elided = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, round(box.width()))
        painter.drawText(
            QRectF(box.left(), box.top() + k * line, box.width(), line), Qt.AlignmentFlag.AlignVCenter, elided
        )

    def _rating(self, painter: QPainter, frame: QRectF) -> bool:
        """Volts across, amps up, watts as the curve that cuts the corner; to one common scale."""
        bounds = self.part.rated()
        if bounds is None:
            return False
        volts, amps, watts = bounds
        painter.setPen(QPen(theme.colour("rule"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(frame)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.colour("prediction", 0.55))
        columns = 26
        for k in range(columns):
            v = (k + 0.5) / columns * SCALE_V
            if v > volts:
                break
            up = min(amps, watts / v, SCALE_A) / SCALE_A * frame.height()
            painter.drawRect(
                QRectF(
                    frame.left() + k * frame.width() / columns,
                    frame.bottom() - up,
                    frame.width() / columns + 0.5,
                    up,
                )
            )
        painter.setPen(theme.colour("pencil"))
        painter.setFont(theme.font(7))
        painter.drawText(
            QRectF(frame.left(), frame.bottom() + 1, frame.width(), theme.px(12)),
            Qt.AlignmentFlag.AlignLeft,
            f"{SCALE_V:g} V · {SCALE_A:g} A",
        )
        return True

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        self.chosen.emit(self.part.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space, Qt.Key.Key_Enter):
            self.chosen.emit(self.part.id)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()
