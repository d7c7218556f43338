"""How far a figure strays: corners for what protects, a seeded spread for what is typical.

The spread is shown as 2.5–50–97.5 % and never called a worst case; the corners are.
"""

from collections.abc import Callable, Mapping

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.circuit.network import build, extremes, sampled
from tensimeter.core.electrical.elements import Network, Value
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job

DRAWS = 100_000
#: Asks a solution for one figure, such as the volts of an output.
Asked = Callable[[Solution], Array]


class Spread(Struct, frozen=True):
    """2.5 %, median and 97.5 % of a figure over seeded draws; `lost` is the share with no running state."""

    low: float
    median: float
    high: float
    lost: float


class Corners(Struct, frozen=True):
    """The least and the most that tolerances allow, each with every part at its worse end."""

    low: float
    high: float


def volts_of(link: str) -> Asked:
    """Asks a solution for the volts at a link."""
    return lambda solution: solution.whole(solution[link].V)


def spread(
    job: Job,
    load_A: Mapping[str, Figure],
    asked: Asked,
    *,
    draws: int = DRAWS,
    seed: int = 1,
    network: Network | None = None,
) -> Spread:
    """The typical spread of a figure under the parts' tolerances, all draws in one call of the solver.

    `network` is the job's own where none is given.
    """
    drawn = sampled(network or build(job), job, np.random.default_rng(seed), draws)
    values = np.ravel(asked(solve(drawn, load_A, as_set=True)))
    running = values[np.isfinite(values)]
    if not len(running):
        return Spread(np.nan, np.nan, np.nan, 1.0)
    ranks = np.rint(np.array([0.025, 0.5, 0.975]) * (len(running) - 1)).astype(int)
    low, median, high = np.partition(running, ranks)[ranks].tolist()
    return Spread(low, median, high, 1 - len(running) / len(values))


def corners(job: Job, load_A: Mapping[str, Figure], asked: Asked, network: Network | None = None) -> Corners:
    """The corners of a figure that rises or falls with each tolerance by itself.

    Each part's figure is moved alone to find which way it acts, then all are put to the worse end.
    """
    network = network or build(job)
    moved = extremes(network, job)
    middle = float(asked(solve(network, load_A, as_set=True)))
    worse: dict[bool, dict[tuple[str, str], Value]] = {False: {}, True: {}}
    for key, (least, most) in moved.items():
        up = float(asked(solve(network.with_values({key: most}), load_A, as_set=True))) >= middle
        worse[True][key], worse[False][key] = (most, least) if up else (least, most)
    low, high = (
        float(asked(solve(network.with_values(worse[side]), load_A, as_set=True))) for side in (False, True)
    )
    return Corners(low, high)
