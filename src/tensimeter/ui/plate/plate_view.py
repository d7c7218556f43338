"""The plate as it prints: what may stand on the front, at a width, with what is still missing for more."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.core.model.plate import PlateRecord
from tensimeter.core.plate.drawing import Drawing
from tensimeter.core.plate.face_edits import length_mm
from tensimeter.core.plate.label import Style
from tensimeter.core.plate.label import label as laid_out
from tensimeter.core.plate.missing import Missing, missing_sentence
from tensimeter.core.plate.rating import Plate
from tensimeter.core.quantity import parse
from tensimeter.report.lettering import EngravedLetters, OutlineLetters
from tensimeter.report.vector import write_drawing
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.path_field import PathField
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.plate.drawing_view import DrawingView, caption
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_STYLES: dict[str, Style] = {"full": "full", "short": "short", "one line an outlet": "line"}
#: So many of what is missing are told.
MOST_MISSING = 5


class PlateView(QWidget):
    """Fields of what follows from nothing else above, the plate, and what it lacks below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.plate: Plate | None = None
        self.drawing: Drawing | None = None
        self._missing: Sequence[Missing] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._fields())
        self.sentence = label("", wrap=True)
        column.addWidget(self.sentence)
        self.view = DrawingView("the plate as it prints")
        column.addWidget(self.view, 1)
        self.lacks = label("", "caption", wrap=True)
        column.addWidget(self.lacks)
        row = QHBoxLayout()
        row.addWidget(label(tr("Write it to"), "strong"))
        stem = session.file.path.with_suffix("")
        self.path = PathField(f"{stem}-plate.pdf", "Drawings (*.pdf *.svg *.dxf)", prints=self._written_to)
        self.path.told.connect(session.say)
        self.path.setAccessibleName(tr("file of the plate, .pdf, .svg or .dxf"))
        row.addWidget(self.path, 1)
        self.button = QPushButton(tr("Write the plate"))
        self.button.clicked.connect(self.write)
        row.addWidget(self.button)
        column.addLayout(row)

    def _fields(self) -> QWidget:
        box = QWidget()
        row = FlowLayout(box, theme.px(6))
        self.style_box = QComboBox()
        self.style_box.setAccessibleName(tr("how much of it"))
        for words, style in _STYLES.items():
            self.style_box.addItem(words, style)
        self.style_box.activated.connect(lambda _=0: self._draw())
        row.addWidget(self.style_box)
        own = self.session.job.plate
        self.fields: dict[str, Field] = {}
        for key, words, value, wide in (
            ("width_mm", "width, mm", f"{own.width_mm:g}", 62),
            ("serial", "no.", own.serial, 80),
            ("built_by", "built by", own.built_by, 110),
            ("retest_months", "again after months", _months(own), 50),
        ):
            row.addWidget(caption(words))
            field = Field(value)
            field.setFixedWidth(theme.px(wide))
            field.setAccessibleName(tr("plate: {0}").format(words))
            field.editingFinished.connect(self._edit)
            self.fields[key] = field
            row.addWidget(field)
        self.engraved = QCheckBox(tr("engraved"))
        self.engraved.setToolTip(tr("letters of single lines, as a graver or a pen follows them"))
        self.engraved.toggled.connect(lambda _=False: self._draw())
        row.addWidget(self.engraved)
        return box

    def show_plate(self, plate: Plate, missing: Sequence[Missing]) -> None:
        """Show what may be written now, and what is missing for more."""
        self.plate, self._missing = plate, missing
        own = self.session.job.plate
        for key, text in (
            ("width_mm", f"{own.width_mm:g}"),
            ("serial", own.serial),
            ("built_by", own.built_by),
            ("retest_months", _months(own)),
        ):
            if not self.fields[key].hasFocus():
                self.fields[key].setText(text)
        self._draw()

    def _edit(self) -> None:
        try:
            wide = length_mm(self.fields["width_mm"].text(), "width")
            months = self.fields["retest_months"].text().strip()
            new = PlateRecord(
                serial=self.fields["serial"].text().strip()[:60],
                built_by=self.fields["built_by"].text().strip()[:60],
                retest_months=_positive(months) if months else None,
                width_mm=wide,
                faces=self.session.job.plate.faces,
            )
        except (UserError, ValueError) as trouble:
            self.session.complain(str(trouble))
            return
        if new != self.session.job.plate:
            self.session.edit("plate", self.session.job.model_copy(update={"plate": new}))

    def _draw(self) -> None:
        if self.plate is None:
            return
        letters = EngravedLetters() if self.engraved.isChecked() else OutlineLetters()
        style: Style = self.style_box.currentData()
        try:
            self.drawing = laid_out(self.plate, self.session.job.plate.width_mm, style, letters)
            said = "" if any(o.rated for o in self.plate.outlets) else "Nothing is proven yet. "
        except UserError as trouble:
            self.drawing, said = None, f"{trouble} "
        marks = "; ".join(self.plate.marks)
        self.sentence.setText(said + (f"† marks it: {marks}." if marks else ""))
        self.sentence.setVisible(bool(self.sentence.text()))
        self.view.show_drawing(self.drawing, letters)
        told = [missing_sentence(m) for m in self._missing[:MOST_MISSING]]
        more = len(self._missing) - len(told)
        words = "; ".join(told) + (f"; and {more} more" if more > 0 else "")
        self.lacks.setText(tr("For a fuller plate: {0}.").format(words) if told else "")
        self.button.setEnabled(self.drawing is not None)

    def _written_to(self, path: Path) -> None:
        if self.drawing is not None:
            write_drawing(self.drawing, path, engraved=self.engraved.isChecked())

    def write(self) -> None:
        """Write it beside the name in the line."""
        if self.drawing is None:
            return
        path = Path(self.path.text().strip() or "plate.pdf")
        try:
            self._written_to(path)
        except UserError as trouble:
            self.session.complain(str(trouble))
            return
        self.session.say(tr("{0} written, at 1:1.").format(path))
        self.session.note("export", f"plate written to {path.name}")


def _months(own: PlateRecord) -> str:
    return "" if own.retest_months is None else f"{own.retest_months:g}"


def _positive(text: str) -> float:
    value = parse(text)
    if not 0 < value <= 1200:
        raise UserError("A supply is proven again after some months, a hundred years at the most.")
    return value
