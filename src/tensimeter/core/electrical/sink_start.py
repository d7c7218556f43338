"""A load that was set before there was anything to sink: how far it overshoots as the source comes.

With no amps in its shunt the amplifier stands at its highest volts and its integrator is charged: the gate
is wide open as the source comes, and stays so until the integrator has come back.
"""

from collections.abc import Callable

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.electrical.sink_loop import SinkLoop, checked
from tensimeter.core.errors import UserError

#: How fast a source comes by a switch or a plug, s; the share over what is set that counts as above it.
RISE_S, ABOVE = 1e-6, 0.01
#: Rounds of a longer time that are tried until it has come down.
ROUNDS, POINTS = 6, 8000
#: How often the circuit is looked at in one start, at the most: one that rings on would take minutes.
MOST_LOOKS = 120_000


class Start(Struct, frozen=True):
    """What a start does: peak amps of the source, and seconds above what is set."""

    peak_A: float
    above_s: float


def started(
    sink: SinkLoop, from_V: float | None = None, rise_s: float = RISE_S, looks: int = MOST_LOOKS
) -> Start:
    """What a source coming within `rise_s` makes of a load that is set, its circuit integrated.

    Parameters
    ----------
    sink : SinkLoop
        One device with its loop; what several make is so many times this.
    from_V : float, optional
        Where the amplifier stands as the source comes, V: its highest by itself, lower with a clamp, nothing
        with a load that is off until the source is up.
    rise_s : float, optional
        Time constant of the source, s.
    looks : int
        How often the circuit is looked at, at the most.

    Raises
    ------
    UserError
        Where it does not come down again (the loop oscillates), or can't be followed.
    """
    from scipy.integrate import solve_ivp  # noqa: PLC0415 - a window that has none of it does not wait

    checked(sink)
    top = sink.amplifier.highest_V if from_V is None else min(max(from_V, 0.0), sink.amplifier.highest_V)
    dark = np.array([top, top, top, 0.0, 0.0, 0.0])
    over = sink.amps * (1 + ABOVE)
    lag = sink.amplifier.gate_ohm * (sink.device.gate_F + sink.device.miller_F)
    leads_s = sink.leads_H / (sink.leads_ohm + sink.shunt_ohm)
    until = 30 * (sink.amplifier.integrates_s + lag + rise_s + leads_s)
    for _ in range(ROUNDS):
        slope = _circuit(sink, rise_s, looks)
        at, finest = np.linspace(0, until, POINTS), until / 200
        found = solve_ivp(slope, (0.0, until), dark, "LSODA", at, rtol=1e-7, atol=1e-10, max_step=finest)
        if not found.success:
            raise UserError("Its start can't be followed: figures of its loop lie too far apart.")
        amps, seconds = found.y[4], found.t
        above = np.flatnonzero(amps > over)
        if not len(above):
            return Start(float(max(amps.max(), sink.amps)), 0.0)
        # It has come down where it stays there for as long again.
        if seconds[above[-1]] < until / 2:
            return Start(float(amps.max()), float(seconds[above[-1]]))
        until *= 3
    raise UserError("It never comes down to what is set: its loop oscillates.")


def _circuit(sink: SinkLoop, rise_s: float, looks: int) -> Callable[[float, Array], list[float]]:
    """Slopes of vo, integrator, vgs, vds, amps of leads and of shunt, as `SinkLoop.loop` with its rails."""
    device, amp, wanted = sink.device, sink.amplifier, sink.amps * sink.shunt_ohm
    omega, tau = 2 * np.pi * amp.unity_Hz, amp.integrator_ohm * amp.integrator_F
    own, miller = device.gate_F + device.miller_F, device.drain_F + device.miller_F
    both = own * miller - device.miller_F**2

    left = [looks]

    def slope(t: float, x: Array) -> list[float]:
        left[0] -= 1
        if left[0] < 0:
            raise UserError("Its start can't be followed: its loop rings far faster than it comes down.")
        vo, held, vgs, vds, led, shunt = x.tolist()
        volts = vo - vgs - amp.gate_ohm * (shunt - led)
        inverting = vo - held if tau else volts
        rises = min(max(omega * (wanted - inverting), -amp.slew_V_s), amp.slew_V_s)
        if (vo >= amp.highest_V and rises > 0) or (vo <= 0 and rises < 0):
            rises = 0.0
        gate, drain = shunt - led, led - device.amps(vgs, vds)
        source = sink.source_V * -np.expm1(-t / rise_s)
        return [
            rises,
            (inverting - volts) / tau if tau else 0.0,
            (miller * gate + device.miller_F * drain) / both,
            (own * drain + device.miller_F * gate) / both,
            (source - sink.leads_ohm * led - vds - volts) / sink.leads_H,
            (volts - sink.shunt_ohm * shunt) / sink.shunt_H,
        ]

    return slope
