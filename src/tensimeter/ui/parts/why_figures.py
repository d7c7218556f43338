"""Figures one under another, each of which says how it came about when it is asked."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.quantity import show
from tensimeter.ui.parts.text import Figure, label
from tensimeter.ui.theme import theme


def why_figures(
    worked: Sequence[Derivation], ask: Callable[[Derivation], object], *, formulas: bool = False
) -> QWidget:
    """A row a figure: what it is, its value, and beside it its formula where there is room for that."""
    rows = QWidget()
    grid = QGridLayout(rows)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(theme.px(18 if formulas else 6))
    grid.setColumnStretch(2 if formulas else 0, 1)
    for line, one in enumerate(worked):
        grid.addWidget(label(one.title, "" if formulas else "caption", wrap=not formulas), line, 0)
        figure = Figure(show(one.value, one.unit, 3), _always(one), "strong")
        figure.asked.connect(ask)
        grid.addWidget(figure, line, 1, Qt.AlignmentFlag.AlignRight)
        if formulas:
            grid.addWidget(label(one.formula, "caption"), line, 2)
    return rows


def _always(worked: Derivation) -> Callable[[], Derivation]:
    return lambda: worked
