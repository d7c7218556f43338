"""The Plate stage: the rating shown so far, the data sheet as it will print, and its export."""

import contextlib
import subprocess
import threading
import time
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPixmap, QShowEvent
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tensimeter.app.derived import Derived
from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.plate.missing import Missing, missing
from tensimeter.core.plate.rating import Plate
from tensimeter.core.testplan.claims import Claim, claims
from tensimeter.core.testplan.evaluation import rates
from tensimeter.core.testplan.proven_part import proven_supply
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Outcome
from tensimeter.report.annex import SHEET_PHOTOS
from tensimeter.report.apart import begun, ended
from tensimeter.report.datasheet import html, pdf, write
from tensimeter.report.plate import plate_of
from tensimeter.report.sheet import Rating, Sheet, build, rating
from tensimeter.store.attachments import attach
from tensimeter.ui.own_bin import own_bin
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.path_field import PathField
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.scrolled import scrolled
from tensimeter.ui.parts.text import clear, label, rule
from tensimeter.ui.parts.verdict_square import VerdictSquare
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.plate.claims_table import ClaimsTable
from tensimeter.ui.plate.face_view import FaceView
from tensimeter.ui.plate.plate_view import PlateView
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: What is shown at the right, in this order.
VIEWS = ("Data sheet", "Plate", "Front and box", "Claimed and found")


class PlateStage(QWidget):
    """Laid out in a thread of its own; what came too late for a newer reading is thrown away."""

    laid_out = pyqtSignal(int, bytes)
    failed = pyqtSignal(int, str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._asked, self._stale, self._laying = 0, True, False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(250)
        self._soon.timeout.connect(self.lay_out)
        self._pdf = QPdfDocument(self)
        self._process: subprocess.Popen[bytes] | None = None
        self._drawn = 0
        self._next_page = QTimer(self)
        self._next_page.setInterval(0)
        self._next_page.timeout.connect(self._draw_page)
        self._bytes = b""
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
        self.stop.clicked.connect(self._give_up)
        head.addWidget(self.stop)
        right.addLayout(head)
        self._pages = QWidget()
        self._pages_layout = QVBoxLayout(self._pages)
        self._pages_layout.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.preview = QScrollArea()
        self.preview.setWidgetResizable(True)
        self.preview.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.preview.setAccessibleName(tr("data sheet preview"))
        self.preview.setWidget(self._pages)
        self.claims = ClaimsTable()
        self.sides = QStackedWidget()
        self.plate, self.face = PlateView(session), FaceView(session)
        pages = (self.preview, scrolled(self.plate), scrolled(self.face), self._claims_page())
        for page in pages:
            self.sides.addWidget(page)
        right.addWidget(self.sides, 1)
        layout.addLayout(right, 1)
        session.aside.stopped.connect(self.cancel)
        self.laid_out.connect(self._show)
        self.failed.connect(self._say_failed)
        whole = WhenSeen(self, self.refresh)
        for signal in (session.job_changed, session.readings_changed, theme.changed):
            signal.connect(whole.take)
        self.refresh()

    def first_focus(self) -> QWidget:
        return self.path

    def _turn_to(self, page: int) -> None:
        """Show one of the pages; only of the sheet it is told that it is being laid out."""
        self.sides.setCurrentIndex(page)
        busy = page == 0 and not self.ready
        for part in (self.progress, self.stop):
            part.setVisible(busy)

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
        self.path = PathField(str(stem), kinds, prints=lambda path: write(self.session.file, path))
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
        self._stale = True
        if self.isVisible():
            # Several edits in a row are laid out once, when they have come to rest.
            self._soon.start()

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

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self.lay_out()

    def lay_out(self) -> None:
        """Start laying out the sheet anew."""
        self._stale, self._laying = False, True
        self._asked += 1
        number = self._asked
        for part in (self.progress, self.stop):
            part.setVisible(self.sides.currentIndex() == 0)
        self.cancel()
        if self.session.aside.threaded:
            self.session.file.settle()
            process = self._process = begun(self.session.file.path)
            layout = partial(ended, process)
        else:
            sheet = build(self.session.file, _judged(self.session.now))
            layout = partial(_laid_out, sheet)

        def work() -> None:
            try:
                made, said = layout(), ""
            except UserError as trouble:
                made, said = b"", str(trouble)
            except Exception as error:  # noqa: BLE001 - a sheet that can't be laid out must not end the program
                made, said = b"", f"The sheet could not be laid out: {error}"
            with contextlib.suppress(RuntimeError):  # the window was closed meanwhile
                self.laid_out.emit(number, made) if made else self.failed.emit(number, said)

        threading.Thread(target=work, name="data sheet", daemon=True).start()

    def cancel(self) -> None:
        """What is being laid out is no longer wanted."""
        if self._process is not None and self._process.poll() is None:
            self._process.kill()
        self._process = None

    def _give_up(self) -> None:
        self.cancel()
        self._asked += 1
        self._next_page.stop()
        self._done()
        self.said.setText(tr("The sheet was not laid out. Come here again, or write it, to have it made."))
        self._stale = True

    def _done(self) -> None:
        """Nothing is being laid out any more."""
        self._laying = False
        self.progress.hide()
        self.stop.hide()

    def _say_failed(self, number: int, text: str) -> None:
        if number == self._asked:
            self._done()
            self.said.setText(text)

    def _show(self, number: int, data: bytes) -> None:
        if number != self._asked:
            return
        self._bytes = data
        self._buffer = QBuffer(self)
        self._buffer.setData(QByteArray(data))
        self._buffer.open(QBuffer.OpenModeFlag.ReadOnly)
        self._pdf.load(self._buffer)
        clear(self._pages_layout)
        self._drawn = 0
        self._next_page.start()

    def _draw_page(self) -> None:
        """A page after another, so that the window answers between them."""
        k = self._drawn
        if k >= self._pdf.pageCount():
            self._next_page.stop()
            self._done()
            return
        self._drawn += 1
        width = min(max(present(self.preview.viewport()).width() - theme.px(28), 320), theme.px(660))
        points = self._pdf.pagePointSize(k)
        height = round(width * points.height() / points.width())
        pixmap = QPixmap.fromImage(self._pdf.render(k, QSize(width * 2, height * 2)))
        pixmap.setDevicePixelRatio(2)
        page = QLabel()
        page.setPixmap(pixmap)
        page.setAccessibleName(tr("page {0} of the data sheet").format(k + 1))
        page.setStyleSheet(f"background: white; border: 1px solid {theme.colours.rule};")
        self._pages_layout.addWidget(page)

    @property
    def ready(self) -> bool:
        """Whether the preview shows the newest sheet."""
        return not self._stale and bool(self._bytes) and not self._laying

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
        self.lay_out()

    def write(self, ending: str) -> None:
        """Write the sheet beside the name in the line, as PDF or HTML."""
        path = Path(self.path.text().strip() or self.session.file.path).with_suffix(ending)
        try:
            write(self.session.file, path)
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        self.said.setText(tr("{0} written.").format(path))
        self.session.note("export", f"data sheet written to {path.name}")


def _judged(now: Derived) -> list[Outcome]:
    """What was read, and what gives a rating."""
    wanted = [t for t in now.job.campaign.tests if now.was_read(t.id) or kind_of(t).rates(t)]
    return [o for o in (now.outcome(t.id) for t in wanted) if o is not None]


def _laid_out(sheet: Sheet) -> bytes:
    return pdf(html(sheet, printed=True))


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
