"""How a run takes one step: arrange, load, dwell until settled, read, keep, tell."""

from tensimeter.bench.cut_test import try_cuts
from tensimeter.bench.events import Crossed, Event
from tensimeter.bench.loading import Loading
from tensimeter.bench.operator_actions import START_S, OperatorActions
from tensimeter.bench.recording import Recording
from tensimeter.bench.run_limits import RunLimits
from tensimeter.bench.soaking import Soaking
from tensimeter.bench.step_context import LOOK_S, StepContext
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.testplan.approach import Approach
from tensimeter.core.testplan.step import Step

#: The load's watchdog, in real seconds; shorter than the two in which a load must be off.
WATCHDOG_S = 1.5
#: The longest that a run waits for one answer, and for an oscilloscope's to begin, s.
ANSWER_S, RECORD_S = 1.0, 1.5
#: Bench seconds after a load is joined past a limit until it is read.
EXPOSED_S = 0.3


class StepRunner:
    """Takes the steps of one plan on one bench."""

    def __init__(self, context: StepContext) -> None:
        self.context = context
        self._actions = OperatorActions(context)
        self._loading = Loading(context, self._actions)
        self.recording = Recording(context, self._actions, self._loading)
        self.soaking = Soaking(context, self._loading)
        self.approach = Approach(context.plan)
        self.identities: dict[str, str] = {}

    def scan(self, step: Step) -> list[Reading]:
        """Read every instrument once and keep what it says."""
        return self._loading.scan(step)[0]

    def prepare(self) -> float:
        """Know the instruments, set everything to nothing, see that the supply is on; its volts."""
        context = self.context
        load = context.bench.load
        context.begin()
        self.identities = context.bench.identities()
        context.origin = "simulated" if context.bench.simulated else "instrument"
        for role, instrument in context.bench.all().items():
            # A run that waits longer for one answer leaves its load without a word for too long; an
            # oscilloscope's record comes over beside it.
            longest = RECORD_S if role == "scope" else ANSWER_S
            instrument.longest_s = context.bench.longest_of(instrument, longest)
        for one in (load, *context.bench.others.values()):
            one.prepare()
            one.switch(False)
            one.set_amps(0.0)
            one.arm_watchdog(WATCHDOG_S)
        context.must_not_complain()
        for role in context.bench.loads():
            context.obedience.must_be_off(role)
        first = context.plan.steps[0] if context.plan.steps else None
        self._actions.join_load(first.place if first and first.place else context.plan.output.id)
        volts = self._volts_at_rest()
        limits = context.limits.at(context.plan, first) if first else context.limits
        volts = self._come_down(volts, limits.max_V)
        lowest = max(limits.min_V, 0.02 * context.plan.output.nominal_V)
        if not volts > lowest and any(s.reset for s in context.plan.steps) and self._actions.can_reset:
            # A test like this one may have left it tripped.
            self._actions.reset()
            volts = (context.bench.voltmeter or load).read_volts()
        if not volts > lowest:
            raise UserError(
                f"Only {max(volts, 0.0):.2f} V stand at {context.plan.output.name} without load. Is the "
                "supply on, and are the sense leads on its terminals? One that tripped wants to be off a "
                "while."
            )
        try_cuts(self.context)
        return volts

    def _volts_at_rest(self) -> float:
        """The supply's volts without load; a line source that was cut is switched on again first."""
        context = self.context
        line = context.bench.line
        if line is not None and line.can("is_on") and not line.is_on():
            self._actions.power(True)
            context.wait(START_S)
        return (context.bench.voltmeter or context.bench.load).read_volts()

    def _come_down(self, volts: float, most_V: float) -> float:
        """The volts once they have fallen to what may stand there: without load it takes a while."""
        context = self.context
        end = context.bench.clock.now() + context.plan.test.longest_dwell_s
        while volts > most_V and context.bench.clock.now() < end:
            context.wait(LOOK_S * context.bench.clock.speed)
            volts = (context.bench.voltmeter or context.bench.load).read_volts()
        return volts

    def rest(self) -> None:
        """Cool down before the test, with the load off."""
        context = self.context
        end = context.bench.clock.now() + context.plan.test.rest_s
        while (left := end - context.bench.clock.now()) > 0:
            context.look_unloaded()
            context.wait(min(left, LOOK_S * context.bench.clock.speed))

    def make_off(self) -> tuple[str, ...]:
        """Switch every load off whatever happened; the roles of those whose amps do not prove it."""
        context = self.context
        return tuple(role for role in context.bench.loads() if not context.obedience.put_off(role))

    def left_behind(self) -> str:
        """What a run that ended early leaves moved; the line is set back where that is possible."""
        return self._actions.left_behind()

    def take(self, step: Step) -> bool:
        """Take one step; False where it was not needed. Skipped, Dropped, Crossed, LinkFailed, UserError."""
        context = self.context
        before, here = context.step_limits, context.limits.at(context.plan, step)
        context.step, context.step_limits = step, here
        if not self.approach.wants(step):
            return False
        if not context.control.running.is_set():
            self._hold(step)
        self._arrange(step, before, here)
        if step.capture is not None and step.capture.event != "none":
            context.announce(step)
            self.recording.event(step)
            return True
        if step.exposure_s is not None:
            context.announce(step)
            self._expose(step)
        elif step.hold_s is not None:
            self.soaking.hold(step)
        elif step.until_V is not None:
            self._run_down(step)
        else:
            try:
                self._at_rest(step)
            except Crossed:
                context.keep_end(step)
                raise
            if step.capture is not None:
                self.recording.now(step)
        return True

    def _arrange(self, step: Step, before: RunLimits, here: RunLimits) -> None:
        """Everything but the loads' settings; volts that were set otherwise are waited for, then judged."""
        context = self.context
        # Without another setting nothing but its own limits holds.
        context.step_limits = here.or_those(before) if step.trim_V is not None else here
        try:
            if self._actions.arrange(step):
                self._loading.come_within(step, here)
        finally:
            context.step_limits = here

    def _at_rest(self, step: Step) -> None:
        context = self.context
        self._loading.load(step)
        context.announce(step)
        settled = self._loading.dwell(step)
        kept, live = self._loading.scan(step, "" if settled else "not settled within the longest dwell")
        context.tell(Event("kept", step, tuple(kept), *live, at_s=context.since()))
        if self.approach.take(step, live[0]):
            # Nothing stays in its limit for longer than it must.
            context.let_go()

    def _expose(self, step: Step) -> None:
        """Past a limit for a short time: on, read, off."""
        context = self.context
        load, clock = context.bench.load, context.bench.clock
        if step.ohms is not None:
            load.use("constant_resistance")
            load.set_ohms(step.ohms)
        else:
            load.set_amps(step.set_A)
        context.switch_on(load)
        began = clock.now()
        context.must_not_complain()
        context.wait(min(EXPOSED_S, 0.5 * (step.exposure_s or 1.0)))
        # What is read first may have been measured before: it is not kept.
        context.look(step)
        for k in range(step.scans):
            kept, live = self._loading.scan(step)
            context.tell(Event("kept", step, tuple(kept), *live, at_s=context.since()))
            if k + 1 < step.scans:
                context.wait(step.every_s)
            # A look takes real time of its own; what is stated is the longest it may be.
            if step.exposure_s and clock.now() - began > step.exposure_s and k >= 2:
                break
        load.switch(False)
        context.wait(EXPOSED_S)

    def _run_down(self, step: Step) -> None:
        """Read again and again until the volts are down to where the step ends."""
        context = self.context
        self._loading.load(step)
        context.announce(step)
        context.wait(context.plan.test.dwell_s)
        context.look(step)
        for _ in range(step.scans):
            kept, live = self._loading.scan(step)
            context.tell(Event("kept", step, tuple(kept), *live, at_s=context.since()))
            if step.until_V is not None and live[0] <= step.until_V:
                return
            end = context.bench.clock.now() + step.every_s
            while (left := end - context.bench.clock.now()) > 0:
                context.look(step)
                context.wait(min(left, LOOK_S * context.bench.clock.speed))

    def _hold(self, step: Step) -> None:
        context = self.context
        context.let_go()
        # Said only once the load itself says that it is off.
        context.look_unloaded()
        context.tell(Event("paused", step, at_s=context.since()))
        context.wait_unloaded(context.control.running)
