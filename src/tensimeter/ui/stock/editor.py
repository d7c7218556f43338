"""The card in hand: its figures, whether it lives, what stands beside it, its photos."""

import itertools
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.described import described
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.model.edits import changed
from tensimeter.core.model.job import Job
from tensimeter.core.model.stock_edits import split_up, with_efficiency, with_part, without_efficiency
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.made_part import MadePart
from tensimeter.core.parts.registry import Part
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.procedure.incoming_check import incoming_steps
from tensimeter.core.quantity import localised, show
from tensimeter.core.record import Record
from tensimeter.ui.own_bin import own_bin, own_bin_parts
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.stock.worked_out import WorkedOut
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.ui.stock.incoming_panel import IncomingPanel

_VIEWS = (("figures", "Figures"), ("alive", "Dead or alive"), ("beside", "Beside"), ("photos", "Photos"))
#: Where a figure may come from, in words.
_ORIGINS = (
    ("measured", "measured"),
    ("from the label", "label"),
    ("from the seller", "seller"),
    ("assumed", "assumed"),
)


class PartEditor(QScrollArea):
    """`duplicate` and `remove` are what the stage does with the card in hand."""

    def __init__(self, session: Session, duplicate: Callable[[], None], remove: Callable[[], None]) -> None:
        super().__init__()
        self.session, self._duplicate, self._remove = session, duplicate, remove
        self.part: Part | None = None
        self.view = "figures"
        self.origin = "measured"
        self.form: RecordForm[Part] | None = None
        self.alive: IncomingPanel | None = None
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(theme.px(14), 0, theme.px(10), theme.px(8))
        self.setWidgetResizable(True)
        self.setWidget(inside)

    def show_part(self, part: Part | None) -> None:
        if part is None or self.part is None or part.id != self.part.id:
            self.view = "figures"
            present(self.verticalScrollBar()).setValue(0)
        self.part = part
        self.refresh()

    def follow(self, part: Part | None) -> None:
        """Show a card as it is now; a form that has just given its change goes on being typed in."""
        named = part is not None and self.part is not None and part.name == self.part.name
        if named and self.form is not None and self.form.record == part:
            self.part = part
            if isinstance(part, MadePart):
                self.worked.follow(part)
        elif part != self.part or part is None:
            self.show_part(part)

    def show_view(self, view: str) -> None:
        self.view = view
        self.refresh()
        present(self.verticalScrollBar()).setValue(0)
        self.view_buttons[view].setFocus()

    def refresh(self) -> None:
        clear(self._column)
        self.form = self.alive = None
        self.setFixedWidth(theme.px(286))
        part = self.part
        if part is None:
            words = "Choose a card to see and change its figures, to try it, or to compare it."
            self._column.addWidget(label(words, "caption", wrap=True))
            self._column.addStretch(1)
            return
        self._column.addWidget(label(part.name, "heading", wrap=True))
        self._column.addWidget(self._view_row(part))
        getattr(self, f"_show_{self.view}")(part)
        self._column.addStretch(1)

    def _view_row(self, part: Part) -> QWidget:
        box = QWidget()
        row = FlowLayout(box, theme.px(2))
        group = QButtonGroup(box)
        self.view_buttons: dict[str, QPushButton] = {}
        for key, words in _VIEWS:
            if key == "alive" and not incoming_steps(self.session.job, part):
                continue
            button = QPushButton(tr(words))
            button.setCheckable(True)
            button.setChecked(key == self.view)
            button.setProperty("kind", "view")
            button.clicked.connect(lambda _=False, key=key: self.show_view(key))
            group.addButton(button)
            self.view_buttons[key] = button
            row.addWidget(button)
        return box

    # -- figures --------------------------------------------------------------------------------

    def _show_figures(self, part: Part) -> None:
        say = self.session.complain
        hidden = part.derived | (frozenset() if part.cased else {"opened", "isolation_ohm"})
        self.form = RecordForm(part, self._typed, say, hidden=hidden)
        if isinstance(part, MadePart):
            # What follows from the circuit stands before it: it is what one looks for while one types.
            self.worked = WorkedOut(self.session, part)
            self._column.addWidget(self.worked)
        self._column.addWidget(self.form)
        self._show_origins(part)
        if isinstance(part, ConverterPart):
            self._show_efficiencies(part)
        for field, words in part.lists.items():
            for k, record in enumerate(getattr(part, field, ())):
                self._column.addWidget(label(f"{words} {k + 1}", "strong"))
                form = RecordForm(record, partial(self._apply_inner, field, k), say)
                self._column.addWidget(form)
        if isinstance(part, SourcePart) and part.separate_outputs():
            button = QPushButton(tr("fit its rails from load cases …"))
            button.setToolTip(
                tr("A CSV table with columns v NAME and i NAME of each rail, a row a load case")
            )
            button.clicked.connect(self._pick_cases)
            self._column.addWidget(button)
        buttons = QWidget()
        row = FlowLayout(buttons, theme.px(6))
        acts = [("duplicate", self._duplicate), ("remove", self._remove), ("keep in the bin", self.keep)]
        if part.count > 1:
            acts.insert(0, (f"tell the {part.count} apart", self.split))
        for words, act in acts:
            button = QPushButton(tr(words))
            button.clicked.connect(lambda _=False, act=act: act())
            row.addWidget(button)
        self._column.addWidget(buttons)
        self._show_bin(part)

    def _show_origins(self, part: Part) -> None:
        """Where the figures come from, and where those come from that are typed now."""
        row = QHBoxLayout()
        row.addWidget(label(tr("figures typed here are"), "caption"))
        self.origin_box = QComboBox()
        self.origin_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.origin_box.setMinimumContentsLength(6)
        self.origin_box.setAccessibleName(tr("where figures typed here come from"))
        for words, origin in _ORIGINS:
            self.origin_box.addItem(words, origin)
        self.origin_box.setCurrentIndex(self.origin_box.findData(self.origin))
        self.origin_box.activated.connect(self._origin_chosen)
        row.addWidget(self.origin_box, 1)
        self._column.addLayout(row)
        for words, origin in _ORIGINS:
            names = [described(type(part), f).words for f, o in part.origins.items() if o == origin]
            if names:
                self._column.addWidget(label(f"{words}: {', '.join(names)}", "caption", wrap=True))

    def _origin_chosen(self) -> None:
        self.origin = self.origin_box.currentData()

    def _show_efficiencies(self, part: ConverterPart) -> None:
        """What is known of a converter's efficiency; its losses are fitted from it at once."""
        self._column.addWidget(label(tr("efficiency: its losses are fitted from it"), "strong", wrap=True))
        for k, point in enumerate(part.efficiencies):
            words = f"{point.out_V:g} V  {point.out_A:g} A  {point.efficiency * 100:.3g} %"
            button = QPushButton(tr("{0}   take out").format(localised(words)))
            button.setProperty("kind", "quiet")
            button.clicked.connect(
                lambda _=False, k=k: self._edit(
                    f"efficiency of {part.name}", without_efficiency(self.session.job, part.id, k)
                )
            )
            self._column.addWidget(button)
        self.efficiency = Field()
        self.efficiency.setPlaceholderText(tr("output volts, amps, per cent: 12V 5A 92%"))
        self.efficiency.setAccessibleName(tr("efficiency to fit the losses from"))
        self.efficiency.returnPressed.connect(self.add_efficiency)
        self._column.addWidget(self.efficiency)

    def add_efficiency(self) -> None:
        assert self.part is not None
        try:
            job = with_efficiency(self.session.job, self.part.id, self.efficiency.text())
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self._edit(f"efficiency of {self.part.name}", job)

    def _pick_cases(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Load cases", "", "Tables (*.csv *.txt *.tsv)")
        if name:
            self.fit_cases(Path(name))

    def fit_cases(self, path: Path) -> None:
        """The rails' no-load volts, resistances and pulls on one another, from a table of load cases."""
        from tensimeter.core.analysis.cross import cross_regulation
        from tensimeter.store.logs import read_load_cases

        try:
            rails, volts, amps = read_load_cases(path)
            plain = Accuracy(of_reading=0.005, counts=2, resolution=0.01)
            found = cross_regulation(rails, volts, amps, plain, plain)
            assert isinstance(self.part, SourcePart)
            part = present(self.part.with_cross(found))
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        if self.apply(part, "rails, fitted"):
            rail, by, ohms = found.worst
            self.session.say(
                tr("{0} moves most: {1} by each ampere on {2}.").format(rail, show(-ohms.value, "ohm"), by)
            )

    # -- the other views ------------------------------------------------------------------------

    # Each is imported when it is first shown: the start does not wait for them.

    def _show_alive(self, part: Part) -> None:
        from tensimeter.ui.stock.incoming_panel import IncomingPanel

        self.alive = IncomingPanel(self.session, part, self.apply)
        self._column.addWidget(self.alive)

    def _show_beside(self, part: Part) -> None:
        from tensimeter.ui.stock.beside_panel import BesidePanel

        self._column.addWidget(BesidePanel(self.session, part))

    def _show_photos(self, part: Part) -> None:
        from tensimeter.ui.stock.photos import Photos

        self._column.addWidget(Photos(self.session, f"part:{part.id}"))

    # -- the bin --------------------------------------------------------------------------------

    def _show_bin(self, part: Part) -> None:
        """What the bin knows of a part: where it is in use, what was known of it when."""
        kept = next((k for k in own_bin_parts(self.session.complain) if k.part.id == part.id), None)
        if kept is None:
            return
        jobs = f"; in the path of {', '.join(kept.jobs)}" if kept.jobs else ""
        self._column.addWidget(
            label(tr("in the bin since {0}{1}").format(_day(kept.since), jobs), "caption", wrap=True)
        )
        for line in _learnt(part):
            self._column.addWidget(label(line, "caption", wrap=True))
        if kept.part != part:
            button = QPushButton(tr("take its figures from the bin"))
            button.clicked.connect(lambda: self.apply(kept.part, "figures from the bin"))
            self._column.addWidget(button)
        button = QPushButton(tr("no longer in the bin"))
        button.clicked.connect(self.take_out)
        self._column.addWidget(button)

    def take_out(self) -> None:
        part = self.part
        assert part is not None
        try:
            with own_bin() as bin_:
                bin_.take_out(part.id)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.say(tr("{0} is out of the bin; this job keeps its card.").format(part.name))
        self.refresh()

    def keep(self) -> None:
        part = self.part
        assert part is not None
        try:
            with own_bin() as bin_:
                bin_.keep(part)
                used = {link.part for link in self.session.job.design.links if link.part is not None}
                bin_.note_use(self.session.job.name, used & {k.part.id for k in bin_.parts()})
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.say(tr("{0} is kept in the bin; other jobs can take it from there.").format(part.name))
        self.refresh()

    # -- edits ----------------------------------------------------------------------------------

    def _typed(self, record: Part, words: str) -> Part | bool:
        """A card with a figure that was typed: it comes from where the builder says."""
        now = self.part
        figures = [
            f
            for f in type(record).model_fields
            if isinstance(getattr(record, f), float) and getattr(record, f) != getattr(now, f)
            if f not in record.derived
        ]
        origins = {**record.origins, **dict.fromkeys(figures, self.origin)}
        made = changed(record, origins=origins)
        # Known to the form before anybody asks whether it shows what is kept.
        form = present(self.form)
        before = form.record
        form.record = made
        if self.apply(made, words):
            return made
        form.record = before
        return False

    def apply(self, record: Part, words: str) -> bool:
        done = self.session.edit(f"{words} of {record.name}", with_part(self.session.job, record))
        if done and words == "what was tried":
            self._teach(record)
        return done

    def _teach(self, part: Part) -> None:
        """What was measured of a part that is in the bin is written down there as well."""
        if any(k.part.id == part.id for k in own_bin_parts(self.session.complain)):
            self.keep()

    def _apply_inner(self, field: str, index: int, record: Record, words: str) -> bool:
        """One record of a list within the part, such as a meter's range."""
        records = list(getattr(self.part, field))
        records[index] = record
        return self.apply(changed(present(self.part), **{field: tuple(records)}), words)

    def split(self) -> None:
        assert self.part is not None
        try:
            job = split_up(self.session.job, self.part.id)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self._edit(f"{self.part.name} told apart", job)

    def _edit(self, words: str, job: Job) -> None:
        self.session.edit(words, job)


def _day(at: float) -> str:
    return time.strftime("%Y-%m-%d", time.localtime(at))


def _learnt(part: Part) -> list[str]:
    """What changed on a part's record in the bin, and when, the latest first."""
    try:
        with own_bin() as bin_:
            history = bin_.history(part.id)
    except UserError:
        return []
    lines = []
    for (_, before), (at, after) in itertools.pairwise(history):
        names = [f for f in type(after).model_fields if getattr(before, f, None) != getattr(after, f)]
        words = [described(type(after), f).words for f in names if f != "origins"]
        if words:
            lines.append(f"{_day(at)}: {', '.join(words)}")
    return lines[:-6:-1]
