"""Find and assign instruments: who answers where, which does what; nothing is switched on by looking."""

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.bench.finding import Found, found_instruments, resource_of
from tensimeter.bench.profile import load_profile, profile_names, role_of
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.setup import parts_by_role, write_bench_file
from tensimeter.bench.trying import IncomingResult, tried_at
from tensimeter.core.errors import UserError
from tensimeter.core.guarded import guarded
from tensimeter.ui.aside import Aside
from tensimeter.ui.asked import RUN_IS_ON
from tensimeter.ui.parts.path_field import PathField
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.prove.profile_window import ProfileWindow
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_ROLES = {
    "load": "load",
    "load2": "second load",
    "voltmeter": "voltmeter",
    "thermometer": "thermometer",
    "scope": "oscilloscope",
    "clamp": "clamp",
    "line": "line source",
}


class InstrumentsWindow(QDialog):
    """Roles above, who answers below; what is assigned is written as a bench file."""

    bench_chosen = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        # What is slow to answer keeps nobody from dropping a load.
        self.aside = Aside(threaded=session.aside.threaded)
        self.setWindowTitle(tr("Instruments"))
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(theme.px(880), theme.px(580))
        column = QVBoxLayout(self)
        column.addWidget(label(tr("Which instrument does what"), "heading"))
        words = (
            "Type an address (127.0.0.1:5025), a port (/dev/ttyUSB0) or a VISA resource, or pick one that "
            "answered. They are asked who they are and nothing else."
        )
        column.addWidget(label(words, "caption", wrap=True))
        column.addLayout(self._grid())
        row = QHBoxLayout()
        self.ask = QPushButton(tr("Ask who is there"))
        self.ask.clicked.connect(self.look)
        row.addWidget(self.ask)
        row.addStretch(1)
        column.addLayout(row)
        self.answers = QTreeWidget()
        self.answers.setHeaderLabels(["where", "answer"])
        self.answers.setRootIsDecorated(False)
        self.answers.setAccessibleName(tr("who answered; Enter puts it into the role last touched"))
        present(self.answers.header()).setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        self.answers.itemActivated.connect(self._assign)
        column.addWidget(self.answers, 1)
        self.said = label("", "", wrap=True)
        column.addWidget(self.said)
        last = QHBoxLayout()
        self.path = PathField(str(session.file.path.with_suffix(".bench.toml")), "Bench files (*.toml)")
        self.path.setAccessibleName(tr("bench file"))
        last.addWidget(label(tr("kept as"), "caption"))
        last.addWidget(self.path, 1)
        self.keep = QPushButton(tr("Use this bench"))
        self.keep.setProperty("kind", "main")
        self.keep.clicked.connect(self.use)
        last.addWidget(self.keep)
        column.addLayout(last)

    def _grid(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(theme.px(3))
        parts = parts_by_role(self.session.job)
        self.fields: dict[str, Field] = {}
        self.profiles: dict[str, QComboBox] = {}
        self._last = "load"
        for row, (role, words) in enumerate(_ROLES.items()):
            part = self.session.job.part(parts.get(role))
            grid.addWidget(label(words), row, 0)
            grid.addWidget(label(part.name if part else tr("no card of the stock"), "caption"), row, 1)
            field, profile = Field(), QComboBox()
            field.setPlaceholderText(tr("none"))
            field.setAccessibleName(tr("where the {0} is").format(words))
            field.cursorPositionChanged.connect(lambda *_, role=role: setattr(self, "_last", role))
            profile.setEditable(True)
            profile.addItems(profile_names(role_of(role)))
            profile.setAccessibleName(tr("profile of the {0}").format(words))
            check = QPushButton(tr("try it"))
            check.setToolTip(tr("Send each command of the profile but those that switch something on"))
            check.clicked.connect(lambda _=False, role=role: self.check(role))
            make = QPushButton(tr("make one …"))
            make.setToolTip(tr("Make a profile from what it says"))
            make.setAccessibleName(tr("make a profile of the {0}").format(words))
            make.clicked.connect(lambda _=False, role=role: self.make_profile(role))
            for k, widget in enumerate((field, profile, check, make)):
                grid.addWidget(widget, row, 2 + k)
            self.fields[role], self.profiles[role] = field, profile
        grid.setColumnStretch(2, 3)
        grid.setColumnStretch(3, 2)
        return grid

    def _is_free(self) -> bool:
        """Whether instruments may be spoken to here; those of a run are its own."""
        busy = self.session.asked.run_is_on
        if busy:
            self.said.setText(tr(RUN_IS_ON))
        return not busy

    def look(self) -> None:
        """Ask every port and everything typed for its identity."""
        if not self._is_free():
            return
        self.answers.clear()
        self.said.setText(tr("Asking …"))
        typed = [field.text() for field in self.fields.values()]

        def ask() -> list[Found] | str:
            try:
                with self.session.asked:
                    return list(found_instruments(typed))
            except LinkFailed as failed:
                return str(failed)

        self.aside.ask("who", self, lambda: guarded("Who is there", ask, str), self._show_found)

    def _show_found(self, found: list[Found] | str) -> None:
        if isinstance(found, str):
            self.said.setText(found)
            return
        for one in found:
            item = QTreeWidgetItem([one.resource, one.answer or one.remark])
            item.setDisabled(not one.answer)
            self.answers.addTopLevelItem(item)
        count = sum(bool(one.answer) for one in found)
        self.said.setText(
            tr("{0} answered.").format(count)
            if count
            else tr("Nobody answered: type where one is, and ask again.")
        )

    def _assign(self, item: QTreeWidgetItem, _: int) -> None:
        self.fields[self._last].setText(item.text(0))
        self.fields[self._last].setCursorPosition(0)

    def check(self, role: str) -> None:
        """Try the profile of a role on what is typed there; each command with its answer."""
        text = self.fields[role].text().strip()
        if not text:
            self.said.setText(tr("Type where the {0} is first.").format(_ROLES[role]))
            return
        if not self._is_free():
            return
        self.answers.clear()
        self.said.setText(tr("Trying …"))
        name, called = self.profiles[role].currentText(), _ROLES[role]

        def tried() -> list[IncomingResult] | str:
            try:
                profile = load_profile(name)
                with self.session.asked:
                    return tried_at(resource_of(text), profile, called)
            except (UserError, LinkFailed) as error:
                return str(error)

        self.aside.ask("tried", self, lambda: guarded(called, tried, str), self._show_tried)

    def _show_tried(self, tried: list[IncomingResult] | str) -> None:
        if isinstance(tried, str):
            self.said.setText(tried)
            return
        for one in tried:
            mark = {True: "fits", False: "DOES NOT FIT", None: ""}[one.fits]
            said = "  ".join(x for x in (one.answer, mark, one.remark) if x)
            self.answers.addTopLevelItem(QTreeWidgetItem([f"{one.command}: {one.sent}", said]))
        bad = sum(one.fits is False for one in tried)
        self.said.setText(
            tr("{0} commands do not fit.").format(bad) if bad else tr("Every command that was tried fits.")
        )

    def make_profile(self, role: str) -> None:
        """Open the window that makes a profile, on what is typed where this role is."""
        text = self.fields[role].text().strip()
        if not text:
            self.said.setText(tr("Type where the {0} is first.").format(_ROLES[role]))
            return
        if not self._is_free():
            return
        box = self.profiles[role]
        window = ProfileWindow(self.session, role, resource_of(text), box.currentText(), self)

        def use(name: str) -> None:
            if box.findText(name) < 0:
                box.addItem(name)
            box.setCurrentText(name)
            self.said.setText(
                tr("The profile {0} was kept; it is used for the {1}.").format(name, _ROLES[role])
            )

        window.kept.connect(use)
        window.show()

    def use(self) -> None:
        """Write what is assigned as a bench file and measure with it."""
        wanted = {
            role: (resource_of(field.text()), self.profiles[role].currentText())
            for role, field in self.fields.items()
            if field.text().strip()
        }
        try:
            path = Path(self.path.text().strip())
            write_bench_file(path, wanted)
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        self.bench_chosen.emit(str(path))
        self.close()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.aside.stop()
        super().closeEvent(event)
