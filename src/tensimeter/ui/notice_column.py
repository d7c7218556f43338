"""The right column: why a figure is what it is, and what to mind before going on."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.model.job import Overrule
from tensimeter.core.notice import Notice
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_BAR = {"miss": "miss", "hold": "hold", "caution": "pencil"}
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
    """One notice; a hold can be overruled here, with a reason, in place."""

    def __init__(self, session: Session, notice: Notice) -> None:
        super().__init__(_BAR[notice.kind])
        self.session, self.notice = session, notice
        word = "hold point, overruled" if notice.overruled else _WORD[notice.kind]
        self.body.addWidget(label(word, "caption"))
        self.body.addWidget(label(notice.title, "strong", wrap=True))
        self.body.addWidget(label(notice.text, wrap=True))
        if notice.overruled:
            self.body.addWidget(label(f"Reason: {notice.overruled}", "caption", wrap=True))
        elif notice.kind == "hold":
            self._button = QPushButton("overrule, with a reason …")
            self._button.setProperty("kind", "quiet")
            self._button.clicked.connect(self._ask)
            self.body.addWidget(self._button)

    def _ask(self) -> None:
        self._button.hide()
        self._reason = Field()
        self._reason.setPlaceholderText("reason, then Enter")
        self._reason.setAccessibleName(f"reason to overrule {self.notice.title}")
        self._reason.returnPressed.connect(self._overrule)
        self.body.addWidget(self._reason)
        self._reason.setFocus()

    def _overrule(self) -> None:
        reason = self._reason.text().strip()
        if len(reason) < 3:
            self._reason.setPlaceholderText("a hold needs a reason of some words")
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
        self.body.addWidget(label("why?", "caption"))
        self.body.addWidget(label(title, "strong", wrap=True))
        text = label("\n".join(line.strip() for line in lines), wrap=True)
        text.setTextInteractionFlags(
            Qt.TextInteractionFlag.TextSelectableByMouse | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.body.addWidget(text)
        row = QHBoxLayout()
        for words, act in (("copy", self._copy), ("put away", put_away)):
            button = QPushButton(words)
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

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self._stage = session, "stock"
        self._worked: Derivation | None = None
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("before you go on")
        inside = QWidget()
        self._layout = QVBoxLayout(inside)
        self._layout.setContentsMargins(theme.px(14), theme.px(12), theme.px(12), theme.px(8))
        self._layout.setSpacing(theme.px(8))
        self.setWidget(inside)
        for signal in (session.job_changed, session.readings_changed, session.subject_changed):
            signal.connect(self.refresh)
        session.asked_why.connect(self.show_why)
        theme.changed.connect(self.refresh)
        self._shown: object = None
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
        found = [n for n in self.session.now.notices if n.stage == self._stage]
        if self._stage == "plate":
            # What was held or overruled anywhere is printed on the sheet.
            found = [n for n in self.session.now.notices if n.kind == "hold"]
            # Those of building are told as counts on the sheet, where nobody overruled them.
            found = [n for n in found if n.overruled or n.stage not in ("assemble", "wake")]
        if self._stage in ("assemble", "wake"):
            # In the order in which they are taken.
            return found
        subject = self.session.subject
        # What belongs to the link in hand comes first; the order is otherwise by gravity.
        return sorted(found, key=lambda n: n.link != subject)

    def refresh(self) -> None:
        notices = self._relevant()
        state = (self._worked, tuple(notices), theme.night, theme.scale)
        if state == self._shown:
            return
        self._shown = state
        clear(self._layout)
        if self._worked is not None:
            self._layout.addWidget(WhyCard(self._worked, lambda: self.show_why(None)))
        self._layout.addWidget(label("Before you go on", "heading"))
        if not notices:
            self._layout.addWidget(label("Nothing stands against this stage.", "caption", wrap=True))
        for notice in notices:
            self._layout.addWidget(NoticeCard(self.session, notice))
        self._layout.addStretch(1)
