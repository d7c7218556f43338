"""The path at the left of Design: its outline, a line to add to it, and the link in hand."""

from collections.abc import Sequence

from PyQt6.QtCore import QStringListModel, Qt
from PyQt6.QtWidgets import QComboBox, QCompleter, QFormLayout, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.design.alternatives import fed_by
from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, identifier, new_link, parts_for, with_link, without_link
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import with_part
from tensimeter.core.parts.converter_part import SinkPart
from tensimeter.core.parts.registry import FED_KINDS, PART_KINDS
from tensimeter.core.path import ENDS, EitherLink, Link
from tensimeter.store.library import part_named
from tensimeter.ui.design.outline import Outline
from tensimeter.ui.own_bin import own_library
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: Kinds of parts that a path is joined from.
JOINABLE = {kind for kinds in PART_KINDS.values() for kind in kinds}
#: Fields of a unit that belong to one kind of part only.
_OF_ONE_KIND = {"rail": "rails", "tap": "transformer", "switch_V": "transformer", "length_m": "wire"}
#: Fields of a link that are chosen from the job's own things.
_CHOSEN = {"device", "sink", "supplied_by", "others", "enable"}


class PathPanel(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, theme.px(6))
        column.addWidget(label(tr("The path"), "heading"))
        self.outline = Outline(self.session)
        self.outline.remove.connect(self.remove_link)
        column.addWidget(self.outline, 3)
        self.add = Field()
        self.add.setPlaceholderText(tr("add: a part's name, or output NAME 12V 5A"))
        self._asked = ""
        self.add.setToolTip(
            tr(
                "Enter puts it in after the link in hand; “and NAME” begins a branch there, or adds a "
                "source of "
                "its own; “or NAME” adds a source that may feed instead; Delete in the outline takes a "
                "link out"
            )
        )
        self.add.setAccessibleName(tr("add a link after the one in hand"))
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
        whole = WhenSeen(self, self.refresh)
        session.job_changed.connect(whole.take)
        theme.changed.connect(whole.take)
        session.subject_changed.connect(WhenSeen(self, self._on_subject).take)
        self.refresh()

    def refresh(self) -> None:
        job = self.session.job
        self.setFixedWidth(theme.px(272))
        self.outline.refresh()
        joinable = [p.name for p in job.stock if p.kind in JOINABLE]
        library = own_library(self.session.complain)
        shipped = [p.name for p in library if p.kind in JOINABLE and p.name not in joinable]
        self._names.setStringList([*joinable, *shipped])
        self._show_link()

    def _on_subject(self) -> None:
        self.outline.follow_subject()
        self._show_link()

    def _show_link(self) -> None:
        subject = self.session.subject
        links = {link.id: link for link in self.session.job.design.links}
        form = getattr(self, "form", None)
        if form is not None and form.record == links.get(subject or ""):
            return
        clear(self._link_layout)
        self.form: RecordForm[Link] | None = None
        if subject is None or subject not in links:
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
        part = self.session.job.part(link.part)
        kind = part.kind if part is not None else ""
        hidden = {name for name, wanted in _OF_ONE_KIND.items() if wanted != kind} | _CHOSEN
        if link.fed_by is not None:
            # Of what is drawn its source tells on which side of common it stands.
            hidden |= {"below"}
        self.form = RecordForm(link, self._apply, self.session.complain, hidden=hidden)
        self._link_layout.addWidget(self.form)
        self._link_layout.addStretch(1)

    def _choices(self, link: Link) -> QWidget:
        """What a link is made of and what feeds it."""
        box = QWidget()
        form = QFormLayout(box)
        form.setContentsMargins(0, 0, 0, 0)
        job = self.session.job
        if link.kind in PART_KINDS:
            made_of = [(p.name, p.id) for p in parts_for(job, link.kind)]
            form.addRow(label(tr("made of"), "caption"), self._choice("made of", link, "part", made_of))
        for field, words, nothing, options in self._further(link):
            if options:
                choice = self._choice(words, link, field, [(nothing, None), *options])
                form.addRow(label(words, "caption"), choice)
        feeders: list[tuple[str, str | None]]
        below = {x.id for x in job.design.links if link in job.design.path_to(x.id)}
        feeders = [(x.name, x.id) for x in job.design.links if x.id not in below and x.kind not in ENDS]
        if link.kind in ("unit", "output", "made_load"):
            feeders.insert(0, ("nothing below" if link.kind == "unit" else "not known", None))
        if isinstance(link, EitherLink):
            sources = (link.fed_by, *link.others)
            feeders = [(x.name, x.id) for x in job.design.links if x.id in sources]
        words = "stands on" if link.kind == "unit" else "fed by"
        form.addRow(label(words, "caption"), self._choice(words, link, "fed_by", feeders))
        return box

    def _further(self, link: Link) -> list[tuple[str, str, str, list[tuple[str, str]]]]:
        """Other things of the job that a link may name: field, words, what none means, the choices."""
        stock = self.session.job.stock
        if link.kind == "output":
            return [("device", "feeds", "not named", [(p.name, p.id) for p in stock if p.kind in FED_KINDS])]
        if link.kind == "unit":
            return [("enable", "enabled by", "not named", [(p.name, p.id) for p in stock if p.enable_ways])]
        if link.kind == "converter":
            sinks = [(p.name, p.id) for p in stock if isinstance(p, SinkPart)]
            return [("sink", "stands on", "its own sink", sinks)]
        if link.kind == "panel_meter":
            design = self.session.job.design
            # From anywhere that it does not feed: raw volts before a converter as well as another rail.
            others = [
                (x.name, x.id)
                for x in design.links
                if x.kind not in ENDS and link not in design.path_to(x.id)
            ]
            return [("supplied_by", "runs from", "what it measures", others)]
        return []

    def _choice(
        self, words: str, link: Link, field: str, options: Sequence[tuple[str, str | None]]
    ) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(words)
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for name, value in options:
            box.addItem(name, value)
        box.setCurrentIndex(box.findData(getattr(link, field)))
        box.activated.connect(lambda _=0: self._apply(self._chosen(link.id, field, box.currentData()), words))
        return box

    def _chosen(self, link_id: str, field: str, value: str | None) -> Link:
        link = self.session.job.design.link(link_id)
        if link.kind == "either" and field == "fed_by":
            return fed_by(link, value or "")
        return changed(link, **{field: value})

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
            job = self._with_link(text, after)
        except UserError as trouble:
            self.session.complain(str(trouble))
            self.add.selectAll()
            return
        added = next(link for link in job.design.links if link.id not in before)
        if self.session.edit(f"{added.name} joined", job):
            self.add.empty()
            self.session.choose(added.id)

    def _with_link(self, text: str, after: str | None) -> Job:
        """The job with what was typed joined; a part of the library is taken once it was asked about."""
        try:
            return new_link(self.session.job, text, after)
        except UserError:
            first, _, rest = text.partition(" ")
            how = first if first.casefold() in ("and", "or") else ""
            shipped = [p for p in own_library(self.session.complain) if p.kind in JOINABLE]
            found = part_named(shipped, rest if how else text)
            if found is None:
                raise
            if self._asked != text:
                self._asked = text
                raise UserError(
                    f"{found.name} is not in the stock. Enter again takes it from the library, with figures "
                    "that are usual for its kind."
                ) from None
            self._asked = ""
            taken = [p.id for p in self.session.job.stock]
            own = changed(found, id=identifier(found.name, taken))
            return new_link(with_part(self.session.job, own), f"{how} {own.name}".strip(), after)

    def remove_link(self, link_id: str) -> None:
        link = self.session.job.design.link(link_id)
        self.session.edit(f"{link.name} taken out", without_link(self.session.job, link_id))

    def _apply(self, record: Link, words: str) -> bool:
        return self.session.edit(f"{words} of {record.name}", with_link(self.session.job, record))
