"""A photo on which places are marked: a trim, a test point, a connector."""

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.assembly_edits import with_mark, without_mark
from tensimeter.core.model.job import Mark
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: How far an arrow key moves the place to be marked, as a share of the picture.
STEP = 0.02


class _Picture(QLabel):
    """The picture with its numbered marks; a click or the arrows choose where the next one goes."""

    def __init__(self, owner: "MarkedPhoto", pixmap: QPixmap) -> None:
        super().__init__()
        self.owner = owner
        self.setPixmap(pixmap)
        self.setFixedSize(pixmap.size())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(8.5, bold=True))
        for number, mark in enumerate(self.owner.marks(), 1):
            self._ring(painter, mark.x, mark.y, str(number))
        if self.hasFocus() or self.owner.place_set:
            self._ring(painter, *self.owner.place, "+")

    def _ring(self, painter: QPainter, x: float, y: float, text: str) -> None:
        size = theme.px(18)
        box = QRectF(x * self.width() - size / 2, y * self.height() - size / 2, size, size)
        painter.setBrush(theme.colour("sheet", 0.85))
        painter.setPen(QPen(theme.colour("miss"), 2))
        painter.drawEllipse(box)
        painter.setPen(theme.colour("ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at: QPointF = event.position()
        self.owner.choose(at.x() / self.width(), at.y() / self.height())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key, (x, y) = Qt.Key, self.owner.place
        moves = {key.Key_Left: (-1, 0), key.Key_Right: (1, 0), key.Key_Up: (0, -1), key.Key_Down: (0, 1)}
        move = moves.get(Qt.Key(event.key()))
        if move is None:
            super().keyPressEvent(event)
            return
        self.owner.place = (min(max(x + move[0] * STEP, 0), 1), min(max(y + move[1] * STEP, 0), 1))
        self.update()


class MarkedPhoto(QWidget):
    def __init__(self, session: Session, photo: int, name: str, pixmap: QPixmap) -> None:
        super().__init__()
        self.session, self.photo = session, photo
        self.place, self.place_set = (0.5, 0.5), False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.picture = _Picture(self, pixmap)
        self.picture.setAccessibleName(tr("photo {0}; arrows choose a place to mark").format(name))
        column.addWidget(self.picture)
        self.what = Field()
        self.what.setPlaceholderText(tr("mark a place: trim, test point, connector"))
        self.what.setAccessibleName(tr("what is at the marked place"))
        self.what.returnPressed.connect(self.mark)
        column.addWidget(self.what)
        box = QWidget()
        self._list = QVBoxLayout(box)
        self._list.setContentsMargins(0, 0, 0, 0)
        column.addWidget(box)
        session.job_changed.connect(self.refresh)
        self.refresh()

    def marks(self) -> list[Mark]:
        return [m for m in self.session.job.assembly.marks if m.photo == self.photo]

    def choose(self, x: float, y: float) -> None:
        self.place, self.place_set = (x, y), True
        self.picture.update()
        self.what.setFocus()

    def mark(self) -> None:
        try:
            job = with_mark(self.session.job, self.photo, *self.place, self.what.text())
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        if self.session.edit(f"{self.what.text()} marked on a photo", job):
            self.what.empty()
            self.place_set = False

    def refresh(self) -> None:
        clear(self._list)
        for number, mark in enumerate(self.marks(), 1):
            button = QPushButton(tr("{0}  {1}   take off").format(number, mark.text))
            button.setProperty("kind", "quiet")
            button.clicked.connect(lambda _=False, mark=mark: self._take_off(mark))
            self._list.addWidget(button)
        if not self.marks():
            self._list.addWidget(
                label(tr("Click where something is, then write what."), "caption", wrap=True)
            )
        self.picture.update()

    def _take_off(self, mark: Mark) -> None:
        self.session.edit(f"{mark.text} taken off a photo", without_mark(self.session.job, mark))
