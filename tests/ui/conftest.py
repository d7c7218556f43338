"""A real window, off screen."""

import contextlib
import gc
from collections.abc import Callable

import pytest
from PyQt6.QtCore import QLocale, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from tensimeter.core.quantity import use_decimal_mark
from tensimeter.store.jobfile import JobFile
from tensimeter.ui.app import make_application
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.window import MainWindow


@pytest.fixture(scope="session")
def qapp_cls():
    return QApplication


@pytest.fixture(scope="session")
def made(qapp: QApplication) -> QApplication:
    """Its style and its type, once: setting them anew for each test would polish every widget again."""
    return make_application()


@pytest.fixture(autouse=True)
def application(made: QApplication):
    use_decimal_mark("." if QLocale.system().decimalPoint() != "," else ",")
    yield made
    theme.use(night=False, scale=1.0)
    # A program that was begun in a test looks for garbage itself; the tests after it have none.
    gc.unfreeze()
    gc.enable()


@pytest.fixture
def open_window(qtbot):
    """Open a window on a job file; it is closed, with its load off, at the end."""
    opened: list[MainWindow] = []

    def make(file: JobFile) -> MainWindow:
        window = MainWindow(Session(file))
        opened.append(window)
        window.show()
        qtbot.waitExposed(window)
        window.activateWindow()
        qtbot.waitUntil(window.isActiveWindow, timeout=60_000)
        return window

    yield make
    for window in opened:
        with contextlib.suppress(RuntimeError):  # closed and gone already
            window.close()


@pytest.fixture
def window(open_window, job_file: JobFile) -> MainWindow:
    return open_window(job_file)


@pytest.fixture
def keys(qtbot) -> Callable[..., None]:
    """Press keys at the window, as hands would: `keys(window, "Alt+5")`, or text to type."""
    named = {
        name: getattr(Qt.Key, f"Key_{name}")
        for name in ("Tab", "Space", "Delete", "Down", "Up", "Right", "Left")
    }
    named |= {"Enter": Qt.Key.Key_Return, "Esc": Qt.Key.Key_Escape, "F1": Qt.Key.Key_F1, "F2": Qt.Key.Key_F2}
    modifiers = {
        "Alt": Qt.KeyboardModifier.AltModifier,
        "Ctrl": Qt.KeyboardModifier.ControlModifier,
        "Shift": Qt.KeyboardModifier.ShiftModifier,
    }

    def press(target: QWidget, *what: str) -> None:
        for word in what:
            receiver = QApplication.focusWidget() or target
            *held, last = word.split("+") if "+" in word and len(word) > 1 and word[0] in "ACS" else [word]
            modifier = Qt.KeyboardModifier.NoModifier
            for name in held:
                modifier |= modifiers[name]
            if last in named:
                QTest.keyClick(receiver, named[last], modifier)
            elif held:
                QTest.keyClick(receiver, last, modifier)
            else:
                QTest.keyClicks(receiver, word)
            QApplication.processEvents()

    return press
