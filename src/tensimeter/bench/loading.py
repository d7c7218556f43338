"""Setting a step's loads, waiting until the volts stand, and reading every instrument once."""

import math

from tensimeter.bench.events import Crossed, Event, Skipped
from tensimeter.bench.operator_actions import OperatorActions
from tensimeter.bench.run_limits import RunLimits
from tensimeter.bench.step_context import LOOK_S, Live, StepContext
from tensimeter.core.measurement.readings import Measurand, Reading
from tensimeter.core.testplan.step import WALL, Step


class Loading:
    """Loads the supply as a step asks, and scans what stands then."""

    def __init__(self, context: StepContext, actions: OperatorActions) -> None:
        self._context, self._actions = context, actions
        #: What each further load in use is set to, A.
        self._others_A: dict[str, float] = {}

    def load(self, step: Step) -> None:
        """Set the loads of a step; one that is off is switched on at nothing and then set."""
        context = self._context
        load = context.bench.load
        self._load_others(step)
        if step.ohms is not None:
            load.use("constant_resistance")
            load.set_ohms(step.ohms)
            context.switch_on(load)
        elif step.watts is not None:
            load.use("constant_power")
            load.set_watts(step.watts)
            context.switch_on(load)
        else:
            load.use("constant_current")
            if not load.is_on():
                load.set_amps(0.0)
                context.switch_on(load)
            load.set_amps(step.set_A)
        context.must_not_complain()

    def load_blind(self, step: Step) -> None:
        """Set the load while the supply is off, ready for its start."""
        context = self._context
        load = context.bench.load
        load.use("constant_current")
        load.set_amps(step.set_A)
        context.switch_on(load)

    def _load_others(self, step: Step) -> None:
        context = self._context
        wanted = [(o, a) for o, a in step.others if a > 0]
        if not wanted:
            context.others_off()
            return
        roles = list(context.bench.others)
        if len(wanted) > len(roles):
            # What nobody loads is not read as if it were loaded.
            raise Skipped
        for role, (output, amps) in zip(roles, wanted, strict=False):
            other = context.bench.others[role]
            if self._actions.where(role) != output:
                other.switch(False)
                self._actions.join(role, output)
            if role not in context.active:
                context.active.append(role)
            if not other.is_on():
                other.set_amps(0.0)
                context.switch_on(other)
            other.set_amps(amps)
            self._others_A[role] = amps

    def come_within(self, step: Step, limits: RunLimits) -> None:
        """Wait until what was set otherwise stands within limits, no longer than for a point."""
        context = self._context
        end = context.bench.clock.now() + context.plan.test.longest_dwell_s
        while context.bench.clock.now() < end:
            volts, amps, celsius = context.look(step)
            context.tell(Event("live", step, (), volts, amps, celsius, context.since()))
            if not limits.crossed(volts, amps, None):
                return
            context.wait(LOOK_S * context.bench.clock.speed)

    def settle(self, step: Step) -> None:
        """Load as a step asks and wait until it stands, without keeping a reading."""
        self.load(step)
        self.dwell(step)

    def dwell(self, step: Step) -> bool:
        """Wait until volts stand still; whether they did. Standing still: four looks within a
        few counts, after the shortest dwell. A load that let go by itself ends the run."""
        context = self._context
        test, clock = context.plan.test, context.bench.clock
        began, recent = clock.now(), list[float]()
        pause = min(LOOK_S * clock.speed, test.dwell_s / 4)
        while True:
            volts, amps, celsius = context.look(step)
            context.tell(Event("live", step, (), volts, amps, celsius, context.since()))
            recent = [*recent[-3:], volts]
            waited = clock.now() - began
            if waited >= test.dwell_s and len(recent) == 4:
                if max(recent) - min(recent) <= 2e-4 * context.plan.output.nominal_V:
                    context.obedience.check(step, volts, amps, kept=True)
                    for role, set_A in self._others_A.items():
                        if role in context.active:
                            context.obedience.check_other(role, set_A, context.bench.others[role].read_amps())
                    return True
                if waited >= test.longest_dwell_s:
                    return False
            context.wait(pause)

    def scan(self, step: Step, note: str = "") -> tuple[list[Reading], Live]:
        """Read every instrument once and keep the readings; they are on disk on return."""
        context = self._context
        place = step.place or context.plan.output.id
        live = context.look(step)
        context.obedience.check(step, *live[:2], kept=True)
        values = list(context.last_look or [])
        for where, quantity in step.also:
            extra = self._also(where, quantity)
            if extra is not None and math.isinf(extra[0]):
                raise Crossed(f"{extra[1]} answers at {where} that it is over range.")
            if extra is not None:
                values.append((where, quantity, *extra))
        if any(q == "V" for _, q in step.also):
            self._actions.join_meter(place)
        return context.keep(values, step, note), live

    def _also(self, where: str, quantity: Measurand) -> tuple[float, str] | None:
        """A further reading and what gave it; None where this bench has nothing for it."""
        bench = self._context.bench
        if where == WALL:
            if bench.line is None or not bench.line.can("read_watts"):
                return None
            return bench.line.read_watts(), bench.line.part
        if quantity in ("C", "dB"):
            # Temperatures come with every look; loudness only ears have.
            return None
        if quantity == "A":
            role = self._actions.role_at(where)
            return (bench.others[role].read_amps(), bench.others[role].part) if role else None
        self._actions.join_meter(where)
        meter = bench.voltmeter or bench.load
        return meter.read_volts(), meter.part
