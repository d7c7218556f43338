"""How likely each suspect is by what was read: evidence over its sizes, posterior, pairs."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array, Flags

#: How likely each kind of fault is beforehand, shared by all of its places; rules of thumb. Another share is
#: healthy, and the rest nothing of these.
PRIORS: dict[str, float] = {
    "contact": 0.10,
    "wire_missing": 0.03,
    "other_length": 0.02,
    "no_load_volts": 0.05,
    "source_ohms": 0.03,
    "minimum_load": 0.03,
    "dropout": 0.02,
    "mains_low": 0.02,
    "wrong_tap": 0.02,
    "weak_reservoir": 0.03,
    "pad": 0.03,
    "fan_off": 0.02,
    "sink": 0.01,
    "display_gain": 0.03,
    "meter_gain": 0.02,
    "load_gain": 0.03,
    "two_wire": 0.03,
    "swapped": 0.02,
}
HEALTHY, NONE = "healthy", "none_of_these"
HEALTHY_PRIOR, NONE_PRIOR = 0.45, 0.02
#: What none of these may add to a figure, in its own standard deviations.
NONE_SIZES = np.geomspace(3.0, 300.0, 9)
#: Points of a grid over one suspect's sizes, and over each of two at once.
POINTS = (61, 17)
#: What is so many nats less likely than the best is left out.
DROPPED = 12.0
#: Beyond a normal error's: a figure is never held to be surer than its scatter would make it.
_LEAST_SD = 1e-9


class Spread:
    """A normal distribution of figures (m,): each for itself `sd`, and `common` (m, p) that they share.

    Its covariance is D + U·Uᵀ; it is never inverted as a whole (the matrix determinant lemma and Woodbury's
    identity, as in Golub and Van Loan, Matrix Computations, 2.1.4).
    """

    def __init__(self, sd: Array, common: Array) -> None:
        self.sd, self.common = np.maximum(sd, _LEAST_SD), common
        self._tall = common / self.sd[:, None]
        inner = np.eye(common.shape[1]) + self._tall.T @ self._tall
        self._inner = np.linalg.cholesky(inner)
        self.log_det = 2 * float(np.log(np.diag(self._inner)).sum() + np.log(self.sd).sum())

    def squares(self, gap: Array) -> Array:
        """Mahalanobis distance squared of gaps (…, m)."""
        y = gap / self.sd
        shared = np.linalg.solve(self._inner, (y @ self._tall).T).T
        return np.asarray(np.sum(y * y, axis=-1) - np.sum(shared * shared, axis=-1))

    def solved(self, gap: Array) -> Array:
        """Covariance⁻¹ times gaps (…, m)."""
        y = gap / self.sd
        shared = np.linalg.solve(self._inner.T, np.linalg.solve(self._inner, (y @ self._tall).T)).T
        return np.asarray((y - shared @ self._tall.T) / self.sd)

    def log_likelihood(self, gap: Array) -> Array:
        """Log of the density of gaps (…, m), less m/2·log 2π."""
        return np.asarray(-0.5 * (self.squares(gap) + self.log_det))


@dataclass(frozen=True, eq=False)
class Weighed:
    """One hypothesis with its posterior: the suspects it is of, by number, and how likely which size is.

    `mixes` has for each suspect a matrix (k, g): point k of the posterior lies between sizes, and is a mix
    of them; `weights` (k,) are those points' shares.
    """

    keys: tuple[int, ...]
    log_evidence: float
    prior: float
    weights: Array
    mixes: tuple[Array, ...]
    probability: float = 0.0

    def change(self, effects: Sequence[Array]) -> Array:
        """What it changes at each point (k, m), by what each suspect does at its sizes (g, m)."""
        parts = [mix @ effects[k] for k, mix in zip(self.keys, self.mixes, strict=True)]
        return np.asarray(sum(parts))


def _mix(at: Array, sizes: int) -> Array:
    """Rows (k, sizes) that take a value between two neighbours, straight, at places `at` (k,) of the grid."""
    low = np.minimum(np.floor(at).astype(int), max(sizes - 2, 0))
    rows = np.zeros((len(at), sizes))
    rows[np.arange(len(at)), low] = 1 - (at - low)
    if sizes > 1:
        rows[np.arange(len(at)), low + 1] = at - low
    return rows


def weighed(
    keys: Sequence[int], changes: Sequence[Array], gap: Array, spread: Spread, prior: float
) -> Weighed:
    """The evidence of one suspect, or of two at once whose changes (g, m) add up.

    The likelihood is summed over all sizes; the grid closes in on where it is, since meters may be much finer
    than the sizes stand apart.
    """
    ends = [(0.0, len(c) - 1.0) for c in changes]
    count = POINTS[len(changes) - 1]
    whole = [max(b - a, 1e-12) for a, b in ends]
    while True:
        axes = [np.linspace(a, b, count) for a, b in ends]
        grids = np.meshgrid(*axes, indexing="ij")
        mixes = tuple(_mix(g.ravel(), len(c)) for g, c in zip(grids, changes, strict=True))
        total = sum(mix @ c for mix, c in zip(mixes, changes, strict=True))
        logs = spread.log_likelihood(gap - np.asarray(total))
        most = float(logs.max())
        closer = _closer(axes, logs.reshape(grids[0].shape) > most - DROPPED)
        if all(b - a > 0.6 * (d - c) for (a, b), (c, d) in zip(closer, ends, strict=True)):
            break
        ends = closer
    share = float(np.prod([(b - a) / w for (a, b), w in zip(ends, whole, strict=True)]))
    weights = np.exp(logs - most)
    evidence = most + float(np.log(weights.mean() * share))
    return Weighed(tuple(keys), evidence, prior, weights / weights.sum(), mixes)


def _closer(axes: Sequence[Array], inside: Flags) -> list[tuple[float, float]]:
    """The ends of each axis between which anything is inside, one step wider."""
    found = []
    for k, axis in enumerate(axes):
        others = tuple(j for j in range(inside.ndim) if j != k)
        there = np.flatnonzero(inside.any(axis=others))
        low, high = max(there[0] - 1, 0), min(there[-1] + 1, len(axis) - 1)
        found.append((float(axis[low]), float(axis[high])))
    return found


def weighed_apart(
    key: int, change: Array, shares: Array, gap: Array, spread: Spread, prior: float
) -> Weighed:
    """The evidence of a suspect that has but a few sizes, each as likely beforehand as its share says."""
    logs = spread.log_likelihood(gap - change) + np.log(shares)
    most = float(logs.max())
    weights = np.exp(logs - most)
    evidence = most + float(np.log(weights.sum()))
    return Weighed((key,), evidence, prior, weights / weights.sum(), (np.eye(len(change)),))


def none_of_these(gap: Array, sd: Array, common: Array) -> float:
    """The evidence that each figure is off by itself, by 3 to 300 of its deviations."""
    whole = np.sqrt(sd**2 + np.sum(common**2, axis=1))
    logs = [
        float(Spread(np.hypot(sd, size * whole), common).log_likelihood(gap)) for size in NONE_SIZES.tolist()
    ]
    return float(np.logaddexp.reduce(logs) - np.log(len(logs)))


def posterior(log_evidence: Sequence[float], priors: Sequence[float]) -> Array:
    """Probabilities (k,) of hypotheses by Bayes' rule; their sum is 1."""
    logs = np.asarray(log_evidence) + np.log(np.asarray(priors))
    weights = np.exp(logs - logs.max())
    return np.asarray(weights / weights.sum())
