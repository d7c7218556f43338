"""The stages down the left, each with what is open in it."""

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QAbstractButton, QVBoxLayout, QWidget

from tensimeter.core.procedure.notices import STAGES, Stage, open_holds
from tensimeter.core.testplan.evaluation import proven_A, rates, shows_load
from tensimeter.core.testplan.step import Outcome, panel_of
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class StageButton(QAbstractButton):
    """A stage's name and one line on how it stands."""

    def __init__(self, stage: Stage, number: int) -> None:
        super().__init__()
        self.stage, self.caption, self.open_holds, self._number = stage, "", 0, number
        self.setCheckable(True)
        self.setAutoExclusive(True)
        self.setToolTip(tr("Alt+{0}").format(number))

    def sizeHint(self) -> QSize:
        return QSize(theme.px(112), theme.px(50))

    def show_caption(self, caption: str, open_holds: int) -> None:
        self.caption, self.open_holds = caption, open_holds
        self.setAccessibleName(f"{tr(self.stage.name)}, {caption}")
        self.setToolTip(tr("{0}; Alt+{1}").format(caption, self._number))
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        if self.isChecked():
            painter.fillRect(self.rect(), theme.colour("sheet"))
            painter.fillRect(0, 0, 4, self.height(), theme.colour("ink"))
        # Where there is little height the edges give way first, then the line on how it stands.
        edge = max(0.0, min(theme.px(5), (self.height() - theme.px(34)) / 2))
        box = QRectF(self.rect()).adjusted(theme.px(18), edge, -2, -edge)
        painter.setFont(theme.font(11, bold=self.isChecked()))
        painter.setPen(theme.colour("ink" if self.isChecked() else "pencil"))
        tight = self.height() < theme.px(34)
        where = Qt.AlignmentFlag.AlignVCenter if tight else Qt.AlignmentFlag.AlignTop
        painter.drawText(box, where, tr(self.stage.name))
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("hold" if self.open_holds else "pencil"))
        text = painter.fontMetrics().elidedText(self.caption, Qt.TextElideMode.ElideRight, round(box.width()))
        if not tight:
            painter.drawText(box, Qt.AlignmentFlag.AlignBottom, text)
        if self.hasFocus():
            painter.setPen(QPen(theme.colour("prediction"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))


class StageRail(QWidget):
    """All seven stages; one may go back at any time."""

    chosen = pyqtSignal(int)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 8)
        layout.setSpacing(2)
        #: The tests that were read, as last judged: a long soak's forecast takes a while.
        self.outcomes: list[Outcome] = []
        self.buttons = [StageButton(stage, k + 1) for k, stage in enumerate(STAGES)]
        for k, button in enumerate(self.buttons):
            button.clicked.connect(lambda _=False, k=k: self.chosen.emit(k))
            layout.addWidget(button)
        layout.addStretch(1)
        session.job_changed.connect(self.ask)
        session.readings_changed.connect(self.ask)
        session.noticed.connect(self.refresh)
        self.ask()

    def show_stage(self, index: int) -> None:
        self.buttons[index].setChecked(True)

    def ask(self) -> None:
        """Have all tests that were read judged, and say meanwhile what is known."""
        now = self.session.now
        self.session.aside.ask("judged", self, lambda: now.outcomes(read_only=True), self._take)
        self.refresh()

    def _take(self, outcomes: list[Outcome]) -> None:
        self.outcomes = outcomes
        self.refresh()

    def refresh(self) -> None:
        for button in self.buttons:
            count = len(open_holds(self.session.notices, button.stage.id))
            caption = f"{count} hold{'s' if count > 1 else ''} open" if count else ""
            button.show_caption(caption or self._caption(button.stage), count)

    def _caption(self, stage: Stage) -> str:
        job, outcomes = self.session.job, self.outcomes
        if stage.id == "stock":
            count = len(job.stock)
            return f"{count} part{'s' * (count != 1)}" if count else "empty"
        if stage.id == "design":
            count = len(job.design.links)
            return f"{count} link{'s' * (count != 1)}" if count else "empty"
        if stage.id == "prove":
            total = len(job.campaign.tests)
            done = sum(o.complete for o in outcomes)
            if total == 1 and outcomes:
                return f"{outcomes[0].measured} of {len(outcomes[0].steps)} read"
            return f"{done} of {total} tests read" if total else "no test"
        if stage.id == "plate":
            shown = [o for o in outcomes if (rates(o) and proven_A(o)) or shows_load(o)]
            count = len({t.output for t in job.campaign.tests})
            if not shown and any(o.pretended for o in outcomes):
                return "simulated only"
            return f"{len(shown)} of {count} rated" if count else "nothing yet"
        if stage.id == "assemble":
            made = sum(w.made for w in job.assembly.wires)
            return "as it stands" if job.assembly.already_running else f"{made} wires made"
        if stage.id == "wake":
            return "as it stands" if job.assembly.already_running else "nothing open"
        count = sum(panel_of(o.id) in self.session.now.so_far.places for o in job.design.outputs())
        return f"{count} display{'s' * (count != 1)} read" if count else "no display read"
