"""How a place warms with one or two time constants: shapes, and their linear part solved in one go.

T(t) = F(t) + (T0 − Ta0)·e^(−t/τ1) + Σ_j [A_j·g(t − t_j; τ1) + B_j·g(t − t_j; τ2)], where F is the ambient as
it comes through τ1, A_j and B_j what step j of the load adds in the end by the slow and the fast stage, and
g(u; τ) = 1 − e^(−u/τ). Given τ1 and τ2 it is linear in T0, A and B: these are integrated out (linear Gaussian
model; Gelman and others, Bayesian Data Analysis, 3rd edition, chapter 14), so that only two are searched for.
"""

from collections.abc import Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.heatup.record import Cells

#: Columns of what is searched for: ln τ1, ln(τ2/τ1).
TAU, RATIO = 0, 1


class Shapes(Struct, frozen=True):
    """Time constants in s (k,); a single one has no fast one."""

    slow_s: Array
    fast_s: Array | None

    @classmethod
    def of(cls, search: Array) -> "Shapes":
        """From columns ln τ1, and with two time constants ln(τ2/τ1), (k, 1) or (k, 2)."""
        slow = np.exp(np.clip(search[:, TAU], -50, 50))
        if search.shape[1] == 1:
            return cls(slow, None)
        return cls(slow, slow * np.minimum(np.exp(np.clip(search[:, RATIO], -30, 0)), 0.98))

    @property
    def constants_s(self) -> tuple[Array, ...]:
        """Time constants in use, s, the slow one first."""
        return (self.slow_s,) if self.fast_s is None else (self.slow_s, self.fast_s)

    def steps(self, after_s: Array, lag_s: float = 0.0) -> list[Array]:
        """g(u) of each time constant, (k, n), as a thermometer with a lag shows it; zero before the step."""
        return [np.where(after_s >= 0, _rise(after_s, tau, lag_s), 0.0) for tau in self.constants_s]

    def through(self, cells: Cells) -> Array:
        """The ambient after a lag of τ1, (k, n), exact for one that is straight between its knots."""
        found = np.broadcast_to(cells.ambient_C, (len(self.slow_s), len(cells.time_s)))
        for at, turn in zip(cells.knots_s, cells.turns_K_s, strict=True):
            # A ramp through a lag stays behind by its slope times τ, once the lag has passed.
            found = found - turn * self.slow_s[:, None] * _rise(cells.time_s - at, self.slow_s, 0.0)
        return found


def _rise(after_s: Array, tau_s: Array, lag_s: float) -> Array:
    """1 − e^(−u/τ), seen through a first-order lag; (k, n)."""
    u, tau = np.maximum(after_s, 0.0)[None, :], tau_s[:, None]
    if lag_s <= 0:
        return -np.expm1(-u / tau)
    # Equal constants are a limit of the same form; a hair apart they give it.
    tau = np.where(np.abs(tau / lag_s - 1) < 1e-6, tau * (1 + 2e-6), tau)
    return np.asarray(1 - (tau * np.exp(-u / tau) - lag_s * np.exp(-u / lag_s)) / (tau - lag_s))


class Linear(Struct, frozen=True, dict=True):
    """What is known beforehand of T0 − Ta0 and the rises: means (p,), precision (p, p)."""

    mean: Array
    precision: Array

    @classmethod
    def of(cls, starts: list[tuple[float, float]], level: Array, covariance: Array) -> "Linear":
        """From means and deviations of the start, and the stages' means (p,) and covariance (p, p)."""
        n = len(starts)
        whole = np.zeros((len(level) + n, len(level) + n))
        whole[:n, :n], whole[n:, n:] = np.diag([sd**2 for _, sd in starts]), covariance
        return cls(np.array([*(mean for mean, _ in starts), *level]), np.asarray(np.linalg.inv(whole)))

    @cached_property
    def half_log_det(self) -> float:
        """Half the logarithm of the precision's determinant."""
        return 0.5 * float(np.linalg.slogdet(self.precision)[1])


class Solved(Struct, frozen=True):
    """For each shape: ln of its evidence (k,), T0 − Ta0 and rises (k, p), their covariance (k, p, p)."""

    log_evidence: Array
    mean: Array
    covariance: Array
    #: Sum of squared residuals over variance at the mean, without what was known beforehand.
    chi2: Array


def columns(cells: Cells, shapes: Shapes, lag_s: float) -> tuple[Array, Array]:
    """The linear part's columns (k, n, p), and what the ambient alone does (k, n)."""
    decay = np.exp(-cells.time_s / shapes.slow_s[:, None])
    starts = [decay]
    if cells.warm and shapes.fast_s is not None:
        starts.append(np.exp(-cells.time_s / shapes.fast_s[:, None]) - decay)
    steps = [g for at in cells.steps_s for g in shapes.steps(cells.time_s - at, lag_s)]
    return np.stack([*starts, *steps], axis=-1), shapes.through(cells)


class Sums(Struct, frozen=True):
    """What the readings alone say of the linear part, for each shape: XᵀWX, XᵀWy, yᵀWy."""

    matrix: Array
    right: Array
    energy: Array

    def log_evidence(self, known: Sequence[Linear]) -> Array:
        """ln of the evidence of each shape with each of several priors (m, k), as `joined` gives it.

        A search asks for this some thousand times, and for nothing else: all in one call of each routine.
        """
        matrix = self.matrix + np.stack([one.precision for one in known])[:, None]
        pulled = np.stack([one.precision @ one.mean for one in known])
        right = self.right + pulled[:, None]
        mean = np.linalg.solve(matrix, right[..., None])[..., 0]
        before = np.array([one.mean @ pull for one, pull in zip(known, pulled, strict=True)])
        log = -0.5 * (self.energy + before[:, None] - (right * mean).sum(-1))
        half = 0.5 * np.linalg.slogdet(matrix)[1]
        return np.asarray(log - half + np.array([one.half_log_det for one in known])[:, None])

    def joined(self, known: Linear) -> Solved:
        """With what is known beforehand."""
        matrix = self.matrix + known.precision
        right = self.right + known.precision @ known.mean
        covariance = np.linalg.inv(matrix)
        mean = (covariance @ right[..., None])[..., 0]
        before = known.mean @ known.precision @ known.mean
        log = -0.5 * (self.energy + before - (right * mean).sum(-1))
        log = log - 0.5 * np.linalg.slogdet(matrix)[1] + known.half_log_det
        fit = ((self.matrix @ mean[..., None])[..., 0] - 2 * self.right) * mean
        return Solved(log, mean, np.asarray(covariance), np.asarray(self.energy + fit.sum(-1)))


def residuals(cells: Cells, search: Array, rises: Array, lag_s: float) -> Array:
    """Standardised residuals (n,) of one shape (1, d) with its linear part (1, p)."""
    x, ambient = columns(cells, Shapes.of(search), lag_s)
    level = (x @ rises[..., None])[..., 0] + ambient
    return np.asarray((cells.celsius - level)[0] / cells.sigma_K)


def sums(cells: Cells, search: Array, lag_s: float, scale: float = 1.0) -> Sums:
    """The linear part for every row of `search`; `scale` widens the noise."""
    x, ambient = columns(cells, Shapes.of(search), lag_s)
    weight = 1 / (scale * cells.sigma_K) ** 2
    y = cells.celsius - ambient
    xt = np.swapaxes(x * weight[:, None], 1, 2)
    return Sums(xt @ x, (xt @ y[..., None])[..., 0], (y * y) @ weight)
