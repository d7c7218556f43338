"""The Design stage: outline and link in hand at the left, load line and limits ladder beside."""

import numpy as np
from PyQt6.QtCore import QStringListModel, Qt
from PyQt6.QtWidgets import QComboBox, QCompleter, QFormLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.electrical.loadline import explain_input, explain_volts, load_line
from tensimeter.core.errors import Trouble
from tensimeter.core.explain import Given, Worked
from tensimeter.core.job.design import problems
from tensimeter.core.job.edits import changed, new_link, parts_for, with_link, without_link
from tensimeter.core.job.parts import Record
from tensimeter.core.judge import Band
from tensimeter.core.limits import ranked
from tensimeter.core.quantity import fixed, parse, show
from tensimeter.ui.design.outline import Outline
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.margin_bar import MarginRow
from tensimeter.ui.parts.plots import LoadLinePlot
from tensimeter.ui.parts.text import Field, Figure, clear, label, rule
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: Points of the drawn load line, and how far past full load it goes.
LINE_POINTS, LINE_REACH = 25, 1.15


class DesignStage(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._drawn: object = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(theme.px(16), theme.px(12), theme.px(10), 0)
        layout.setSpacing(theme.px(12))
        layout.addWidget(self._left(), 0)
        layout.addWidget(rule(vertical=True))
        layout.addWidget(self._middle(), 1)
        session.job_changed.connect(self.refresh)
        session.subject_changed.connect(self._on_subject)
        session.point_changed.connect(self.refresh_point)
        theme.changed.connect(self.refresh)
        self.refresh()

    def first_focus(self) -> QWidget:
        return self.outline if self.session.job.design.links else self.add

    def _left(self) -> QWidget:
        left = QWidget()
        left.setFixedWidth(theme.px(272))
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, theme.px(6))
        column.addWidget(label("The path", "heading"))
        self.outline = Outline(self.session)
        self.outline.remove.connect(self.remove_link)
        column.addWidget(self.outline, 3)
        self.add = Field()
        self.add.setPlaceholderText("add: a part's name, or output NAME 12V 5A")
        self.add.setToolTip("Enter puts it in after the link in hand; Delete in the outline takes a link out")
        self.add.setAccessibleName("add a link after the one in hand")
        self._names = QStringListModel()
        completer = QCompleter(self._names, self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.add.setCompleter(completer)
        self.add.returnPressed.connect(self.add_link)
        column.addWidget(self.add)
        self._link_box = QWidget()
        self._link_layout = QVBoxLayout(self._link_box)
        self._link_layout.setContentsMargins(0, theme.px(6), theme.px(6), 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self._link_box)
        column.addWidget(scroll, 2)
        self._left_box = left
        return left

    def _middle(self) -> QWidget:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 0, theme.px(6))
        column.setSpacing(theme.px(6))
        head = QHBoxLayout()
        self._title = label("", "heading")
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(label("at", "caption"))
        self.point = Field()
        self.point.setFixedWidth(theme.px(84))
        self.point.setAccessibleName("current of the operating point")
        self.point.returnPressed.connect(self._typed_point)
        head.addWidget(self.point)
        column.addLayout(head)
        self._caption = label("", "caption", wrap=True)
        column.addWidget(self._caption)
        self.plot = LoadLinePlot()
        self.plot.setMinimumHeight(theme.px(124))
        self.plot.picked.connect(self._pick)
        column.addWidget(self.plot, 4)
        figures = QWidget()
        self._figures = FlowLayout(figures, theme.px(18))
        column.addWidget(figures)
        self._ladder_title = label("What gives up first", "heading")
        column.addWidget(self._ladder_title)
        rungs = QWidget()
        self._ladder = QVBoxLayout(rungs)
        self._ladder.setContentsMargins(0, 0, theme.px(8), 0)
        self._ladder.setSpacing(0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(rungs)
        column.addWidget(scroll, 3)
        return inside

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        job = self.session.job
        self._left_box.setFixedWidth(theme.px(272))
        self.outline.refresh()
        joinable = [p.name for p in job.stock if p.kind in ("donor", "converter", "fuse", "lead")]
        self._names.setStringList(joinable)
        self._show_link()
        self._drawn = None
        self.refresh_point()

    def _on_subject(self) -> None:
        self.outline.follow_subject()
        self._show_link()
        self.refresh_point()

    def _show_link(self) -> None:
        subject = self.session.subject
        links = {link.id: link for link in self.session.job.design.links}
        form = getattr(self, "form", None)
        if form is not None and form.record == links.get(subject):
            return
        clear(self._link_layout)
        self.form = None
        if subject not in links:
            words = (
                "Choose a link to see and change it."
                if links
                else (
                    "Start with a donor: type its name above. Then a converter, a fuse, a lead, and an "
                    "output such as “output MOUNT 13.6V 8A”."
                )
            )
            self._link_layout.addWidget(label(words, "caption", wrap=True))
            self._link_layout.addStretch(1)
            return
        link = links[subject]
        self._link_layout.addWidget(self._choices(link))
        self.form = RecordForm(link, self._apply, self.session.trouble.emit)
        self._link_layout.addWidget(self.form)
        self._link_layout.addStretch(1)

    def _choices(self, link: Record) -> QWidget:
        """What a link is made of and what feeds it."""
        box = QWidget()
        form = QFormLayout(box)
        form.setContentsMargins(0, 0, 0, 0)
        job = self.session.job
        if link.kind != "output":
            form.addRow(
                label("made of", "caption"),
                self._choice("made of", link, "part", [(p.name, p.id) for p in parts_for(job, link.kind)]),
            )
        below = {x.id for x in job.design.links if link in job.design.path_to(x.id)}
        feeders = [(x.name, x.id) for x in job.design.links if x.id not in below and x.kind != "output"]
        if link.kind in ("unit", "output"):
            feeders.insert(0, ("nothing below" if link.kind == "unit" else "not known", None))
        words = "stands on" if link.kind == "unit" else "fed by"
        form.addRow(label(words, "caption"), self._choice(words, link, "fed_by", feeders))
        return box

    def _choice(self, words: str, link: Record, field: str, options: list) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(words)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for name, value in options:
            box.addItem(name, value)
        box.setCurrentIndex(box.findData(getattr(link, field)))
        box.activated.connect(
            lambda _=0: self._apply(
                changed(self.session.job.design.link(link.id), **{field: box.currentData()}), words
            )
        )
        return box

    def refresh_point(self) -> None:
        """Redraw what follows from output and operating point."""
        session, job = self.session, self.session.job
        output_id = session.output_id
        clear(self._figures)
        clear(self._ladder)
        empty = output_id is None
        for widget in (self.plot, self.point, self._ladder_title):
            widget.setVisible(not empty)
        if empty:
            self._title.setText("No output yet")
            self._caption.setText("An output ends a path: what it must deliver decides the rest.")
            return
        output = job.design.link(output_id)
        amps = session.load.get(output_id, output.full_load_A)
        self._title.setText(f"Load line of {output.name}")
        self.point.setText(show(amps, "A", 4))
        wrong = problems(job.design, job.stock)
        if wrong:
            self._caption.setText(next(iter(wrong.values())))
        elif session.now.solved:
            self._caption.setText(
                "dashed: predicted, with the 95 % of such builds · a click sets the operating point"
            )
        else:
            self._caption.setText("No path in front of this output: only readings speak for it.")
        self._draw_line(output, amps)
        if session.now.solved:
            self._show_figures(output_id)
        self._show_ladder()

    def _draw_line(self, output: Record, amps: float) -> None:
        job = self.session.job
        reach = max(output.full_load_A * LINE_REACH, amps)
        key = (output.id, reach)
        if self._drawn is None or self._drawn[0] != key:
            try:
                line = load_line(job, output.id, np.linspace(0, reach, LINE_POINTS))
            except Trouble:
                line = None
            self._drawn = (key, line)
        band = Band.around(output.nominal_V, output.tolerance)
        self.plot.show_line(band, self._drawn[1], reach, None, amps)

    def _show_figures(self, output_id: str) -> None:
        network, solution, _ = self.session.now.solved
        subject = self.session.subject or output_id
        link = self.session.job.design.link(subject)
        point = solution[subject]
        volts = Figure(
            f"{link.name} {fixed(float(point.V), 'V', 3)}",
            lambda: explain_volts(self.session.job, solution, network, subject),
        )
        shown = [volts]
        if link.kind == "converter":
            shown.append(
                Figure(
                    f"draws {fixed(float(point.I_in), 'A', 3)}",
                    lambda: explain_input(solution, network, subject, link.name),
                )
            )
        if link.kind == "output":
            shown.append(
                Figure(f"takes {fixed(float(point.power_out), 'W', 1)}", lambda: _taken(link.name, point))
            )
        else:
            shown.append(Figure(f"loses {fixed(float(point.loss), 'W', 2)}", lambda: _loss(link.name, point)))
        wall = float(solution.wall_W)
        shown.append(
            Figure(
                f"from the wall {fixed(wall, 'W', 0)}",
                lambda: Worked(
                    "Power from the wall",
                    "P = Σ U0·I / η over the donors",
                    (),
                    wall,
                    "W",
                    ("each donor's efficiency as on its card",),
                ),
            )
        )
        for figure in shown:
            figure.asked.connect(self.session.why)
            self._figures.addWidget(figure)

    def _show_ladder(self) -> None:
        solved = self.session.now.solved
        if not solved:
            self._ladder.addWidget(label("Nothing to rank until the path joins up.", "caption"))
        else:
            for limit in ranked(solved[2]):
                row = MarginRow(limit)
                row.asked.connect(self.session.why)
                self._ladder.addWidget(row)
        self._ladder.addStretch(1)

    # -- edits ----------------------------------------------------------------------------------

    def add_link(self) -> None:
        """Enter in the add line."""
        text = self.add.text().strip()
        if not text:
            return
        before = {link.id for link in self.session.job.design.links}
        links = self.session.job.design.links
        after = self.session.subject or (links[-1].id if links else None)
        try:
            job = new_link(self.session.job, text, after)
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
            return
        added = next(link for link in job.design.links if link.id not in before)
        if self.session.edit(f"{added.name} joined", job):
            self.add.empty()
            self.session.choose(added.id)

    def remove_link(self, link_id: str) -> None:
        link = self.session.job.design.link(link_id)
        self.session.edit(f"{link.name} taken out", without_link(self.session.job, link_id))

    def _apply(self, record: Record, words: str) -> bool:
        return self.session.edit(f"{words} of {record.name}", with_link(self.session.job, record))

    def _pick(self, amps: float) -> None:
        if self.session.output_id:
            self.session.set_load(self.session.output_id, round(amps, 2))

    def _typed_point(self) -> None:
        try:
            amps = parse(self.point.text(), "A")
            if not 0 <= amps < 1e4:
                raise Trouble("The current of an operating point is zero or above.")
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
            return
        if self.session.output_id:
            self.session.set_load(self.session.output_id, amps)


def _taken(name: str, point: object) -> Worked:
    given = (Given("U", "volts at it", float(point.V), "V"), Given("I", "current set", float(point.I), "A"))
    return Worked(f"Power at {name}", "P = U·I", given, float(point.power_out), "W")


def _loss(name: str, point: object) -> Worked:
    return Worked(
        f"Loss in {name}",
        "P = U_in·I_in − U·I",
        (
            Given("U_in·I_in", "power taken in", float(point.power_in), "W"),
            Given("U·I", "power passed on", float(point.power_out), "W"),
        ),
        float(point.loss),
        "W",
        (),
        "Power balance",
    )
