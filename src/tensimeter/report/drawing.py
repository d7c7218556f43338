"""A test's picture and its waveform on paper."""

from typing import TYPE_CHECKING

import numpy as np

from tensimeter.assets.colours import PAPER, PRINT_HOLD, PRINT_PENCIL
from tensimeter.core.analysis.extremes import Envelope
from tensimeter.core.analysis.ripple import Ripple as RippleFigures
from tensimeter.core.measurement.readings import Wave
from tensimeter.core.quantity import show
from tensimeter.core.testplan.picture import Picture

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK, PENCIL, RULE, PREDICTION = PAPER.ink, PRINT_PENCIL, PAPER.rule, PAPER.prediction
COLOURS = {"holds": PAPER.holds, "misses": PAPER.miss, "too_close": PRINT_HOLD}


def quiet(axes: "Axes", across: str, up: str) -> None:
    """Axes in the sheet's manner."""
    axes.set_xlabel(across, color=PENCIL)
    axes.set_ylabel(up, color=PENCIL)
    axes.grid(color=RULE, lw=0.5)
    for side in axes.spines.values():
        side.set_color(RULE)
    axes.tick_params(colors=PENCIL)


def draw_picture(figure: "Figure", picture: Picture) -> None:
    axes = figure.subplots()
    if picture.band is not None:
        axes.axhspan(*picture.band, color=PAPER.holds, alpha=0.09, lw=0)
        for end in picture.band:
            axes.axhline(end, color=PAPER.holds, lw=0.8)
    for line in picture.lines:
        colour = {"prediction": PREDICTION, "path": PENCIL}.get(line.role, INK)
        dash = "--" if line.role == "prediction" else "-"
        axes.plot(line.x, line.y, color=colour, ls=dash, lw=0.7 if line.role == "path" else 1.2)
        if line.name:
            _name(axes, line.name, line.x, line.y, colour, line.role == "prediction")
    if picture.joined:
        axes.plot([s.x for s in picture.spots], [s.y for s in picture.spots], color=PENCIL, lw=0.7)
    for verdict in dict.fromkeys(s.verdict for s in picture.spots):
        # Drawn together: a page of many points is laid out sooner.
        alike = [s for s in picture.spots if s.verdict is verdict]
        x, y, half = (np.array(c) for c in zip(*((s.x, s.y, s.half) for s in alike), strict=True))
        colour = COLOURS.get(verdict.value, INK) if verdict else INK
        face = colour if verdict is None or verdict == "holds" else "white"
        size = 4 if verdict else 2.6
        if half.any():
            axes.errorbar(x, y, half, fmt="D", ms=size, color=colour, mfc=face, capsize=2)
        else:
            axes.plot(x, y, "D", ms=size, color=colour, mfc=face)
    if picture.names:
        axes.set_xticks(range(len(picture.names)), [_cut(n) for n in picture.names])
        axes.tick_params(axis="x", labelsize=6 if len(picture.names) > 5 else 7)
        axes.set_xlim(-0.5, len(picture.names) - 0.5)
    axes.margins(x=0.06, y=0.12)
    if any(_upright(line.x) for line in picture.lines):
        # Room for the names beside them.
        left, right = axes.get_xlim()
        axes.set_xlim(left, right + 0.14 * (right - left))
    quiet(axes, picture.across, picture.up)


def _cut(name: str) -> str:
    """A name broken at its comma, so that neighbours do not meet."""
    return name.replace(", ", ",\n", 1)[:44]


def _upright(x: np.ndarray) -> bool:
    return len(x) == 2 and bool(x[0] == x[1])


def _name(axes: "Axes", name: str, x: np.ndarray, y: np.ndarray, colour: str, high: bool) -> None:
    upright = _upright(x)
    level = len(y) == 2 and y[0] == y[1]
    # A level line is named where it begins, so that one that rises to it keeps its own end.
    at = (x[0], max(y) if high else min(y)) if upright else (x[0], y[0]) if level else (x[-1], y[-1])
    side = ("left" if high else "right") if upright else "left" if level else "right"
    gap = 3 if side == "left" else -3
    axes.annotate(
        name, at, xytext=(gap, 3), textcoords="offset points", ha=side, va="bottom", fontsize=7, color=colour
    )


def draw_wave(figure: "Figure", wave: Wave, found: RippleFigures | None) -> None:
    """The waveform, and beside it the spectrum of a ripple with its strongest lines named."""
    left = figure.add_subplot(1, 2 if found else 1, 1)
    index, volts = Envelope(wave.volts).view(0, wave.samples, 200)
    span = wave.samples / wave.rate_Hz
    scale, word = (1.0, "seconds") if span >= 1 else (1e3, "milliseconds")
    left.plot((wave.start_s + index / wave.rate_Hz) * scale, volts, color=INK, lw=0.5)
    quiet(left, word, "volts")
    if found is None:
        return
    right = figure.add_subplot(1, 2, 2)
    hertz_, amplitude = found.spectrum
    right.loglog(hertz_, np.maximum(amplitude, 1e-9), color=PREDICTION, lw=0.7)
    top = max([x.rms_V for x in found.lines], default=float(amplitude.max()))
    right.set_ylim(max(float(np.median(amplitude)) / 2, top * 1e-5), top * 8)
    named: list[float] = []
    for line in found.lines[:6]:
        place = float(np.log10(line.frequency_Hz))
        if any(abs(place - other) < 0.9 for other in named):
            continue
        named.append(place)
        words = f"{(line.name or show(line.frequency_Hz, 'Hz', 4)).split(',')[0]}\n{show(line.rms_V, 'V')}"
        right.annotate(
            words,
            (line.frequency_Hz, line.rms_V),
            xytext=(0, 4),
            textcoords="offset points",
            ha="center",
            fontsize=6,
            color=INK,
        )
    quiet(right, "hertz", "volts rms")
