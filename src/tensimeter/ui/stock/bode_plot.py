"""The loop of a part that one makes: its gain, and how far its phase is from half a turn, over frequency."""

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from tensimeter.core.electrical.control_loop import ControlLoop
from tensimeter.core.quantity import show
from tensimeter.ui.parts.plots import Plot
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme


class BodePlot(Plot):
    """Gain as a line, degrees left dashed; where the gain is 0 dB the dashed line tells the phase margin."""

    def __init__(self, loop: ControlLoop) -> None:
        super().__init__("Hz", "dB, degrees")
        self.setFixedHeight(theme.px(170))
        self.getAxis("left").setWidth(theme.px(46))
        self.setLogMode(x=True)
        middle = loop.crossover_Hz or 1e4
        hertz = np.geomspace(middle / 300, middle * 300, 400)
        gain, left = loop.bode(hertz)
        self.plot(hertz, gain, name="gain, dB", pen=pg.mkPen(theme.colour("ink"), width=2))
        dashed = pg.mkPen(theme.colour("prediction"), width=2, style=Qt.PenStyle.DashLine)
        self.plot(hertz, left, name="phase left, degrees", pen=dashed)
        self.addItem(pg.InfiniteLine(0.0, angle=0, pen=theme.colour("pencil")))
        self.words = "its gain never falls through one"
        if loop.crossover_Hz is not None and loop.phase_margin is not None:
            self.addItem(pg.InfiniteLine(np.log10(middle), angle=90, pen=theme.colour("pencil")))
            self.words = f"{loop.phase_margin:.0f}° left at {show(loop.crossover_Hz, 'Hz')}"
        self.setYRange(-90, 190)
        self.setAccessibleName(tr("Loop gain and phase over frequency: {0}").format(self.words))
