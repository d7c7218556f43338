"""An empty stage's own offer: what is done next, with an example that can be taken."""

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.procedure.first_steps import first_step, with_example
from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui.parts.text import clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class NextAct(QWidget):
    """Shown while the job has no path: here the act itself, elsewhere the way to where it is done."""

    def __init__(self, session: Session, stage: str) -> None:
        super().__init__()
        self.session, self._stage = session, stage
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, theme.px(4), 0, 0)
        self._column.setSpacing(theme.px(6))
        self.act: QPushButton | None = None
        self.refresh()

    def refresh(self) -> None:
        """The act that is next now; nothing once there is a path."""
        clear(self._column)
        self.act = None
        step = first_step(self.session.job)
        if step is None or self.parentWidget() is not None:
            # Without a parent yet it would come up as a window of its own.
            self.setVisible(step is not None)
        if step is None:
            return
        here = step.stage == self._stage
        stage = next(s for s in STAGES if s.id == step.stage)
        words = step.words if here else f"First, in {stage.name}: {step.words[0].lower()}{step.words[1:]}"
        self._column.addWidget(label(words, wrap=True))
        self.act = QPushButton(
            tr("take the example “{0}”").format(step.example) if here else tr("go to {0}").format(stage.name)
        )
        self.act.setAccessibleName(self.act.text())
        self.act.clicked.connect(self._take if here else lambda: self.session.stage_wanted.emit(step.stage))
        row = QHBoxLayout()
        row.addWidget(self.act)
        row.addStretch(1)
        self._column.addLayout(row)

    def _take(self) -> None:
        step = first_step(self.session.job)
        if step is None:
            return
        try:
            job = with_example(self.session.job, step)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        links = {x.id for x in self.session.job.design.links}
        if self.session.edit(f"example “{step.example}” taken", job):
            added = [x.id for x in job.design.links if x.id not in links]
            if added:
                self.session.choose(added[-1])
