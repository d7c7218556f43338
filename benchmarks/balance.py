"""Does power balance at every link, and does the path collapse where it must? Seeded random designs.

python -m benchmarks.balance [DESIGNS]
"""

import sys

import numpy as np

from tensimeter.core.electrical.constant_power import constant_power_volts
from tensimeter.core.electrical.elements import Conversion, CurrentSink, Network, Series
from tensimeter.core.electrical.solver import solve


def design(rng: np.random.Generator) -> tuple[Network, dict[str, float]]:
    """A stack of one to three units, up to four branches, converters behind converters among them."""
    elements: list[Series | Conversion | CurrentSink] = []
    for k in range(rng.integers(1, 4)):
        below = f"u{k - 1}" if k else None
        elements.append(Series(f"u{k}", below, emf=rng.uniform(5, 50), resistance=rng.uniform(0, 0.5)))
    loads = {}
    for k in range(rng.integers(1, 5)):
        feeds = [e.id for e in elements if isinstance(e, Series)]
        feed = feeds[rng.integers(len(feeds))]
        elements.append(Series(f"w{k}", feed, resistance=rng.uniform(0, 0.5), contact=rng.uniform(0, 0.1)))
        feed = f"w{k}"
        if rng.random() < 0.3:
            # A diode between sources, and a panel meter or a fan that draws for itself.
            elements.append(Series(f"d{k}", feed, drop_V=rng.uniform(0.2, 1.0)))
            feed = f"d{k}"
            elements.append(CurrentSink(f"s{k}", feed, own_A=rng.uniform(0, 0.3)))
        if rng.random() < 0.7:
            elements.append(
                Conversion(
                    f"c{k}", feed, set_V=rng.uniform(1, 24), limit_A=rng.uniform(0.5, 10), dropout_V=0.5,
                    loss_fixed_W=rng.uniform(0, 1), loss_per_A=rng.uniform(0, 0.6),
                    loss_per_A2=rng.uniform(0, 0.1), resistance=rng.uniform(0, 0.05),
                    topology=["step_down", "step_up", "both_ways", "linear"][rng.integers(4)],
                )
            )  # fmt: skip
            elements.append(Series(f"x{k}", f"c{k}", resistance=rng.uniform(0, 0.2)))
            feed = f"x{k}"
        elements.append(CurrentSink(f"o{k}", feed))
        loads[f"o{k}"] = rng.uniform(0, 8)
    return Network(tuple(elements)), loads


def main(designs: int = 10_000) -> None:
    rng, worst, running = np.random.default_rng(1), 0.0, 0
    for _ in range(designs):
        network, loads = design(rng)
        solution = solve(network, loads)
        running += bool(np.all(solution.runs))
        for element in network.elements:
            point = solution[element.id]
            if not np.isfinite(point.V):
                continue
            scale = max(abs(float(point.power_in)), 1e-3)
            worst = max(worst, abs(float(point.power_in - point.power_out - point.loss)) / scale)
            below = [solution[e.id].I_in for e in network.elements if e.fed_by == element.id]
            if below and np.isfinite(sum(below)):
                worst = max(worst, abs(float(point.I - sum(below))) / max(abs(float(point.I)), 1e-3))
    print(
        f"{designs} designs, {running} with every link regulating: worst imbalance {worst:.1e} of the power"
    )
    volts, ohms = rng.uniform(1, 100, 100_000), rng.uniform(1e-3, 10, 100_000)
    edge = volts**2 / (4 * ohms)
    runs = np.isfinite(constant_power_volts(volts, ohms, edge * (1 - 1e-12)))
    falls = np.isnan(constant_power_volts(volts, ohms, edge * (1 + 1e-12)))
    print(
        f"collapse at V0² = 4·P·R: {runs.mean():.6f} run a hair below, {falls.mean():.6f} fall a hair above"
    )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 10_000)
