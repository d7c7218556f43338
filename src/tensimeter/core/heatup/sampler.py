"""Draws from a density that is known up to a factor: its mode, its curvature, and what lies around it.

In one or two dimensions a grid that is laid over it gives draws by quadrature. In more, walkers that stretch
along lines to one another follow a bent ridge, which is what a short heat-up gives (Goodman and Weare 2010,
Ensemble samplers with affine invariance). The seed is fixed: the same readings give the same answer.
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


#: Points of a grid along each axis: while it is laid over the density, and for the draws.
COARSE, FINE = {1: 61, 2: 25}, {1: 601, 2: 61}
#: How far below its top, in ln, a density is followed.
FOLLOWED = 10.0
#: So many points are worked out in one call: of more, the arrays would not stay near the processor.
AT_ONCE = 400


def drawn_on_grid(
    density: Density, at: Array, covariance: Array, count: int, rng: "np.random.Generator"
) -> Array:
    """Draws (count, d), d ≤ 2, from a grid along the main axes of the normal that fits at the mode `at`.

    The grid grows and shrinks until it just covers what lies within e^−10 of the top; each draw is anywhere
    in the cell of its point, and cells are chosen by systematic resampling (Kitagawa 1996).
    """
    size = len(at)
    root = _root(covariance)
    low, high = np.full(size, -4.0), np.full(size, 4.0)
    for _ in range(8):
        points, found = _on_grid(density, at, root, low, high, COARSE[size])
        near = points[found > found.max() - FOLLOWED]
        cell = (high - low) / (COARSE[size] - 1)
        wide = np.maximum(near.max(0) - near.min(0), cell)
        # What touches an edge may go on behind it.
        new_low = np.where(near.min(0) <= low + cell / 2, low - wide, near.min(0) - cell)
        new_high = np.where(near.max(0) >= high - cell / 2, high + wide, near.max(0) + cell)
        still = np.allclose([new_low, new_high], [low, high], atol=1e-9, rtol=0)
        settled = (new_low >= low).all() and (new_high <= high).all()
        low, high = new_low, new_high
        if still or (settled and ((wide / (high - low)) > 0.5).all()):
            break
    points, found = _on_grid(density, at, root, low, high, FINE[size])
    share = np.exp(found - found.max())
    gone = np.cumsum(share) / share.sum()
    pick = np.searchsorted(gone, (np.arange(count) + rng.random()) / count)
    cell = (high - low) / (FINE[size] - 1)
    drawn = points[np.minimum(pick, len(points) - 1)] + cell * (rng.random((count, size)) - 0.5)
    return np.asarray(at + drawn @ root.T)


def _on_grid(
    density: Density, at: Array, root: Array, low: Array, high: Array, each: int
) -> tuple[Array, Array]:
    axes = [np.linspace(a, b, each) for a, b in zip(low, high, strict=True)]
    points = np.stack([g.ravel() for g in np.meshgrid(*axes, indexing="ij")], axis=1)
    found = [density(at + some @ root.T) for some in np.array_split(points, -(-len(points) // AT_ONCE))]
    return points, np.nan_to_num(np.concatenate(found), nan=-np.inf)


def _root(covariance: Array) -> Array:
    size = len(covariance)
    floor = 1e-14 * np.eye(size) * max(float(np.trace(covariance)), 1e-12)
    return np.asarray(np.linalg.cholesky(covariance + floor))


def log_evidence(top: float, covariance: Array) -> float:
    """ln of the integral of a density with this top, by its curvature (Kass and Raftery 1995, eq. 4)."""
    size = len(covariance)
    return top + 0.5 * size * math.log(2 * math.pi) + 0.5 * float(np.linalg.slogdet(covariance)[1])


def quantile(values: Array, weights: Array, shares: tuple[float, ...]) -> list[float]:
    """Weighted quantiles of (k,) draws."""
    order = np.argsort(values)
    gone = np.cumsum(weights[order])
    return [float(np.interp(share, gone - weights[order] / 2, values[order])) for share in shares]
