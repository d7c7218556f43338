"""The run engine: works a test in its own thread and always ends with the load off, proven by its amps.

Set, dwell until settled, read, keep, tell. Every reading is committed before it is told. Whatever
goes wrong, the load is switched off and everything kept stays kept.
"""

import contextlib
import logging
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from msgspec import Struct
from msgspec.structs import replace

from tensimeter import guard as guard_process
from tensimeter.bench import wall
from tensimeter.bench.events import Control, Crossed, Dropped, Event, Kind, Skipped, Stopped
from tensimeter.bench.familiar import must_be_known, note_instruments
from tensimeter.bench.guarding import RunGuard, StaysAwake, told_of
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.run_limits import RunLimits
from tensimeter.bench.step_context import StepContext
from tensimeter.bench.step_runner import WATCHDOG_S, StepRunner
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.procedure.notices import must_be_lifted
from tensimeter.core.testplan.equipment import load_alone_A
from tensimeter.core.testplan.step import Plan, Step
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.bench.setup import Bench

__all__ = ["WATCHDOG_S", "Event", "RunEngine", "RunLimits"]

#: How long the run's own thread has to drop the load before the guard is asked to, s.
OWN_DROP_S = 0.15


class Off(Struct, frozen=True):
    """How the load was left: off and proven so by its amps, cut by something else, or neither."""

    proven: bool
    text: str


class RunEngine:
    """One run of one test. `tell` is called from the run's own thread; steps in `done` are passed over."""

    def __init__(
        self,
        file: JobFile,
        plan: Plan,
        bench: "Bench",
        tell: Callable[[Event], None],
        limits: RunLimits | None = None,
        *,
        present: bool = False,
        done: frozenset[int] = frozenset(),
        others_are_meant: bool = False,
    ) -> None:
        if not bench.drops_by_itself and not present:
            raise UserError(
                "This load has no watchdog and the bench no independent cut, so nothing drops it if its own "
                "link dies. Run it only while you stay with it, and say so first."
            )
        most = max((sum(a > 0 for _, a in s.others) for s in plan.steps), default=0)
        if most > len(bench.others):
            raise UserError(
                f"This test loads {most + 1} outputs at once; the bench has {1 + len(bench.others)} "
                f"load{'s' if bench.others else ''}. Add [load2] to it, or take the points by hand."
            )
        alone = load_alone_A(file.job, plan.output.nominal_V)
        if file.job.campaign.parallel_loads and plan.most_A > alone * (1 + 1e-9):
            raise UserError(
                f"This test goes to {plan.most_A:.3g} A by loads in parallel, and a run sets one of them, up "
                f"to {alone:.3g} A. Take these points by hand, or take the loads beside it out of the set-up."
            )
        if bench.loads_a_supply:
            # A real supply waits for its hold points, whoever starts its run.
            must_be_lifted(file.job, file.readings(), plan.output.id)
        file.must_have_room()
        if not others_are_meant:
            must_be_known(file, bench)
        self.file, self.plan, self.bench, self._tell = file, plan, bench, tell
        self.limits = limits or RunLimits.for_plan(plan)
        self._control = Control()
        self._done, self._present = done, present
        self._run: int | None = None
        self._context = StepContext(file, plan, bench, tell, self.limits, self._control)
        self._runner = StepRunner(self._context)
        self._awake = StaysAwake()
        #: What the guard is told of the bench; empty until the run begins.
        self._told: dict[str, Any] = {}
        self._dropping = threading.Lock()
        self._known_off = threading.Event()
        #: How the load was left; None while the run is on.
        self.off: Off | None = None
        self.ended: Event | None = None
        self.finished = threading.Event()
        self._thread = threading.Thread(target=self._work, name="run", daemon=True)

    @property
    def load_off(self) -> bool:
        """Whether the load is proven off, or was never on."""
        return self.off is None or self.off.proven

    def start(self) -> None:
        self._thread.start()

    def drop(self) -> None:
        """Drop the load and end the run, at once and without a question; from any thread or handler.

        It waits for nobody: what the run is just asking is broken off, and where its own thread does not
        drop the load within a moment, the guard does.
        """
        if not self._dropping.acquire(blocking=False):
            return
        self._control.drop()
        self.bench.break_off()
        threading.Thread(target=self._see_off, name="drop", daemon=True).start()

    def window_answers(self) -> None:
        """Called by a window again and again while it answers; a run whose window hangs is ended."""
        self._control.window_seen = wall.now()

    def wait_until_off(self, seconds: float) -> bool:
        """Wait until it is known how the load was left; whether it is."""
        return wall.wait(self._known_off, seconds)

    def wait_for_end(self) -> None:
        """Wait until the run is over; signal handlers run meanwhile."""
        while not self.finished.wait(0.5):
            pass

    def pause(self) -> None:
        """Hold before the next step, with the load off."""
        self._control.running.clear()

    def resume(self) -> None:
        self._control.running.set()

    def answer(self) -> None:
        """What hands were asked to do is done."""
        self._control.answered.set()

    def skip(self) -> None:
        """Pass the point in hand over and go on with the next."""
        self._control.skip()

    @property
    def paused(self) -> bool:
        return not self._control.running.is_set()

    @property
    def alive(self) -> bool:
        return self._thread.is_alive()

    def join(self, timeout: float | None = None) -> None:
        self._thread.join(timeout)

    def scan(self, step: Step) -> list[Reading]:
        """Read every instrument once and keep the readings; they are on disk on return."""
        return self._runner.scan(step)

    # -- in the run's thread --------------------------------------------------------------------

    def _work(self) -> None:
        kind: Kind = "bug"
        text = "The run ended for a reason that was not foreseen."
        try:
            self._begin_guard()
            volts = self._runner.prepare()
            self._run = self._context.run = self.file.begin_run(self.plan.test.id, self._runner.identities)
            note_instruments(self.file, self._run, self.bench)
            self.file.log("run", f"{self.plan.test.id} begun")
            self._tell(Event("started", volts=volts, amps=0.0))
            self._runner.rest()
            read, passed = self._steps()
            kind, text = "complete", f"{read} step{'' if read == 1 else 's'} read."
            if passed:
                text += f" {passed} passed over."
        except Dropped:
            kind, text = "aborted", "The load was dropped."
        except Crossed as why:
            kind, text = "protected", str(why)
        except Stopped as why:
            kind, text = "fault", str(why)
        except (LinkFailed, UserError) as error:
            kind, text = "fault", str(error)
            guard = self._context.pulse.guard
            if self._control.stop.is_set():
                kind, text = "aborted", "The load was dropped."
            elif guard is not None and (acted := guard.fenced()):
                # What failed then is only what the guard's own questions left of the link.
                text = acted
        except Exception as error:  # the load must go off whatever happened
            logging.getLogger("tensimeter").exception("a run ended for a fault of the program")
            text = f"Something in the program failed ({type(error).__name__}: {error})."
        finally:
            self._close(kind, text)

    def _close(self, kind: Kind, text: str) -> None:
        """Load off first, then what is told of the run's end."""
        self._leave_off()
        self._runner.soaking.close()
        if self.off is not None and self.off.text:
            # Whatever was read: a run whose load did not go off when told to did not end well.
            kind = "bug" if kind == "bug" else "fault"
        if self.off is not None and (self.off.text or kind == "aborted"):
            text += f" {self.off.text or 'It is off, confirmed by its amps.'}"
        self._end(kind, text + self._runner.left_behind())

    def _begin_guard(self) -> None:
        """Have a process of its own watch over this run; without one somebody must stay."""
        self.bench.cuts = {name: cut.by_number() for name, cut in self.bench.cuts.items()}
        for load in self.bench.loads().values():
            load.reach_by_number()
        self._told = told_of(self.bench, self._context.obedience.nothing_A, self.file.path)
        if self.bench.clock.stepped:
            # Simulated, and its time stands still whenever nobody looks: there is nothing to drop.
            return
        guard = RunGuard(self._told)
        try:
            guard.start()
        except UserError as trouble:
            if not self._present:
                raise UserError(
                    f"{trouble} Run it only while you stay with it, and say so first."
                ) from trouble
            return
        self._context.pulse.guard = guard
        self._awake.start()

    def _leave_off(self) -> None:
        """Every load off, proven by amps; else by whatever cuts, else said so."""
        guard = self._context.pulse.guard
        still_on = self._runner.make_off()
        text = ""
        if still_on:
            found = guard.drop() if guard is not None else {}
            # A guard that is gone itself does nothing any more: then it is done from here.
            found = found if "off" in found else guard_process.drop(self._told or self._told_late())
            text = self._not_proven(found, still_on)
            still_on = () if found.get("off") else still_on
        self._say_off(Off(not still_on, text))
        if not still_on:
            self._context.pulse.disarm()
        if guard is not None:
            guard.leave()
        self._awake.end()
        for instrument in (self.bench.line, self.bench.hands):
            # Spoken to once more, to set back what was moved; a link that is dead says so there.
            with contextlib.suppress(LinkFailed):
                if instrument is not None:
                    instrument.calm()

    def _told_late(self) -> dict[str, Any]:
        """What can be told of a bench whose hosts were not all found: the guard passes over the rest."""
        with contextlib.suppress(UserError):
            return told_of(self.bench, self._context.obedience.nothing_A, self.file.path)
        cuts = [cut.told(name) for name, cut in self.bench.cuts.items()]
        return {"loads": [], "cuts": cuts}

    def _not_proven(self, found: dict[str, object], roles: tuple[str, ...]) -> str:
        if found.get("off"):
            return guard_process.sentence(found, "it did not obey at once")
        if found.get("cut"):
            return guard_process.sentence(found, "the load did not obey")
        if all(self.bench.loads()[role].has_watchdog for role in roles):
            return f"The load does not answer; its watchdog drops it within {WATCHDOG_S} s. See that it did."
        return "THE LOAD DOES NOT ANSWER AND MAY STILL BE ON: switch the supply off by hand now."

    def _say_off(self, off: Off) -> None:
        self.off = off
        self._known_off.set()
        try:
            said = off.text or "off, confirmed"
            self._tell(Event("off", self._context.step, text=said, at_s=self._context.since()))
        except Exception:  # a listener's own fault must not keep the run from ending
            logging.getLogger("tensimeter").exception("a listener failed")

    def _see_off(self) -> None:
        """In a thread of its own: where the run's does not drop the load in time, have the guard do it."""
        if wall.wait(self._known_off, OWN_DROP_S):
            return
        guard = self._context.pulse.guard
        if guard is not None:
            guard.drop()

    def _steps(self) -> tuple[int, int]:
        """Take every open step; how many were read and how many the user passed over."""
        read = passed = 0
        for step in self.plan.steps:
            if step.index in self._done:
                continue
            try:
                read += self._runner.take(step)
            except Skipped:
                passed += 1
                self._context.let_go()
                self._tell(Event("skipped", step, at_s=self._context.since()))
        return read, passed

    def _end(self, kind: Kind, text: str) -> None:
        if self._run is not None:
            text += " All readings taken were kept."
            try:
                self.file.run_event(self._run, kind, text)
                self.file.log("run", f"{self.plan.test.id} {kind}: {text}")
            except UserError as trouble:
                text += f" The end of the run could not be noted: {trouble}"
        self.ended = replace(Event(kind, self._context.step), text=text, at_s=self._context.since())
        try:
            self._tell(self.ended)
        finally:
            self.finished.set()
