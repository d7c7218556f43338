"""Trims: what each moves, how far it goes, and how far to turn which now."""

from pathlib import Path

from PyQt6.QtWidgets import QComboBox, QFileDialog, QHBoxLayout, QPushButton, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.trims import TrimScrew
from tensimeter.core.plate.dial import dial, dial_scale
from tensimeter.core.quantity import fixed, with_uncertainty
from tensimeter.core.testplan.step import panel_of
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.trim_edits import sealed, with_trim, without_trim
from tensimeter.core.tuning.trim_words import reach_words, screw_sentence, target_words, trims_asked
from tensimeter.core.tuning.trims import Trimming, positions, trimming
from tensimeter.report.vector import write_drawing
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.tune.view import TuneView, figures_table, fill

#: Radius of a scale around a usual knob, mm.
KNOB_MM = 18.0


class TrimsView(TuneView):
    """Screws in a table, what to turn above it; a screw is named below."""

    words, key = "Trims", "trims"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found: Trimming | None = None
        self.table = figures_table(
            ("trim", "moves", "reads", "to read", "turns", "turn by", "what turning it has shown"),
            "trims",
            words=(0, 1, 6),
        )
        present(self.table.header()).setStretchLastSection(True)
        self.column.addWidget(self.table, 4)
        #: All that turning the one in hand has shown: in the table there is room for its beginning.
        self.shown = label("", "caption", wrap=True)
        self.column.addWidget(self.shown)
        self.table.currentItemChanged.connect(lambda *_: self._tell_one())
        self.column.addLayout(self._form())
        self._below = QWidget()
        self.column.addWidget(self._below, 3)

    def _form(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label(tr("A trim"), "caption"))
        self.name = Field()
        self.name.setPlaceholderText(tr("its name: front end, volts"))
        self.name.setAccessibleName(tr("name of a trim"))
        row.addWidget(self.name, 2)
        row.addWidget(label(tr("moves"), "caption"))
        self.moves = QComboBox()
        self.moves.setAccessibleName(tr("what it moves"))
        row.addWidget(self.moves, 2)
        self.up, self.down = Field(), Field()
        for field, words in ((self.up, "turns up"), (self.down, "turns down")):
            field.setPlaceholderText(words)
            field.setAccessibleName(tr("{0} to its stop").format(words))
            row.addWidget(field, 1)
        self.add = QPushButton(tr("name it"))
        self.add.clicked.connect(self._add)
        self.name.returnPressed.connect(self._add)
        row.addWidget(self.add)
        self.seal = QPushButton(tr("sealed"))
        self.seal.setToolTip(tr("set, and sealed with a drop of paint; noted in the logbook"))
        self.seal.clicked.connect(self._seal)
        self.scale = QPushButton(tr("its scale …"))
        self.scale.setToolTip(tr("of a knob: ticks where the readings say that its round values are, at 1:1"))
        self.scale.clicked.connect(self._write_scale)
        row.addWidget(self.scale)
        self.forget = QPushButton(tr("forget it"))
        self.forget.setProperty("kind", "quiet")
        self.forget.clicked.connect(self._forget)
        row.addWidget(self.seal)
        row.addWidget(self.forget)
        return row

    def first_focus(self) -> QWidget:
        return self.table if self.session.job.assembly.trims else self.name

    def refresh(self) -> None:
        """What turning has shown so far."""
        job, readings = self.session.job, self.session.now.readings
        self._offer()
        self.aside(lambda: trimming(job, readings), self._take)

    def asks(self) -> list[Asked]:
        return trims_asked(self.session.job, self.found) if self.found is not None else []

    def _offer(self) -> None:
        """What a trim may move: volts of outputs, volts and amps of their displays."""
        wanted = [
            *((o.id, "V", o.name) for o in self.session.job.design.outputs()),
            *(
                (panel_of(o.id), q, f"{o.name}, own display, {words}")
                for o in self.session.job.design.outputs()
                for q, words in (("V", "volts"), ("A", "amps"))
            ),
        ]
        if [self.moves.itemData(k) for k in range(self.moves.count())] == [(p, q) for p, q, _ in wanted]:
            return
        self.moves.clear()
        for place, quantity, words in wanted:
            self.moves.addItem(words, (place, quantity))

    def _take(self, found: Trimming) -> None:
        self.found = found
        there = bool(found.screws)
        for part in (self.table, self.shown, self.seal, self.scale, self.forget):
            part.setVisible(there)
        if not there:
            self.title.setText(tr("No trim is named yet"))
            self.sentence.setText(
                tr(
                    "Name each screw and what it is there for. Then read, turn one a little, type how far "
                    "it then stands from where it was (“front-end-volts 0.12 turn”), and read again: how "
                    "far to turn which follows, with play, stops, and what each moves of the others."
                )
            )
            return
        self.title.setText(tr("All hold") if found.held else tr("{0} trims").format(len(found.screws)))
        self.sentence.setText("\n".join((found.said, *reach_words(self.session.job, found))))
        fill(self.table, [self._row(found, screw) for screw in found.screws])
        self._tell_one()

    def _tell_one(self) -> None:
        """What turning the screw in hand has shown, whole."""
        found, screw = self.found, self.screw
        if found is not None and screw is not None and screw in found.screws:
            self.shown.setText(f"{screw.name}: {screw_sentence(found, screw)}.")
        else:
            self.shown.setText("")

    def _row(self, found: Trimming, screw: TrimScrew) -> tuple[str, ...]:
        turn = next((t for t in found.turns if t.screw == screw.id), None)
        reads, stands = found.reads.get(screw.moves), found.stands.get(screw.id, 0.0)
        name = f"{screw.name}{', sealed' if screw.sealed else ''}"
        by = "" if turn is None else fixed(turn.turns, "", 2)
        return (
            name,
            screw.moves,
            "" if reads is None else with_uncertainty(reads.value, reads.half_width, screw.quantity),
            target_words(found, screw.moves) if screw.moves in found.targets else "",
            fixed(stands, "", 2),
            by,
            screw_sentence(found, screw),
        )

    @property
    def screw(self) -> TrimScrew | None:
        """The screw in hand."""
        item = self.table.currentItem()
        at = self.table.indexOfTopLevelItem(item) if item is not None else -1
        screws = self.session.job.assembly.trims
        return screws[at] if 0 <= at < len(screws) else None

    def _add(self) -> None:
        place = self.moves.currentData()
        if place is None:
            self.session.complain(tr("Nothing is there yet that a trim could move: draw an output first."))
            return
        try:
            job = with_trim(
                self.session.job, self.name.text(), place[0], place[1], self.up.text(), self.down.text()
            )
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        if self.session.edit(f"trim {self.name.text().strip()} named", job):
            for field in (self.name, self.up, self.down):
                field.empty()

    def _seal(self) -> None:
        screw = self.screw
        if screw is None:
            return
        words = "opened again" if screw.sealed else "sealed"
        self.session.edit(f"{screw.name} {words}", sealed(self.session.job, screw.id, not screw.sealed))

    def _write_scale(self) -> None:
        screw, session = self.screw, self.session
        if screw is None:
            return
        try:
            scale = dial_scale(*positions(session.job, session.now.readings, screw.id))
            name, _ = QFileDialog.getSaveFileName(
                self, "Write its scale", f"{screw.id}.pdf", "Drawing (*.pdf *.svg *.dxf)"
            )
            if name:
                write_drawing(dial(scale, KNOB_MM, screw.name), Path(name))
                session.say(tr("The scale is in {0}, at 1:1.").format(name))
        except UserError as trouble:
            session.complain(str(trouble))

    def _forget(self) -> None:
        if self.screw is not None:
            self.session.edit(
                f"trim {self.screw.name} forgotten", without_trim(self.session.job, self.screw.id)
            )
