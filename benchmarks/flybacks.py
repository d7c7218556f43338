"""How near a flyback's computed cycle comes to its circuit, integrated cycle by cycle.

python -m benchmarks.flybacks

The circuit has its own losses (switch, winding, diode, bleeding of its output); what they leave of the
watts is told to the computation as an efficiency, and as the volts that the resistances take from the bulk.
"""

from dataclasses import dataclass

import numpy as np
from scipy.integrate import solve_ivp
from scipy.optimize import brentq, root

from tensimeter.core.electrical.flyback import Cycle, Stage, bulk_peak_V, bulk_valley_V


@dataclass(frozen=True)
class Circuit:
    """A flyback's circuit: H, turns over turns, Hz, V and A out, F, Ω in series of each part."""

    name: str
    primary_H: float
    ratio: float
    hertz: float
    out_V: float
    out_A: float
    farad: float
    esr: float
    switch_ohm: float = 0.25
    secondary_ohm: float = 0.004
    diode_V: float = 0.5

    def cycle(
        self, bulk_V: float, load_A: float, on_s: float, start: tuple[float, float]
    ) -> dict[str, object]:
        """One cycle from the winding's amps and the capacitor's volts."""
        period, n = 1 / self.hertz, self.ratio

        def closed(_t: float, y: np.ndarray) -> list[float]:
            i, _vc = y[:2]
            return [(bulk_V - self.switch_ohm * i) / self.primary_H, -load_A / self.farad, i, i * i, 0.0, 0.0]

        def opened(_t: float, y: np.ndarray) -> list[float]:
            i, vc = y[:2]
            s = n * i
            out = vc + self.esr * (s - load_A)
            across = out + self.diode_V + self.secondary_ohm * s
            return [-n * across / self.primary_H, (s - load_A) / self.farad, 0.0, 0.0, s, s * s]

        def empty(_t: float, y: np.ndarray) -> float:
            return float(y[0])

        empty.terminal, empty.direction = True, -1  # type: ignore[attr-defined]
        tight = {"rtol": 1e-9, "atol": 1e-12, "max_step": period / 50}
        on = solve_ivp(closed, (0, on_s), [*start, 0, 0, 0, 0], **tight)
        peak = on.y[:, -1]
        off = solve_ivp(opened, (on_s, period), peak, events=empty, **tight)
        end, parts = off.y[:, -1].copy(), [(on, 0.0, load_A), (off, n, load_A)]
        if off.t[-1] < period:
            end[0] = 0.0
            end[1] -= load_A / self.farad * (period - off.t[-1])
        out = [run.y[1] + self.esr * (k * run.y[0] - load_A) for run, k, _ in parts]
        last = end[1] - self.esr * load_A if off.t[-1] < period else out[1][-1]
        volts = np.concatenate([*out, [last]])
        return {"end": end, "peak": float(peak[0]), "pp": float(volts.max() - volts.min())}

    def steady(self, bulk_V: float, load_A: float) -> dict[str, float]:
        """The cycle that repeats: the switch's time and the first amps that hold the output's volts."""
        period = 1 / self.hertz

        def gained(on_s: float, i0: float) -> np.ndarray:
            """How far amps and volts at the cycle's end are from its beginning."""
            end = self.cycle(bulk_V, load_A, on_s, (i0, self.out_V))["end"]
            return np.array([end[0] - i0, end[1] - self.out_V])  # type: ignore[index]

        tried = np.linspace(0.005, 0.9, 60) * period
        enough = next((k for k, t in enumerate(tried) if gained(t, 0.0)[1] > 0), 0)
        on, i0 = period, 0.0
        if enough:
            on = float(brentq(lambda t: gained(t, 0.0)[1], tried[enough - 1], tried[enough], xtol=1e-12))
        if not enough or gained(on, 0.0)[0] > 1e-9:
            # Amps are left: both have to come back.
            on = period * self.ratio * self.out_V / (bulk_V + self.ratio * self.out_V)
            scale = np.array([period, 1.0])
            got = root(lambda x: gained(*(x * scale)) * [1.0, 1e3], np.array([on / period, 0.3]), tol=1e-10)
            on, i0 = (float(x) for x in got.x * scale)
        found = self.cycle(bulk_V, load_A, on, (i0, self.out_V))
        end: np.ndarray = found["end"]  # type: ignore[assignment]
        return {
            "peak": float(found["peak"]),  # type: ignore[arg-type]
            "in_W": float(bulk_V * end[2] * self.hertz),
            "rms1": float(np.sqrt(end[3] * self.hertz)),
            "rms2": float(np.sqrt(end[5] * self.hertz)),
            "pp": float(found["pp"]),  # type: ignore[arg-type]
        }


#: Eight designs: discontinuous and continuous, low and high volts, small and large.
DESIGNS = (
    Circuit("12 V 5 A, dcm", 380e-6, 8.9, 65e3, 12.0, 5.0, 2200e-6, 0.012),
    Circuit("12 V 5 A, ccm", 900e-6, 8.9, 65e3, 12.0, 5.0, 2200e-6, 0.012),
    Circuit("5 V 2 A, dcm", 1.4e-3, 18.0, 65e3, 5.0, 2.0, 1000e-6, 0.03, 2.0),
    Circuit("24 V 4 A, ccm", 700e-6, 4.6, 100e3, 24.0, 4.0, 1000e-6, 0.02),
    Circuit("48 V 1 A, dcm", 500e-6, 2.3, 65e3, 48.0, 1.0, 470e-6, 0.05, 0.6, 0.03),
    Circuit("19 V 3.4 A, ccm", 650e-6, 5.4, 65e3, 19.0, 3.4, 1360e-6, 0.015, 0.4, 0.008),
    Circuit("13.6 V 1 A, dcm", 1.1e-3, 7.0, 65e3, 13.6, 1.0, 680e-6, 0.08, 1.5, 0.02),
    Circuit("12 V 8 A, ccm", 420e-6, 9.5, 80e3, 12.0, 8.0, 4400e-6, 0.008, 0.15, 0.002),
)


def valley(line_V: float, farad: float, watts: float) -> float:
    """Bulk valley by integrating rectifier and capacitor over three half waves."""
    omega, step = 2 * np.pi * 50, 1e-7
    v, least = bulk_peak_V(line_V), np.inf
    for k in range(int(0.03 / step)):
        sine = abs(np.cos(omega * k * step)) * bulk_peak_V(line_V)
        v = max(v - watts / v / farad * step, sine)
        if k * step > 0.02:
            least = min(least, v)
    return float(least)


def main() -> None:
    """Worst errors of each design over line and load, %."""
    worst = {"peak": 0.0, "rms1": 0.0, "rms2": 0.0, "flux": 0.0, "pp": 0.0}
    for circuit in DESIGNS:
        here = dict.fromkeys(worst, 0.0)
        for line_V in (180.0, 230.0, 264.0):
            for load in (0.25, 0.6, 1.0):
                amps = load * circuit.out_A
                bulk_V = bulk_peak_V(line_V)
                ran = circuit.steady(bulk_V, amps)
                stage = Stage(circuit.primary_H, circuit.hertz, circuit.ratio, circuit.out_V, circuit.diode_V)
                found = Cycle(stage, bulk_V, amps, ran["in_W"])
                told = {
                    "peak": found.peak_A,
                    "rms1": found.primary_rms_A,
                    "rms2": found.secondary_rms_A,
                    "pp": found.ripple_V(circuit.farad, circuit.esr),
                }
                for key, value in told.items():
                    here[key] = max(here[key], abs(value / ran[key] - 1))
                # Flux goes with the peak by turns and area that are the same on both sides.
                here["flux"] = here["peak"]
        for key in worst:
            worst[key] = max(worst[key], here[key])
        print(f"{circuit.name:20}", *(f"{key} {100 * value:5.2f} %" for key, value in here.items()))
    print(f"{'worst':20}", *(f"{key} {100 * value:5.2f} %" for key, value in worst.items()))
    off = [
        bulk_valley_V(line, 50, farad, watts) / valley(line, farad, watts) - 1
        for line, farad, watts in ((180, 120e-6, 70), (90, 220e-6, 60), (180, 47e-6, 30), (207, 33e-6, 40))
    ]
    print(f"{'bulk valley':20} off by {100 * max(map(abs, off)):.2f} % at the most")


if __name__ == "__main__":
    main()
