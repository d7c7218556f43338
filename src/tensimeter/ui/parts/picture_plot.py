"""A test's picture on the screen: points with whiskers and verdicts, lines with their names, a band."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetricsF, QResizeEvent
from PyQt6.QtWidgets import QWidget

from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.testplan.picture import Picture
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.verdict_square import verdict_colour
from tensimeter.ui.theme import theme


class PicturePlot(Plot):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("", "", parent)
        self.setAccessibleName("plot of the test")
        self.setMouseEnabled(x=False, y=False)
        self._picture: Picture | None = None

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
        self.clear()
        self.name_axis("bottom", picture.across)
        self.name_axis("left", picture.up)
        if picture.band is not None:
            self._band(picture.band)
        self._fit(picture)
        for line in picture.lines:
            self._line(line.name, line.x, line.y, line.role)
        if picture.joined and len(picture.spots) > 1:
            x, y = np.array([(s.x, s.y) for s in picture.spots]).T
            self.plot(x, y, pen=pg.mkPen(theme.colour("pencil"), width=1))
        for spot in picture.spots[-2000:]:
            self._spot(spot.x, spot.y, spot.half, spot.verdict)
        self._name_points(picture)
        if not picture.spots:
            box = self.viewRange()
            self.write(
                "nothing read yet", float(np.mean(box[0])), float(np.mean(box[1])), "pencil", (0.5, 0.5)
            )

    def _band(self, ends: tuple[float, float]) -> None:
        self.addItem(
            pg.LinearRegionItem(
                ends,
                orientation="horizontal",
                movable=False,
                brush=theme.colour("holds", 0.10),
                pen=pg.mkPen(theme.colour("holds"), width=1),
            ),
            ignoreBounds=True,
        )

    def _fit(self, picture: Picture) -> None:
        x = [s.x for s in picture.spots] + [float(v) for line in picture.lines for v in line.x]
        y = [e for s in picture.spots for e in (s.y - s.half, s.y + s.half)]
        y += [float(v) for line in picture.lines for v in line.y]
        if picture.band is not None:
            y += [e for e in picture.band if np.isfinite(e)]
        if picture.names:
            x += [-0.5, len(picture.names) - 0.5]
        for values, set_range in ((x, self.setXRange), (y, self.setYRange)):
            if not values:
                values = [0.0, 1.0]
            low, high = min(values), max(values)
            margin = 0.09 * max(high - low, 1e-3 * max(abs(high), 1e-3))
            set_range(low - margin, high + 1.6 * margin, padding=0)

    def _line(self, name: str, x: np.ndarray, y: np.ndarray, role: str) -> None:
        if role == "path":
            self.plot(x, y, pen=pg.mkPen(theme.colour("pencil"), width=1))
            return
        colour = "prediction" if role == "prediction" else "ink"
        style = Qt.PenStyle.DashLine if role == "prediction" else Qt.PenStyle.SolidLine
        self.plot(x, y, pen=pg.mkPen(theme.colour(colour), width=2, style=style))
        if len(x) == 2 and x[0] == x[1]:
            # Two upright lines that nearly meet are named on their outer sides.
            high = role == "prediction"
            at = (float(x[0]), float(max(y) if high else min(y)))
            self.write(name, *at, colour, (-0.04, 0.0) if high else (1.04, 1.0))
        elif len(y) == 2 and y[0] == y[1]:
            # A level line is named where it begins, so that one that rises to it keeps its own end.
            self.write(name, float(x[0]), float(y[0]), colour, (0.0, 1.05))
        else:
            self.write(name, float(x[-1]), float(y[-1]), colour, (1.0, 1.15))

    def _spot(self, x: float, y: float, half: float, verdict: Verdict | None) -> None:
        colour = theme.colour(verdict_colour(verdict) if verdict is not None else "ink")
        pen = pg.mkPen(colour, width=1.5)
        if half:
            self.addItem(
                pg.ErrorBarItem(x=np.array([x]), y=np.array([y]), height=2 * half, beam=0.0, pen=pen)
            )
        full = verdict in (None, Verdict.CONFORMS)
        brush = colour if full else theme.colour("paper")
        size = theme.px(7 if verdict is None else 12)
        self.addItem(pg.ScatterPlotItem([x], [y], symbol="d", size=size, pen=pen, brush=brush))

    def _name_points(self, picture: Picture) -> None:
        axis = self.getAxis("bottom")
        if not picture.names:
            axis.setTicks(None)
            return
        room = max(self.width() - 90, 60) / len(picture.names)
        metrics = QFontMetricsF(theme.font(9))
        cut = [metrics.elidedText(n, Qt.TextElideMode.ElideRight, room - 16) for n in picture.names]
        axis.setTicks([list(enumerate(cut))])
