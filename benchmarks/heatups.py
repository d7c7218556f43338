"""Seeded heat-ups: how often the forecast's 95 % interval holds the final temperature, and how wide it is.

python -m benchmarks.heatups [RUNS] [CASE ...]      cases: one, half, one-tau, two
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from tensimeter.core.thermal.foresee import DESIGN_WRONG, Expected, foresee
from tensimeter.core.thermal.heatup import HeatUp

DRIFT_K_S = 1.0 / 3600


@dataclass(frozen=True)
class Case:
    name: str
    stages: int
    #: Length of the record in slow time constants.
    spans: float


CASES = {
    "one": Case("one time constant, 1 τ", 1, 1.0),
    "half": Case("two time constants, 0.5 τ", 2, 0.5),
    "one-tau": Case("two time constants, 1 τ", 2, 1.0),
    "two": Case("two time constants, 2 τ", 2, 2.0),
}


def drawn(case: Case, seed: int) -> tuple[HeatUp, Expected | None, float, float]:
    """A heat-up, what a design expects of it, its true final temperature in °C, its rise in K."""
    rng = np.random.default_rng([seed, case.stages, int(10 * case.spans)])
    slow = float(np.exp(rng.uniform(np.log(300), np.log(3000))))
    hoped = rng.uniform(25, 60)
    rise = hoped * _as_wrong_as_said(rng) if case.stages == 2 else hoped
    share, ratio = (rng.uniform(0.2, 0.35), rng.uniform(0.15, 0.35)) if case.stages == 2 else (0.0, 0.2)
    noise, digit = rng.uniform(0.1, 0.5), float(rng.choice([0.1, 1.0]))
    count = int(np.exp(rng.uniform(np.log(100), np.log(20_000))))
    t = np.sort(rng.uniform(0, case.spans * slow, count))
    t[0], t[-1] = 0.0, case.spans * slow
    room = rng.uniform(5, 30)
    # τ·x' = room + drift·t + A − x, solved by hand; the fast stage knows no ambient.
    lag = DRIFT_K_S * slow
    ambient = room + DRIFT_K_S * t
    true = ambient - lag * (1 - np.exp(-t / slow)) + rise * (1 - share) * (1 - np.exp(-t / slow))
    true += rise * share * (1 - np.exp(-t / (ratio * slow)))

    def read(values: np.ndarray) -> np.ndarray:
        return np.round((values + noise * rng.standard_normal(count)) / digit) * digit

    record = HeatUp(t, read(true), read(ambient), (0.0,))
    return record, _design(case, rng, hoped, slow, ratio, share), float(ambient[-1] + rise), rise


def _as_wrong_as_said(rng: np.random.Generator) -> float:
    """A true rise over the design's: as far off as a design may be, now and then three times so."""
    while True:
        wide = 3.0 if rng.random() < DESIGN_WRONG else 1.0
        found = 1 + wide * Expected((1.0,), 1.0).rise_spread * float(rng.standard_normal())
        if found > 0.2:
            return found


def _design(
    case: Case, rng: np.random.Generator, rise: float, slow: float, ratio: float, share: float
) -> Expected | None:
    if case.stages == 1:
        return None
    plain = Expected((rise,), slow)
    logit = np.log(share / (1 - share)) + plain.share_spread * rng.standard_normal()
    return Expected(
        (rise,),
        slow * float(np.exp(plain.slow_spread * rng.standard_normal())),
        ratio * float(np.exp(plain.ratio_spread * rng.standard_normal())),
        1 / (1 + float(np.exp(-logit))),
    )


def tried(job: tuple[str, int]) -> tuple[bool, float, float, bool]:
    """Whether the interval holds the truth, error and full width as shares of the rise, coarse digits."""
    name, seed = job
    case = CASES[name]
    record, expected, true, rise = drawn(case, seed)
    found = foresee(record, expected, "1" if case.stages == 1 else "auto", compare=False)
    final = found.final
    inside = final.low <= true <= final.high
    return inside, abs(final.value - true) / rise, (final.high - final.low) / rise, False


def main() -> None:
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    wanted = sys.argv[2:] or list(CASES)
    with ProcessPoolExecutor(2) as pool:
        for name in wanted:
            rows = list(pool.map(tried, [(name, k) for k in range(runs)], chunksize=10))
            inside = sum(r[0] for r in rows)
            error, width = (100 * np.median([r[k] for r in rows]) for k in (1, 2))
            wide = 100 * np.quantile([r[2] for r in rows], 0.9)
            print(
                f"{CASES[name].name:28} inside {inside:4d} of {runs}  median error {error:5.2f} %  "
                f"median width {width:6.2f} %  (nine of ten under {wide:.1f} %)",
                flush=True,
            )


if __name__ == "__main__":
    main()
