"""Trips, presets and alarms as they were set, and the reading that showed each."""

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.assembly_edits import with_setting
from tensimeter.ui.parts.text import Field, clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session


class SettingsRegister(QWidget):
    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label(tr("Settings register"), "strong"))
        row = QHBoxLayout()
        self.what, self.value, self.shown_by = Field(), Field(), Field()
        for field, words in (
            (self.what, "trip, preset, power-up state, alarm"),
            (self.value, "set to"),
            (self.shown_by, "shown by which reading"),
        ):
            field.setPlaceholderText(words)
            field.setAccessibleName(words)
            field.returnPressed.connect(self.add)
            row.addWidget(field, 1)
        column.addLayout(row)
        box = QWidget()
        self._lines = QVBoxLayout(box)
        self._lines.setContentsMargins(0, 0, 0, 0)
        column.addWidget(box)
        session.job_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        clear(self._lines)
        for entry in self.session.job.assembly.settings:
            shown = f", shown by {entry.shown_by}" if entry.shown_by else ", not shown by a reading yet"
            self._lines.addWidget(label(f"{entry.what}: {entry.value}{shown}", wrap=True))

    def add(self) -> None:
        try:
            job = with_setting(self.session.job, self.what.text(), self.value.text(), self.shown_by.text())
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        if self.session.edit(f"{self.what.text()} set to {self.value.text()}", job):
            for field in (self.what, self.value, self.shown_by):
                field.empty()
            self.what.setFocus()
