"""What a run stands on while it takes a step: its bench, and what may be done to it without thinking.

Nothing here decides what comes next; the step runner does, and what it leans on takes this narrow context.
"""

import math
import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from tensimeter.bench import wall
from tensimeter.bench.events import Control, Crossed, Dropped, Event
from tensimeter.bench.obedience import Obedience
from tensimeter.bench.pulse import Pulse
from tensimeter.bench.run_limits import RunLimits
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import AS_SET, Measurand, Origin, Reading
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.testplan.step import Plan, Step
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.bench.replay import Replay
    from tensimeter.bench.setup import Bench
    from tensimeter.bench.visa import VisaInstrument

#: Real seconds between two looks at the bench; keeps the watchdog fed.
LOOK_S = 0.25
#: An output that lets less than this share of what was set flow has given way; a rule of thumb.
GAVE_WAY = 0.9

#: Volts, amps, and °C of each channel.
Live = tuple[float, float, tuple[float, ...]]
Seen = list[tuple[str, Measurand, float, str]]


class StepContext:
    """The plan, the bench and the step in hand; reading, waiting, and all loads off."""

    def __init__(
        self,
        file: JobFile,
        plan: Plan,
        bench: "Bench",
        tell: Callable[[Event], None],
        limits: RunLimits,
        control: Control,
    ) -> None:
        self.file, self.plan, self.bench, self.tell = file, plan, bench, tell
        self.limits, self.control = limits, control
        #: The limits of the step in hand.
        self.step_limits = limits
        #: What the last look saw, before any limit was held against it.
        self.last_look: Seen | None = None
        self.step: Step | None = None
        self.run: int | None = None
        self._start, self._began_at = 0.0, 0.0
        #: Roles of the further loads that are on.
        self.active: list[str] = []
        #: What its readings are: of instruments, or of simulated ones.
        self.origin: Origin = "instrument"
        self.obedience = Obedience(file.job, plan, bench)
        self.pulse = Pulse(bench.clock, control)

    def begin(self) -> None:
        """Seconds count from now on."""
        self._start, self._began_at = self.bench.clock.now(), time.time()

    def since(self) -> float:
        return self.bench.clock.now() - self._start

    def announce(self, step: Step) -> None:
        self.tell(Event("step", step, at_s=self.since()))

    def let_go(self) -> None:
        """All loads off, between two steps."""
        self.bench.load.switch(False)
        self.others_off()
        self.obedience.must_be_off("load")
        self.pulse.disarm()

    def switch_on(self, load: "VisaInstrument | Replay") -> None:
        """Let a load draw; the guard knows before it does."""
        self.pulse.arm()
        load.switch(True)

    def others_off(self) -> None:
        for role in self.active:
            self.bench.others[role].switch(False)
            self.obedience.must_be_off(role)
        self.active.clear()

    def keep_end(self, step: Step) -> list[Reading]:
        """What stood when a limit was passed is a fact too: it is kept before the run ends.

        Where the output gave way the amps are those that the load was set to: none flow any more.
        """
        seen = self.last_look
        if step.trim_V is not None and step.hold_s is None:
            # It may not have come to rest from the volts it was set to before: that tells nothing of it.
            return []
        if seen is None or not all(math.isfinite(v) for _, _, v, _ in seen):
            return []
        kept = self._as_read(seen, step, "as the run was ended")
        if step.ohms is None and step.watts is None:
            kept = [
                r._replace(value=step.set_A, range=AS_SET)
                if r.quantity == "A" and r.value < GAVE_WAY * step.set_A
                else r
                for r in kept
            ]
        return self.file.keep(kept)

    def keep(self, values: Seen, step: Step, note: str = "") -> list[Reading]:
        """Keep what every instrument said at one moment of a step."""
        return self.file.keep(self._as_read(values, step, note))

    def _as_read(self, values: Seen, step: Step, note: str) -> list[Reading]:
        job, scan = self.file.job, self.file.next_scan()
        # By the bench's clock, so that what is simulated faster keeps its seconds.
        now = self._began_at + self.since()
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
                    self.origin,
                    range_,
                    self.plan.test.id,
                    step.index,
                    self.run,
                    self._with_age(note, part),
                )
            )
        return readings

    def _with_age(self, note: str, part: str) -> str:
        """A note with how long ago a meter began to send what it was not asked for."""
        ages = (i.age_s for i in self.bench.all().values() if i.part == part)
        told = [f"sent {age:.2f} s before" for age in ages if age is not None]
        return "; ".join(text for text in (note, *told) if text)

    def look(self, step: Step) -> Live:
        """Read without keeping; raises when a limit is crossed or the user wants something else."""
        bench = self.bench
        amps = (bench.clamp or bench.load).read_amps()
        if bench.clamp is not None:
            # Nobody speaks to the load otherwise, and its watchdog would drop it.
            bench.load.is_on()
        self.pulse.beat()
        volts = (bench.voltmeter or bench.load).read_volts()
        self.pulse.beat()
        probes = self.file.job.campaign.probes or ("sink",)
        celsius = tuple(bench.thermometer.read_all_celsius(len(probes))) if bench.thermometer else ()
        place = step.place or self.plan.output.id
        self.last_look = [
            (place, "V", volts, (bench.voltmeter or bench.load).part),
            (place, "A", amps, (bench.clamp or bench.load).part),
            *self._warm(probes, celsius),
        ]
        for role in self.active:
            bench.others[role].read_amps()
        self.pulse.beat()
        crossed = self.step_limits.crossed(volts, amps, max(celsius, default=None))
        if crossed:
            raise Crossed(crossed)
        self.control.check()
        return volts, amps, celsius

    def _warm(self, places: tuple[str, ...], celsius: tuple[float, ...]) -> Seen:
        part = self.bench.thermometer.part if self.bench.thermometer else ""
        return [(place, "C", value, part) for place, value in zip(places, celsius, strict=False)]

    def wait(self, seconds: float) -> None:
        """Wait bench seconds; raises Dropped when the user drops the load meanwhile.

        A load that is on is spoken to in a longer wait, or its watchdog and the guard would drop it.
        """
        clock = self.bench.clock
        slice_s = LOOK_S * clock.speed
        while self.pulse.armed and not clock.stepped and seconds > 2 * slice_s:
            if clock.wait(slice_s, self.control.stop):
                raise Dropped
            self.speak_to_loads()
            seconds -= slice_s
        if clock.wait(seconds, self.control.stop):
            raise Dropped

    def wait_unloaded(self, ready: threading.Event) -> None:
        """Wait for a person with the load off, speaking to it, so that a dead link shows at once."""
        self.look_unloaded()
        while not wall.wait(ready, LOOK_S):
            self.look_unloaded()
        self.control.check()

    def speak_to_loads(self) -> None:
        """Keep the loads' watchdogs fed without reading anything; raises when the user drops the load."""
        self.bench.load.is_on()
        for role in self.active:
            self.bench.others[role].is_on()
        self.pulse.beat()
        if self.control.stop.is_set():
            raise Dropped

    def look_unloaded(self) -> None:
        """See that nothing flows while nothing should; UserError where it does."""
        self.obedience.must_be_off("load")

    def must_not_complain(self) -> None:
        errors = self.bench.load.errors()
        if errors:
            raise UserError(f"The load refused a command: {'; '.join(errors)}.")
