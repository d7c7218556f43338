"""Whether loads obey: off is proven by amps, and a step's amps are held against its setting."""

import contextlib
from typing import TYPE_CHECKING

from tensimeter.bench import wall
from tensimeter.bench.replay import Replay
from tensimeter.bench.roles import LinkFailed
from tensimeter.core.errors import UserError
from tensimeter.core.model.instruments import accuracy_of
from tensimeter.core.model.job import Job
from tensimeter.core.quantity import show
from tensimeter.core.testplan.step import Plan, Step

if TYPE_CHECKING:
    from tensimeter.bench.setup import Bench
    from tensimeter.bench.visa import VisaInstrument

#: What a load may be off its setting by beside its ammeter's own error: a share, and A.
SHARE, MARGIN_A = 0.1, 0.02
#: Longest time that one exchange may take while a load is switched off, s, and how often it is tried.
OFF_ANSWER_S, OFF_TRIES = 0.35, 3
#: How often amps are read until they are gone, and the real seconds in between: an ammeter that averages
#: still shows some of what flowed before.
AMPS_TRIES, FADES_S = 8, 0.05
#: Counts of the voltmeter that volts must move by, where the design expects many times that.
MOVES_COUNTS, EXPECTED_COUNTS = 3, 10


def nothing_A(job: Job, part: str) -> float:
    """What a load's own ammeter may show while nothing flows: its error at zero and a little, in A."""
    return accuracy_of(job, part, "A", 0.0)[0].half_width(0.0) + MARGIN_A


class Obedience:
    """Holds what the loads of one bench do against what they were told."""

    def __init__(self, job: Job, plan: Plan, bench: "Bench") -> None:
        self.job, self.plan, self.bench = job, plan, bench
        self.nothing_A = {role: nothing_A(job, one.part) for role, one in bench.loads().items()}
        #: What whatever reads the amps may show while nothing flows, A.
        self._at_zero_A = nothing_A(job, (bench.clamp or bench.load).part)
        #: Amps, volts, and the volts that were predicted, of each point at rest.
        self._points: list[tuple[float, float, float]] = []
        self._echoes = True

    # -- off ------------------------------------------------------------------------------------

    def put_off(self, role: str) -> bool:
        """Switch a load off whatever state its link is in; whether its amps prove it."""
        load = self.bench.loads()[role]
        if isinstance(load, Replay):
            load.switch(False)
            return True
        before, load.longest_s = load.longest_s, self.bench.longest_of(load, OFF_ANSWER_S)
        try:
            return any(self._tried(role, load, attempt) for attempt in range(OFF_TRIES))
        finally:
            load.longest_s = before

    def _tried(self, role: str, load: "VisaInstrument", attempt: int) -> bool:
        with contextlib.suppress(LinkFailed):
            load.calm() if attempt == 0 else load.reconnect()
            load.switch(False)
            with contextlib.suppress(LinkFailed):
                load.set_amps(0.0)
            return not load.is_on() and self.amps_gone(role)
        return False

    def amps_gone(self, role: str) -> bool:
        """Whether a load's own ammeter shows that nothing flows."""
        load = self.bench.loads()[role]
        for _ in range(AMPS_TRIES):
            if abs(load.read_amps()) <= self.nothing_A[role]:
                return True
            wall.pause(FADES_S)
        return False

    def must_be_off(self, role: str) -> None:
        """UserError where a load that was switched off says otherwise, or its amps do."""
        load = self.bench.loads()[role]
        if load.is_on():
            raise UserError(f"The {role} was switched off and says that it is on.")
        if not self.amps_gone(role):
            amps = show(load.read_amps(), "A", 3)
            raise UserError(f"The {role} says that it is off, but {amps} flow: it does not obey.")

    # -- on -------------------------------------------------------------------------------------

    def check(self, step: Step, volts: float, amps: float, *, kept: bool) -> None:
        """UserError where the amps of a step are not those that were set; `kept` when they stand at rest."""
        if step.ohms is not None or step.watts is not None:
            return
        margin = self._at_zero_A + SHARE * step.set_A
        if amps > step.set_A + margin:
            raise UserError(
                f"{show(step.set_A, 'A', 3)} was set, but {show(amps, 'A', 3)} flow: the load does not obey."
            )
        if not kept or step.past_limits or step.may_trip or step.phase == "back":
            return
        if step.set_A > 0 and not self.bench.load.is_on():
            said = "; ".join(self.bench.load.errors()) or "no reason given"
            raise UserError(f"The load switched itself off at {step.set_A:.3g} A ({said}).")
        if step.phase != "approach" and amps < step.set_A - margin:
            raise UserError(
                f"{step.set_A:.3g} A was set, but only {amps:.3g} A flow: the supply "
                "limits or the load ran out."
            )
        self._volts_move(step, volts, amps)

    def check_other(self, role: str, set_A: float, amps: float) -> None:
        """The same of a further load."""
        margin = self.nothing_A[role] + SHARE * set_A
        if not set_A - margin <= amps <= set_A + margin:
            raise UserError(f"{role} was set to {show(set_A, 'A', 3)}, and {show(amps, 'A', 3)} flow there.")

    def _volts_move(self, step: Step, volts: float, amps: float) -> None:
        """A load that shows its own setting where nothing flows is told by volts that stand still."""
        if self.bench.clamp is not None or step.predicted_V is None or step.trim_V or step.line_V:
            return
        if step.set_A > 0:
            self._echoes = self._echoes and abs(amps - step.set_A) <= 1e-6 * step.set_A
        self._points.append((step.set_A, volts, step.predicted_V.value))
        low, high = min(self._points), max(self._points)
        meter = (self.bench.voltmeter or self.bench.load).part
        count = accuracy_of(self.job, meter, "V", volts)[0].resolution
        expected = abs(low[2] - high[2])
        if not self._echoes or high[0] <= low[0] or expected < EXPECTED_COUNTS * count:
            return
        if abs(low[1] - high[1]) < min(MOVES_COUNTS * count, 0.1 * expected):
            raise UserError(
                f"The load shows exactly {show(high[0], 'A', 3)}, but the volts did not move where "
                f"{show(expected, 'V', 2)} were expected: nothing says that current flows. A clamp would."
            )
