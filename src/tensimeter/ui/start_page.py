"""Where one begins: a new supply by design or by readings, a recent job, the demo."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tensimeter.core.errors import UserError
from tensimeter.demo.names import TITLES
from tensimeter.ui.parts.text import Field, label, rule
from tensimeter.ui.parts.words import tr
from tensimeter.ui.preferences import preferences
from tensimeter.ui.recent import recent
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.core.model.job import Job

_KEYS = (
    ("Ctrl+L", "type a reading, such as mount 13.58V @4A"),
    ("Esc", "drop the load, from anywhere, at once"),
    ("F1", "why? The formula and the figures behind what has the focus"),
    ("Ctrl+B", "bench view: figures to be read from two metres"),
    ("Alt+1 … Alt+7", "the stages, from Stock to Plate"),
)


def jobs_folder() -> Path:
    return preferences().folder()


class StartPage(QWidget):
    opened = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowTitle(tr("Tensimeter"))
        self.resize(1280, 800)
        column = QVBoxLayout(self)
        column.setContentsMargins(*[theme.px(48)] * 4)
        column.setSpacing(theme.px(14))
        title = label(tr("Tensimeter"))
        title.setStyleSheet(f"font-size: {24 * theme.scale}pt; font-weight: bold;")
        column.addWidget(title)
        column.addWidget(
            label(
                tr(
                    "What does your supply really deliver? Design it or just read it; "
                    "what it has shown is what you may print on its front."
                ),
                wrap=True,
            )
        )
        column.addWidget(rule())
        doors = QHBoxLayout()
        doors.setSpacing(theme.px(48))
        doors.addLayout(self._doors(), 1)
        doors.addLayout(self._known(), 1)
        column.addLayout(doors, 1)
        self.said = label("", wrap=True)
        column.addWidget(self.said)
        QShortcut(QKeySequence("Ctrl+O"), self).activated.connect(self._browse)

    def _doors(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(theme.px(8))
        column.addWidget(label(tr("A supply I have already"), "heading"))
        column.addWidget(
            label(
                tr(
                    "Its name and its nameplate; then type what you read. Two readings "
                    "give its resistance and regulation."
                ),
                "caption",
                wrap=True,
            )
        )
        self.read_name = self._field(tr("name, e.g. Shed bench supply"))
        self.read_plate = self._field(tr("nameplate, e.g. 12V 5A"))
        column.addWidget(self.read_name)
        column.addWidget(self.read_plate)
        self.read_made = QComboBox()
        self.read_made.setAccessibleName(tr("what it is"))
        self.read_made.setMaximumWidth(theme.px(420))
        for words, made in (
            ("bought, and never opened", "bought"),
            ("repaired, or opened", "repaired"),
            ("with a mains side of my own", "own_mains"),
        ):
            self.read_made.addItem(words, made)
        column.addWidget(self.read_made)
        column.addLayout(self._go(tr("Begin with readings"), self.begin_readings))
        self.read_plate.returnPressed.connect(self.begin_readings)
        column.addSpacing(theme.px(22))
        column.addWidget(label(tr("A supply I want to build"), "heading"))
        column.addWidget(
            label(tr("Its name; then what is in the bin, and how it is joined."), "caption", wrap=True)
        )
        self.design_name = self._field(tr("name, e.g. Mount supply"))
        column.addWidget(self.design_name)
        column.addLayout(self._go(tr("Begin with the stock"), self.begin_design))
        self.design_name.returnPressed.connect(self.begin_design)
        column.addStretch(1)
        return column

    def _known(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(theme.px(8))
        column.addWidget(label(tr("Recent jobs"), "heading"))
        self.list = QListWidget()
        self.list.setAccessibleName(tr("recent jobs"))
        for path in recent():
            item = QListWidgetItem(f"{path.stem}\n{path.parent}")
            item.setData(Qt.ItemDataRole.UserRole, str(path))
            self.list.addItem(item)
        self.list.itemActivated.connect(
            lambda item: self.open_path(Path(item.data(Qt.ItemDataRole.UserRole)))
        )
        if self.list.count():
            column.addWidget(self.list, 1)
        else:
            column.addWidget(label(tr("None yet."), "caption"))
        for words, act in (
            ("Open a job file …", self._browse),
            ("Show me: a first supply, step by step", self.begin_guide),
            *(
                (tr("Open the demo: {0}").format(title), lambda name=name: self.open_demo(name))
                for name, title in TITLES.items()
            ),
        ):
            column.addLayout(self._go(words, act))
        column.addSpacing(theme.px(18))
        column.addWidget(label(tr("Keys worth knowing"), "heading"))
        for key, words in _KEYS:
            row = QHBoxLayout()
            name = label(key, "strong")
            name.setFixedWidth(theme.px(120))
            row.addWidget(name)
            row.addWidget(label(words, wrap=True), 1)
            column.addLayout(row)
        column.addStretch(0 if self.list.count() else 1)
        return column

    def _field(self, hint: str) -> Field:
        field = Field()
        field.setPlaceholderText(hint)
        field.setAccessibleName(hint)
        field.setMaximumWidth(theme.px(420))
        return field

    def _go(self, words: str, act: Callable[[], None]) -> QHBoxLayout:
        row = QHBoxLayout()
        button = QPushButton(tr(words))
        button.clicked.connect(lambda _=False: act())
        row.addWidget(button)
        row.addStretch(1)
        return row

    # -- doors ----------------------------------------------------------------------------------

    # What a job is made with is loaded here, when it is wanted: the page is there sooner.

    def begin_readings(self) -> None:
        from tensimeter.core.model.edits import readings_first

        made = self.read_made.currentData()
        self._begin(
            lambda: preferences().of_new_job(
                readings_first(self._name(self.read_name), self.read_plate.text(), made=made)
            )
        )

    def begin_design(self) -> None:
        from tensimeter.core.model.job import Job

        self._begin(lambda: preferences().of_new_job(Job(name=self._name(self.design_name))))

    def begin_guide(self) -> None:
        from tensimeter.core.procedure.guide import guided_job

        self._begin(guided_job)

    def _name(self, field: Field) -> str:
        name = field.text().strip()[:80]
        if not name:
            field.setFocus()
            raise UserError("The supply needs a name first.")
        return name

    def _begin(self, make: "Callable[[], Job]") -> None:
        from tensimeter.core.model.edits import identifier
        from tensimeter.store.jobfile import JobFile

        try:
            job = make()
            folder = jobs_folder()
            taken = [p.stem for p in folder.glob("*.tensi")] if folder.is_dir() else []
            file = JobFile.create(folder / f"{identifier(job.name, taken)}.tensi", job)
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        self.opened.emit(file)

    def open_demo(self, name: str = "ridge-pier") -> None:
        from tensimeter.demo.library import demo_file

        try:
            self.open_path(demo_file(name, jobs_folder()))
        except UserError as trouble:
            self.said.setText(str(trouble))

    def _browse(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a job", str(jobs_folder()), "Jobs (*.tensi)")
        if path:
            self.open_path(Path(path))

    def open_path(self, path: Path) -> None:
        """Open a job file; a sentence here when it can't be."""
        from tensimeter.store.jobfile import JobFile

        try:
            file = JobFile(path)
        except UserError as trouble:
            self.said.setText(str(trouble))
            return
        self.opened.emit(file)
