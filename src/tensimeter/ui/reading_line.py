"""The reading line: type a place and a value; it says what it understood before Enter."""

import time

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QWidget

from tensimeter.app.typed_lines import state_summary
from tensimeter.core.correction_line import begins_correction, correction
from tensimeter.core.errors import UserError
from tensimeter.core.readingline import completion, example
from tensimeter.store.corrections import affected
from tensimeter.ui.parts.text import Elided, Field, tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme


class _Entry(Field):
    """The line itself; Tab completes a place while there is one to complete."""

    completes = ""

    def event(self, event: QEvent | None) -> bool:
        assert event is not None
        pressed = (
            event.key() if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress else None
        )
        if pressed == Qt.Key.Key_Tab and self.completes:
            self.setText(self.text() + self.completes + " ")
            self.completes = ""
            return True
        return super().event(event)


class ReadingLine(QFrame):
    """Files readings under the step in hand; Shift+Enter writes a remark into the logbook."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("line")
        self._asked = ""
        self._said = ("", "pencil")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(theme.px(12), theme.px(6), theme.px(14), theme.px(6))
        layout.setSpacing(theme.px(14))
        self.entry = _Entry()
        self.entry.setAccessibleName(tr("reading line"))
        self.entry.setPlaceholderText(tr("reading, e.g. {0}").format(example(session.job)))
        self.entry.setMinimumWidth(theme.px(240))
        self.hint, self.log = Elided(), Elided(right=True)
        self.stands = Elided(right=True)
        self.stands.setAccessibleName(tr("what stands for the next line"))
        layout.addWidget(self.stands, 3)
        layout.addWidget(self.entry, 3)
        layout.addWidget(self.hint, 5)
        layout.addWidget(self.log, 3)
        self.entry.textEdited.connect(self._look)
        self.entry.installEventFilter(self)
        session.logged.connect(self.show_log)
        session.trouble.connect(self.say)
        session.told.connect(self._tell)
        session.subject_changed.connect(self._idle)
        session.hand_changed.connect(self._show_hand)
        session.point_changed.connect(self.show_standing)
        session.subject_changed.connect(self.show_standing)
        session.readings_changed.connect(self.show_standing)
        theme.changed.connect(self._say_again)
        self.show_log()
        self.show_standing()
        self._idle()

    def show_standing(self) -> None:
        """The conditions under which the next line is read; what nobody has said is a question mark."""
        output = next((o for o in self.session.job.design.outputs() if o.id == self.session.output_id), None)
        words = ""
        if output is not None and self.session.hand is None:
            stands = self.session.lines.standing
            words = stands.words(output.id, adjustable=output.adjustable)
        self.stands.setText(words)
        said = tr("stands for the next line; @2A, @unloaded, set 12V, mains 207V or room 31C change it")
        self.stands.setToolTip(tip(said))

    def say(self, text: str, colour: str = "miss") -> None:
        """Show a sentence beside the line until something else is typed."""
        self._said = (text, colour)
        self.hint.setText(text)
        self.hint.setStyleSheet(f"color: {getattr(theme.colours, colour)};")

    def _tell(self, text: str) -> None:
        self.say(text, "ink")

    def _say_again(self) -> None:
        self.say(*self._said)

    def hand_over(self, text: str, cursor: int) -> None:
        """What was typed before this line was there, as if it had been typed into it."""
        self.entry.setText(text)
        self.entry.setCursorPosition(cursor)
        self.entry.setFocus()
        self._look(text)

    def show_log(self) -> None:
        entries = self.session.logbook(3)
        lines = [f"{time.strftime('%H:%M', time.localtime(e.at))} {e.text}" for e in reversed(entries)]
        self.log.setText("  ·  ".join(lines))
        self.log.setToolTip(tip("\n".join(lines)))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        assert event is not None
        if watched is self.entry and isinstance(event, QKeyEvent):
            pressed = event.type() == QEvent.Type.KeyPress
            if pressed and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
                self._remark() if shift else self.take()
                return True
        return super().eventFilter(watched, event)

    def _look(self, text: str) -> None:
        self._asked = ""
        self.entry.completes = completion(self.session.job, text)
        if not text.strip():
            self._idle()
            return
        try:
            taken_back = correction(text)
            if taken_back is not None:
                rows = affected(self.session.file, taken_back)
                self.say(f"→ {taken_back.words}" + (f" ({rows})" if rows else ""), "ink")
                return
            line = self.session.line(text)
            found = line.reading
        except UserError as trouble:
            place = text + self.entry.completes
            self.say(tr("Tab: {0}").format(place) if self.entry.completes else str(trouble), "pencil")
            return
        if found is None:
            self.say(f"→ {state_summary(line)}", "ink")
            return
        where = self.session.where(found, line.standing)
        if line.question:
            self.say(f"{line.question} {line.summary} → {where}", "hold")
        else:
            self.say(f"{line.summary} → {where}", "ink")

    def _show_hand(self) -> None:
        hand = self.session.hand
        told = tr("reading, e.g. {0}").format(example(self.session.job))
        self.entry.setPlaceholderText(f"{hand.name}: type what it reads" if hand else told)

    def _idle(self) -> None:
        if not self.entry.text().strip():
            self.say(tr("Enter keeps it · Shift+Enter writes a remark · Ctrl+L comes here"), "pencil")

    def take(self) -> None:
        """Enter: keep the reading; a value that cannot be right is asked about first."""
        text = self.entry.text().strip()
        if not text:
            self._offer()
            return
        try:
            taken_back = correction(text)
            if taken_back is not None:
                said = self.session.correct(taken_back)
                self.entry.empty()
                self.say(said, "ink")
                return
            line = self.session.line(text)
            found = line.reading
            if line.question and self._asked != text:
                self._asked = text
                self.say(tr("{0} Enter again keeps it.").format(line.question), "hold")
                return
            where = self.session.where(found, line.standing) if found is not None else ""
            odd = self.session.contradiction(self.session.take_line(line))
        except UserError as trouble:
            self._refused(text, str(trouble))
            return
        self.entry.empty()
        said = tr("kept: {0} → {1}").format(line.summary, where) if found is not None else state_summary(line)
        # What is odd comes first: of a long line the end is not shown.
        self.say(tr("kept; {0}").format(odd) if odd else said, "hold" if odd else "holds")

    def _refused(self, text: str, why: str) -> None:
        """Why a line was not kept; one without a figure is written down as a remark by a second Enter."""
        if any(c.isdigit() for c in text) or begins_correction(text):
            self.say(why)
        elif self._asked != text:
            self._asked = text
            self.say(tr("Enter again writes it down as a remark. {0}").format(why), "hold")
        else:
            self._remark()

    def _offer(self) -> None:
        """Enter on an empty line: what the step in hand asks for, to be said by a second one."""
        asked = self.session.as_asked
        if asked:
            self.entry.setText(asked)
            self.say(tr("Enter says that it is so: {0}").format(asked), "hold")

    def _remark(self) -> None:
        text = self.entry.text().strip()
        if text:
            self.session.note("remark", text)
            self.entry.empty()
            self.say(tr("remark written into the logbook"), "holds")
