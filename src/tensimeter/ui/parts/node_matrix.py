"""The triangular matrix of nodes: what must be joined, what must be apart, and how each stands."""

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QFrame

from tensimeter.core.measurement.readings import HEARD
from tensimeter.core.procedure.matrix import Checked
from tensimeter.core.quantity import fixed
from tensimeter.ui.parts.figures_table import Figures, FiguresTable, SpeaksFigures
from tensimeter.ui.parts.verdict_square import paint_verdict
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

_SIGN = {"joined": "=", "apart": "≠", "not_shorted": ">", "diode": "▸", "either": "?"}


class NodeMatrix(QFrame, SpeaksFigures):
    """Rows by name, columns by the row's letters; a click or the arrows choose a pair."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.found: Sequence[Checked] = ()
        self.place = ""
        self._nodes: list[str] = []
        self._names: dict[str, str] = {}
        self._boxes: dict[str, QRectF] = {}
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("isolation and continuity matrix"))
        FiguresTable(self, "isolation and continuity, as a table", self)

    def show_pairs(self, found: Sequence[Checked], place: str) -> None:
        self.found, self.place = found, place
        self._names = {}
        for check in found:
            for node in (check.pair.first, check.pair.second):
                self._names.setdefault(node.id, node.name)
        self._nodes = list(self._names)
        said = "; ".join(f"{c.pair.name} {c.pair.expected}: {c.verdict.words}" for c in found)
        self.setAccessibleDescription(said)
        self.setFixedSize(self.sizeHint())
        self.update()

    def figures(self) -> Figures:
        """Each pair: what it must be, what was read, how it stands."""
        rows = tuple((c.pair.name, c.pair.expected, _read(c), c.verdict.words) for c in self.found)
        return Figures(("pair", "must be", "read", "verdict"), rows)

    def _sizes(self) -> tuple[int, int]:
        """Width of the names and side of a cell."""
        return theme.px(138), theme.px(21)

    def sizeHint(self) -> QSize:
        names, side = self._sizes()
        n = len(self._nodes)
        return QSize(names + side * n + 4, side * (n + 1) + 4)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        names, side = self._sizes()
        painter.setFont(theme.font(8.5))
        middle = Qt.AlignmentFlag.AlignVCenter
        for k, node in enumerate(self._nodes):
            painter.setPen(theme.colour("ink"))
            text = f"{_letters(k)}  {self._names[node]}"
            text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, names - 6)
            painter.drawText(QRectF(0, side * (k + 1), names, side), middle, text)
            painter.setPen(theme.colour("pencil"))
            if k < len(self._nodes) - 1:
                box = QRectF(names + side * k, side * k + side * 0.1, side, side)
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, _letters(k))
            painter.setPen(QPen(theme.colour("rule"), 1))
            painter.drawLine(QPointF(names, side * (k + 2)), QPointF(names + side * k, side * (k + 2)))
        self._boxes = {}
        for check in self.found:
            a, b = sorted((self._nodes.index(check.pair.first.id), self._nodes.index(check.pair.second.id)))
            offset = 0.5 if check.pair.kind == "diode" else 0.0
            box = QRectF(names + side * a + 2, side * (b + 1) + 2, side - 4, side - 4)
            if offset:
                box = box.adjusted(box.width() * 0.45, box.height() * 0.45, 0, 0)
            self._boxes[check.pair.place] = box
            paint_verdict(painter, box.adjusted(2, 2, -2, -2), check.verdict)
            if check.reading is None:
                painter.setPen(theme.colour("ink"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, _SIGN[check.pair.kind])
            if check.pair.place == self.place:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(theme.colour("prediction"), 2))
                painter.drawRect(box)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.setFocus()
        hit = [place for place, box in self._boxes.items() if box.contains(event.position())]
        if hit:
            self.chosen.emit(hit[-1])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        places = [check.pair.place for check in self.found]
        forward = event.key() in (Qt.Key.Key_Right, Qt.Key.Key_Down)
        if places and (forward or event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Up)):
            at = places.index(self.place) if self.place in places else -1
            self.chosen.emit(places[(at + (1 if forward else -1)) % len(places)])
        else:
            super().keyPressEvent(event)


def _read(check: Checked) -> str:
    r = check.reading
    if r is None:
        return ""
    if r.range == HEARD:
        return tr("beep")
    return fixed(r.value, r.quantity) if math.isfinite(r.value) else "OL"


def _letters(k: int) -> str:
    """a to z, then aa: pairs have numbers, their nodes letters."""
    return (_letters(k // 26 - 1) if k >= 26 else "") + chr(ord("a") + k % 26)
