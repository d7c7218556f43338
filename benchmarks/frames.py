"""Zooming and panning a long record: the 95th percentile of the time that one frame takes, against 1/60 s.

A frame is painted whole into a picture, which is no less than a screen asks for.
"""

import os
import time

import numpy as np

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.measure import Row
from tensimeter.core.measurement.readings import Wave

FRAME_S = 1 / 60
_RATE = 100e6


def _wave(count: int) -> Wave:
    t = np.arange(count) / _RATE
    volts = 12 + 0.05 * np.sin(2 * np.pi * 100.3 * t) + np.random.default_rng(3).normal(0, 2e-3, count)
    return Wave(1, 0.0, "mount", _RATE, 0.0, count, "s", "file", None, None, None, "", lambda: volts)


def rows() -> list[Row]:
    from PyQt6.QtWidgets import QApplication

    from tensimeter.ui.app import make_application
    from tensimeter.ui.parts.wave_view import WavePlot

    app = make_application()
    assert isinstance(app, QApplication)
    found = []
    for count in (1_000_000, 10_000_000):
        plot = WavePlot()
        plot.resize(900, 300)
        plot.show()
        wave = _wave(count)
        begin = time.perf_counter()
        plot.show_wave(wave)
        plot.grab()
        first = time.perf_counter() - begin
        box, rng = plot.getViewBox(), np.random.default_rng(5)
        frames = []
        for k in range(240):
            left, right = box.viewRange()[0]
            middle, width = (left + right) / 2, right - left
            if k % 40 == 0:
                plot.show_all()
                continue
            begin = time.perf_counter()
            if k % 2:
                box.setXRange(middle - 0.4 * width, middle + 0.4 * width, padding=0)
            else:
                step = width * float(rng.uniform(-0.2, 0.2))
                box.setXRange(left + step, right + step, padding=0)
            plot.grab()
            frames.append(time.perf_counter() - begin)
        p95 = float(np.quantile(frames, 0.95))
        found.append(Row("a frame of zooming and panning, p95", f"{count} samples", p95, FRAME_S, 1.0))
        found.append(Row("a waveform's first drawing", f"{count} samples", first, FRAME_S, 60.0))
        plot.close()
    return [*found, *_heat()]


def _heat() -> list[Row]:
    """Eight channels of a soak at 10 Hz as they grow, each frame with a reading more."""
    from tensimeter.core.testplan.soak.run import SoakRun
    from tensimeter.ui.parts.heat_plot import Heat, HeatMark, HeatPlot

    found = []
    for count in (36_000, 72_000):
        plot = HeatPlot()
        plot.resize(680, 330)
        plot.show()
        t = np.arange(count) / 10
        noise = np.random.default_rng(2).normal(0, 0.1, count)
        channels = {
            f"place {k}": 20 + (20 + 8 * k) * -np.expm1(-t / (600 + 200 * k)) + noise for k in range(8)
        }
        nothing = np.full(count, np.nan)
        frames = []
        for k in range(120):
            end = count - 120 + k
            part = {p: c[:end] for p, c in channels.items()}
            run = SoakRun(1, 0.0, t[:end], nothing[:end], nothing[:end], part, np.zeros(end))
            begin = time.perf_counter()
            plot.show_heat(Heat(run, None, {}, "place 7", HeatMark(105.0, "limit")))
            plot.grab()
            frames.append(time.perf_counter() - begin)
        p95 = float(np.quantile(frames[10:], 0.95))
        found.append(Row("a frame of a live soak, 8 channels, p95", f"{count} scans", p95, FRAME_S, 1.0))
        plot.close()
    return found
