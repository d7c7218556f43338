"""A test's picture on the screen: points with whiskers and verdicts, lines with their names, a band."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.testplan.picture import Line, Picture
from tensimeter.ui.parts.figures_table import Cell, Figures, of_lines
from tensimeter.ui.parts.paper import Paper
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.verdict_square import verdict_colour
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

#: So many points at the most are painted, the newest.
MOST_SPOTS = 2000


class PicturePlot(Plot):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("", "", parent)
        self.setAccessibleName(tr("plot of the test"))
        self.setMouseEnabled(x=False, y=False)
        self._picture: Picture | None = None
        self.paper = Paper(self.getPlotItem().vb, self._paint)

    def restyle(self) -> None:
        super().restyle()
        if shown := getattr(self, "_picture", None):
            self.show_picture(shown)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if shown := getattr(self, "_picture", None):
            # Names under the points are cut to the room there is.
            self._name_points(shown)

    def show_picture(self, picture: Picture) -> None:
        self._picture = picture
        self.name_axis("bottom", picture.across)
        self.name_axis("left", picture.up)
        self._fit(picture)
        self._name_points(picture)
        self.paper.renew()

    def figures(self) -> Figures:
        """Its points with their verdicts, and its lines."""
        picture = self._picture
        if picture is None:
            return Figures((), ())
        rows: list[tuple[Cell, ...]] = [
            (s.verdict.words if s.verdict else "point", s.x, s.y, s.half) for s in picture.spots
        ]
        lines = [(line.name or "line", line.x, line.y) for line in picture.lines]
        rows += [(*row, "") for row in of_lines(lines, "", "").rows]
        return Figures(("what", picture.across, picture.up, "±"), tuple(rows))

    def _paint(self, paper: Paper) -> None:
        picture = self._picture
        if picture is None:
            return
        (left, right), (bottom, top) = self.viewRange()
        if picture.band is not None:
            across, (low, high) = np.array([left, right]), picture.band
            seen = np.clip([low, high], bottom, top)
            paper.fill(across, seen[[0, 0]], seen[[1, 1]], QBrush(theme.colour("holds", 0.10)))
            for end in picture.band:
                paper.line(across, np.full(2, end), QPen(theme.colour("holds"), 1))
        for line in picture.lines:
            self._line(paper, line)
        spots = picture.spots[-MOST_SPOTS:]
        if picture.joined and len(spots) > 1:
            x, y = np.array([(s.x, s.y) for s in spots]).T
            paper.line(x, y, QPen(theme.colour("pencil"), 1))
        looks = {verdict: _look(verdict) for verdict in {s.verdict for s in spots}}
        columns = ([s.x for s in spots], [s.y for s in spots], [s.half for s in spots])
        paper.marks(*columns, [looks[s.verdict] for s in spots])
        # Names lie beside the points where there is room, else over them.
        beside = paper.around(*columns[:2], theme.px(12))
        for line in picture.lines:
            paper.taken = [*beside, *paper.taken]
            named = _name_line(paper, line)
            paper.taken = paper.taken[len(beside) :]
            if not named:
                _name_line(paper, line)
        if not picture.spots:
            paper.words("nothing read yet", (left + right) / 2, (bottom + top) / 2, "pencil", _MIDDLE)

    def _fit(self, picture: Picture) -> None:
        x = [s.x for s in picture.spots] + [float(v) for line in picture.lines for v in line.x]
        y = [e for s in picture.spots for e in (s.y - s.half, s.y + s.half)]
        y += [float(v) for line in picture.lines for v in line.y]
        if picture.band is not None:
            y += [e for e in picture.band if np.isfinite(e)]
        if picture.names:
            x += [-0.5, len(picture.names) - 0.5]
        for values, set_range in ((x, self.setXRange), (y, self.setYRange)):
            low, high = (min(values), max(values)) if values else (0.0, 1.0)
            margin = 0.09 * max(high - low, 1e-3 * max(abs(high), 1e-3))
            set_range(low - margin, high + 1.6 * margin, padding=0)

    @staticmethod
    def _line(paper: Paper, line: Line) -> None:
        if line.role == "path":
            paper.line(line.x, line.y, QPen(theme.colour("pencil"), 1))
            return
        style = Qt.PenStyle.DashLine if line.role == "prediction" else Qt.PenStyle.SolidLine
        pen = QPen(theme.colour(_colour(line)), 2, style)
        if len(line.x) == 1:
            paper.ring(float(line.x[0]), float(line.y[0]), theme.px(18), QPen(pen.color(), 1.5))
        paper.line(line.x, line.y, pen)

    def _name_points(self, picture: Picture) -> None:
        axis = self.getAxis("bottom")
        if not picture.names:
            axis.setTicks(None)
            return
        room = max(self.width() - 90, 60) / len(picture.names)
        metrics = QFontMetricsF(theme.font(9))
        cut = [metrics.elidedText(n, Qt.TextElideMode.ElideRight, room - 16) for n in picture.names]
        axis.setTicks([list(enumerate(cut))])


#: Where words lie to their point: in the middle, at a level line's beginning, at the end of any other.
_MIDDLE = ((0.5, 0.5),)
_LEVEL = ((0.0, 1.05), (0.0, -0.05), (-0.3, 1.05), (-0.3, -0.05))
_END = ((1.0, 1.15), (1.0, -0.15), (1.0, 2.2), (1.0, -1.2))


def _colour(line: Line) -> str:
    return "prediction" if line.role == "prediction" else "ink"


def _name_line(paper: Paper, line: Line) -> bool:
    """Write a line's name where it is told apart; whether there was room, or it has none."""
    x, y = line.x, line.y
    if line.role == "path" or not line.name or not len(x):
        return True
    if len(x) == 2 and x[0] == x[1]:
        # Two upright lines that nearly meet are named on their outer sides.
        high = line.role == "prediction"
        heights = (float(max(y)), float(np.mean(y)), float(min(y)))
        sides = ((-0.04, 0.0), (1.04, 0.0)) if high else ((1.04, 1.0), (-0.04, 1.0))
        tried = [(at, side) for side in sides for at in (heights if high else heights[::-1])]
        return any(paper.words(line.name, float(x[0]), at, _colour(line), (side,)) for at, side in tried)
    if len(y) == 2 and y[0] == y[1]:
        # A level line is named where it begins, so that one that rises to it keeps its own end.
        return paper.words(line.name, float(x[0]), float(y[0]), _colour(line), _LEVEL)
    return paper.words(line.name, float(x[-1]), float(y[-1]), _colour(line), _END)


def _look(verdict: Verdict | None) -> tuple[QPen, QColor, float]:
    """Pen, fill and size of a point: full where it holds or nothing is judged."""
    colour = theme.colour(verdict_colour(verdict) if verdict is not None else "ink")
    full = verdict in (None, Verdict.CONFORMS)
    size = theme.px(7 if verdict is None else 12)
    return QPen(colour, 1.5), colour if full else theme.colour("paper"), size
