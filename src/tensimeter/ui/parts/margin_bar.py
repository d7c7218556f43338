"""The margin bar: how much of a limit is used; ranked, they make the limits ladder."""

import math

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QProgressBar, QSizePolicy, QWidget

from tensimeter.core.parts.limit import Limit
from tensimeter.core.quantity import fixed
from tensimeter.core.rating.envelope import State
from tensimeter.ui.parts.text import tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme


def paint_bar(painter: QPainter, box: QRectF, fraction: float, edge: float | None = None) -> None:
    """A bar filled to the share used, full and in the colour of a miss when over.

    `edge` is the share used in the worst state: an open frame on from the bar up to there.
    """
    painter.fillRect(box, theme.colour("rule"))
    over = fraction > 1
    used = min(max(fraction, 0.0), 1.0)
    painter.fillRect(
        QRectF(box.left(), box.top(), box.width() * used, box.height()),
        theme.colour("miss" if over else "prediction"),
    )
    if edge is not None and edge > used:
        reach = min(edge, 1.0) - used
        painter.setPen(QPen(theme.colour("miss" if edge > 1 else "prediction"), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        frame = QRectF(box.left() + box.width() * used, box.top(), box.width() * reach, box.height())
        painter.drawRect(frame.adjusted(0, 0, -1, -1))


class MarginRow(QProgressBar):
    """One rung of the ladder: the limit's name, its bar, used of allowed, and what sets it."""

    asked = pyqtSignal(object)

    def __init__(
        self, limit: Limit, edge: tuple[Limit, State] | None = None, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.WhatsThisCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.show_limit(limit, edge)

    def show_limit(self, limit: Limit, edge: tuple[Limit, State] | None = None) -> None:
        """Take another limit's place: what is read again and again is not made anew."""
        self.limit, self.edge = limit, edge
        self.setAccessibleName(f"{limit.name}, {self._words()}")
        share = float(limit.fraction)
        self.setValue(round(100 * min(max(share, 0.0), 1.0)) if math.isfinite(share) else 100)
        self.setToolTip(tip(tr("{0}. {1}F1 or click: why?").format(limit.note, self._at_edge())))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(420), theme.px(26))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(200), theme.px(26))

    def worked(self) -> object:
        """Why it stands where it does; the worst state is named."""
        worked = self.limit.worked()
        return replace(worked, assumptions=(*worked.assumptions, self._at_edge())) if self.edge else worked

    @property
    def at_edge(self) -> float:
        """The share used in the worst state, the one in hand counted too."""
        own = float(self.limit.fraction)
        return max(own, float(self.edge[0].fraction)) if self.edge else own

    def _at_edge(self) -> str:
        if self.edge is None:
            return ""
        limit, state = self.edge
        return f"At its edge {limit.sentence}: {state.words}. "

    def _words(self) -> str:
        # What is over at its edge alone is told there.
        over = self.edge is not None and float(self.edge[0].fraction) > 1 >= float(self.limit.fraction)
        used, allowed = (self.edge[0] if self.edge and over else self.limit).shown
        places = 1 if max(allowed, 1) < 100 else 0
        return f"{fixed(used, '', places)} of {fixed(allowed, self.limit.unit, places)}"

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        fraction, edge = float(self.limit.fraction), self.at_edge
        over = edge > 1
        width, height = self.width(), self.height()
        name_w, figure_w = round(width * 0.34), theme.px(152)
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
        paint_bar(painter, bar, fraction, edge)
        painter.setPen(theme.colour("miss" if over else "ink"))
        word = "over: " if fraction > 1 else "edge: " if over else ""
        text = word + self._words()
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
        self.asked.emit(self.worked())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_F1, Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.asked.emit(self.worked())
        else:
            super().keyPressEvent(event)
