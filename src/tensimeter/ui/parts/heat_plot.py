"""Temperatures over time: every place that is read, the limit, and the forecast as a widening cone."""

from typing import NamedTuple

import numpy as np
import pyqtgraph as pg
from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFontMetricsF
from PyQt6.QtWidgets import QWidget

from tensimeter.core.heat_design.by_design import HeatByDesign
from tensimeter.core.heatup.soak_state import SoakState
from tensimeter.core.testplan.soak.run import SoakRun
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

_DASHES = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotLine,
    Qt.PenStyle.DashDotDotLine,
)
#: Points of a cone, and how far ahead it goes in slow time constants.
_CONE, _AHEAD = 60, 3.0
#: Readings that are few enough to be shown one by one, and the least minutes that are drawn.
FEW, LEAST_MIN = 25, 5.0
#: How much further than its readings a plot reaches, so that it need not be drawn anew at each.
GROWS = 1.05
#: Stretches that a long record is drawn as.
_MOST = 300


class HeatMark(NamedTuple):
    """A temperature that is not to be passed, and what it is."""

    celsius: float
    words: str


class Heat(Struct, frozen=True, eq=False):
    """What is drawn: a run, the state it is in, names of places by id, the place that is watched."""

    run: SoakRun
    state: SoakState | None
    names: dict[str, str]
    place: str | None
    limit: HeatMark
    #: What the design expects, shown until something is read.
    design: HeatByDesign | None = None


class Label(NamedTuple):
    """Words at the end of a line: minutes, height, what, colour, the place it belongs to."""

    x: float
    y: float
    words: str
    colour: str
    place: str = ""


def _reach(run: SoakRun) -> tuple[float, float, float]:
    """Minutes where a run ends, its lowest and its highest temperature."""
    every = [c for p in run.celsius if len(c := run.track(p)[1])]
    return float(run.time_s[-1]) / 60, min(float(c.min()) for c in every), max(float(c.max()) for c in every)


def _thinned(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Lows and highs of stretches of a long record: what a screen can show of it, and quick to draw."""
    if len(x) <= 2 * _MOST:
        return x, y
    size = -(-len(x) // _MOST)
    whole = len(x) // size * size
    rows = y[:whole].reshape(-1, size)
    ends = np.column_stack([rows.min(1), rows.max(1)]).ravel()
    at = np.repeat(x[:whole:size], 2)
    return np.append(at, x[-1]), np.append(ends, y[-1])


class Final(NamedTuple):
    """Words on where a forecast ends, minutes there, the cone's top; °C where it begins above a place."""

    words: str
    x: float
    upper: float
    begins: float | None


class HeatPlot(Plot):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("minutes", "°C", parent)
        self.setAccessibleName(tr("temperatures and forecast"))
        self.setMouseEnabled(x=False, y=False)
        self._last: Heat | tuple[tuple[str, SoakRun], ...] | None = None
        self._cone: tuple[object, np.ndarray, np.ndarray] | None = None
        self._key: object = None
        self._curves: dict[str, pg.PlotDataItem] = {}
        self._names_drawn: dict[str, pg.TextItem] = {}
        self._final: Final | None = None
        #: The share of the width that is kept for names beside the lines.
        self._beside = 0.0

    def restyle(self) -> None:
        super().restyle()
        last = getattr(self, "_last", None)
        if isinstance(last, Heat):
            self._key = None
            self.show_heat(last)

    def show_heat(self, heat: Heat) -> None:
        """One run: its places, the cone of what is forecast, the limit."""
        gone = int(heat.run.gone.sum())
        few = len(heat.run.time_s) <= FEW
        key = (heat.state, heat.limit, heat.place, tuple(heat.run.celsius), gone, few, self.size())
        if key == self._key and self._grow(heat):
            return
        self._key = key
        self._last = heat
        self.clear()
        self._curves, self._names_drawn, self._final = {}, {}, None
        for axis in ("bottom", "left"):
            self.getAxis(axis).setStyle(showValues=True)
        self.name_axis("bottom", "minutes")
        self.name_axis("left", "°C")
        labels = self._draw_places(heat)
        if not labels:
            self._key = None
            self._draw_design(heat)
            return
        end, low, high = _reach(heat.run)
        end = max(end, LEAST_MIN)
        if heat.state is not None:
            end, top = self._foresee(heat, heat.state)
            high = max(high, top)
        limit = heat.limit.celsius
        self._fit(end, low, max(high, limit), labels)
        self._draw_limit(heat.limit)
        self._draw_gone(heat.run)
        self._name(labels, end)
        self._name_final(limit)

    def _draw_design(self, heat: Heat) -> None:
        """Before anything is read: the heat-up that the design expects, under the limit."""
        found, limit = heat.design, heat.limit.celsius
        if found is None:
            for axis in ("bottom", "left"):
                self.getAxis(axis).setStyle(showValues=False)
            self.setXRange(0, 1)
            self.setYRange(0, 1)
            self.write("nothing read yet", 0.5, 0.5, "pencil", (0.5, 0.5))
            return
        minutes, at = found.time_s / 60, int(0.62 * len(found.time_s))
        curves = [(found.junction_C, "junction, by the design", Qt.PenStyle.DashLine)]
        if found.junction_C[at] - found.case_C[at] > 1:
            curves.append((found.case_C, "its case", Qt.PenStyle.DotLine))
        curves.append((found.sink_C, "its sink", Qt.PenStyle.DotLine))
        labels = []
        for celsius, words, style in curves:
            pen = pg.mkPen(theme.colour("prediction"), width=1, style=style)
            self.plot(minutes, celsius, name=words, pen=pen)
            labels.append(Label(minutes[at], float(celsius[at]), words, "prediction"))
        low, high = float(found.sink_C.min()), max(float(found.junction_C.max()), limit)
        self._fit(float(minutes[-1]), low, high, [])
        self._draw_limit(heat.limit)
        self._name(labels, 0.0)

    def _draw_limit(self, limit: HeatMark) -> None:
        pen = pg.mkPen(theme.colour("miss"), width=1.5)
        self.addItem(pg.InfiniteLine(limit.celsius, angle=0, pen=pen), ignoreBounds=True)
        self.write(f"{limit.words} {limit.celsius:.0f} °C", 0.0, limit.celsius, "miss", (0.0, 1.0))

    def _draw_gone(self, run: SoakRun) -> None:
        """A thick line under the temperatures wherever the output was gone, and what it means."""
        gone = run.gone
        if not gone.any():
            return
        _, (bottom, top) = self.viewRange()
        low = bottom + 0.03 * (top - bottom)
        level = np.where(gone | np.append(False, gone[:-1]), low, np.nan)
        pen = pg.mkPen(theme.colour("miss"), width=6)
        self.plot(run.time_s / 60, level, name="output off", pen=pen, connect="finite")
        first = float(run.time_s[np.argmax(gone)]) / 60
        self.write("output off", first, low, "miss", (1.02, 0.5))

    def _draw_places(self, heat: Heat) -> list[Label]:
        labels, others = [], 0
        for place in heat.run.celsius:
            t, celsius = heat.run.track(place)
            if not len(t):
                continue
            watched = place == heat.place
            others += not watched
            dash = _DASHES[0 if watched else 1 + (others - 1) % (len(_DASHES) - 1)]
            colour = "ink" if watched else "pencil"
            # Lines of one pixel are drawn ten times as fast as wider ones.
            pen = pg.mkPen(theme.colour(colour), width=2 if watched else 1, style=dash)
            marks = {"symbol": "o", "symbolSize": 5, "symbolBrush": theme.colour(colour), "symbolPen": None}
            few = len(heat.run.time_s) <= FEW
            named = {"name": heat.names.get(place, place), **(marks if few else {})}
            self._curves[place] = self.plot(*_thinned(t / 60, celsius), pen=pen, **named)
            labels.append(Label(t[-1] / 60, float(celsius[-1]), heat.names.get(place, place), colour, place))
        return labels

    def _grow(self, heat: Heat) -> bool:
        """Only what came since is drawn; False where it does not fit into what is shown any more."""
        (_, right), (bottom, top) = self.viewRange()
        tracks = {p: heat.run.track(p) for p in self._curves}
        if any(
            t[-1] / 60 > right * (1 - self._beside) or not bottom < c[-1] < top for t, c in tracks.values()
        ):
            return False
        self._last = heat
        for place, (t, celsius) in tracks.items():
            self._curves[place].setData(*_thinned(t / 60, celsius))
        at = [Label(t[-1] / 60, float(c[-1]), "", "", p) for p, (t, c) in tracks.items()]
        for label, y in self._spread(at):
            if label.place in self._names_drawn:
                self._names_drawn[label.place].setPos(label.x + 0.008 * right, y)
        return True

    def _foresee(self, heat: Heat, state: SoakState) -> tuple[float, float]:
        """The cone from now on; minutes where it ends and its top."""
        if self._cone is None or self._cone[0] is not state:
            ahead = np.linspace(0, _AHEAD * state.measured.time_constant.value, _CONE)
            self._cone = (state, ahead, state.spot.cone(ahead))
        _, ahead, cone = self._cone
        # Ends that nothing bounds are cut where the drawing would be nothing else.
        top = heat.limit.celsius + 60
        x = (state.elapsed_s + ahead) / 60
        edge = pg.mkPen(theme.colour("hold", 0.4), width=1)
        low, high = (pg.PlotDataItem(x, np.minimum(c, top), pen=edge) for c in (cone[0], cone[2]))
        self.addItem(low)
        self.addItem(high)
        self.addItem(pg.FillBetweenItem(low, high, brush=theme.colour("hold", 0.18)))
        dash = pg.mkPen(theme.colour("hold"), width=2, style=Qt.PenStyle.DashLine)
        self.plot(x, np.minimum(cone[1], top), name="forecast", pen=dash)
        now = pg.mkPen(theme.colour("pencil"), width=1, style=Qt.PenStyle.DotLine)
        self.addItem(pg.InfiniteLine(state.elapsed_s / 60, angle=90, pen=now), ignoreBounds=True)
        what = "junction" if state.on_spot else state.place_name
        final = state.spot.final
        words = f"{state.at_full}{what}, forecast {final.value:.0f} °C, {final.low:.0f} … "
        words += f"{final.high:.0f}" if np.isfinite(final.high) else "no end known"
        upper = float(min(cone[2].max(), top))
        self._final = Final(words, float(x[-1]), upper, float(cone[0][0]) if state.on_spot else None)
        return float(x[-1]), upper

    def _fit(self, end: float, low: float, high: float, labels: list[Label]) -> None:
        margin = 0.08 * max(high - low, 5.0)
        words = 1.8 * QFontMetricsF(theme.font(9)).height() / max(self.height() - theme.px(46), 60)
        self.setYRange(low - margin, high + max(1.4 * margin, words * (high - low)), padding=0)
        # Names that stand where the plot ends need their width beside it.
        late = [row for row in labels if row.x > 0.7 * end]
        self._beside = self._room(late)
        self.setXRange(0, GROWS * end / (1 - self._beside), padding=0.01)

    def _room(self, labels: list[Label]) -> float:
        """The share of the width that the widest of these names takes."""
        metrics = QFontMetricsF(theme.font(9))
        words = max((metrics.horizontalAdvance(row.words) + theme.px(20) for row in labels), default=0.0)
        return float(min(words / max(self.width() - self.getAxis("left").width(), 1), 0.6))

    def _name(self, labels: list[Label], end: float) -> None:
        """Names at the ends of the lines."""
        for label, y in self._spread(labels):
            item = self.write(label.words, label.x + 0.008 * end, y, label.colour, (0.0, 0.5))
            self._names_drawn[label.place] = item

    def _name_final(self, limit: float) -> None:
        """Where the forecast ends, in words: over its cone, and over a limit's line that is in the way."""
        if self._final is not None:
            words, x, upper, _ = self._final
            y = limit if upper < limit < upper + 1.2 * self._line_height() else upper
            self.write(words, x, y, "hold", (1.0, 1.0))

    def _line_height(self) -> float:
        """Kelvins that a line of words takes."""
        _, (bottom, top) = self.viewRange()
        height = QFontMetricsF(theme.font(9)).height() + theme.px(7)
        return float((top - bottom) * height / max(self.height() - theme.px(46), 60))

    def _spread(self, labels: list[Label]) -> list[tuple[Label, float]]:
        """Each with its height, pushed apart where they would lie on one another."""
        apart = self._line_height()
        ordered = sorted(labels, key=lambda row: row.y)
        heights: list[float] = []
        for row in ordered:
            heights.append(max(row.y, heights[-1] + apart) if heights else row.y)
        begins = self._final.begins if self._final else None
        ceiling = np.inf if begins is None else begins - apart / 2
        for k in reversed(range(len(ordered))):
            # A name just under a cone would lie in it: it and those below give way downwards.
            if begins is not None and ordered[k].y < begins:
                heights[k] = min(heights[k], ceiling)
                ceiling = heights[k] - apart
        return list(zip(ordered, heights, strict=True))

    def show_compared(self, runs: tuple[tuple[str, SoakRun], ...], place: str) -> None:
        """Several runs over one another, as rise over the room: before and after."""
        self._last, self._key = runs, None
        self.clear()
        self.name_axis("bottom", "minutes under load")
        self.name_axis("left", "K over the room")
        ends: list[Label] = []
        top, end = 1.0, 1.0
        for k, (name, run) in enumerate(runs):
            t, celsius = run.track(place)
            room_s, room_C = run.track("ambient")
            if not len(t):
                continue
            rise = celsius - (np.interp(t, room_s, room_C) if len(room_s) else celsius[0])
            newest = k == len(runs) - 1
            colour = "ink" if newest else "prediction"
            pen = pg.mkPen(theme.colour(colour), width=2, style=_DASHES[(len(runs) - 1 - k) % len(_DASHES)])
            self.plot(t / 60, rise, name=name, pen=pen)
            ends.append(Label(t[-1] / 60, float(rise[-1]), name, colour, name))
            top, end = max(top, float(rise.max())), max(end, t[-1] / 60)
        self.setYRange(-0.05 * top, 1.15 * top, padding=0)
        self.setXRange(0, end / (1 - self._room(ends)), padding=0.01)
        self._name(ends, end)
