"""Where the heat goes: loss of every part, air inside, sinks, hot spots, and what the fan does."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.model.job import Job
from tensimeter.core.path import FanLink
from tensimeter.core.quantity import fixed
from tensimeter.core.rating.dissipation import HotSpot, hot_spots, inside_air_C, losses
from tensimeter.core.rating.fan_cooling import box_resistance, fan_of, still_air_K_W, swing
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Figure, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session

_COLUMNS = ("link", "loses", "sink", "hottest", "may get", "cold to there")


class HeatView(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        if not session.now.solved:
            column.addWidget(label(tr("Heat is worked out once the path joins up."), "caption"))
            return
        job, solution = session.now.heat_job, session.now.solved[1]
        if job is not session.job:
            column.addWidget(label(tr("θ and C as the latest soak has shown them."), "caption"))
        lost = {k: float(np.nan_to_num(v)) for k, v in losses(job, solution).items()}
        column.addWidget(self._air(job, lost))
        spots = {s.link: s for s in hot_spots(job, solution) if np.isfinite(float(s.hot_C))}
        rows = QWidget()
        grid = QGridLayout(rows)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(len(_COLUMNS), 1)
        grid.setHorizontalSpacing(18)
        for k, words in enumerate(_COLUMNS):
            side = Qt.AlignmentFlag.AlignLeft if k == 0 else Qt.AlignmentFlag.AlignRight
            grid.addWidget(label(words, "caption"), 0, k, side)
        for line, link_id in enumerate(sorted(lost, key=lambda i: -lost[i]), 1):
            self._row(grid, line, job.design.link(link_id).name, lost[link_id], spots.get(link_id))
        column.addWidget(rows)
        for words in _fan_words(job, list(spots.values())):
            column.addWidget(label(words, wrap=True))

    def _air(self, job: Job, lost: dict[str, float]) -> Figure:
        _, solution, _ = present(self.session.now.solved)
        air, total = float(inside_air_C(job, solution)), sum(lost.values())
        ohms = box_resistance(still_air_K_W(job), fan_of(job), 0.0)
        given = (
            Input("T_room", "around the box", job.settings.ambient_C, "C"),
            Input("P", "all that is lost inside", total, "W"),
            Input("θ_box", "air inside above the room; 0 on an open bench", ohms, "K/W"),
        )
        worked = Derivation(
            "Air inside, fan at rest",
            "T = T_room + P·θ_box",
            given,
            air,
            "C",
            ("leads and loads lie outside",),
        )
        figure = Figure(
            f"{fixed(total, 'W', 1)} stay inside: the air there is {fixed(air, 'C', 0)}", lambda: worked
        )
        figure.asked.connect(self.session.why)
        return figure

    def _row(self, grid: QGridLayout, line: int, name: str, lost_W: float, spot: HotSpot | None) -> None:
        right = Qt.AlignmentFlag.AlignRight
        grid.addWidget(label(name), line, 0)
        grid.addWidget(label(fixed(lost_W, "W", 2)), line, 1, right)
        if spot is None:
            return
        grid.addWidget(label(fixed(float(spot.sink_C), "C", 0)), line, 2, right)
        hottest = Figure(fixed(float(spot.hot_C), "C", 0), spot.worked)
        hottest.asked.connect(self.session.why)
        grid.addWidget(hottest, line, 3, right)
        grid.addWidget(label(fixed(float(spot.limit_C), "C", 0)), line, 4, right)
        minutes = float(spot.minutes())
        words = "never" if np.isinf(minutes) else "at once" if minutes == 0 else fixed(minutes, "min", 0)
        grid.addWidget(label(words, "" if np.isinf(minutes) else "strong"), line, 5, right)


def _fan_words(job: Job, spots: list[HotSpot]) -> list[str]:
    """What the fan does by each sink, in sentences."""
    fan = next((x for x in job.design.links if isinstance(x, FanLink)), None)
    if fan is None:
        return []
    if not spots:
        return [f"{fan.name}: no converter of the path says how it sheds its heat."]
    said = []
    for spot in spots:
        found = swing(spot.phases)
        text = f"{fan.name}, by the sink of {spot.name}: {found.words}"
        if found.period_s is not None:
            text += f" every {fixed(found.period_s / 60, 'min', 1)}, {found.share * 100:.0f} % of it on"
        if found.louder_dB is not None:
            text += f", {fixed(-found.louder_dB, 'dB', 0)} quieter than at full speed"
        said.append(text + ".")
    return said
