"""How likely each suspect is by what was read: evidence over its sizes, posterior, pairs."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Flags

HEALTHY, NONE = "healthy", "none_of_these"
#: Rules of thumb, as the priors of faults are.
HEALTHY_PRIOR, NONE_PRIOR = 0.45, 0.02
#: What none of these may add to a figure, in its own standard deviations.
NONE_SIZES = np.geomspace(3.0, 300.0, 9)
#: A fault is none while all figures together can't tell it by so many times their uncertainty: nothing could
#: name it, and nothing asks for it.
SHOWS = 0.7
#: Points of a grid over one suspect's sizes, over those of each of two at once, and how often that closes in.
POINTS, POINTS_OF_TWO, ROUNDS = 61, 25, 4
#: What is so many nats less likely than the best is left out.
DROPPED = 12.0
#: A figure without any scatter is taken to have this much, so that it can be divided by.
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

    def shows(self, change: Array) -> Flags:
        """Whether changes (…, m) would show, by all figures together."""
        return np.asarray(self.squares(change) > (SHOWS * 1.96) ** 2, bool)

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


class Weighed(Struct, frozen=True, eq=False):
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
    key: int, change: Array, gap: Array, spread: Spread, prior: float, *, all_sizes: bool = False
) -> Weighed:
    """The evidence of one suspect by what it changes at its sizes (g, m).

    The likelihood is summed over all sizes that would show, or over `all_sizes`; the grid closes in on where
    it is, since meters may be much finer than the sizes stand apart.
    """
    logs, shares, mix = _closed_in(change, gap, spread, POINTS, all_sizes=all_sizes)
    most = float(logs.max())
    if most == -np.inf:
        return Weighed((key,), -np.inf, prior, np.full(len(logs), 1 / len(logs)), (mix,))
    weights = shares * np.exp(logs - most)
    return Weighed((key,), most + float(np.log(weights.sum())), prior, weights / weights.sum(), (mix,))


def _closed_in(
    change: Array, gap: Array, spread: Spread, count: int, *, all_sizes: bool = False
) -> tuple[Array, Array, Array]:
    """Log-likelihoods (k,) at points that close in on the likeliest, each point's share of all that shows.

    The mix (k, g) says between which sizes each point lies.
    """
    low, high, shown = 0.0, len(change) - 1.0, 0.0
    whole = high or 1.0
    while True:
        at = np.linspace(low, high, count)
        mix = _mix(at, len(change))
        there = mix @ change
        shows = all_sizes | spread.shows(there)
        # Of the whole range, once.
        shown = shown or float(np.mean(shows))
        logs = np.where(shows, spread.log_likelihood(gap - there), -np.inf)
        inside = np.flatnonzero(logs > logs.max() - DROPPED)
        share = np.full(count, (high - low) / whole / count / (shown or 1.0))
        if not len(inside) or high == low:
            return logs, share, mix
        closer = float(at[max(inside[0] - 1, 0)]), float(at[min(inside[-1] + 1, count - 1)])
        if closer[1] - closer[0] > 0.6 * (high - low):
            return logs, share, mix
        low, high = closer


def weighed_both(
    keys: tuple[int, int], one: Array, two: Array, gap: Array, spread: Spread, prior: float
) -> Weighed:
    """The evidence of two suspects at once, whose changes (g, m) add up, as small ones do.

    For each size of the first the second is summed over by itself: they may make up for one another.
    """
    low, high = 0.0, len(one) - 1.0
    whole = high
    for _ in range(ROUNDS):
        at = np.linspace(low, high, POINTS_OF_TWO)
        mix = _mix(at, len(one))
        shows = spread.shows(mix @ one)
        inner = [_closed_in(two, gap - c, spread, POINTS_OF_TWO) for c in mix @ one]
        best = np.array([x[0].max() for x in inner])
        best = np.where(shows, best, -np.inf)
        inside = np.flatnonzero(best >= best.max() - DROPPED)
        closer = float(at[max(inside[0] - 1, 0)]), float(at[min(inside[-1] + 1, len(at) - 1)])
        if best.max() == -np.inf or closer[1] - closer[0] > 0.6 * (high - low):
            break
        low, high = closer
    logs = np.concatenate([np.where(ok, x[0], -np.inf) for ok, x in zip(shows, inner, strict=True)])
    shares = np.concatenate([x[1] for x in inner]) * (high - low) / whole / len(at)
    mixes = (np.repeat(mix, POINTS_OF_TWO, axis=0), np.concatenate([x[2] for x in inner]))
    most = float(logs.max())
    if most == -np.inf:
        return Weighed(keys, -np.inf, prior, np.full(len(logs), 1 / len(logs)), mixes)
    weights = shares * np.exp(logs - most)
    return Weighed(keys, most + float(np.log(weights.sum())), prior, weights / weights.sum(), mixes)


def weighed_apart(
    key: int, change: Array, shares: Array, gap: Array, spread: Spread, prior: float
) -> Weighed:
    """The evidence of a suspect that has but a few sizes, each as likely beforehand as its share says."""
    shows = spread.shows(change)
    if not shows.any():
        return Weighed((key,), -np.inf, prior, shares, (np.eye(len(change)),))
    shares = np.where(shows, shares, 0.0) / float(shares[shows].sum())
    logs = np.where(shows, spread.log_likelihood(gap - change) + np.log(np.maximum(shares, 1e-300)), -np.inf)
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
