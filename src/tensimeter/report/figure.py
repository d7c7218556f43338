"""The plot of a test as SVG, drawn with Matplotlib for print."""

import io
import re
from collections.abc import Callable
from importlib import resources
from typing import TYPE_CHECKING

import numpy as np

from tensimeter.assets.colours import PAPER
from tensimeter.core.model.job import Job
from tensimeter.core.plate.rating import OutletPlate
from tensimeter.core.plate.reach_picture import reach_picture
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Outcome
from tensimeter.report.drawing import COLOURS, INK, PENCIL, PREDICTION, RULE, draw_picture, draw_wave

if TYPE_CHECKING:
    from matplotlib.figure import Figure


#: Figures drawn, by what they show; one is drawn again only when something was read.
_drawn: dict[tuple[object, ...], tuple[Job, str]] = {}
_MOST_KEPT = 200


def test_svg(result: Outcome, job: Job) -> str:
    """The plot that belongs to a test, as an <svg> element; empty where nothing was read."""
    facts = result.facts
    read = (
        (len(facts.readings), facts.readings[-1].id if facts.readings else 0, len(facts.waves))
        if facts
        else ()
    )
    key = (id(job), result.plan.test.id, result.measured, *read)
    if key not in _drawn:
        if len(_drawn) >= _MOST_KEPT:
            _drawn.clear()
        # The job is kept with it, so that its id stays its own.
        _drawn[key] = (job, _test_svg(result, job))
    return _drawn[key][1]


def _test_svg(result: Outcome, job: Job) -> str:
    if not (result.measured or result.extra):
        return ""
    test = result.plan.test
    kind = kind_of(test)
    if kind.plot == "line":
        return _svg(lambda figure: _draw(figure.subplots(), result))
    waves = [r.wave for r in result.steps if r.wave is not None]
    if waves:
        # Of ripple the last one, at full load; of the others the first, as the load or the supply comes on.
        chosen = waves[-1] if kind.printed_wave == "last" else waves[0]
        found = kind.spectrum(chosen, job.settings.mains_Hz, test)
        return _svg(lambda figure: draw_wave(figure, chosen, found))
    shown = kind.picture(result, test)
    # One point of a list is told by its row.
    told = len(shown.spots) > 1 if shown.names else bool(shown.spots) or (kind.heats and bool(shown.lines))
    return _svg(lambda figure: draw_picture(figure, shown)) if told else ""


def reach_svg(outlet: OutletPlate, job: Job) -> str:
    """What an adjustable outlet has held beside what is predicted of it; empty where nothing was held."""
    shown = reach_picture(job, outlet)
    return _svg(lambda figure: draw_picture(figure, shown)) if shown is not None else ""


def _svg(draw: "Callable[[Figure], None]") -> str:
    import matplotlib

    matplotlib.use("svg")
    from matplotlib import font_manager
    from matplotlib.figure import Figure

    face = resources.files("tensimeter.assets").joinpath("fonts", "B612-Regular.otf")
    if "B612" not in font_manager.get_font_names():
        font_manager.fontManager.addfont(str(face))

    with matplotlib.rc_context(
        {"svg.fonttype": "none", "font.family": ["B612", "DejaVu Sans"], "font.size": 8,
         "svg.hashsalt": "tensimeter"}
    ):  # fmt: skip
        figure = Figure(figsize=(6.6, 2.2))
        # Room for the labels, once for all: looking for it takes longer than drawing.
        figure.subplots_adjust(left=0.085, right=0.985, bottom=0.2, top=0.92, wspace=0.2)
        draw(figure)
        out = io.StringIO()
        figure.savefig(out, format="svg", metadata=dict.fromkeys(("Date", "Creator", "Format", "Type")))
    return re.sub(r"^.*?(?=<svg)", "", out.getvalue(), flags=re.S)


def _draw(axes: object, result: Outcome) -> None:
    from matplotlib.axes import Axes

    assert isinstance(axes, Axes)
    low, high = result.plan.steps[0].allowed.ends
    axes.axhspan(low, high, color=PAPER.holds, alpha=0.09, lw=0)
    for end in (low, high):
        axes.axhline(end, color=PAPER.holds, lw=0.8)
    line = result.plan.line
    if line is not None:
        order = np.argsort(line.amps)
        axes.fill_between(line.amps[order], line.low[order], line.high[order], color=PREDICTION,
                          alpha=0.18, lw=0, label="predicted, 95 % of such builds")  # fmt: skip
        axes.plot(line.amps[order], line.volts[order], color=PREDICTION, ls="--", lw=1.2)
    for r in result.steps:
        if r.pair is None or r.volts is None:
            continue
        colour = COLOURS.get(r.verdict.value, INK)
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
