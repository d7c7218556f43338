"""A job's window from the first moment: its frame at once, the job in it as soon as it has been read."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray, QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui.parts.text import Elided, Field, label, rule
from tensimeter.ui.parts.words import tr
from tensimeter.ui.stage_buttons import StageButtons
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow


#: Below so many pixels of 100 % text the right column steps aside.
NARROW = 1080


class _Frame(QWidget):
    """What stands where the job will: the stages to choose from and a line to type in."""

    def __init__(self, path: Path) -> None:
        super().__init__()
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        header = QHBoxLayout()
        header.setContentsMargins(theme.px(18), theme.px(8), theme.px(14), theme.px(2))
        header.addWidget(label(path.stem, "strong"))
        header.addSpacing(theme.px(10))
        place = Elided()
        place.setText(str(path.parent))
        header.addWidget(place, 1)
        column.addLayout(header)
        # The path strip will stand here.
        column.addSpacing(theme.px(95))
        column.addWidget(rule())
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.rail, self.column = StageButtons(), QWidget()
        self.column.setFixedWidth(theme.px(252))
        reading = label(tr("Reading {0} …").format(path.name), "caption")
        reading.setAlignment(Qt.AlignmentFlag.AlignCenter)
        middle.addWidget(self.rail)
        middle.addWidget(rule(vertical=True))
        middle.addWidget(reading, 1)
        middle.addWidget(rule(vertical=True))
        middle.addWidget(self.column)
        column.addLayout(middle, 1)
        column.addWidget(rule())
        column.addWidget(self._line())

    def _line(self) -> QFrame:
        line = QFrame()
        line.setObjectName("line")
        row = QHBoxLayout(line)
        row.setContentsMargins(theme.px(12), theme.px(6), theme.px(14), theme.px(6))
        row.setSpacing(theme.px(14))
        self.entry, self.hint = Field(), Elided()
        self.entry.setAccessibleName(tr("reading line"))
        self.entry.setMinimumWidth(theme.px(240))
        self.entry.returnPressed.connect(self.say_later)
        row.addWidget(self.entry, 3)
        row.addWidget(self.hint, 5)
        row.addWidget(Elided(), 4)
        return line

    def say_later(self) -> None:
        self.hint.setText(tr("The job is being read; what is typed stays."))


class JobWindow(QMainWindow):
    """The window around a job: it answers while that is being read, then holds the job's own widget.

    A stage that is chosen meanwhile is gone to, what is typed stands in the reading line, and the right
    column is hidden or shown as F2 has left it.
    """

    #: It was closed before there was a job in it.
    given_up = pyqtSignal()

    def __init__(self, path: Path) -> None:
        super().__init__()
        self.path = path
        self.main: MainWindow | None = None
        self._filled = False
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("{0} – Tensimeter").format(path.stem))
        self.resize(1280, 800)
        self.setMinimumSize(820, 560)
        self.frame = _Frame(path)
        self.setCentralWidget(self.frame)
        #: The stage that was asked for meanwhile, and whether the right column was.
        self.stage: int | None = None
        self._column: bool | None = None
        settings = QSettings()
        if isinstance(geometry := settings.value("geometry"), QByteArray):
            self.restoreGeometry(geometry)
        self._column_wanted = settings.value("column", True, bool)
        self.frame.rail.chosen.connect(self._choose)
        self._bind()
        self.frame.entry.setFocus()

    def _bind(self) -> None:
        frame = self.frame
        keys: list[tuple[str, Callable[[], object]]] = [
            *((f"Alt+{k + 1}", partial(self._choose, k)) for k in range(len(STAGES))),
            ("Ctrl+L", frame.entry.setFocus),
            ("F2", self._toggle_column),
            ("Alt+N", lambda: theme.use(night=not theme.night)),
            *((key, frame.say_later) for key in ("Ctrl+B", "Ctrl+J", "Ctrl+,", "Ctrl+O", "Alt+G", "F1")),
        ]
        for key, act in keys:
            QShortcut(QKeySequence(key), frame).activated.connect(act)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little width the right column steps aside, as it does in the job's own."""
        super().resizeEvent(event)
        if not self._filled and self._column is None:
            self.frame.column.setVisible(self._column_wanted and self.width() >= theme.px(NARROW))

    def _choose(self, index: int) -> None:
        self.stage = index
        self.frame.rail.show_stage(index)

    def _toggle_column(self) -> None:
        self._column = self.frame.column.isHidden()
        self.frame.column.setVisible(self._column)

    def fill(self, main: "MainWindow") -> None:
        """Put the job's own widget where the frame was, and hand over what was typed."""
        self.main, self._filled = main, True
        # A window without a parent lives as long as someone in Python holds it.
        main.around = self
        frame, self.frame = self.frame, None  # type: ignore[assignment]
        typed, cursor = frame.entry.text(), frame.entry.cursorPosition()
        # The frame goes with it.
        self.setCentralWidget(main)
        if self._column is not None:
            main.put_column(self._column)
        self.setWindowTitle(main.windowTitle())
        main.windowTitleChanged.connect(self.setWindowTitle)
        if typed:
            main.line.hand_over(typed, cursor)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """The job's own may have a word to say before it closes."""
        assert event is not None
        if not self._filled:
            self.given_up.emit()
            return
        main, self.main = self.main, None
        if main is not None and not main.close():
            self.main = main
            event.ignore()
