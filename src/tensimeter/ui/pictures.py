"""Pictures of the window: used for the manual, for the demo without a display, and for looking."""

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QDeadlineTimer, QEventLoop
from PyQt6.QtWidgets import QApplication, QWidget

from tensimeter.ui.parts.present import present
from tensimeter.ui.window import MainWindow

#: Between two looks at whether something holds, s.
PAUSE_S = 0.005


def wait_until(condition: Callable[[], bool], seconds: float = 30.0) -> bool:
    """Let the window live until something holds; whether it did."""
    deadline = QDeadlineTimer(round(seconds * 1000))
    app = present(QApplication.instance())
    while not condition() and not deadline.hasExpired():
        app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)
        # What is waited for works in threads of its own; asking without a pause would take their time.
        time.sleep(PAUSE_S)
    return condition()


def settle(rounds: int = 8) -> None:
    """Let layouts and repaints run out."""
    for _ in range(rounds):
        present(QApplication.instance()).processEvents()


def picture(widget: QWidget, path: Path) -> Path:
    """Save what a widget shows as PNG."""
    settle()
    path.parent.mkdir(parents=True, exist_ok=True)
    widget.grab().save(str(path))
    return path


def picture_stages(window: MainWindow, folder: Path) -> list[Path]:
    """A picture of every stage."""
    made = []
    for k, button in enumerate(window.rail.buttons):
        window.go_to(k)
        if button.stage.id == "plate":
            plate = window.stage("plate")
            wait_until(partial(getattr, plate, "ready"), 60)
        made.append(picture(window, folder / f"{k + 1}-{button.stage.id}.png"))
    return made
