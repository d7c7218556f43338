"""Which missing load lets a rail stray while the supply idles, and what putting it on does to all rails.

A supply that regulates one rail, or their sum, lets the others move with its load: V_i = V0_i − Σ_j R_ij·I_j,
the model of cross regulation. A rail that sags at idle is often held up by the load of *another*: loading
the one that sags only makes it worse.
"""

from collections.abc import Mapping

from msgspec import Struct

#: Couplings below this say nothing: the load would be of tens of amperes.
LEAST_OHM = 1e-4


class MissingLoad(Struct, frozen=True):
    """The load that brings a rail into its band: on which rail, A, W, and the volts of every rail with it."""

    rail: str
    amps: float
    watts: float
    volts: dict[str, float]


def missing_load(
    rail: str,
    band: tuple[float, float],
    idle_V: Mapping[str, float],
    ohm: Mapping[tuple[str, str], float],
    rated_A: Mapping[str, float],
) -> MissingLoad | None:
    """The load of least watts that brings `rail` from its idle volts into `band`; None where none does.

    `idle_V` are the volts of every rail without load, `ohm` the volts that the first of a pair loses for each
    ampere on the second (negative where it rises), `rated_A` the most that a rail may be loaded with.

    >>> coupled = {("12 V", "5 V"): -0.16, ("5 V", "5 V"): 0.01}
    >>> missing_load("12 V", (11.4, 12.6), {"12 V": 11.2, "5 V": 5.0}, coupled, {"12 V": 18, "5 V": 25}).rail
    '5 V'
    """
    low, high = band
    volts = idle_V[rail]
    if low <= volts <= high:
        return None
    change = (low - volts) if volts < low else (high - volts)
    found = []
    for other, at_idle in idle_V.items():
        by = -ohm.get((rail, other), 0.0)
        if abs(by) < LEAST_OHM or change / by <= 0 or change / by > rated_A[other]:
            continue
        amps = change / by
        after = {name: v - ohm.get((name, other), 0.0) * amps for name, v in idle_V.items()}
        found.append(MissingLoad(other, amps, amps * at_idle, after))
    return min(found, key=lambda load: load.watts, default=None)
