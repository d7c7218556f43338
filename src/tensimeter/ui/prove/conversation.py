"""What goes over a link, byte by byte, and a line to send."""

import time
from collections import deque
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QPushButton, QVBoxLayout, QWidget

from tensimeter.bench.by_file import PREFIX
from tensimeter.bench.link import Link, Said, Serial
from tensimeter.bench.profile import Profile
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.serial_port import must_be_free
from tensimeter.ui.aside import Aside
from tensimeter.ui.asked import RUN_IS_ON
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: What of a profile says how its link is opened.
OF_LINK = ("termination", "baud", "data_bits", "parity", "stop_bits", "flow")
#: How often a link is looked at, and how often one that can't be opened is tried again, ms.
LOOK_MS, AGAIN_MS = 150, 5000
#: So long a link may take to take a line, s.
SEND_S = 0.3
#: So many of the newest bytes are kept, and so many lines of what was said.
NEWEST, MOST_LINES = 4096, 400


class Conversation(QWidget):
    """`told` gives a profile's table as it stands; `said` is what is to be told of the link."""

    said = pyqtSignal(str)

    def __init__(
        self, session: Session, aside: Aside, role: str, resource: str,
        told: Callable[[], dict[str, Any] | None],
    ) -> None:  # fmt: skip
        super().__init__()
        self._session, self._aside = session, aside
        self._role, self._resource, self._told = role, resource, told
        self._talk: deque[Said] = deque(maxlen=MOST_LINES)
        self._link: Link | None = None
        #: Links that were opened beside the window, until they are closed.
        self._opened: list[Link] = []
        self._over = False
        session.bench_wanted.connect(self.close_link)
        #: The newest bytes that came, and whether any came since they were looked through.
        self.came, self.news = bytearray(), False
        #: When to look again, ms.
        self.again_ms = LOOK_MS
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(6))
        column.addWidget(label(tr("over the link: → sent, ← come"), "caption"))
        self.words = QListWidget()
        self.words.setAccessibleName(tr("bytes that went over the link"))
        column.addWidget(self.words, 1)
        row = QHBoxLayout()
        self.line = Field()
        self.line.setPlaceholderText(tr("a question to send, as it stands in its manual"))
        self.line.setAccessibleName(tr("a line to send"))
        self.line.returnPressed.connect(self.send)
        row.addWidget(self.line, 1)
        self.send_it = QPushButton(tr("send"))
        self.send_it.setAutoDefault(False)
        self.send_it.clicked.connect(self.send)
        row.addWidget(self.send_it)
        column.addLayout(row)
        words = "It is sent as typed: send questions only, nothing that switches an output or a load on."
        column.addWidget(label(words, "caption", wrap=True))

    def listen(self) -> None:
        """Show what came; a link is opened by the settings that stand in the profile."""
        if self._link is None:
            self._open()
            return
        try:
            self._link.drain()
        except LinkFailed as failed:
            if "without end" not in str(failed):
                self.close_link()
                self.said.emit(tr("The link was lost: {0}").format(failed))
        self.show_said(list(self._talk))
        self._talk.clear()

    def _open(self) -> None:
        """Have the link opened beside the window: who is not there is waited for a second."""
        told = self._told() or {}
        if "registers" in told or self._resource.startswith(PREFIX) or not self._resource:
            return
        if self._session.asked.run_is_on or self._aside.waits("link"):
            return
        try:
            known = Profile.model_validate({"role": self._role, **{k: told[k] for k in OF_LINK if k in told}})
        except ValueError:
            # Half typed; what is wrong is said beside the text.
            known = Profile.model_validate({"role": self._role})
        serial = Serial(known.baud, known.data_bits, known.parity, known.stop_bits, known.flow)

        def opened() -> Link | str:
            try:
                with self._session.asked:
                    must_be_free(self._resource)
                    link = Link(self._resource, known.termination, 0.7, serial, self._talk)
            except LinkFailed as failed:
                return str(failed)
            self._opened.append(link)
            if self._over:
                self.close_link()
            return link

        self._aside.ask("link", self, opened, self._take)

    def _take(self, found: Link | str) -> None:
        if isinstance(found, str):
            self.said.emit(found)
            self.again_ms = AGAIN_MS
            return
        # One that had to be let go before it was taken is none any more.
        if found in self._opened:
            self._link, self.again_ms = found, LOOK_MS

    def end(self) -> None:
        """Let it go for good, and one that is still being opened."""
        self._over = True
        self.close_link()

    def close_link(self) -> None:
        """Let it go, so that something else may open it."""
        self._link = None
        while self._opened:
            self._opened.pop().close()

    def show_said(self, said: list[Said]) -> None:
        for one in said:
            self.words.addItem(f"{'→' if one.sent else '←'}  {one}")
            if not one.sent:
                self.came = (self.came + one.data)[-NEWEST:]
        while self.words.count() > MOST_LINES:
            self.words.takeItem(0)
        if said:
            self.words.scrollToBottom()
            self.news = True

    def send(self) -> None:
        """Send the line typed; what comes is shown as it comes."""
        text = self.line.text()
        if not text.strip():
            return
        if self._session.asked.run_is_on:
            self.said.emit(tr(RUN_IS_ON))
            return
        if self._link is None:
            self._open()
        if self._link is None:
            self.said.emit(tr("Its link is not open yet; nothing was sent."))
            return
        try:
            self._link.say(text.encode("ascii"), time.monotonic() + SEND_S)
        except (LinkFailed, UnicodeEncodeError) as failed:
            self.said.emit(tr("It was not sent: {0}").format(failed))
            return
        self.line.selectAll()
