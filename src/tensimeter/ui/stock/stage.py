"""The Stock stage: shelves of cards, a line for nameplates, a form for the card in hand."""

import time

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.errors import Trouble
from tensimeter.core.job.edits import changed, donor_from_nameplate, identifier, with_part, without_part
from tensimeter.core.job.parts import SHELVES, Part, Record
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.text import Field, clear, label, rule
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.session import Session
from tensimeter.ui.stock.blank import BLANKS, blank
from tensimeter.ui.stock.card import PartCard
from tensimeter.ui.stock.own_bin import own_bin, own_bin_parts
from tensimeter.ui.theme import theme


class StockStage(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.current: str | None = None
        self.cards: dict[str, PartCard] = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(theme.px(20), theme.px(12), 0, 0)
        layout.setSpacing(0)
        left = QVBoxLayout()
        left.setSpacing(theme.px(8))
        left.addLayout(self._entry_row())
        self._shelves = QWidget()
        self._shelf_layout = QVBoxLayout(self._shelves)
        self._shelf_layout.setContentsMargins(0, 0, theme.px(8), theme.px(8))
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(self._shelves)
        left.addWidget(scroll, 1)
        layout.addLayout(left, 1)
        layout.addWidget(rule(vertical=True))
        layout.addWidget(self._editor_column())
        whole = WhenSeen(self, self.refresh)
        session.job_changed.connect(whole.take)
        theme.changed.connect(whole.take)
        self.refresh()

    def _entry_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.nameplate = Field()
        self.nameplate.setPlaceholderText("nameplate of a donor, e.g. 24V 6.3A 150W 85% server unit")
        self.nameplate.setAccessibleName("nameplate of a donor")
        self.nameplate.returnPressed.connect(self.add_donor)
        row.addWidget(self.nameplate, 1)
        self.other = QComboBox()
        self.other.setAccessibleName("add another kind of part")
        self.other.activated.connect(lambda _=0: self.add_other(self.other.currentData()))
        row.addWidget(self.other)
        row.addSpacing(theme.px(8))
        return row

    def _fill_other(self) -> None:
        """What can be added besides a nameplate: a plain card of each kind, and what is in the bin."""
        self.other.clear()
        self.other.addItem("add something else …", "")
        for kind, (name, _) in BLANKS.items():
            self.other.addItem(name, kind)
        owned = {p.id for p in self.session.job.stock}
        for kept in own_bin_parts(self.session.trouble.emit):
            if kept.part.id not in owned:
                self.other.addItem(f"from the bin: {kept.part.name}", kept.part)

    def _editor_column(self) -> QWidget:
        self._editor = QWidget()
        self._editor_layout = QVBoxLayout(self._editor)
        self._editor_layout.setContentsMargins(theme.px(14), 0, theme.px(10), theme.px(8))
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(self._editor)
        self._scroll.setFixedWidth(theme.px(270))
        return self._scroll

    def first_focus(self) -> QWidget:
        return self.nameplate

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        focused = next((i for i, c in self.cards.items() if c.hasFocus()), None)
        clear(self._shelf_layout)
        self.cards = {}
        job = self.session.job
        used = {link.part for link in job.design.links}
        if not job.stock:
            words = label(
                "The bin is empty. Type the nameplate of a supply you have above and press "
                "Enter: volts, amps, watts. Loads and meters come from the list beside it.",
                wrap=True,
            )
            self._shelf_layout.addWidget(words)
        for kind, title in SHELVES:
            parts = [p for p in job.stock if p.kind == kind]
            if not parts:
                continue
            self._shelf_layout.addWidget(label(title, "strong"))
            shelf = QWidget()
            flow = FlowLayout(shelf, theme.px(8))
            for part in parts:
                card = PartCard(part, part.id in used)
                card.current = part.id == self.current
                card.chosen.connect(self.choose)
                flow.addWidget(card)
                self.cards[part.id] = card
            self._shelf_layout.addWidget(shelf)
        self._shelf_layout.addStretch(1)
        self._scroll.setFixedWidth(theme.px(270))
        if focused in self.cards:
            self.cards[focused].setFocus()
        self._fill_other()
        shown = job.part(self.current)
        if shown is None or self._shown_part() != shown:
            self._show_editor(shown)

    def _shown_part(self) -> Part | None:
        form = getattr(self, "form", None)
        return form.record if form is not None else None

    def choose(self, part_id: str) -> None:
        self.current = part_id
        for card in self.cards.values():
            card.current = card.part.id == part_id
            card.update()
        self._show_editor(self.session.job.part(part_id))

    def _show_editor(self, part: Part | None) -> None:
        clear(self._editor_layout)
        self.form = None
        if part is None:
            self._editor_layout.addWidget(
                label("Choose a card to see and change its figures.", "caption", wrap=True)
            )
            self._editor_layout.addStretch(1)
            return
        self._editor_layout.addWidget(label(part.name, "heading", wrap=True))
        self.form = RecordForm(part, self._apply, self.session.trouble.emit)
        self._editor_layout.addWidget(self.form)
        for field, words in (("ranges", "range"), ("rails", "rail"), ("couplings", "coupling")):
            for k, record in enumerate(getattr(part, field, ())):
                self._editor_layout.addWidget(label(f"{words} {k + 1}", "strong"))
                form = RecordForm(
                    record,
                    lambda r, w, field=field, k=k: self._apply_inner(field, k, r, w),
                    self.session.trouble.emit,
                )
                self._editor_layout.addWidget(form)
        buttons = QWidget()
        row = FlowLayout(buttons, theme.px(6))
        for words, act in (
            ("duplicate", self._duplicate),
            ("remove", self._remove),
            ("keep in the bin", self._keep),
        ):
            button = QPushButton(words)
            button.clicked.connect(act)
            row.addWidget(button)
        self._editor_layout.addWidget(buttons)
        self._show_bin(part)
        self._editor_layout.addStretch(1)

    def _show_bin(self, part: Part) -> None:
        """What the bin knows of a part: where it is in use, and whether more has been learnt since."""
        kept = next((k for k in own_bin_parts(self.session.trouble.emit) if k.part.id == part.id), None)
        if kept is None:
            return
        jobs = f"; in the path of {', '.join(kept.jobs)}" if kept.jobs else ""
        since = time.strftime("%Y-%m-%d", time.localtime(kept.since))
        self._editor_layout.addWidget(label(f"in the bin since {since}{jobs}", "caption", wrap=True))
        if kept.part != part:
            button = QPushButton("take its figures from the bin")
            button.clicked.connect(lambda: self._apply(kept.part, "figures from the bin"))
            self._editor_layout.addWidget(button)
        button = QPushButton("no longer in the bin")
        button.clicked.connect(lambda: self._take_out(part))
        self._editor_layout.addWidget(button)

    def _take_out(self, part: Part) -> None:
        try:
            with own_bin() as bin_:
                bin_.take_out(part.id)
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
            return
        self.session.told.emit(f"{part.name} is out of the bin; this job keeps its card.")
        self._show_editor(part)

    def _keep(self) -> None:
        part = self.session.job.part(self.current)
        if part is None:
            return
        try:
            with own_bin() as bin_:
                bin_.keep(part)
                used = {link.part for link in self.session.job.design.links}
                bin_.note_use(self.session.job.name, used & {k.part.id for k in bin_.parts()})
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
            return
        self.session.told.emit(f"{part.name} is kept in the bin; other jobs can take it from there.")
        self._show_editor(part)

    # -- edits ----------------------------------------------------------------------------------

    def add_donor(self) -> None:
        """Enter in the nameplate line makes a card."""
        text = self.nameplate.text().strip()
        if not text:
            return
        try:
            part = donor_from_nameplate(self.session.job, text)
        except Trouble as trouble:
            self.session.trouble.emit(str(trouble))
            return
        if self.session.edit(f"{part.name} added", with_part(self.session.job, part)):
            self.nameplate.empty()
            self.choose(part.id)

    def add_other(self, kind: object) -> None:
        """A plain card of a kind, or a part of the bin as it is known there."""
        self.other.setCurrentIndex(0)
        if not kind:
            return
        part = blank(self.session.job, kind) if isinstance(kind, str) else kind
        if self.session.edit(f"{part.name} added", with_part(self.session.job, part)):
            self.choose(part.id)

    def _apply(self, record: Record, words: str) -> bool:
        job = self.session.job
        return self.session.edit(f"{words} of {record.name}", with_part(job, record))

    def _apply_inner(self, field: str, index: int, record: Record, words: str) -> bool:
        """One record of a list within the part, such as a meter's range."""
        part = self.session.job.part(self.current)
        records = list(getattr(part, field))
        records[index] = record
        return self._apply(changed(part, **{field: tuple(records)}), words)

    def _duplicate(self) -> None:
        part = self.session.job.part(self.current)
        if part is None:
            return
        taken = [p.id for p in self.session.job.stock]
        twin = changed(part, id=identifier(part.name, taken), name=f"{part.name}, another"[:80])
        if self.session.edit(f"{part.name} duplicated", with_part(self.session.job, twin)):
            self.choose(twin.id)

    def _remove(self) -> None:
        part = self.session.job.part(self.current)
        if part is None:
            return
        try:
            job = without_part(self.session.job, part.id)
        except Trouble as trouble:
            self.session.trouble.emit(f"{part.name}: {trouble}")
            return
        self.current = None
        self.session.edit(f"{part.name} removed", job)
