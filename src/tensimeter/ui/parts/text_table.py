"""A plain table of words: headings, then a row of texts or widgets each."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QGridLayout, QWidget

from tensimeter.ui.parts.text import label
from tensimeter.ui.theme import theme


def text_table(
    headings: Sequence[str],
    rows: Sequence[Sequence[str | QWidget]],
    *,
    strong: int | None = None,
    wide: int = -1,
    wraps: Sequence[int] = (),
    missed: Sequence[tuple[int, int]] = (),
) -> QWidget:
    """`strong` is the column that names a row, `wide` the one that takes what room is left.

    Cells of `missed` (row, column) are shown as what is wrong.
    """
    table = QWidget()
    # It can be copied as a table.
    table.setProperty("table", True)
    grid = QGridLayout(table)
    grid.setContentsMargins(0, 0, 0, 0)
    grid.setHorizontalSpacing(theme.px(16))
    grid.setColumnStretch(wide % len(headings), 1)
    for k, words in enumerate(headings):
        grid.addWidget(label(words, "caption"), 0, k)
    for line, cells in enumerate(rows):
        for k, cell in enumerate(cells):
            made = cell if isinstance(cell, QWidget) else label(cell, _kind(k, strong), wrap=k in wraps)
            if (line, k) in missed:
                made.setStyleSheet(f"color: {theme.colours.miss};")
            grid.addWidget(made, line + 1, k)
    return table


def _kind(column: int, strong: int | None) -> str:
    return "strong" if column == strong else ""
