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
from tensimeter.ui.parts.words import tr
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
        self.setToolTip(tr("the variant in hand") if in_hand else tr("take this variant up; Delete drops it"))

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
        self._shown: tuple[Job, str | None] | None = None
        #: The variants there are, the one in hand first; how it all looks.
        self._built: tuple[tuple[str, ...], bool, float] | None = None
        self.refresh()

    def refresh(self) -> None:
        job, output = self.session.job, self.session.output_id
        built = ((job.variant, *(v.name for v in job.variants)), theme.night, theme.scale)
        if built != self._built:
            self._built, self._shown = built, None
            self._build(built[0])
        if self._shown is None or self._shown[0] is not job or self._shown[1] != output:
            self._shown = (job, output)
            self._offer(self._proposals())

    def _build(self, names: tuple[str, ...]) -> None:
        """A word for each variant, the one in hand first; a line to set it aside; what is worth comparing."""
        job = self.session.job
        clear(self._row)
        for name in names:
            button = _Word(name, name == job.variant)
            button.dropped.connect(self.drop)
            button.clicked.connect(lambda _=False, name=name: self.take(name))
            self._row.addWidget(button)
        self.name = Field()
        self.name.setPlaceholderText(tr("set aside, go on as …"))
        self.name.setToolTip(
            tr("A name and Enter: the design is kept as it is, and you go on under this name")
        )
        self.name.setAccessibleName(tr("set the design aside and go on under a new name"))
        self.name.setFixedWidth(theme.px(150))
        self.name.returnPressed.connect(self.set_aside)
        self._row.addWidget(self.name)
        self.ways = QComboBox()
        self.ways.setAccessibleName(tr("variants worth comparing"))
        self.ways.setMinimumContentsLength(14)
        self.ways.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        present(self.ways.view()).setMinimumWidth(theme.px(420))
        self.ways.activated.connect(lambda _=0: self.try_way())
        # Shown only once it has its place: on its own it would be a window for a moment.
        self._row.addWidget(self.ways)

    def _offer(self, proposals: list[Proposal]) -> None:
        words = ["worth comparing …", *(f"{p.name}: {p.why}" for p in proposals)]
        if words == [self.ways.itemText(k) for k in range(self.ways.count())]:
            for k, proposal in enumerate(proposals):
                self.ways.setItemData(k + 1, proposal)
        else:
            self.ways.clear()
            for word, data in zip(words, (None, *proposals), strict=True):
                self.ways.addItem(word, data)
        self.ways.setVisible(bool(proposals))

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
            self.session.complain(tr("{0} is in hand; take up another one first.").format(name))
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
