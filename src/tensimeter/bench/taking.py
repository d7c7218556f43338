"""How a run takes one step: arrange, load, dwell until settled, read, keep, tell."""

import math
import time
from collections.abc import Callable
from typing import TYPE_CHECKING

from tensimeter.bench.approach import Approach
from tensimeter.bench.cut_test import try_cuts
from tensimeter.bench.events import Control, Crossed, Dropped, Event
from tensimeter.bench.hands import START_S, Hands
from tensimeter.bench.obedience import Obedience
from tensimeter.bench.pulse import Pulse
from tensimeter.bench.recording import Recording
from tensimeter.bench.run_limits import RunLimits
from tensimeter.bench.soaking import Soaking
from tensimeter.core.errors import Trouble
from tensimeter.core.measurement.readings import Origin, Quantity, Reading
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.testplan.step import WALL, Plan, Step
from tensimeter.store.jobfile import JobFile

if TYPE_CHECKING:
    from tensimeter.bench.replay import Replay
    from tensimeter.bench.setup import Bench
    from tensimeter.bench.visa import VisaInstrument

#: The load's watchdog, in real seconds; shorter than the two in which a load must be off.
WATCHDOG_S = 1.5
#: Real seconds between two looks at the bench; keeps the watchdog fed.
LOOK_S = 0.25
#: The longest that a run waits for one answer, and for an oscilloscope's to begin, s.
ANSWER_S, RECORD_S = 1.0, 1.5
#: Bench seconds after a load is joined past a limit until it is read.
EXPOSED_S = 0.3

#: Volts, amps, and °C of each channel.
Live = tuple[float, float, tuple[float, ...]]
Seen = list[tuple[str, Quantity, float, str]]


class Taking:
    """Takes the steps of one plan on one bench."""

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
        self.hands = Hands(self)
        self.recording = Recording(self)
        self.soaking = Soaking(self)
        #: What the last look saw, before any limit was held against it.
        self.last_look: Seen | None = None
        self.step: Step | None = None
        self.run: int | None = None
        self.identities: dict[str, str] = {}
        self._start, self._began_at = 0.0, 0.0
        self._limits = limits
        self.approach = Approach(plan)
        self._active: list[str] = []
        #: What each further load in use is set to, A.
        self._others_A: dict[str, float] = {}
        #: What its readings are: of instruments, or of simulated ones.
        self.origin: Origin = "instrument"
        self.obedience = Obedience(file.job, plan, bench)
        self.pulse = Pulse(bench.clock, control)

    def since(self) -> float:
        return self.bench.clock.now() - self._start

    # -- before and after -----------------------------------------------------------------------

    def prepare(self) -> float:
        """Know the instruments, set everything to nothing, see that the supply is on; its volts."""
        load = self.bench.load
        self._start, self._began_at = self.bench.clock.now(), time.time()
        self.identities = self.bench.identities()
        self.origin = "simulated" if self.bench.simulated else "instrument"
        for role, instrument in self.bench.all().items():
            # A run that waits longer for one answer leaves its load without a word for too long; an
            # oscilloscope's record comes over beside it.
            longest = RECORD_S if role == "scope" else ANSWER_S
            instrument.longest_s = min(instrument.longest_s, longest)
        for one in (load, *self.bench.others.values()):
            one.prepare()
            one.switch(False)
            one.set_amps(0.0)
            one.arm_watchdog(WATCHDOG_S)
        self._complaints()
        for role in self.bench.loads():
            self.obedience.must_be_off(role)
        first = self.plan.steps[0] if self.plan.steps else None
        self.hands.join_load(first.place if first and first.place else self.plan.output.id)
        volts = self._volts_at_rest()
        lowest = self.limits.at(self.plan, first).min_V if first else self.limits.min_V
        lowest = max(lowest, 0.02 * self.plan.output.nominal_V)
        if not volts > lowest and any(s.reset for s in self.plan.steps) and self.hands.can_reset:
            # A test like this one may have left it tripped.
            self.hands.reset()
            volts = (self.bench.voltmeter or load).read_volts()
        if not volts > lowest:
            raise Trouble(
                f"Only {max(volts, 0.0):.2f} V stand at {self.plan.output.name} without load. Is the supply "
                "on, and are the sense leads on its terminals? One that tripped wants to be off a while."
            )
        try_cuts(self)
        return volts

    def _volts_at_rest(self) -> float:
        """The supply's volts without load; a line source that was cut is switched on again first."""
        line = self.bench.line
        if line is not None and line.can("is_on") and not line.is_on():
            self.hands.power(True)
            self.wait(START_S)
        return (self.bench.voltmeter or self.bench.load).read_volts()

    def rest(self) -> None:
        """Cool down before the test, with the load off."""
        end = self.bench.clock.now() + self.plan.test.rest_s
        while (left := end - self.bench.clock.now()) > 0:
            self.look_unloaded()
            self.wait(min(left, LOOK_S * self.bench.clock.speed))

    def let_go(self) -> None:
        """All loads off, between two steps."""
        self.bench.load.switch(False)
        self._others_off()
        self.obedience.must_be_off("load")
        self.pulse.disarm()

    def make_off(self) -> tuple[str, ...]:
        """Switch every load off whatever happened; the roles of those whose amps do not prove it."""
        return tuple(role for role in self.bench.loads() if not self.obedience.put_off(role))

    def switch_on(self, load: "VisaInstrument | Replay") -> None:
        """Let a load draw; the guard knows before it does."""
        self.pulse.arm()
        load.switch(True)

    def left_behind(self) -> str:
        """What a run that ended early leaves moved; the line is set back where that is possible."""
        return self.hands.left_behind()

    # -- one step -------------------------------------------------------------------------------

    def take(self, step: Step) -> bool:
        """Take one step; False where it was not needed. Skipped, Dropped, Crossed, LinkFailed, Trouble."""
        self.step, self._limits = step, self.limits.at(self.plan, step)
        if not self.approach.wants(step):
            return False
        if not self.control.running.is_set():
            self._hold(step)
        self.hands.arrange(step)
        if step.capture is not None and step.capture.event != "none":
            self.announce(step)
            self.recording.event(step)
            return True
        if step.exposure_s is not None:
            self.announce(step)
            self._expose(step)
        elif step.hold_s is not None:
            self.soaking.hold(step)
        elif step.until_V is not None:
            self._run_down(step)
        else:
            self._at_rest(step)
            if step.capture is not None:
                self.recording.now(step)
        return True

    def announce(self, step: Step) -> None:
        self.tell(Event("step", step, at_s=self.since()))

    def _at_rest(self, step: Step) -> None:
        self.load(step)
        self.announce(step)
        settled = self._dwell(step)
        kept, live = self.scan(step, "" if settled else "not settled within the longest dwell")
        self.tell(Event("kept", step, tuple(kept), *live, at_s=self.since()))
        if self.approach.take(step, live[0]):
            # Nothing stays in its limit for longer than it must.
            self.let_go()

    def settle(self, step: Step) -> None:
        """Load as a step asks and wait until it stands, without keeping a reading."""
        self.load(step)
        self._dwell(step)

    def load_blind(self, step: Step) -> None:
        """Set the load while the supply is off, ready for its start."""
        load = self.bench.load
        load.use("constant_current")
        load.set_amps(step.set_A)
        self.switch_on(load)

    def load(self, step: Step) -> None:
        """Set the loads of a step; one that is off is switched on at nothing and then set."""
        load = self.bench.load
        self._load_others(step)
        if step.ohms is not None:
            load.use("constant_resistance")
            load.set_ohms(step.ohms)
            self.switch_on(load)
        elif step.watts is not None:
            load.use("constant_power")
            load.set_watts(step.watts)
            self.switch_on(load)
        else:
            load.use("constant_current")
            if not load.is_on():
                load.set_amps(0.0)
                self.switch_on(load)
            load.set_amps(step.set_A)
        self._complaints()

    def _load_others(self, step: Step) -> None:
        wanted = [(o, a) for o, a in step.others if a > 0]
        if not wanted:
            self._others_off()
            return
        roles = list(self.bench.others)
        for role, (output, amps) in zip(roles, wanted, strict=False):
            other = self.bench.others[role]
            if self.hands.where(role) != output:
                other.switch(False)
                self.hands.join(role, output)
            if role not in self._active:
                self._active.append(role)
            if not other.is_on():
                other.set_amps(0.0)
                self.switch_on(other)
            other.set_amps(amps)
            self._others_A[role] = amps

    def _others_off(self) -> None:
        for role in self._active:
            self.bench.others[role].switch(False)
            self.obedience.must_be_off(role)
        self._active.clear()

    def _expose(self, step: Step) -> None:
        """Past a limit for a short time: on, read, off."""
        load, clock = self.bench.load, self.bench.clock
        if step.ohms is not None:
            load.use("constant_resistance")
            load.set_ohms(step.ohms)
        else:
            load.set_amps(step.set_A)
        self.switch_on(load)
        began = clock.now()
        self._complaints()
        self.wait(min(EXPOSED_S, 0.5 * (step.exposure_s or 1.0)))
        # What is read first may have been measured before: it is not kept.
        self.look(step)
        for k in range(step.scans):
            kept, live = self.scan(step)
            self.tell(Event("kept", step, tuple(kept), *live, at_s=self.since()))
            if k + 1 < step.scans:
                self.wait(step.every_s)
            # A look takes real time of its own; what is stated is the longest it may be.
            if step.exposure_s and clock.now() - began > step.exposure_s and k >= 2:
                break
        load.switch(False)
        self.wait(EXPOSED_S)

    def _run_down(self, step: Step) -> None:
        """Read again and again until the volts are down to where the step ends."""
        self.load(step)
        self.announce(step)
        self.wait(self.plan.test.dwell_s)
        self.look(step)
        for _ in range(step.scans):
            kept, live = self.scan(step)
            self.tell(Event("kept", step, tuple(kept), *live, at_s=self.since()))
            if step.until_V is not None and live[0] <= step.until_V:
                return
            end = self.bench.clock.now() + step.every_s
            while (left := end - self.bench.clock.now()) > 0:
                self.look(step)
                self.wait(min(left, LOOK_S * self.bench.clock.speed))

    # -- reading --------------------------------------------------------------------------------

    def scan(self, step: Step, note: str = "") -> tuple[list[Reading], Live]:
        """Read every instrument once and keep the readings; they are on disk on return."""
        place = step.place or self.plan.output.id
        live = self.look(step)
        self.obedience.check(step, *live[:2], kept=True)
        values = list(self.last_look or [])
        for where, quantity in step.also:
            extra = self._also(where, quantity)
            if extra is not None and math.isinf(extra[0]):
                raise Crossed(f"{extra[1]} answers at {where} that it is over range.")
            if extra is not None:
                values.append((where, quantity, *extra))
        if any(q == "V" for _, q in step.also):
            self.hands.join_meter(place)
        return self.keep(values, step, note), live

    def _also(self, where: str, quantity: Quantity) -> tuple[float, str] | None:
        """A further reading and what gave it; None where this bench has nothing for it."""
        bench = self.bench
        if where == WALL:
            if bench.line is None or not bench.line.can("read_watts"):
                return None
            return bench.line.read_watts(), bench.line.part
        if quantity in ("C", "dB"):
            # Temperatures come with every look; loudness only ears have.
            return None
        if quantity == "A":
            role = self.hands.role_at(where)
            return (bench.others[role].read_amps(), bench.others[role].part) if role else None
        self.hands.join_meter(where)
        meter = bench.voltmeter or bench.load
        return meter.read_volts(), meter.part

    def keep(self, values: Seen, step: Step, note: str = "") -> list[Reading]:
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
                    note,
                )
            )
        return self.file.keep(readings)

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
        for role in self._active:
            bench.others[role].read_amps()
        self.pulse.beat()
        crossed = self._limits.crossed(volts, amps, max(celsius, default=None))
        if crossed:
            raise Crossed(crossed)
        self.control.check()
        return volts, amps, celsius

    def _warm(self, places: tuple[str, ...], celsius: tuple[float, ...]) -> Seen:
        part = self.bench.thermometer.part if self.bench.thermometer else ""
        return [(place, "C", value, part) for place, value in zip(places, celsius, strict=False)]

    def _dwell(self, step: Step) -> bool:
        """Wait until volts stand still; whether they did. Standing still: four looks within a
        few counts, after the shortest dwell. A load that let go by itself ends the run."""
        test, clock = self.plan.test, self.bench.clock
        began, recent = clock.now(), list[float]()
        pause = min(LOOK_S * clock.speed, test.dwell_s / 4)
        while True:
            volts, amps, celsius = self.look(step)
            self.tell(Event("live", step, (), volts, amps, celsius, self.since()))
            recent = [*recent[-3:], volts]
            waited = clock.now() - began
            if waited >= test.dwell_s and len(recent) == 4:
                if max(recent) - min(recent) <= 2e-4 * self.plan.output.nominal_V:
                    self.obedience.check(step, volts, amps, kept=True)
                    for role, set_A in self._others_A.items():
                        if role in self._active:
                            self.obedience.check_other(role, set_A, self.bench.others[role].read_amps())
                    return True
                if waited >= test.longest_dwell_s:
                    return False
            self.wait(pause)

    # -- waiting --------------------------------------------------------------------------------

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

    def wait_unloaded(self, ready: Callable[[float], bool]) -> None:
        """Wait for a person with the load off, speaking to it, so that a dead link shows at once."""
        self.look_unloaded()
        while not ready(LOOK_S):
            self.look_unloaded()
        self.control.check()

    def _hold(self, step: Step) -> None:
        self.let_go()
        # Said only once the load itself says that it is off.
        self.look_unloaded()
        self.tell(Event("paused", step, at_s=self.since()))
        self.wait_unloaded(self.control.running.wait)

    def speak_to_loads(self) -> None:
        """Keep the loads' watchdogs fed without reading anything; raises when the user drops the load."""
        self.bench.load.is_on()
        for role in self._active:
            self.bench.others[role].is_on()
        self.pulse.beat()
        if self.control.stop.is_set():
            raise Dropped

    def look_unloaded(self) -> None:
        """See that nothing flows while nothing should; Trouble where it does."""
        self.obedience.must_be_off("load")

    def _complaints(self) -> None:
        errors = self.bench.load.errors()
        if errors:
            raise Trouble(f"The load refused a command: {'; '.join(errors)}.")
