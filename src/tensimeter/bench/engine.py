"""The run engine: works a test in its own thread and always ends with the load off.

Set, dwell until settled, read, keep, tell. Every reading is committed before it is told. Whatever
goes wrong, the load is switched off and everything kept stays kept.
"""

import math
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from tensimeter.bench.roles import LinkFailed
from tensimeter.core.campaign import Plan, Step
from tensimeter.core.errors import Trouble
from tensimeter.core.verify.readings import Quantity, Reading, accuracy_of
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.bench.setup import Bench

#: The load's watchdog, in real seconds; shorter than the two in which a load must be off.
WATCHDOG_S = 1.5
#: Real seconds between two looks at the bench; keeps the watchdog fed.
LOOK_S = 0.25


@dataclass(frozen=True)
class Guard:
    """Limits that end a run when a reading crosses one, in V, A, °C."""

    min_V: float
    max_V: float
    max_A: float
    max_C: float = 85.0

    @classmethod
    def for_plan(cls, plan: Plan) -> "Guard":
        """Half the nominal volts to a fifth above (or what the device stands), 10 % over amps."""
        output = plan.output
        high = max(output.nominal_V * 1.2, output.device_max_V or 0.0)
        return cls(0.5 * output.nominal_V, high, max(1.1 * plan.most_A, plan.most_A + 0.05))

    def crossed(self, volts: float, amps: float, celsius: float | None) -> str:
        """A sentence when something is outside; empty otherwise."""
        if volts > self.max_V:
            return f"{volts:.2f} V is above the limit of {self.max_V:.2f} V."
        if volts < self.min_V:
            return f"The output fell to {volts:.2f} V, below the limit of {self.min_V:.2f} V."
        if amps > self.max_A:
            return f"{amps:.2f} A is above the limit of {self.max_A:.2f} A."
        if celsius is not None and celsius > self.max_C:
            return f"{celsius:.1f} °C is above the limit of {self.max_C:.0f} °C."
        return ""


Kind = Literal["started", "step", "live", "kept", "paused", "done", "aborted", "failed"]


@dataclass(frozen=True)
class Event:
    """What the engine tells; `readings` were committed before."""

    kind: Kind
    step: Step | None = None
    readings: tuple[Reading, ...] = ()
    volts: float = math.nan
    amps: float = math.nan
    celsius: float | None = None
    at_s: float = 0.0
    text: str = ""


class _Dropped(Exception):
    """The user dropped the load."""


class _Crossed(Exception):
    """A guard's limit was crossed."""


class RunEngine:
    """One run of one test. `tell` is called from the run's own thread."""

    def __init__(
        self,
        file: JobFile,
        plan: Plan,
        bench: "Bench",
        tell: Callable[[Event], None],
        guard: Guard | None = None,
        *,
        present: bool = False,
    ) -> None:
        if not bench.load.has_watchdog and not present:
            raise Trouble(
                "This load has no watchdog, so nothing drops it if this computer stops. Run it "
                "only while you stay with it, and say so first."
            )
        self.file, self.plan, self.bench, self._tell = file, plan, bench, tell
        self.guard = guard or Guard.for_plan(plan)
        self._stop, self._running = threading.Event(), threading.Event()
        self._running.set()
        self._step: Step | None = None
        self._run: int | None = None
        self._start = 0.0
        self.load_off = True
        self.ended: Event | None = None
        self._thread = threading.Thread(target=self._work, name="run", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def drop(self) -> None:
        """Drop the load and end the run, at once and without a question."""
        self._stop.set()
        self._running.set()

    def pause(self) -> None:
        """Hold before the next step, with the load off."""
        self._running.clear()

    def resume(self) -> None:
        self._running.set()

    @property
    def paused(self) -> bool:
        return not self._running.is_set()

    @property
    def alive(self) -> bool:
        return self._thread.is_alive()

    def join(self, timeout: float | None = None) -> None:
        self._thread.join(timeout)

    # -- in the run's thread --------------------------------------------------------------------

    def _work(self) -> None:
        kind: Kind = "failed"
        text = "The run ended for a reason that was not foreseen."
        try:
            self._prepare()
            for step in self.plan.steps:
                self._take(step)
            kind, text = "done", f"{len(self.plan.steps)} steps read."
        except _Dropped:
            kind, text = "aborted", "The load was dropped."
        except _Crossed as crossed:
            text = str(crossed)
        except (LinkFailed, Trouble) as error:
            text = str(error)
        except Exception as error:  # the load must go off whatever happened
            text = f"Something in the program failed ({type(error).__name__}: {error})."
        finally:
            self.load_off = self._make_off()
            if not self.load_off:
                text += " " + self._cannot_switch_off()
            self._end(kind, text)

    def _end(self, kind: Kind, text: str) -> None:
        if self._run is not None:
            text += " All readings taken were kept."
            try:
                self.file.run_event(self._run, kind, text)
            except Trouble as trouble:
                text += f" The end of the run could not be noted: {trouble}"
        self.ended = Event(kind, self._step, text=text, at_s=self._since())
        self._tell(self.ended)

    def _prepare(self) -> None:
        load = self.bench.load
        self._start = self.bench.clock.now()
        identities = self.bench.identities()
        load.prepare()
        load.switch(False)
        load.set_amps(0.0)
        load.arm_watchdog(WATCHDOG_S)
        self._complaints()
        volts = (self.bench.voltmeter or load).read_volts()
        if not volts > self.guard.min_V:
            raise Trouble(
                f"Only {volts:.2f} V stand at {self.plan.output.name} without load. Is the supply "
                "on, and are the sense leads on its terminals?"
            )
        self._run = self.file.begin_run(self.plan.test.id, identities)
        self._tell(Event("started", volts=volts, amps=0.0))

    def _take(self, step: Step) -> None:
        self._step = step
        load = self.bench.load
        if not self._running.is_set():
            self._hold(step)
        load.set_amps(step.set_A)
        load.switch(True)
        self._complaints()
        self._tell(Event("step", step, at_s=self._since()))
        settled = self._dwell(step)
        note = "" if settled else "not settled within the longest dwell"
        kept, live = self.scan(step, note)
        self._tell(Event("kept", step, tuple(kept), *live, at_s=self._since()))

    def scan(self, step: Step, note: str = "") -> tuple[list[Reading], tuple[float, float, float | None]]:
        """Read every instrument once and keep the readings; they are on disk on return."""
        volts, amps, celsius = self._look()
        job, scan, now = self.file.job, self.file.next_scan(), time.time()
        voltmeter = (self.bench.voltmeter or self.bench.load).part
        values: list[tuple[str, Quantity, float, str]] = [
            (self.plan.output.id, "V", volts, voltmeter),
            (self.plan.output.id, "A", amps, self.bench.load.part),
        ]
        if celsius is not None and self.bench.thermometer:
            values.append(("sink", "C", celsius, self.bench.thermometer.part))
        readings = []
        for place, quantity, value, part in values:
            accuracy, range_ = accuracy_of(job, part, quantity, value)
            readings.append(
                Reading(
                    scan,
                    now,
                    place,
                    quantity,
                    value,
                    part,
                    accuracy,
                    job.campaign.wiring,
                    "instrument",
                    range_,
                    self.plan.test.id,
                    step.index,
                    self._run,
                    note,
                )
            )
        return self.file.keep(readings), (volts, amps, celsius)

    def _look(self) -> tuple[float, float, float | None]:
        bench = self.bench
        amps = bench.load.read_amps()
        volts = (bench.voltmeter or bench.load).read_volts()
        celsius = bench.thermometer.read_celsius() if bench.thermometer else None
        crossed = self.guard.crossed(volts, amps, celsius)
        if crossed:
            raise _Crossed(crossed)
        if self._stop.is_set():
            raise _Dropped
        return volts, amps, celsius

    def _dwell(self, step: Step) -> bool:
        """Wait until volts stand still; whether they did. Standing still: four looks within a
        few counts, after the shortest dwell. A load that let go by itself ends the run."""
        test, clock = self.plan.test, self.bench.clock
        began, recent = clock.now(), list[float]()
        pause = min(LOOK_S * clock.speed, test.dwell_s / 4)
        while True:
            volts, amps, celsius = self._look()
            self._tell(Event("live", step, (), volts, amps, celsius, self._since()))
            recent = [*recent[-3:], volts]
            waited = clock.now() - began
            if waited >= test.dwell_s and len(recent) == 4:
                if max(recent) - min(recent) <= 2e-4 * self.plan.output.nominal_V:
                    self._still_loaded(step, amps)
                    return True
                if waited >= test.longest_dwell_s:
                    return False
            if clock.wait(pause, self._stop):
                raise _Dropped

    def _still_loaded(self, step: Step, amps: float) -> None:
        """A load that ran out or let go must not be read as the supply's own limit."""
        if step.set_A > 0 and not self.bench.load.is_on():
            said = "; ".join(self.bench.load.errors()) or "no reason given"
            raise Trouble(f"The load switched itself off at {step.set_A:.3g} A ({said}).")
        if amps < 0.9 * step.set_A - 0.02:
            raise Trouble(
                f"{step.set_A:.3g} A was set, but only {amps:.3g} A flow: the supply "
                "limits or the load ran out."
            )

    def _hold(self, step: Step) -> None:
        self.bench.load.switch(False)
        # Said only once the load itself says that it is off.
        self._look_unloaded()
        self._tell(Event("paused", step, at_s=self._since()))
        while not self._running.wait(LOOK_S):
            self._look_unloaded()
        if self._stop.is_set():
            raise _Dropped

    def _look_unloaded(self) -> None:
        """Keep speaking to the load while paused, so that a dead link shows at once."""
        if self.bench.load.is_on():
            raise Trouble("The load is on although the run is paused.")

    def _complaints(self) -> None:
        errors = self.bench.load.errors()
        if errors:
            raise Trouble(f"The load refused a command: {'; '.join(errors)}.")

    def _since(self) -> float:
        return self.bench.clock.now() - self._start

    def _make_off(self) -> bool:
        """Switch the load off and see that it is; a dead link is opened anew, once."""
        load = self.bench.load
        for attempt in range(2):
            try:
                if attempt:
                    load.reconnect()
                load.switch(False)
                load.set_amps(0.0)
                if not load.is_on():
                    return True
            except LinkFailed:
                continue
        return False

    def _cannot_switch_off(self) -> str:
        if self.bench.load.has_watchdog:
            return f"The load does not answer; its watchdog drops it within {WATCHDOG_S} s. See that it did."
        return "THE LOAD DOES NOT ANSWER AND MAY STILL BE ON: switch the supply off by hand now."
