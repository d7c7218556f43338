"""The loop of a discrete linear stage: an amplifier drives a follower until the divider says what is set.

Its poles are those of the amplifier with its integrator, the base charge of the pass devices, and the
output's capacitor with its ESR. A follower gives and never takes: what it overshoots the load takes away.
"""

import math
from functools import cached_property

import numpy as np
from msgspec import Struct

from tensimeter.core.electrical.control_loop import ControlLoop, Step
from tensimeter.core.errors import UserError

#: kT/q at a junction of 25 °C, V; volts of a base over its emitter, rule of thumb.
THERMAL_V, BASE_V = 0.0257, 0.65


class Follower(Struct, frozen=True):
    """Pass devices side by side as one: gain, Hz of unity current gain, ballast of each in Ω, how many.

    `base_V` counts one junction; two of a pair in a row have two. `drive_ohm` lies before the base.
    """

    gain: float
    unity_Hz: float
    ballast_ohm: float
    devices: int = 1
    drive_ohm: float = 100.0
    base_V: float = BASE_V
    saturated_V: float = 0.5


class StageAmplifier(Struct, frozen=True):
    """An error amplifier: Hz of unity gain, what is lost below its supply, lowest out, its integrator."""

    unity_Hz: float
    lost_at_top_V: float = 1.5
    lowest_V: float = 0.0
    integrator_F: float = 0.0


class StageLoop(Struct, frozen=True, dict=True):
    """A stage at V and A out: divider from the output, its bottom resistor at the reference."""

    follower: Follower
    amplifier: StageAmplifier
    reference_V: float
    top_ohm: float
    bottom_ohm: float
    output_F: float
    esr_ohm: float
    amps: float

    @property
    def share(self) -> float:
        """Of the output that the divider gives back."""
        return self.bottom_ohm / (self.top_ohm + self.bottom_ohm)

    @property
    def output_V(self) -> float:
        """V = Vref·(1 + Rtop/Rbottom)."""
        return self.reference_V / self.share

    @property
    def in_series_ohm(self) -> float:
        """Emitter and ballast of all devices together."""
        return THERMAL_V / self.amps + self.follower.ballast_ohm / self.follower.devices

    def _loop(self, of_load: bool) -> ControlLoop:
        """States: vo, integrator, amps of the follower, volts of the capacitor."""
        _checked(self)
        follower, amp = self.follower, self.amplifier
        vo, held, amps, stored = np.eye(4)
        omega = 2 * math.pi * amp.unity_Hz
        charge_s = 1 / (2 * math.pi * follower.unity_Hz)
        out = stored + self.esr_ohm * amps
        a, f, u = np.zeros((4, 4)), np.zeros(4), np.zeros(4)
        if amp.integrator_F:
            tau = self.top_ohm * self.bottom_ohm / (self.top_ohm + self.bottom_ohm) * amp.integrator_F
            a[0] = -omega * (vo - held)
            a[1], f[1] = (vo - held) / tau, -self.share / tau
        else:
            f[0], a[1, 1] = -omega * self.share, -omega
        base = (vo - self.in_series_ohm * amps) / follower.drive_ohm
        a[2] = (base - out / follower.drive_ohm - amps / follower.gain) / charge_s
        a[3] = amps / self.output_F
        if of_load:
            # One ampere more of load: from the capacitor at once, across its ESR at once.
            u[3] = -1 / self.output_F
            u[2] = self.esr_ohm / follower.drive_ohm / charge_s
            return ControlLoop(a, f, out, u, out, -self.esr_ohm, -self.esr_ohm)
        u[0] = omega
        return ControlLoop(a, f, out, u, out)

    @cached_property
    def loop(self) -> ControlLoop:
        """As its reference steps; the gain is the same as its load steps."""
        return self._loop(False)

    @property
    def phase_margin(self) -> float | None:
        """Degrees; None where its gain never falls through one."""
        return self.loop.phase_margin

    def set_step(self, band: float = 0.01) -> Step:
        """Overshoot and settling after a small step of what is set."""
        return self.loop.step(band)

    def load_step(self, amps: float, band: float = 0.01) -> tuple[float, float]:
        """V that the output dips by so many amps more, and seconds until within a share of its volts."""
        dip, settles = self._loop(True).dip(band * self.output_V / amps)
        return dip * amps, settles

    def drive_V(self, amps: float | None = None) -> float:
        """What the amplifier has to give at amps."""
        amps = self.amps if amps is None else amps
        follower = self.follower
        drop = follower.base_V + follower.ballast_ohm * amps / follower.devices
        return self.output_V + drop + follower.drive_ohm * amps / follower.gain

    def lowest_in_V(self, amps: float | None = None) -> float:
        """Input volts below which it drops out: the amplifier's headroom, or a device that saturates."""
        amps = self.amps if amps is None else amps
        follower = self.follower
        saturated = self.output_V + follower.saturated_V + follower.ballast_ohm * amps / follower.devices
        return max(self.drive_V(amps) + self.amplifier.lost_at_top_V, saturated)


def _checked(stage: StageLoop) -> None:
    follower, amp = stage.follower, stage.amplifier
    above = (
        follower.gain, follower.unity_Hz, follower.devices, follower.drive_ohm, amp.unity_Hz,
        stage.reference_V, stage.bottom_ohm, stage.output_F, stage.amps,
    )  # fmt: skip
    if not all(math.isfinite(x) and x > 0 for x in above):
        raise UserError("Follower, amplifier, reference, divider, capacitor and amps are above zero.")
    if min(follower.ballast_ohm, stage.esr_ohm, stage.top_ohm, amp.integrator_F) < 0:
        raise UserError("Ballast, ESR, the divider’s top and an integrator are nothing or more.")
    if amp.integrator_F and not stage.top_ohm:
        raise UserError("An integrator needs the divider’s resistance before it: its top is nothing.")
