"""What keys do anywhere in a job's window."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QApplication

from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.ui.window import MainWindow


def bind(window: "MainWindow") -> None:
    """Give a window its keys."""
    session = window.session
    keys: list[tuple[str, Callable[[], object]]] = [
        *((f"Alt+{k + 1}", partial(window.go_to, k)) for k in range(len(STAGES))),
        ("Ctrl+L", window.focus_line),
        ("Ctrl+B", window.toggle_bench_view),
        ("Esc", window.escape),
        ("Ctrl+Z", session.undo),
        ("Ctrl+Shift+Z", session.redo),
        ("Ctrl+O", window.jobs_wanted.emit),
        ("Ctrl+J", window.show_logbook),
        ("Ctrl+,", window.show_settings),
        ("Ctrl+C", partial(copy_in_hand, window)),
        ("Alt+G", lambda: window.guide.do() if window.guide is not None else None),
        ("Alt+N", window.toggle_night),
        ("F1", window.ask_why),
        ("F2", window.toggle_column),
        ("Ctrl++", lambda: theme.use(scale=min(theme.scale + 0.1, 1.5))),
        ("Ctrl+-", lambda: theme.use(scale=max(theme.scale - 0.1, 0.8))),
    ]
    for key, act in keys:
        QShortcut(QKeySequence(key), window).activated.connect(act)


def copy_in_hand(window: "MainWindow") -> None:
    """Ctrl+C: the table or plot that has the focus, as figures."""
    from tensimeter.ui.copying import copy_figures, source_of

    source = source_of(QApplication.focusWidget())
    said = copy_figures(source) if source is not None else "Nothing that can be copied has the focus."
    window.line.say(said, "pencil")
