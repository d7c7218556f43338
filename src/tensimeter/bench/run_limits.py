"""Limits that end a run when a reading crosses one."""

import math

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.testplan.step import Plan, Step


class RunLimits(Struct, frozen=True):
    """Limits that end a run when a reading crosses one, in V, A, °C."""

    min_V: float
    max_V: float
    max_A: float
    max_C: float = 85.0

    @classmethod
    def for_plan(cls, plan: Plan) -> "RunLimits":
        """Half the nominal volts to a fifth above (or what the device stands), 10 % over amps."""
        output = plan.output
        high = max(output.nominal_V * 1.2, output.device_max_V or 0.0)
        within = [s.set_A for s in plan.steps if not s.past_limits]
        most = max([*within, 0.0])
        return cls(0.5 * output.nominal_V, high, max(1.1 * most, most + 0.05))

    def at(self, plan: Plan, step: Step) -> "RunLimits":
        """The limits at one step: past an output's own limit its volts may go, and more amps flow."""
        volts = plan.output.nominal_V
        here = self
        if step.trim_V is not None:
            here = replace(here, max_V=max(here.max_V, 1.1 * step.trim_V), min_V=0.5 * step.trim_V)
        if step.place and step.place != plan.output.id:
            # Another output with volts of its own: its band says what may stand there.
            low, high = step.allowed.ends
            wide = (0.5 * low if math.isfinite(low) and low > 0 else -1.0, 1.3 * high)
            here = replace(here, min_V=wide[0], max_V=wide[1] if math.isfinite(high) else math.inf)
        if step.until_V is not None:
            here = replace(here, min_V=0.5 * step.until_V)
        if step.hold_s is not None:
            # What is watched by a forecast may get as hot as its part allows; what is not, as before.
            here = replace(here, max_C=max(here.max_C, plan.hottest_C))
        if step.may_trip:
            here = replace(here, min_V=-1.0)
        if step.past_limits or step.phase == "back":
            most = [s.set_A for s in plan.steps if s.phase == "approach"] or [plan.full_load.amps]
            top = 1.3 * volts if step.trim_V is None else here.max_V
            here = replace(here, min_V=-1.0, max_V=max(here.max_V, top), max_A=6 * max([*most, 0.1]))
        return here

    def or_those(self, others: "RunLimits") -> "RunLimits":
        """The wider of both: what may stand while something goes from one setting to another."""
        low, high = min(self.min_V, others.min_V), max(self.max_V, others.max_V)
        return RunLimits(low, high, max(self.max_A, others.max_A), max(self.max_C, others.max_C))

    def crossed(self, volts: float, amps: float, celsius: float | None) -> str:
        """A sentence when something is outside; empty otherwise."""
        if math.isinf(volts):
            return "The voltmeter answers that it is over range."
        if math.isinf(amps):
            return "The ammeter answers that it is over range."
        if celsius is not None and math.isinf(celsius):
            return "The thermometer answers that it is over range."
        if volts > self.max_V:
            return f"{volts:.2f} V is above the limit of {self.max_V:.2f} V."
        if volts < self.min_V:
            return f"The output fell to {max(volts, 0.0):.2f} V, below the limit of {self.min_V:.2f} V."
        if amps > self.max_A:
            return f"{amps:.2f} A is above the limit of {self.max_A:.2f} A."
        if celsius is not None and celsius > self.max_C:
            return f"{celsius:.1f} °C is above the limit of {self.max_C:.0f} °C."
        return ""
