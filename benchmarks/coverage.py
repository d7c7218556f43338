"""Do the 95 % intervals hold what they say? 400 seeded runs against hidden truths.

Each run draws the instruments' hidden errors as they are specified (one gain and one offset for each
instrument and range, noise, quantisation), reads the demo supply's campaign points through them, and
asks whether the hidden resistance and no-load volts lie inside the intervals found. The median width
is compared with a bare Monte Carlo of the same error model around the least-squares line.

    python -m benchmarks.coverage [RUNS]
"""

import sys

import numpy as np

from tensimeter.core.analysis.regulation import Readings, regulation
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.testplan.plan import plan
from tensimeter.demo.library import demo_job, hidden_parameters
from tensimeter.simulation.supply import HiddenErrors, SimulatedSupply

NO_LOAD_V, RESISTANCE = 13.570, 0.0047 + 0.0061 + 2 * 1.7241e-8 * 2 / 2.5e-6 + 0.0088


def bare_half_widths(volts, amps, meter: Accuracy, ammeter: Accuracy, seed: int) -> tuple[float, float]:
    """95 % half-widths of U0 and R by plain simulation of the same errors, 20 000 draws."""
    rng, draws = np.random.default_rng(seed), 20_000
    noise = (draws, len(amps))
    quantum = rng.uniform(-0.5, 0.5, noise), rng.uniform(-0.5, 0.5, noise)
    v = volts * (1 + rng.uniform(-1, 1, (draws, 1)) * meter.of_reading)
    v = v + rng.uniform(-1, 1, (draws, 1)) * meter.offset
    v = v + meter.resolution * (meter.noise_counts * rng.standard_normal(noise) + quantum[0])
    i = amps * (1 + rng.uniform(-1, 1, (draws, 1)) * ammeter.of_reading)
    i = i + rng.uniform(-1, 1, (draws, 1)) * ammeter.offset
    i = i + ammeter.resolution * (ammeter.noise_counts * rng.standard_normal(noise) + quantum[1])
    mean = i.mean(1, keepdims=True)
    slope = -((i - mean) * v).sum(1) / ((i - mean) ** 2).sum(1)
    start = v.mean(1) + slope * i.mean(1)
    return tuple(np.diff(np.quantile(x, [0.025, 0.975]))[0] / 2 for x in (start, slope))


def main(runs: int = 400) -> None:
    job = demo_job("ridge-pier")
    worked_out = plan(job, job.campaign.tests[0])
    load = job.part("sink-150")
    supply = SimulatedSupply(job, hidden_parameters("ridge-pier"))
    for name in ("bench-meter", "hand-meter"):
        inside, widths = np.zeros(2, int), []
        meter = job.part(name).range_for("V", 13.6)
        for seed in range(runs):
            errors = HiddenErrors(seed)
            rows = []
            for step in worked_out.steps:
                flows = max(errors.shifted("load|set", step.set_A, load.amps), 0) if step.set_A else 0.0
                supply.draw("mount", flows)
                supply.advance(10.0)
                rows.append(
                    (
                        errors.read("meter", supply.volts("mount"), meter.accuracy),
                        errors.read("load|A", supply.amps("mount"), load.amps),
                    )
                )
            volts, amps = np.array(rows).T
            found = regulation(Readings.of_one_pair(volts, amps, meter.accuracy, load.amps), 13.6, 8.0)
            intervals = (found.no_load_V, found.output_resistance_ohm)
            inside += [
                i.low <= true <= i.high for i, true in zip(intervals, (NO_LOAD_V, RESISTANCE), strict=True)
            ]
            widths.append([i.half_width for i in intervals])
        line = NO_LOAD_V - RESISTANCE * amps
        bare = bare_half_widths(line, amps, meter.accuracy, load.amps, 1)
        median = np.median(widths, axis=0)
        for k, what in enumerate(("no-load volts", "resistance")):
            print(
                f"{name:12s} {what:14s} inside {inside[k]} of {runs}; median half-width {median[k]:.3g}, "
                f"bare Monte Carlo {bare[k]:.3g}, ratio {median[k] / bare[k]:.2f}"
            )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 400)
