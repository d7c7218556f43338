"""A form for a record of the job, made from its fields; each field is edited in place."""

import types
import typing
from collections.abc import Callable, Collection
from typing import Any, Generic, Literal, TypeVar, cast, get_args, get_origin

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QComboBox, QFormLayout, QPushButton, QWidget

from tensimeter.core.described import Quantity, described
from tensimeter.core.electrical.wire import parse_area
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, parse_accuracy
from tensimeter.core.model.edits import changed
from tensimeter.core.quantity import localised, parse
from tensimeter.core.record import Record, falling
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

R = TypeVar("R", bound=Record)


def _bare(annotation: object) -> tuple[Any, bool]:
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


#: A caption breaks into lines before it takes the room of its field.
CAPTION_PX = 118

#: Fields that a form leaves out: they are shown and changed elsewhere, or are no figures.
HIDDEN = frozenset({"id", "kind", "origins", "fed_by", "part", "ranges", "efficiencies", "others", "modes"})


class RecordForm(QWidget, Generic[R]):
    """Labels and fields of one record; `apply` takes the changed one, and says no or how it was kept."""

    def __init__(
        self,
        record: R,
        apply: Callable[[R, str], R | bool],
        say: Callable[[str], None],
        parent: QWidget | None = None,
        hidden: Collection[str] = (),
    ) -> None:
        super().__init__(parent)
        self.record, self._apply, self._say = record, apply, say
        self.fields: dict[str, QWidget] = {}
        #: Forms of the records within, by field.
        self.inner: dict[str, RecordForm[Record]] = {}
        layout = QFormLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(4)
        layout.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        layout.setRowWrapPolicy(QFormLayout.RowWrapPolicy.DontWrapRows)
        self._hidden = hidden
        self._fill(layout)

    def _fill(self, layout: QFormLayout) -> None:
        """A row for each field that is shown."""
        for name, info in _in_order(type(self.record)):
            kind, optional = _bare(info.annotation)
            listed = get_origin(kind) is tuple and _bare(get_args(kind)[0])[0] is not float
            if name in HIDDEN or name in self._hidden or (listed and _pair(kind) is None):
                continue
            what = described(type(self.record), name)
            words, unit = what.words, what.unit
            if isinstance(kind, type) and issubclass(kind, Record):
                self._nest(layout, name, kind, words, optional)
                continue
            widget = self._field(name, kind, optional, what)
            widget.setToolTip(what.help)
            widget.setAccessibleName(f"{words}, {unit}" if unit else words)
            self.fields[name] = widget
            if listed:
                cast(Field, widget).setPlaceholderText(tr("none; a point is two figures, as 60=16"))
            self._add_row(layout, f"{words}  {unit}".strip(), widget, whole=listed or name == "name")

    @staticmethod
    def _add_row(layout: QFormLayout, words: str, widget: QWidget, *, whole: bool) -> None:
        """A caption and its field; `whole` where it needs the whole width, as a name or a curve does."""
        caption = label(words, "caption")
        if whole:
            layout.addRow(caption)
            layout.addRow(widget)
            return
        if caption.sizeHint().width() > theme.px(CAPTION_PX):
            caption.setWordWrap(True)
            caption.setFixedWidth(theme.px(CAPTION_PX))
        layout.addRow(caption, widget)

    def _nest(self, layout: QFormLayout, name: str, kind: type[Record], words: str, optional: bool) -> None:
        """A record within the record: its own form where there is one, else a button that adds it."""
        value = getattr(self.record, name)
        if value is None:
            button = QPushButton(tr("add {0}").format(words))
            button.clicked.connect(lambda: self._take_whole(name, kind()))
        else:
            inner = RecordForm(value, lambda r, w: self._take(name, r), self._say)
            self.inner[name] = inner
            layout.addRow(label(words, "strong"))
            layout.addRow(inner)
            if not optional:
                return
            button = QPushButton(tr("no {0}").format(words))
            button.clicked.connect(lambda: self._take_whole(name, None))
        button.setProperty("kind", "quiet")
        layout.addRow(button)

    def _take_whole(self, name: str, value: Record | None) -> None:
        """A record within is added or taken away: the rows are made anew once the click is over."""
        if self._take(name, value):
            QTimer.singleShot(0, self._again)

    def _again(self) -> None:
        self.fields, self.inner = {}, {}
        layout = cast(QFormLayout, self.layout())
        while layout.rowCount():
            layout.removeRow(0)
        self._fill(layout)

    def _field(self, name: str, kind: object, optional: bool, what: Quantity) -> QWidget:
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
            if optional:
                box.addItem(tr("not known"), None)
            box.addItem(tr("no"), False)
            box.addItem(tr("yes"), True)
            box.setCurrentIndex(box.findData(value))
            box.activated.connect(lambda _=0: self._take(name, box.currentData()))
            return box
        line = Field(_text(value, what))
        line.setCursorPosition(0)
        line.setPlaceholderText(tr("not known") if optional else "")
        line.editingFinished.connect(lambda: self._typed(name, line, kind, optional, what))
        return line

    def _typed(self, name: str, line: Field, kind: object, optional: bool, what: Quantity) -> None:
        text, unit = line.text().strip(), what.unit
        if text == _text(getattr(self.record, name), what):
            return
        try:
            if not text and optional:
                value: object = None
            elif kind is Accuracy:
                value = parse_accuracy(text)
            elif unit == "mm²" and "awg" in text.casefold():
                value = parse_area(text) * 1e6
            elif (pair := _pair(kind)) is not None:
                value = falling(tuple(_point(pair, point) for point in text.replace(";", " ").split()))
            elif get_origin(kind) is tuple:
                value = tuple(_one(figure, unit) for figure in text.replace(";", " ").split())
            elif kind in (float, int):
                value = _one(text, unit)
                value = int(value) if kind is int else value
            else:
                value = text
            done = self._take(name, value)
        except (UserError, OverflowError, ValueError) as trouble:
            self._say(str(trouble))
            done = False
        if not done:
            line.setText(_text(getattr(self.record, name), what))

    def _take(self, name: str, value: object) -> bool:
        try:
            new = changed(self.record, **{name: value})
        except UserError as trouble:
            self._say(str(trouble))
            return False
        kept = self._apply(new, described(type(new), name).words)
        if not kept:
            return False
        self.record = kept if isinstance(kept, Record) else new
        return True


def _pair(kind: object) -> type[Record] | None:
    """The record of a list whose every entry is two figures, a point of a curve; None for any other kind."""
    record = _bare(get_args(kind)[0])[0] if get_origin(kind) is tuple else None
    if not (isinstance(record, type) and issubclass(record, Record)):
        return None
    kinds = [_bare(info.annotation)[0] for info in record.model_fields.values()]
    return record if kinds == [float, float] else None


def _point(record: type[Record], text: str) -> Record:
    """A point typed as `50=100`, each figure in its own unit."""
    names = list(record.model_fields)
    figures = text.split("=")
    if len(figures) != 2:
        raise UserError(f"“{text}” is no point of a curve; type each as two figures, as 50=100 70=50.")
    values = (_one(figure, described(record, name).unit) for name, figure in zip(names, figures, strict=True))
    return record(**dict(zip(names, values, strict=True)))


def _in_order(kind: type[Record]) -> list[tuple[str, Any]]:
    """A record's fields: its name first, then what is its own, then what every such record has."""
    own = set(vars(kind).get("__annotations__", ()))
    fields = kind.model_fields.items()
    return sorted(fields, key=lambda f: 0 if f[0] in ("name", "condition") else 1 if f[0] in own else 2)


def _narrow_box() -> QComboBox:
    box = QComboBox()
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(4)
    return box


#: What `parse` calls a unit; those that it does not know are typed bare.
_KNOWN = {
    "Ω": "ohm",
    "°C": "C",
    "V": "V",
    "A": "A",
    "W": "W",
    "F": "F",
    "Hz": "Hz",
    "s": "s",
    "K": "K",
    "%": "%",
}
_KNOWN |= {"Ah": "Ah"}


def _one(text: str, unit: str) -> float:
    """One figure in a field's unit; a share is typed in per cent, with its sign or without."""
    number = parse(text, _si(unit))
    return number / 100 if unit == "%" and "%" not in text else number


def _si(unit: str) -> str:
    return _KNOWN.get(unit, "")


def _text(value: object, what: Quantity) -> str:
    if isinstance(value, tuple) and value and isinstance(value[0], Record):
        return "  ".join(
            "=".join(localised(described(type(point), name).text(v)) for name, v in point) for point in value
        )
    return value.text() if isinstance(value, Accuracy) else localised(what.text(value))
