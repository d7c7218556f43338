"""A photo of the real face under its drawing: taken in, and scaled by two points that one knows."""

from pathlib import Path

from PyQt6.QtCore import QByteArray
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QFileDialog, QPushButton, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.faces import FaceRecord, PhotoUnder
from tensimeter.core.plate.face_edits import with_photo
from tensimeter.core.plate.photo_under import Laid, Point, fitted, laid
from tensimeter.core.plate.template import AROUND_MM
from tensimeter.store.attachments import attach
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.text import Field
from tensimeter.ui.parts.words import tr
from tensimeter.ui.plate.drawing_view import DrawingView
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_NTH = ("first", "second")
KINDS = "PNG, JPEG (*.png *.jpg *.jpeg)"


class PhotoRow(QWidget):
    """Two points are clicked on the photo, and typed where they are: a corner of the front, a hole."""

    def __init__(self, session: Session, view: DrawingView) -> None:
        super().__init__()
        self.session, self.view = session, view
        self.face: FaceRecord | None = None
        self._image: tuple[int, QImage] | None = None
        self._marking: int | None = None
        self._px: list[Point | None] = [None, None]
        row = FlowLayout(self, theme.px(6))
        self.add = QPushButton(tr("a photo under it …"))
        self.add.clicked.connect(self._pick)
        row.addWidget(self.add)
        self.marks: list[QPushButton] = []
        self.places: list[Field] = []
        for k, nth in enumerate(_NTH):
            mark = QPushButton(tr("mark the {0} point").format(nth))
            mark.setCheckable(True)
            mark.clicked.connect(lambda _=False, k=k: self._mark(k))
            place = Field()
            place.setPlaceholderText(tr("is at, as 0,0 mm"))
            place.setFixedWidth(theme.px(124))
            place.setAccessibleName(tr("where the {0} point is on the face, mm").format(nth))
            place.editingFinished.connect(self._scale)
            self.marks.append(mark)
            self.places.append(place)
            row.addWidget(mark)
            row.addWidget(place)
        self.away = QPushButton(tr("take the photo away"))
        self.away.setProperty("kind", "quiet")
        self.away.clicked.connect(lambda _=False: self._keep(None, "photo taken away"))
        row.addWidget(self.away)

    def show_face(self, face: FaceRecord | None) -> None:
        """Lay the photo of a face under its drawing, where it has one."""
        self.face = face
        photo = face.photo if face is not None else None
        self.add.setEnabled(face is not None)
        for part in (*self.marks, *self.places, self.away):
            part.setVisible(photo is not None)
        image = self._loaded(photo)
        self.view.lay_under(image, self._lies(image), AROUND_MM)

    def _loaded(self, photo: PhotoUnder | None) -> QImage | None:
        if photo is None:
            return None
        if self._image is None or self._image[0] != photo.attachment:
            try:
                data = self.session.file.blob("attachment", photo.attachment)
            except UserError:
                return None
            self._image = (photo.attachment, QImage.fromData(QByteArray(data)))
        return None if self._image[1].isNull() else self._image[1]

    def _lies(self, image: QImage | None) -> Laid | None:
        face = self.face
        if image is None or face is None or face.photo is None:
            return None
        if face.photo.at_px is not None and face.photo.at_mm is not None:
            return laid(face.photo.at_px, face.photo.at_mm)
        return fitted((image.width(), image.height()), (face.width_mm, face.height_mm))

    def _pick(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A photo of the face", "", KINDS)
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Take a photo into the job and lay it under the face; what is none is refused."""
        if self.face is None:
            return
        try:
            if QImage(str(path)).isNull():
                raise UserError(f"{path.name} is no photo that can be read; nothing was taken in.")
            number = attach(self.session.file, f"face:{self.face.id}", path)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self._px = [None, None]
        self._keep(PhotoUnder(attachment=number), "photo laid under it")

    def _mark(self, k: int) -> None:
        self._marking = k if self.marks[k].isChecked() else None
        self.marks[1 - k].setChecked(False)

    def pressed(self, x: float, y: float) -> bool:
        """Whether a press on the drawing marked a point of the photo."""
        k, image = self._marking, self._loaded(self.face.photo) if self.face is not None else None
        lies = self._lies(image)
        if k is None or lies is None:
            return False
        self._px[k] = lies.pixel((x - AROUND_MM, y - AROUND_MM))
        self.marks[k].setChecked(False)
        self._marking = None
        self.session.say(tr("The {0} point is marked; type where it is on the face.").format(_NTH[k]))
        self._scale()
        return True

    def _scale(self) -> None:
        """Scale the photo once both points are marked and both places are typed."""
        photo = self.face.photo if self.face is not None else None
        texts = [field.text().strip() for field in self.places]
        first, second = self._px
        if photo is None or first is None or second is None or not all(texts):
            return
        try:
            mm = [tuple(float(v) for v in text.removesuffix("mm").split(",")) for text in texts]
            (ax, ay), (bx, by) = mm
        except ValueError:
            self.session.complain(tr("A place on the face is written like 40,25 in mm."))
            return
        at_mm = ((ax, ay), (bx, by))
        self._keep(photo.model_copy(update={"at_px": (first, second), "at_mm": at_mm}), "photo scaled")

    def _keep(self, photo: PhotoUnder | None, words: str) -> None:
        if self.face is None:
            return
        try:
            job = with_photo(self.session.job, self.face.id, photo)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.edit(f"{self.face.id}: {words}", job)
