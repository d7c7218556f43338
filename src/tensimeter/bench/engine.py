"""The run engine: works a test in its own thread and always ends with the load off.

Set, dwell until settled, read, keep, tell. Every reading is committed before it is told. Whatever
goes wrong, the load is switched off and everything kept stays kept.
"""

import threading
from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from tensimeter.bench.events import Control, Crossed, Dropped, Event, Kind, Skipped
from tensimeter.bench.guard import Guard
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.taking import WATCHDOG_S, Taking
from tensimeter.core.campaign import Plan, Step
from tensimeter.core.errors import Trouble
from tensimeter.core.verify.readings import Reading
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.bench.setup import Bench

__all__ = ["WATCHDOG_S", "Event", "Guard", "RunEngine"]


class RunEngine:
    """One run of one test. `tell` is called from the run's own thread; steps in `done` are passed over."""

    def __init__(
        self,
        file: JobFile,
        plan: Plan,
        bench: "Bench",
        tell: Callable[[Event], None],
        guard: Guard | None = None,
        *,
        present: bool = False,
        done: frozenset[int] = frozenset(),
    ) -> None:
        if not bench.load.has_watchdog and not present:
            raise Trouble(
                "This load has no watchdog, so nothing drops it if this computer stops. Run it "
                "only while you stay with it, and say so first."
            )
        most = max((sum(a > 0 for _, a in s.others) for s in plan.steps), default=0)
        if most > len(bench.others):
            raise Trouble(
                f"This test loads {most + 1} outputs at once; the bench has {1 + len(bench.others)} "
                f"load{'s' if bench.others else ''}. Add [load2] to it, or take the points by hand."
            )
        self.file, self.plan, self.bench, self._tell = file, plan, bench, tell
        self.guard = guard or Guard.for_plan(plan)
        self._control = Control()
        self._done = done
        self._run: int | None = None
        self._taking = Taking(file, plan, bench, tell, self.guard, self._control)
        self.load_off = True
        self.ended: Event | None = None
        self._thread = threading.Thread(target=self._work, name="run", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def drop(self) -> None:
        """Drop the load and end the run, at once and without a question."""
        self._control.drop()

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
        return self._taking.scan(step)[0]

    # -- in the run's thread --------------------------------------------------------------------

    def _work(self) -> None:
        kind: Kind = "failed"
        text = "The run ended for a reason that was not foreseen."
        try:
            volts = self._taking.prepare()
            self._run = self._taking.run = self.file.begin_run(self.plan.test.id, self._taking.identities)
            self._tell(Event("started", volts=volts, amps=0.0))
            self._taking.rest()
            read, passed = self._steps()
            kind, text = "done", f"{read} step{'' if read == 1 else 's'} read."
            if passed:
                text += f" {passed} passed over."
        except Dropped:
            kind, text = "aborted", "The load was dropped."
        except Crossed as crossed:
            text = str(crossed)
        except (LinkFailed, Trouble) as error:
            text = str(error)
        except Exception as error:  # the load must go off whatever happened
            text = f"Something in the program failed ({type(error).__name__}: {error})."
        finally:
            self.load_off = self._taking.make_off()
            self._taking.soaking.close()
            if not self.load_off:
                text += " " + self._taking.cannot_switch_off()
            text += self._taking.left_behind()
            self._end(kind, text)

    def _steps(self) -> tuple[int, int]:
        """Take every open step; how many were read and how many the user passed over."""
        read = passed = 0
        for step in self.plan.steps:
            if step.index in self._done:
                continue
            try:
                read += self._taking.take(step)
            except Skipped:
                passed += 1
                self._taking.let_go()
                self._tell(Event("skipped", step, at_s=self._taking.since()))
        return read, passed

    def _end(self, kind: Kind, text: str) -> None:
        if self._run is not None:
            text += " All readings taken were kept."
            try:
                self.file.run_event(self._run, kind, text)
            except Trouble as trouble:
                text += f" The end of the run could not be noted: {trouble}"
        self.ended = replace(Event(kind, self._taking.step), text=text, at_s=self._taking.since())
        self._tell(self.ended)
