"""With what a campaign is loaded and measured: a choice for each role, two wires or four, which lead."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import with_campaign
from tensimeter.core.quantity import parse, show
from tensimeter.core.testplan.equipment import ROLES, able, loads_words, proposed, sinks_A
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: Roles that several parts may play at once.
_SEVERAL = ("parallel_loads", "other_loads")
_NONE = {
    "voltmeter": "none: a plain handheld is assumed",
    "load": "none: what is read is typed with its amps",
}


class EquipmentView(QScrollArea):
    """Every choice is kept at once; what the loads can sink together stands below."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(0, 0, theme.px(10), theme.px(8))
        self.setWidget(inside)
        self.boxes: dict[str, QWidget] = {}
        self.ticks: dict[tuple[str, str], QCheckBox] = {}
        self._shown: object = None

    def refresh(self) -> None:
        """Draw it anew where campaign or stock have changed."""
        job = self.session.job
        test = self.session.test
        state = (job.campaign.model_copy(update={"tests": ()}), job.stock, test and test.output, theme.scale)
        if state == self._shown:
            return
        self._shown = state
        clear(self._column)
        self.boxes, self.ticks = {}, {}
        self.best = QPushButton(tr("Propose the best in stock"))
        self.best.setToolTip(tr("What reaches the amps, and what reads finest at the heaviest output"))
        self.best.clicked.connect(
            lambda: self.session.edit("measured with the best", proposed(self.session.job))
        )
        self._column.addWidget(self.best)
        box = QWidget()
        form = QFormLayout(box)
        form.setContentsMargins(0, 0, 0, 0)
        for role, (words, _) in ROLES.items():
            if able(job, role):
                made = self._several(role) if role in _SEVERAL else self._one(role)
                made.setAccessibleName(words)
                self.boxes[role] = made
                form.addRow(label(words, "caption"), made)
        self._add_wires(form)
        self._column.addWidget(box)
        self._column.addWidget(label(self._sinks(), "caption", wrap=True))
        self._column.addStretch(1)

    def _propose(self) -> None:
        self.session.edit("measured with the best", proposed(self.session.job))
        self.refresh()

    def _one(self, role: str) -> QComboBox:
        made, job = QComboBox(), self.session.job
        made.addItem(_NONE.get(role, "none"), None)
        for part in able(job, role):
            made.addItem(part.name, part.id)
        made.setCurrentIndex(max(made.findData(getattr(job.campaign, role)), 0))
        made.activated.connect(lambda _=0: self._choose(role, made.currentData()))
        return made

    def _several(self, role: str) -> QWidget:
        """A tick for each part that can be joined beside the first load."""
        made, campaign = QWidget(), self.session.job.campaign
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        ticked = getattr(campaign, role)
        for part in able(self.session.job, role):
            if part.id == campaign.load:
                continue
            box = QCheckBox(part.name)
            box.setChecked(part.id in ticked)
            box.toggled.connect(lambda on, part=part.id: self._tick(role, part, on))
            column.addWidget(box)
            self.ticks[role, part.id] = box
        return made

    def _tick(self, role: str, part: str, on: bool) -> None:
        there = [p for p in getattr(self.session.job.campaign, role) if p != part]
        self._choose(role, (*there, part) if on else tuple(there))

    def _add_wires(self, form: QFormLayout) -> None:
        campaign = self.session.job.campaign
        self.wiring = QComboBox()
        self.wiring.setAccessibleName(tr("wires to the voltmeter"))
        self.wiring.addItem(tr("four: the voltmeter's own pair at the terminals"), "four-wire")
        self.wiring.addItem(tr("two: the load's lead is read with it"), "two-wire")
        self.wiring.setCurrentIndex(self.wiring.findData(campaign.wiring))
        self.wiring.activated.connect(lambda _=0: self._choose("wiring", self.wiring.currentData()))
        form.addRow(label(tr("wires"), "caption"), self.wiring)
        self.lead = Field(show(campaign.sense_lead_ohm, "ohm") if campaign.sense_lead_ohm else "")
        self.lead.setPlaceholderText(tr("Ω of both legs, where two wires read"))
        self.lead.setAccessibleName(tr("ohms of the lead"))
        self.lead.editingFinished.connect(self._take_lead)
        if campaign.wiring == "two-wire":
            form.addRow(label(tr("lead"), "caption"), self.lead)

    def _sinks(self) -> str:
        job, test = self.session.job, self.session.test
        output = next((o for o in job.design.outputs() if test is not None and o.id == test.output), None)
        if output is None:
            return ""
        able_A = sinks_A(job, output.nominal_V)
        if able_A is None:
            return "Without a load that can be set, the points are what resistors, lamps and devices draw."
        words = f"{loads_words(job)}: {show(float(able_A), 'A')} at {show(output.nominal_V, 'V')} of "
        return f"{words}{output.name}, which is to give {show(output.full_load_A, 'A')}."

    def _choose(self, role: str, value: object) -> None:
        words = ROLES[role][0] if role in ROLES else role
        self.session.edit(f"{words} chosen", with_campaign(self.session.job, **{role: value}))

    def _take_lead(self) -> None:
        text = self.lead.text().strip()
        try:
            ohms = parse(text, "ohm") if text else 0.0
            if ohms < 0:
                raise UserError("A lead has no resistance below zero; nothing was changed.")
        except UserError as trouble:
            self.session.complain(str(trouble))
            self.lead.selectAll()
            return
        if ohms != self.session.job.campaign.sense_lead_ohm:
            self._choose("sense_lead_ohm", ohms)
