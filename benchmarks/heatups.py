"""Seeded heat-ups: how often the forecast's 95 % interval holds the final temperature, and how wide it is.

python -m benchmarks.heatups [RUNS] [CASE ...]      cases: one, half, one-tau, two
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from tensimeter.core.heatup.fit import FAST_WRONG, SLOW_WRONG, WRONG, fit_heat_up
from tensimeter.core.heatup.prior import Expected
from tensimeter.core.heatup.record import HeatUp

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
    tau = float(np.exp(rng.uniform(np.log(300), np.log(3000))))
    slow, fast, ratio, expected = rng.uniform(20, 70), 0.0, 0.2, None
    while case.stages == 2:
        expected = _design(rng, tau)
        hoped = expected.rises_K[0]
        wrong = rng.random()
        slow = hoped * (1 - expected.fast_share) * _strays(rng, expected.slow_spread, wrong < SLOW_WRONG)
        fast = hoped * expected.fast_share * _strays(rng, expected.fast_spread, wrong > 1 - FAST_WRONG)
        ratio = expected.fast_ratio * float(np.exp(expected.ratio_spread * rng.standard_normal()))
        if slow > 0 and 0.2 <= fast / (slow + fast) <= 0.35 and 0.15 <= ratio <= 0.35:
            break
    noise, digit = rng.uniform(0.1, 0.5), float(rng.choice([0.1, 1.0]))
    count = int(np.exp(rng.uniform(np.log(100), np.log(20_000))))
    t = np.sort(rng.uniform(0, case.spans * tau, count))
    t[0], t[-1] = 0.0, case.spans * tau
    # τ·x' = room + drift·t + A − x, solved by hand; the fast stage knows no ambient.
    ambient = rng.uniform(5, 30) + DRIFT_K_S * t
    true = (
        ambient + (slow - DRIFT_K_S * tau) * (1 - np.exp(-t / tau)) + fast * (1 - np.exp(-t / (ratio * tau)))
    )

    def read(values: np.ndarray) -> np.ndarray:
        return np.round((values + noise * rng.standard_normal(count)) / digit) * digit

    record = HeatUp(t, read(true), read(ambient), (0.0,))
    return record, expected, float(ambient[-1] + slow + fast), slow + fast


def _design(rng: np.random.Generator, tau: float) -> Expected:
    plain = Expected((rng.uniform(25, 60),), tau)
    return replace(
        plain,
        slow_s=tau * float(np.exp(plain.tau_spread * rng.standard_normal())),
        fast_ratio=float(rng.uniform(0.1, 0.5)),
        fast_share=float(rng.uniform(0.15, 0.45)),
    )


def _strays(rng: np.random.Generator, spread: float, wrong: bool) -> float:
    """A true rise over the design's: as far off as a design may be, now and then three times so."""
    return 1 + (WRONG if wrong else 1.0) * spread * float(rng.standard_normal())


def tried(job: tuple[str, int]) -> tuple[bool, float, float, bool]:
    """Whether the interval holds the truth, error and full width as shares of the rise, coarse digits."""
    name, seed = job
    case = CASES[name]
    record, expected, true, rise = drawn(case, seed)
    found = fit_heat_up(record, expected, "1" if case.stages == 1 else "auto", compare=False)
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
