"""Do the 95 % intervals hold what they say? A row a reported figure, seeded runs against hidden truths.

Each run draws the hidden errors as they are specified (one gain and one offset for each instrument and
range, rectangular; noise; digits), reads a supply through them, and asks whether the truth lies inside
the interval found. The median width is compared with a bare Monte Carlo of the same errors: the spread
of the figure about its truth over the same runs.

    python -m benchmarks.coverage [--quick] [ROW …]
"""

import sys
from concurrent.futures import ProcessPoolExecutor

from benchmarks import coverage_heat, coverage_limits, coverage_load, coverage_waves
from benchmarks.coverage_row import Row, Told

RUNS, QUICK = 1000, 200


def rows() -> list[Row]:
    """Every reported figure."""
    return [*coverage_load.ROWS, *coverage_limits.ROWS, *coverage_waves.ROWS, *coverage_heat.ROWS]


def main(words: list[str]) -> int:
    runs = QUICK if "--quick" in words else RUNS
    wanted = [w for w in words if not w.startswith("-")]
    failed = 0
    print(f"{'figure':34s} {'inside':>12s} {'median / bare':>14s}")
    chosen = [k for k, row in enumerate(rows()) if not wanted or row.name in wanted]
    with ProcessPoolExecutor() as pool:
        for told in pool.map(_run, chosen, [runs] * len(chosen)):
            failed += not told.good
            print(told.line, flush=True)
    return failed


def _run(row: int, runs: int) -> Told:
    return rows()[row].run(runs)


if __name__ == "__main__":
    sys.exit(1 if main(sys.argv[1:]) else 0)
