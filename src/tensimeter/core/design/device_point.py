"""Where a device and what feeds it meet: on the line, or held by the limit, which is a state and no error."""

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.network import build, current_limit_A, has_source
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.fed_part import Draw, PlainLoad
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.quantity import show

#: Points of the line that a device is held against, and how far past full load it is followed.
POINTS, MOST_SHARE = 201, 4.0
#: A limit is the one that ends a line where it is within this share of its last amps.
SAME_SHARE = 0.03
#: What holds its current while the volts give way; anything else lets them go.
_HOLDS = ("constant current", "foldback")


class DevicePoint(Struct, frozen=True):
    """A state of a device, the amps and volts that it settles at, and what limits there; empty: nothing."""

    state: str
    amps: float
    volts: float
    limited_by: str = ""
    law: str = ""

    @property
    def words(self) -> str:
        """In one line: 0.42 A at 9.6 V, constant current."""
        at = f"{show(self.amps, 'A', 3)} at {show(self.volts, 'V', 3)}"
        if not self.limited_by:
            return f"{self.state}: {at}"
        if self.law not in _HOLDS:
            return f"{self.state}: more than {self.limited_by} gives; {self.law or 'it goes off'}"
        return f"{self.state}: {at}, {self.law} by {self.limited_by}"

    def worked(self, name: str) -> Derivation:
        """The worked answer behind it."""
        held = (f"{self.limited_by} limits: {self.law or 'what it does then is not known'}",)
        return Derivation(
            f"{name}, {self.state}",
            "I_device(U) = I_path(U), or the volts that are left at the limit's amps",
            (Input("U", "volts at it", self.volts, "V"),),
            self.amps,
            "A",
            held if self.limited_by else (),
        )


def device_points(job: Job, output: str) -> list[DevicePoint]:
    """Every state of an output's device against what the design gives, the other outputs idle.

    A device draws by its own law I(U); the path gives U(I) up to the lowest limit before the output, where
    the volts give way until the device draws no more than that. Empty where no device is named, where it has
    no law, or where the path can't be solved.
    """
    link = job.output(output)
    part = job.part(link.device)
    if not isinstance(part, PlainLoad) or not has_source(job):
        return []
    amps = np.linspace(0.0, MOST_SHARE * link.full_load_A, POINTS)
    try:
        solved = solve(build(job), {output: amps})
    except UserError:
        return []
    point = solved[output]
    volts = np.broadcast_to(np.nan_to_num(solved.whole(point.V)), amps.shape)
    flows = np.broadcast_to(np.nan_to_num(point.I), amps.shape)
    on_line = (flows >= amps - 1e-6 * link.full_load_A) & (volts > 0)
    count = int(np.argmin(on_line)) if not on_line.all() else POINTS
    if count < 2:
        return []
    line_A, line_V = amps[:count], volts[:count]
    most = float(flows[count:].max(initial=0.0))
    if most > line_A[-1]:
        # The limit lies between two points: the line goes on to it.
        fall = (line_V[-1] - line_V[-2]) / (line_A[-1] - line_A[-2])
        line_V = np.append(line_V, line_V[-1] + fall * (most - line_A[-1]))
        line_A = np.append(line_A, most)
    by, law = _limiter(job, output, float(line_A[-1]))
    return [_met(draw, line_A, line_V, by, law) for draw in part.draws()]


def _met(draw: Draw, amps: Array, volts: Array, by: str, law: str) -> DevicePoint:
    """Where a device's law meets the line, or the current at its end."""
    wanted = np.array([draw.amps(float(v)) for v in volts])
    excess = wanted - amps
    if excess[-1] <= 0:
        at = float(np.interp(0.0, -excess, amps))
        return DevicePoint(draw.state, at, float(np.interp(at, amps, volts)))
    # It would draw more than there is: the volts fall until it does not.
    most, low, high = float(amps[-1]), 0.0, float(volts[-1])
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (low, middle) if draw.amps(middle) > most else (middle, high)
    return DevicePoint(draw.state, most, high, by or "the path", law)


def _limiter(job: Job, output: str, most_A: float) -> tuple[str, str]:
    """The link whose limit ends the line at these amps, and what it does then; empty: none is known."""
    for link in reversed(job.design.path_to(output)):
        limit_A = current_limit_A(job, link)
        if limit_A is not None and abs(limit_A - most_A) <= SAME_SHARE * limit_A:
            part = job.part(link.part)
            law = part.beyond_words if isinstance(part, SourcePart) else "constant current"
            return link.name, law
    return "", ""
