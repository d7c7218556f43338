"""The plot that belongs to the test in hand."""

from functools import cached_property
from typing import TypeVar

import numpy as np
from PyQt6.QtWidgets import QStackedWidget, QWidget

from tensimeter.core.design.reach import Reach, most_A, reach, volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.by_design import HeatByDesign, heat_by_design
from tensimeter.core.heat_design.measuring_points import measuring_points
from tensimeter.core.model.job import Job
from tensimeter.core.testplan.equipment import loads_words, sinks_A
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.soak.estimation import state_at
from tensimeter.core.testplan.soak.run import SoakRun, described_link, place_of, run_name, soak_runs
from tensimeter.core.testplan.step import Outcome, Plan
from tensimeter.ui.parts.heat_plot import Heat, HeatMark, HeatPlot
from tensimeter.ui.parts.picture_plot import PicturePlot
from tensimeter.ui.parts.plots import LoadLinePlot
from tensimeter.ui.parts.reach_map import Drawn, ReachMap
from tensimeter.ui.parts.wave_view import WaveView
from tensimeter.ui.session import Session

_NOTHING = SoakRun(None, 0.0, np.zeros(0), np.zeros(0), np.zeros(0), {}, np.zeros(0))


def _limit(job: Job, plan: Plan) -> HeatMark:
    """The temperature that counts in a test of heat."""
    mark = kind_of(plan.test).heat_mark(plan.test)
    if mark is not None:
        return HeatMark(*mark)
    junction = plan.test.soaks and described_link(job, plan) is not None
    return HeatMark(plan.hottest_C, "junction limit" if junction else "run ends at")


W = TypeVar("W", bound=QWidget)


class PlotArea(QStackedWidget):
    """Load line, waveform and spectrum, reach map, or the picture of the test."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        #: Whether all runs of a soak are laid over one another.
        self.compared = False
        self._reach: tuple[Job, Reach] | None = None
        self._design: tuple[object, object, HeatByDesign | None] | None = None

    # Each is made when it is first looked at: a plot takes as long to make as ten to fill.

    @cached_property
    def line(self) -> LoadLinePlot:
        return self._with(LoadLinePlot())

    @cached_property
    def picture(self) -> PicturePlot:
        return self._with(PicturePlot())

    @cached_property
    def waves(self) -> WaveView:
        return self._with(WaveView())

    @cached_property
    def map(self) -> ReachMap:
        return self._with(ReachMap())

    @cached_property
    def heat(self) -> HeatPlot:
        return self._with(HeatPlot())

    def _with(self, plot: W) -> W:
        self.addWidget(plot)
        return plot

    def show_result(self, result: Outcome) -> None:
        test = result.plan.test
        kind = kind_of(test)
        if kind.plot == "line" and result.plan.steps:
            plan = result.plan
            line = plan.line
            self.line.show_line(plan.steps[0].allowed, line, plan.most_A, result)
            self.setCurrentWidget(self.line)
        elif kind.plot == "wave" and any(r.wave for r in result.steps):
            self._show_wave(result)
            self.setCurrentWidget(self.waves)
        elif kind.plot == "reach" and self._show_reach(result):
            self.setCurrentWidget(self.map)
        elif kind.plot == "heat":
            self._show_heat(result)
            self.setCurrentWidget(self.heat)
        else:
            self.picture.show_picture(kind.picture(result, test))
            self.setCurrentWidget(self.picture)

    def _show_heat(self, result: Outcome) -> None:
        """The latest run of a soak with its forecast; all of them over one another where asked."""
        facts, plan = result.facts, result.plan
        # The job that it was judged by: with a newer one its forecast would be worked out anew, here.
        job = facts.job if facts is not None else self.session.job
        runs = soak_runs(facts.readings, plan.output.id) if facts is not None else []
        names = measuring_points(job)
        limit = _limit(job, plan)
        if not runs:
            self.heat.show_heat(Heat(_NOTHING, None, names, None, limit, self._by_design(plan)))
            return
        place = place_of(job, plan, runs[-1])
        if self.compared and len(runs) > 1 and place is not None:
            self.heat.show_compared(tuple((run_name(plan, r, k), r) for k, r in enumerate(runs)), place)
            return
        state = None
        if plan.test.soaks:
            state = facts.soak if facts is not None and facts.running else state_at(job, plan, runs[-1])
        if state is not None:
            limit = HeatMark(state.limit_C, "junction limit" if state.on_spot else "limit")
        self.heat.show_heat(Heat(runs[-1], state, names, place, limit))

    def _by_design(self, plan: Plan) -> HeatByDesign | None:
        """What the design expects of a test that holds its loads."""
        job = self.session.job
        if self._design is None or self._design[0] is not job or self._design[1] != plan.test:
            loads = [(step.set_A, step.hold_s) for step in plan.steps if step.hold_s]
            link = described_link(job, plan)
            room_C = job.settings.ambient_C
            found = heat_by_design(job, plan.output.id, link, loads, room_C) if link else None
            self._design = (job, plan.test, found)
        return self._design[2]

    def _show_wave(self, result: Outcome) -> None:
        """The waveform of the step in hand, or the last one taken."""
        index = self.session.step_index
        taken = [r for r in result.steps if r.wave is not None]
        chosen = next((r for r in taken if r.step.index == index), taken[-1])
        wave, test = chosen.wave, result.plan.test
        mains_Hz = self.session.job.settings.mains_Hz
        found = kind_of(test).spectrum(wave, mains_Hz, test) if wave is not None else None
        self.waves.show_record(wave, found, kind_of(test).allowed_swing_V(result.plan, test))

    def _show_reach(self, result: Outcome) -> bool:
        job, output = self.session.job, result.plan.output
        test = result.plan.test
        try:
            if self._reach is None or self._reach[0] is not job:
                low, high = volts_span(job, output.id)
                top = min(high, 1.3 * max([p.volts for p in test.corners], default=high))
                found = reach(
                    job, output.id, np.linspace(low, top, 121), np.linspace(0, most_A(job, output.id), 121)
                )
                self._reach = (job, found)
        except UserError:
            return False
        found = self._reach[1]
        able_A = sinks_A(job, found.volts)
        sinks = (loads_words(job), able_A) if able_A is not None else None
        steps = tuple((r.step.trim_V or 0.0, r.step.set_A, r.verdict) for r in result.steps)
        index = min(self.session.step_index, len(steps) - 1)
        point = steps[index][:2] if steps else (output.nominal_V, 0.0)
        self.map.show_reach(Drawn(found, point, sinks, (), steps))
        return True
