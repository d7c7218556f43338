"""The load line as SVG, drawn with Matplotlib for print."""

import io
import re
from importlib import resources

import numpy as np

from tensimeter.core.campaign import Outcome

INK, PENCIL, RULE, PREDICTION = "#22303C", "#6B7680", "#D8D2C4", "#3D648C"
_COLOURS = {"holds": "#1C7468", "misses": "#BC3B24", "too_close": "#A86A12"}


def load_line_svg(result: Outcome) -> str:
    """Predicted band and measured volts over amps with the allowed band, as an <svg> element."""
    import matplotlib

    matplotlib.use("svg")
    from matplotlib import font_manager
    from matplotlib.figure import Figure

    face = resources.files("tensimeter.ui").joinpath("assets", "fonts", "B612-Regular.otf")
    if "B612" not in font_manager.get_font_names():
        font_manager.fontManager.addfont(str(face))

    with matplotlib.rc_context(
        {"svg.fonttype": "none", "font.family": ["B612", "DejaVu Sans"], "font.size": 8,
         "svg.hashsalt": "tensimeter"}
    ):  # fmt: skip
        figure = Figure(figsize=(6.6, 2.2), layout="constrained")
        axes = figure.subplots()
        _draw(axes, result)
        out = io.StringIO()
        figure.savefig(out, format="svg", metadata=dict.fromkeys(("Date", "Creator", "Format", "Type")))
    return re.sub(r"^.*?(?=<svg)", "", out.getvalue(), flags=re.S)


def _draw(axes: object, result: Outcome) -> None:
    from matplotlib.axes import Axes

    assert isinstance(axes, Axes)
    low, high = result.plan.steps[0].allowed.ends
    axes.axhspan(low, high, color="#1C7468", alpha=0.09, lw=0)
    for end in (low, high):
        axes.axhline(end, color="#1C7468", lw=0.8)
    line = result.plan.line
    if line is not None:
        order = np.argsort(line.amps)
        axes.fill_between(line.amps[order], line.low[order], line.high[order], color=PREDICTION,
                          alpha=0.18, lw=0, label="predicted, 95 % of such builds")  # fmt: skip
        axes.plot(line.amps[order], line.volts[order], color=PREDICTION, ls="--", lw=1.2)
    for r in result.steps:
        if r.pair is None or r.volts is None:
            continue
        colour = _COLOURS.get(r.verdict.value, INK)
        axes.errorbar(r.pair.amps.value, r.volts.value, r.volts.half_width, fmt="D", ms=4,
                      color=colour, mfc=colour if r.verdict == "holds" else "white", capsize=3)  # fmt: skip
    axes.set_xlabel("amps", color=PENCIL)
    axes.set_ylabel("volts", color=PENCIL)
    axes.grid(color=RULE, lw=0.5)
    axes.text(1.0, 1.01, "band: allowed · dashes: predicted · diamonds: measured, filled where it holds",
              transform=axes.transAxes, ha="right", va="bottom", fontsize=7, color=PENCIL)  # fmt: skip
    for side in axes.spines.values():
        side.set_color(RULE)
    axes.tick_params(colors=PENCIL)
