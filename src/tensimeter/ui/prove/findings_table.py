"""What a test has given: each figure with its uncertainty, what is allowed, its verdict."""

from PyQt6.QtCore import QSize
from PyQt6.QtWidgets import QHeaderView, QWidget

from tensimeter.core.campaign import KINDS, Finding, Outcome
from tensimeter.core.explain import Worked
from tensimeter.core.quantity import with_uncertainty
from tensimeter.ui.parts.verdict_square import verdict_icon
from tensimeter.ui.parts.why_table import WhyTable
from tensimeter.ui.theme import theme

_COLUMNS = ("figure", "found", "allowed", "verdict")


class FindingsTable(WhyTable):
    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(_COLUMNS, "what the test has given", range(1, 3))
        self.header().setStretchLastSection(False)
        self.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.header().setSectionResizeMode(3, QHeaderView.ResizeMode.ResizeToContents)

    def show_result(self, result: Outcome) -> None:
        self.clear()
        self._why.clear()
        self.setIconSize(QSize(theme.px(14), theme.px(14)))
        method = KINDS[result.plan.test.kind].method
        for finding in result.findings:
            value = finding.value
            if finding.is_note:
                self.add([(finding.text, None), ("", None), ("", None), ("", None)])
                self.topLevelItem(self.topLevelItemCount() - 1).setFirstColumnSpanned(True)
                continue
            found = with_uncertainty(value.value, value.half_width, finding.unit) if value else finding.text
            words = finding.verdict.words if finding.verdict else ""
            name = f"{finding.name}; {finding.text}" if value and finding.text else finding.name
            why = self._worked(finding, method) if value else None
            allowed = finding.allowed.words(finding.unit) if finding.allowed else ""
            self.add([(name, None), (found, why), (allowed, None), (words, None)])
            if finding.verdict is not None:
                item = self.topLevelItem(self.topLevelItemCount() - 1)
                item.setIcon(3, verdict_icon(finding.verdict, theme.px(14)))

    @staticmethod
    def _worked(finding: Finding, method: str) -> object:
        def answer() -> Worked:
            if finding.worked is not None:
                return finding.worked
            value = finding.value
            assert value is not None
            return Worked(
                finding.name, method, (), value.value, finding.unit, (), "", (value.low, value.high)
            )

        return answer
