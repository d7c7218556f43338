"""The frame: path strip, stages, workspace, right column, drop-load bar, reading line."""

from typing import TYPE_CHECKING, Literal, overload

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QContextMenuEvent, QDragEnterEvent, QDropEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from tensimeter.bench.events import ENDS, Event
from tensimeter.core.procedure.guide import GUIDED
from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui import dropped, telling, window_keys
from tensimeter.ui.ahead import Ahead
from tensimeter.ui.drop_key import DropKey
from tensimeter.ui.job_header import JobHeader
from tensimeter.ui.job_window import NARROW, JobWindow
from tensimeter.ui.make_stage import make_stage
from tensimeter.ui.notice_column import NoticeColumn
from tensimeter.ui.parts.present import present
from tensimeter.ui.parts.text import rule
from tensimeter.ui.parts.words import tr
from tensimeter.ui.path_strip import PathStrip
from tensimeter.ui.prove.bench_view import BenchView
from tensimeter.ui.prove.now_panel import NowPanel
from tensimeter.ui.prove.run_control import RunControl
from tensimeter.ui.reading_line import ReadingLine
from tensimeter.ui.session import Session
from tensimeter.ui.stage_rail import StageRail
from tensimeter.ui.theme import theme

if TYPE_CHECKING:
    from tensimeter.ui.assemble.stage import AssembleStage
    from tensimeter.ui.design.stage import DesignStage
    from tensimeter.ui.guide_bar import GuideBar
    from tensimeter.ui.plate.stage import PlateStage
    from tensimeter.ui.prove.stage import ProveStage
    from tensimeter.ui.stock.stage import StockStage
    from tensimeter.ui.wake.stage import WakeStage

PROVE = next(k for k, stage in enumerate(STAGES) if stage.id == "prove")


class MainWindow(QWidget):
    """All of one job, in a window of its own."""

    jobs_wanted = pyqtSignal()
    #: The path of a job that is to be opened as well.
    job_wanted = pyqtSignal(str)

    def __init__(self, session: Session, first: int | None = None) -> None:
        super().__init__()
        self.session = session
        self.control = RunControl(session)
        # A closed job's window must not be restyled and repainted for ever after.
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.stage_index = 0
        #: The window that it was put into.
        self.around: JobWindow | None = None
        self._narrow = False
        #: Whether a run left its load without a proof that it is off.
        self._not_off = False
        self.resize(1280, 800)
        self.setMinimumSize(820, 560)
        self.setObjectName("page")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.header = JobHeader(self)
        column.addWidget(self.header)
        self.strip = PathStrip(session)
        strip_row = QHBoxLayout()
        strip_row.setContentsMargins(theme.px(18), 0, theme.px(14), theme.px(6))
        strip_row.addWidget(self.strip)
        column.addLayout(strip_row)
        column.addWidget(rule())
        self._guide_row = QVBoxLayout()
        column.addLayout(self._guide_row)
        column.addLayout(self._middle(), 1)
        self.drop_bar = QPushButton(tr("Drop load      Esc, from anywhere"))
        self.drop_bar.setProperty("kind", "drop")
        self.drop_bar.clicked.connect(self._drop)
        self.drop_bar.hide()
        column.addWidget(self.drop_bar)
        column.addWidget(rule())
        self.line = ReadingLine(session)
        column.addWidget(self.line)
        self.bench_view = BenchView(session, self)
        self.bench_view.hide()
        self._connect()
        window_keys.bind(self)
        self.setAcceptDrops(True)
        self.ahead = Ahead(self) if session.aside.threaded else None
        self.guide: GuideBar | None = None
        if first is None:
            first = PROVE if session.plan and not session.now.solved else 0
        self.go_to(first)
        if session.job.demo and session.job.name == GUIDED:
            self._begin_guide()
        self._show_job()

    def _middle(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(0)
        self.rail = StageRail(self.session)
        row.addWidget(self.rail)
        row.addWidget(rule(vertical=True))
        self.stages = QStackedWidget()
        self._made: dict[str, QWidget] = {}
        for _ in STAGES:
            self.stages.addWidget(QWidget())
        row.addWidget(self.stages, 1)
        row.addWidget(rule(vertical=True))
        self.column = QWidget()
        inner = QVBoxLayout(self.column)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(0)
        self.now_panel = NowPanel(self.session)
        self._now_rule = rule()
        self.notices = NoticeColumn(self.session)
        for widget in (self.now_panel, self._now_rule):
            inner.addWidget(widget)
        inner.addWidget(self.notices, 1)
        self.notices.filled.connect(self._give_room)
        self.notices.hold_wanted.connect(self._take_up)
        self._give_room()
        row.addWidget(self.column)
        return row

    def _give_room(self) -> None:
        """The right column gives its room back where nothing stands in it."""
        bare = self.notices.empty and STAGES[self.stage_index].id != "prove"
        self.column.setFixedWidth(theme.px(120 if bare else 252))

    def _take_up(self, place: str) -> None:
        """Bring the step that is read at a place into hand: in its own stage, or for the reading line."""
        choose = getattr(self._made.get(STAGES[self.stage_index].id), "choose_place", None)
        if choose is not None:
            choose(place)
        else:
            self.session.take_up_at(place)
        self.focus_line()

    def _connect(self) -> None:
        session = self.session
        self.rail.chosen.connect(self.go_to)
        self.session.stage_wanted.connect(self.stage)
        self.bench_view.closed.connect(self.toggle_bench_view)
        session.run_event.connect(self._on_run_event)
        session.feed.speaks.connect(DropKey(self, self._drop_at_once).listen)
        session.asked_why.connect(self._show_column)
        for signal in (
            session.job_changed,
            session.readings_changed,
            session.subject_changed,
            session.point_changed,
        ):
            signal.connect(self._show_job)
        theme.changed.connect(self._restyle)

    # -- what is shown --------------------------------------------------------------------------

    def go_to(self, index: int) -> None:
        """Show a stage; it is made when it is first gone to."""
        stage = STAGES[index]
        if stage.id not in self._made:
            self._made[stage.id] = make_stage(stage.id, self.session, self.control)
            old = present(self.stages.widget(index))
            self.stages.removeWidget(old)
            old.deleteLater()
            self.stages.insertWidget(index, self._made[stage.id])
        self.stage_index = index
        # Where a build is read, a bare figure is of its step in hand, never of a test.
        self.session.reads_tests = stage.id not in ("assemble", "wake")
        if self.session.reads_tests:
            self.session.take_up(None)
        self.stages.setCurrentIndex(index)
        self.rail.show_stage(index)
        self.notices.show_stage(stage.id)
        self.now_panel.setVisible(stage.id == "prove")
        self._now_rule.setVisible(stage.id == "prove")
        self._give_room()
        if self.guide is not None:
            self.guide.refresh()
        first = getattr(self._made[stage.id], "first_focus", None)
        (first() if first else self.rail.buttons[index]).setFocus()

    @overload
    def stage(self, stage_id: Literal["stock"]) -> "StockStage": ...
    @overload
    def stage(self, stage_id: Literal["design"]) -> "DesignStage": ...
    @overload
    def stage(self, stage_id: Literal["assemble"]) -> "AssembleStage": ...
    @overload
    def stage(self, stage_id: Literal["wake"]) -> "WakeStage": ...
    @overload
    def stage(self, stage_id: Literal["prove"]) -> "ProveStage": ...
    @overload
    def stage(self, stage_id: Literal["plate"]) -> "PlateStage": ...
    @overload
    def stage(self, stage_id: str) -> QWidget: ...
    def stage(self, stage_id: str) -> QWidget:
        """The widget of a stage, made and shown."""
        self.go_to(next(k for k, s in enumerate(STAGES) if s.id == stage_id))
        return self._made[stage_id]

    def _show_job(self) -> None:
        job = self.session.job
        self.setWindowTitle(tr("{0} – Tensimeter").format(job.name))
        self.header.show_job(self.strip.mode(), self.column.isVisible())

    def _restyle(self) -> None:
        self._give_room()
        self._fit_column()
        self.header.restyle(self.column.isVisible())

    def _on_run_event(self, event: Event) -> None:
        if event.kind == "off":
            self._say_off(event)
        elif event.kind == "started":
            self._ready_to_drop()
        if event.kind in ENDS or event.kind == "ask":
            telling.tell(self, self.session.job, event)
        self.drop_bar.setVisible(event.kind not in ENDS or self._not_off)
        self.header.mode.setText(self.strip.mode())
        if event.kind in ENDS:
            self._show_job()
        if self.bench_view.isVisible():
            self._place_bench_view()

    def _ready_to_drop(self) -> None:
        self._not_off = False
        self.drop_bar.setText(tr("Drop load      Esc, from anywhere"))
        self.drop_bar.setEnabled(True)

    def _drop(self) -> None:
        """The bar: drops the load; once it says that it is not off, a click says that one has seen to it."""
        if self._not_off:
            self._not_off = False
            self.drop_bar.hide()
            return
        self._drop_at_once()

    def _drop_at_once(self) -> None:
        self.drop_bar.setText(tr("Dropping the load …"))
        self.session.drop_load()

    def _say_off(self, event: Event) -> None:
        """How the load was left; what is not proven off stays on screen until someone has seen to it."""
        engine = self.session.engine
        self._not_off = engine is not None and not engine.load_off
        if self._not_off:
            self.drop_bar.setText(tr("NOT CONFIRMED OFF. {0} Click once it is.").format(event.text))
        else:
            self.drop_bar.setText(tr("Load off, confirmed by its amps"))

    # -- what keys do ---------------------------------------------------------------------------

    def focus_line(self) -> None:
        self.line.entry.setFocus()
        self.line.entry.selectAll()

    def escape(self) -> None:
        """Esc: drop the load first of all; else leave the bench view, else put away the why."""
        if self.session.running:
            self._drop()
        elif self.bench_view.isVisible():
            self.toggle_bench_view()
        else:
            self.notices.show_why(None)

    def ask_why(self) -> None:
        """F1: the worked answer of what has the focus."""
        focused = QApplication.focusWidget()
        worked = getattr(focused, "worked", None)
        found = worked() if callable(worked) else None
        if found is not None:
            self.session.why(found)
        elif self.session.outcome and self.session.outcome.regulation and self.stage_index == PROVE:
            self.session.why(self.session.outcome.regulation.worked()["resistance"])
        else:
            from tensimeter.ui.manual_window import show_manual

            self.line.say(tr("The manual; with a figure in hand F1 shows how it came about."), "pencil")
            self.manual = show_manual(self, self.stage_index + 1)

    def _begin_guide(self) -> None:
        from tensimeter.ui.guide_bar import guide_for

        self.guide = guide_for(self)
        if self.guide is not None:
            self._guide_row.addWidget(self.guide)

    def show_logbook(self) -> None:
        from tensimeter.ui.logbook_window import show_logbook

        show_logbook(self.session, self)

    def show_settings(self) -> None:
        from tensimeter.ui.settings_window import show_settings

        show_settings(self)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and dropped.paths_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        for path in dropped.paths_in(event.mimeData() if event else None):
            dropped.take(self, path)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """A table or a plot under the pointer can be copied and kept."""
        from tensimeter.ui.copying import offer_copy

        said = offer_copy(event.pos(), self) if event is not None else ""
        if said:
            self.line.say(said, "pencil")

    def toggle_night(self) -> None:
        theme.use(night=not theme.night)

    def _show_column(self, _: object) -> None:
        self.put_column(True)

    def toggle_column(self) -> None:
        self.put_column(self.column.isHidden())

    def put_column(self, shown: bool) -> None:
        """Show or hide the right column."""
        self.column.setVisible(shown)
        self.header.restyle(shown)

    def toggle_bench_view(self) -> None:
        if self.bench_view.isVisible():
            self.bench_view.hide()
            self.focus_line()
            return
        self._place_bench_view()
        self.bench_view.show()
        self.bench_view.raise_()
        self.drop_bar.raise_()
        self.bench_view.refresh()
        self.bench_view.entry.setFocus()

    def _place_bench_view(self) -> None:
        bar = self.drop_bar.height() + self.line.height() if self.drop_bar.isVisible() else 0
        self.bench_view.setGeometry(0, 0, self.width(), self.height() - bar)

    def _fit_column(self) -> None:
        """Below a certain width the right column steps aside; F2 brings it back."""
        narrow = self.width() < theme.px(NARROW)
        if narrow != self._narrow:
            self._narrow = narrow
            self.put_column(not narrow)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        assert event is not None
        super().resizeEvent(event)
        self._fit_column()
        self._place_bench_view()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """The load goes off before the window does; one that is not proven off is said before it closes."""
        assert event is not None
        left_on = self.session.drop_and_wait()
        if left_on and not self._not_off:
            self._not_off = True
            self.drop_bar.setText(
                tr("NOT CONFIRMED OFF. {0} Close again to leave all the same.").format(left_on)
            )
            self.drop_bar.show()
            event.ignore()
            return
        self.session.aside.stop()
        self.session.close()
        self.control.stop()
        event.accept()
        if self.around is not None and self.around.main is not None:
            # Closed from within: what stands around it goes, too.
            self.around.main = None
            self.around.close()
