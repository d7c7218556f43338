"""The Plate stage: the rating shown so far, the data sheet as it will print, and its export."""

import time
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tensimeter.app.derived import Derived
from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.held.claims import Claim, claims
from tensimeter.core.held.proven_part import proven_supply
from tensimeter.core.plate.missing import Missing, missing
from tensimeter.core.plate.rating import Plate
from tensimeter.core.testplan.evaluation import rates
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Outcome
from tensimeter.report.annex import SHEET_PHOTOS
from tensimeter.report.apart import html_of, put
from tensimeter.report.plate import plate_of
from tensimeter.report.sheet import Rating, rating
from tensimeter.store.attachments import attach
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.own_bin import own_bin
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.path_field import PathField
from tensimeter.ui.parts.scrolled import scrolled
from tensimeter.ui.parts.text import clear, label, rule
from tensimeter.ui.parts.verdict_square import VerdictSquare
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.plate.claims_table import ClaimsTable
from tensimeter.ui.plate.face_view import FaceView
from tensimeter.ui.plate.plate_view import PlateView
from tensimeter.ui.plate.sheet_view import SheetView
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: What is shown at the right, in this order.
VIEWS = ("Data sheet", "Plate", "Front and box", "Claimed and found")


class PlateStage(QWidget):
    """Proven ratings at the left; at the right the sheet, the plate, the box, what is claimed."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        #: Where the sheet is written once it has been laid out.
        self._wanted: Path | None = None
        self._told: tuple[object, ...] = ()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(theme.px(20), theme.px(12), theme.px(10), 0)
        layout.setSpacing(theme.px(12))
        left = QWidget()
        left.setLayout(self._left())
        side = scrolled(left)
        side.setFixedWidth(theme.px(238))
        layout.addWidget(side)
        layout.addWidget(rule(vertical=True))
        right = QVBoxLayout()
        head, group = QHBoxLayout(), QButtonGroup(self)
        self.views: dict[str, QPushButton] = {}
        for k, words in enumerate(VIEWS):
            button = QPushButton(tr(words))
            button.setCheckable(True)
            button.setProperty("kind", "view")
            button.clicked.connect(lambda _=False, k=k: self._turn_to(k))
            group.addButton(button)
            self.views[words] = button
            head.addWidget(button)
        self.views[VIEWS[0]].setChecked(True)
        head.addStretch(1)
        self.progress = QProgressBar()
        self.progress.setRange(0, 0)
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(theme.px(80))
        self.progress.setAccessibleName(tr("the sheet is being laid out"))
        head.addWidget(self.progress)
        self.stop = QPushButton(tr("cancel"))
        self.stop.setProperty("kind", "quiet")
        head.addWidget(self.stop)
        right.addLayout(head)
        self.preview = SheetView(session)
        self.preview.busy.connect(self._on_busy)
        self.preview.said.connect(self._say)
        self.preview.made.connect(self._write_wanted)
        self.stop.clicked.connect(self.preview.give_up)
        self.claims = ClaimsTable()
        self.sides = QStackedWidget()
        self.plate, self.face = PlateView(session), FaceView(session)
        pages = (self.preview, scrolled(self.plate), scrolled(self.face), self._claims_page())
        for page in pages:
            self.sides.addWidget(page)
        right.addWidget(self.sides, 1)
        layout.addLayout(right, 1)
        whole = WhenSeen(self, self.refresh)
        for signal in (session.job_changed, session.readings_changed, theme.changed):
            signal.connect(whole.take)
        self.refresh()

    def first_focus(self) -> QWidget:
        return self.path

    def _turn_to(self, page: int) -> None:
        """Show one of the pages; only of the sheet it is told that it is being laid out."""
        self.sides.setCurrentIndex(page)
        self._tell_busy()

    def _on_busy(self, busy: bool) -> None:
        self._tell_busy()
        if not busy:
            self._write_wanted()

    def _tell_busy(self) -> None:
        for part in (self.progress, self.stop):
            part.setVisible(self.preview.laying and self.sides.currentIndex() == 0)

    def _say(self, text: str) -> None:
        """Why there is no sheet; what was to be written is not."""
        self._wanted = None
        self.said.setText(text)

    def _claims_page(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 0, 0, 0)
        words = (
            "What labels and outlets claim, and what was read: the most amps with the volts in their band, "
            "where they fall, and the charge of a battery or bank. A click on a heading sorts by it."
        )
        column.addWidget(label(words, "caption", wrap=True))
        column.addWidget(self.claims, 1)
        return page

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self._head = label(tr("Proven so far"), "heading")
        column.addWidget(self._head)
        self._ratings = QVBoxLayout()
        self._ratings.setSpacing(theme.px(10))
        column.addLayout(self._ratings)
        self.next_act = NextAct(self.session, "plate")
        self.next_act.setMaximumWidth(theme.px(230))
        column.addWidget(self.next_act)
        self.keep = QPushButton(tr("keep in the bin as proven"))
        self.keep.setToolTip(tr("Other jobs can then use it as a source, with what was shown of it"))
        self.keep.clicked.connect(self.keep_proven)
        column.addWidget(self.keep)
        column.addStretch(1)
        column.addWidget(label(tr("Write the sheet to"), "strong"))
        stem, kinds = self.session.file.path.with_suffix(".pdf"), "Sheets (*.pdf *.html)"
        self.path = PathField(str(stem), kinds, prints=partial(_write, self.session.file))
        self.path.told.connect(self.session.say)
        self.path.setAccessibleName(tr("file of the data sheet, .pdf or .html"))
        self.path.setMinimumWidth(theme.px(210))
        column.addWidget(self.path)
        row = QHBoxLayout()
        for words, ending in (("Write PDF", ".pdf"), ("Write HTML", ".html")):
            button = QPushButton(tr(words))
            button.clicked.connect(lambda _=False, e=ending: self.write(e))
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        self.photo = QPushButton(tr("a photo for the sheet …"))
        self.photo.setToolTip(tr("PNG or JPEG, printed at the end of the sheet and kept in the job"))
        self.photo.clicked.connect(self._pick_photo)
        column.addWidget(self.photo)
        self.said = label("", "caption", wrap=True)
        column.addWidget(self.said)
        column.addSpacing(theme.px(8))
        return column

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        """What is proven is judged beside the window; until it is, the words above it say so."""
        self.next_act.refresh()
        now, job = self.session.now, self.session.job
        self.face.refresh()

        def work() -> tuple[list[Outcome], list[Claim], Plate, list[Missing]]:
            judged = _judged(now)
            claimed = guarded("What is claimed", lambda: claims(job, judged), lambda _: [])
            return judged, claimed, plate_of(job, now.readings, judged, time.time()), missing(job, judged)

        self._head.setText(tr("Proven so far, judged anew …"))
        self.session.aside.ask("plate", self, work, self._take)
        self.preview.renew()

    def _take(self, found: tuple[list[Outcome], list[Claim], Plate, list[Missing]]) -> None:
        judged, rows, plate, lacks = found
        self.plate.show_plate(plate, lacks)
        self._head.setText(tr("Proven so far"))
        ratings = [rating(o) for o in judged if rates(o)]
        # What is rated by no volts of its own, as a load that one makes is.
        others = [(o.name, o.entries[0].text) for o in plate.outlets if o.rated]
        others = [o for o in others if o[0] not in {r.output for r in ratings}]
        told = (ratings, others, theme.night, theme.scale)
        if told != self._told:
            self._told = told
            clear(self._ratings)
            for r in ratings:
                self._ratings.addWidget(_rating(r))
            for name, text in others:
                self._ratings.addWidget(label(name, "strong"))
                self._ratings.addWidget(label(text, wrap=True))
            if not (ratings or others):
                self._ratings.addWidget(
                    label(tr("Nothing is proven yet: read a test in Prove first."), wrap=True)
                )
        self.keep.setVisible(bool(ratings))
        self.claims.show_claims(rows)

    @property
    def ready(self) -> bool:
        """Whether the preview shows the newest sheet."""
        return self.preview.ready

    def keep_proven(self) -> None:
        """Every output that has shown a rating goes into the bin as a supply of its own."""
        kept = []
        try:
            for found in filter(rates, self.session.now.outcomes(read_only=True)):
                supply = proven_supply(self.session.job, found)
                with own_bin() as bin_:
                    bin_.keep(supply)
                kept.append(supply.name)
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        words = tr("Kept in the bin: {0}.") if kept else tr("Nothing is proven yet.")
        self.said.setText(words.format("; ".join(kept)))

    def _pick_photo(self) -> None:
        kinds = "PNG, JPEG (*.png *.jpg *.jpeg)"
        name, _ = QFileDialog.getOpenFileName(self, "A photo for the sheet", "", kinds)
        if not name:
            return
        try:
            attach(self.session.file, SHEET_PHOTOS, Path(name))
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        self.session.note("edit", f"{Path(name).name} chosen for the sheet")
        self.preview.lay_out()

    def write(self, ending: str) -> None:
        """Write the sheet beside the name in the line: as PDF the one that is shown, or as HTML."""
        path = Path(self.path.text().strip() or self.session.file.path).with_suffix(ending)
        if ending == ".html":
            file = self.session.file
            made = partial(guarded, "The sheet", partial(html_of, file), str)
            self.session.aside.ask("sheet", self, made, partial(self._put, path))
            return
        self.said.setText(tr("It is being laid out; then it is written."))
        self._wanted = path
        self._write_wanted()

    def _write_wanted(self) -> None:
        """What was to be written, once the newest sheet is laid out."""
        if self._wanted is None:
            return
        if self.preview.current:
            path, self._wanted = self._wanted, None
            self._put(path, self.preview.pdf)
        elif not self.preview.laying:
            self.preview.lay_out()

    def _put(self, path: Path, data: bytes | str) -> None:
        if isinstance(data, str):
            self.said.setText(data)
            return
        try:
            put(path, data)
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        self.said.setText(tr("{0} written.").format(path))
        self.session.note("export", f"data sheet written to {path.name}")


def _write(file: JobFile, path: Path) -> None:
    from tensimeter.report.datasheet import write

    write(file, path)


def _judged(now: Derived) -> list[Outcome]:
    """What was read, and what gives a rating."""
    wanted = [t for t in now.job.campaign.tests if now.was_read(t.id) or kind_of(t).rates(t)]
    return [o for o in (now.outcome(t.id) for t in wanted) if o is not None]


def _rating(r: Rating) -> QWidget:
    box = QWidget()
    column = QVBoxLayout(box)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(theme.px(2))
    row = QHBoxLayout()
    row.addWidget(VerdictSquare(r.verdict))
    row.addWidget(label(r.output, "strong"))
    row.addStretch(1)
    column.addLayout(row)
    column.addWidget(label(f"{r.nominal}, {r.proven}", wrap=True))
    column.addWidget(label(r.why, "caption", wrap=True))
    return box
