"""How a run holds a load while temperatures rise: read, keep, foresee, drop it before a limit is passed."""

import math
from concurrent.futures import Future, ThreadPoolExecutor, wait

from tensimeter.bench.events import Crossed, Event
from tensimeter.bench.loading import Loading
from tensimeter.bench.step_context import StepContext
from tensimeter.core.heatup.soak_state import SoakState
from tensimeter.core.quantity import show
from tensimeter.core.testplan.soak.estimation import state_at
from tensimeter.core.testplan.soak.growing import GrowingRun
from tensimeter.core.testplan.soak.run import GONE_SHARE
from tensimeter.core.testplan.step import Step

#: How often in a row a forecast must be sure before the load is dropped for it.
SURE_TIMES = 2
#: Real seconds between two looks at the bench.
LOOK_S = 0.25
#: Seconds after a change of the load until volts are read.
SETTLES_S = 1.0
#: How often in one step an output that goes or comes back is read at once; one that pulses is not.
MOST_TURNS = 40
#: After how many times off a supply that guards itself has shown that it cycles.
OFTEN = 5
#: How many times denser than planned it is then read, for two of the planned pauses.
DENSER = 5


class Soaking:
    """Holds the steps of one run that last; remembers what the last forecast said."""

    def __init__(self, context: StepContext, loading: Loading) -> None:
        self._context, self._loading = context, loading
        self.state: SoakState | None = None
        self._seen = GrowingRun(context.plan.output.id)
        self._sure = 0
        self._gone = False
        self._turns, self._turned_at = 0, -math.inf
        self._beside = ThreadPoolExecutor(1, thread_name_prefix="forecast")
        self._thinking: Future[SoakState | None] | None = None

    def close(self) -> None:
        """Nothing is worked out any more."""
        self._beside.shutdown(wait=False, cancel_futures=True)

    def hold(self, step: Step) -> None:
        """Hold a step's load for its time, or until it may be called proven; Crossed where it must end."""
        context, clock = self._context, self._context.bench.clock
        self._loading.load(step)
        context.announce(step)
        end = clock.now() + (step.hold_s or 0.0)
        # What stood before the load or the trim was changed must not be read as this step's.
        context.wait(min(SETTLES_S, step.every_s / 4))
        context.look(step)
        last = step.index == len(context.plan.steps) - 1
        self._gone, self._turns, self._turned_at = False, 0, -math.inf
        while True:
            begun = clock.now()
            try:
                kept, live = self._loading.scan(step)
            except Crossed:
                self._keep_last(step)
                raise
            self._seen.add(kept)
            if self._turned(step, live[0]):
                self._gone, self._turns, self._turned_at = not self._gone, self._turns + 1, begun
                # What acted may come back by itself: it is watched, with the load as it is.
                said = "The output is gone." if self._gone else "The output is back."
                context.tell(Event("warmth", step, text=said, at_s=context.since()))
            foreseen = self._foresee()
            context.tell(Event("kept", step, tuple(kept), *live, at_s=context.since()))
            if foreseen and last and self.state is not None and self.state.proven:
                return
            if clock.now() >= end or (step.may_trip and self._turns >= 2 * OFTEN):
                return
            turning = self._turns < MOST_TURNS and begun - self._turned_at < 2 * step.every_s
            self._wait(step, min(begun + step.every_s / (DENSER if turning else 1), end))

    def _turned(self, step: Step, volts: float) -> bool:
        """Whether the output has gone, or has come back."""
        stands = step.trim_V or self._context.plan.output.nominal_V
        return (volts < GONE_SHARE * stands) != self._gone

    def _wait(self, step: Step, until: float) -> None:
        """Look again and again until it is time, so that a limit shows and a watchdog is fed.

        An output that goes or comes back is read at once, while its temperatures are those it acted at.
        """
        context, clock = self._context, self._context.bench.clock
        while (left := until - clock.now()) > 0:
            try:
                live = context.look(step)
            except Crossed:
                self._keep_last(step)
                raise
            context.tell(Event("live", step, (), *live, at_s=context.since()))
            if not step.may_trip:
                context.obedience.check(step, *live[:2], kept=True)
            if self._turned(step, live[0]) and self._turns < MOST_TURNS:
                return
            context.wait(min(left, max(LOOK_S * clock.speed, 0.05 * step.every_s)))

    def _keep_last(self, step: Step) -> None:
        self._context.keep_end(step)

    def _foresee(self) -> bool:
        """Have the forecast worked out anew beside the run, which goes on; Crossed once it is sure."""
        if not self._context.plan.test.soaks:
            return False
        if self._thinking is None:
            run, job, plan = self._seen.told(), self._context.file.job, self._context.plan
            if run is None:
                return False
            self._thinking = self._beside.submit(state_at, job, plan, run)
        while self._context.bench.clock.stepped and not self._thinking.done():
            # The load is spoken to meanwhile, or its watchdog would drop it.
            self._context.speak_to_loads()
            wait([self._thinking], LOOK_S)
        if not self._thinking.done():
            return False
        state, self._thinking = self._thinking.result(), None
        return state is not None and state is not self.state and self._take(state)

    def _take(self, state: SoakState) -> bool:
        plan = self._context.plan
        self.state = state
        self._context.tell(
            Event("warmth", self._context.step, text=state.sentence, at_s=self._context.since(), state=state)
        )
        self._sure = self._sure + 1 if state.call == "will cross" and not state.at_full else 0
        spot = state.spot.now.value
        if not plan.test.drops_when_sure:
            return True
        if state.on_spot and not state.at_full and spot >= state.limit_C:
            limit = show(state.limit_C, "C", 3)
            raise Crossed(f"The junction is estimated at {show(spot, 'C', 3)}, its limit is {limit}.")
        if state.runaway:
            raise Crossed(state.sentence)
        if self._sure >= SURE_TIMES:
            raise Crossed(f"The load was dropped before the limit. {state.sentence}")
        return True
