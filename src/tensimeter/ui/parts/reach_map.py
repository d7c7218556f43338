"""The reach map: volts across, amps up; what an output can deliver, and what stops it at each border."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QFontMetricsF, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QWidget

from tensimeter.core.design.reach import Border, Borders, Reach
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.quantity import fixed, localised
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.verdict_square import verdict_colour
from tensimeter.ui.theme import theme

#: How far an arrow key moves the operating point, as shares of the map.
STEP = 0.01


@dataclass(frozen=True)
class Drawn:
    """All that a map shows: the reach, what a load sinks, other variants, points of tests, the point."""

    reach: Reach
    point: tuple[float, float]
    load: tuple[str, np.ndarray] | None = None
    others: tuple[tuple[str, tuple[Border, ...]], ...] = ()
    steps: tuple[tuple[float, float, Verdict], ...] = ()
    band: Borders | None = None


class ReachMap(Plot):
    """Solid: for good. Dotted: for minutes. A click or the arrow keys move the operating point."""

    picked = pyqtSignal(float, float)
    pointed = pyqtSignal(float, float)
    left = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("output volts", "amps", parent)
        self.setAccessibleName("reach map; arrow keys move the operating point")
        self.setMouseEnabled(x=False, y=False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.scene().sigMouseClicked.connect(self._on_click)
        self.scene().sigMouseMoved.connect(self._on_move)
        self._drawn: Drawn | None = None

    def restyle(self) -> None:
        super().restyle()
        if shown := getattr(self, "_drawn", None):
            self.show_reach(shown)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        # Names find their places anew.
        if shown := getattr(self, "_drawn", None):
            self.show_reach(shown)

    def show_reach(self, drawn: Drawn) -> None:
        self._drawn = drawn
        self.clear()
        reach = drawn.reach
        border, longer = reach.border(), reach.border(timed=True)
        top = self._top(drawn, longer)
        self.setYRange(0, top * 1.12, padding=0)
        self.setXRange(0, float(reach.volts[-1]) * 1.02, padding=0)
        self._fill(border, longer)
        if drawn.band is not None:
            for ends in (drawn.band.low, drawn.band.high):
                self.plot(drawn.band.volts, ends, pen=pg.mkPen(theme.colour("prediction", 0.6), width=1))
        for volts, amps, verdict in drawn.steps:
            colour = theme.colour(verdict_colour(verdict))
            fill = colour if verdict is Verdict.CONFORMS else theme.colour("paper")
            pen = pg.mkPen(colour, width=1.5)
            self.addItem(
                pg.ScatterPlotItem([volts], [amps], symbol="s", size=theme.px(9), pen=pen, brush=fill)
            )
        self._taken: list[QRectF] = []
        self._mark(*drawn.point)
        self._name_limits(border, longer)
        if drawn.load is not None:
            self._sinks(*drawn.load, top)
        for name, other in drawn.others:
            self._outline(other, name)

    @staticmethod
    def _top(drawn: Drawn, longer: list[Border]) -> float:
        amps = [b.amps for b in longer] + [a for _, a, _ in drawn.steps] + [drawn.point[1]]
        return max(float(np.nanmax(amps)), 1e-3)

    def _fill(self, border: list[Border], longer: list[Border]) -> None:
        x = np.array([b.volts for b in border])
        stays = np.nan_to_num([b.amps for b in border])
        timed = np.maximum(np.nan_to_num([b.amps for b in longer]), stays)
        base = pg.PlotDataItem(x, np.zeros_like(x))
        low, high = pg.PlotDataItem(x, stays), pg.PlotDataItem(x, timed)
        self.addItem(pg.FillBetweenItem(base, low, brush=theme.colour("prediction", 0.26)))
        if (timed > stays + 1e-9).any():
            dots = QBrush(theme.colour("prediction", 0.75), Qt.BrushStyle.Dense6Pattern)
            self.addItem(pg.FillBetweenItem(low, high, brush=dots))
            self.plot(x, timed, pen=pg.mkPen(theme.colour("prediction"), width=1, style=Qt.PenStyle.DashLine))
        self.plot(x, stays, pen=pg.mkPen(theme.colour("prediction"), width=2))

    def _outline(self, border: Sequence[Border], words: str) -> None:
        x = np.array([b.volts for b in border])
        y = np.nan_to_num([b.amps for b in border])
        self.plot(x, y, pen=pg.mkPen(theme.colour("ink"), width=1.5, style=Qt.PenStyle.DashDotLine))
        for k in (len(x) // 3, len(x) // 2, 2 * len(x) // 3, len(x) // 6):
            if self._place(words, float(x[k]), float(y[k]), "ink", ((0.0, 0.0), (0.0, 1.0))):
                return

    def _sinks(self, name: str, amps: np.ndarray, top: float) -> None:
        volts = present(self._drawn).reach.volts
        pen = pg.mkPen(theme.colour("ink"), width=1.5, style=Qt.PenStyle.DotLine)
        self.plot(volts, np.minimum(amps, top * 1.3), pen=pen)
        inside = np.flatnonzero(amps < top * 0.98)
        late = inside[inside > len(volts) * 0.3]
        for k in (*late[::-6], *late[-1:]):
            if self._place(
                f"{name} sinks", float(volts[k]), float(amps[k]), "ink", ((1.0, -0.1), (1.0, 1.0))
            ):
                return

    def _name_limits(self, border: list[Border], longer: list[Border]) -> None:
        """A name on each stretch of the border that is wide enough to carry it."""
        for lines, ending in ((border, ""), (longer, ", for minutes")):
            for name, run in groupby(enumerate(lines), key=lambda pair: pair[1].limiter):
                stretch = [(k, b) for k, b in run if np.isfinite(b.amps)]
                if ending:
                    stretch = [(k, b) for k, b in stretch if b.amps > np.nan_to_num(border[k].amps) + 0.02]
                if not name or not stretch:
                    continue
                free = bool(ending) or all(longer[k].amps <= b.amps + 0.02 for k, b in stretch)
                sides = ((0.5, 1.0), (0.5, 0.0)) if free else ((0.5, 0.0),)
                count = len(stretch)
                for share in (0.5, 0.3, 0.7, 0.15, 0.85):
                    here = stretch[min(int(share * count), count - 1)][1]
                    if self._place(name + ending, here.volts, here.amps, "prediction", sides):
                        break

    def _place(
        self, words: str, x: float, y: float, colour: str, anchors: Sequence[tuple[float, float]]
    ) -> bool:
        """Write words at the first anchor where they lie inside the map and on no others."""
        metrics = QFontMetricsF(theme.font(9))
        width, height = metrics.horizontalAdvance(words) + theme.px(8), metrics.height() + theme.px(6)
        room = self.getPlotItem().vb.rect()
        (left, right), (bottom, top) = self.getPlotItem().vb.viewRange()
        at_x = (x - left) / (right - left) * room.width()
        at_y = (top - y) / (top - bottom) * room.height()
        for anchor in anchors:
            box = QRectF(at_x - anchor[0] * width, at_y - anchor[1] * height, width, height)
            inside = box.left() >= 0 and box.top() >= 0 and box.right() <= room.width()
            if inside and box.bottom() <= room.height() and not any(box.intersects(r) for r in self._taken):
                self._taken.append(box)
                self.write(words, x, y, colour, anchor)
                return True
        return False

    def _mark(self, volts: float, amps: float) -> None:
        self.plot([volts, volts], [0, amps], pen=pg.mkPen(theme.colour("ink"), width=1))
        ring, size = pg.mkPen(theme.colour("ink"), width=2), theme.px(16)
        hollow = pg.mkBrush(None)
        self.addItem(pg.ScatterPlotItem([volts], [amps], symbol="o", size=size, pen=ring, brush=hollow))
        words = f"{fixed(volts, 'V')} {fixed(amps, 'A')}{self._stay(volts, amps)}"
        self._place(words, volts, amps, "ink", ((-0.08, 1.2), (1.08, 1.2), (-0.08, -0.2), (1.08, -0.2)))

    def _stay(self, volts: float, amps: float) -> str:
        """How long the point may be held, where that is not for good."""
        reach = present(self._drawn).reach
        k = int(np.argmin(np.abs(reach.volts - volts)))
        m = int(np.argmin(np.abs(reach.amps - amps)))
        minutes = float(reach.minutes[k, m])
        if np.isinf(minutes):
            return ""
        return " · out of reach" if minutes <= 0 else f" · {localised(f'{minutes:.2g}')} min from cold"

    # -- hands ----------------------------------------------------------------------------------

    def _spot(self, scene_position: QPointF) -> tuple[float, float]:
        spot = self.getPlotItem().vb.mapSceneToView(scene_position)
        reach = present(self._drawn).reach
        first, last, top = float(reach.volts[0]), float(reach.volts[-1]), float(reach.amps[-1])
        return min(max(spot.x(), first), last), min(max(spot.y(), 0.0), top)

    def _on_click(self, event: object) -> None:
        if self._drawn is not None:
            self.picked.emit(*self._spot(event.scenePos()))  # type: ignore[attr-defined]

    def _on_move(self, position: QPointF) -> None:
        if self._drawn is None:
            return
        if self.getPlotItem().vb.sceneBoundingRect().contains(position):
            self.pointed.emit(*self._spot(position))
        else:
            self.left.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key
        steps = {key.Key_Left: (-1, 0), key.Key_Right: (1, 0), key.Key_Up: (0, 1), key.Key_Down: (0, -1)}
        step = steps.get(Qt.Key(event.key()))
        if step is None or self._drawn is None:
            super().keyPressEvent(event)
            return
        reach, (volts, amps) = self._drawn.reach, self._drawn.point
        volts += step[0] * STEP * float(reach.volts[-1])
        amps += step[1] * STEP * float(reach.amps[-1])
        self.picked.emit(max(volts, float(reach.volts[0])), max(amps, 0.0))
