"""What the views of Tune have in common: a title, a sentence, a table of figures."""

from collections.abc import Callable, Sequence
from typing import TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHeaderView, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.tuning.asked import Asked
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Figure, label
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

T = TypeVar("T")
#: So many rows of a table are shown at once at the most, where there is room.
MOST_SHOWN, LEAST_SHOWN = 14, 4
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter


def figures_table(
    columns: Sequence[str], name: str, *, words: Sequence[int] = (), gives_way: bool = True
) -> QTreeWidget:
    """A table of figures; the columns of `words` are left-aligned, figures stand at the right of theirs."""
    table = QTreeWidget()
    table.setColumnCount(len(columns))
    table.setHeaderLabels(list(columns))
    table.setRootIsDecorated(False)
    table.setUniformRowHeights(True)
    table.setAccessibleName(name)
    header, item = present(table.header()), present(table.headerItem())
    header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    header.setStretchLastSection(False)
    if words and gives_way:
        # What is said gives way; figures stay whole.
        header.setSectionResizeMode(words[0], QHeaderView.ResizeMode.Stretch)
    for k in range(len(columns)):
        item.setTextAlignment(k, _LEFT if k in words else _RIGHT)
    table.setProperty("words", list(words))
    return table


def fill(table: QTreeWidget, rows: Sequence[Sequence[str]]) -> None:
    """Show rows of texts; the row that was chosen stays so where it is still there."""
    at = table.indexOfTopLevelItem(present(table.currentItem())) if table.currentItem() else 0
    words = table.property("words") or []
    table.blockSignals(True)
    table.clear()
    for texts in rows:
        item = QTreeWidgetItem(list(texts))
        for k in range(len(texts)):
            item.setTextAlignment(k, _LEFT if k in words else _RIGHT)
            item.setToolTip(k, texts[k])
        table.addTopLevelItem(item)
    # As high as its rows are, so that what belongs to it stands right below.
    shown = min(max(len(rows), 1), MOST_SHOWN)
    height = present(table.header()).sizeHint().height() + shown * (table.sizeHintForRow(0) if rows else 0)
    table.setMaximumHeight(height + theme.px(16))
    low = min(shown, LEAST_SHOWN)
    least = present(table.header()).sizeHint().height() + low * (table.sizeHintForRow(0) if rows else 0)
    table.setMinimumHeight(least + theme.px(16))
    if rows:
        table.setCurrentItem(table.topLevelItem(min(max(at, 0), len(rows) - 1)))
    table.blockSignals(False)


class TuneView(QWidget):
    """A view of the stage: its title, what it says, and what it is made of below."""

    #: Its word among the views, and what it is asked of `aside` by.
    words = ""
    key = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.column = self.frame()
        self.column.setSpacing(theme.px(4))
        self.title = label("", "heading")
        self.sentence = Figure("", self.worked)
        self.sentence.setWordWrap(True)
        self.sentence.asked.connect(session.why)
        self.column.addWidget(self.title)
        self.column.addWidget(self.sentence)

    def frame(self) -> QVBoxLayout:
        """The column that the view is built in: all of it, unless it has more beside that."""
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        return column

    def worked(self) -> Derivation | None:
        """The worked answer behind its sentence; None where it has none."""
        return None

    def first_focus(self) -> QWidget:
        raise NotImplementedError

    def refresh(self) -> None:
        raise NotImplementedError

    def asks(self) -> list[Asked]:
        """What is to be read next, for a supply that can be read by itself."""
        return []

    def aside(self, work: Callable[[], T], show: Callable[[T], None]) -> None:
        """Have something worked out beside the window."""
        self.session.aside.ask(self.key, self, work, show)
