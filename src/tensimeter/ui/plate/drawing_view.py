"""A drawing on the screen as it prints, fitted to the room that there is."""

import math

from msgspec.structs import replace
from PyQt6.QtCore import QByteArray, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QLabel, QWidget

from tensimeter.core.plate.drawing import Drawing
from tensimeter.core.plate.photo_under import Laid
from tensimeter.report.vector import Letters, svg
from tensimeter.ui.parts.text import label
from tensimeter.ui.theme import theme

#: Never larger on the screen than so many times its size, pixels a mm at 100 %.
MOST_PX_MM = 6.0


def caption(words: str) -> QLabel:
    """A caption before a field in a row, as high as that."""
    made = label(words, "caption")
    made.setMinimumHeight(theme.px(28))
    return made


class DrawingView(QWidget):
    """Shows one drawing; `pressed` and `dragged` tell where a mouse is on it, in mm."""

    pressed = pyqtSignal(float, float)
    dragged = pyqtSignal(float, float)
    released = pyqtSignal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setMinimumHeight(theme.px(150))
        self._renderer = QSvgRenderer()
        self._drawing: Drawing | None = None
        self._photo: tuple[QImage, Laid] | None = None

    def show_drawing(self, drawing: Drawing | None, letters: Letters | None = None) -> None:
        """Show a drawing; None shows nothing."""
        self._drawing = drawing
        if drawing is not None:
            self._renderer.load(QByteArray(svg(drawing, letters).encode()))
            self.setAccessibleDescription(f"{drawing.width:.0f} by {drawing.height:.0f} mm")
        self.update()

    def lay_under(self, photo: QImage | None, as_laid: Laid | None, off_mm: float = 0.0) -> None:
        """A photo under the drawing, where it lies on a face that begins `off_mm` from the drawing's edge."""
        self._photo = None
        if photo is not None and as_laid is not None:
            moved = replace(as_laid, x_mm=as_laid.x_mm + off_mm, y_mm=as_laid.y_mm + off_mm)
            self._photo = (photo, moved)
        self.update()

    def _scale(self) -> float:
        assert self._drawing is not None
        room = self.rect().adjusted(4, 4, -4, -4)
        most = MOST_PX_MM * theme.scale
        return min(room.width() / self._drawing.width, room.height() / self._drawing.height, most)

    def _sheet(self) -> QRectF:
        assert self._drawing is not None
        scale = self._scale()
        wide, high = self._drawing.width * scale, self._drawing.height * scale
        return QRectF((self.width() - wide) / 2, 4, wide, high)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._drawing is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        sheet = self._sheet()
        # Paper is white by night as well: it shows what is printed.
        painter.fillRect(sheet.adjusted(-4, -4, 4, 4), QColor("white"))
        if self._photo is not None:
            self._paint_photo(painter, sheet)
        self._renderer.render(painter, sheet)

    def _paint_photo(self, painter: QPainter, sheet: QRectF) -> None:
        assert self._photo is not None
        photo, lies = self._photo
        painter.save()
        painter.setClipRect(sheet)
        painter.translate(sheet.topLeft())
        painter.scale(self._scale(), self._scale())
        painter.translate(lies.x_mm, lies.y_mm)
        painter.rotate(math.degrees(lies.turn))
        painter.scale(lies.scale, lies.scale)
        # Faint, so that the drawing stays what is looked at.
        painter.setOpacity(0.55)
        painter.drawImage(0, 0, photo)
        painter.restore()

    def _at(self, event: QMouseEvent) -> QPointF:
        sheet, scale = self._sheet(), self._scale()
        return QPointF((event.position().x() - sheet.x()) / scale, (event.position().y() - sheet.y()) / scale)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drawing is not None and event.button() == Qt.MouseButton.LeftButton:
            at = self._at(event)
            self.pressed.emit(at.x(), at.y())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._drawing is not None:
            at = self._at(event)
            self.dragged.emit(at.x(), at.y())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.released.emit()
