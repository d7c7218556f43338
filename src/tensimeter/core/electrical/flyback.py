"""A flyback stage over one cycle: the valley that feeds it, its duty, peaks, rms amps and ripple.

Continuous where amps are left in the winding as the switch closes again, else discontinuous; at the
boundary of the two it is critical.
"""

import math
from functools import cached_property

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError

#: Two diodes of the bridge in front of the bulk capacitor; rule of thumb.
BRIDGE_V = 1.4
#: Points of a cycle over which ripple is looked for.
POINTS = 4001


def bulk_peak_V(line_V: float) -> float:
    """Volts of the bulk capacitor at the peak of a sine of `line_V` rms, behind the bridge."""
    return max(math.sqrt(2) * line_V - BRIDGE_V, 0.0)


def bulk_valley_V(line_V: float, mains_Hz: float, bulk_F: float, watts: float) -> float:
    """Least volts of a bulk capacitor that gives constant watts between two peaks of the rectified line.

    It follows the sine past its peak until that falls faster than the load discharges it, then
    ½C·(V1² − V²) = P·t until the next half wave meets it.

    Raises
    ------
    UserError
        Where the capacitor is empty before the next half wave comes.

    References
    ----------
    Energy of a capacitor at constant power; the times are those of a full-wave rectified sine.
    """
    from scipy.optimize import brentq  # noqa: PLC0415 - a window that has none of it does not wait

    peak, omega = bulk_peak_V(line_V), 2 * math.pi * mains_Hz
    if not peak > 0:
        raise UserError("The line gives nothing at its lowest: type its lowest rms volts.")
    if watts <= 0:
        return peak
    # Where −Vpk·ω·sin x, the slope of the sine after its peak, reaches −P/(C·V).
    steepest = watts / (bulk_F * peak**2 * omega)
    if steepest >= 0.5:
        raise UserError("The bulk capacitor is too small: it is empty before the next half wave comes.")
    leaves = 0.5 * math.asin(2 * steepest)
    first = peak * math.cos(leaves)

    def over(x: float) -> float:
        return first**2 - 2 * watts * (x - leaves) / omega / bulk_F - (peak * math.cos(x)) ** 2

    # Left of the zero of the sine the sine lies lower still; the next half wave rises from there.
    if over(math.pi / 2) < 0:
        raise UserError("The bulk capacitor is too small: it is empty before the next half wave comes.")
    meets = float(brentq(over, math.pi / 2, math.pi))
    return abs(peak * math.cos(meets))


class Stage(Struct, frozen=True):
    """What switches and what is wound: H of the primary, Hz, turns over turns, V out, a diode's drop."""

    primary_H: float
    frequency_Hz: float
    ratio: float
    output_V: float
    diode_V: float = 0.5

    @property
    def reflected_V(self) -> float:
        """What stands across the primary while the secondary leads."""
        return self.ratio * (self.output_V + self.diode_V)


class Cycle(Struct, frozen=True, dict=True):
    """One cycle of a stage in its steady state: V of its bulk, A out, watts in."""

    stage: Stage
    bulk_V: float
    output_A: float
    watts_in: float

    @property
    def _one(self) -> float:
        """Duty of a cycle without a rest: V·D = Vr·(1 − D)."""
        return self.stage.reflected_V / (self.bulk_V + self.stage.reflected_V)

    @cached_property
    def continuous(self) -> bool:
        """Whether amps are left in the winding as the switch closes."""
        one, stage = self._one, self.stage
        ramp = self.bulk_V * one / (stage.primary_H * stage.frequency_Hz)
        return self.watts_in / (self.bulk_V * one) > ramp / 2

    @cached_property
    def duty(self) -> float:
        """Share of the cycle with the switch closed."""
        if self.continuous:
            return self._one
        return self.ramp_A * self.stage.primary_H * self.stage.frequency_Hz / self.bulk_V

    @cached_property
    def off_duty(self) -> float:
        """Share of the cycle in which the secondary leads."""
        if self.continuous:
            return 1 - self._one
        return self.ramp_A * self.stage.primary_H * self.stage.frequency_Hz / self.stage.reflected_V

    @cached_property
    def ramp_A(self) -> float:
        """How far the primary's amps rise in a cycle: discontinuous, P = ½·L·I²·f."""
        stage = self.stage
        if self.continuous:
            return self.bulk_V * self._one / (stage.primary_H * stage.frequency_Hz)
        return math.sqrt(2 * self.watts_in / (stage.primary_H * stage.frequency_Hz))

    @property
    def middle_A(self) -> float:
        """The primary's amps in the middle of its ramp."""
        return self.watts_in / (self.bulk_V * self.duty) if self.duty else 0.0

    @property
    def peak_A(self) -> float:
        """The primary's amps as the switch opens."""
        return self.middle_A + self.ramp_A / 2

    @property
    def primary_rms_A(self) -> float:
        """Of a trapezium: √(D·(Im² + ΔI²/12))."""
        return math.sqrt(self.duty * (self.middle_A**2 + self.ramp_A**2 / 12))

    def _secondary(self) -> tuple[float, float]:
        """Amps of the secondary in the middle of its ramp, and the ramp, for this output's amps alone."""
        if not self.off_duty:
            return 0.0, 0.0
        middle = self.output_A / self.off_duty
        return middle, self.ramp_A * middle / self.middle_A

    @property
    def secondary_peak_A(self) -> float:
        """The secondary's amps as the switch opens."""
        middle, ramp = self._secondary()
        return middle + ramp / 2

    @property
    def secondary_rms_A(self) -> float:
        """Rms amps of the secondary and of its diode."""
        middle, ramp = self._secondary()
        return math.sqrt(self.off_duty * (middle**2 + ramp**2 / 12))

    @property
    def capacitor_rms_A(self) -> float:
        """Rms ripple amps of the output's capacitor."""
        return math.sqrt(max(self.secondary_rms_A**2 - self.output_A**2, 0.0))

    def ripple_V(self, farad: float, esr_ohm: float = 0.0) -> float:
        """Output ripple p-p of a capacitor with its ESR, over one cycle of the secondary's amps."""
        middle, ramp = self._secondary()
        into = self.off_duty / self.stage.frequency_Hz
        rest = (1 - self.off_duty) / self.stage.frequency_Hz
        if not into:
            return 0.0
        # Its charge bends while the secondary leads, and falls straight while it does not.
        t = np.linspace(0, into, POINTS)
        amps = middle + ramp / 2 - ramp * t / into - self.output_A
        charge = (middle + ramp / 2 - self.output_A) * t - ramp * t**2 / into / 2
        led: Array = charge / farad + esr_ohm * amps
        alone = (charge[-1] - np.array([0.0, rest]) * self.output_A) / farad - esr_ohm * self.output_A
        return float(max(led.max(), alone.max()) - min(led.min(), alone.min()))


def leakage_clamp_W(leak_H: float, peak_A: float, hertz: float, clamp_V: float, reflected_V: float) -> float:
    """Watts in a clamp on the switch: ½·Ll·I²·f·Vc/(Vc − Vr); while it leads it takes of the rest too.

    >>> round(leakage_clamp_W(10e-6, 2.0, 65e3, 200.0, 100.0), 3)
    2.6
    """
    if not clamp_V > reflected_V:
        raise UserError("A clamp lies above the reflected volts, else it takes all the power.")
    return 0.5 * leak_H * peak_A**2 * hertz * clamp_V / (clamp_V - reflected_V)
