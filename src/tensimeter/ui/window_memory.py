"""What is remembered from one evening to the next: the window's size, its stage, its column, night or day."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QSettings, Qt
from PyQt6.QtWidgets import QApplication

from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.ui.session import Session
    from tensimeter.ui.window import MainWindow


class _Keeper(QObject):
    """Writes down how a window stands as it closes."""

    def __init__(self, window: "MainWindow") -> None:
        super().__init__(window)
        self._window = window

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Close and watched is self._window:
            settings, around = QSettings(), self._window.window()
            if around is not None:
                settings.setValue("geometry", around.saveGeometry())
            settings.setValue("stage", self._window.stage_index)
            settings.setValue("column", self._window.column.isVisibleTo(self._window))
        return False


def last_stage(session: "Session") -> int | None:
    """The stage that the last window stood at; None where a job begins at its own."""
    stage = int(QSettings().value("stage", -1, int))
    # A supply without a path begins where it is read.
    return stage if 0 <= stage < len(STAGES) and session.now.solved else None


def remember_window(window: "MainWindow") -> None:
    """Show or hide the right column as it stood last, and keep how a window stands when it closes."""
    if not QSettings().value("column", True, bool):
        window.put_column(False)
    window.installEventFilter(_Keeper(window))


def follow_system(app: QApplication, settings: QSettings) -> None:
    """Night or day and the size of the text as they were told; not told, night as the system has it."""
    hints = app.styleHints()
    dark = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
    theme.use(night=settings.value("night", dark, bool), scale=settings.value("scale", 1.0, float))
    followed = [theme.night]

    def keep() -> None:
        settings.setValue("scale", theme.scale)
        if theme.night != followed[0]:
            followed[0] = theme.night
            settings.setValue("night", theme.night)

    def system(scheme: Qt.ColorScheme) -> None:
        if settings.value("night") is None:
            followed[0] = scheme == Qt.ColorScheme.Dark
            theme.use(night=followed[0])

    theme.changed.connect(keep)
    if hints is not None:
        hints.colorSchemeChanged.connect(system)
