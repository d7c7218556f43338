"""The Design stage: the path at the left, its reach or load line in the middle, findings below."""

from contextlib import suppress

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.arrays import Figure
from tensimeter.core.circuit.load_line import LoadLine, load_line
from tensimeter.core.design.reach import adjustable, set_to, volts_span
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import fixed, parse, show
from tensimeter.core.rating.dissipation import hot_spots, wall_W
from tensimeter.core.rating.ladder import at, ranked
from tensimeter.ui.design.figures_row import FiguresRow
from tensimeter.ui.design.findings import Findings
from tensimeter.ui.design.path_panel import PathPanel
from tensimeter.ui.design.reach_view import ReachView
from tensimeter.ui.design.variant_bar import VariantBar
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.plots import LoadLinePlot
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, label, rule
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: Points of the drawn load line, and how far past full load it goes.
LINE_POINTS, LINE_REACH = 25, 1.15


class _DrawnLine(Struct, frozen=True):
    job: Job
    key: tuple[str, float, tuple[tuple[str, float], ...]]
    line: LoadLine | None


class DesignStage(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._line: _DrawnLine | None = None
        #: Outputs shown otherwise than they are meant: whether as a map.
        self._chosen: dict[str, bool] = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(10), 0)
        layout.setSpacing(theme.px(12))
        self.path = PathPanel(session)
        layout.addWidget(self.path)
        layout.addWidget(rule(vertical=True))
        layout.addWidget(self._middle(), 1)
        seen = WhenSeen(self, self.refresh)
        for signal in (session.job_changed, session.subject_changed, session.point_changed, theme.changed):
            signal.connect(seen.take)
        self.refresh()

    def first_focus(self) -> QWidget:
        return self.path.outline if self.session.job.design.links else self.path.add

    def _middle(self) -> QWidget:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, theme.px(6))
        column.setSpacing(theme.px(4))
        self.variants = VariantBar(self.session)
        column.addWidget(self.variants)
        head = QHBoxLayout()
        self._title = label("", "heading")
        head.addWidget(self._title)
        self.other_view = QPushButton("")
        self.other_view.setProperty("kind", "quiet")
        self.other_view.setToolTip(tr("show this view of the output instead"))
        self.other_view.clicked.connect(self._switch_view)
        head.addWidget(self.other_view)
        head.addStretch(1)
        self._at = label(tr("at"), "caption")
        head.addWidget(self._at)
        self.point = Field()
        self.point.setFixedWidth(theme.px(104))
        self.point.setAccessibleName(tr("operating point: amps, or volts and amps"))
        self.point.returnPressed.connect(self._typed_point)
        head.addWidget(self.point)
        column.addLayout(head)
        self._caption = label("", "caption", wrap=True)
        column.addWidget(self._caption)
        self.plot, self.map = LoadLinePlot(), ReachView(self.session)
        self.plot.picked.connect(self._pick)
        self.map.picked.connect(self._pick_on_map)
        self.map.pointed.connect(self._say_pointed)
        self.map.left.connect(self._say_caption)
        self.map.changed.connect(self._say_caption)
        self.next_act = NextAct(self.session, "design")
        column.addWidget(self.next_act)
        self._below = QWidget()
        column.addWidget(self._below, 20)
        for plot in (self.plot, self.map):
            plot.setMinimumHeight(theme.px(124))
            column.addWidget(plot, 5)
        self._figures = FiguresRow(self.session)
        column.addWidget(self._figures)
        self.findings = Findings(self.session)
        self.findings.setMinimumHeight(theme.px(150))
        self.findings.view_changed.connect(self.refresh)
        column.addWidget(self.findings, 5)
        # On a small screen or with large text it scrolls; nothing is squeezed over something else.
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        return scroll

    # -- what is shown --------------------------------------------------------------------------

    def _mapped(self) -> bool:
        """Whether the reach map is shown: as the output is meant, unless the other view was asked for."""
        output = self.session.output_id
        if output is None or not self._can_map(output):
            return False
        chosen = self._chosen.get(output)
        return bool(self.session.job.design.output(output).adjustable if chosen is None else chosen)

    def _can_map(self, output: str) -> bool:
        try:
            adjustable(self.session.job, output)
        except UserError:
            return False
        return self.session.now.solved is not None

    def _switch_view(self) -> None:
        output = self.session.output_id
        if output is not None:
            self._chosen[output] = not self._mapped()
            self.refresh()

    def refresh(self) -> None:
        """Redraw what follows from job, output and operating point; a map or line that still fits is kept."""
        session, job = self.session, self.session.job
        output_id = session.output_id
        self.variants.refresh()
        empty, mapped = output_id is None, self._mapped()
        self.next_act.refresh()
        self._below.setVisible(empty)
        roomy = not empty and self.findings.wants_room
        self.findings.setVisible(not empty)
        for widget in (self.point, self._at, self.variants, self._title, self._caption, self._figures):
            widget.setVisible(not empty and not roomy)
        self.plot.setVisible(not empty and not mapped and not roomy)
        self.map.setVisible(mapped and not roomy)
        self.other_view.setVisible(not empty and not roomy and self._can_map(output_id or ""))
        self.other_view.setText(tr("load line") if mapped else tr("reach"))
        if roomy:
            self.findings.refresh()
            return
        if output_id is None:
            self._title.show()
            self._caption.show()
            self._title.setText(tr("No output yet"))
            self._caption.setText(tr("An output ends a path: what it must deliver decides the rest."))
            return
        output = job.design.output(output_id)
        amps = session.load.get(output_id, output.full_load_A)
        self._title.setText(tr("{0} of {1}").format("Reach" if mapped else "Load line", output.name))
        tried = session.now.volts
        volts = f"{show(tried[1], 'V', 4)} " if tried and tried[0] == output_id else ""
        self.point.setText(f"{volts}{show(amps, 'A', 4)}")
        self._say_caption()
        if mapped:
            self.map.show_output(output)
        else:
            self._draw_line(output, amps)
        if session.now.solved:
            self._figures.show_output(output_id)
        else:
            self._figures.empty()
        self.findings.refresh()

    def _say_caption(self) -> None:
        job = self.session.job
        wrong = problems(job.design, job.stock)
        if wrong:
            text = next(iter(wrong.values()))
        elif self._mapped():
            text = "solid: for good · dotted: for minutes from cold · thin lines: 95 % of such builds"
            if self.map.late:
                text = "the map of the design before: the new one is being worked out"
            elif self._as_soaked():
                text += " · heat as the soak has shown it"
        elif self.session.now.solved:
            text = "dashed: predicted, the others loaded as in the strip; band: 95 % of such builds"
        else:
            text = "No path in front of this output: only readings speak for it."
        self._caption.setText(text)

    def _as_soaked(self) -> bool:
        """Whether the map's heat is as a soak has shown it; what is not known yet is not waited for here."""
        now = self.session.now
        return (now.heat_at_once or not self.session.aside.threaded) and now.heat_job is not now.job

    def _draw_line(self, output: OutputLink, amps: float) -> None:
        job = self.session.job
        most = max(output.full_load_A * LINE_REACH, amps)
        others = self._others(output.id)
        key = (output.id, most, tuple(others.items()))
        if self._line is None or self._line.job is not job or self._line.key != key:
            line: LoadLine | None = None
            with suppress(UserError):
                line = load_line(job, output.id, np.linspace(0, most, LINE_POINTS), others=others)
            self._line = _DrawnLine(job, key, line)
        band = Band.around(output.nominal_V, output.tolerance)
        self.plot.show_line(band, self._line.line, most, None, amps)

    def _others(self, output: str) -> dict[str, float]:
        return {k: v for k, v in self.session.load.items() if k != output}

    def _say_pointed(self, volts: float, amps: float) -> None:
        """Pointing at a place of the map tells what it would take there."""
        job, output = self.session.job, present(self.session.output_id)
        load: dict[str, Figure] = {
            **{k: np.float64(v) for k, v in self._others(output).items()},
            output: np.float64(amps),
        }
        try:
            _, solution, limits = at(job, load, set_to(job, output, volts, load))
        except UserError:
            return
        own = {link.id for link in job.design.path_to(output)}
        first = ranked([limit for limit in limits if limit.link in own and not limit.floor])[0]
        spots = [s for s in hot_spots(job, solution) if np.isfinite(float(s.hot_C))]
        hottest = max(spots, key=lambda s: float(s.hot_C), default=None)
        heat = f" · {hottest.name} {fixed(float(hottest.hot_C), 'C', 0)}" if hottest else ""
        wall = fixed(float(wall_W(job, solution)), "W", 0)
        self._caption.setText(
            tr("{0} {1} {2} · from the wall {3}{4} · nearest limit: {5}, {6}").format(
                fixed(volts, "V"),
                fixed(amps, "A"),
                fixed(volts * amps, "W", 0),
                wall,
                heat,
                first.name,
                first.sentence,
            )
        )

    # -- hands ----------------------------------------------------------------------------------

    def _pick(self, amps: float) -> None:
        if self.session.output_id:
            self.session.set_load(self.session.output_id, round(amps, 2))

    def _pick_on_map(self, volts: float, amps: float) -> None:
        if self.session.output_id:
            self.session.try_point(self.session.output_id, round(volts, 2), round(amps, 2))

    def _typed_point(self) -> None:
        """`4 A`, or `24 V 4 A` where the output can be set."""
        output = present(self.session.output_id)
        try:
            *first, last = self.point.text().replace("V", "V ").split("V")
            amps = parse(last, "A")
            if not 0 <= amps < 1e4:
                raise UserError("The current of an operating point is zero or above.")
            if first:
                volts = parse(first[0], "V")
                low, high = volts_span(self.session.job, output)
                if not low <= volts <= high:
                    raise UserError(f"Its converter gives {low:g} to {high:g} V; {volts:g} V is outside.")
                self.session.try_point(output, volts, amps)
                return
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.set_load(output, amps)
