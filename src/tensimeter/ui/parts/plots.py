"""The plots, on pyqtgraph, in the theme's colours: the load line and the trace view."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QResizeEvent
from PyQt6.QtWidgets import QWidget

from tensimeter.core.circuit.load_line import LoadLine
from tensimeter.core.measurement.conformity import Band, Verdict
from tensimeter.core.quantity import fixed, localised
from tensimeter.core.testplan.step import Outcome
from tensimeter.ui.parts.verdict_square import verdict_colour
from tensimeter.ui.theme import theme


class _Axis(pg.AxisItem):  # type: ignore[misc]  # pyqtgraph tells no types
    """Tick figures with the decimal mark in use."""

    def tickStrings(self, values: list[float], scale: float, spacing: float) -> list[str]:
        return [localised(s) for s in super().tickStrings(values, scale, spacing)]


class Plot(pg.PlotWidget):  # type: ignore[misc]
    """A plot with the theme's colours, a quiet grid and no menu."""

    def __init__(self, bottom: str, left: str, parent: QWidget | None = None) -> None:
        axes = {"bottom": _Axis("bottom"), "left": _Axis("left")}
        super().__init__(parent, axisItems=axes)
        self._names = {"bottom": bottom, "left": left}
        self.setMenuEnabled(False)
        self.hideButtons()
        self.setMinimumHeight(120)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        theme.changed.connect(self.restyle)
        self.restyle()

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
        self.setAccessibleName("load line")
        self.setMouseEnabled(x=False, y=False)
        self.scene().sigMouseClicked.connect(self._on_click)
        self._last: tuple[Band, LoadLine | None, float, Outcome | None, float | None] | None = None

    def restyle(self) -> None:
        super().restyle()
        if last := getattr(self, "_last", None):
            self.show_line(*last)

    def show_line(
        self,
        band: Band,
        line: LoadLine | None,
        most: float,
        result: Outcome | None = None,
        point_A: float | None = None,
    ) -> None:
        self._last = (band, line, most, result, point_A)
        self.clear()
        low, high = band.ends
        region = pg.LinearRegionItem(
            (low, high),
            orientation="horizontal",
            movable=False,
            brush=theme.colour("holds", 0.10),
            pen=pg.mkPen(theme.colour("holds"), width=1),
        )
        self.addItem(region, ignoreBounds=True)
        points = [low, high]
        if line is not None and np.isfinite(line.volts).any():
            self._predict(line)
            points += [float(np.nanmin(line.low)), float(np.nanmax(line.high))]
        if result is not None:
            points += self._measured(result)
        if point_A is not None:
            self.addItem(
                pg.InfiniteLine(point_A, pen=pg.mkPen(theme.colour("ink"), width=1)), ignoreBounds=True
            )
        finite = [p for p in points if np.isfinite(p)]
        margin = 0.14 * max(max(finite) - min(finite), 1e-3)
        self.setYRange(min(finite) - margin, max(finite) + margin, padding=0)
        self._most = max(most, 1e-3)
        self._fit_range()
        if self.height() > theme.px(170):
            self.write(f"allowed to {fixed(high, 'V')}", 0, high, "holds", (0, -0.05))
            self.write(f"allowed from {fixed(low, 'V')}", 0, low, "holds", (0, 1.05))

    def _fit_range(self) -> None:
        """Room at the right for the words at the ends of the lines, however wide the plot is."""
        room = QFontMetricsF(theme.font(9)).horizontalAdvance("predicted") + theme.px(22)
        share = min(room / max(self.width() - self.getAxis("left").width(), 1), 0.5)
        self.setXRange(-0.04 * self._most, self._most / (1 - share), padding=0)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if getattr(self, "_last", ()):
            self._fit_range()

    def _predict(self, line: LoadLine) -> None:
        order = np.argsort(line.amps, kind="stable")
        x = line.amps[order]
        edge = pg.mkPen(theme.colour("prediction", 0.35), width=1)
        low = pg.PlotDataItem(x, line.low[order], pen=edge)
        high = pg.PlotDataItem(x, line.high[order], pen=edge)
        self.addItem(low)
        self.addItem(high)
        self.addItem(pg.FillBetweenItem(low, high, brush=theme.colour("prediction", 0.16)))
        dash = pg.mkPen(theme.colour("prediction"), width=2, style=Qt.PenStyle.DashLine)
        self.plot(x, line.volts[order], pen=dash)
        last = int(np.flatnonzero(np.isfinite(line.volts[order]))[-1])
        self.write("predicted", float(x[last]), float(line.volts[order][last]), "prediction", (-0.08, 0.9))

    def _measured(self, result: Outcome) -> list[float]:
        ends = []
        for r in result.steps:
            if r.pair is None or r.volts is None:
                continue
            self._diamond(r.pair.amps.value, r.volts.value, r.volts.half_width, r.verdict)
            ends += [r.volts.low, r.volts.high]
        for pair in result.extra:
            self._diamond(pair.amps.value, pair.volts.value, 0.0, Verdict.NOT_MEASURED)
        if result.regulation is not None:
            fit = result.regulation
            # The line ends with the last current that was read; what it would give beyond is dotted.
            read_A = fit.full_load_A if fit.extended_from_A is None else fit.extended_from_A
            x = np.array([0.0, read_A, fit.full_load_A])
            y = fit.no_load_V.value - fit.output_resistance_ohm.value * x
            self.plot(x[:2], y[:2], pen=pg.mkPen(theme.colour("ink"), width=1))
            if read_A < fit.full_load_A:
                dots = pg.mkPen(theme.colour("pencil"), width=1.5, style=Qt.PenStyle.DotLine)
                self.plot(x[1:], y[1:], pen=dots)
            self.write("measured", x[1], float(y[1]), "ink", (-0.08, 0.1))
        return ends

    def _diamond(self, x: float, y: float, half: float, verdict: Verdict) -> None:
        colour = theme.colour(verdict_colour(verdict))
        pen = pg.mkPen(colour, width=1.5)
        if half:
            bar = pg.ErrorBarItem(x=np.array([x]), y=np.array([y]), height=2 * half, beam=0.0, pen=pen)
            self.addItem(bar)
        fill = colour if verdict is Verdict.CONFORMS else theme.colour("paper")
        self.addItem(pg.ScatterPlotItem([x], [y], symbol="d", size=theme.px(12), pen=pen, brush=fill))

    def _on_click(self, event: object) -> None:
        spot: QPointF = self.getPlotItem().vb.mapSceneToView(event.scenePos())  # type: ignore[attr-defined]
        self.picked.emit(max(spot.x(), 0.0))


class TraceView(Plot):
    """Live volts over time of the run, decimated by pyqtgraph when there are many."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("seconds of the run", "volts", parent)
        self.setAccessibleName("trace of volts")
        self._curve = self.plot([], [], pen=pg.mkPen(theme.colour("ink"), width=1.5))
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
