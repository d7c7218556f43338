"""The path strip: the way from the wall to the output in hand, laid out by the program."""

import time
from functools import partial

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QFrame, QSizePolicy, QWidget

from tensimeter.bench.events import ENDS, Event
from tensimeter.core.held.points import shown_A
from tensimeter.core.path import OutputLink, UnitLink
from tensimeter.core.quantity import fixed, show, show_at_least
from tensimeter.core.rating.ladder import ranked
from tensimeter.core.testplan.evaluation import rates
from tensimeter.ui.parts.margin_bar import paint_bar
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class Cell(Struct, frozen=True):
    """What one card of the strip says."""

    link: str
    name: str
    volts: float | None
    amps: float | None
    fraction: float | None
    limit: str
    stacked: bool = False


class LinkButton(QAbstractButton):
    """One link of the strip: it is painted with the strip, and told and clicked by itself."""

    def paintEvent(self, event: object) -> None:
        """The strip paints it."""


class PathStrip(QFrame):
    """Cards of links with volts, amps and the limit that is nearest; a click makes one the subject."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._live: Event | None = None
        self._boxes: list[tuple[QRectF, str]] = []
        self._buttons: list[LinkButton] = []
        self.cells: list[Cell] = []
        self.also: list[str] = []
        self._shown: object = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(tr("path strip"))
        for signal in (
            session.job_changed,
            session.subject_changed,
            session.point_changed,
            session.readings_changed,
            session.judged,
        ):
            signal.connect(self.refresh)
        session.run_event.connect(self._on_run_event)
        theme.changed.connect(self.refresh)
        self.refresh()

    def sizeHint(self) -> QSize:
        return QSize(theme.px(900), self._height)

    def minimumSizeHint(self) -> QSize:
        return QSize(theme.px(300), self._height)

    @property
    def _height(self) -> int:
        """That of its cards; a line of words needs less."""
        return theme.px(80 if self.cells else 36)

    def refresh(self) -> None:
        here = (self.session.subject, self.session.output_id, theme.night, theme.scale)
        shown = (*self._build(), self.mode(), here)
        if shown == self._shown:
            return
        self._shown = shown
        self.cells, self.also = shown[0], shown[1]
        self.setAccessibleDescription(f"{shown[2]}. {'; '.join(_spoken(c) for c in self.cells)}")
        self.updateGeometry()
        self.update()

    def mode(self) -> str:
        """In words, whether the figures are predicted, live or proven."""
        session = self.session
        if self._live is not None and session.running:
            return f"live, {time.strftime('%H:%M:%S')}"
        read = session.test_id is not None and session.now.was_read(session.test_id)
        result, output = session.outcome if read else None, session.output_id
        if output is None:
            return ""
        amps = session.load.get(output, 0.0)
        if not session.now.solved:
            if result and result.regulation:
                return f"line of the readings at {show(amps, 'A', 3)}"
            read_V = {r.scan for r in session.now.readings if (r.place, r.quantity) == (output, "V")}
            name = session.job.output(output).name
            count = len(read_V)
            return f"{count} reading{'s' * (count != 1)} of {name}" if count else "nothing read yet"
        tried = session.now.volts
        at_volts = f"{show(tried[1], 'V', 4)} " if tried and tried[0] == output else ""
        ambient = show(session.job.settings.ambient_C, "C", 3)
        text = f"predicted at {at_volts}{show(amps, 'A', 3)}, {ambient}"
        if result and result.plan.output.id == output:
            shown = shown_A(result) if rates(result) else None
            if shown:
                word = f"{result.pretended} up to" if result.pretended else "proven to"
                text += f" · {word} {show_at_least(shown, 'A')}"
        return text

    def _build(self) -> tuple[list[Cell], list[str]]:
        session, job = self.session, self.session.job
        output = session.output_id
        if output is None:
            return [], []
        cells = [self._cell(link.id) for link in job.design.path_to(output)]
        also = []
        for other in job.design.outputs():
            if other.id != output:
                solved = session.now.solved
                volts = float(solved[1][other.id].V) if solved else None
                amps = session.load.get(other.id, 0.0)
                also.append(f"{other.name}  {fixed(volts, 'V')}  {fixed(amps, 'A')}")
        return cells, also

    def _cell(self, link_id: str) -> Cell:
        session = self.session
        link = session.job.design.link(link_id)
        solved = session.now.solved
        live = self._live if session.running and link_id == session.output_id else None
        if live is not None:
            return Cell(link.id, link.name, live.volts, live.amps, None, "as read")
        if solved is None:
            fit = session.outcome.regulation if session.outcome else None
            amps = session.load.get(link_id)
            volts = None
            if fit and amps is not None:
                volts = fit.no_load_V.value - fit.output_resistance_ohm.value * amps
            word = "from readings" if volts is not None else "no path to solve"
            return Cell(link.id, link.name, volts, amps, None, word)
        _, solution, limits = solved
        point = solution[link_id]
        volts = float(point.V)
        if isinstance(link, UnitLink) and link.fed_by:
            volts -= float(solution[link.fed_by].V)
        own = ranked([limit for limit in limits if limit.link == link_id])
        fraction = float(own[0].fraction) if own else None
        word = own[0].short if own else ""
        if isinstance(link, OutputLink):
            over_all = ranked(
                [
                    limit
                    for limit in limits
                    if limit.link in {p.id for p in session.job.design.path_to(link_id)}
                ]
            )
            if over_all:
                fraction, word = float(over_all[0].fraction), over_all[0].name
        stacked = isinstance(link, UnitLink) and link.fed_by is not None
        return Cell(link.id, link.name, volts, float(point.I), fraction, word, stacked)

    def _on_run_event(self, event: Event) -> None:
        if event.kind in ("live", "kept"):
            self._live = event
            self.refresh()
        elif event.kind in ENDS | {"started"}:
            self._live = None
            self.refresh()

    # -- painting -------------------------------------------------------------------------------

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._boxes = []
        if not self.cells:
            painter.setPen(theme.colour("pencil"))
            painter.drawText(
                self.rect(),
                Qt.AlignmentFlag.AlignVCenter,
                "No path yet: type a nameplate in Stock, then join parts in Design.",
            )
            return
        left, gap = 0.0, theme.px(18)
        joints = gap * (len(self.cells) - 1) + 2
        also_w = theme.px(196) if self.also else 0
        if (self.width() - also_w - joints) / len(self.cells) < theme.px(110):
            # The other outlets are in the outline too; the path itself must stay readable.
            also_w = 0
        width = min(theme.px(168), (self.width() - also_w - joints) / len(self.cells))
        if also_w:
            # A short path leaves room for whole names.
            left_over = int(self.width() - (width + gap) * len(self.cells))
            also_w = max(also_w, min(left_over, theme.px(300)))
        height = theme.px(66)
        for k, cell in enumerate(self.cells):
            box = QRectF(left + 1, theme.px(6), width, height)
            self._card(painter, box, cell, last=k == len(self.cells) - 1)
            self._boxes.append((box, cell.link))
            if k < len(self.cells) - 1:
                self._joint(painter, box.right(), box.center().y(), gap, self.cells[k + 1].stacked)
            left += width + gap
        if also_w:
            self._also(painter, self.width() - also_w + theme.px(10), also_w - theme.px(10))
        self._place_buttons()

    def _place_buttons(self) -> None:
        """A button over each link, where it was painted."""
        while len(self._buttons) < len(self._boxes):
            button = LinkButton(self)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(partial(self._choose, len(self._buttons)))
            self._buttons.append(button)
        said = [_spoken(c) for c in self.cells] + self.also
        for k, button in enumerate(self._buttons):
            button.setVisible(k < len(self._boxes))
            if k < len(self._boxes):
                button.setGeometry(self._boxes[k][0].toAlignedRect())
                button.setAccessibleName(said[k])

    def _choose(self, k: int, _: bool = False) -> None:
        self.setFocus()
        self.session.choose(self._boxes[k][1])

    def _card(self, painter: QPainter, box: QRectF, cell: Cell, *, last: bool) -> None:
        chosen = cell.link == self.session.subject
        painter.setBrush(theme.colour("sheet"))
        painter.setPen(QPen(theme.colour("ink" if chosen else "rule"), 2 if chosen else 1))
        painter.drawRoundedRect(box, 2, 2)
        if chosen and self.hasFocus():
            painter.setPen(QPen(theme.colour("prediction"), 1))
            painter.drawRoundedRect(box.adjusted(3, 3, -3, -3), 1, 1)
        inner = box.adjusted(theme.px(7), theme.px(4), -theme.px(7), -theme.px(4))
        line = inner.height() / 4
        painter.setPen(theme.colour("ink"))
        painter.setFont(theme.font(9, bold=True))
        self._fit(painter, QRectF(inner.left(), inner.top(), inner.width(), line), cell.name)
        painter.setFont(theme.font(11 if box.width() > theme.px(126) else 9.5, bold=last))
        row = QRectF(inner.left(), inner.top() + line, inner.width(), line * 1.4)
        painter.drawText(
            row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, fixed(cell.volts, "V")
        )
        if box.width() >= theme.px(100):
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(row, right, fixed(cell.amps, "A"))
        if cell.fraction is not None:
            bar = QRectF(inner.left(), inner.top() + line * 2.55, inner.width(), theme.px(4))
            paint_bar(painter, bar, cell.fraction)
        painter.setFont(theme.font(8.5))
        over = cell.fraction is not None and cell.fraction > 1
        painter.setPen(theme.colour("miss" if over else "pencil"))
        word = f"over: {cell.limit}" if over else cell.limit
        self._fit(painter, QRectF(inner.left(), inner.bottom() - line, inner.width(), line), word)

    def _fit(self, painter: QPainter, box: QRectF, text: str) -> None:
        elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, round(box.width()))
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, elided)

    def _joint(self, painter: QPainter, x: float, y: float, gap: float, stacked: bool) -> None:
        painter.setPen(QPen(theme.colour("pencil"), 1.3))
        middle, arm = x + gap / 2, theme.px(4)
        if stacked:
            painter.drawLine(QPointF(middle - arm, y), QPointF(middle + arm, y))
            painter.drawLine(QPointF(middle, y - arm), QPointF(middle, y + arm))
            return
        painter.drawLine(QPointF(x + 2, y), QPointF(x + gap - 2, y))
        tip = x + gap - 2
        painter.drawLine(QPointF(tip - arm, y - arm), QPointF(tip, y))
        painter.drawLine(QPointF(tip - arm, y + arm), QPointF(tip, y))

    def _also(self, painter: QPainter, x: float, width: float) -> None:
        others = [o for o in self.session.job.design.outputs() if o.id != self.session.output_id]
        painter.setFont(theme.font(9))
        painter.setPen(theme.colour("pencil"))
        line = theme.px(19)
        painter.drawText(QRectF(x, theme.px(6), width, line), 0, "also fed")
        painter.setPen(theme.colour("ink"))
        for k, (text, output) in enumerate(zip(self.also[:3], others, strict=False)):
            box = QRectF(x, theme.px(6) + line * (k + 1), width, line)
            self._fit(painter, box, text)
            self._boxes.append((box, output.id))

    # -- hands ----------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        links = [link for _, link in self._boxes] or [c.link for c in self.cells]
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()))
        if step and links:
            at = links.index(self.session.subject) if self.session.subject in links else -step
            self.session.choose(links[(at + step) % len(links)])
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()


def _spoken(cell: Cell) -> str:
    return f"{cell.name} {fixed(cell.volts, 'V')} {fixed(cell.amps, 'A')} {cell.limit}"
