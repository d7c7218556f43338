"""Before a run leans on an independent cut it is tried: with a little current flowing it must end it."""

from collections.abc import Callable

from tensimeter.bench.operator_actions import START_S
from tensimeter.bench.step_context import StepContext
from tensimeter.core.errors import UserError
from tensimeter.core.quantity import show

#: The most that flows while a cut is tried, A; and how long it may take to end it, bench s.
MOST_A, ENDS_S = 1.0, 1.5
_LOOK_S = 0.1


def try_cuts(context: StepContext) -> None:
    """Open and close each cut of the bench once; UserError where current flows on, or does not come back."""
    bench = context.bench
    amps = min([MOST_A, *(s.set_A for s in context.plan.steps if s.set_A > 0)])
    load = bench.load
    for name, cut in bench.cuts.items():
        load.use("constant_current")
        load.set_amps(0.0)
        context.switch_on(load)
        load.set_amps(amps)
        if not _comes_to(context, lambda here: here >= 0.5 * amps):
            raise UserError(f"{show(amps, 'A', 2)} were asked for to try the {name}, and do not flow.")
        cut.switch(False, name)
        if not _comes_to(context, lambda here: here <= context.obedience.nothing_A["load"]):
            cut.switch(True, name)
            raise UserError(
                f"The {name} was opened, and {show(load.read_amps(), 'A', 2)} go on flowing: it cuts nothing."
            )
        context.let_go()
        cut.switch(True, name)
        context.wait(START_S)


def _comes_to(context: StepContext, wanted: Callable[[float], bool]) -> bool:
    end = context.bench.clock.now() + ENDS_S
    while True:
        here = abs(context.bench.load.read_amps())
        context.pulse.beat()
        if wanted(here):
            return True
        if context.bench.clock.now() >= end:
            return False
        context.wait(_LOOK_S)
