"""What is worked on, with the run that may be on: begun, followed, ended with the load off."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from tensimeter.app.job_in_hand import JobInHand
from tensimeter.bench.events import ENDS, Event
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading, thinned
from tensimeter.core.testplan.evaluation import already_read

if TYPE_CHECKING:
    from tensimeter.bench.setup import Bench


#: How many scans of a run are shown while one is on; its verdict is taken from all.
MOST_SHOWN = 1500
#: How long leaving waits for the load's being off, s.
LEAVE_S = 3.0


class WorkSession(JobInHand):
    """A job in hand on which runs are made."""

    # -- the run --------------------------------------------------------------------------------

    @property
    def running(self) -> bool:
        return self.engine is not None and self.engine.alive

    def start_run(
        self,
        bench: "Bench",
        hear: Callable[[Event], None],
        *,
        present: bool = False,
        anew: bool = False,
        others_are_meant: bool = False,
    ) -> None:
        """Run the test in hand on a bench, or what is still open of it; UserError when it can't begin.

        `hear` is called in the run's own thread; who owns the session brings each event to `on_run_event`.
        """
        from tensimeter.bench.engine import RunEngine

        if self.plan is None:
            raise UserError("Choose a test first.")
        if self.running:
            raise UserError("A run is on already.")
        self.engine = RunEngine(
            self.file,
            self.plan,
            bench,
            hear,
            present=present,
            done=frozenset() if anew else already_read(self.outcome, simulated=bench.simulated),
            others_are_meant=others_are_meant,
        )
        self.bench = bench
        self._in_run, self.soak = True, None
        self._shown = thinned(self.file.readings(), MOST_SHOWN)
        self.engine.window_answers()
        self.engine.start()

    def skip_point(self) -> None:
        """Pass the point in hand over; the run goes on with the next."""
        if self.engine is not None:
            self.engine.skip()

    def hands_are_done(self) -> None:
        """What the run asked hands to do is done."""
        self.asked_of_hands = ""
        if self.engine is not None:
            self.engine.answer()

    def drop_load(self) -> None:
        self.lines.dropped()
        if self.engine is not None:
            self.engine.drop()

    def show_life(self) -> None:
        """Tell the run that the window answers."""
        if self.engine is not None:
            self.engine.window_answers()

    def on_run_event(self, event: Event) -> None:
        """Bring everything up to date, then tell the widgets."""
        if self.closed:
            return
        if event.kind == "kept":
            self._show_more(event.readings)
        elif event.step is not None:
            # What was kept may be told of when the next step has begun.
            self.step_index = event.step.index
        if event.kind == "step" and event.step is not None and self.plan is not None:
            self._follow_load(self.plan.output.id, event.step.set_A)
        if event.state is not None:
            self.soak = event.state
        if event.kind in ("kept", "wave", "warmth"):
            self._derive()
            self.listener.readings_changed()
        self.asked_of_hands = event.text if event.kind == "ask" else ""
        if event.kind in ENDS:
            self._end_run(event)
        self.listener.run_told(event)

    def _show_more(self, readings: tuple[Reading, ...]) -> None:
        """Show what was kept beside what is shown, thinned when that has doubled."""
        if self._shown is not None:
            self._shown += readings
            if len(self._shown) > self._thin_at:
                self._shown = thinned(self._shown, MOST_SHOWN)
                self._thin_at = 2 * len(self._shown) + MOST_SHOWN

    def _end_run(self, event: Event) -> None:
        self._in_run, self._shown = False, None
        self.lines.dropped()
        self.file.settle()
        if self.bench is not None:
            self.bench.close()
            self.bench = None
        if self._load_before_run is not None:
            self.load, self._load_before_run = self._load_before_run, None
        self._after_readings()
        self.listener.point_changed()
        (self.listener.said if event.kind == "complete" else self.listener.troubled)(event.text)

    def _follow_load(self, output: str, amps: float) -> None:
        """Predict the path at what the run sets: this output alone is loaded."""
        if self._load_before_run is None:
            self._load_before_run = dict(self.load)
        self.load = dict.fromkeys(self.load, 0.0)
        self.set_load(output, amps)

    def drop_and_wait(self) -> str:
        """End a run; what is not proven of its load's being off, in a sentence, empty where all is."""
        if self.engine is None or not self.engine.alive:
            return ""
        self.engine.drop()
        if not self.engine.wait_until_off(LEAVE_S) or not self.engine.load_off:
            off = self.engine.off
            return off.text if off is not None else "It is not confirmed that the load is off: look, by hand."
        return ""

    def close(self) -> None:
        """End a run with the load off, then close the file."""
        if self.engine is not None and self.engine.alive:
            self.engine.drop()
            self.engine.join(8)
        if self.bench is not None:
            self.bench.close()
        self.closed = True
        self.file.close()
