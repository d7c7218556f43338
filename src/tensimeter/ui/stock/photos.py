"""Photos and manuals of one part: dropped in or picked, kept in the job file."""

from pathlib import Path

from PyQt6.QtCore import QByteArray, Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QImage, QPixmap
from PyQt6.QtWidgets import QFileDialog, QPushButton, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.store.attachments import Attachment, attach, attachments
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import clear, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.stock.marked_photo import MarkedPhoto
from tensimeter.ui.theme import theme


class Photos(QWidget):
    """What belongs to a subject such as `part:enclosed-a`; a file dropped here is taken in."""

    def __init__(self, session: Session, subject: str) -> None:
        super().__init__()
        self.session, self.subject = session, subject
        self.setAcceptDrops(True)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self.refresh()

    def refresh(self) -> None:
        clear(self._column)
        try:
            found = attachments(self.session.file, self.subject)
        except UserError as trouble:
            self._column.addWidget(label(str(trouble), "caption", wrap=True))
            return
        for item in found:
            self._column.addWidget(self._shown(item))
            take_away = QPushButton(tr("take {0} away").format(item.name))
            take_away.setProperty("kind", "quiet")
            take_away.clicked.connect(lambda _=False, item=item: self.hide_one(item))
            self._column.addWidget(take_away)
        add = QPushButton(tr("add a photo or a manual …"))
        add.clicked.connect(self._pick)
        self._column.addWidget(add)
        words = (
            "Or drop a PNG, JPEG or PDF here. Its label, its trims, its connectors: what you will ask later."
        )
        self._column.addWidget(label(words, "caption", wrap=True))

    def _shown(self, item: Attachment) -> QWidget:
        if not item.is_photo:
            return label(tr("{0} (PDF, kept in the job file)").format(item.name), wrap=True)
        data = self.session.file.blob("attachment", item.id)
        image = QImage.fromData(QByteArray(data))
        if image.isNull():
            return label(tr("{0} is kept, but can't be shown").format(item.name), wrap=True)
        width = theme.px(236)
        smooth = Qt.TransformationMode.SmoothTransformation
        pixmap = QPixmap.fromImage(image.scaledToWidth(min(width, image.width()), smooth))
        return MarkedPhoto(self.session, item.id, item.name, pixmap)

    def _pick(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, "A photo or a manual", "", "PNG, JPEG, PDF (*.png *.jpg *.jpeg *.pdf)"
        )
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        try:
            attach(self.session.file, self.subject, path)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.note("edit", f"{path.name} kept with {self.subject.partition(':')[2]}")
        self.refresh()

    def hide_one(self, item: Attachment) -> None:
        try:
            self.session.file.add_attachment(item.subject, item.name, item.media, None, hides=item.id)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.say(tr("{0} is out of sight; the file keeps it.").format(item.name))
        self.refresh()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if present(event.mimeData()).hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        for url in present(event.mimeData()).urls():
            self.take_in(Path(url.toLocalFile()))
