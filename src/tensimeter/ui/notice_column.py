"""The right column: why a figure is what it is, and what to mind before going on."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.model.job import Overrule
from tensimeter.core.notice import Notice
from tensimeter.ui.parts.text import Field, label, tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_BAR = {"miss": "miss", "hold": "hold", "caution": "pencil"}
#: So many notices are read whole; of more the cautions are folded.
UNFOLDED = 3
_WORD = {"miss": "over or missing", "hold": "hold point", "caution": "caution"}


class Card(QFrame):
    """A sheet with a coloured edge; the word above the title says the same as the colour."""

    def __init__(self, colour: str) -> None:
        super().__init__()
        self._colour = colour
        self.setObjectName("card")
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(theme.px(12), theme.px(8), theme.px(8), theme.px(8))
        self.body.setSpacing(theme.px(3))
        self.restyle()

    def restyle(self) -> None:
        edge = getattr(theme.colours, self._colour)
        self.setStyleSheet(f"#card {{ border-left: 4px solid {edge}; }}")


class NoticeCard(Card):
    """One notice: a line, of a hold with its number and what to read, until it is taken up."""

    taken_up = pyqtSignal(str)

    def __init__(self, session: Session, notice: Notice, number: int | None = None, opened: bool = True):
        super().__init__(_BAR[notice.kind])
        self.session, self.notice = session, notice
        if notice.kind == "hold" and not notice.overruled:
            self._hold(notice, number, opened)
            return
        word = "hold point, overruled" if notice.overruled else _WORD[notice.kind]
        self.body.addWidget(label(word, "caption"))
        self.body.addWidget(label(notice.title, "strong", wrap=True))
        if not opened:
            self._fold(notice)
            return
        self.body.addWidget(label(notice.text, wrap=True))
        if notice.overruled:
            self.body.addWidget(label(tr("Reason: {0}").format(notice.overruled), "caption", wrap=True))

    def _fold(self, notice: Notice) -> None:
        """Its title alone; a click or Enter opens it."""
        self.body.setContentsMargins(theme.px(10), theme.px(3), theme.px(6), theme.px(3))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{_WORD[notice.kind]}: {notice.title}")
        self.setToolTip(tip(notice.text))

    def _hold(self, notice: Notice, number: int | None, opened: bool) -> None:
        """A line that brings its step into hand; opened with its words and a way past it."""
        self.body.setContentsMargins(theme.px(10), theme.px(3), theme.px(6), theme.px(3))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("hold: {0}").format(notice.title))
        self.body.addWidget(
            label(f"{number}  {notice.title}" if number else notice.title, "strong", wrap=True)
        )
        if notice.expect:
            self.body.addWidget(label(notice.expect, "caption", wrap=True))
        self._button = QPushButton(tr("overrule, with a reason …"))
        self._button.setProperty("kind", "quiet")
        self._button.clicked.connect(self._ask)
        words = label(notice.text, wrap=True)
        for widget in (words, self._button):
            self.body.addWidget(widget)
            widget.setVisible(opened)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        self.taken_up.emit(self.notice.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.taken_up.emit(self.notice.id)
        else:
            super().keyPressEvent(event)

    def _ask(self) -> None:
        self._button.hide()
        self._reason = Field()
        self._reason.setPlaceholderText(tr("reason, then Enter"))
        self._reason.setAccessibleName(tr("reason to overrule {0}").format(self.notice.title))
        self._reason.returnPressed.connect(self._overrule)
        self.body.addWidget(self._reason)
        self._reason.setFocus()

    def _overrule(self) -> None:
        reason = self._reason.text().strip()
        if len(reason) < 3:
            self._reason.setPlaceholderText(tr("a hold needs a reason of some words"))
            self._reason.clear()
            return
        job = self.session.job
        entry = Overrule(hold=self.notice.id, reason=reason)
        self.session.edit(
            f"hold “{self.notice.title}” overruled: {reason}",
            job.model_copy(update={"overruled": (*job.overruled, entry)}),
        )


class WhyCard(Card):
    """A worked answer that can be copied."""

    def __init__(self, worked: Derivation, put_away: Callable[[], object]) -> None:
        super().__init__("prediction")
        self.worked = worked
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        title, *lines = worked.text().splitlines()
        self.body.addWidget(label(tr("why?"), "caption"))
        self.body.addWidget(label(title, "strong", wrap=True))
        text = label("\n".join(line.strip() for line in lines), wrap=True)
        text.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.body.addWidget(text)
        row = QHBoxLayout()
        for words, act in (("copy", self._copy), ("put away", put_away)):
            button = QPushButton(tr(words))
            button.setProperty("kind", "quiet")
            button.clicked.connect(act)
            row.addWidget(button)
        row.addStretch(1)
        self.body.addLayout(row)

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.worked.text())


class NoticeColumn(QScrollArea):
    """Why-card on top when one was asked for; below it hold points and cautions of the stage."""

    #: A hold was chosen that is lifted by a reading at this place.
    hold_wanted = pyqtSignal(str)
    #: What stands here has changed.
    filled = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self._stage = session, "stock"
        self._worked: Derivation | None = None
        self._opened = ""
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        inside = QFrame()
        inside.setAccessibleName(tr("before you go on"))
        self._all = QVBoxLayout(inside)
        self._all.setContentsMargins(0, 0, 0, 0)
        #: What stands here at each stage, and what it was made of: gone back to, it is shown as it is.
        self._pages: dict[str, tuple[object, QWidget]] = {}
        self.setWidget(inside)
        for signal in (session.noticed, session.subject_changed, session.hand_changed):
            signal.connect(self.refresh)
        session.asked_why.connect(self.show_why)
        theme.changed.connect(self.refresh)
        self.refresh()

    def show_stage(self, stage: str) -> None:
        self._stage = stage
        self.refresh()

    def show_why(self, worked: Derivation | None) -> None:
        self._worked = worked
        self.refresh()
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)

    def _relevant(self) -> list[Notice]:
        found = [n for n in self.session.notices if n.stage == self._stage]
        if self._stage == "plate":
            # What was held or overruled anywhere is printed on the sheet.
            found = [n for n in self.session.notices if n.kind == "hold"]
            # Those of building are told as counts on the sheet, where nobody overruled them.
            found = [n for n in found if n.overruled or n.stage not in ("assemble", "wake")]
        if self._stage in ("assemble", "wake"):
            # In the order in which they are taken.
            return found
        subject = self.session.subject
        # What belongs to the link in hand comes first; the order is otherwise by gravity.
        return sorted(found, key=lambda n: n.link != subject)

    @property
    def empty(self) -> bool:
        """Whether nothing stands here, so that its room can be given back."""
        return self._worked is None and not self._relevant()

    def _taken_up(self, notice_id: str) -> None:
        """A hold was chosen: it opens here, and its step comes into hand."""
        notice = next((n for n in self._relevant() if n.id == notice_id), None)
        if notice is None:
            return
        self._opened = notice_id
        if notice.lifted_by:
            self.hold_wanted.emit(notice.lifted_by)
        self.refresh()

    def refresh(self) -> None:
        notices = self._relevant()
        holds = [n for n in notices if n.kind == "hold" and not n.overruled]
        hand = self.session.hand.place if self.session.hand is not None else ""
        in_hand = next((n.id for n in holds if n.lifted_by and n.lifted_by == hand), "")
        opened = in_hand or (self._opened if any(n.id == self._opened for n in holds) else "")
        opened = opened or (holds[0].id if holds else "")
        # A short list is read as it stands; of a long one the cautions are a line each.
        folded = {n.id for n in notices if n.kind == "caution" and len(notices) > UNFOLDED}
        folded -= {self._opened}
        state = (self._worked, tuple(notices), opened, frozenset(folded), theme.night, theme.scale)
        known, page = self._pages.get(self._stage, (None, None))
        if page is None or known != state:
            if page is not None:
                self._all.removeWidget(page)
                page.hide()
                page.deleteLater()
            page = self._page(notices, holds, opened, folded)
            self._all.addWidget(page)
            self._pages[self._stage] = (state, page)
        elif not page.isHidden():
            return
        for _, other in self._pages.values():
            other.setVisible(other is page)
        self.filled.emit()

    def _page(self, notices: list[Notice], holds: list[Notice], opened: str, folded: set[str]) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(theme.px(14), theme.px(12), theme.px(12), theme.px(8))
        column.setSpacing(theme.px(8))
        if self._worked is not None:
            column.addWidget(WhyCard(self._worked, lambda: self.show_why(None)))
        count = f": {len(holds)} open" if len(holds) > 1 else ""
        column.addWidget(label(tr("Before you go on{0}").format(count), "heading", wrap=True))
        if not notices:
            column.addWidget(label(tr("Nothing open here."), "caption", wrap=True))
        numbers = {place: k for k, (place, _, _) in self.session.now.numbered.items()}
        for notice in notices:
            number = numbers.get(notice.lifted_by or "")
            closed = notice.kind == "hold" and not notice.overruled and notice.id != opened
            shown = not closed and notice.id not in folded
            card = NoticeCard(self.session, notice, number, shown)
            card.taken_up.connect(self._taken_up)
            column.addWidget(card)
        column.addStretch(1)
        return page
