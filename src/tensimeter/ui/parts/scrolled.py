"""What scrolls where there is too little room: on a small screen, or with large text."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QScrollArea, QWidget


def scrolled(view: QWidget) -> QScrollArea:
    """A view that scrolls on a small screen or with large text: nothing is squeezed over something else."""
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    scroll.setWidget(view)
    return scroll
