"""The data sheet as it prints, laid out beside the window; one that came too late is thrown away."""

import contextlib
import subprocess
import threading
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QBuffer, QByteArray, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPixmap, QShowEvent
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QLabel, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.report.apart import begun, ended
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import clear
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

#: So long nothing may change, ms, before it is laid out: several edits in a row are laid out once.
REST_MS = 250


class SheetView(QScrollArea):
    """`busy` tells whether it is being laid out, `said` why it was not, `made` that it is there."""

    busy = pyqtSignal(bool)
    said = pyqtSignal(str)
    made = pyqtSignal()
    _laid_out = pyqtSignal(int, bytes)
    _failed = pyqtSignal(int, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        #: The PDF that was laid out last.
        self.pdf = b""
        self.document = QPdfDocument(self)
        #: Numbers of the sheet that was asked for last, and of the one that is shown.
        self._asked, self._shown = 0, -1
        self._stale, self.laying = True, False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(REST_MS)
        self._soon.timeout.connect(self.lay_out)
        self._process: subprocess.Popen[bytes] | None = None
        self._drawn = 0
        self._next_page = QTimer(self)
        self._next_page.setInterval(0)
        self._next_page.timeout.connect(self._draw_page)
        pages = QWidget()
        self._pages = QVBoxLayout(pages)
        self._pages.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(tr("data sheet preview"))
        self.setWidget(pages)
        self._laid_out.connect(self._show)
        self._failed.connect(self._say_failed)
        session.aside.stopped.connect(self.cancel)

    @property
    def current(self) -> bool:
        """Whether `pdf` is the newest sheet."""
        return not self._stale and self._shown == self._asked

    @property
    def ready(self) -> bool:
        """Whether it shows all of the newest sheet."""
        return self.current and not self.laying

    def renew(self) -> None:
        """What it shows is of before; where it is seen it is laid out anew once all has come to rest."""
        self._stale = True
        if self.isVisible():
            self._soon.start()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self.lay_out()

    def lay_out(self) -> None:
        """Start laying out the sheet anew."""
        self._soon.stop()
        self._stale = False
        self._asked += 1
        self._set_busy(True)
        self.cancel()
        threading.Thread(target=self._work, args=(self._asked, self._way()), daemon=True).start()

    def _way(self) -> Callable[[], bytes]:
        """How it is laid out: in a process of its own, or by whoever asks where nothing is done beside."""
        if self.session.aside.threaded:
            self.session.file.settle()
            self._process = begun(self.session.file.path)
            return partial(ended, self._process)
        from tensimeter.report.datasheet import html, pdf
        from tensimeter.report.sheet import build

        sheet = build(self.session.file)
        return lambda: pdf(html(sheet, printed=True))

    def _work(self, number: int, way: Callable[[], bytes]) -> None:
        try:
            made, said = way(), ""
        except UserError as trouble:
            made, said = b"", str(trouble)
        except Exception as error:  # noqa: BLE001 - a sheet that can't be laid out must not end the program
            made, said = b"", f"The sheet could not be laid out: {error}"
        with contextlib.suppress(RuntimeError):  # the window was closed meanwhile
            self._laid_out.emit(number, made) if made else self._failed.emit(number, said)

    def cancel(self) -> None:
        """What is being laid out is no longer wanted."""
        if self._process is not None and self._process.poll() is None:
            self._process.kill()
        self._process = None

    def give_up(self) -> None:
        """Nobody waits for it any more."""
        self.cancel()
        self._asked += 1
        self._next_page.stop()
        self._stale = True
        self.said.emit(tr("The sheet was not laid out. Come here again, or write it, to have it made."))
        self._set_busy(False)

    def _set_busy(self, busy: bool) -> None:
        self.laying = busy
        self.busy.emit(busy)

    def _say_failed(self, number: int, text: str) -> None:
        if number == self._asked:
            self.said.emit(text)
            self._set_busy(False)

    def _show(self, number: int, data: bytes) -> None:
        if number != self._asked:
            return
        self.pdf, self._shown = data, number
        self._buffer = QBuffer(self)
        self._buffer.setData(QByteArray(data))
        self._buffer.open(QBuffer.OpenModeFlag.ReadOnly)
        self.document.load(self._buffer)
        clear(self._pages)
        self._drawn = 0
        self._next_page.start()
        self.made.emit()

    def _draw_page(self) -> None:
        """A page after another, so that the window answers between them."""
        k = self._drawn
        if k >= self.document.pageCount():
            self._next_page.stop()
            self._set_busy(False)
            return
        self._drawn += 1
        width = min(max(present(self.viewport()).width() - theme.px(28), 320), theme.px(660))
        points = self.document.pagePointSize(k)
        height = round(width * points.height() / points.width())
        pixmap = QPixmap.fromImage(self.document.render(k, QSize(width * 2, height * 2)))
        pixmap.setDevicePixelRatio(2)
        page = QLabel()
        page.setPixmap(pixmap)
        page.setAccessibleName(tr("page {0} of the data sheet").format(k + 1))
        page.setStyleSheet(f"background: white; border: 1px solid {theme.colours.rule};")
        self._pages.addWidget(page)
