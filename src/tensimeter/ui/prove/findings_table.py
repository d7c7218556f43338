"""What a test has given: each figure with its uncertainty, what is allowed, its verdict."""

from collections.abc import Callable

from PyQt6.QtCore import QModelIndex, QRect, QSize, Qt
from PyQt6.QtWidgets import QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from tensimeter.core.derivation import Derivation
from tensimeter.core.quantity import with_uncertainty
from tensimeter.core.testplan.registry import KINDS
from tensimeter.core.testplan.step import Finding, Outcome
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.verdict_square import mark_verdict
from tensimeter.ui.parts.why_table import WhyTable
from tensimeter.ui.parts.words import tr
from tensimeter.ui.theme import theme

_COLUMNS = ("figure", "found", "allowed", "verdict")
#: Letters up to which words stand where figures do; longer ones follow what they are said of.
_SHORT = 26


class _Wrapped(QStyledItemDelegate):
    """Words that do not fit go on in a line below; the rows are as high as they need."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        size, table = super().sizeHint(option, index), self.parent()
        assert isinstance(table, FindingsTable)
        if index.column() != 0 or table.isFirstColumnSpanned(index.row(), index.parent()):
            return size
        room = QRect(0, 0, table.columnWidth(0) - theme.px(10), 10_000)
        words = option.fontMetrics.boundingRect(room, Qt.TextFlag.TextWordWrap, str(index.data()))
        return QSize(0, max(size.height(), words.height() + theme.px(10)))


class FindingsTable(WhyTable):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(_COLUMNS, "what the test has given", range(1, 3))
        present(self.header()).setStretchLastSection(False)
        present(self.header()).setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        present(self.header()).setSectionResizeMode(3, QHeaderView.ResizeMode.ResizeToContents)
        self.setUniformRowHeights(False)
        self.setWordWrap(True)
        self.setItemDelegate(_Wrapped(self))
        present(self.header()).sectionResized.connect(lambda *_: self.scheduleDelayedItemsLayout())

    def show_result(self, result: Outcome) -> None:
        self.clear()
        self._why.clear()
        self.setIconSize(QSize(theme.px(14), theme.px(14)))
        method = KINDS[result.plan.test.kind].method
        for finding in result.findings:
            value = finding.value
            if finding.is_note:
                self.add([(finding.text, None), ("", None), ("", None), ("", None)])
                present(self.topLevelItem(self.topLevelItemCount() - 1)).setFirstColumnSpanned(True)
                continue
            found = with_uncertainty(value.value, value.half_width, finding.unit) if value else ""
            words = tr(finding.verdict.words) if finding.verdict else ""
            name = finding.name
            if value is None and len(finding.text) <= _SHORT:
                found = finding.text
            elif finding.text:
                name = f"{name}{';' if value else ':'} {finding.text}"
            why = self._worked(finding, method) if value else None
            allowed = finding.allowed.words(finding.unit) if finding.allowed else ""
            self.add([(name, None), (found, why), (allowed, None), (words, None)])
            if finding.verdict is not None:
                item = present(self.topLevelItem(self.topLevelItemCount() - 1))
                mark_verdict(item, 3, finding.verdict, theme.px(14))

    @staticmethod
    def _worked(finding: Finding, method: str) -> Callable[[], Derivation] | None:
        def answer() -> Derivation:
            if finding.worked is not None:
                return finding.worked
            value = finding.value
            assert value is not None
            return Derivation(
                finding.name, method, (), value.value, finding.unit, (), "", (value.low, value.high)
            )

        return answer
