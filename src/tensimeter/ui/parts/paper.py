"""A sheet over a plot's view that is painted whole: far quicker than an item for each line and word."""

import math
from collections.abc import Callable, Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from tensimeter.ui.theme import theme


class Paper(QGraphicsItem):
    """Painted by `draw` whenever the view has changed; figures are given in the plot's own units."""

    def __init__(self, view: pg.ViewBox, draw: Callable[["Paper"], None]) -> None:
        super().__init__(view)
        self._view, self._draw = view, draw
        self.setZValue(10)
        view.sigRangeChanged.connect(self.renew)
        view.sigResized.connect(self.renew)
        self.taken: list[QRectF] = []
        self._painter = QPainter()

    def renew(self, *_: object) -> None:
        """Have it painted anew."""
        self.prepareGeometryChange()
        self.update()

    def boundingRect(self) -> QRectF:
        return QRectF(self._view.rect())

    def paint(
        self, painter: QPainter | None, option: QStyleOptionGraphicsItem | None, widget: QWidget | None = None
    ) -> None:
        assert painter is not None
        self._painter, self.taken = painter, []
        painter.setClipRect(self.boundingRect())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(9))
        self._draw(self)

    def pixels(self, x: Sequence[float] | np.ndarray, y: Sequence[float] | np.ndarray) -> np.ndarray:
        """Points of the plot as pixels of the sheet (n, 2)."""
        room, ((left, right), (bottom, top)) = self._view.rect(), self._view.viewRange()
        across = (np.asarray(x, float) - left) / (right - left) * room.width()
        down = (top - np.asarray(y, float)) / (top - bottom) * room.height()
        return np.column_stack([across, down])

    def _at(self, x: float, y: float) -> tuple[float, float]:
        """One point as a pixel; what is not a number lies off the sheet."""
        across, down = self.pixels([x], [y])[0]
        return (float(across), float(down)) if np.isfinite(across + down) else (-1e4, -1e4)

    def around(self, x: Sequence[float], y: Sequence[float], size: float) -> list[QRectF]:
        """What marks of so many pixels cover at points (n,) that are numbers."""
        points = self.pixels(x, y)
        corners = (points[np.isfinite(points).all(axis=1)] - size / 2).tolist()
        return [QRectF(across, down, size, size) for across, down in corners]

    def line(self, x: Sequence[float] | np.ndarray, y: Sequence[float] | np.ndarray, pen: QPen) -> None:
        """A line through points; where one is not a number it is broken."""
        points = self.pixels(x, y)
        self._painter.setPen(pen)
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        whole = np.isfinite(points).all(axis=1)
        for run in np.split(np.arange(len(points)), np.flatnonzero(np.diff(whole)) + 1):
            if len(run) > 1 and whole[run[0]]:
                self._painter.drawPolyline(_polygon(points[run]))

    def fill(self, x: np.ndarray, low: np.ndarray, high: np.ndarray, brush: QBrush) -> None:
        """What lies between two lines over the same x."""
        points = np.vstack([self.pixels(x, high), self.pixels(x, low)[::-1]])
        self._painter.setPen(Qt.PenStyle.NoPen)
        self._painter.setBrush(brush)
        self._painter.drawPolygon(_polygon(points))

    def square(self, x: float, y: float, size: float, pen: QPen, fill: QColor) -> None:
        """A square of so many pixels."""
        (across, down), half = self._at(x, y), size / 2
        self._painter.setPen(pen)
        self._painter.setBrush(fill)
        self._painter.drawRect(QRectF(across - half, down - half, size, size))

    def diamond(self, x: float, y: float, size: float, pen: QPen, fill: QColor) -> None:
        """A square on its corner, of so many pixels."""
        self.marks([x], [y], [0.0], [(pen, fill, size)])

    def marks(
        self,
        x: Sequence[float],
        y: Sequence[float],
        half: Sequence[float],
        looks: Sequence[tuple[QPen, QColor, float]],
    ) -> None:
        """Diamonds at points (n,), half a whisker of each; a look is pen, fill and size in pixels."""
        middles, tops = self.pixels(x, y), self.pixels(x, np.add(y, half))
        for (across, down), (_, top), (pen, fill, size) in zip(
            middles.tolist(), tops.tolist(), looks, strict=True
        ):
            if not math.isfinite(across + down):
                continue
            self._painter.setPen(pen)
            self._painter.setBrush(fill)
            if top < down:
                self._painter.drawLine(QPointF(across, top), QPointF(across, 2 * down - top))
            reach = size / 2
            corners = ((0.0, -reach), (reach, 0.0), (0.0, reach), (-reach, 0.0))
            self._painter.drawPolygon(QPolygonF([QPointF(across + dx, down + dy) for dx, dy in corners]))

    def ring(self, x: float, y: float, size: float, pen: QPen) -> None:
        """A circle of so many pixels, hollow."""
        across, down = self._at(x, y)
        self._painter.setPen(pen)
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        self._painter.drawEllipse(QPointF(across, down), size / 2, size / 2)

    def words(
        self, text: str, x: float, y: float, colour: str, anchors: Sequence[tuple[float, float]]
    ) -> bool:
        """Write words at the first anchor where they lie on the sheet and on no others; whether they do."""
        metrics = QFontMetricsF(theme.font(9))
        width, height = metrics.horizontalAdvance(text) + theme.px(8), metrics.height() + theme.px(6)
        (across, down), room = self._at(x, y), self.boundingRect()
        for anchor in anchors:
            box = QRectF(across - anchor[0] * width, down - anchor[1] * height, width, height)
            inside = box.left() >= 0 and box.top() >= 0 and box.right() <= room.width()
            if inside and box.bottom() <= room.height() and not any(box.intersects(r) for r in self.taken):
                self.taken.append(box)
                self._painter.fillRect(box, theme.colour("paper", 0.8))
                self._painter.setPen(theme.colour(colour))
                self._painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
                return True
        return False


def _polygon(points: np.ndarray) -> QPolygonF:
    return QPolygonF([QPointF(x, y) for x, y in points.tolist()])
