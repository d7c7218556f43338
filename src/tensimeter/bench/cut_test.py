"""Before a run leans on an independent cut it is tried: with a little current flowing it must end it."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from tensimeter.bench.hands import START_S
from tensimeter.core.errors import Trouble
from tensimeter.core.quantity import show

if TYPE_CHECKING:
    from tensimeter.bench.taking import Taking

#: The most that flows while a cut is tried, A; and how long it may take to end it, bench s.
MOST_A, ENDS_S = 1.0, 1.5
_LOOK_S = 0.1


def try_cuts(taking: "Taking") -> None:
    """Open and close each cut of the bench once; Trouble where current flows on, or does not come back."""
    bench = taking.bench
    amps = min([MOST_A, *(s.set_A for s in taking.plan.steps if s.set_A > 0)])
    load = bench.load
    for name, cut in bench.cuts.items():
        load.use("constant_current")
        load.set_amps(0.0)
        taking.switch_on(load)
        load.set_amps(amps)
        if not _comes_to(taking, lambda here: here >= 0.5 * amps):
            raise Trouble(f"{show(amps, 'A', 2)} were asked for to try the {name}, and do not flow.")
        cut.switch(False, name)
        if not _comes_to(taking, lambda here: here <= taking.obedience.nothing_A["load"]):
            cut.switch(True, name)
            raise Trouble(
                f"The {name} was opened, and {show(load.read_amps(), 'A', 2)} go on flowing: it cuts nothing."
            )
        taking.let_go()
        cut.switch(True, name)
        taking.wait(START_S)


def _comes_to(taking: "Taking", wanted: Callable[[float], bool]) -> bool:
    end = taking.bench.clock.now() + ENDS_S
    while True:
        here = abs(taking.bench.load.read_amps())
        taking.pulse.beat()
        if wanted(here):
            return True
        if taking.bench.clock.now() >= end:
            return False
        taking.wait(_LOOK_S)
