"""What is worked on: the open job, its readings, the subject, the test and the step in hand."""

from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from tensimeter.app.asked_conditions import unsaid
from tensimeter.app.deeds import Corrected, Deeds
from tensimeter.app.derived import Derived
from tensimeter.app.hand import Hand, hand_at
from tensimeter.app.imported_readings import (
    Moment,
    import_from_meter,
    import_practice,
    import_typed,
    import_waveform,
)
from tensimeter.app.typed_lines import Line, TypedLines, state_summary
from tensimeter.bench.events import Event
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.correction_line import Correction
from tensimeter.core.errors import Doubtful, UserError
from tensimeter.core.guarded import guarded
from tensimeter.core.measurement.readings import Measurand, Origin, Reading
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import open_state
from tensimeter.core.model.tests import Test
from tensimeter.core.notice import Notice
from tensimeter.core.readingline import Understood, at_place, is_bare, understand
from tensimeter.core.standing import Standing
from tensimeter.core.testplan.destination import destination, in_hand_of
from tensimeter.core.testplan.evaluation import contradiction_of
from tensimeter.core.testplan.registry import kind_of
from tensimeter.core.testplan.step import Outcome, Plan
from tensimeter.core.testplan.taken import is_set_to, near_own
from tensimeter.store.corrections import correct
from tensimeter.store.entries import LogEntry
from tensimeter.store.jobfile import JobFile
from tensimeter.store.waves import WaveBook

if TYPE_CHECKING:
    from tensimeter.bench.engine import RunEngine
    from tensimeter.bench.setup import Bench
    from tensimeter.core.heatup.soak_state import SoakState
    from tensimeter.core.procedure.practice import Practice
    from tensimeter.store.logs import Log, TemperatureLog
    from tensimeter.store.waveforms import Waveform


#: What is asked after an edit of what is electrical, once something was read.
ASKED = (
    "Was the supply changed as well, or only its description? Type “supply changed” or “only described”: "
    "until then nothing read before counts for it."
)


class Listener(Protocol):
    """Who is told of what has changed; a window tells its widgets, a command prints."""

    def job_changed(self) -> None: ...
    def readings_changed(self) -> None: ...
    def subject_changed(self) -> None: ...
    def point_changed(self) -> None: ...
    def hand_changed(self) -> None: ...
    def logged(self) -> None: ...
    def run_told(self, event: Event) -> None: ...
    def said(self, text: str) -> None: ...
    def troubled(self, text: str) -> None: ...


class JobInHand:
    """The open job, its readings, the subject and the step in hand; it tells its listener of change."""

    def __init__(self, file: JobFile, listener: Listener) -> None:
        self.listener = listener
        self.file = file
        self.book = WaveBook(file)
        self.deeds = Deeds(file)
        #: The lines typed so far, and what stands for the next.
        self.lines = TypedLines(file)
        #: The log that was asked about; brought once more it is taken.
        self._asked_about = ""
        self.subject: str | None = None
        self.test_id: str | None = None
        self.step_index = 0
        self.hand_meter: str | None = None
        #: The step in hand of Assemble or Wake; None where a test is.
        self.hand: Hand | None = None
        #: Whether a bare figure without a step of its own is of the test in hand.
        self.reads_tests = True
        #: The supply that is practised on, put together rightly or not; None on a real one.
        self.practice: Practice | None = None
        #: A bench file whose voltmeter may read the step in hand; empty without one.
        self.bench_file = ""
        self.engine: RunEngine | None = None
        #: What the run waits for hands to do; empty while it waits for nothing.
        self.asked_of_hands = ""
        self.bench: Bench | None = None
        self._load_before_run: dict[str, float] | None = None
        self._in_run = False
        #: What the run has told of a soak.
        self.soak: SoakState | None = None
        #: Thinned readings while a run goes on; None otherwise.
        self._shown: list[Reading] | None = None
        self._thin_at = 0
        self.load: dict[str, float] = full_load(self.job)
        self._derive()
        tests = self.job.campaign.tests
        if tests:
            self.choose_test(tests[0].id)
        self.closed = False

    @property
    def job(self) -> Job:
        return self.file.job

    def _derive(self) -> None:
        before: Derived | None = getattr(self, "now", None)
        same = before if before is not None and before.job is self.job else None
        self.now = Derived(
            self.job,
            self.file.readings() if self._shown is None else self._shown,
            self.load,
            same.plans if same else None,
            waves=self.book.waves(),
            judged=same.judged if same else None,
            running=(self.test_id, self.soak) if self._in_run and self.test_id else None,
            read_before=before.so_far if before is not None else None,
        )

    # -- the document ---------------------------------------------------------------------------

    def edit(self, name: str, job: Job) -> bool:
        """Keep an edit; whether it was kept (a sentence is shown where it was not)."""
        try:
            if job == self.job:
                return True
            before = open_state(self.job)
            self.file.edit(name, job)
            self.deeds.edited()
        except UserError as trouble:
            self.listener.troubled(str(trouble))
            return False
        asked = open_state(self.job)
        self._after_job_change()
        if asked is not None and asked != before:
            self.listener.said(ASKED)
        return True

    def undo(self) -> None:
        self._travel(self.deeds.undo, "undone")

    def redo(self) -> None:
        self._travel(self.deeds.redo, "done again")

    def _travel(self, move: object, word: str) -> None:
        self.lines.taken_back()
        try:
            name = move()  # type: ignore[operator]
            if name:
                self.file.log("edit", f"{name}: {word}")
        except UserError as trouble:
            self.listener.troubled(str(trouble))
            return
        self._after_job_change()
        self._after_readings()

    def _after_job_change(self) -> None:
        known = {o.id: o.full_load_A for o in self.job.design.outputs()}
        before = {o.id: o.full_load_A for o in self.now.job.design.outputs()}
        # Who looks at full load goes on looking at it when that is changed.
        moved = {k for k, v in known.items() if self.load.get(k) == before.get(k) != v}
        self.load = {k: v if k in moved else self.load.get(k, v) for k, v in known.items()}
        self._derive()
        if self.test_output is None:
            tests = (t for t in self.job.campaign.tests if t.output in known)
            self.test_id = next((t.id for t in tests), None)
            self.step_index = 0
        if self.subject not in {link.id for link in self.job.design.links}:
            self.subject = None
        self.listener.job_changed()
        self.listener.logged()

    # -- the subject ----------------------------------------------------------------------------

    def choose(self, link_id: str | None) -> None:
        """Make a link the subject of workspace and right column."""
        if link_id != self.subject:
            self.subject = link_id
            self.listener.subject_changed()

    @property
    def output_id(self) -> str | None:
        """The output in hand: the subject, the first one it feeds, or that of the test."""
        outputs = self.job.design.outputs()
        for output in outputs:
            path = [link.id for link in self.job.design.path_to(output.id)]
            if self.subject == output.id or (self.subject in path and len(path) > 1):
                test_output = self.test_output
                shared = [
                    o.id for o in outputs if self.subject in [p.id for p in self.job.design.path_to(o.id)]
                ]
                return test_output if test_output in shared else output.id
        return self.test_output or (outputs[0].id if outputs else None)

    def set_load(self, output: str, amps: float) -> None:
        """Move the operating point of one output, at its own volts."""
        self.load = {**self.load, output: max(amps, 0.0)}
        self.now = self.now.with_load(self.load)
        self.listener.point_changed()

    def try_point(self, output: str, volts: float, amps: float) -> None:
        """Move the operating point of one output to volts it may be set to; the design stays as it is."""
        self.load = {**self.load, output: max(amps, 0.0)}
        self.now = self.now.with_load(self.load, (output, volts))
        self.listener.point_changed()

    # -- the test in hand -----------------------------------------------------------------------

    @property
    def plan(self) -> Plan | None:
        return self.now.plan(self.test_id)

    @property
    def outcome(self) -> Outcome | None:
        return self.now.outcome(self.test_id)

    @property
    def test(self) -> Test | None:
        return next((t for t in self.job.campaign.tests if t.id == self.test_id), None)

    @property
    def test_output(self) -> str | None:
        """The output of the test in hand; None where there is none, or it has gone."""
        test = self.test
        known = test is not None and any(o.id == test.output for o in self.job.design.outputs())
        return test.output if test is not None and known else None

    def choose_test(self, test_id: str) -> None:
        self.test_id = test_id
        self.step_index = self._next_step()
        plan_ = self.plan
        if plan_:
            self.subject = plan_.output.id
        self.listener.subject_changed()

    def choose_step(self, index: int) -> None:
        if index != self.step_index:
            self.step_index = index
            self.listener.subject_changed()

    def _next_step(self) -> int:
        plan_ = self.plan
        if plan_ is None:
            return 0
        return self.now.so_far.next_step(plan_)

    # -- readings -------------------------------------------------------------------------------

    def line(self, text: str) -> Line:
        """What a typed line means: a reading, what stands from now on, or a new state of the supply."""
        return self.lines.understood(text, self.output_id, self.understood)

    def take_line(self, line: Line) -> list[Reading]:
        """Keep what a line says; UserError when it can't be kept."""
        if line.said.changed or line.said.answer:
            self.lines.keep(line, self._import)
            self.deeds.edited()
            self._after_job_change()
            self._after_readings()
            return []
        kept = self.lines.keep(line, self._import)
        words = f"{line.summary}, typed" if line.readings else state_summary(line)
        if kept:
            self._noted(kept, words, kept[0].step if kept[0].test == self.test_id else None)
        self.listener.point_changed()
        return kept

    def contradiction(self, kept: list[Reading]) -> str:
        """What the design can't explain of what was just kept, in words; empty where it can."""
        plans = [p for p in (self.plan, *self.other_plans) if p is not None]
        return guarded(
            "What the design foretells", lambda: contradiction_of(self.job, plans, kept), lambda _: ""
        )

    def take_typed(self, line: Understood) -> list[Reading]:
        """Keep a reading by itself; UserError when it can't be kept."""
        kept = self._import(line, None)
        self._noted(kept, f"{line.summary}, typed", kept[0].step if kept[0].test == self.test_id else None)
        return kept

    def _import(self, line: Understood, moment: Moment | None, origin: Origin = "typed") -> list[Reading]:
        return import_typed(
            self.file,
            line,
            self.plan,
            instrument=self.hand_meter,
            step=self.step_index,
            others=self.other_plans,
            read=self.now.so_far if self._shown is None else None,
            moment=moment,
            origin=origin,
        )

    @property
    def as_asked(self) -> str:
        """What the step in hand asks for, as a line that says so; empty where that stands already."""
        plan_ = self.plan
        if plan_ is None or self.hand is not None or self.step_index >= len(plan_.steps):
            return ""
        return unsaid(self.job, plan_, plan_.steps[self.step_index], self.lines.standing)

    def take_simulated(self, text: str) -> list[Reading]:
        """Keep what a simulated supply reads, marked as that; UserError when it can't be kept."""
        line = self.line(text)
        kept = self.lines.keep(line, lambda reading, moment: self._import(reading, moment, "simulated"))
        words = line.summary if line.readings else state_summary(line)
        self._noted(kept, f"{words}, simulated", None)
        return kept

    @property
    def other_plans(self) -> list[Plan]:
        """The plans of the tests that are not in hand, in the campaign's order."""
        found = (self.now.plan(t.id) for t in self.job.campaign.tests if t.id != self.test_id)
        return [plan for plan in found if plan is not None]

    def understood(self, text: str) -> Understood:
        """What a typed line means with what is in hand; UserError where it means nothing."""
        if self.hand is not None and is_bare(text):
            return at_place(self.hand.place, self.hand.name, self.hand.quantity, text)
        if not self.reads_tests and is_bare(text):
            raise UserError(
                "Nothing is read at the step in hand, so nothing was kept: choose one that is read, "
                "or name the place before the figure."
            )
        in_hand = in_hand_of(self.plan, self.step_index, self.output_id)
        return understand(self.job, text, in_hand, self.now.so_far.places, self.now.numbered)

    @property
    def minded(self) -> list[Notice]:
        """What is to be minded, as it is known now."""
        return self.now.notices

    def where(self, line: Understood, stands: Standing | None = None) -> str:
        """In words where a reading will be kept, with the conditions that stand for it."""
        stands = stands or self.lines.standing
        lifts = next((n for n in self.minded if n.lifted_by == line.place and n.kind == "hold"), None)
        if self.hand is not None and line.place == self.hand.place:
            return f"{self.hand.title}, {self.hand.name}"
        if lifts is not None:
            return f"for the hold “{lifts.title}”"
        output = next((o for o in self.job.design.outputs() if o.id == line.place), None)
        set_V = stands.set_V.get(line.place)
        if output is not None and set_V is not None and not is_set_to(set_V, output.nominal_V):
            known = "" if line.at_A is not None else "; at what current? @unloaded, or such as @4A"
            return f"{output.name}, a point at {set_V:g} V{known}"
        if (
            output is not None
            and set_V is None
            and line.quantity == "V"
            and not near_own(self.job, output, line.value)
        ):
            such = f"set {float(f'{line.value:.2g}'):g}V"
            asked = "at what current, and set to what? @unloaded " if line.at_A is None else "set to what? "
            return f"{asked}{such}, or such"
        plans = [p for p in (self.plan, *self.other_plans) if p is not None]
        found = destination(self.job, line, plans, self.now.so_far, self.step_index)
        if found.plan is None or found.step is None or not kind_of(found.plan.test).by_conditions:
            return found.words
        asked = unsaid(self.job, found.plan, found.plan.steps[found.step], stands)
        return f"{found.words}, once it is said: {asked}" if asked else found.words

    def _noted(self, kept: list[Reading], words: str, step: int | None = None) -> None:
        """What follows once facts were kept: a line in the logbook, and a way back."""
        self.file.log("reading", words)
        self.file.settle()
        self.deeds.kept(words, kept)
        if self.hand is not None and self.hand.once and any(r.place == self.hand.place for r in kept):
            self.take_up(None)
        self._after_readings(step)

    def correct(self, wanted: Correction) -> str:
        """Strike or replace what was kept; what was done. UserError when it can't be."""
        struck = {what: set(self.file.struck(what)) for what in ("reading", "wave")}
        known = len(self.file.facts())
        said = correct(self.file, wanted)
        self.lines.taken_back()
        gone = {what: tuple(set(self.file.struck(what)) - before) for what, before in struck.items()}
        instead = tuple(r.id for r in self.file.facts()[known:] if r.id is not None)
        self.deeds.corrected(
            Corrected(wanted.words, gone["reading"], gone["wave"], wanted.reason or "moved", instead)
        )
        self.file.settle()
        self._after_readings()
        return said

    def hand_is_same(self) -> None:
        """What is shown of the step in hand is drawn anew."""
        self.listener.hand_changed()

    def look_again(self) -> None:
        """What is shown of the subject is drawn anew."""
        self.listener.subject_changed()

    def take_up(self, hand: Hand | None) -> None:
        """Make a step of Assemble or Wake the one in hand."""
        if hand != self.hand:
            self.hand = hand
            self.listener.hand_changed()

    def take_up_at(self, place: str) -> bool:
        """Make the step that is read at a place the one in hand; whether there is one."""
        self.take_up(hand_at(self.job, self.now.readings, self.job_of, place))
        return self.hand is not None

    def job_of(self, reading: Reading) -> Job | None:
        """The job as it stood when a reading was taken."""
        return self.file.job_at_reading(reading.id) if reading.id is not None else None

    def take_practice(self, place: str, name: str, quantity: Measurand) -> None:
        """Take a reading from the practice supply; it is kept, marked as practice."""
        if self.practice is None:
            raise UserError("The practice supply has nothing to read there.")
        self._noted(*import_practice(self.file, self.practice, place, name, quantity, self.hand_meter))

    def take_from_meter(self, place: str, name: str) -> None:
        """Read the bench's voltmeter once and keep it at a place; UserError when it gives nothing."""
        self._noted(*import_from_meter(self.file, Path(self.bench_file), place, name))

    def take_at(self, place: str, name: str, quantity: Measurand, text: str) -> list[Reading]:
        """Keep a figure typed where its place and quantity are known already; UserError when it is none."""
        line = at_place(place, name, quantity, text)
        kept = import_typed(self.file, line, None, instrument=self.hand_meter)
        self._noted(kept, f"{line.summary}, typed")
        return kept

    def take_wave(self, wave: "Waveform", source: str) -> None:
        """File a waveform under the step in hand; UserError where the step asks for none."""
        number = import_waveform(self.file, wave, self.plan, self.step_index, source)
        words = f"waveform of {len(wave.volts)} samples from {source}"
        self._noted([], words)
        self.deeds.done.pop()
        self.deeds.kept_wave(words, number)

    def take_log(self, log: "Log | TemperatureLog", source: str) -> int:
        """File a log's rows under the test in hand; the number of rows. UserError when it can't."""
        # How logs are read is loaded with the first that comes.
        from tensimeter.app.imported_temperatures import import_any_log

        if self.plan is None:
            raise UserError("Choose a test first; the log is filed under it.")
        accept = self._asked_about == source
        try:
            heats = kind_of(self.plan.test).heats
            stands = self.lines.of_log(self.plan.output.id, loaded=heats)
            kept = import_any_log(self.file, log, self.plan, source, accept=accept, conditions=stands)
        except Doubtful as doubtful:
            self._asked_about = source
            raise UserError(f"{doubtful} Bring it once more to take it all the same.") from doubtful
        self._asked_about = ""
        rows = len({r.scan for r in kept})
        self._noted(kept, f"{rows} rows from {source}")
        return rows

    def is_plain_heat(self, log: "TemperatureLog") -> bool:
        """Whether the places of a log of heat are known without asking."""
        from tensimeter.app.imported_temperatures import is_plain

        return self.plan is not None and is_plain(self.file, log, self.plan)

    def places_of_heat(self) -> dict[str, str]:
        """The places that a column of a log of heat may be of, by id, with their names."""
        from tensimeter.app.imported_temperatures import places_of_heat

        return places_of_heat(self.file, self.plan) if self.plan is not None else {}

    def note(self, kind: str, text: str) -> None:
        """Write a line into the logbook; remarks are printed on the data sheet."""
        try:
            self.file.log(kind, text)
        except UserError as trouble:
            self.listener.troubled(str(trouble))
        self.listener.logged()

    def _after_readings(self, step: int | None = None) -> None:
        """All that follows from new readings; a step that is held, or not yet done, stays in hand."""
        self._derive()
        self.step_index = self._next_step()
        if self.plan is not None and step is not None:
            held = self.plan.steps[step].hold_s is not None
            if held or step not in self.now.so_far.done(self.plan):
                self.step_index = step
        self.listener.readings_changed()
        self.listener.logged()

    def logbook(self, last: int = 200) -> list[LogEntry]:
        return self.file.logbook(last)
