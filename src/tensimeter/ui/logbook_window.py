"""The logbook to look through: every entry and photo, by words, link, test and kind; kept as Markdown."""

import time
from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from tensimeter.app.logbook import KINDS, PhotoEntry, Wanted, chosen, entries_of
from tensimeter.core.errors import UserError
from tensimeter.report.logbook import as_markdown
from tensimeter.store.entries import LogEntry
from tensimeter.store.exchange import export
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_HEADINGS = ("when", "what", "entry")


class _Entries(QAbstractTableModel):
    """Rows of entries, the newest first; only what is seen is made into text."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.rows: list[LogEntry] = []

    def show_rows(self, rows: list[LogEntry]) -> None:
        self.beginResetModel()
        self.rows = rows[::-1]
        self.endResetModel()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(_HEADINGS)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        entry = self.rows[index.row()]
        when = time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(entry.at))
        return (when, entry.kind, " ".join(entry.text.split()))[index.column()]

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> object:
        shown = role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal
        return _HEADINGS[section] if shown else None


class LogbookWindow(QWidget):
    """Beside the job's window; it follows what is done there."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.session = session
        self.setWindowTitle(tr("Logbook of {0}").format(session.job.name))
        self.resize(theme.px(860), theme.px(560))
        column = QVBoxLayout(self)
        column.setSpacing(theme.px(8))
        column.addWidget(label(tr("Logbook"), "heading"))
        column.addLayout(self._choices())
        self.model = _Entries(self)
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setAccessibleName(tr("entries of the logbook, the newest first"))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        present(self.table.verticalHeader()).hide()
        present(self.table.verticalHeader()).setDefaultSectionSize(theme.px(22))
        header = present(self.table.horizontalHeader())
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        for k, width in enumerate((172, 80)):
            self.table.setColumnWidth(k, theme.px(width))
        present(self.table.selectionModel()).currentRowChanged.connect(lambda *_: self._show_entry())
        column.addWidget(self.table, 1)
        self.picture = label("")
        self.picture.hide()
        column.addWidget(self.picture)
        self.text = label("", wrap=True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self.text)
        last = QHBoxLayout()
        self.said = label("", "caption", wrap=True)
        last.addWidget(self.said, 1)
        self.take_out = QPushButton(tr("Take everything out …"))
        self.take_out.setToolTip(tr("Job, readings, waveforms, attachments: JSON, CSV and files in a folder"))
        self.take_out.clicked.connect(self._ask_folder)
        last.addWidget(self.take_out)
        self.keep = QPushButton(tr("Save as Markdown …"))
        self.keep.clicked.connect(self._ask_path)
        last.addWidget(self.keep)
        column.addLayout(last)
        # Closed it stays, and is shown again: meanwhile nothing is read for it.
        seen = WhenSeen(self, self.renew)
        session.job_changed.connect(seen.take)
        session.readings_changed.connect(seen.take)
        self._every: list[LogEntry] = []
        self.renew()
        self.words.setFocus()

    def _choices(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(theme.px(8))
        self.words = Field()
        self.words.setPlaceholderText(tr("words to look for"))
        self.words.setAccessibleName(tr("words to look for in the logbook"))
        self.words.textChanged.connect(lambda _: self._choose())
        row.addWidget(self.words, 1)
        self.boxes: dict[str, QComboBox] = {}
        for name in ("kind", "link", "test"):
            box = QComboBox()
            box.setAccessibleName(tr("which {0}").format(name))
            box.activated.connect(lambda _=0: self._choose())
            self.boxes[name] = box
            row.addWidget(box)
        return row

    def _offer_choices(self) -> None:
        """The links and tests that there are now; what was chosen stays while it is there."""
        job = self.session.job
        for name, all_, options in (
            ("kind", tr("every kind"), [(kind, kind) for kind in KINDS]),
            ("link", tr("every link"), [(x.name, x.id) for x in job.design.links]),
            ("test", tr("every test"), [(t.id, t.id) for t in job.campaign.tests]),
        ):
            box, wanted = self.boxes[name], [(all_, ""), *options]
            if [(box.itemText(k), box.itemData(k)) for k in range(box.count())] == wanted:
                continue
            kept = box.currentData()
            box.clear()
            for words, value in wanted:
                box.addItem(words, value)
            box.setCurrentIndex(max(box.findData(kept or ""), 0))

    def renew(self) -> None:
        """What was written since is there; the entry in hand stays in hand."""
        if self.session.closed:
            return
        self._offer_choices()
        in_hand = self._in_hand()
        self._every = entries_of(self.session.file)
        self._choose(in_hand)

    def _in_hand(self) -> LogEntry | None:
        """The entry that was gone to; None where it is the newest, which is followed."""
        at = self.table.currentIndex().row()
        return self.model.rows[at] if 0 < at < len(self.model.rows) else None

    def _wanted(self) -> Wanted:
        chosen_ones = {name: box.currentData() for name, box in self.boxes.items()}
        return Wanted(words=self.words.text(), **chosen_ones)

    def _choose(self, in_hand: LogEntry | None = None) -> None:
        rows = chosen(self.session.job, self._every, self._wanted())
        self.model.show_rows(rows)
        self.said.setText(tr("{0} of {1} entries").format(len(rows), len(self._every)))
        if rows:
            self.table.selectRow(self.model.rows.index(in_hand) if in_hand in self.model.rows else 0)
        self._show_entry()

    def _show_entry(self) -> None:
        """The whole of the entry in hand, and its photo."""
        at = self.table.currentIndex().row()
        entry = self.model.rows[at] if 0 <= at < len(self.model.rows) else None
        self.text.setText(entry.text if entry is not None else tr("No entry is like that."))
        photo = QPixmap()
        if isinstance(entry, PhotoEntry):
            photo.loadFromData(self.session.file.blob("attachment", entry.attachment))
        self.picture.setVisible(not photo.isNull())
        if not photo.isNull():
            smooth = Qt.TransformationMode.SmoothTransformation
            self.picture.setPixmap(photo.scaledToHeight(theme.px(180), smooth))
            self.picture.setAccessibleName(entry.text if entry is not None else "")

    def _ask_path(self) -> None:
        stem = self.session.file.path.with_suffix("")
        kinds = "Markdown (*.md)"
        name, _ = QFileDialog.getSaveFileName(self, "Save the logbook", f"{stem}-logbook.md", kinds)
        if name:
            self.save(Path(name))

    def _ask_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "An empty folder for all of it")
        if name:
            self.export(Path(name))

    def export(self, folder: Path) -> None:
        """Write the whole job into a folder, as open formats."""
        try:
            written = export(self.session.file, folder)
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        self.session.note("export", f"everything written to {folder.name}")
        self.said.setText(tr("{0} files written to {1}.").format(len(written), folder))

    def save(self, path: Path) -> None:
        """Write the entries that are shown."""
        text = as_markdown(self.session.job.name, self.model.rows[::-1])
        try:
            path.write_text(text + "\n", encoding="utf-8")
        except OSError as error:
            self.said.setText(
                tr("{0} can't be written: {1}. Choose another folder.").format(path, error.strerror)
            )
            return
        self.said.setText(tr("Written: {0}").format(path))


def show_logbook(session: Session, parent: QWidget) -> LogbookWindow:
    """The logbook of the job in hand; the window that is open already comes forward."""
    there = parent.findChild(LogbookWindow)
    window = there if there is not None else LogbookWindow(session, parent)
    window.show()
    window.raise_()
    window.activateWindow()
    return window
