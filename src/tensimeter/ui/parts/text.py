"""Labels: headings, captions, and figures that can be asked why."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QKeySequence, QMouseEvent, QPainter
from PyQt6.QtWidgets import QFrame, QLabel, QLineEdit, QSizePolicy, QWidget

from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.core.derivation import Derivation


def label(text: str, kind: str = "", *, wrap: bool = False) -> QLabel:
    """A label of one of the shared kinds: heading, caption, strong, reading, prediction; translated."""
    made = QLabel(tr(text))
    made.setTextFormat(Qt.TextFormat.PlainText)
    if kind:
        made.setProperty("kind", kind)
    made.setWordWrap(wrap)
    if wrap:
        made.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
    return made


def tip(text: str) -> str:
    """Text for a tool tip: what people call things is never taken for markup."""
    return text.replace("<", "<\u2060")


class Field(QLineEdit):
    """A line to type in; when it has nothing of its own to undo, Ctrl+Z undoes the last edit."""

    def event(self, event: QEvent | None) -> bool:
        assert event is not None
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            undo = event.matches(QKeySequence.StandardKey.Undo) and not self.isUndoAvailable()
            redo = event.matches(QKeySequence.StandardKey.Redo) and not self.isRedoAvailable()
            if undo or redo:
                event.ignore()
                return True
        return super().event(event)

    def empty(self) -> None:
        """Take the text away for good: it was used."""
        self.setText("")


class Elided(QLabel):
    """A line that is cut with an ellipsis where it does not fit; whole in its tool tip."""

    def __init__(self, right: bool = False) -> None:
        super().__init__()
        self.setProperty("kind", "caption")
        self._right = right
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self.setToolTip(tip(text or ""))
        self.setAccessibleName(text)

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        side = Qt.AlignmentFlag.AlignRight if self._right else Qt.AlignmentFlag.AlignLeft
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.rect(), side | Qt.AlignmentFlag.AlignVCenter, text)


def rule(vertical: bool = False) -> QFrame:
    """A thin line."""
    line = QFrame()
    line.setObjectName("rule")
    if vertical:
        line.setFixedWidth(1)
    else:
        line.setFixedHeight(1)
    return line


def clear(layout: object) -> None:
    """Take every widget and inner layout out of a layout."""
    while layout.count():  # type: ignore[attr-defined]
        item = layout.takeAt(0)  # type: ignore[attr-defined]
        widget = item.widget()
        if widget is not None:
            # Out of the layout at once; gone when Qt has dealt with what is under way.
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        elif item.layout() is not None:
            clear(item.layout())


class Figure(QLabel):
    """A computed figure: F1 or a click asks for the worked answer behind it."""

    asked = pyqtSignal(object)

    def __init__(
        self, text: str, why: "Callable[[], Derivation | None]", kind: str = "", parent: QWidget | None = None
    ) -> None:
        super().__init__(text, parent)
        self._why = why
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setProperty("kind", kind)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.WhatsThisCursor)
        self.setAccessibleDescription("F1 shows how this figure came about")
        self.setToolTip("F1 or click: why?")

    def tell(self, text: str, why: "Callable[[], Derivation | None]") -> None:
        """Show another figure in its place."""
        self._why = why
        if text != self.text():
            self.setText(text)

    def worked(self) -> "Derivation | None":
        return self._why()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._ask()
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_F1, Qt.Key.Key_Return, Qt.Key.Key_Space):
            self._ask()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        assert event is not None
        super().focusInEvent(event)
        self.setStyleSheet(f"border-bottom: 2px solid {theme.colours.prediction};")

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        assert event is not None
        super().focusOutEvent(event)
        self.setStyleSheet("")

    def _ask(self) -> None:
        worked = self._why()
        if worked is not None:
            self.asked.emit(worked)
