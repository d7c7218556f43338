"""How far a run has come towards an output's limit: what is still wanted of a test that goes past it."""

import numpy as np

from tensimeter.core.testplan.step import Plan, Step

#: An output has left regulation this share of its volts below the line of the points before; one whose trim
#: is raised has tripped below that share of what was set.
BELOW_SHARE, LEFT_SHARE = 0.03, 0.88


class Approach:
    """Remembers the points of an approach; `left` once the volts have left, `alive` while any stand."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.left, self.alive = False, True
        self._points: list[tuple[float, float]] = []
        self._approached = any(s.phase == "approach" for s in plan.steps)

    def wants(self, step: Step) -> bool:
        """Whether a step still tells something: no approach past where it left, no trace before."""
        if step.phase == "approach":
            return not self.left
        if step.phase in ("trace", "watch") and self._approached:
            return self.left
        # A reset that is there in case it stays off is passed over where it did not.
        return not (step.reset and self.alive and step.trim_V is None)

    def take(self, step: Step, volts: float) -> bool:
        """Take a step's volts in; whether by them the output has just left regulation."""
        self.alive = volts > 0.5 * self.plan.output.nominal_V
        if step.phase == "approach" and self._has_left(step, volts):
            self.left = True
            return True
        return False

    def _has_left(self, step: Step, volts: float) -> bool:
        if step.trim_V is not None:
            return volts < LEFT_SHARE * step.trim_V
        self._points.append((step.set_A, volts))
        no_load = self._points[0][1]
        # A third of the points or more belong to the line that the rest is held against.
        head = self._points[: max(len(self._points) // 3, 3)]
        amps, read = zip(*head, strict=True)
        slope = float(np.polyfit(amps, read, 1)[0]) if len(set(amps)) > 2 else 0.0
        line = no_load + min(slope, 0.0) * step.set_A
        return volts < line - BELOW_SHARE * no_load
