"""Draws from a density that is known up to a factor: its mode, its curvature, and walkers from there.

Walkers that stretch along lines to one another follow a bent ridge, which is what a short heat-up gives
(Goodman and Weare 2010, Ensemble samplers with affine invariance). The seed is fixed: the same readings give
the same answer.
"""

import math
from collections.abc import Callable

import numpy as np

from tensimeter.core.arrays import Array

Density = Callable[[Array], Array]


def mode(density: Density, starts: Array) -> Array:
    """Where the density is largest, searched from the best of `starts` (k, d)."""
    from scipy.optimize import minimize  # noqa: PLC0415

    found = density(starts)
    best = starts[np.argsort(-found)[:2]]
    ends = [
        minimize(
            lambda x: -float(density(x[None, :])[0]),
            at,
            method="Nelder-Mead",
            options={"xatol": 3e-4, "fatol": 1e-3, "maxfev": 120 * len(at)},
        )
        for at in best
    ]
    return np.asarray(min(ends, key=lambda e: float(e.fun)).x)


def curvature(density: Density, at: Array, widest: Array) -> Array:
    """Covariance (d, d) of the normal that fits the density at its mode; `widest` where it is flat."""
    size = len(at)
    step = np.full(size, 1e-3)
    for _ in range(2):
        points = [at]
        for i in range(size):
            for j in range(i + 1):
                for a, b in ((1, 1), (1, -1), (-1, 1), (-1, -1)):
                    x = at.copy()
                    x[i] += a * step[i]
                    x[j] += b * step[j]
                    points.append(x)
        values = density(np.array(points))[1:].reshape(-1, 4)
        hessian = np.zeros((size, size))
        for row, at_row, at_column in zip(values, *np.tril_indices(size), strict=True):
            i, j = int(at_row), int(at_column)
            hessian[i, j] = hessian[j, i] = -(row[0] - row[1] - row[2] + row[3]) / (4 * step[i] * step[j])
        # A step about as wide as the density is neither lost in rounding nor past its shape.
        step = np.clip(0.3 / np.sqrt(np.maximum(np.diag(hessian), 1e-6)), 1e-5, 0.2)
    values_, vectors = np.linalg.eigh(hessian + np.diag(1 / widest))
    return np.asarray((vectors / np.maximum(values_, (0.2 / widest).min())) @ vectors.T)


def sample_ensemble(
    density: Density, start: Array, rng: "np.random.Generator", burn: int, keep: int
) -> Array:
    """Draws (n, d) from walkers that began at `start` (k, d), by the stretch move.

    Each walker moves along the line to another one of the other half, by a stretch z with density 1/√z on
    ½ … 2, accepted with z^(d−1) times the ratio of densities. Burnt-in steps are left out.
    """
    x, size = start.copy(), start.shape[1]
    half = len(x) // 2
    at = density(x)
    kept = []
    for turn in range(burn + keep):
        for mine, others in ((slice(0, half), slice(half, None)), (slice(half, None), slice(0, half))):
            mates = x[others]
            count = len(x[mine])
            z = (1 + rng.random(count)) ** 2 / 2
            mate = mates[rng.integers(0, len(mates), count)]
            moved = mate + z[:, None] * (x[mine] - mate)
            new = density(moved)
            with np.errstate(invalid="ignore"):
                taken = np.log(rng.random(count)) < (size - 1) * np.log(z) + new - at[mine]
            x[mine] = np.where(taken[:, None], moved, x[mine])
            at[mine] = np.where(taken, new, at[mine])
        if turn >= burn and (turn - burn) % 5 == 0:
            kept.append(x.copy())
    return np.concatenate(kept)


def around(at: Array, covariance: Array, count: int, rng: "np.random.Generator") -> Array:
    """Starting points (count, d) for walkers, as wide as a normal about a mode."""
    size = len(at)
    root = np.linalg.cholesky(covariance + 1e-14 * np.eye(size) * max(float(np.trace(covariance)), 1e-12))
    return np.asarray(at + rng.standard_normal((count, size)) @ root.T)


def log_evidence(top: float, covariance: Array) -> float:
    """ln of the integral of a density with this top, by its curvature (Kass and Raftery 1995, eq. 4)."""
    size = len(covariance)
    return top + 0.5 * size * math.log(2 * math.pi) + 0.5 * float(np.linalg.slogdet(covariance)[1])


def quantile(values: Array, weights: Array, shares: tuple[float, ...]) -> list[float]:
    """Weighted quantiles of (k,) draws."""
    order = np.argsort(values)
    gone = np.cumsum(weights[order])
    return [float(np.interp(share, gone - weights[order] / 2, values[order])) for share in shares]
