"""The faces of the box: fittings set by keyboard or mouse, what is in the way, the template at 1:1."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QItemSelectionModel, Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QHBoxLayout,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.model.faces import FaceItem, FaceRecord
from tensimeter.core.model.job import Job
from tensimeter.core.plate.drawing import Drawing
from tensimeter.core.plate.drilling import CARE, SWARF
from tensimeter.core.plate.face import Fault, faults
from tensimeter.core.plate.face_edits import (
    aligned,
    centred,
    distributed,
    from_design,
    moved,
    new_face,
    placed,
    turned,
    with_item,
    without_item,
)
from tensimeter.core.plate.fittings import FITTINGS, Outline, gap, outline_of
from tensimeter.core.plate.template import AROUND_MM, template
from tensimeter.report.vector import write_drawing
from tensimeter.store.drill_table import write_table
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.path_field import PathField
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.plate.drawing_view import DrawingView, caption
from tensimeter.ui.plate.item_list import ItemList
from tensimeter.ui.plate.photo_row import PhotoRow
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

SIDES = ("front", "back", "left", "right", "lid", "base")
MATERIALS = ("metal", "wood", "plastic", "printed")


class FaceView(QWidget):
    """A row of what a face is, the template in the middle, its fittings at the left, what is wrong below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.side = "front"
        self.chosen: list[str] = []
        self.wrong: list[Fault] = []
        self._held: tuple[str, float, float] | None = None
        self._way: tuple[float, float] | None = None
        self._told: tuple[object, ...] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._head())
        self.sentence = label("", wrap=True)
        column.addWidget(self.sentence)
        middle = QHBoxLayout()
        left = QVBoxLayout()
        self.items = ItemList(self)
        self.items.itemSelectionChanged.connect(self._on_choice)
        left.addWidget(self.items, 1)
        self.at = Field()
        self.at.setPlaceholderText(tr("middle, as 40,25"))
        self.at.setAccessibleName(tr("where the middle of the fitting is, mm"))
        self.at.editingFinished.connect(self._place)
        left.addWidget(self.at)
        middle.addLayout(left)
        self.view = DrawingView("the face as it is drilled")
        self.view.pressed.connect(self._press)
        self.view.dragged.connect(self._drag)
        self.view.released.connect(self._release)
        middle.addWidget(self.view, 1)
        column.addLayout(middle, 1)
        column.addWidget(self._acts())
        self.photo = PhotoRow(session, self.view)
        column.addWidget(self.photo)
        self.notes = label("", "caption", wrap=True)
        column.addWidget(self.notes)
        column.addLayout(self._writing())
        self.refresh()

    # -- how it is built ------------------------------------------------------------------------

    def _head(self) -> QWidget:
        box = QWidget()
        row = FlowLayout(box, theme.px(6))
        self.sides = QComboBox()
        self.sides.setAccessibleName(tr("side of the box"))
        self.sides.addItems(SIDES)
        self.sides.activated.connect(self._on_side)
        row.addWidget(self.sides)
        self.sizes: list[Field] = []
        for words, text, wide in (("width", "", 74), ("height", "", 74), ("thick", "1.5 mm", 62)):
            row.addWidget(caption(words))
            field = Field(text)
            field.setPlaceholderText(tr("mm"))
            field.setFixedWidth(theme.px(wide))
            field.setAccessibleName(tr("face: {0}").format(words))
            self.sizes.append(field)
            row.addWidget(field)
        self.material = QComboBox()
        self.material.setAccessibleName(tr("what the face is made of"))
        self.material.addItems(MATERIALS)
        row.addWidget(self.material)
        self.inch = QCheckBox(tr("inches"))
        self.inch.setToolTip(tr("the dimensions on the template are in inches"))
        self.inch.toggled.connect(lambda _=False: self.refresh())
        row.addWidget(self.inch)
        self.draw_button = QPushButton(tr("draw it"))
        self.draw_button.clicked.connect(lambda _=False: self._new())
        row.addWidget(self.draw_button)
        self.meant = QPushButton(tr("it is meant in mm"))
        self.meant.clicked.connect(lambda _=False: self._new(sure=True))
        self.meant.hide()
        row.addWidget(self.meant)
        return box

    def _acts(self) -> QWidget:
        box = QWidget()
        row = FlowLayout(box, theme.px(6))
        self.kinds = QComboBox()
        self.kinds.setAccessibleName(tr("kind of fitting"))
        for key, of in FITTINGS.items():
            self.kinds.addItem(of.name, key)
        row.addWidget(self.kinds)
        self.buttons: dict[str, QPushButton] = {}
        for words, act in (
            ("set it", self._add),
            ("what the design asks for", self._from_design),
            ("in a row", lambda: self._act("in a row", lambda j: aligned(j, self.side, self.chosen, "row"))),
            (
                "in a column",
                lambda: self._act("in a column", lambda j: aligned(j, self.side, self.chosen, "column")),
            ),
            ("spread", lambda: self._act("spread", lambda j: distributed(j, self.side, self.chosen))),
            ("centre", lambda: self._act("centred", lambda j: centred(j, self.side, self.chosen))),
            ("turn", lambda: self._act("turned", lambda j: turned(j, self.side, self.chosen))),
            ("take away", self.take_away),
        ):
            button = QPushButton(tr(words))
            button.clicked.connect(lambda _=False, act=act: act())
            self.buttons[words] = button
            row.addWidget(button)
        return box

    def _writing(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(label(tr("Write it to"), "strong"))
        path = f"{self.session.file.path.with_suffix('')}-front.pdf"
        self.path = PathField(path, "Templates (*.pdf *.svg *.dxf *.csv)", prints=self._print_to)
        self.path.told.connect(self.session.say)
        self.path.setAccessibleName(tr("file of the template, .pdf, .svg, .dxf, or of its drill table, .csv"))
        row.addWidget(self.path, 1)
        self.write_button = QPushButton(tr("Write the template"))
        self.write_button.clicked.connect(self.write)
        row.addWidget(self.write_button)
        return row

    # -- what is shown --------------------------------------------------------------------------

    @property
    def face(self) -> FaceRecord | None:
        """The face in hand."""
        return next((f for f in self.session.job.plate.faces if f.id == self.side), None)

    def refresh(self) -> None:
        """Show the face in hand, and what is wrong with it; a reading changes nothing of it."""
        face, job = self.face, self.session.job
        own = (self.side, tuple(self.chosen), self.inch.isChecked())
        now = (job.plate, job.settings.mains_V, job.name, *own)
        if now == self._told:
            return
        self._told = now
        there = face is not None
        self.photo.show_face(face)
        for button in (*self.buttons.values(), self.write_button):
            button.setEnabled(there)
        if face is None:
            self.view.show_drawing(None)
            self.items.clear()
            self.sentence.setText(
                tr(
                    "No {0} is drawn yet: type its size, as 220 and 90, or 9 in and 4 in, and draw it."
                ).format(self.side)
            )
            self.notes.setText("")
            return
        for field, value in zip(self.sizes, (face.width_mm, face.height_mm, face.thickness_mm), strict=True):
            if not field.hasFocus():
                field.setText(tr("{0:g} mm").format(value))
        self.material.setCurrentText(face.material)
        self._list(face)
        self.wrong = [f for f in faults(job.plate.faces, job.settings.mains_V) if f.face == face.id]
        grave = [f.text for f in self.wrong if not f.caution]
        minor = [f.text for f in self.wrong if f.caution]
        told = "\n".join([*grave, *minor][:4])
        more = f"\n… and {len(self.wrong) - 4} more" if len(self.wrong) > 4 else ""
        self.sentence.setText(told + more or "Nothing is in the way of anything.")
        self.view.show_drawing(self._template(face))
        self.notes.setText(f"{CARE[face.material]}. {SWARF}")

    def _template(self, face: FaceRecord) -> Drawing:
        return template(face, f"{self.session.job.name}, {face.id}", inch=self.inch.isChecked())

    def _list(self, face: FaceRecord) -> None:
        self.items.blockSignals(True)
        self.items.clear()
        for item in face.items:
            row = QListWidgetItem(f"{item.name}\n{item.x_mm:.1f}, {item.y_mm:.1f} mm")
            row.setData(Qt.ItemDataRole.UserRole, item.id)
            self.items.addItem(row)
            row.setSelected(item.id in self.chosen)
        rows = [k for k, i in enumerate(face.items) if i.id in self.chosen]
        if rows:
            self.items.setCurrentRow(rows[-1], QItemSelectionModel.SelectionFlag.NoUpdate)
        self.items.blockSignals(False)
        self._show_place()

    def _on_choice(self) -> None:
        self.chosen = [i.data(Qt.ItemDataRole.UserRole) for i in self.items.selectedItems()]
        self._show_place()

    def _show_place(self) -> None:
        one = self._one()
        self.at.setEnabled(one is not None)
        if one is not None and not self.at.hasFocus():
            self.at.setText(f"{one.x_mm:g}, {one.y_mm:g}")

    def _one(self) -> FaceItem | None:
        face = self.face
        if face is None or len(self.chosen) != 1:
            return None
        return next((i for i in face.items if i.id == self.chosen[0]), None)

    # -- what is done ---------------------------------------------------------------------------

    def _on_side(self, index: int) -> None:
        self.side = SIDES[index]
        self.chosen = []
        path = self.session.file.path
        self.path.setText(str(path.with_name(f"{path.stem}-{self.side}.pdf")))
        self.refresh()

    def _act(self, words: str, change: Callable[[Job], Job]) -> bool:
        """One edit of the job; False where it can't be made, and why is said."""
        try:
            job: Job = change(self.session.job)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return False
        done = job == self.session.job or self.session.edit(f"{self.side}: {words}", job)
        self.refresh()
        return bool(done)

    def _new(self, *, sure: bool = False) -> None:
        wide, high, thick = (field.text() for field in self.sizes)
        material = self.material.currentText()
        try:
            job = new_face(self.session.job, self.side, wide, high, thick, material, sure=sure)
        except Doubtful as doubt:
            self.meant.show()
            self.session.complain(str(doubt))
            return
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.meant.hide()
        self._act("drawn", lambda _: job)

    def _add(self) -> None:
        before = {i.id for i in self.face.items} if self.face else set()
        if (
            self._act("fitting set", lambda j: with_item(j, self.side, self.kinds.currentData()))
            and self.face
        ):
            self.chosen = [i.id for i in self.face.items if i.id not in before]
            self.refresh()
            self.items.setFocus()

    def _from_design(self) -> None:
        self._act("as the design asks", lambda j: from_design(j, self.side))

    def shift(self, dx: float, dy: float) -> None:
        """Move what is chosen."""
        if self.chosen:
            self._act("moved", lambda j: moved(j, self.side, self.chosen, dx, dy))

    def take_away(self) -> None:
        """Take what is chosen off the face."""

        def change(job: Job) -> Job:
            for item in self.chosen:
                job = without_item(job, self.side, item)
            return job

        self._act("fitting taken away", change)
        self.chosen = []
        self.refresh()

    def _place(self) -> None:
        one, text = self._one(), self.at.text()
        if one is None or text.strip() == f"{one.x_mm:g}, {one.y_mm:g}":
            return
        try:
            x, y = (float(part) for part in text.split(","))
        except ValueError:
            self.session.complain(tr("“{0}” is no place; write it like 40,25 in mm.").format(text))
            return
        self._act("placed", lambda j: placed(j, self.side, one.id, x, y))

    def _press(self, x: float, y: float) -> None:
        face = self.face
        if face is None or self.photo.pressed(x, y):
            return
        point = Outline(x - AROUND_MM, y - AROUND_MM, 0.0, (0.0, 0.0))
        hit = [i for i in face.items if i.kind in FITTINGS and gap(outline_of(i), point) <= 0]
        self.chosen = [hit[-1].id] if hit else []
        self._held = (hit[-1].id, x, y) if hit else None
        self._list(face)

    def _drag(self, x: float, y: float) -> None:
        """What is held follows; it is one edit when it is let go."""
        if self._held is not None and self.face is not None:
            item, x0, y0 = self._held
            ghost = moved(self.session.job, self.side, [item], round(x - x0, 1), round(y - y0, 1))
            face = next(f for f in ghost.plate.faces if f.id == self.side)
            self.view.show_drawing(template(face, "moving"))
            self._way = (round(x - x0, 1), round(y - y0, 1))

    def _release(self) -> None:
        way, self._way = self._way, None
        # What was drawn on the way is not what stands.
        self._told = None
        if self._held is not None and way:
            self.shift(*way)
        self._held = None

    def _print_to(self, path: Path) -> None:
        if self.face is not None:
            write_drawing(self._template(self.face), path)

    def write(self) -> None:
        """Write the template, or with .csv its drill table, beside the name in the line."""
        path, face = Path(self.path.text().strip() or f"{self.side}.pdf"), self.face
        if face is None:
            return
        try:
            if path.suffix.casefold() == ".csv":
                write_table(face, path)
            else:
                self._print_to(path)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.say(tr("{0} written, at 1:1.").format(path))
        self.session.note("export", f"{face.id} written to {path.name}")
