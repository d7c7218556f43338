"""The variants of a design as a row of words: take one up, set this one aside, try what is proposed."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QComboBox, QPushButton, QWidget

from tensimeter.core.design.variants import (
    Proposal,
    as_variant,
    keep_variant,
    proposals,
    take_up,
    without_variant,
)
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, clear
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class _Word(QPushButton):
    """One variant; Delete drops one that was set aside."""

    dropped = pyqtSignal(str)

    def __init__(self, name: str, in_hand: bool) -> None:
        super().__init__(name)
        self.setCheckable(True)
        self.setChecked(in_hand)
        self.setProperty("kind", "view")
        self.setToolTip("the variant in hand" if in_hand else "take this variant up; Delete drops it")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Delete:
            self.dropped.emit(self.text())
        else:
            super().keyPressEvent(event)


class VariantBar(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._row = FlowLayout(self, theme.px(4))
        self._shown: tuple[Job, str | None, bool, float] | None = None
        self.refresh()

    def refresh(self) -> None:
        job = self.session.job
        state = (job, self.session.output_id, theme.night, theme.scale)
        if self._shown is not None and self._shown[0] is job and self._shown[1:] == state[1:]:
            return
        self._shown = state
        clear(self._row)
        for name in (job.variant, *(v.name for v in job.variants)):
            button = _Word(name, name == job.variant)
            button.dropped.connect(self.drop)
            button.clicked.connect(lambda _=False, name=name: self.take(name))
            self._row.addWidget(button)
        self.name = Field()
        self.name.setPlaceholderText("set aside, go on as …")
        self.name.setToolTip("A name and Enter: the design is kept as it is, and you go on under this name")
        self.name.setAccessibleName("set the design aside and go on under a new name")
        self.name.setFixedWidth(theme.px(150))
        self.name.returnPressed.connect(self.set_aside)
        self._row.addWidget(self.name)
        self.ways = QComboBox()
        self.ways.setAccessibleName("variants worth comparing")
        self.ways.addItem("worth comparing …", None)
        for proposal in self._proposals():
            self.ways.addItem(f"{proposal.name}: {proposal.why}", proposal)
        self.ways.setMinimumContentsLength(14)
        self.ways.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        present(self.ways.view()).setMinimumWidth(theme.px(420))
        self.ways.activated.connect(lambda _=0: self.try_way())
        # Shown only once it has its place: on its own it would be a window for a moment.
        self._row.addWidget(self.ways)
        self.ways.setVisible(self.ways.count() > 1)

    def _proposals(self) -> list[Proposal]:
        job, output = self.session.job, self.session.output_id
        if output is None or problems(job.design, job.stock):
            return []
        try:
            return proposals(job, output)
        except UserError:
            return []

    def take(self, name: str) -> None:
        job = self.session.job
        if name != job.variant:
            self.session.edit(f"variant {name} taken up", take_up(job, name))

    def drop(self, name: str) -> None:
        job = self.session.job
        if name == job.variant:
            self.session.complain(f"{name} is in hand; take up another one first.")
        else:
            self.session.edit(f"variant {name} dropped", without_variant(job, name))

    def set_aside(self) -> None:
        before = self.session.job.variant
        try:
            job = keep_variant(self.session.job, self.name.text())
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.edit(f"variant {before} set aside", job)

    def try_way(self) -> None:
        """The design in hand is set aside; the proposed one is in hand."""
        proposal = self.ways.currentData()
        if proposal is None:
            return
        job = self.session.job
        kept = (*job.variants, as_variant(job))
        made = proposal.job.model_copy(update={"variants": kept, "variant": proposal.name})
        self.session.edit(f"variant {proposal.name} tried", made)
