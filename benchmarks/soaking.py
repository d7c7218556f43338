"""A simulated soak of two hours at 10 Hz against the wall's clock, without instruments in between."""

import time

from benchmarks.measure import Row
from tensimeter.demo import ridge_pier
from tensimeter.simulation.supply import SimulatedSupply

RATE_HZ = 10.0


def rows() -> list[Row]:
    found = []
    for hours in (2, 8):
        supply = SimulatedSupply(ridge_pier.job(), ridge_pier.TRUTHS, heat=ridge_pier.HEAT)
        supply.draw("mount", 6.0)
        seconds = hours * 3600.0
        begin = time.perf_counter()
        supply.warmth.record(seconds, RATE_HZ)
        took = time.perf_counter() - begin
        # 5 000 times as fast as the wall's clock, or faster.
        found.append(
            Row("simulated soak at 10 Hz, 5000 × real time", f"{hours} h", took, seconds / 5000, 1.0)
        )
    return found
