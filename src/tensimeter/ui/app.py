"""Starts the program: type, theme, locale, then the start page or a job."""

import contextlib
import ctypes
import gc
import logging
import signal
import sys
from collections.abc import Callable
from functools import partial
from importlib import resources
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING

from platformdirs import user_log_path
from PyQt6 import sip
from PyQt6.QtCore import QLocale, QSettings, Qt, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QWidget

from tensimeter.core.errors import UserError
from tensimeter.store.desktop import APP_ID
from tensimeter.ui.aside import Aside, leave
from tensimeter.ui.job_window import JobWindow
from tensimeter.ui.one_program import OneProgram, handed_over
from tensimeter.ui.parts.words import tr
from tensimeter.ui.preferences import preferences
from tensimeter.ui.recent import remember
from tensimeter.ui.sweep import Sweep
from tensimeter.ui.theme import load_fonts, theme
from tensimeter.ui.translation import use_language
from tensimeter.ui.window_memory import follow_system, last_stage, remember_window

if TYPE_CHECKING:
    from tensimeter.store.jobfile import JobFile
    from tensimeter.ui.window import MainWindow

#: So long the end of the program waits for what is being worked out, s; its windows are gone by then.
LEAVE_S = 5.0
#: Qt's application lives as long as Python holds it.
_application: QApplication | None = None


def _load() -> None:
    """All that is needed to show a job: what takes long, done beside the first window."""
    from tensimeter.store import jobfile  # noqa: F401
    from tensimeter.ui import window  # noqa: F401
    from tensimeter.ui.stock import stage  # noqa: F401


def _read(path: Path) -> "tuple[JobFile | None, Exception | None]":
    """A job file, opened, with all that is needed to show it; or what went wrong."""
    try:
        _load()
        from tensimeter.store.jobfile import JobFile

        file = JobFile(path)
        # Read here, beside the windows that are there: of a day of scans that takes seconds.
        try:
            file.readings()
        except BaseException:
            file.close()
            raise
        return file, None
    except Exception as trouble:  # noqa: BLE001 - told of where someone looks
        return None, trouble


class Tensimeter:
    """The windows of one program: the start page, or a job."""

    def __init__(self, *, seen: bool = True) -> None:
        #: Whether somebody sees the windows; where nobody does, why a job could not be opened is kept.
        self.seen = seen
        self.failed: UserError | None = None
        self.window: MainWindow | None = None
        self.start: QWidget | None = None
        #: Windows of further jobs, opened by further starts of the program.
        self.others: list[MainWindow] = []
        self.sweep = Sweep()
        #: A window whose job is still being read, and what was asked for meanwhile.
        self.opening: JobWindow | None = None
        self._later: list[str] = []

    def show_start(self, said: str = "") -> None:
        from tensimeter.ui.start_page import StartPage

        self.start = StartPage()
        self.start.said.setText(said)
        self.start.opened.connect(self.show_job)
        self.start.show()
        self.sweep.settle()
        # While one reads and chooses, what a job needs is loaded.
        ahead = Aside(threaded=True)
        ahead.ask("load", self.sweep, _load, lambda _: ahead.stop())

    def open(self, path: Path) -> None:
        """A window for a job file at once, and the job in it as soon as it has been read."""
        self._read_into(path, self._opened)

    def _read_into(
        self, path: Path, then: "Callable[[JobFile | None, Exception | None, JobWindow, Aside], None]"
    ) -> None:
        """Show a window for a job file, read the file beside it, and go on with what came of that."""
        opening, aside = JobWindow(path), Aside(threaded=True)
        self.opening = opening
        opening.given_up.connect(self._give_up)
        opening.show()
        # The sweep lives as long as the program: an answer must come, were the window closed meanwhile.
        aside.ask("job", self.sweep, partial(_read, path), lambda read: then(*read, opening, aside))

    def _give_up(self) -> None:
        self.opening = None
        self._open_later()

    def _opened(
        self, file: "JobFile | None", trouble: Exception | None, opening: JobWindow, aside: Aside
    ) -> None:
        if self.opening is not opening:
            aside.stop()
            if file is not None:
                file.close()
            return
        self.opening = None
        try:
            if file is None:
                raise trouble or UserError(f"{opening.path.name} could not be opened.")
            self._show(file, aside, opening)
        except Exception as fault:  # noqa: BLE001 - told of where someone looks
            aside.stop()
            if file is not None:
                file.close()
            self._not_opened(fault)
            opening.close()
        self._open_later()

    def _not_opened(self, trouble: Exception) -> None:
        """Tell why a job could not be opened."""
        said = str(trouble)
        if not isinstance(trouble, UserError):
            logging.getLogger("tensimeter").error("unforeseen", exc_info=trouble)
            said = tr("Something in the program failed; the job was left as it is. Details are in the log.")
        if not self.seen:
            self.failed = UserError(said)
            return
        # Who opened it from a desktop sees no terminal: the window says why.
        print(said, file=sys.stderr)
        self.show_start(said)

    def _open_later(self) -> None:
        later, self._later = self._later, []
        for path in later:
            self.also(path)

    def show_job(self, file: "JobFile") -> "MainWindow":
        """A window on an open job file; the window before it closes, with its load off."""
        return self._show(file, Aside(threaded=True), None)

    def _show(self, file: "JobFile", aside: Aside, opening: JobWindow | None) -> "MainWindow":
        from tensimeter.ui.session import Session
        from tensimeter.ui.window import MainWindow

        preferences().apply()
        remember(file.path)
        before, session = self.window, Session(file, aside)
        first = last_stage(session) if opening is None or opening.stage is None else opening.stage
        self.window = MainWindow(session, first)
        self.window.jobs_wanted.connect(self._leave_job)
        self.window.job_wanted.connect(self.also)
        remember_window(self.window)
        around = opening or JobWindow(file.path)
        around.fill(self.window)
        around.show()
        if self.start is not None:
            self.start.close()
            self.start = None
        if before is not None and not sip.isdeleted(before):
            _around(before).close()
            self.sweep.unsettle()
        self.sweep.settle(self.window.session)
        return self.window

    def also(self, path: str) -> None:
        """A further start asks for a job: in a window of its own, or forward where it is open already."""
        if self.opening is not None:
            self._later.append(path)
            return
        wanted = Path(path) if path else None
        windows = [w for w in self.living() if w.isVisible()]
        there = next((w for w in windows if wanted and w.session.file.path.resolve() == wanted), None)
        if wanted is None and not windows and (self.start is None or not self.start.isVisible()):
            # The last window went, and all jobs are asked for.
            self.show_start()
        front: QWidget | None = there or (windows[0] if windows else self.start)
        if wanted is not None and there is None:
            # A job's window, or what went wrong, comes once it has been read.
            self._read_into(wanted, self._read_beside)
            return
        if front is not None:
            front = _around(front)
            front.setWindowState(front.windowState() & ~Qt.WindowState.WindowMinimized)
            front.raise_()
            front.activateWindow()

    def _read_beside(
        self, file: "JobFile | None", trouble: Exception | None, opening: JobWindow, aside: Aside
    ) -> None:
        given_up = self.opening is not opening
        self.opening = self.opening if given_up else None
        shown = False
        try:
            if not given_up and file is None:
                raise trouble or UserError(f"{opening.path.name} could not be opened.")
            if not given_up and file is not None:
                self._another(file, aside, opening)
                shown = True
        except Exception as fault:  # noqa: BLE001 - told of where someone looks
            opening.close()
            self._say_not_opened(fault)
        if not shown:
            aside.stop()
            if file is not None:
                file.close()
        self._open_later()

    def _say_not_opened(self, trouble: Exception) -> None:
        """Tell in the window that is there why a further job could not be opened."""
        windows = [w for w in self.living() if w.isVisible()]
        if not windows or not isinstance(trouble, UserError):
            self._not_opened(trouble)
            return
        windows[0].line.say(str(trouble))

    def _another(self, file: "JobFile", aside: Aside, around: JobWindow) -> "MainWindow":
        from tensimeter.ui.session import Session
        from tensimeter.ui.window import MainWindow

        self.living()
        if self.window is None:
            return self._show(file, aside, around)
        remember(file.path)
        window = MainWindow(Session(file, aside))
        window.jobs_wanted.connect(window.close)
        window.job_wanted.connect(self.also)
        window.jobs_wanted.connect(lambda: self.also(""))
        self.others = [*(w for w in self.living() if w is not self.window and w.isVisible()), window]
        around.fill(window)
        around.show()
        return window

    def _leave_job(self) -> None:
        self.show_start()
        self.living()
        if self.window is not None:
            _around(self.window).close()
            self.window = None
            self.sweep.unsettle()

    def living(self) -> list["MainWindow"]:
        """The windows that are still there: one that was closed is gone, whoever remembers it."""
        if self.window is not None and sip.isdeleted(self.window):
            self.window = None
        self.others = [w for w in self.others if not sip.isdeleted(w)]
        return [w for w in (self.window, *self.others) if w is not None]


def _around(widget: QWidget) -> QWidget:
    """The window that a widget stands in."""
    return widget.window() or widget


def make_application(*, figures: bool = True) -> QApplication:
    """The application with its type and theme; with the system's decimal mark, where figures come next."""
    global _application
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    _application = app
    keep_memory()
    app.setApplicationName("Tensimeter")
    app.setOrganizationName("Tensimeter")
    app.setDesktopFileName(APP_ID)
    app.setWindowIcon(QIcon(str(resources.files("tensimeter.assets").joinpath("desktop", f"{APP_ID}.svg"))))
    app.setStyle("Fusion")
    load_fonts()
    if figures:
        from tensimeter.core.quantity import use_decimal_mark

        use_decimal_mark("," if QLocale.system().decimalPoint() == "," else ".")
    theme.use(night=False, scale=1.0)
    return app


def keep_memory() -> None:
    """Keep freed memory for the next map instead of giving each array back to the system.

    A reach map makes some forty arrays and drops them at every change; fetching their pages anew each
    time takes as long as the arithmetic (glibc's mallopt; without it all works, more slowly).
    """
    trim_threshold, map_threshold, kept = -1, -3, 64 << 20
    with contextlib.suppress(OSError, AttributeError):
        mallopt = ctypes.CDLL(None).mallopt
        mallopt(trim_threshold, kept)
        mallopt(map_threshold, kept)


def _keep_log() -> None:
    from logging.handlers import RotatingFileHandler

    try:
        folder = user_log_path("tensimeter")
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(folder / "tensimeter.log", maxBytes=500_000, backupCount=3)
        logging.basicConfig(
            level=logging.INFO, handlers=[handler], format="%(asctime)s %(levelname)s %(name)s %(message)s"
        )
    except OSError:
        logging.basicConfig(level=logging.WARNING)


def _say_unforeseen(program: Tensimeter, app: QApplication) -> None:
    """An error that nobody foresaw: load off, a sentence, the details in the log."""

    def hook(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        logging.getLogger("tensimeter").error("unforeseen", exc_info=(kind, error, trace))
        for window in program.living():
            if not window.isVisible():
                continue
            window.session.drop_load()
            window.line.say(
                tr(
                    "Something in the program failed; the load was dropped and all readings are kept. "
                    "Details are in the log."
                )
            )

    sys.excepthook = hook


def open_window(path: Path | None, *, seen: bool = True) -> int:
    """Open a job, or the start page; returns when the last window is closed.

    A job that can't be opened is told of on the start page; where nobody would see it, UserError is raised.
    """
    # Nothing is thrown away while the window is built either.
    gc.disable()
    app = make_application(figures=False)
    # Before the file is opened: one program alone may hold it.
    if handed_over(path):
        return 0
    follow_system(app, QSettings())
    use_language(preferences().language)
    program, one = Tensimeter(seen=seen), OneProgram()
    one.asked.connect(program.also)
    _say_unforeseen(program, app)
    program.open(path) if path else program.show_start()
    _keep_log()
    # Ctrl+C and a polite kill close the window, which puts the load off; Python needs to be
    # woken now and then to notice them.
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: app.closeAllWindows())
    waker = QTimer()
    waker.start(200)
    waker.timeout.connect(lambda: None)
    code = app.exec()
    one.end()
    leave(LEAVE_S)
    if program.failed:
        raise program.failed
    return code
