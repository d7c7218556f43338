"""How a place warms with one or two time constants: shapes, and their linear part solved in one go.

T(t) = F(t) + (T0 − Ta0)·e^(−t/τ1) + Σ_j A_j·g(t − t_j), where F is the ambient as it comes through τ1,
A_j the rise that step j of the load adds in the end, and g(u) = 1 − (1−w)·e^(−u/τ1) − w·e^(−u/τ2). Given
τ1, τ2 and w it is linear in T0 and A: these are integrated out (linear Gaussian model; Gelman and others,
Bayesian Data Analysis, 3rd edition, chapter 14), so that only three figures are searched for.
"""

from dataclasses import dataclass

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.thermal.heatup import Cells

#: Columns of what is searched for: ln τ1, ln(τ2/τ1), logit w.
TAU, RATIO, SHARE = 0, 1, 2


@dataclass(frozen=True)
class Shapes:
    """Time constants in s (k,), the fast one's share of the rise (k,); order one has a share of zero."""

    slow_s: Array
    fast_s: Array
    share: Array

    @classmethod
    def of(cls, search: Array) -> "Shapes":
        """From columns ln τ1, and with two time constants ln(τ2/τ1) and logit w, (k, 1) or (k, 3)."""
        slow = np.exp(np.clip(search[:, TAU], -50, 50))
        if search.shape[1] == 1:
            return cls(slow, 0.1 * slow, np.zeros_like(slow))
        ratio = np.minimum(np.exp(np.clip(search[:, RATIO], -30, 0)), 0.98)
        return cls(slow, slow * ratio, 1 / (1 + np.exp(-np.clip(search[:, SHARE], -30, 30))))

    def step(self, after_s: Array, lag_s: float = 0.0) -> Array:
        """g(u), (k, n), as a thermometer with a lag shows it; zero before the step."""
        slow, fast = _rise(after_s, self.slow_s, lag_s), _rise(after_s, self.fast_s, lag_s)
        share = self.share[:, None]
        return np.where(after_s >= 0, (1 - share) * slow + share * fast, 0.0)

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


@dataclass(frozen=True)
class Linear:
    """What is known beforehand of T0 − Ta0 and the rises: means (p,), precision (p, p)."""

    mean: Array
    precision: Array

    @property
    def half_log_det(self) -> float:
        return 0.5 * float(np.linalg.slogdet(self.precision)[1])


@dataclass(frozen=True)
class Solved:
    """For each shape: ln of its evidence (k,), T0 − Ta0 and rises (k, p), their covariance (k, p, p)."""

    log_evidence: Array
    mean: Array
    covariance: Array
    #: Sum of squared residuals over variance at the mean, without what was known beforehand.
    chi2: Array


def columns(cells: Cells, shapes: Shapes, lag_s: float) -> tuple[Array, Array]:
    """The linear part's columns (k, n, p), and what the ambient alone does (k, n)."""
    decay = np.exp(-cells.time_s / shapes.slow_s[:, None])
    steps = [shapes.step(cells.time_s - at, lag_s) for at in cells.steps_s]
    return np.stack([decay, *steps], axis=-1), shapes.through(cells)


@dataclass(frozen=True)
class Sums:
    """What the readings alone say of the linear part, for each shape: XᵀWX, XᵀWy, yᵀWy."""

    matrix: Array
    right: Array
    energy: Array

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


def sums(cells: Cells, search: Array, lag_s: float, scale: float = 1.0) -> Sums:
    """The linear part for every row of `search`; `scale` widens the noise."""
    x, ambient = columns(cells, Shapes.of(search), lag_s)
    weight = 1 / (scale * cells.sigma_K) ** 2
    y = cells.celsius - ambient
    xt = np.swapaxes(x * weight[:, None], 1, 2)
    return Sums(xt @ x, (xt @ y[..., None])[..., 0], (y * y) @ weight)
