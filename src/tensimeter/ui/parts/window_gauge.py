"""The window gauge: allowed band, prediction as a tick, reading as a diamond with a whisker."""

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QProgressBar, QSizePolicy, QWidget

from tensimeter.core.measurement.conformity import Band, Interval
from tensimeter.core.quantity import fixed
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme


class WindowGauge(QProgressBar):
    """Where a reading meets an expectation, on one horizontal scale."""

    def __init__(self, unit: str = "V", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.unit = unit
        self.band = Band(None, None)
        self.predicted: Interval | None = None
        self.reading: Interval | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("window gauge"))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(180), theme.px(38))

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(100), theme.px(38))

    def show_values(
        self, band: Band, predicted: Interval | None = None, reading: Interval | None = None
    ) -> None:
        self.band, self.predicted, self.reading = band, predicted, reading
        words = []
        low, high = band.ends
        if math.isfinite(low) and math.isfinite(high):
            words.append(f"allowed {fixed(low, self.unit)} to {fixed(high, self.unit)}")
        if predicted:
            words.append(f"predicted {fixed(predicted.value, self.unit)}")
        if reading:
            words.append(f"read {fixed(reading.value, self.unit, 3)}")
        self.setAccessibleDescription(", ".join(words))
        self._say_share()
        self.setToolTip(", ".join(words))
        self.update()

    def _say_share(self) -> None:
        """How far across the allowed band the reading stands, or what is predicted; for a screen reader."""
        low, high = self.band.ends
        shown = self.reading or self.predicted
        if shown is None or not math.isfinite(low + high) or not high > low:
            self.reset()
            return
        self.setValue(round(100 * min(max((shown.value - low) / (high - low), 0.0), 1.0)))

    def _span(self) -> tuple[float, float] | None:
        low, high = self.band.ends
        points = [x for x in (low, high) if math.isfinite(x)]
        for interval in (self.predicted, self.reading):
            if interval:
                points += [interval.low, interval.high]
        points = [p for p in points if math.isfinite(p)]
        if not points or max(points) <= min(points):
            return None
        margin = 0.18 * (max(points) - min(points))
        return min(points) - margin, max(points) + margin

    def paintEvent(self, event: object) -> None:
        span = self._span()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, half = theme.px(12), theme.px(9)
        painter.setPen(QPen(theme.colour("pencil"), 1))
        painter.drawLine(QPointF(0, middle), QPointF(self.width(), middle))
        if span is None:
            return

        def x(value: float) -> float:
            return (value - span[0]) / (span[1] - span[0]) * self.width()

        low, high = self.band.ends
        left = x(low) if math.isfinite(low) else 0.0
        right = x(high) if math.isfinite(high) else float(self.width())
        painter.fillRect(QRectF(left, middle - half, right - left, 2 * half), theme.colour("holds", 0.16))
        painter.setPen(QPen(theme.colour("holds"), 1.5))
        painter.setFont(theme.font(8))
        for end, at, side in ((low, left, -1), (high, right, 1)):
            if math.isfinite(end):
                painter.setPen(QPen(theme.colour("holds"), 1.5))
                painter.drawLine(QPointF(at, middle - half), QPointF(at, middle + half))
                self._number(painter, at, fixed(end, "", 2), side)
        if self.predicted:
            at = x(self.predicted.value)
            painter.setPen(QPen(theme.colour("prediction"), 2))
            painter.drawLine(QPointF(at, middle - half - 2), QPointF(at, middle + half + 2))
        if self.reading:
            self._diamond(painter, x, middle)

    def _number(self, painter: QPainter, at: float, text: str, side: int) -> None:
        painter.setPen(theme.colour("pencil"))
        width = painter.fontMetrics().horizontalAdvance(text)
        left = min(max(at - width / 2, 0), self.width() - width)
        painter.drawText(QPointF(left, self.height() - theme.px(3)), text)

    def _diamond(self, painter: QPainter, x: Callable[[float], float], middle: float) -> None:
        reading = present(self.reading)
        at, size = x(reading.value), theme.px(6)
        painter.setPen(QPen(theme.colour("ink"), 2))
        ends = [x(reading.low), x(reading.high)]
        painter.drawLine(QPointF(ends[0], middle), QPointF(ends[1], middle))
        painter.setBrush(theme.colour("ink"))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(at - size, middle),
                    QPointF(at, middle - size),
                    QPointF(at + size, middle),
                    QPointF(at, middle + size),
                ]
            )
        )
