"""Settings in one place, and what this program is made of."""

import platform
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from msgspec.structs import replace
from platformdirs import user_log_path
from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR, QSettings, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tensimeter import __version__
from tensimeter.bench.profile import own_profiles
from tensimeter.core.model.migrations import MAJOR, MINOR
from tensimeter.ui.parts.text import Field, label, rule
from tensimeter.ui.parts.words import tr
from tensimeter.ui.preferences import MAINS, Preferences, keep_preferences, preferences
from tensimeter.ui.theme import theme
from tensimeter.ui.translation import languages

_SIZES = (0.8, 0.9, 1.0, 1.1, 1.2, 1.3, 1.4, 1.5)
#: What is named in About beside Python and Qt.
_PACKAGES = (
    "numpy",
    "scipy",
    "pydantic",
    "pyqtgraph",
    "PyVISA",
    "PyVISA-py",
    "pymodbus",
    "pyarrow",
    "weasyprint",
)


class SettingsWindow(QWidget):
    """Each line is followed as soon as it is changed; there is nothing to confirm."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Settings and about"))
        self.resize(theme.px(620), theme.px(600))
        column = QVBoxLayout(self)
        column.setSpacing(theme.px(8))
        column.addWidget(label(tr("Settings"), "heading"))
        column.addWidget(label(tr("They hold for every job, from now on."), "caption"))
        self._grid = QGridLayout()
        self._grid.setColumnStretch(1, 1)
        self._grid.setHorizontalSpacing(theme.px(16))
        column.addLayout(self._grid)
        kept = preferences()
        self._look()
        self.mark = self._box(
            tr("decimal mark"), (("as the system has it", ""), ("point, 13.6", "."), ("comma, 13,6", ","))
        )
        self._choose(self.mark, kept.decimal_mark)
        spoken = (("as the system has it", ""), ("English", "en"), *((name, name) for name in languages()))
        self.language = self._box(tr("language, from the next start"), spoken)
        self._choose(self.language, kept.language)
        self.mains = self._box(
            tr("mains of new jobs"), tuple((f"{v:g} V, {f:g} Hz", (v, f)) for v, f in MAINS)
        )
        self._choose(self.mains, (kept.mains_V, kept.mains_Hz))
        self.sound = self._tick(tr("a sound at each point of a run"), kept.sound)
        self.notify = self._tick(tr("the desktop tells when a run ends or hands are wanted"), kept.notify)
        self.folder = self._path(tr("new jobs are kept in"), kept.jobs_folder, str(Preferences().folder()))
        self.visa = self._path(
            tr("VISA library"), kept.visa, "pyvisa-py, which comes with the program", file=True
        )
        column.addWidget(rule())
        column.addWidget(label(tr("About"), "heading"))
        column.addLayout(self._about())
        column.addStretch(1)

    # -- settings -------------------------------------------------------------------------------

    def _row(self, words: str, widget: QWidget) -> None:
        row = self._grid.rowCount()
        self._grid.addWidget(label(words), row, 0)
        self._grid.addWidget(widget, row, 1)

    def _box(self, words: str, options: tuple[tuple[str, object], ...]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(words)
        for text, value in options:
            box.addItem(text, value)
        box.activated.connect(lambda _=0: self.keep())
        self._row(words, box)
        return box

    def _choose(self, box: QComboBox, value: object) -> None:
        at = next((k for k in range(box.count()) if box.itemData(k) == value), 0)
        box.setCurrentIndex(at)

    def _look(self) -> None:
        """How it looks: by the system, paper or night; the size of the text."""
        night = QSettings().value("night")
        told = None if night is None else str(night).lower() == "true"
        self.night = QComboBox()
        self.night.setAccessibleName(tr("day or night"))
        for words, value in (("as the system has it", None), ("paper", False), ("night", True)):
            self.night.addItem(words, value)
        self._choose(self.night, told)
        self.night.activated.connect(lambda _=0: self._wear())
        self._row(tr("day or night"), self.night)
        self.text_size = QComboBox()
        self.text_size.setAccessibleName(tr("size of the text"))
        for size in _SIZES:
            self.text_size.addItem(f"{100 * size:.0f} %", size)
        self.text_size.setCurrentIndex(min(range(len(_SIZES)), key=lambda k: abs(_SIZES[k] - theme.scale)))
        self.text_size.activated.connect(lambda _=0: theme.use(scale=self.text_size.currentData()))
        self._row(tr("size of the text"), self.text_size)

    def _wear(self) -> None:
        wanted = self.night.currentData()
        if wanted is None:
            hints = QGuiApplication.styleHints()
            theme.use(night=hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark)
            QSettings().remove("night")
        else:
            theme.use(night=wanted)
            QSettings().setValue("night", wanted)

    def _tick(self, words: str, on: bool) -> QCheckBox:
        box = QCheckBox(tr(words))
        box.setChecked(on)
        box.toggled.connect(lambda _: self.keep())
        row = self._grid.rowCount()
        self._grid.addWidget(box, row, 0, 1, 2)
        return box

    def _path(self, words: str, kept: str, without: str, file: bool = False) -> Field:
        held = QWidget()
        row = QHBoxLayout(held)
        row.setContentsMargins(0, 0, 0, 0)
        field = Field(kept)
        field.setPlaceholderText(without)
        field.setAccessibleName(words)
        field.editingFinished.connect(self.keep)
        row.addWidget(field, 1)
        choose = QPushButton(tr("choose …"))
        choose.setAccessibleName(tr("choose: {0}").format(words))
        choose.clicked.connect(lambda _=False: self._ask(field, file))
        row.addWidget(choose)
        self._row(words, held)
        return field

    def _ask(self, field: Field, file: bool) -> None:
        if file:
            name, _ = QFileDialog.getOpenFileName(self, "A VISA library", field.text())
        else:
            name = QFileDialog.getExistingDirectory(self, "A folder", field.text())
        if name:
            field.setText(name)
            self.keep()

    def keep(self) -> None:
        """Follow what is set now."""
        volts, hertz = self.mains.currentData()
        folder = self.folder.text().strip()
        bad = bool(folder) and not Path(folder).is_dir()
        self.folder.setProperty("bad", bad)
        self.folder.setToolTip(tr("There is no such folder; the one before is used.") if bad else "")
        before = preferences()
        keep_preferences(
            replace(
                before,
                decimal_mark=self.mark.currentData(),
                language=self.language.currentData(),
                mains_V=volts,
                mains_Hz=hertz,
                sound=self.sound.isChecked(),
                notify=self.notify.isChecked(),
                jobs_folder=before.jobs_folder if bad else folder,
                visa=self.visa.text().strip(),
            )
        )
        # Every figure on the screen is written anew.
        theme.changed.emit()

    # -- about ----------------------------------------------------------------------------------

    def _about(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.about = label(about(), "", wrap=True)
        self.about.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.about)
        row = QHBoxLayout()
        copy = QPushButton(tr("copy this"))
        copy.clicked.connect(self._copy)
        row.addWidget(copy)
        row.addStretch(1)
        column.addLayout(row)
        return column

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.about.text())


def about() -> str:
    """Versions of everything that computes, and where the log is: what one sends with a fault report."""
    lines = [
        f"Tensimeter {__version__}, job format {MAJOR}.{MINOR}, GPL-3.0-or-later",
        f"Python {platform.python_version()}, Qt {QT_VERSION_STR}, PyQt {PYQT_VERSION_STR}",
        platform.platform(),
        ", ".join(f"{name} {_version(name)}" for name in _PACKAGES),
        f"Log: {user_log_path('tensimeter')}",
        f"Profiles of your own: {own_profiles()}",
        "Type B612 (SIL OFL 1.1) and icons (MIT), each with its licence in the package.",
    ]
    return "\n".join(lines)


def _version(package: str) -> str:
    try:
        return version(package)
    except PackageNotFoundError:
        return "not there"


def show_settings(parent: QWidget) -> SettingsWindow:
    """The settings; the window that is open already comes forward."""
    there = parent.findChild(SettingsWindow)
    window = there if there is not None else SettingsWindow(parent)
    window.show()
    window.raise_()
    window.activateWindow()
    return window
