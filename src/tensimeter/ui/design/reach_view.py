"""The reach of the output in hand: its map worked out beside the window, its band once it rests."""

from collections.abc import Callable
from functools import partial

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QTimer, pyqtSignal

from tensimeter.app.derived import Derived
from tensimeter.core.design.alternatives import fed_instead
from tensimeter.core.design.reach import Border, Borders, Reach, most_A, reach, spread_border, volts_span
from tensimeter.core.design.variants import laid_out
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.model.job import Job
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.equipment import loads_words, sinks_A
from tensimeter.core.testplan.registry import kind_of
from tensimeter.ui.parts.reach_map import Drawn, ReachMap
from tensimeter.ui.session import Session

#: Voltages and currents of the drawn reach map.
MAP_VOLTS, MAP_AMPS = 121, 161
#: Points of the band around its border.
BAND_VOLTS, BAND_AMPS = 15, 61
#: For so long a map rests before its band is asked for, ms.
REST_MS = 120

#: What a map was made for: its output, and the currents of the others.
_Others = tuple[tuple[str, float], ...]
_Border = tuple[str, tuple[Border, ...]]


class _Made(Struct, frozen=True):
    """A map, and the job that it was worked out for."""

    job: Job
    key: tuple[str, _Others]
    reach: Reach
    borders: tuple[_Border, ...]
    band: Borders | None = None


class ReachView(ReachMap):
    """While a new map is worked out the one before stays, and `late` says so."""

    #: The map has come, or is on its way.
    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.made: _Made | None = None
        self._band_soon = QTimer(self)
        self._band_soon.setSingleShot(True)
        self._band_soon.setInterval(REST_MS)
        self._band_soon.timeout.connect(self._ask_band)

    @property
    def late(self) -> bool:
        """Whether what is shown is the map of an earlier design."""
        return self.session.aside.waits("map")

    def show_output(self, output: OutputLink) -> None:
        """The map of an output at the session's operating point; one that still fits is kept."""
        session, now = self.session, self.session.now
        if session.aside.threaded and not now.heat_at_once:
            # What a soak has shown of its heat is fitted first; the map of before stays until then.
            session.aside.ask("map", self, lambda: now.heat_job, lambda _: self.show_output(output))
            self.changed.emit()
            return
        job = now.heat_job
        others = tuple((k, v) for k, v in session.load.items() if k != output.id)
        key = (output.id, others)
        if self.made is not None and self.made.job is job and self.made.key == key:
            session.aside.drop("map")
            self._draw()
            return
        here = session.job
        session.aside.ask("map", self, partial(_made, now, job, here, key), self._take)
        self.changed.emit()

    def _take(self, made: _Made) -> None:
        self.made = made
        self._draw()
        self._band_soon.start()
        self.changed.emit()

    def _draw(self) -> None:
        made, session = self.made, self.session
        design, solved = session.job.design, session.now.solved
        if made is None or solved is None or made.key[0] not in [o.id for o in design.outputs()]:
            return
        output = design.output(made.key[0])
        tried, amps = session.now.volts, session.load.get(output.id, output.full_load_A)
        at_volts = tried[1] if tried and tried[0] == output.id else float(solved[1][output.id].V)
        able_A = sinks_A(session.job, made.reach.volts)
        sinks = (loads_words(session.job), able_A) if able_A is not None else None
        steps = self._steps(output)
        self.show_reach(Drawn(made.reach, (at_volts, amps), sinks, made.borders, steps, made.band))

    def _steps(self, output: OutputLink) -> tuple[tuple[float, float, Verdict], ...]:
        """Points of the tests that lie in the reach, with their verdicts."""
        found = map(self.session.now.outcome, _tests_in_reach(self.session.job, output.id))
        return tuple(
            (r.step.trim_V or output.nominal_V, r.step.set_A, r.verdict)
            for result in found
            if result is not None
            for r in result.steps
        )

    def _ask_band(self) -> None:
        """How far the border strays in such builds; worked out when the map is seen and at rest."""
        made = self.made
        if made is None or self.late or made.job is not self.session.now.heat_job or not self.isVisible():
            return

        def take(made: _Made) -> None:
            if self.made is not None and made.job is self.made.job and made.key == self.made.key:
                self.made = made
                self._draw()

        self.session.aside.ask("band", self, partial(_with_band, made), take)


def _tests_in_reach(job: Job, output: str) -> list[str]:
    return [t.id for t in job.campaign.tests if t.output == output and kind_of(t).in_reach]


def _made(now: Derived, job: Job, here: Job, key: tuple[str, _Others]) -> _Made:
    """The map of an output, the borders of other variants, and the plans of the tests that it shows."""
    output, others = key[0], dict(key[1])
    low, high = volts_span(job, output)
    volts = np.linspace(low, high, MAP_VOLTS)
    grid = np.linspace(0, 1.3 * most_A(job, output), MAP_AMPS)
    found = reach(job, output, volts, grid, others)
    for test in _tests_in_reach(here, output):
        now.plan(test)

    def border(of: Job) -> tuple[Border, ...]:
        return tuple(reach(of, output, volts, grid, others).border())

    return _Made(job, key, found, _borders(here, border))


def _borders(here: Job, border: Callable[[Job], tuple[Border, ...]]) -> tuple[_Border, ...]:
    """The borders of variants that were set aside, and of sources that may feed instead."""
    borders: list[_Border] = []
    overlaid = [(f"variant {v.name}", laid_out(here, v)) for v in here.variants[:2]]
    for name, job in [*overlaid, *fed_instead(here)][:3]:
        try:
            borders.append((name, border(job)))
        except (UserError, KeyError):
            continue
    return tuple(borders)


def _with_band(made: _Made) -> _Made:
    """A map with the band of its border; as it is where none can be told."""
    output, others = made.key
    volts = np.linspace(made.reach.volts[0], made.reach.volts[-1], BAND_VOLTS)
    amps = np.linspace(0, made.reach.amps[-1], BAND_AMPS)
    try:
        band = spread_border(made.job, output, volts, amps, dict(others))
    except UserError:
        return made
    return _Made(made.job, made.key, made.reach, made.borders, band)
