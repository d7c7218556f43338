"""A waveform with its zoom, and its spectrum with named lines."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tensimeter.core.analysis.extremes import Envelope
from tensimeter.core.analysis.ripple import Ripple
from tensimeter.core.measurement.readings import Wave
from tensimeter.core.quantity import show
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

#: Units of time, largest first: s, and what a second is of it.
_UNITS = ((1.0, "seconds", 1.0), (1e-3, "milliseconds", 1e3), (1e-6, "microseconds", 1e6))
#: Lines from here on are of switching, not of the mains.
FAST_HZ = 2e3
#: So many points of a slow part are drawn at the most.
MOST_SLOW = 4000


class WavePlot(Plot):
    """Volts over time; the wheel zooms, dragging pans. Only what can be seen is drawn."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("seconds", "volts", parent)
        self.setAccessibleName(tr("waveform; + and − zoom, arrows pan, 0 shows all"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseEnabled(x=True, y=False)
        self._wave: Wave | None = None
        self._envelope: Envelope | None = None
        self._scale = 1.0
        self._curve = self.plot([], [], name="record", pen=pg.mkPen(theme.colour("ink"), width=1))
        self._slow = self.plot([], [], name="slow ripple", pen=pg.mkPen(theme.colour("prediction"), width=2))
        #: Where the time axis begins, s from the record's event.
        self._zero_s = 0.0
        self._levels = self.plot([], [], name="levels", connect="pairs")
        self._level_words = pg.TextItem("", anchor=(0, 0))
        self.addItem(self._level_words)
        self._allowed_V: float | None = None
        self.getViewBox().sigXRangeChanged.connect(self._draw)

    def restyle(self) -> None:
        super().restyle()
        if hasattr(self, "_levels"):
            self._paint()

    def show_wave(self, wave: Wave | None) -> None:
        if wave is self._wave:
            return
        self._wave, self._zero_s = wave, 0.0
        if wave is None:
            self._envelope = None
            self._curve.setData([], [])
            return
        self._envelope = Envelope(wave.volts)
        span = wave.samples / wave.rate_Hz
        _, word, self._scale = next((u for u in _UNITS if span >= u[0]), _UNITS[-1])
        self.name_axis("bottom", word)
        low, high = float(wave.volts.min()), float(wave.volts.max())
        margin = 0.08 * max(high - low, 1e-6)
        self.setYRange(low - margin, high + margin, padding=0)
        self.getViewBox().setLimits(xMin=wave.start_s * self._scale, xMax=(wave.start_s + span) * self._scale)
        self.show_all()
        self._draw()

    def _paint(self) -> None:
        """A record that moves fast is a block: its slow part stands on it, and it steps back."""
        has_slow = self._slow.xData is not None and len(self._slow.xData) > 0
        self._curve.setPen(pg.mkPen(theme.colour("rule" if has_slow else "ink"), width=1))
        self._slow.setPen(pg.mkPen(theme.colour("prediction"), width=2))
        pen = pg.mkPen(theme.colour("miss"), width=1.5, style=Qt.PenStyle.DashLine)
        self._levels.setPen(pen)
        self._level_words.setColor(theme.colour("miss"))

    def show_slow(self, cycle_s: float | None) -> None:
        """What is left of the record when it is averaged over one fast cycle; None for none."""
        wave = self._wave
        count = round(cycle_s * wave.rate_Hz) if wave is not None and cycle_s else 0
        if wave is None or not 1 < count < wave.samples // 4:
            self._slow.setData([], [])
        else:
            sums = np.cumsum(np.concatenate([[0.0], wave.volts]))
            slow = (sums[count:] - sums[:-count]) / count
            each = max(len(slow) // MOST_SLOW, 1)
            at = wave.start_s + (np.arange(len(slow))[::each] + count / 2) / wave.rate_Hz
            self._slow.setData(at * self._scale, slow[::each])
        self._paint()

    def show_allowed(self, peak_to_peak_V: float | None) -> None:
        """Lines that lie as far apart as the ripple may be, about the middle of the record."""
        wave, self._allowed_V = self._wave, peak_to_peak_V
        there = wave is not None and peak_to_peak_V is not None
        self._levels.setVisible(there)
        self._level_words.setVisible(there)
        if wave is not None and peak_to_peak_V is not None:
            middle = float(wave.volts.mean())
            low, high = middle - peak_to_peak_V / 2, middle + peak_to_peak_V / 2
            ends = np.array([0.0, wave.samples / wave.rate_Hz]) + wave.start_s
            x = np.concatenate([ends, ends]) * self._scale
            self._levels.setData(x, np.array([low, low, high, high]))
            self._level_words.setText(tr("allowed, {0} p-p").format(show(peak_to_peak_V, "V", 3)))
            self._level_words.setPos(ends[0] * self._scale, high)
            mean, half = float(wave.volts.mean()), float(np.ptp(wave.volts)) / 2
            reach = 1.1 * max(half, peak_to_peak_V / 2)
            self.setYRange(mean - reach, mean + reach, padding=0)
        self._paint()

    def show_cycles(self, cycle_s: float, count: float = 2.0) -> None:
        """Some fast cycles from the middle of the record on."""
        wave = self._wave
        if wave is None:
            return
        _, word, self._scale = next((u for u in _UNITS if count * cycle_s >= u[0]), _UNITS[-1])
        self.name_axis("bottom", word)
        middle = wave.start_s + wave.samples / wave.rate_Hz / 2
        ends = wave.start_s, wave.start_s + wave.samples / wave.rate_Hz
        low, high = ((end - middle) * self._scale for end in ends)
        self.getViewBox().setLimits(xMin=low, xMax=high)
        self._zero_s = middle
        self.setXRange(0.0, count * cycle_s * self._scale, padding=0)
        self._draw()

    def show_all(self) -> None:
        if self._wave is not None:
            first = self._wave.start_s * self._scale
            self.setXRange(first, first + self._wave.samples / self._wave.rate_Hz * self._scale, padding=0)

    def _draw(self, *_: object) -> None:
        wave, envelope = self._wave, self._envelope
        if wave is None or envelope is None:
            return
        left, right = (
            x / self._scale + self._zero_s - wave.start_s for x in self.getViewBox().viewRange()[0]
        )
        first, last = int(left * wave.rate_Hz) - 1, int(right * wave.rate_Hz) + 2
        index, volts = envelope.view(first, last, max(self.width(), 200))
        self._curve.setData((wave.start_s + index / wave.rate_Hz - self._zero_s) * self._scale, volts)

    def keyPressEvent(self, event: object) -> None:
        """+ and − zoom about the middle, the arrows pan, 0 shows all."""
        box = self.getViewBox()
        left, right = box.viewRange()[0]
        key, width = event.key(), right - left  # type: ignore[attr-defined]
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            box.setXRange(left + width / 4, right - width / 4, padding=0)
        elif key == Qt.Key.Key_Minus:
            box.setXRange(left - width / 2, right + width / 2, padding=0)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = width / 5 * (1 if key == Qt.Key.Key_Right else -1)
            box.setXRange(left + step, right + step, padding=0)
        elif key == Qt.Key.Key_0:
            self.show_all()
        else:
            super().keyPressEvent(event)


class SpectrumPlot(Plot):
    """Volts rms over frequency, both logarithmic, with the lines' names."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("hertz", "volts rms", parent)
        self.setAccessibleName(tr("spectrum"))
        self.setMouseEnabled(x=False, y=False)
        self.setLogMode(x=True, y=True)
        self._ripple: Ripple | None = None

    def restyle(self) -> None:
        super().restyle()
        if getattr(self, "_ripple", None) is not None:
            self.show_ripple(self._ripple)

    def show_ripple(self, found: Ripple | None) -> None:
        self._ripple = found
        self.clear()
        if found is None or not len(found.spectrum[0]):
            return
        hertz, volts = found.spectrum
        volts = np.maximum(volts, 1e-9)
        self.plot(hertz, volts, name="spectrum", pen=pg.mkPen(theme.colour("prediction"), width=1))
        # A record without noise has a floor that nobody wants to see.
        low = max(float(np.median(volts)) / 3, float(volts.max()) * 1e-5)
        top = max(float(volts.max()), max((x.rms_V for x in found.lines), default=1e-9))
        # Room above the highest line for its name, however low the plot is.
        words = theme.px(30)
        share = words / max(self.height() - theme.px(50) - words, theme.px(40))
        span = np.log10(top) - np.log10(low)
        self.setYRange(np.log10(low), np.log10(top) + share * span, padding=0)
        self.setXRange(np.log10(max(hertz[0], 1.0)), np.log10(hertz[-1]), padding=0.02)
        self._name(found)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if getattr(self, "_ripple", None) is not None:
            self.show_ripple(self._ripple)

    def _name(self, found: Ripple) -> None:
        """Names from the strongest line on, where they do not write over each other."""
        pen = pg.mkPen(theme.colour("ink"), width=1.5)
        taken: list[float] = []
        span = np.log10(found.spectrum[0][-1]) - np.log10(max(found.spectrum[0][0], 1.0))
        for line in found.lines[:8]:
            x, y = np.log10(line.frequency_Hz), np.log10(max(line.rms_V, 1e-9))
            dot = pg.ScatterPlotItem([x], [y], symbol="o", size=theme.px(6), pen=pen, brush=None)
            self.addItem(dot)
            if any(abs(x - other) < 0.3 * span for other in taken):
                continue
            taken.append(x)
            name = (line.name or show(line.frequency_Hz, "Hz", 4)).split(",")[0]
            side = 1.0 if x > np.log10(found.spectrum[0][-1]) - 0.2 * span else 0.5
            self.write(f"{name}  {show(line.rms_V, 'V', 3)}", x, y, "ink", (side, 1.15))


class WaveView(QWidget):
    """The waveform, and under it the spectrum where one was worked out."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(2))
        self.wave, self.spectrum = WavePlot(), SpectrumPlot()
        self.cycle = WavePlot()
        self.cycle.setAccessibleName(tr("one or two fast cycles of the waveform"))
        row = QHBoxLayout()
        row.setSpacing(theme.px(6))
        row.addWidget(self.wave, 3)
        row.addWidget(self.cycle, 2)
        column.addLayout(row, 5)
        column.addWidget(self.spectrum, 6)

    def show_record(self, wave: Wave | None, found: Ripple | None, allowed_V: float | None = None) -> None:
        """A record with its slow part, one fast cycle beside it, what is allowed, and its spectrum."""
        self.wave.show_wave(wave)
        cycle_s = _fast_cycle_s(wave, found)
        self.wave.show_slow(cycle_s)
        self.wave.show_allowed(allowed_V)
        self.cycle.setVisible(cycle_s is not None)
        if cycle_s is not None:
            self.cycle.show_wave(wave)
            self.cycle.show_allowed(allowed_V)
            self.cycle.show_cycles(cycle_s)
        self.spectrum.setVisible(found is not None)
        self.spectrum.show_ripple(found)


def _fast_cycle_s(wave: Wave | None, found: Ripple | None) -> float | None:
    """The period of the strongest line above the mains' own, s, where a record resolves it; else None."""
    if wave is None or found is None:
        return None
    fast = [x for x in found.lines if FAST_HZ < x.frequency_Hz < wave.rate_Hz / 4]
    return 1 / max(fast, key=lambda x: x.rms_V).frequency_Hz if fast else None
