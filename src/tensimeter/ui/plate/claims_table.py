"""Claimed against found: a row an outlet or a unit, sorted by any column."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHeaderView, QTreeWidget, QTreeWidgetItem

from tensimeter.core.held.claims import Claim
from tensimeter.core.measurement.conformity import Interval, Verdict
from tensimeter.core.quantity import show
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import tip
from tensimeter.ui.parts.verdict_square import mark_verdict
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

_COLUMNS = (
    "outlet or unit", "claims", "reached", "share", "falls at", "claims, charge", "found", "at its cells",
)  # fmt: skip
#: The columns of charge.
_CHARGE = (5, 6, 7)
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
#: What a cell sorts by, beside what it shows.
_BY = Qt.ItemDataRole.UserRole


class _Row(QTreeWidgetItem):
    """A row that sorts by its figures, what is not known last."""

    def __lt__(self, other: QTreeWidgetItem) -> bool:
        tree = self.treeWidget()
        column = tree.sortColumn() if tree is not None else 0
        return bool(self.data(column, _BY) < other.data(column, _BY))


class ClaimsTable(QTreeWidget):
    def __init__(self) -> None:
        super().__init__()
        self.setColumnCount(len(_COLUMNS))
        self.setHeaderLabels(list(_COLUMNS))
        self.setRootIsDecorated(False)
        self.setUniformRowHeights(True)
        self._told: object = None
        self.setSortingEnabled(True)
        self.setAccessibleName(tr("claimed and found"))
        header = present(self.header())
        header.setStretchLastSection(False)
        for k in range(len(_COLUMNS)):
            header.setSectionResizeMode(k, QHeaderView.ResizeMode.ResizeToContents)
            present(self.headerItem()).setTextAlignment(k, _RIGHT if k else Qt.AlignmentFlag.AlignLeft)
        header.setSortIndicator(0, Qt.SortOrder.AscendingOrder)

    def show_claims(self, rows: list[Claim]) -> None:
        now = (rows, theme.night, theme.scale)
        if now == self._told:
            return
        self._told = now
        self.setSortingEnabled(False)
        self.clear()
        for claim in rows:
            self.addTopLevelItem(_row(claim))
        told = any(c.claimed_Ah or c.found_Ah for c in rows)
        for k in _CHARGE:
            # Where nothing runs down, nobody asks for its charge.
            self.setColumnHidden(k, not told)
        self.setSortingEnabled(True)


def _row(claim: Claim) -> QTreeWidgetItem:
    share = claim.reached_A.value / claim.claimed_A if claim.reached_A else None
    cells: list[tuple[str, str | float]] = [
        (claim.name + (" (unit)" if claim.what == "unit" else ""), f"{claim.what} {claim.name}".casefold()),
        (show(claim.claimed_A, "A", 3), claim.claimed_A),
        _figure(claim.reached_A, "A"),
        (show(share, "%", 3), share) if share is not None else _UNKNOWN,
        _figure(claim.collapse_A, "A"),
        (show(claim.claimed_Ah, "Ah", 3), claim.claimed_Ah) if claim.claimed_Ah else _UNKNOWN,
        _figure(claim.found_Ah, "Ah"),
        _figure(claim.found_cell_Ah, "Ah"),
    ]
    row = _Row([text for text, _ in cells])
    for k, (text, by) in enumerate(cells):
        row.setData(k, _BY, by)
        row.setToolTip(k, tip(text))
        if k:
            row.setTextAlignment(k, _RIGHT)
    if claim.verdict is not Verdict.NOT_MEASURED:
        mark_verdict(row, 2, claim.verdict, theme.px(14))
    if claim.charge_verdict is not Verdict.NOT_MEASURED:
        mark_verdict(row, 6, claim.charge_verdict, theme.px(14))
    return row


#: A figure that nobody has read: last where it is sorted.
_UNKNOWN: tuple[str, float] = ("–", float("inf"))


def _figure(value: Interval | None, unit: str) -> tuple[str, float]:
    if value is None:
        return _UNKNOWN
    return f"{show(value.value, unit, 3)} ± {show(value.half_width, unit, 2)}", value.value
