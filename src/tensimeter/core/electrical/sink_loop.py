"""The loop of a home-made load: an amplifier drives a gate until a shunt's volts are those that are set.

Its poles are those of the amplifier, its integrator, the gate's resistor and capacitances, the inductance
of shunt and leads. A device's amps go with the square of its gate volts over the threshold.
"""

import math
from functools import cached_property

import numpy as np
from msgspec import Struct

from tensimeter.core.electrical.control_loop import ControlLoop, Step
from tensimeter.core.errors import UserError

#: A shunt with its leads where its inductance is not stated, H; rule of thumb.
SHUNT_H = 10e-9
#: A margin below which a loop rings much, and one that is aimed at; rules of thumb, degrees.
LEAST_MARGIN, GOOD_MARGIN = 45.0, 60.0


class GateDriven(Struct, frozen=True):
    """A device by its gate: V threshold, S at so many A, Ω fully on at so many V, F between its pins."""

    threshold_V: float
    gm_S: float
    gm_A: float
    on_ohm: float
    on_at_V: float = 10.0
    gate_F: float = 2e-9
    miller_F: float = 150e-12
    drain_F: float = 500e-12

    @property
    def square(self) -> float:
        """K of I = K·(Vgs − Vth)², from its transconductance: gm = 2·√(K·I)."""
        return self.gm_S**2 / (4 * self.gm_A)

    @property
    def series_ohm(self) -> float:
        """What of its Ω fully on lies outside its channel."""
        channel = 1 / (2 * self.square * (self.on_at_V - self.threshold_V))
        return max(self.on_ohm - channel, 0.0)

    def gate_V(self, amps: float) -> float:
        """Gate over source at amps, where it is not fully on."""
        return self.threshold_V + math.sqrt(amps / self.square)

    def across_V(self, amps: float, gate_V: float, warmer: float = 1.0) -> float:
        """Least volts across it at amps with so much at its gate, `warmer` times its cold resistance.

        I = K·(2·u·v − v²), so v = u − √(u² − I/K); inf where the gate does not let so much through.
        """
        over = gate_V - self.threshold_V
        if over <= 0 or amps > self.square * over**2:
            return math.inf
        channel = over - math.sqrt(over**2 - amps / self.square)
        return (channel + amps * self.series_ohm) * warmer

    def amps(self, gate_V: float, across_V: float) -> float:
        """Amps with so much at its gate and across it, by the law that `across_V` turns round."""
        over, k, ohm = gate_V - self.threshold_V, self.square, self.series_ohm
        if over <= 0 or across_V <= 0:
            return 0.0
        most = k * over**2
        if across_V - most * ohm >= over:
            return most
        # K·w² − (2·u·K + 1/R)·w + v/R = 0 with w across the channel, times R so that R may be nothing.
        b = 2 * over * k * ohm + 1
        left = 2 * across_V / (b + math.sqrt(b * b - 4 * k * ohm * across_V))
        return k * left * (2 * over - left)


class Amplifier(Struct, frozen=True):
    """What drives a gate: Hz of unity gain, V/s, highest V out, Ω to the gate, its integrator's Ω and F."""

    unity_Hz: float
    slew_V_s: float
    highest_V: float
    gate_ohm: float = 100.0
    integrator_ohm: float = 0.0
    integrator_F: float = 0.0

    @property
    def integrates_s(self) -> float:
        """Seconds in which it moves by as much as the shunt is off."""
        return self.integrator_ohm * self.integrator_F or 1 / (2 * math.pi * self.unity_Hz)


class SinkLoop(Struct, frozen=True, dict=True):
    """One device with its shunt and amplifier at `amps` of its own; leads and source in series."""

    device: GateDriven
    amplifier: Amplifier
    shunt_ohm: float
    amps: float
    source_V: float
    leads_ohm: float = 0.01
    leads_H: float = 1e-6
    shunt_H: float = SHUNT_H

    @cached_property
    def loop(self) -> ControlLoop:
        """Its linear circuit about the amps: states vo, integrator, vgs, vds, amps of leads, of shunt.

        Raises
        ------
        UserError
            For a figure that is none.
        """
        checked(self)
        device, amp = self.device, self.amplifier
        gm = 2 * math.sqrt(device.square * self.amps)
        omega = 2 * math.pi * amp.unity_Hz
        vo, held, vgs, vds, led, shunt = np.eye(6)
        volts = vo - vgs - amp.gate_ohm * (shunt - led)
        into = np.linalg.inv(
            [
                [device.gate_F + device.miller_F, -device.miller_F],
                [-device.miller_F, device.drain_F + device.miller_F],
            ]
        )
        gate, drain = shunt - led, led - gm * vgs
        a = np.zeros((6, 6))
        f, u = np.zeros(6), np.zeros(6)
        if amp.integrator_F:
            tau = amp.integrator_ohm * amp.integrator_F
            a[0], u[0] = -omega * (vo - held), omega
            a[1], f[1] = (vo - held) / tau, -1 / tau
        else:
            f[0], u[0] = -omega, omega
            a[1, 1] = -omega
        a[2] = into[0, 0] * gate + into[0, 1] * drain
        a[3] = into[1, 0] * gate + into[1, 1] * drain
        a[4] = (-self.leads_ohm * led - vds - volts) / self.leads_H
        a[5] = (volts - self.shunt_ohm * shunt) / self.shunt_H
        return ControlLoop(a, f, np.asarray(volts), u, np.asarray(led))

    @property
    def phase_margin(self) -> float | None:
        """Degrees; None where its gain never falls through one."""
        return self.loop.phase_margin

    def set_step(self, band: float = 0.01) -> Step:
        """Overshoot and settling after a small step of what is set."""
        return self.loop.step(band)

    @property
    def gate_left_V(self) -> float:
        """Volts that the amplifier has over what the gate wants at these amps."""
        return self.amplifier.highest_V - self.device.gate_V(self.amps) - self.amps * self.shunt_ohm

    def lowest_V(self, warmer: float = 1.0) -> float:
        """Volts below which it can't sink its amps: fully driven, with shunt and leads; inf where never."""
        gate = self.amplifier.highest_V - self.amps * self.shunt_ohm
        across = self.device.across_V(self.amps, gate, warmer)
        return across + self.amps * (self.shunt_ohm + self.leads_ohm)


def checked(sink: SinkLoop) -> None:
    """UserError where a figure of a loop can't be."""
    device, amp = sink.device, sink.amplifier
    above = (
        device.threshold_V, device.gm_S, device.gm_A, device.on_at_V - device.threshold_V, device.gate_F,
        device.miller_F, device.drain_F, amp.unity_Hz, amp.slew_V_s, amp.highest_V, amp.gate_ohm,
        sink.shunt_ohm, sink.amps, sink.leads_ohm, sink.leads_H, sink.shunt_H,
    )  # fmt: skip
    if not all(math.isfinite(x) and x > 0 for x in above):
        raise UserError("Device, amplifier, shunt and leads of a loop have figures above zero.")
    if bool(amp.integrator_F) != bool(amp.integrator_ohm):
        raise UserError("An integrator has both a resistor and a capacitor.")
