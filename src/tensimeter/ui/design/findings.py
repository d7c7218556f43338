"""What the solved path says, one view at a time: the ladder, faults, variants, policy."""

from collections.abc import Callable

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.design.failures import failures
from tensimeter.core.design.variants import compared
from tensimeter.core.model.problems import problems
from tensimeter.core.parts.limit import Limit
from tensimeter.core.rating.envelope import State
from tensimeter.core.record import Record
from tensimeter.ui.design.box_view import BoxView, ConditionsView
from tensimeter.ui.design.heat_view import HeatView
from tensimeter.ui.design.ladder_view import LadderView
from tensimeter.ui.design.policy_view import PolicyView
from tensimeter.ui.design.sized_view import SizedView
from tensimeter.ui.design.tables import fault_table, variant_table
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import clear, label
from tensimeter.ui.parts.why_table import WhyTable
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_VIEWS = (
    ("ladder", "Gives up first"),
    ("heat", "Heat"),
    ("sized", "Sizes"),
    ("faults", "Faults"),
    ("variants", "Variants"),
    ("ways", "Ways to do it"),
    ("conditions", "Conditions"),
    ("box", "Box"),
)
#: Those that are read and typed as a page.
_PAGES = ("ways", "conditions", "box")


class Findings(QWidget):
    """Switched by its row of words; only the view that is seen is worked out.

    `view_changed` tells that the views now want more room, or less.
    """

    view_changed = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.view = "ladder"
        self.whole: QWidget | None = None
        self._standing: object = None
        self._known_edges: dict[str, tuple[Limit, State]] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(theme.px(4))
        views = QWidget()
        row = FlowLayout(views, theme.px(4))
        self._group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for key, words in _VIEWS:
            button = QPushButton(tr(words))
            button.setCheckable(True)
            button.setProperty("kind", "view")
            button.clicked.connect(lambda _=False, key=key: self.show_view(key))
            self._group.addButton(button)
            self.buttons[key] = button
            row.addWidget(button)
        column.addWidget(views)
        inside = QWidget()
        self._body = QVBoxLayout(inside)
        self._body.setContentsMargins(0, 0, theme.px(8), 0)
        self._body.setSpacing(0)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(inside)
        column.addWidget(self._scroll, 1)
        self.buttons["ladder"].setChecked(True)

    def sizeHint(self) -> QSize:
        return QSize(theme.px(420), theme.px(170))

    @property
    def wants_room(self) -> bool:
        """What is read and typed as a page takes the place of the plot."""
        return self.view in _PAGES

    def show_view(self, view: str) -> None:
        before, self.view = self.wants_room, view
        self.buttons[view].setChecked(True)
        if before != self.wants_room:
            self.view_changed.emit()
        else:
            self.refresh()

    def refresh(self) -> None:
        if self.view in _PAGES and self._is_being_typed_in():
            return
        if self.session.output_id is not None and self.view == "ladder" and self._show_ladder_again():
            return
        # A page that is read and typed follows from the job alone, not from where it is run.
        standing = (self.view, self.session.job, self.session.output_id is None, theme.night, theme.scale)
        if self.view in _PAGES and self.whole is not None and standing == self._standing:
            return
        self._standing = standing
        clear(self._body)
        self.whole = None
        if self.session.output_id is None:
            return
        getattr(self, f"_show_{self.view}")()

    def _is_being_typed_in(self) -> bool:
        """A form that has just given its change goes on being typed in."""
        form = getattr(self.whole, "form", None)
        kept = (self.session.job.policy, self.session.job.settings)
        return form is not None and form.isAncestorOf(self.focusWidget()) and form.record in kept

    # -- the ladder -----------------------------------------------------------------------------

    def _show_ladder(self) -> None:
        if not self.session.now.solved:
            self._body.addWidget(label(tr("Nothing to rank until the path joins up."), "caption"))
            self._body.addStretch(1)
            return
        ladder = LadderView()
        ladder.asked.connect(self.session.why)
        self._show_whole(ladder)
        self._show_ladder_again()

    def _show_ladder_again(self) -> bool:
        """Bring the ladder that stands there up to date; whether one does.

        While the edges are worked out anew those of the design before are shown.
        """
        now = self.session.now
        if not isinstance(self.whole, LadderView) or not now.solved:
            return False
        note = ""
        if self.session.aside.threaded and "edges" not in vars(now):
            self.session.aside.ask("edges", self, lambda: now.edges, lambda _: self.refresh())
            note = "edges of the design before; the new ones are being worked out"
        else:
            self._known_edges = now.edges
        self.whole.show_limits(now.solved[2], self._known_edges, note)
        return True

    # -- faults ---------------------------------------------------------------------------------

    def _show_faults(self) -> None:
        job = self.session.job
        if problems(job.design, job.stock) or not self.session.now.solved:
            self._body.addWidget(label(tr("Faults are worked out once the path joins up."), "caption"))
            self._body.addStretch(1)
            return
        words = "One fault at a time, at full load; ↑ more than a device stands, at the worst. F1: why."
        self._body.addWidget(label(words, "caption"))
        self._later(lambda: failures(job), lambda: fault_table(job))

    # -- variants -------------------------------------------------------------------------------

    def _show_variants(self) -> None:
        words = "At full load of every output. Another design is set aside or proposed above the map."
        self._body.addWidget(label(words, "caption", wrap=True))
        job, output = self.session.job, self.session.output_id or ""
        self._later(lambda: compared(job, output), lambda: variant_table(job, output))

    def _later(self, work: Callable[[], object], make: Callable[[], WhyTable]) -> None:
        """A table whose figures take long: it comes once they are there, in the place of a word of that."""
        wait = label(tr("being worked out …"), "caption")
        if self.session.aside.threaded:
            self._body.addWidget(wait)

        def show(_: object) -> None:
            wait.hide()
            self._body.addWidget(self._asking(make()), 1)

        self.session.aside.ask("findings", wait, work, show)

    def _asking(self, table: WhyTable) -> WhyTable:
        table.asked.connect(self.session.why)
        return table

    # -- the rest, a widget each ----------------------------------------------------------------

    def _show_heat(self) -> None:
        now = self.session.now
        if self.session.aside.threaded and not now.heat_at_once:
            wait = label(tr("what the latest soak has shown is being worked out …"), "caption")
            self._body.addWidget(wait)
            self.session.aside.ask("findings", wait, lambda: now.heat_job, lambda _: self.refresh())
            return
        self._show_whole(HeatView(self.session))

    def _show_sized(self) -> None:
        self._show_whole(SizedView(self.session))

    def _show_conditions(self) -> None:
        self._show_whole(ConditionsView(self.session, lambda r, w: self._apply("settings", r, w)))

    def _show_ways(self) -> None:
        self._show_whole(PolicyView(self.session, lambda r, w: self._apply("policy", r, w)))

    def _show_box(self) -> None:
        self._show_whole(BoxView(self.session, lambda r, w: self._apply("settings", r, w)))

    def _show_whole(self, widget: QWidget) -> None:
        self.whole = widget
        self._body.addWidget(widget)
        self._body.addStretch(1)

    def _apply(self, what: str, record: Record, words: str) -> bool:
        """Keep a changed policy or setting; what is typed in goes on where it was."""
        job = self.session.job
        at = present(self._scroll.verticalScrollBar()).value()
        done = self.session.edit(f"{words} of the {what}", job.model_copy(update={what: record}))
        QTimer.singleShot(0, lambda: present(self._scroll.verticalScrollBar()).setValue(at))
        return done
