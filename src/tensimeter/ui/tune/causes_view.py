"""Why it does not read as designed: suspects ranked, what each would change, and what to read next."""

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.path import AsFound, Link
from tensimeter.core.quantity import show, with_uncertainty
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.tuning.asked import Asked, first_asked
from tensimeter.core.tuning.causes import Cause, Causes, accepted, causes, mended, worked
from tensimeter.core.tuning.evidence import HEALTHY, NONE
from tensimeter.core.tuning.next_reading import NextReading, asked_by, next_sentence
from tensimeter.ui.parts.picture_plot import PicturePlot
from tensimeter.ui.parts.text import label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.tune.view import TuneView, figures_table, fill

#: So many causes are listed, the likeliest; those less likely than this are left out.
LISTED, LEAST = 12, 0.001


class CausesView(TuneView):
    """The causes in a table; the one in hand is drawn over what was read."""

    words, key = "Causes", "causes"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.found: Causes | None = None
        self.said = ""
        self.table = figures_table(
            ("what it may be", "how likely", "size", "95 %", "if so, next reads"), "causes", words=(0,)
        )
        self.table.currentItemChanged.connect(lambda *_: self._show_one())
        self.column.addWidget(self.table, 5)
        self.look = label("", wrap=True)
        self.column.addWidget(self.look)
        row = QHBoxLayout()
        self.accept = QPushButton(tr("take it into the design"))
        self.accept.setToolTip(
            tr("prediction, reach, ladder and plate follow; it can be taken back once mended")
        )
        self.accept.clicked.connect(self._accept)
        self.back = QPushButton("")
        self.back.clicked.connect(self._take_back)
        row.addWidget(self.accept)
        row.addWidget(self.back)
        row.addStretch(1)
        self.column.addLayout(row)
        self.next = label("", "strong", wrap=True)
        self.column.addWidget(self.next)
        self.plot = PicturePlot()
        self.plot.setAccessibleName(tr("what was read less what the design foretells, reading by reading"))
        self.plot.setMinimumHeight(theme.px(170))
        self.column.addWidget(self.plot, 6)

    def first_focus(self) -> QWidget:
        return self.table

    def worked(self) -> Derivation | None:
        """Why the cause in hand is as likely as it is."""
        if self.found is None:
            return None
        return worked(self.found, self.cause or self.found.causes[0])

    def refresh(self) -> None:
        """Work it out beside the window; what stands is of before until then."""
        job, now = self.session.job, self.session.now
        readings = now.readings

        def work() -> Causes | str:
            try:
                return causes(job, readings, {t.id: now.plan(t.id) for t in job.campaign.tests})
            except UserError as trouble:
                return str(trouble)

        self.aside(work, self._take)

    def asks(self) -> list[Asked]:
        if self.found is None:
            return first_asked(self.session.job)
        return [asked_by(self.found.next)] if self.found.next is not None else []

    def _take(self, found: Causes | str) -> None:
        self.found = None if isinstance(found, str) else found
        self.said = found if isinstance(found, str) else ""
        self._show()

    @property
    def listed(self) -> list[Cause]:
        """The causes in the table."""
        if self.found is None:
            return []
        return [c for c in self.found.causes if c.probability >= LEAST][:LISTED]

    @property
    def cause(self) -> Cause | None:
        """The cause in hand."""
        item = self.table.currentItem()
        at = self.table.indexOfTopLevelItem(item) if item is not None else -1
        return self.listed[at] if 0 <= at < len(self.listed) else None

    def _show(self) -> None:
        found = self.found
        there = found is not None
        for part in (self.table, self.look, self.accept, self.next, self.plot):
            part.setVisible(there)
        self._show_found_before()
        if found is None:
            self.title.setText(tr("Causes"))
            self.sentence.setText(self.said or "Working it out …")
            return
        first = found.causes[0]
        count = len(found.seen.figures)
        self.title.setText(_title(first))
        notes = " ".join(found.warnings)
        self.sentence.setText(f"By {count} readings, held against the design all at once. {notes}".strip())
        fill(self.table, [_row(c, found.next) for c in self.listed])
        self.next.setText("" if found.next is None else next_sentence(self.session.job, found.next))
        self.next.setVisible(found.next is not None)
        self._show_one()

    def _show_one(self) -> None:
        cause, found = self.cause, self.found
        if cause is None or found is None:
            return
        partner = f" And: {cause.partner.says}" if cause.partner is not None else ""
        self.look.setText(
            "" if cause.key in (HEALTHY, NONE) else f"{cause.says}{partner} {cause.look}".strip()
        )
        self.accept.setVisible(cause.found is not None)
        self.plot.show_picture(_picture(found, self.listed.index(cause)))

    @property
    def taken_in(self) -> tuple[Link, AsFound] | None:
        """The cause that was taken into the design last; None without one."""
        kept = [(x, f) for x in self.session.job.design.links for f in x.found]
        return kept[-1] if kept else None

    def _show_found_before(self) -> None:
        kept = self.taken_in
        self.back.setVisible(kept is not None)
        if kept is not None:
            link, found = kept
            self.back.setText(tr("mended: {0}, {1}").format(link.name, found.key.replace("_", " ")))
            self.back.setToolTip(found.reason)

    def _accept(self) -> None:
        cause = self.cause
        if cause is None:
            return
        try:
            job = accepted(self.session.job, cause)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.edit(f"as found: {cause.says}", job)

    def _take_back(self) -> None:
        kept = self.taken_in
        if kept is not None:
            link, found = kept
            self.session.edit(f"mended: {found.reason}", mended(self.session.job, link.id, found.key))


def _title(first: Cause) -> str:
    if first.key == NONE:
        return "Nothing that is known explains it"
    return f"{first.title}, {first.sure} sure"


def _row(cause: Cause, nxt: NextReading | None) -> tuple[str, ...]:
    size, ends = "", ""
    if cause.size is not None and cause.unit:
        size, ends = _sized(cause.size, cause.unit)
    reads = ""
    if nxt is not None:
        mine = [e for e in nxt.expected if (e[0], e[1]) == (cause.label, cause.link)]
        if mine:
            reads = with_uncertainty(mine[0][2], mine[0][3], nxt.quantity)
    return (cause.title, cause.sure, size, ends, reads)


def _sized(size: Interval, unit: str) -> tuple[str, str]:
    if unit == "times":
        return f"× {size.value:.3g}", f"{size.low:.3g} … {size.high:.3g}"
    return show(size.value, unit, 3), f"{show(size.low, unit, 3)} … {show(size.high, unit, 3)}"


def _picture(found: Causes, index: int) -> Picture:
    """Read less foretold, reading by reading, in its own uncertainty; and what one cause would make of it."""
    scale = np.maximum(found.uncertainty, 1e-12)
    spots = tuple(Spot(float(k), float(v)) for k, v in enumerate(found.residual / scale))
    x = np.arange(len(spots), dtype=float)
    change = found.changes[index] / scale
    lines = (Line("", x, np.zeros(len(x)), "path"), Line("if so", x, change, "prediction"))
    places = [f.place for f in found.seen.figures]
    # A place is named where its readings begin.
    names = tuple(p if k == 0 or places[k - 1] != p else "" for k, p in enumerate(places))
    return Picture("", "off, of ± 95 %", spots, lines, (-1.0, 1.0), names=names)
