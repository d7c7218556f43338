"""The top of a job's window: its name and place, whether figures are predicted or live, what is at hand."""

from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from tensimeter.ui.parts.text import Elided, label, tip
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import icon, theme

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow


class JobHeader(QWidget):
    def __init__(self, window: "MainWindow") -> None:
        super().__init__()
        self.session = window.session
        row = QHBoxLayout(self)
        row.setContentsMargins(theme.px(18), theme.px(8), theme.px(14), theme.px(2))
        self._name, self._place = label("", "strong"), Elided()
        row.addWidget(self._name)
        row.addSpacing(theme.px(10))
        row.addWidget(self._place, 1)
        self.mode = label("", "prediction")
        row.addWidget(self.mode)
        row.addSpacing(theme.px(10))
        self.tools: dict[str, QToolButton] = {}
        for name, picture, words, act in (
            ("jobs", "folder-open", tr("All jobs, Ctrl+O"), window.jobs_wanted.emit),
            ("undo", "arrow-back-up", tr("Undo"), self.session.undo),
            ("redo", "arrow-forward-up", tr("Do again"), self.session.redo),
            ("logbook", "notebook", tr("Logbook, Ctrl+J"), window.show_logbook),
            ("night", "moon", tr("Night or day, Alt+N"), window.toggle_night),
            ("settings", "adjustments", tr("Settings and about, Ctrl+,"), window.show_settings),
            ("bench", "eye", tr("Bench view, Ctrl+B"), window.toggle_bench_view),
            ("column", "chevron-right", tr("Hide or show the right column, F2"), window.toggle_column),
        ):
            button = QToolButton()
            button.setToolTip(words)
            button.setAccessibleName(words)
            button.setIconSize(QSize(theme.px(18), theme.px(18)))
            button.clicked.connect(lambda _=False, act=act: act())
            button.setProperty("picture", picture)
            self.tools[name] = button
            row.addWidget(button)

    def show_job(self, mode: str, column_shown: bool) -> None:
        """The job as it is now."""
        job = self.session.job
        self._name.setText(job.name)
        made_up = tr("a demo: all of it is made up") if job.demo else ""
        self._place.setText(" · ".join(words for words in (job.place, made_up) if words))
        self.mode.setText(mode)
        undo, redo = self.session.deeds.undo_name(), self.session.deeds.redo_name()
        for name, what, words, key in (
            ("undo", undo, tr("Undo"), "Ctrl+Z"),
            ("redo", redo, tr("Do again"), "Ctrl+Shift+Z"),
        ):
            button = self.tools[name]
            button.setEnabled(bool(what))
            button.setToolTip(
                tip(f"{words}: {what}, {key}" if what else tr("nothing to {0}").format(words.lower()))
            )
            button.setAccessibleName(button.toolTip())
        self.restyle(column_shown)

    def restyle(self, column_shown: bool) -> None:
        """Its pictures in the colours of day or night."""
        for name, button in self.tools.items():
            picture = button.property("picture")
            if name == "night":
                picture = "sun" if theme.night else "moon"
            if name == "column":
                picture = "chevron-right" if column_shown else "chevron-left"
            if button.property("drawn") != (picture, theme.night):
                button.setProperty("drawn", (picture, theme.night))
                button.setIcon(icon(picture, "ink"))
