"""The Wake stage: a ladder of steps, each with its gauge, its stop condition, what a wrong value means."""

import zlib

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tensimeter.app.hand import hand_of_power_up
from tensimeter.core.analysis.leakage import LIMIT_A
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import PRETENDED
from tensimeter.core.model.assembly_edits import with_assembly
from tensimeter.core.procedure.causes import causes
from tensimeter.core.procedure.first_power import (
    LIMITERS,
    PowerUpResult,
    bare_seconds,
    power_up_results,
    touch_class,
    touches,
)
from tensimeter.core.procedure.practice import Practice, mistakes
from tensimeter.core.quantity import show, with_uncertainty
from tensimeter.demo.library import demo_mistakes
from tensimeter.ui.parts.next_act import NextAct
from tensimeter.ui.parts.running_choice import RunningChoice
from tensimeter.ui.parts.step_entry import StepEntry
from tensimeter.ui.parts.text import Field, clear, label, rule, tip
from tensimeter.ui.parts.verdict_square import mark_verdict
from tensimeter.ui.parts.when_seen import WhenSeen
from tensimeter.ui.parts.words import tr
from tensimeter.ui.session import Session
from tensimeter.ui.theme import theme
from tensimeter.ui.wake.settings_register import SettingsRegister


class WakeStage(QWidget):
    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.step_id = "look"
        self.found: list[PowerUpResult] = []
        row = QHBoxLayout(self)
        row.setContentsMargins(theme.px(20), theme.px(12), theme.px(10), 0)
        row.setSpacing(theme.px(14))
        row.addLayout(self._left())
        row.addWidget(rule(vertical=True))
        row.addWidget(self._middle(), 1)
        session.job_changed.connect(WhenSeen(self, self.refresh).take)
        session.readings_changed.connect(WhenSeen(self, self.after_reading).take)
        theme.changed.connect(WhenSeen(self, self.refresh).take)
        self.refresh()

    def first_focus(self) -> QWidget:
        return self.steps

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(theme.px(3))
        column.addWidget(label(tr("First power"), "heading"))
        self.steps = QTreeWidget()
        self.steps.setHeaderHidden(True)
        self.steps.setRootIsDecorated(False)
        self.steps.setFixedWidth(theme.px(250))
        self.steps.setAccessibleName(tr("steps of first power"))
        self.steps.currentItemChanged.connect(self._on_current)
        column.addWidget(self.steps, 1)
        column.addWidget(label(tr("before first power stands"), "caption"))
        self.limiter = QComboBox()
        self.limiter.setAccessibleName(tr("what stands before first power"))
        for key in LIMITERS:
            self.limiter.addItem(key.replace("_", " "), key)
        self.limiter.activated.connect(self._choose_limiter)
        column.addWidget(self.limiter)
        column.addWidget(label(tr("practise on the simulated supply"), "caption"))
        self.practice = QComboBox()
        self.practice.setAccessibleName(tr("practise on the simulated supply"))
        self.practice.addItem(tr("no, this is the real one"), None)
        self.practice.addItem(tr("put together rightly"), -1)
        self.practice.addItem(tr("with a hidden mistake"), 0)
        self.practice.addItem(tr("with another mistake"), 1)
        self.practice.activated.connect(self._choose_practice)
        column.addWidget(self.practice)
        self.bench_file = Field()
        self.bench_file.setPlaceholderText(tr("bench file, if a meter is to read"))
        self.bench_file.setAccessibleName(tr("bench file whose voltmeter reads"))
        self.bench_file.editingFinished.connect(self._take_bench)
        column.addWidget(self.bench_file)
        column.addWidget(RunningChoice(self.session))
        return column

    def _middle(self) -> QWidget:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, theme.px(8), theme.px(8))
        self.title = label("", "heading", wrap=True)
        self.do = label("", wrap=True)
        self.probe = label("", "strong", wrap=True)
        self.stop = label("", wrap=True)
        for widget in (self.title, self.do, self.probe):
            column.addWidget(widget)
        self.next_act = NextAct(self.session, "wake")
        column.addWidget(self.next_act)
        self.looked = QPushButton(tr("looked over, all of it"))
        self.looked.clicked.connect(self._looked_over)
        column.addWidget(self.looked)
        self.entry = StepEntry(self.session)
        column.addWidget(self.entry)
        column.addWidget(self.stop)
        box = QWidget()
        self._means = QVBoxLayout(box)
        self._means.setContentsMargins(0, 0, 0, 0)
        column.addWidget(box)
        column.addSpacing(theme.px(10))
        self.notes = label("", "caption", wrap=True)
        column.addWidget(self.notes)
        self.settings = SettingsRegister(self.session)
        column.addWidget(self.settings)
        column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(inside)
        return scroll

    # -- what is shown --------------------------------------------------------------------------

    def refresh(self) -> None:
        job = self.session.job
        self.found = power_up_results(job, self.session.now.readings, self.session.job_of)
        ids = [w.step.id for w in self.found]
        if self.step_id not in ids:
            self.step_id = ids[0] if ids else ""
        self.limiter.setCurrentIndex(self.limiter.findData(job.assembly.limiter))
        self.steps.blockSignals(True)
        self.steps.clear()
        for woken_ in self.found:
            step = woken_.step
            marks = [m for m, there in (("hold", step.hold), ("earlier design", woken_.earlier)) if there]
            if woken_.reading is not None and woken_.reading.origin in PRETENDED:
                marks.append(woken_.reading.origin)
            item = QTreeWidgetItem([step.title + (f"  · {', '.join(marks)}" if marks else "")])
            mark_verdict(item, 0, woken_.verdict)
            item.setData(0, Qt.ItemDataRole.UserRole, step.id)
            item.setToolTip(0, tip(f"{step.title}: {woken_.verdict.words}"))
            self.steps.addTopLevelItem(item)
            if step.id == self.step_id:
                self.steps.setCurrentItem(item)
        self.steps.blockSignals(False)
        self._show_step()

    def after_reading(self) -> None:
        """A reading that holds leads on to the next step that is open."""
        self.found = power_up_results(self.session.job, self.session.now.readings, self.session.job_of)
        ids = [w.step.id for w in self.found]
        if self.step_id in ids and self.found[ids.index(self.step_id)].verdict is Verdict.CONFORMS:
            later = self.found[ids.index(self.step_id) + 1 :]
            after = next((w for w in later if w.verdict is not Verdict.CONFORMS), None)
            self.step_id = after.step.id if after else self.step_id
        self.refresh()

    def _in_hand(self) -> PowerUpResult | None:
        return next((w for w in self.found if w.step.id == self.step_id), None)

    def _show_step(self) -> None:
        clear(self._means)
        self.next_act.refresh()
        here = self._in_hand()
        if here is None:
            self.title.setText(tr("Nothing to wake yet"))
            self.do.setText(
                tr("The steps follow from a design: join a source and what it feeds in Design first.")
            )
            self.looked.hide()
            return
        step = here.step
        self.title.setText(step.title)
        self.do.setText(step.do)
        self.probe.setText(tr("Probe {0}.").format(step.probe) if step.band else "")
        self.stop.setText(tr("Stop: {0}").format(step.stop))
        self.stop.setStyleSheet(f"color: {theme.colours.miss};")
        self.looked.setVisible(step.band is None)
        self.looked.setEnabled(here.verdict is not Verdict.CONFORMS)
        self.entry.setVisible(step.band is not None)
        if here.earlier:
            self._say(
                tr("Measured against an earlier design: it is judged anew here. Read it again if in doubt."),
                "hold",
            )
        likely = causes(self.session.job, here)[:3]
        if likely:
            self._means.addWidget(label(tr("It usually means, the likeliest first:"), "caption"))
        for cause in likely:
            self._say(cause.words, "miss")
        self._show_notes(here)
        self.session.take_up(hand_of_power_up(here))

    def _say(self, words: str, colour: str) -> None:
        made = label(words, wrap=True)
        made.setStyleSheet(f"color: {getattr(theme.colours, colour)};")
        self._means.addWidget(made)

    def _show_notes(self, here: PowerUpResult) -> None:
        job = self.session.job
        lines = []
        if here.step.id.startswith("alone"):
            lines.append(f"Chosen to stand before first power: {LIMITERS[job.assembly.limiter]}.")
        bare = bare_seconds(job).get(here.step.link or "")
        if here.step.id.startswith("trim") and bare is not None:
            lines.append(
                f"Before its sink is on it stands full load for some {show(bare, 's', 2)} (rule of thumb)."
            )
        taken = touches(job, self.session.now.readings)
        if here.step.id.startswith("earth") and taken:
            found = taken[-1]
            source = show(found.source_capacitance_F.value, "F", 2)
            lines.append(
                f"Source {show(found.source_V.value, 'V', 3)} behind {source}; "
                f"{with_uncertainty(found.touch_current_A.value, found.touch_current_A.half_width, 'A')} "
                f"through a hand, of {show(LIMIT_A[touch_class(job)], 'A')} usual for {touch_class(job)}."
            )
            if len(taken) > 1:
                lines.append(
                    f"The pair before: {show(taken[-2].touch_current_A.value, 'A', 2)} through a hand."
                )
            lines += found.warnings
        self.notes.setText("\n".join(lines))
        self.notes.setVisible(bool(lines))

    # -- hands ----------------------------------------------------------------------------------

    def choose(self, step_id: str) -> None:
        self.step_id = step_id
        self.refresh()

    def choose_place(self, place: str) -> None:
        """Bring the step whose reading is filed at a place into hand."""
        found = next((w.step.id for w in self.found if w.step.place == place), None)
        if found is not None:
            self.choose(found)

    def _on_current(self, item: QTreeWidgetItem | None, _: object) -> None:
        if item is not None:
            self.choose(item.data(0, Qt.ItemDataRole.UserRole))

    def _looked_over(self) -> None:
        job = self.session.job
        looked = tuple(dict.fromkeys((*job.assembly.looked_over, "look")))
        if self.session.edit("looked over before first power", with_assembly(job, looked_over=looked)):
            self.after_reading()

    def _choose_limiter(self) -> None:
        job = self.session.job
        chosen = self.limiter.currentData()
        self.session.edit(
            f"first power behind: {chosen.replace('_', ' ')}", with_assembly(job, limiter=chosen)
        )

    def _choose_practice(self) -> None:
        """Put the simulated supply together, rightly or with a mistake that is not told."""
        which, job = self.practice.currentData(), self.session.job
        made = [*demo_mistakes(job), *mistakes(job)]
        if which is None:
            self.session.practice = None
        elif which < 0 or not made:
            self.session.practice = Practice(job)
        else:
            # The one that comes with a demo, then another; for the builder's own, by its name.
            start = 0 if demo_mistakes(job) else zlib.crc32(job.name.encode())
            self.session.practice = made[(start + 2 * which) % len(made)]
        self.session.hand_is_same()

    def _take_bench(self) -> None:
        self.session.bench_file = self.bench_file.text().strip()
        self.entry.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()
