"""Of a thousand home-made loads drawn from their tolerances, how many sink what is set within the 95 % band.

python -m benchmarks.budgets [LOADS]

Each load is drawn part by part and its circuit worked out: what the reference really is, what the setting
is rounded to, what each amplifier is off and each shunt has once it is warm.
"""

import sys

import numpy as np
from msgspec.structs import replace

from tensimeter.core.electrical.made_sink import AMPLIFIER_RISE_K, TWO_WIRE_OHM, MadeSink, Scale, Shunt
from tensimeter.core.electrical.sink_load import Device, SinkLoad

PART = Device(0.05, 0.75, 0.3, 150.0, ((10.0, 12.0), (30.0, 2.5), (60.0, 0.6)))
SINK = SinkLoad(PART, 2, 30.0, 5.0, 60.0, 0.1, 0.8, 25.0)
#: One device and several; coarse and fine shunts; a reading beside settings.
LOADS = (
    MadeSink(SINK, Shunt(0.01, 100.0, 5.0), 1e-3, 5e-6, Scale(0.5, 12, 0.01)),
    MadeSink(replace(SINK, devices=1), Shunt(0.05, 400.0, 3.0), 3e-3, 10e-6, Scale(0.6, 10, 0.002)),
    MadeSink(
        replace(SINK, devices=4, shunt_ohm=0.22),
        Shunt(0.01, 50.0, 2.0, False),
        0.5e-3,
        2e-6,
        Scale(0.5, 16, 0.005),
    ),
    MadeSink(replace(SINK, devices=3), Shunt(0.001, 20.0, 3.0), 5e-3, 20e-6, Scale(0.25, 8, 0.0)),
)


def sunk(made: MadeSink, set_A: float, rng: np.random.Generator) -> float:
    """Amps of one load drawn from its tolerances as it is set to some."""
    n, scale = made.sink.devices, made.set_by
    assert scale is not None

    def within(bound: float, count: int = 1) -> np.ndarray:
        return rng.uniform(-bound, bound, count)

    wanted_V = set_A / n * made.sink.shunt_ohm
    reference = 1 + within(scale.reference)[0]
    code = np.round(wanted_V / scale.count_V)
    drives_V = code * scale.count_V * reference
    off_V = within(made.offset_V, n) + within(made.drift_V_K * AMPLIFIER_RISE_K, n)
    shunt = made.shunt
    share = 1 + within(shunt.tolerance, n) + within(shunt.ppm_K * 1e-6 * made.shunt_rise_K, n)
    ohms = made.sink.shunt_ohm * share + (0.0 if shunt.four_wire else within(TWO_WIRE_OHM, n))
    return float(np.sum((drives_V + off_V) / ohms))


def inside(made: MadeSink, loads: int, seed: int) -> int:
    """How many of so many loads, each set to amps of its own, lie in the band that is told."""
    rng, told = np.random.default_rng(seed), made.accuracy(made.set_by)
    amps = rng.uniform(0.1, 1.0, loads) * made.sink.amps
    return sum(abs(sunk(made, a, rng) - a) <= told.half_width(a) for a in amps)


def main() -> None:
    """A line each."""
    loads = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    for k, made in enumerate(LOADS):
        found = [inside(made, loads, seed) for seed in range(3)]
        print(f"load {k}: {', '.join(map(str, found))} of {loads} inside the 95 % band")


if __name__ == "__main__":
    main()
