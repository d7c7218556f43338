"""Displays held against references: what each is off by, what to set in it, and what is left then."""

import time

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.analysis.meter_setting import correction
from tensimeter.core.derivation import Derivation
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import PRETENDED_WORDS
from tensimeter.core.model.instruments import checks_of
from tensimeter.core.model.stock_edits import with_check, without_check
from tensimeter.core.quantity import fixed, parse, with_uncertainty
from tensimeter.core.testplan.check_words import (
    LETS,
    QUANTITY_WORDS,
    STANDS,
    asked_of,
    beside_sentence,
    check_kept_sentence,
    check_picture,
    check_sentence,
    check_worked,
    lets_of,
    setting_sentence,
)
from tensimeter.core.testplan.meter_checks import USUAL_MONTHS, MeterCheck, as_check, meter_checks
from tensimeter.core.tuning.asked import Asked, display_asked
from tensimeter.core.tuning.disagreement import disagreement_of, likeliest
from tensimeter.ui.own_bin import to_own_bin
from tensimeter.ui.parts.picture_plot import PicturePlot
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, label, tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.tune.view import TuneView, figures_table, fill

#: So many pairs at the most are listed, the newest; the line goes through all of them.
MOST_ROWS = 300
_COLUMNS = ("shows", "meter", "error", "once set")


class DisplaysView(TuneView):
    """A display at the left is chosen; its pairs, its line and what to set follow."""

    words, key = "Displays", "displays"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.checks: tuple[MeterCheck, ...] = ()
        self.chosen: tuple[str, str] | None = None
        self.plot = PicturePlot()
        self.column.addWidget(self.plot, 5)
        self.table = figures_table(_COLUMNS, "pairs of display and reference, in the order read")
        # Figures that are compared stand near one another, however wide the window is.
        self.table.setMaximumWidth(theme.px(600))
        present(self.table.header()).setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.column.addWidget(self.table, 4)
        self._below = QWidget()
        self.column.addWidget(self._below, 1)

    def frame(self) -> QVBoxLayout:
        """The column right of the list of displays."""
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(theme.px(12))
        self.side = QWidget()
        self.side.setLayout(self._left())
        layout.addWidget(self.side)
        column = QVBoxLayout()
        layout.addLayout(column, 1)
        return column

    def first_focus(self) -> QWidget:
        return self.list

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label(tr("Displays"), "heading"))
        self.list = QListWidget()
        self.list.setAccessibleName(tr("displays that were read beside a reference"))
        self.list.setFixedWidth(theme.px(206))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._on_row)
        column.addWidget(self.list, 1)
        self.setting = QWidget()
        inside = QVBoxLayout(self.setting)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(label(tr("It lets you set"), "strong"))
        self.lets = QComboBox()
        self.lets.setAccessibleName(tr("what can be set in the display"))
        for key, words in LETS.items():
            self.lets.addItem(words, key)
        self.lets.activated.connect(lambda _=0: self._show())
        inside.addWidget(self.lets)
        self.stands = Field()
        self.stands.setAccessibleName(tr("what stands in it now"))
        self.stands.editingFinished.connect(self._show)
        inside.addWidget(self.stands)
        inside.addWidget(label(tr("in steps of"), "caption"))
        self.step = Field()
        self.step.setPlaceholderText(tr("any; 10m, 0.1%"))
        self.step.setAccessibleName(tr("smallest step of what is set"))
        self.step.editingFinished.connect(self._show)
        inside.addWidget(self.step)
        column.addWidget(self.setting)
        self.keep = QPushButton(tr("keep this check"))
        self.keep.setToolTip(tr("from now on its readings are put right by it, and carry its uncertainty"))
        self.keep.clicked.connect(self._keep)
        column.addWidget(self.keep)
        self.months = Field()
        self.months.setPlaceholderText(tr("good for 12 months"))
        self.months.setAccessibleName(tr("months that the check is good for"))
        column.addWidget(self.months)
        self.earlier = QCheckBox(tr("earlier readings too"))
        column.addWidget(self.earlier)
        self.forget = QPushButton(tr("forget the check"))
        self.forget.setProperty("kind", "quiet")
        self.forget.clicked.connect(self._forget)
        column.addWidget(self.forget)
        self.wanted = label("", "caption", wrap=True)
        self.wanted.setMaximumWidth(theme.px(206))
        column.addWidget(self.wanted)
        column.addSpacing(theme.px(8))
        return column

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        """Held against one another beside the window; until it is, what stands is of before."""
        job, readings = self.session.job, self.session.now.readings
        self.aside(lambda: meter_checks(job, readings), self._take)

    def _take(self, checks: tuple[MeterCheck, ...]) -> None:
        self.checks = checks
        keys = [(c.place, c.quantity) for c in checks]
        if self.chosen not in keys:
            self.chosen = keys[0] if keys else None
        self.list.blockSignals(True)
        self.list.clear()
        for check in checks:
            item = QListWidgetItem(f"{check.name}, {QUANTITY_WORDS[check.quantity]}\n{_off(check)}")
            item.setToolTip(tip(check_sentence(check)))
            self.list.addItem(item)
        if self.chosen is not None:
            self.list.setCurrentRow(keys.index(self.chosen))
        self.list.blockSignals(False)
        self._show()

    def _on_row(self, row: int) -> None:
        if 0 <= row < len(self.checks):
            self.chosen = (self.checks[row].place, self.checks[row].quantity)
            self._show()

    def asks(self) -> list[Asked]:
        """A comparison of the display in hand, or of the chosen output's."""
        chosen = self.check.output if self.check is not None else self.session.output_id
        outputs = [o for o in self.session.job.design.outputs() if chosen in (o.id, None)]
        return display_asked(outputs[0]) if outputs else []

    @property
    def check(self) -> MeterCheck | None:
        """The display in hand."""
        return next((c for c in self.checks if (c.place, c.quantity) == self.chosen), None)

    def worked(self) -> Derivation | None:
        return check_worked(self.check) if self.check is not None else None

    def _show(self) -> None:
        check = self.check
        read = check is not None and check.found is not None
        self.plot.setVisible(read)
        self.table.setVisible(check is not None)
        self._below.setVisible(not read)
        self.setting.setVisible(read)
        self.side.setVisible(check is not None)
        kept = checks_of(self.session.job, check.part) if check is not None else ()
        for part in (self.keep, self.months, self.earlier):
            part.setVisible(read and check is not None and check.part is not None)
        self.forget.setVisible(bool(kept))
        self.wanted.setText(asked_of(self.session.job, check) if check is not None else "")
        if check is None:
            joined = bool(self.session.job.design.outputs())
            self.title.setText(
                tr("No display was read beside a meter yet") if joined else tr("Nothing to tune yet")
            )
            words = "What the supply's own display shows is typed below, beside the meter's reading."
            self.sentence.setText(f"{words}\n\n{asked_of(self.session.job, None)}" if joined else "")
            return
        made_up = f": {PRETENDED_WORDS[check.pretended]}" if check.pretended else ""
        self.title.setText(f"{check.name}, {QUANTITY_WORDS[check.quantity]}{made_up}")
        self._tell(check)

    def _tell(self, check: MeterCheck) -> None:
        found = check.found
        if found is None:
            self.sentence.setText(check_sentence(check))
            self._fill(check, None)
            return
        asked = str(self.lets.currentData())
        self.stands.setVisible(asked in STANDS)
        self.stands.setPlaceholderText(STANDS.get(asked, ""))
        lets = lets_of(asked)
        if lets == "both" and not found.tells_gain:
            # Of a gain that is not known nothing is set.
            lets = "offset"
        try:
            step = parse(self.step.text()) if self.step.text().strip() else 0.0
            chosen = correction(found, lets, step)
            said = setting_sentence(check, chosen, asked, self.stands.text(), step)
        except UserError as trouble:
            self.session.complain(str(trouble))
            chosen = correction(found, lets)
            said = setting_sentence(check, chosen)
        lines = [check_sentence(check), said, *self._why_differ(check), beside_sentence(check)]
        lines += [*found.warnings, *self._kept(check)]
        self.sentence.setText("\n".join(line for line in lines if line))
        self.plot.show_picture(check_picture(check, chosen))
        self._fill(check, [chosen.gain * p.shown.value + chosen.offset for p in check.pairs])

    def _why_differ(self, check: MeterCheck) -> list[str]:
        """Why it and the meter beside it differ, the likeliest first."""
        try:
            found = disagreement_of(self.session.job, check)
        except UserError:
            return []
        told = [f"{e.says} ({100 * e.probability:.0f} %)" for e in likeliest(found)[:3]]
        return [" ".join((*told, found.next, *(found.notes if not found.inside_both else ())))]

    def _kept(self, check: MeterCheck) -> list[str]:
        of = (check.quantity, check.subject.sets)
        kept = [c for c in checks_of(self.session.job, check.part) if (c.quantity, c.setting) == of]
        return [check_kept_sentence(kept[-1])] if kept else []

    def _keep(self) -> None:
        check, session = self.check, self.session
        if check is None or check.part is None:
            return
        try:
            months = parse(self.months.text()) if self.months.text().strip() else USUAL_MONTHS
            made = as_check(session.job, check, time.time(), months, earlier_too=self.earlier.isChecked())
            job = with_check(session.job, check.part, made)
        except UserError as trouble:
            session.complain(str(trouble))
            return
        if session.edit(f"check of {check.name} kept, {check.quantity}", job):
            part = job.part(check.part)
            if part is not None:
                to_own_bin(part, session.complain)

    def _forget(self) -> None:
        check = self.check
        kept = checks_of(self.session.job, check.part) if check is not None else ()
        if check is not None and check.part is not None and kept:
            job = without_check(self.session.job, check.part, len(kept) - 1)
            self.session.edit(f"check of {check.name} forgotten", job)

    def _fill(self, check: MeterCheck, set_to: list[float] | None) -> None:
        self.table.setHeaderLabels([f"{words}, {check.unit}" for words in _COLUMNS])
        odd = check.found.odd_one if check.found is not None else None
        first = max(len(check.pairs) - MOST_ROWS, 0)
        rows = []
        for k, pair in enumerate(check.pairs[first:], first):
            true, shown = pair.reference.value, pair.shown.value
            left = fixed(set_to[k] - true, "", 4) if set_to is not None else ""
            error = fixed(shown - true, "", 4) + ("  not of the line" if k == odd else "")
            rows.append((fixed(shown, "", 3), fixed(true, "", 4), error, left))
        fill(self.table, rows)


def _off(check: MeterCheck) -> str:
    if check.found is None:
        return f"{len(check.pairs)} pair{'s' * (len(check.pairs) != 1)}"
    worst = check.found.worst_before
    return f"off by up to {with_uncertainty(abs(worst.value), worst.half_width, check.unit)}"
