"""Ways to do it: each question with its choice, the reason for it, and what it does in this job."""

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from tensimeter.core.design.policies import POLICY_OPTIONS, PolicyOption, donor_share_words
from tensimeter.core.model.edits import changed
from tensimeter.core.record import Record
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.text import label
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: What is typed as a figure; the rest is chosen.
_TYPED = {"donor_share", "fuse_share", "spread"}


class PolicyView(QWidget):
    """`apply` takes a changed policy and words for the edit."""

    def __init__(self, session: Session, apply: Callable[[Record, str], bool]) -> None:
        super().__init__()
        self.session, self._apply = session, apply
        self.boxes: dict[str, QComboBox] = {}
        policy = session.job.policy
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        rows = QWidget()
        grid = QGridLayout(rows)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setColumnStretch(2, 1)
        for line, school in enumerate(POLICY_OPTIONS):
            self._row(grid, line, school)
        column.addWidget(rows)
        hidden = {name for name in type(policy).model_fields if name not in _TYPED}
        self.form = RecordForm(policy, apply, session.complain, hidden=hidden)
        self.form.setMaximumWidth(theme.px(360))
        column.addWidget(self.form)

    def _row(self, grid: QGridLayout, line: int, school: PolicyOption) -> None:
        job = self.session.job
        grid.addWidget(label(school.question, wrap=True), line, 0)
        consequence = school.consequence(job)
        if not school.choices:
            grid.addWidget(label(donor_share_words(job), "caption"), line, 1)
            grid.addWidget(label(consequence, "caption", wrap=True), line, 2)
            return
        box = QComboBox()
        box.setAccessibleName(school.question)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(13)
        for value, reason in school.choices.items():
            box.addItem(value.replace("_", " "), value)
            box.setItemData(box.count() - 1, reason, 3)
        now = getattr(job.policy, school.field)
        box.setCurrentIndex(box.findData(now))
        box.activated.connect(lambda _=0: self._take(school, box.currentData()))
        self.boxes[school.field] = box
        grid.addWidget(box, line, 1)
        reason = school.choices[now]
        text = f"{reason}. Here: {consequence}." if consequence else f"{reason}."
        grid.addWidget(label(text[0].upper() + text[1:], "caption", wrap=True), line, 2)

    def _take(self, school: PolicyOption, value: str) -> None:
        policy = changed(self.session.job.policy, **{school.field: value})
        self._apply(policy, school.question.casefold())
