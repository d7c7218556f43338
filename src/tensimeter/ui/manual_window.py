"""The manual inside: its pages at the left, the one in hand at the right, words looked for in all."""

from importlib import resources

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import Field, label
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme


def pages() -> list[tuple[str, str]]:
    """Title and Markdown of every page, in order."""
    folder = resources.files("tensimeter.assets").joinpath("manual")
    found = sorted((p for p in folder.iterdir() if p.name.endswith(".md")), key=lambda p: p.name)
    texts = [p.read_text(encoding="utf-8") for p in found]
    return [(text.splitlines()[0].removeprefix("# "), text) for text in texts]


class ManualWindow(QWidget):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle(tr("Tensimeter, manual"))
        self.resize(theme.px(860), theme.px(600))
        self._pages = pages()
        row = QHBoxLayout(self)
        left = QVBoxLayout()
        self.look_for = Field()
        self.look_for.setPlaceholderText(tr("look for …"))
        self.look_for.setAccessibleName(tr("words to look for in the manual"))
        self.look_for.textChanged.connect(lambda _: self._list())
        left.addWidget(label(tr("Manual"), "heading"))
        left.addWidget(self.look_for)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("pages of the manual"))
        self.list.currentItemChanged.connect(self._show)
        left.addWidget(self.list, 1)
        side = QWidget()
        side.setLayout(left)
        side.setFixedWidth(theme.px(220))
        row.addWidget(side)
        self.page = QTextBrowser()
        self.page.setAccessibleName(tr("page of the manual"))
        self.page.setOpenExternalLinks(False)
        # Pictures lie beside the pages.
        self.page.setSearchPaths([str(resources.files("tensimeter.assets").joinpath("manual"))])
        present(self.page.document()).setDocumentMargin(theme.px(14))
        row.addWidget(self.page, 1)
        self._list()
        self.list.setFocus()

    def _list(self) -> None:
        """The pages that hold the words looked for; all of them for none."""
        wanted = self.look_for.text().strip().casefold()
        self.list.clear()
        for k, (title, text) in enumerate(self._pages):
            if wanted in text.casefold():
                item = QListWidgetItem(title)
                item.setData(Qt.ItemDataRole.UserRole, k)
                self.list.addItem(item)
        if self.list.count():
            self.list.setCurrentRow(0)
        else:
            self.page.setPlainText("No page holds these words.")

    def _show(self, item: QListWidgetItem | None, _: object) -> None:
        if item is None:
            return
        self.page.setMarkdown(self._pages[item.data(Qt.ItemDataRole.UserRole)][1])
        wanted = self.look_for.text().strip()
        if wanted:
            self.page.find(wanted)


def show_manual(parent: QWidget, page: int) -> ManualWindow:
    """The manual at a page; the window that is open already comes forward."""
    there = parent.findChild(ManualWindow)
    window = there if there is not None else ManualWindow(parent)
    window.look_for.clear()
    window.list.setCurrentRow(min(page, window.list.count() - 1))
    window.show()
    window.raise_()
    window.activateWindow()
    return window
