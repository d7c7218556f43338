"""The Tune stage: displays beside references, trims, fan, causes, two runs, contacts, symptoms."""

from PyQt6.QtWidgets import QButtonGroup, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from tensimeter.core.errors import UserError
from tensimeter.ui.parts.flow import FlowLayout
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.scrolled import scrolled
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.tune.causes_view import CausesView
from tensimeter.ui.tune.changes_view import ChangesView
from tensimeter.ui.tune.contacts_view import ContactsView
from tensimeter.ui.tune.displays import DisplaysView
from tensimeter.ui.tune.fan_view import FanView
from tensimeter.ui.tune.symptoms_view import SymptomsView
from tensimeter.ui.tune.trims_view import TrimsView
from tensimeter.ui.tune.view import TuneView


class TuneStage(QWidget):
    """Switched by a row of words, in the order people work; only the view that is seen is worked out."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._taking = False
        column = QVBoxLayout(self)
        column.setContentsMargins(theme.px(20), theme.px(10), theme.px(10), 0)
        column.setSpacing(theme.px(6))
        words = QWidget()
        row = FlowLayout(words, theme.px(4))
        column.addWidget(words)
        self.next_act = NextAct(session, "tune")
        column.addWidget(self.next_act)
        self.displays, self.trims = DisplaysView(session), TrimsView(session)
        self.causes, self.changes = CausesView(session), ChangesView(session)
        self.contacts, self.symptoms = ContactsView(session), SymptomsView(session)
        self.fan = FanView(session)
        self.pages = QStackedWidget()
        column.addWidget(self.pages, 1)
        self._group = QButtonGroup(self)
        self.buttons: list[QPushButton] = []
        views: tuple[TuneView, ...] = (
            self.displays,
            self.trims,
            self.fan,
            self.causes,
            self.changes,
            self.contacts,
            self.symptoms,
        )
        self.views = views
        for view in views:
            button = QPushButton(tr(view.words))
            button.setCheckable(True)
            button.setProperty("kind", "view")
            button.clicked.connect(lambda _=False, key=view.key: self.show_view(key))
            self._group.addButton(button)
            self.buttons.append(button)
            row.addWidget(button)
            self.pages.addWidget(scrolled(view))
        self.buttons[0].setChecked(True)
        self.read = QPushButton(tr("read it on the demo supply"))
        self.read.setToolTip(tr("what is asked for here is read on the simulated supply, and marked as that"))
        self.read.clicked.connect(self._read)
        row.addWidget(self.read)
        whole = WhenSeen(self, self.refresh)
        for signal in (session.job_changed, session.readings_changed, theme.changed):
            signal.connect(whole.take)
        self.refresh()

    def _read(self) -> None:
        """Have what the view asks for read on the demo's simulated supply, one figure after another."""
        # The simulated supply is needed here alone, and takes its time to load.
        from tensimeter.demo.library import demo_hand

        view, hand = self.view, demo_hand(self.session.job)
        asked = view.asks() if hand is not None else []
        if hand is None or not asked:
            self.session.say(tr("Nothing more is asked for here."))
            return
        self._taking = True
        try:
            for one in asked:
                self.session.take_simulated(hand.line(one, self.session.now.readings))
        except UserError as trouble:
            self.session.complain(str(trouble))
        finally:
            # Told once, by all that was read.
            self._taking = False
            self.refresh()

    @property
    def view(self) -> TuneView:
        """The view that is seen."""
        return self.views[self.pages.currentIndex()]

    def first_focus(self) -> QWidget:
        return self.buttons[self.pages.currentIndex()]

    def show_view(self, key: str) -> None:
        """Show one of the views, by its key."""
        index = [view.key for view in self.views].index(key)
        self.pages.setCurrentIndex(index)
        self.buttons[index].setChecked(True)
        self.refresh()

    def refresh(self) -> None:
        """Have what is seen worked out anew."""
        if self._taking:
            return
        self.next_act.refresh()
        self.read.setVisible(self.session.job.demo and bool(self.session.job.design.outputs()))
        self.view.refresh()
