"""Makes a profile from what an instrument says: its bytes, and what they are taken for."""

import time
import tomllib
from typing import Any

import tomli_w
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tensimeter.bench.link import Said
from tensimeter.bench.modbus import ModbusInstrument
from tensimeter.bench.profile import (
    NEEDED,
    READERS,
    Profile,
    load_profile,
    own_profiles,
    parsed_profile,
    role_of,
    text_of,
)
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.trying import IncomingResult, tried_at
from tensimeter.bench.understood import Proposal, frame_shape, last_frame, of_frame, of_line, of_registers
from tensimeter.core.errors import UserError
from tensimeter.ui.aside import Aside
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.prove.conversation import LOOK_MS, OF_LINK, Conversation
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_ASKED = "answers questions in lines"
#: Ways in which an instrument talks, and what a profile of each begins with.
_WAYS = {
    "sends lines of itself": 'streaming = true\ntermination = "\\r\\n"\ntimeout_s = 1.0\n',
    "answers questions in lines": 'termination = "\\n"\n[commands]\nidentify = "*IDN?"\n',
    "sends frames of bytes": "timeout_s = 1.0\n",
    "has registers (Modbus)": "[registers]\nunit = 1\n",
}
#: What comes is looked through so often, s.
PROPOSE_S = 0.7
#: What was said, how many registers were read, and which may hold what is shown.
_Registers = tuple[list[Said], int, list[Proposal]]


class ProfileWindow(QDialog):
    """`kept` gives the name of a profile that was written."""

    kept = pyqtSignal(str)

    def __init__(
        self, session: Session, role: str, resource: str, profile: str, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.session, self.aside = session, Aside(threaded=session.aside.threaded)
        self.role, self.resource = role_of(role), resource
        self.setWindowTitle(tr("Profile of the {0}").format(self.role))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(theme.px(960), theme.px(600))
        #: When what came was looked through, s of `time.monotonic`.
        self._proposed_at = 0.0
        self._proposals: list[Proposal] = []
        #: The profile that was said to be there already: once more puts this one in its place.
        self._replaces = ""
        column = QVBoxLayout(self)
        column.addWidget(label(tr("What it says, and what is read from it"), "heading"))
        self.said = label("", "caption", wrap=True)
        column.addWidget(self.said)
        halves = QGridLayout()
        halves.setHorizontalSpacing(theme.px(16))
        self.conversation = Conversation(session, self.aside, self.role, resource, self._told)
        self.conversation.said.connect(self._say)
        halves.addWidget(self.conversation, 0, 0)
        halves.addLayout(self._understood(), 0, 1)
        halves.setColumnStretch(0, 1)
        halves.setColumnStretch(1, 1)
        column.addLayout(halves, 1)
        column.addLayout(self._last_row(profile))
        self._begin(profile)
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._listen)
        self._timer.start(LOOK_MS)

    def _understood(self) -> QVBoxLayout:
        right = QVBoxLayout()
        right.setSpacing(theme.px(6))
        row = QHBoxLayout()
        self.way = QComboBox()
        self.way.setAccessibleName(tr("how it talks"))
        # What switches is asked in lines: its guard knows nothing else.
        self.way.addItems(list(_WAYS) if self.role in READERS else [_ASKED])
        self.way.activated.connect(lambda _: self._start_from(self.way.currentText()))
        row.addWidget(self.way, 1)
        row.addWidget(label(tr("its display shows"), "caption"))
        self.shown = Field()
        self.shown.setPlaceholderText("13.60")
        self.shown.setAccessibleName(tr("what its display shows now"))
        self.shown.setMaximumWidth(theme.px(90))
        self.shown.textChanged.connect(lambda _: self.propose())
        self.shown.returnPressed.connect(self.look_through)
        row.addWidget(self.shown)
        row.addWidget(label({"thermometer": "°C", "clamp": "A"}.get(self.role, "V"), "caption"))
        row.setSpacing(theme.px(8))
        right.addLayout(row)
        hint = "Where that may stand; Enter takes one. Measure something else, and what is not it goes."
        right.addWidget(label(hint, "caption", wrap=True))
        self.proposals = QListWidget()
        self.proposals.setAccessibleName(tr("where that figure may stand; Enter takes one"))
        self.proposals.itemActivated.connect(lambda _: self.take(self.proposals.currentRow()))
        right.addWidget(self.proposals, 1)
        right.addWidget(label(tr("the profile, as it is kept"), "caption"))
        self.text = QPlainTextEdit()
        self.text.setTabChangesFocus(True)
        self.text.setAccessibleName(tr("text of the profile"))
        self.text.textChanged.connect(self._judge)
        right.addWidget(self.text, 2)
        return right

    def _last_row(self, profile: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(theme.px(8))
        self.try_it = QPushButton(tr("try it"))
        self.try_it.setAutoDefault(False)
        self.try_it.setToolTip(tr("Read what the profile names; nothing is switched on"))
        self.try_it.clicked.connect(self.try_all)
        row.addWidget(self.try_it)
        row.addWidget(label(tr("kept as"), "caption"))
        self.name = Field(f"my-{self.role}" if "/" in profile or profile.startswith("generic") else profile)
        self.name.setAccessibleName(tr("name of the profile"))
        row.addWidget(self.name, 1)
        self.keep = QPushButton(tr("Keep and use it"))
        self.keep.setProperty("kind", "main")
        self.keep.setAutoDefault(False)
        self.keep.clicked.connect(self.keep_it)
        row.addWidget(self.keep)
        return row

    @property
    def command(self) -> str:
        """What the figure asked for is called in a profile."""
        return max((c for c in NEEDED[self.role] if c.startswith("read_")), default="read_watts")

    def _begin(self, name: str) -> None:
        """From the profile in use where it can be read; a meter that is not asked is listened to at once."""
        try:
            told = load_profile(name).model_dump(exclude_defaults=True)
        except UserError:
            told = {"role": self.role}
        self.text.setPlainText(tomli_w.dumps(_plain(told)))

    def _start_from(self, way: str) -> None:
        role = f'role = "{self.role}"\n'
        self.text.setPlainText(role + _WAYS[way])
        self.conversation.close_link()
        self.propose()

    def _told(self) -> dict[str, Any] | None:
        try:
            return tomllib.loads(self.text.toPlainText())
        except tomllib.TOMLDecodeError as error:
            self._say(tr("The profile can't be read: {0}.").format(error))
            return None

    def _profile(self) -> Profile | None:
        try:
            return parsed_profile(self.text.toPlainText().encode(), "It")
        except UserError as trouble:
            self._say(str(trouble))
            return None

    def _judge(self) -> None:
        if self._profile() is not None:
            self._say(tr("It can be used. Try it before it is kept."), usable=True)
        self.keep.setEnabled(self._says_it_can)

    def _say(self, text: str, *, usable: bool = False) -> None:
        self._says_it_can = usable
        self.said.setText(text)

    def _listen(self) -> None:
        """Show what came; it is looked through now and then."""
        if self.aside.waits("tried", "registers"):
            # It has one link, which is in use.
            return
        self.conversation.listen()
        self._timer.setInterval(self.conversation.again_ms)
        if self.conversation.news and time.monotonic() - self._proposed_at > PROPOSE_S:
            self.propose()

    def propose(self) -> None:
        """Where what the display shows may stand in what came last."""
        self._proposed_at, self.conversation.news = time.monotonic(), False
        data, shown = bytes(self.conversation.came), self.shown.text()
        told = self._told() or {}
        if "registers" in told:
            return
        found: list[Proposal] = []
        try:
            if self.way.currentText() == "sends frames of bytes" or "frame" in told:
                shape = frame_shape(data)
                newest = last_frame(data, shape) if shape else None
                if newest and shape and shown.strip():
                    found = of_frame(newest, shape, self.command, shown)
            else:
                lines = [x for x in text_of(data).splitlines() if x.strip()]
                found = of_line(lines[-1], self.command, shown) if lines else []
        except ValueError:
            # What is typed there is no figure yet.
            found = []
        self._offer(found)

    def look_through(self) -> None:
        """Of an instrument with registers: read the first of them, and see which hold what is shown."""
        told = self._told() or {}
        if "registers" not in told or not self.shown.text().strip():
            return
        kept = {k: v for k, v in told.items() if k in OF_LINK}
        any_one = {
            "role": self.role,
            "registers": {**_table(told, "registers"), "values": {self.command: {"at": 0}}},
        }
        try:
            profile = Profile.model_validate({**any_one, **kept})
        except ValueError as error:
            self._say(tr("Its registers were not read: {0}").format(error))
            return
        shown = self.shown.text()

        def read() -> _Registers | str:
            try:
                with self.session.asked:
                    meter = ModbusInstrument(self.resource, profile, "It")
                    try:
                        words = meter.first_registers()
                    finally:
                        meter.close()
                return list(meter.talk)[-4:], len(words), of_registers(words, self.command, shown)
            except (LinkFailed, ValueError) as failed:
                return str(failed)

        self._say(tr("Reading …"))
        self.aside.ask("registers", self, read, self._show_registers)

    def _show_registers(self, read: "_Registers | str") -> None:
        if isinstance(read, str):
            self._say(tr("Its registers were not read: {0}").format(read))
            return
        talk, count, found = read
        self.conversation.show_said(talk)
        self._offer(found)
        self._say(tr("{0} registers were read; {1} ways fit what it shows.").format(count, len(found)))

    def _offer(self, found: list[Proposal]) -> None:
        self._proposals = found
        at = self.proposals.currentRow()
        self.proposals.clear()
        self.proposals.addItems([f"{p.words} → {p.value:g}" for p in found])
        self.proposals.setCurrentRow(min(max(at, 0), len(found) - 1))

    def take(self, row: int) -> None:
        """Put a proposal into the profile."""
        told = self._told()
        if told is None or not 0 <= row < len(self._proposals):
            return
        for key in ("patterns", "columns", "scales"):
            _table(told, key).pop(self.command, None)
        for key, value in self._proposals[row].told.items():
            # Of a table in tables the newest counts whole; other commands of a flat one stay.
            flat = key not in ("frame", "registers")
            told[key] = {**_table(told, key), **value}
            if not flat:
                told[key]["values"] = value["values"]
        if not told.get("commands") and "frame" not in told and "registers" not in told:
            told["streaming"] = True
        self.text.setPlainText(tomli_w.dumps({k: v for k, v in told.items() if v != {}}))

    def try_all(self) -> None:
        """Read each thing that the profile names, by the profile's own door."""
        profile = self._profile()
        if profile is None:
            return

        def tried() -> list[IncomingResult] | str:
            # Also one that was just being opened: it has one link.
            self.conversation.close_link()
            try:
                with self.session.asked:
                    return tried_at(self.resource, profile, "It")
            except LinkFailed as failed:
                return str(failed)

        self._say(tr("Trying …"))
        self.aside.ask("tried", self, tried, self._show_tried)

    def _show_tried(self, rows: list[IncomingResult] | str) -> None:
        if isinstance(rows, str):
            self._say(rows)
            return
        for row in rows:
            self.conversation.show_said(list(row.raw))
            mark = {True: "fits", False: "DOES NOT FIT", None: "not tried"}[row.fits]
            words = "  ".join(x for x in (row.command, row.answer, mark, row.remark) if x)
            self.conversation.words.addItem(f"     {words}")
        self.conversation.words.scrollToBottom()
        bad = [row for row in rows if row.fits is False]
        self._say(
            tr("It does not fit: {0}: {1}.").format(bad[0].command, bad[0].remark or bad[0].answer) if bad
            else tr("It can be used: everything that was tried fits."),
            usable=not bad,
        )  # fmt: skip

    def keep_it(self) -> None:
        """Write the profile into the user's own folder, and use it."""
        if self._profile() is None:
            return
        name = self.name.text().strip()
        if not name or "/" in name or name.startswith("."):
            self._say(tr("A profile is kept by a plain name, such as my-meter."))
            return
        path, text = own_profiles() / f"{name}.toml", self.text.toPlainText()
        if path.exists() and self._replaces != name:
            self._replaces = name
            self._say(
                tr("There is a profile {0} already; once more puts this in its place.").format(name),
                usable=True,
            )
            return
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            made = path.with_suffix(".new")
            made.write_text(text, encoding="utf-8")
            made.replace(path)
        except OSError as error:
            self._say(tr("{0} can't be written: {1}.").format(path, error.strerror))
            return
        self.kept.emit(name)
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._timer.stop()
        self.aside.stop()
        self.conversation.end()
        super().closeEvent(event)


def _table(told: dict[str, Any], key: str) -> dict[str, Any]:
    """A table of a profile that may be half typed; empty where it is none."""
    found = told.get(key, {})
    return found if isinstance(found, dict) else {}


def _plain(told: dict[str, Any]) -> dict[str, Any]:
    """As TOML has it: no nothing, and keys of text."""
    return {str(k): _plain(v) if isinstance(v, dict) else v for k, v in told.items() if v is not None}
