"""The Stock stage: shelves of cards, a line for nameplates and names, an editor for the card in hand."""

from PyQt6.QtCore import QStringListModel, Qt
from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, identifier
from tensimeter.core.model.stock_edits import card_from_nameplate, from_library, with_part, without_part
from tensimeter.core.parts.registry import SHELVES, Part
from tensimeter.ui.own_bin import own_bin_parts, own_library
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.text import Field, clear, label, rule
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.stock.card import PartCard
from tensimeter.ui.stock.editor import PartEditor
from tensimeter.ui.stock.library_box import LibraryBox
from tensimeter.ui.theme import theme


class StockStage(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.current: str | None = None
        self.cards: dict[str, PartCard] = {}
        self._standing: list[tuple[str, list[str]]] = []
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
        self.editor = PartEditor(session, self._duplicate, self._remove)
        self.editor.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.editor.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        layout.addWidget(self.editor)
        whole = WhenSeen(self, self.refresh)
        session.job_changed.connect(whole.take)
        theme.changed.connect(WhenSeen(self, self._anew).take)
        theme.changed.connect(WhenSeen(self.editor, self.editor.refresh).take)
        self.refresh()

    def _entry_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.nameplate = Field()
        self.nameplate.setPlaceholderText(tr("nameplate (24V 6.3A 150W), or a name"))
        self.nameplate.setAccessibleName(tr("nameplate, or a part of the library by name"))
        self._names = QStringListModel()
        self._owned: set[str] = set()
        completer = QCompleter(self._names, self)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        self.nameplate.setCompleter(completer)
        self.nameplate.textEdited.connect(self._offer_names)
        self.nameplate.returnPressed.connect(self.add_typed)
        row.addWidget(self.nameplate, 1)
        self.other = LibraryBox(self._offered)
        self.other.added.connect(self.add_other)
        row.addWidget(self.other)
        row.addSpacing(theme.px(8))
        return row

    def _offered(self) -> list[tuple[str, Part]]:
        """What can be added besides a nameplate: what is in the bin, then the library, with words each."""
        say, here = self.session.complain, {p.id for p in self.session.job.stock}
        kept = [k.part for k in own_bin_parts(say)]
        self._owned = {p.id for p in kept}
        bin_ = [(f"from the bin: {p.name}", p) for p in kept if p.id not in here]
        return [*bin_, *((p.name, p) for p in own_library(say))]

    def _offer_names(self, typed: str) -> None:
        """Names are offered once a letter begins the line: a figure begins a nameplate."""
        if len(typed) == 1 and typed.isalpha():
            self._names.setStringList([words for words, _ in self._offered()])
        elif not typed[:1].isalpha():
            self._names.setStringList([])

    def first_focus(self) -> QWidget:
        return self.nameplate

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        """The cards of the same parts stay and are told anew; others mean another shelf."""
        job = self.session.job
        used = {link.part for link in job.design.links}
        shelves = [(title, [p for p in job.stock if p.kind in kinds]) for title, kinds in SHELVES]
        standing = [(title, [part.id for part in parts]) for title, parts in shelves if parts]
        if standing == self._standing and standing:
            for part in job.stock:
                self.cards[part.id].tell(part, part.id in used)
        else:
            self._standing = standing
            self._fill([(title, parts) for title, parts in shelves if parts], used)
        self.editor.follow(job.part(self.current))

    def _anew(self) -> None:
        """In another size or by night no card stays."""
        self._standing = []
        self.refresh()

    def _fill(self, shelves: list[tuple[str, list[Part]]], used: set[str | None]) -> None:
        focused = next((i for i, c in self.cards.items() if c.hasFocus()), None)
        clear(self._shelf_layout)
        self.cards = {}
        if not shelves:
            words = label(
                tr(
                    "The bin is empty. What you have is typed above, an Enter each; loads and meters come "
                    "from "
                    "the list beside it."
                ),
                wrap=True,
            )
            self._shelf_layout.addWidget(words)
            self._shelf_layout.addWidget(NextAct(self.session, "stock"))
        for title, parts in shelves:
            self._shelf_layout.addWidget(label(tr(title), "strong"))
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
        if focused in self.cards:
            self.cards[focused].setFocus()

    @property
    def form(self) -> RecordForm[Part] | None:
        """The form of the card in hand."""
        return self.editor.form

    def choose(self, part_id: str) -> None:
        self.current = part_id
        for card in self.cards.values():
            card.current = card.part.id == part_id
            card.update()
        self.editor.show_part(self.session.job.part(part_id))

    # -- edits ----------------------------------------------------------------------------------

    def add_typed(self) -> None:
        """Enter in the entry line: a nameplate, or a part of the library or the bin by its name."""
        text = self.nameplate.text().strip()
        if not text:
            return
        try:
            part = self._named(text) or card_from_nameplate(self.session.job, text)
        except UserError as trouble:
            self.session.complain(tr("{0} Or name a part of the list beside it.").format(trouble))
            return
        if self._add(part):
            self.nameplate.empty()
            if part.note:
                # A label that does not add up, or a figure that is a rule of thumb.
                self.session.say(f"{part.name}: {part.note}.")

    def _named(self, text: str) -> Part | None:
        there, wanted = self._offered(), text.casefold()
        found = next((p for words, p in there if wanted in (words.casefold(), p.name.casefold())), None)
        if found is None and not any(c.isdigit() for c in text):
            # No nameplate: how a name begins does, where only one begins so.
            from tensimeter.store.library import part_named

            found = part_named((p for _, p in there), text)
        return self._as_new(found) if found is not None else None

    def _as_new(self, part: Part) -> Part:
        """A part of the bin as it is; a generic one under a name that is free."""
        return part if part.id in self._owned else from_library(self.session.job, part)

    def _add(self, part: Part) -> bool:
        if not self.session.edit(f"{part.name} added", with_part(self.session.job, part)):
            return False
        self.choose(part.id)
        return True

    def add_other(self, part: Part) -> None:
        """The part chosen from the list."""
        self._add(self._as_new(part))

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
        except UserError as trouble:
            self.session.complain(f"{part.name}: {trouble}")
            return
        self.current = None
        self.session.edit(f"{part.name} removed", job)
