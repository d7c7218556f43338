"""The plots, on pyqtgraph, in the theme's colours: the load line and the trace view."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QFontMetricsF, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from tensimeter.core.circuit.load_line import LoadLine
from tensimeter.core.measurement.conformity import Band, Verdict
from tensimeter.core.quantity import fixed, localised
from tensimeter.core.testplan.step import Outcome
from tensimeter.ui.parts.figures_table import Cell, Figures, FiguresTable, SpeaksFigures, of_lines
from tensimeter.ui.parts.paper import Paper
from tensimeter.ui.parts.verdict_square import verdict_colour
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme


class _Axis(pg.AxisItem):  # type: ignore[misc]  # pyqtgraph tells no types
    """Tick figures with the decimal mark in use."""

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [localised(s) for s in super().tickStrings(values, scale, spacing)]


class Plot(pg.PlotWidget, SpeaksFigures):  # type: ignore[misc]
    """A plot with the theme's colours and a quiet grid; its figures can be read, copied and kept."""

    def __init__(self, bottom: str, left: str, parent: QWidget | None = None) -> None:
        axes = {"bottom": _Axis("bottom"), "left": _Axis("left")}
        super().__init__(parent, axisItems=axes, enableMenu=False)
        self._names = {"bottom": bottom, "left": left}
        self.setMenuEnabled(False)
        self.hideButtons()
        self.setMinimumHeight(120)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._table: FiguresTable | None = None
        theme.changed.connect(self.restyle)
        self.restyle()

    def figures(self) -> Figures:
        """What it shows: the points of its lines."""
        lines = []
        for k, item in enumerate(self.listDataItems()):
            x, y = item.getOriginalDataset()
            if x is not None and y is not None and len(x):
                lines.append((item.name() or f"line {k + 1}", np.asarray(x, float), np.asarray(y, float)))
        return of_lines(lines, self._names["bottom"], self._names["left"])

    def setAccessibleName(self, name: str | None) -> None:
        """A plot is read as a table of that name."""
        super().setAccessibleName(name)
        self.viewport().setAccessibleName(name)
        if self._table is None:
            # What lies in a view's viewport is told of, what lies in the view itself is not.
            self._table = FiguresTable(self, "", self.viewport())
        self._table.setAccessibleName(tr("{0}, as a table").format((name or "").split(";")[0]))

    def sizeHint(self) -> QSize:
        """A modest wish: a plot takes what room there is, and asks for little."""
        return QSize(theme.px(320), theme.px(150))

    def restyle(self) -> None:
        self.setBackground(theme.colour("paper"))
        for side in self._names:
            axis = self.getAxis(side)
            axis.setPen(theme.colour("rule"))
            axis.setTextPen(theme.colour("pencil"))
            axis.setTickFont(theme.font(9))
            # Finer lines say nothing here, and are what a frame's time goes into.
            axis.setStyle(maxTickLevel=1)
            self.name_axis(side, self._names[side])
        width = QFontMetricsF(theme.font(9)).horizontalAdvance("00.000")
        self.getAxis("left").setWidth(width + theme.px(34))
        self.showGrid(x=True, y=True, alpha=0.12 if theme.night else 0.2)

    def name_axis(self, side: str, text: str) -> None:
        self._names[side] = text
        style = {"font-size": f"{9 * theme.scale}pt"}
        axis = self.getAxis(side)
        axis.setLabel(text, color=theme.colours.pencil, **style)
        # Units stand in the label; a prefix of the axis' own would scale the figures unseen.
        axis.enableAutoSIPrefix(False)
        axis.autoSIPrefixScale = 1.0

    def write(self, text: str, x: float, y: float, colour: str, anchor: tuple[float, float]) -> pg.TextItem:
        item = pg.TextItem(text, color=theme.colour(colour), anchor=anchor, fill=theme.colour("paper", 0.8))
        item.setFont(theme.font(9))
        # Words lie over every line, whichever was drawn last.
        item.setZValue(20)
        item.setPos(x, y)
        self.addItem(item, ignoreBounds=True)
        return item


class LoadLinePlot(Plot):
    """Volts over amps: allowed band, predicted line with its spread, readings with whiskers.

    A click gives the current pointed at, to become the operating point.
    """

    picked = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("amps", "volts", parent)
        self.setAccessibleName(tr("load line"))
        self.setMouseEnabled(x=False, y=False)
        self.scene().sigMouseClicked.connect(self._on_click)
        self._last: tuple[Band, LoadLine | None, float, Outcome | None, float | None] | None = None
        self._most = 1.0
        self.paper = Paper(self.getPlotItem().vb, self._paint)

    def restyle(self) -> None:
        super().restyle()
        if paper := getattr(self, "paper", None):
            paper.renew()

    def show_line(
        self,
        band: Band,
        line: LoadLine | None,
        most: float,
        result: Outcome | None = None,
        point_A: float | None = None,
    ) -> None:
        self._last = (band, line, most, result, point_A)
        points = list(band.ends)
        if line is not None and np.isfinite(line.volts).any():
            points += [float(np.nanmin(line.low)), float(np.nanmax(line.high))]
        if result is not None:
            points += _ends(result)
        finite = [p for p in points if np.isfinite(p)]
        margin = 0.14 * max(max(finite) - min(finite), 1e-3)
        self.setYRange(min(finite) - margin, max(finite) + margin, padding=0)
        self._most = max(most, 1e-3)
        self._fit_range()
        self.paper.renew()

    def figures(self) -> Figures:
        """Amps, and the volts there: allowed, predicted with its spread, read with its interval."""
        if self._last is None:
            return Figures((), ())
        band, line, _, result, _ = self._last
        rows: list[tuple[Cell, ...]] = [("allowed", "", *band.ends)]
        if line is not None:
            told = of_lines([("predicted", line.amps, line.volts)], "", "").rows
            rows += [(*row, "") for row in told]
        if result is not None:
            rows += [
                (f"read, {r.verdict.words}", r.pair.amps.value, r.volts.value, r.volts.half_width)
                for r in result.steps if r.pair is not None and r.volts is not None
            ]  # fmt: skip
        return Figures(("what", "amps", "volts", "±, or to"), tuple(rows))

    def _paint(self, paper: Paper) -> None:
        if self._last is None:
            return
        band, line, most, result, point_A = self._last
        low, high = band.ends
        across = np.array([-most, 4 * most])
        paper.fill(across, np.full(2, low), np.full(2, high), QBrush(theme.colour("holds", 0.10)))
        for end in band.ends:
            paper.line(across, np.full(2, end), QPen(theme.colour("holds"), 1))
        if line is not None and np.isfinite(line.volts).any():
            self._predict(paper, line)
        if result is not None:
            self._measured(paper, result)
        if point_A is not None:
            paper.line([point_A, point_A], self.viewRange()[1], QPen(theme.colour("ink"), 1))
        if self.height() > theme.px(170):
            paper.words(f"allowed to {fixed(high, 'V')}", 0, high, "holds", ((0, -0.05),))
            paper.words(f"allowed from {fixed(low, 'V')}", 0, low, "holds", ((0, 1.05),))

    def _fit_range(self) -> None:
        """Room at the right for the words at the ends of the lines, however wide the plot is."""
        room = QFontMetricsF(theme.font(9)).horizontalAdvance("predicted") + theme.px(22)
        share = min(room / max(self.width() - self.getAxis("left").width(), 1), 0.5)
        self.setXRange(-0.04 * self._most, self._most / (1 - share), padding=0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if getattr(self, "_last", ()):
            self._fit_range()

    def _predict(self, paper: Paper, line: LoadLine) -> None:
        order = np.argsort(line.amps, kind="stable")
        x, low, high, volts = (v[order] for v in (line.amps, line.low, line.high, line.volts))
        known = np.isfinite(low) & np.isfinite(high)
        if known.any():
            paper.fill(x[known], low[known], high[known], QBrush(theme.colour("prediction", 0.16)))
        for edge in (low, high):
            paper.line(x, edge, QPen(theme.colour("prediction", 0.35), 1))
        paper.line(x, volts, QPen(theme.colour("prediction"), 2, Qt.PenStyle.DashLine))
        last = int(np.flatnonzero(np.isfinite(volts))[-1])
        paper.words(
            "predicted", float(x[last]), float(volts[last]), "prediction", ((-0.08, 0.9), (-0.08, 1.6))
        )

    def _measured(self, paper: Paper, result: Outcome) -> None:
        for pair in result.extra:
            self._diamond(paper, pair.amps.value, pair.volts.value, 0.0, Verdict.NOT_MEASURED)
        for r in result.steps:
            if r.pair is not None and r.volts is not None:
                self._diamond(paper, r.pair.amps.value, r.volts.value, r.volts.half_width, r.verdict)
        if result.regulation is not None:
            fit = result.regulation
            # The line ends with the last current that was read; what it would give beyond is dotted.
            read_A = fit.full_load_A if fit.extended_from_A is None else fit.extended_from_A
            x = np.array([0.0, read_A, fit.full_load_A])
            y = fit.no_load_V.value - fit.output_resistance_ohm.value * x
            paper.line(x[:2], y[:2], QPen(theme.colour("ink"), 1))
            if read_A < fit.full_load_A:
                paper.line(x[1:], y[1:], QPen(theme.colour("pencil"), 1.5, Qt.PenStyle.DotLine))
            sides = ((-0.08, 0.1), (-0.08, -0.6), (-0.08, 0.9))
            paper.words("measured", float(x[1]), float(y[1]), "ink", sides)

    @staticmethod
    def _diamond(paper: Paper, x: float, y: float, half: float, verdict: Verdict) -> None:
        colour = theme.colour(verdict_colour(verdict))
        pen = QPen(colour, 1.5)
        if half:
            paper.line([x, x], [y - half, y + half], pen)
        fill = colour if verdict is Verdict.CONFORMS else theme.colour("paper")
        paper.diamond(x, y, theme.px(12), pen, fill)

    def _on_click(self, event: object) -> None:
        spot: QPointF = self.getPlotItem().vb.mapSceneToView(event.scenePos())  # type: ignore[attr-defined]
        self.picked.emit(max(spot.x(), 0.0))


def _ends(result: Outcome) -> list[float]:
    """The volts that the readings of a test reach, with their intervals."""
    read = [r.volts for r in result.steps if r.pair is not None and r.volts is not None]
    return [end for v in read for end in (v.low, v.high)]


class TraceView(Plot):
    """Live volts over time of the run, decimated by pyqtgraph when there are many."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("seconds of the run", "volts", parent)
        self.setAccessibleName(tr("trace of volts"))
        self._curve = self.plot([], [], name="volts", pen=pg.mkPen(theme.colour("ink"), width=1.5))
        self._curve.setDownsampling(auto=True, method="peak")
        self._curve.setClipToView(True)

    def restyle(self) -> None:
        super().restyle()
        if hasattr(self, "_curve"):
            self._curve.setPen(pg.mkPen(theme.colour("ink"), width=1.5))

    def show_points(self, points: list[tuple[float, float]]) -> None:
        """Seconds and volts, in the order they came."""
        columns = np.array(points, float).reshape(-1, 2)
        self._curve.setData(columns[:, 0], columns[:, 1])
