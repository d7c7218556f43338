"""How near the computed loop of a test load and of a linear stage comes to its circuit, integrated in time.

python -m benchmarks.loops

The circuits have what the computation has not: a device by its square law down to fully on, an amplifier
that ends at its rails and slews, a base whose volts go with the logarithm of the amps. Phase margins are
read as one would on a bench: a small sine put into the closed loop, its two sides compared.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from tensimeter.core.electrical.sink_loop import Amplifier, GateDriven, SinkLoop
from tensimeter.core.electrical.sink_start import started
from tensimeter.core.electrical.stage_loop import Follower, StageAmplifier, StageLoop

Field = Callable[[float], float]
Slope = Callable[[float, np.ndarray], np.ndarray]


def run(rhs: Slope, until: float, start: np.ndarray, points: int = 20000):
    """Seconds (n,) and states (k, n) of a stiff circuit."""
    t = np.linspace(0, until, points)
    found = solve_ivp(
        rhs, (0, until), start, method="LSODA", t_eval=t, rtol=1e-8, atol=1e-11, max_step=until / 400
    )
    return found.t, found.y


@dataclass(frozen=True)
class SinkCircuit:
    """A load's circuit; states vo, integrator, vgs, vds, amps of leads, of shunt."""

    of: SinkLoop

    def device_A(self, vgs: float, vds: float) -> float:
        device = self.of.device
        over, k, ohm = vgs - device.threshold_V, device.square, device.series_ohm
        if over <= 0 or vds <= 0:
            return vds * 1e-9
        if vds - k * over**2 * ohm >= over:
            return k * over**2
        if ohm < 1e-9:
            return k * (2 * over * vds - vds**2)
        b = 2 * over * k + 1 / ohm
        w = (b - np.sqrt(b * b - 4 * k * vds / ohm)) / (2 * k)
        return float((vds - w) / ohm)

    def rhs(self, wanted_V: Field, source_V: Field, injected_V: Field) -> Slope:
        of, device, amp = self.of, self.of.device, self.of.amplifier
        matrix = np.linalg.inv(
            [
                [device.gate_F + device.miller_F, -device.miller_F],
                [-device.miller_F, device.drain_F + device.miller_F],
            ]
        )
        omega, tau = 2 * np.pi * amp.unity_Hz, amp.integrator_ohm * amp.integrator_F

        def slope(t: float, x: np.ndarray) -> np.ndarray:
            vo, held, vgs, vds, led, shunt = x
            volts = vo - vgs - amp.gate_ohm * (shunt - led)
            sensed = volts + injected_V(t)
            inverting = vo - held if tau else sensed
            up = float(np.clip(omega * (wanted_V(t) - inverting), -amp.slew_V_s, amp.slew_V_s))
            if (vo >= amp.highest_V and up > 0) or (vo <= 0 and up < 0):
                up = 0.0
            flows = self.device_A(vgs, vds)
            gate, drain = matrix @ [shunt - led, led - flows]
            return np.array(
                [
                    up,
                    -(sensed - inverting) / tau if tau else 0.0,
                    gate,
                    drain,
                    (source_V(t) - of.leads_ohm * led - vds - volts) / of.leads_H,
                    (volts - of.shunt_ohm * shunt) / of.shunt_H,
                ]
            )

        return slope

    def at_rest(self, amps: float, source_V: float) -> np.ndarray:
        """The state in which it sinks its amps for good."""
        of = self.of
        gate, volts = of.device.gate_V(amps), amps * of.shunt_ohm
        vo = gate + volts
        held = vo - volts
        return np.array([vo, held, gate, source_V - amps * (of.shunt_ohm + of.leads_ohm), amps, amps])


def followed(t: np.ndarray, y: np.ndarray, start: float, final: float) -> tuple[float, float]:
    """Overshoot as a share of a step, and seconds until within 1 % of it."""
    share = (y - start) / (final - start)
    outside = np.flatnonzero(np.abs(share - 1) > 0.01)
    return max(float(share.max()) - 1, 0.0), float(t[min(outside[-1] + 1, len(t) - 1)]) if len(
        outside
    ) else 0.0


def margin(
    rhs: Callable[[Field], Callable[[float, np.ndarray], np.ndarray]],
    sensed: Callable,
    rest: np.ndarray,
    near_Hz: float,
    size_V: float,
) -> float:
    """Phase margin in degrees: a sine injected where it is sensed, both sides compared, at a gain of one."""

    def gain(hertz: float) -> complex:
        inject = lambda t: size_V * np.sin(2 * np.pi * hertz * t)  # noqa: E731
        cycles = 60
        t, y = run(rhs(inject), cycles / hertz, rest, cycles * 200 + 1)
        keep = t >= (cycles - 20) / hertz
        before = sensed(t, y)[keep]
        after = before + inject(t[keep])
        turn = np.exp(-2j * np.pi * hertz * t[keep])
        return complex(-np.sum((before - before.mean()) * turn) / np.sum((after - after.mean()) * turn))

    at = brentq(
        lambda log: np.log(abs(gain(float(np.exp(log))))),
        np.log(near_Hz / 1.6),
        np.log(near_Hz * 1.6),
        xtol=5e-3,
    )
    return 180 + float(np.degrees(np.angle(gain(float(np.exp(at))))))


def sink_errors(of: SinkLoop) -> dict[str, float]:
    """Differences of one load between what is computed and its circuit."""
    circuit, volts = SinkCircuit(of), of.source_V
    wanted, none = of.amps * of.shunt_ohm, lambda _t: 0.0
    told = of.set_step()
    small = 1.01
    start = circuit.at_rest(of.amps / small, volts)
    t, y = run(circuit.rhs(lambda _t: wanted, lambda _t: volts, none), max(4 * told.settles_s, 20e-6), start)
    over, settles = followed(t, y[4], of.amps / small, of.amps)
    rest = circuit.at_rest(of.amps, volts)
    sine = margin(
        lambda inject: circuit.rhs(lambda _t: wanted, lambda _t: volts, inject),
        lambda _t, y: y[0] - y[2] - of.amplifier.gate_ohm * (y[5] - y[4]),
        rest, float(of.loop.crossover_Hz or 1.0), 1e-3 * wanted,
    )  # fmt: skip

    top = of.amplifier.highest_V
    dark = np.array([top, top, top, 0.0, 0.0, 0.0])

    def lacks(source_V: float) -> float:
        """Share of its amps that it does not reach, come from its highest drive, with the source so low."""
        until = 300 * of.amplifier.integrates_s + 3e-3
        _, y = run(circuit.rhs(lambda _t: wanted, lambda _t: source_V, none), until, dark, 2000)
        return float(1 - y[4, -1] / of.amps) - 1e-3

    low = of.lowest_V()
    lowest = float(brentq(lacks, 0.8 * low, 1.2 * low, xtol=1e-4 * low))
    told_start = started(of)
    peak, above = told_start.peak_A, told_start.above_s
    until = 3 * above + 50e-6
    soft = lambda t: volts * -np.expm1(-t / 1e-6)  # noqa: E731
    t, y = run(circuit.rhs(lambda _t: wanted, soft, none), until, dark, 40000)
    over_A = float(y[4].max())
    late = t[np.flatnonzero(y[4] > 1.01 * of.amps)[-1]]
    return {
        "overshoot": told.overshoot - over, "settling": told.settles_s / settles - 1,
        "margin_deg": float(of.phase_margin or 0) - sine, "lowest": low / lowest - 1,
        "wound_A": peak / over_A - 1, "wound_s": above / late - 1,
        "is": over, "is_margin": sine,
    }  # fmt: skip


@dataclass(frozen=True)
class StageCircuit:
    """A stage's circuit; states vo, integrator, amps of the follower, volts of the capacitor."""

    of: StageLoop

    def rhs(self, wanted_V: Field, load_A: Field, supply_V: Field, injected_V: Field) -> Slope:
        of, follower, amp = self.of, self.of.follower, self.of.amplifier
        omega = 2 * np.pi * amp.unity_Hz
        tau = of.top_ohm * of.bottom_ohm / (of.top_ohm + of.bottom_ohm) * amp.integrator_F

        def slope(t: float, x: np.ndarray) -> np.ndarray:
            vo, held, amps, stored = x
            out = stored + of.esr_ohm * (amps - load_A(t))
            sensed = of.share * (out + injected_V(t))
            inverting = vo - held if tau else sensed
            up = omega * (wanted_V(t) - inverting)
            if (vo >= supply_V(t) - amp.lost_at_top_V and up > 0) or (vo <= amp.lowest_V and up < 0):
                up = -1e5 * max(vo - supply_V(t) + amp.lost_at_top_V, 0.0) if up > 0 else 0.0
            base_V = follower.base_V + 0.0257 * np.log(max(amps, 1e-9) / of.amps)
            base = (vo - base_V - follower.ballast_ohm * amps / follower.devices - out) / follower.drive_ohm
            rises = (base - amps / follower.gain) * 2 * np.pi * follower.unity_Hz
            if amps <= 1e-9 and rises < 0:
                rises = 0.0
            return np.array(
                [up, -(sensed - inverting) / tau if tau else 0.0, rises, (amps - load_A(t)) / of.output_F]
            )

        return slope

    def at_rest(self, reference_V: float, amps: float) -> np.ndarray:
        of, follower = self.of, self.of.follower
        out = reference_V / of.share
        base_V = follower.base_V + 0.0257 * np.log(amps / of.amps)
        vo = (
            out
            + base_V
            + follower.ballast_ohm * amps / follower.devices
            + follower.drive_ohm * amps / follower.gain
        )
        return np.array([vo, vo - reference_V, amps, out])


def stage_errors(of: StageLoop) -> dict[str, float]:
    """Differences of one stage between what is computed and its circuit."""
    circuit, none = StageCircuit(of), lambda _t: 0.0
    high, steady = lambda _t: 10 * of.output_V, lambda _t: of.amps
    told = of.set_step()
    start = circuit.at_rest(of.reference_V / 1.001, of.amps)
    t, y = run(circuit.rhs(lambda _t: of.reference_V, steady, high, none), 4 * told.settles_s, start)
    out = y[3] + of.esr_ohm * (y[2] - of.amps)
    over, settles = followed(t, out, of.output_V / 1.001, of.output_V)
    rest = circuit.at_rest(of.reference_V, of.amps)
    sine = margin(
        lambda inject: circuit.rhs(lambda _t: of.reference_V, steady, high, inject),
        lambda _t, y: y[3] + of.esr_ohm * (y[2] - of.amps),
        rest, float(of.loop.crossover_Hz or 1.0), 1e-5 * of.output_V,
    )  # fmt: skip
    more = 0.02 * of.amps
    dip, _ = of.load_step(more)
    t, y = run(
        circuit.rhs(lambda _t: of.reference_V, lambda _t: of.amps + more, high, none),
        4 * told.settles_s,
        rest,
    )
    dips = float(of.output_V - (y[3] + of.esr_ohm * (y[2] - of.amps - more)).min())

    def lacks(supply_V: float) -> float:
        begin = rest.copy()
        begin[0] = min(rest[0], supply_V - of.amplifier.lost_at_top_V)
        begin[1] = begin[0] - of.reference_V
        _, y = run(
            circuit.rhs(lambda _t: of.reference_V, steady, lambda _t: supply_V, none),
            200 * told.settles_s + 20 * of.output_F * of.output_V,
            begin,
            2000,
        )
        return float(1 - y[3, -1] / of.output_V) - 1e-3

    low = of.lowest_in_V()
    lowest = float(brentq(lacks, 0.9 * low, 1.1 * low, xtol=1e-4 * low))
    return {
        "overshoot": told.overshoot - over, "settling": told.settles_s / settles - 1,
        "margin_deg": float(of.phase_margin or 0) - sine, "lowest": low / lowest - 1,
        "dip": dip / dips - 1, "is": over, "is_margin": sine,
    }  # fmt: skip


_DEVICE = GateDriven(3.5, 20.0, 10.0, 0.05)
_SMALL = GateDriven(2.0, 8.0, 5.0, 0.12, 5.0, 0.8e-9, 60e-12, 200e-12)
#: Loads with an integrator slow and fast, and such as ring.
LOADS = (
    SinkLoop(_DEVICE, Amplifier(1e6, 0.5e6, 9.0, 100.0, 10e3, 1e-9), 0.1, 2.5, 12.0),
    SinkLoop(_DEVICE, Amplifier(3e6, 2e6, 10.0, 220.0, 2.2e3, 330e-12), 0.1, 5.0, 24.0),
    SinkLoop(_DEVICE, Amplifier(1e6, 0.5e6, 9.0, 220.0, 4.7e3, 220e-12), 0.22, 1.0, 15.0),
    SinkLoop(_SMALL, Amplifier(1e6, 0.6e6, 5.0, 1000.0, 1e3, 220e-12), 0.1, 2.0, 12.0),
    SinkLoop(_SMALL, Amplifier(0.7e6, 0.3e6, 8.0, 330.0, 2.2e3, 1e-9), 0.33, 1.5, 30.0, 0.05, 4e-6),
)
_PASS = Follower(50.0, 2e6, 0.1, 2)
_PAIR = Follower(1500.0, 0.5e6, 0.22, 3, 220.0, 1.3)
STAGES = (
    StageLoop(_PASS, StageAmplifier(1e6), 2.5, 9.5e3, 2.5e3, 10e-6, 0.5, 1.0),
    StageLoop(_PASS, StageAmplifier(1e6, 1.5, 0.0, 10e-9), 2.5, 9.5e3, 2.5e3, 10e-6, 0.5, 1.0),
    StageLoop(_PASS, StageAmplifier(1e6, 1.5, 0.0, 1e-9), 5.0, 7e3, 5e3, 22e-6, 0.3, 2.0),
    StageLoop(_PAIR, StageAmplifier(1e6, 1.8, 0.05, 47e-9), 2.5, 12e3, 2.5e3, 47e-6, 0.2, 3.0),
    StageLoop(_PASS, StageAmplifier(3e6), 5.0, 5e3, 5e3, 4.7e-6, 0.8, 0.5),
)


def main() -> None:
    """A line each, and the worst."""
    for title, designs, errors in (("load", LOADS, sink_errors), ("stage", STAGES, stage_errors)):
        worst: dict[str, float] = {}
        for k, design in enumerate(designs):
            found = errors(design)  # type: ignore[operator]
            print(title, k, *(f"{key} {value:+.4f}" for key, value in found.items()), flush=True)
            worst = {key: max(abs(value), worst.get(key, 0.0)) for key, value in found.items()}
        print(title, "worst", *(f"{key} {value:.4f}" for key, value in worst.items() if "is" not in key))


if __name__ == "__main__":
    main()
