"""The reach map: volts across, amps up; what an output can deliver, and what stops it at each border."""

from collections.abc import Sequence
from itertools import groupby

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QKeyEvent, QPen
from PyQt6.QtWidgets import QWidget

from tensimeter.core.design.reach import Border, Borders, Reach
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.quantity import fixed, localised
from tensimeter.ui.parts.figures_table import Figures
from tensimeter.ui.parts.paper import Paper
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.verdict_square import verdict_colour
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

#: How far an arrow key moves the operating point, as shares of the map.
STEP = 0.01


class Drawn(Struct, frozen=True):
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
        self.setAccessibleName(tr("reach map; arrow keys move the operating point"))
        self.setMouseEnabled(x=False, y=False)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.scene().sigMouseClicked.connect(self._on_click)
        self.scene().sigMouseMoved.connect(self._on_move)
        self._drawn: Drawn | None = None
        #: The border for good and for minutes of the reach that is shown.
        self._border: tuple[list[Border], list[Border]] = ([], [])
        self.paper = Paper(self.getPlotItem().vb, self._paint)

    def restyle(self) -> None:
        super().restyle()
        if paper := getattr(self, "paper", None):
            paper.renew()

    def show_reach(self, drawn: Drawn) -> None:
        if self._drawn is None or drawn.reach is not self._drawn.reach:
            self._border = drawn.reach.border(), drawn.reach.border(timed=True)
        self._drawn = drawn
        self.setYRange(0, self._top(drawn) * 1.12, padding=0)
        self.setXRange(0, float(drawn.reach.volts[-1]) * 1.02, padding=0)
        self.paper.renew()

    def figures(self) -> Figures:
        """Its border: volts, amps for good and for minutes, and what limits them."""
        border, longer = self._border
        rows = tuple((b.volts, b.amps, long.amps, b.limiter) for b, long in zip(border, longer, strict=True))
        return Figures(("output volts", "amps for good", "amps for minutes", "limited by"), rows)

    def _top(self, drawn: Drawn) -> float:
        amps = [b.amps for b in self._border[1]] + [a for _, a, _ in drawn.steps] + [drawn.point[1]]
        return max(float(np.nanmax(amps)), 1e-3)

    def _paint(self, paper: Paper) -> None:
        drawn = self._drawn
        if drawn is None:
            return
        self._fill(paper)
        if drawn.band is not None:
            for ends in (drawn.band.low, drawn.band.high):
                paper.line(drawn.band.volts, ends, QPen(theme.colour("prediction", 0.6), 1))
        for volts, amps, verdict in drawn.steps:
            colour = theme.colour(verdict_colour(verdict))
            fill = colour if verdict is Verdict.CONFORMS else theme.colour("paper")
            paper.square(volts, amps, theme.px(9), QPen(colour, 1.5), fill)
        self._mark(paper, *drawn.point)
        self._name_limits(paper)
        if drawn.load is not None:
            self._sinks(paper, *drawn.load)
        for name, other in drawn.others:
            self._outline(paper, other, name)

    def _fill(self, paper: Paper) -> None:
        border, longer = self._border
        x = np.array([b.volts for b in border])
        stays = np.nan_to_num([b.amps for b in border])
        timed = np.maximum(np.nan_to_num([b.amps for b in longer]), stays)
        paper.fill(x, np.zeros_like(x), stays, QBrush(theme.colour("prediction", 0.26)))
        if (timed > stays + 1e-9).any():
            dots = QBrush(theme.colour("prediction", 0.75), Qt.BrushStyle.Dense6Pattern)
            paper.fill(x, stays, timed, dots)
            paper.line(x, timed, QPen(theme.colour("prediction"), 1, Qt.PenStyle.DashLine))
        paper.line(x, stays, QPen(theme.colour("prediction"), 2))

    def _outline(self, paper: Paper, border: Sequence[Border], words: str) -> None:
        x = np.array([b.volts for b in border])
        y = np.nan_to_num([b.amps for b in border])
        paper.line(x, y, QPen(theme.colour("ink"), 1.5, Qt.PenStyle.DashDotLine))
        for k in (len(x) // 3, len(x) // 2, 2 * len(x) // 3, len(x) // 6):
            if paper.words(words, float(x[k]), float(y[k]), "ink", ((0.0, 0.0), (0.0, 1.0))):
                return

    def _sinks(self, paper: Paper, name: str, amps: np.ndarray) -> None:
        drawn = present(self._drawn)
        volts, top = drawn.reach.volts, self._top(drawn)
        paper.line(volts, np.minimum(amps, top * 1.3), QPen(theme.colour("ink"), 1.5, Qt.PenStyle.DotLine))
        inside = np.flatnonzero(amps < top * 0.98)
        late = inside[inside > len(volts) * 0.3]
        for k in (*late[::-6], *late[-1:]):
            where = float(volts[k]), float(amps[k])
            if paper.words(f"{name} sinks", *where, "ink", ((1.0, -0.1), (1.0, 1.0))):
                return

    def _name_limits(self, paper: Paper) -> None:
        """A name on each stretch of the border that is wide enough to carry it."""
        border, longer = self._border
        stays = np.nan_to_num([b.amps for b in border])
        for lines, ending in ((border, ""), (longer, ", for minutes")):
            for name, run in groupby(enumerate(lines), key=lambda pair: pair[1].limiter):
                stretch = [(k, b) for k, b in run if np.isfinite(b.amps)]
                if ending:
                    stretch = [(k, b) for k, b in stretch if b.amps > stays[k] + 0.02]
                if not name or not stretch:
                    continue
                free = bool(ending) or all(longer[k].amps <= b.amps + 0.02 for k, b in stretch)
                sides = ((0.5, 1.0), (0.5, 0.0)) if free else ((0.5, 0.0),)
                count = len(stretch)
                for share in (0.5, 0.3, 0.7, 0.15, 0.85):
                    here = stretch[min(int(share * count), count - 1)][1]
                    if paper.words(name + ending, here.volts, here.amps, "prediction", sides):
                        break

    def _mark(self, paper: Paper, volts: float, amps: float) -> None:
        paper.line([volts, volts], [0, amps], QPen(theme.colour("ink"), 1))
        paper.ring(volts, amps, theme.px(16), QPen(theme.colour("ink"), 2))
        words = f"{fixed(volts, 'V')} {fixed(amps, 'A')}{self._stay(volts, amps)}"
        sides = ((-0.08, 1.2), (1.08, 1.2), (-0.08, -0.2), (1.08, -0.2))
        paper.words(words, volts, amps, "ink", sides)

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
