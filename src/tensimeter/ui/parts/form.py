"""A form for a record of the job, made from its fields; each field is edited in place."""

import types
import typing
from collections.abc import Callable, Collection
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtWidgets import QComboBox, QFormLayout, QWidget

from tensimeter.core.errors import Trouble
from tensimeter.core.job.edits import changed
from tensimeter.core.job.parts import Record
from tensimeter.core.judge import Accuracy, parse_accuracy
from tensimeter.core.quantity import localised, parse
from tensimeter.ui.parts.text import Field, label

#: Fields with a unit at the end of their name.
_UNITS = (
    ("_K_W", "K/W"),
    ("_J_K", "J/K"),
    ("_ohm", "Ω"),
    ("_F", "F"),
    ("_Hz", "Hz"),
    ("_mm2", "mm²"),
    ("_A2", "Ω"),
    ("_V", "V"),
    ("_A", "A"),
    ("_W", "W"),
    ("_C", "°C"),
    ("_K", "K"),
    ("_m", "m"),
    ("_s", "s"),
)
_NAMES = {
    "loss_per_A": ("loss per A", "V"),
    "loss_per_A2": ("loss per A²", "Ω"),
    "box_K_W": ("air inside, box", "K/W"),
    "donor_share": ("donors run at", "%"),
    "fuse_share": ("fuses run at", "%"),
    "high_line": ("high line", "%"),
    "low_line": ("low line", "%"),
    "ready_made": ("a ready-made one, own money", ""),
    "cost": ("cost, own money", ""),
    "tolerance": ("tolerance", "%"),
    "set_tolerance": ("set tolerance", "%"),
    "efficiency": ("efficiency", "%"),
    "regulation_limit": ("regulation limit", "%"),
}
_HIDDEN = frozenset({"id", "kind", "origins", "fed_by", "part", "ranges"})


def field_words(name: str) -> tuple[str, str]:
    """A field's name in words and its unit."""
    if name in _NAMES:
        return _NAMES[name]
    for end, unit in _UNITS:
        if name.endswith(end):
            return name.removesuffix(end).replace("_", " "), unit
    return name.replace("_", " "), ""


def _bare(annotation: Any) -> tuple[Any, bool]:
    """The type below Annotated and Optional, and whether None is allowed."""
    optional = False
    while True:
        if get_origin(annotation) is typing.Annotated:
            annotation = get_args(annotation)[0]
        elif get_origin(annotation) in (types.UnionType, typing.Union):
            kinds = [a for a in get_args(annotation) if a is not type(None)]
            optional = len(kinds) < len(get_args(annotation))
            annotation = kinds[0]
        else:
            return annotation, optional


class RecordForm(QWidget):
    """Labels and fields of one record; `apply` takes the changed record or says no (False)."""

    def __init__(
        self,
        record: Record,
        apply: Callable[[Record, str], bool],
        say: Callable[[str], None],
        parent: QWidget | None = None,
        hidden: Collection[str] = (),
    ) -> None:
        super().__init__(parent)
        self.record, self._apply, self._say = record, apply, say
        self.fields: dict[str, QWidget] = {}
        layout = QFormLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(4)
        layout.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        layout.setRowWrapPolicy(QFormLayout.RowWrapPolicy.DontWrapRows)
        for name, info in type(record).model_fields.items():
            kind, optional = _bare(info.annotation)
            listed = get_origin(kind) is tuple and _bare(get_args(kind)[0])[0] is not float
            if name in _HIDDEN or name in hidden or listed:
                continue
            words, unit = field_words(name)
            widget = self._field(name, kind, optional, unit)
            widget.setAccessibleName(f"{words}, {unit}" if unit else words)
            self.fields[name] = widget
            layout.addRow(label(f"{words}  {unit}".strip(), "caption"), widget)

    def _field(self, name: str, kind: Any, optional: bool, unit: str) -> QWidget:
        value = getattr(self.record, name)
        if get_origin(kind) is Literal:
            box = _narrow_box()
            for option in get_args(kind):
                box.addItem(str(option).replace("_", " "), option)
            box.setCurrentIndex(box.findData(value))
            box.activated.connect(lambda _=0: self._take(name, box.currentData()))
            return box
        if kind is bool:
            box = _narrow_box()
            box.addItem("no", False)
            box.addItem("yes", True)
            box.setCurrentIndex(int(bool(value)))
            box.activated.connect(lambda _=0: self._take(name, box.currentData()))
            return box
        line = Field(_text(value, unit))
        line.setCursorPosition(0)
        line.setPlaceholderText("not known" if optional else "")
        line.editingFinished.connect(lambda: self._typed(name, line, kind, optional, unit))
        return line

    def _typed(self, name: str, line: Field, kind: Any, optional: bool, unit: str) -> None:
        text = line.text().strip()
        if text == _text(getattr(self.record, name), unit):
            return
        try:
            if not text and optional:
                value: Any = None
            elif kind is Accuracy:
                value = parse_accuracy(text)
            elif get_origin(kind) is tuple:
                value = tuple(parse(figure, _si(unit)) for figure in text.replace(";", " ").split())
            elif kind in (float, int):
                number = parse(text, _si(unit))
                value = number / 100 if unit == "%" and "%" not in text else number
                value = int(value) if kind is int else value
            else:
                value = text
            done = self._take(name, value)
        except (Trouble, OverflowError, ValueError) as trouble:
            self._say(str(trouble))
            done = False
        if not done:
            line.setText(_text(getattr(self.record, name), unit))

    def _take(self, name: str, value: Any) -> bool:
        try:
            new = changed(self.record, **{name: value})
        except Trouble as trouble:
            self._say(str(trouble))
            return False
        words, _ = field_words(name)
        if not self._apply(new, words):
            return False
        self.record = new
        return True


def _narrow_box() -> QComboBox:
    box = QComboBox()
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(4)
    return box


def _si(unit: str) -> str:
    return {"Ω": "ohm", "mm²": "", "°C": "C", "m": "", "%": "%", "K/W": "", "J/K": ""}.get(unit, unit)


def _text(value: Any, unit: str) -> str:
    if value is None:
        return ""
    if isinstance(value, Accuracy):
        return value.text()
    if isinstance(value, tuple):
        return "  ".join(_text(v, unit) for v in value)
    if isinstance(value, float):
        return localised(f"{value * 100 if unit == '%' else value:.6g}")
    return str(value)
