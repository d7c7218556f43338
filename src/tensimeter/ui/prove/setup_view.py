"""How a test is set up: its points, limits and times, edited in place."""

from collections.abc import Callable

from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QPlainTextEdit, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.heat_design.measuring_points import watched
from tensimeter.core.model.edits import changed, with_link, with_test
from tensimeter.core.model.test_record import Changed
from tensimeter.core.model.tests import Test
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.registry import KINDS
from tensimeter.ui.parts.form import RecordForm
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class _Lines(QPlainTextEdit):
    """A list as text; taken when the hand moves on."""

    def __init__(self, text: str, take: Callable[[str], object]) -> None:
        super().__init__(text)
        self._take, self._before = take, text
        self.setTabChangesFocus(True)
        self.setFixedHeight(theme.px(110))

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        if self.toPlainText() != self._before:
            self._before = self.toPlainText()
            self._take(self._before)


class SetupView(QScrollArea):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setWidgetResizable(True)
        inside = QWidget()
        self._column = QVBoxLayout(inside)
        self._column.setContentsMargins(0, 0, theme.px(10), theme.px(8))
        self.setWidget(inside)
        self._shown: Test | None = None
        self.form: RecordForm[Test] | None = None
        self.lines: _Lines | None = None

    def show_test(self, test: Test) -> None:
        if test == self._shown:
            return
        self._shown = test
        clear(self._column)
        kind = KINDS[test.kind]
        self._column.addWidget(label(kind.method, "caption", wrap=True))
        self.lines = None
        if kind.lines_words:
            words = kind.lines_words
            self._column.addWidget(label(words, "caption"))
            self.lines = _Lines(kind.lines(test), self._take_lines)
            self.lines.setAccessibleName(words)
            self._column.addWidget(self.lines)
        self.changed_field: Field | None = None
        if test.soaks:
            self._add_changes(test)
        self.form = RecordForm(test, self._apply, self.session.complain, hidden=("output", "device"))
        self._column.addWidget(self.form)
        self.allowed: RecordForm[OutputLink] | None = None
        if kind.fits_line(test):
            self._column.addWidget(
                label(tr("what is allowed of its output, wherever it is judged"), "caption")
            )
            output = self.session.job.output(test.output)
            asked = ("tolerance", "regulation_limit", "full_load_A")
            other = tuple(name for name in OutputLink.model_fields if name not in asked)
            self.allowed = RecordForm(output, self._allow, self.session.complain, hidden=other)
            self._column.addWidget(self.allowed)
        self._column.addStretch(1)

    def _add_changes(self, test: Test) -> None:
        """What was changed on the part between two runs, and a field for the next of it."""
        for change in test.changes_made:
            name = self.session.job.design.link(change.link).name
            self._column.addWidget(label(tr("changed: {0}, {1}").format(name, change.what), "caption"))
        self.changed_field = Field("")
        self.changed_field.setPlaceholderText(tr("what was changed before the next run, e.g. pad reseated"))
        self.changed_field.setAccessibleName(tr("what was changed before the next run"))
        self.changed_field.returnPressed.connect(self._take_change)
        self._column.addWidget(self.changed_field)

    def _take_change(self) -> None:
        test, session = self.session.test, self.session
        words = self.changed_field.text().strip() if self.changed_field is not None else ""
        if test is None or not test.soaks or not words:
            return
        try:
            link = test.watched_link or watched(session.job, test.output)
        except UserError as trouble:
            session.complain(str(trouble))
            return
        runs = [r.run for r in session.now.readings if r.test == test.id and r.run is not None]
        change = Changed(link=link, what=words[:80], after_run=max(runs, default=None))
        self._apply(changed(test, changes=(*test.changes_made, change)), "what was changed")
        self.show_test_anew()

    def show_test_anew(self) -> None:
        test, self._shown = self.session.test, None
        if test is not None:
            self.show_test(test)

    def _apply(self, test: object, words: str) -> bool:
        self._shown = test  # type: ignore[assignment]
        job = with_test(self.session.job, test)  # type: ignore[arg-type]
        return self.session.edit(f"{test.id}: {words}", job)  # type: ignore[attr-defined]

    def _allow(self, output: OutputLink, words: str) -> bool:
        """Keep what is allowed of the output; the same figures as in Design."""
        return self.session.edit(f"{output.name}: {words}", with_link(self.session.job, output))

    def _take_lines(self, text: str) -> None:
        test = self.session.test
        try:
            if test is not None:
                kind = KINDS[test.kind]
                self._apply(kind.with_lines(text, test), kind.lines_words.partition(":")[0])
        except UserError as trouble:
            self.session.complain(str(trouble))
