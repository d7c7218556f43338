"""The Assemble stage: wires, harness, isolation, stored charge, what was taken apart."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tensimeter.core.circuit.network import has_source
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.ui.assemble.alive_view import AliveView
from tensimeter.ui.assemble.matrix_view import MatrixView
from tensimeter.ui.assemble.other_views import ApartView, ChargeView, HarnessView, ProtectionView
from tensimeter.ui.assemble.wires_view import WiresView
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.running_choice import RunningChoice
from tensimeter.ui.parts.text import clear, label
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme

_View = WiresView | HarnessView | MatrixView | ProtectionView | ChargeView | AliveView | ApartView
_VIEWS: tuple[tuple[str, str, Callable[[Session], _View]], ...] = (
    ("wires", "Wires", WiresView),
    ("harness", "Harness", HarnessView),
    ("matrix", "Isolation and continuity", MatrixView),
    ("protection", "Protection", ProtectionView),
    ("charge", "Stored charge", ChargeView),
    ("alive", "Dead or alive", AliveView),
    ("apart", "Taken apart", ApartView),
)
#: What is done at a supply that is known by its readings only.
_WITHOUT_PATH = ("matrix", "alive", "apart")
#: What a supply with a path has on the cards of its parts.
_WITHOUT_PATH_ONLY = ("alive",)


class AssembleStage(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.view = "wires"
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.px(20), theme.px(12), theme.px(12), theme.px(8))
        row = QHBoxLayout()
        views = QWidget()
        flow = FlowLayout(views, theme.px(4))
        group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for key, words, _ in _VIEWS:
            button = QPushButton(tr(words))
            button.setCheckable(True)
            button.setProperty("kind", "view")
            button.clicked.connect(lambda _=False, key=key: self.show_view(key))
            group.addButton(button)
            self.buttons[key] = button
            flow.addWidget(button)
        row.addWidget(views, 1)
        row.addWidget(RunningChoice(session))
        column.addLayout(row)
        inside = QWidget()
        self._body = QVBoxLayout(inside)
        self._body.setContentsMargins(0, 0, theme.px(8), 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setWidget(inside)
        column.addWidget(scroll, 1)
        self.shown: _View | None = None
        whole = WhenSeen(self, self.refresh)
        session.job_changed.connect(whole.take)
        session.readings_changed.connect(WhenSeen(self, self.after_reading).take)
        theme.changed.connect(WhenSeen(self, self.rebuild).take)
        self.rebuild()

    def first_focus(self) -> QWidget:
        return self.buttons[self.view]

    def show_view(self, view: str) -> None:
        self.view = view
        self.rebuild()

    def rebuild(self) -> None:
        """The chosen view made anew."""
        clear(self._body)
        self.session.take_up(None)
        self.shown = None
        self.buttons[self.view].setChecked(True)
        parts = (self.session.job.part(x.part) for x in self.session.job.design.links)
        plugged = any(isinstance(p, SourcePart) and p.plug_wire_A is not None for p in parts)
        known = not has_source(self.session.job) and self.session.job.nameplate is not None
        for key, button in self.buttons.items():
            # Of a supply that exists already there is no path: it is read at its plug and its outlets.
            told = key in _WITHOUT_PATH if known else key not in _WITHOUT_PATH_ONLY
            button.setVisible(told and (key != "harness" or plugged))
        if not known and self.view in _WITHOUT_PATH_ONLY:
            self.view = "wires"
            self.buttons[self.view].setChecked(True)
        if known and self.view not in _WITHOUT_PATH:
            self.view = "matrix"
            self.buttons[self.view].setChecked(True)
        if not has_source(self.session.job) and not known:
            words = (
                "Assemble follows from a design: join a source, what it feeds and an output in Design first."
            )
            self._body.addWidget(label(words, wrap=True))
            self._body.addWidget(NextAct(self.session, "assemble"))
            self._body.addStretch(1)
            return
        self.shown = next(make for key, _, make in _VIEWS if key == self.view)(self.session)
        self._body.addWidget(self.shown, 1)

    def choose_place(self, place: str) -> None:
        """Bring the pair or the reservoir that is read at a place into hand."""
        self.show_view("charge" if place.startswith("charge-") else "matrix")
        if isinstance(self.shown, MatrixView | ChargeView):
            self.shown.choose(place)

    def refresh(self) -> None:
        if self.shown is None or not (has_source(self.session.job) or self.session.job.nameplate):
            self.rebuild()
        else:
            self.shown.refresh()

    def after_reading(self) -> None:
        getattr(self.shown, "after_reading", self.refresh)()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self.shown is not None:
            self.shown.refresh()
