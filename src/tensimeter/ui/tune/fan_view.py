"""The fan: where it starts, its quietest setting that holds at the worst, thresholds, and its curve."""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QPushButton, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import PRETENDED_WORDS
from tensimeter.core.quantity import fixed, parse
from tensimeter.core.testplan.plan import plans_of
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.fan_plan import KEEP_K, FanPlan, fan_plan
from tensimeter.core.tuning.fan_words import (
    fan_asked,
    fan_picture,
    fan_worked,
    plan_sentence,
    sink_sentence,
    sweep_sentence,
    threshold_sentence,
)
from tensimeter.store.fan_curve import write_curve
from tensimeter.ui.parts.picture_plot import PicturePlot
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.tune.view import TuneView, figures_table, fill


class FanView(TuneView):
    """What was read of the fan at the left, the curve that follows at the right, the plot of it above."""

    words, key = "Fan", "fan"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plan: FanPlan | None = None
        row = QHBoxLayout()
        row.addWidget(label(tr("Parts stay below their limits by"), "caption"))
        self.keep = Field()
        self.keep.setText(f"{KEEP_K:g} K")
        self.keep.setFixedWidth(theme.px(70))
        self.keep.setAccessibleName(tr("kelvin that every part stays below its limit"))
        self.keep.editingFinished.connect(self.refresh)
        row.addWidget(self.keep)
        row.addStretch(1)
        self.write = QPushButton(tr("write the curve …"))
        self.write.setToolTip(tr("as a table (.csv), or as a C array (.c, .h)"))
        self.write.clicked.connect(self._write)
        row.addWidget(self.write)
        self._row = QWidget()
        self._row.setLayout(row)
        row.setContentsMargins(0, 0, 0, 0)
        self.column.addWidget(self._row)
        self.plot = PicturePlot()
        self.plot.setAccessibleName(tr("hottest part at its worst over the fan's volts"))
        self.plot.setMinimumHeight(theme.px(170))
        self.column.addWidget(self.plot, 5)
        self.rows = figures_table(("fan, V", "turns, 1/min", "loud, dB"), "the fan as it was read")
        self.curve = figures_table(("sink, °C", "fan, V", "speed, %", "loud, dB"), "the curve to be followed")
        self._tables = QWidget()
        both = QHBoxLayout(self._tables)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(theme.px(24))
        for table, width in ((self.rows, 290), (self.curve, 360)):
            table.setMinimumWidth(theme.px(width))
            both.addWidget(table)
        both.addStretch(1)
        self.column.addWidget(self._tables, 5)
        self._below = QLabel("")
        self.column.addWidget(self._below, 1)

    def first_focus(self) -> QWidget:
        return self.keep if self.plan is not None else self

    def worked(self) -> Derivation | None:
        return fan_worked(self.plan) if self.plan is not None else None

    def asks(self) -> list[Asked]:
        return fan_asked(self.plan.sweep) if self.plan is not None else []

    def refresh(self) -> None:
        """Worked out beside the window."""
        job, readings = self.session.job, self.session.now.readings
        try:
            keep = parse(self.keep.text(), "K")
        except UserError as trouble:
            self.session.complain(str(trouble))
            return

        def work() -> FanPlan | str:
            try:
                return fan_plan(job, readings, plans_of(job), keep)
            except UserError as trouble:
                return str(trouble)

        self.aside(work, self._take)

    def _take(self, found: FanPlan | str) -> None:
        self.plan = found if isinstance(found, FanPlan) else None
        for part in (self._row, self.plot, self._tables):
            part.setVisible(self.plan is not None)
        if self.plan is None:
            self.title.setText(tr("No fan to tune yet"))
            self.sentence.setText(str(found))
            return
        plan, sweep = self.plan, self.plan.sweep
        made_up = f": {PRETENDED_WORDS[sweep.pretended]}" if sweep.pretended else ""
        self.title.setText(f"{sweep.fan.name}{made_up}")
        lines = (plan_sentence(plan), threshold_sentence(plan), sweep_sentence(sweep), sink_sentence(plan))
        self.sentence.setText("\n".join(line for line in lines if line))
        self.plot.show_picture(fan_picture(plan))
        for part in (self.write, self.curve):
            part.setVisible(bool(plan.curve))
        self.rows.setVisible(bool(sweep.rows))
        fill(
            self.rows,
            [
                (fixed(r.volts, "", 2), "stands" if r.rpm == 0 else _whole(r.rpm), _one(r.loud_dB))
                for r in sweep.rows
            ],
        )
        fill(
            self.curve,
            [
                (fixed(p.sink_C, "", 1), fixed(p.volts, "", 2), fixed(100 * p.speed, "", 0), _one(p.loud_dB))
                for p in plan.curve
            ],
        )

    def _write(self) -> None:
        if self.plan is None:
            return
        kinds = "Table (*.csv);;C array (*.c *.h)"
        name, _ = QFileDialog.getSaveFileName(self, "Write the curve", "fan-curve.csv", kinds)
        if not name:
            return
        try:
            write_curve(self.plan, Path(name))
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.say(tr("The curve is in {0}.").format(name))


def _whole(value: float | None) -> str:
    return "" if value is None else fixed(value, "", 0)


def _one(value: float | None) -> str:
    return "" if value is None else fixed(value, "", 1)
