"""The guide over a first supply: one act at a time, left whenever one likes."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout

from tensimeter.core.procedure.guide import GUIDE, GUIDED, GuideStep, step_at
from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow


class GuideBar(QFrame):
    """Says what is next and where; what is done by hand or by its button counts alike."""

    def __init__(self, window: "MainWindow") -> None:
        super().__init__(window)
        self.window_, self.passed = window, 0
        self.setAccessibleName(tr("guide"))
        self.setObjectName("guide")
        row = QHBoxLayout(self)
        row.setContentsMargins(theme.px(18), theme.px(6), theme.px(14), theme.px(6))
        row.setSpacing(theme.px(12))
        text = QVBoxLayout()
        text.setSpacing(theme.px(2))
        self.title = label("", "strong")
        self.words = label("", wrap=True)
        text.addWidget(self.title)
        text.addWidget(self.words)
        row.addLayout(text, 1)
        self.act = QPushButton()
        self.act.setProperty("kind", "main")
        self.act.clicked.connect(self.do)
        row.addWidget(self.act)
        self.leave = QPushButton(tr("leave the guide"))
        self.leave.clicked.connect(self.stop)
        row.addWidget(self.leave)
        window.session.job_changed.connect(self.refresh)
        window.session.readings_changed.connect(self.refresh)
        self.refresh()

    @property
    def step(self) -> GuideStep | None:
        """The act in hand; None once all are done."""
        session = self.window_.session
        self.passed = step_at(session.job, session.now.readings, self.passed)
        return GUIDE[self.passed] if self.passed < len(GUIDE) else None

    def refresh(self) -> None:
        """What is next, and what its button does now."""
        step = self.step
        if step is None:
            self.stop()
            return
        stage = next(s for s in STAGES if s.id == step.stage)
        self.title.setText(
            tr("{0} of {1} · {2}: {3}").format(self.passed + 1, len(GUIDE), stage.name, step.title)
        )
        self.words.setText(step.words)
        here = STAGES[self.window_.stage_index].id == step.stage
        number = STAGES.index(stage) + 1
        line = self._line(step)
        if not here:
            self.act.setText(tr("go to {0}, Alt+{1}").format(stage.name, number))
        elif line:
            self.act.setText(tr("put “{0}” there, Alt+G").format(line))
        else:
            self.act.setText(tr("that was the last") if self.passed == len(GUIDE) - 1 else tr("go on, Alt+G"))
        self.act.setAccessibleName(self.act.text())

    def _line(self, step: GuideStep) -> str:
        session = self.window_.session
        return step.line(session.job, session.now.readings)

    def do(self) -> None:
        """Go to the stage, put the line where it is typed, or go on from what was to be looked at."""
        step = self.step
        if step is None:
            return
        if STAGES[self.window_.stage_index].id != step.stage:
            self.window_.stage(step.stage)
        elif line := self._line(step):
            field = self._field(step)
            session = self.window_.session
            if place := step.place(session.job, session.now.readings):
                session.take_up_at(place)
            field.setFocus()
            field.setText(line)
            field.setCursorPosition(len(line))
        else:
            self.passed += 1
        self.refresh()

    def _field(self, step: GuideStep) -> QLineEdit:
        if step.where == "nameplate":
            return self.window_.stage("stock").nameplate
        if step.where == "add":
            return self.window_.stage("design").path.add
        return self.window_.line.entry

    def stop(self) -> None:
        """Left, or done: it does not come again for this job."""
        self.hide()
        QSettings().setValue("guide_left", str(self.window_.session.file.path))


def guide_for(window: "MainWindow") -> GuideBar | None:
    """The guide, where a job is the guided one and its guide was not left."""
    session = window.session
    left = QSettings().value("guide_left", "", str) == str(session.file.path)
    return None if left or session.job.name != GUIDED or not session.job.demo else GuideBar(window)
