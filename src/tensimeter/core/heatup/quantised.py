"""Records whose digits are coarse against their noise, by the exact likelihood of each figure shown.

A figure q of digit d is shown when the temperature with its noise lies in q ± d/2: its chance is
Φ((q + d/2 − μ)/σ) − Φ((q − d/2 − μ)/σ). Rounding is then no noise: many equal figures say no more than one,
and the moments at which the figure changes say most.
"""

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.heatup.basis import Shapes, columns
from tensimeter.core.heatup.known import Known
from tensimeter.core.heatup.record import Cells
from tensimeter.core.heatup.sampler import sample_ensemble

#: How well the noise itself is believed beforehand, in ln.
NOISE_SPREAD = 0.7


#: Walkers, and their steps before and while draws are kept.
WALKERS, BURN, KEEP = 60, 150, 200


def sample_quantised(
    cells: Cells, known: Known, search: Array, rises: Array, lag_s: float, rng: "np.random.Generator"
) -> tuple[Array, Array]:
    """Draws of what is searched for (k, d) and of the linear part (k, p), by every figure shown."""
    d = search.shape[1]
    noise = np.log(np.clip(cells.noise_K, 0.15 * cells.digit_K, cells.digit_K))
    moves = _moves(cells)
    where, shown, count = cells.codes
    where = where.astype(int)
    spread = (moves**2 / 12)[where]

    def density(x: Array) -> Array:
        level = _level(cells, x[:, :d], x[:, d:-1], lag_s)[:, where]
        sigma = np.sqrt(np.exp(2 * x[:, -1:]) + spread)
        return np.asarray(
            _log_shown(shown, level, sigma, cells.digit_K) @ count
            + known.log(x[:, :d])
            + _log_linear(known, x[:, d:-1])
            - 0.5 * ((x[:, -1] - noise) / NOISE_SPREAD) ** 2
        )

    # Begun wider than rounding taken for noise would have it, which is too sure of itself.
    pick = rng.integers(0, len(search), WALKERS)
    begin = np.column_stack([search, rises])[pick]
    begin = begin.mean(0) + 2 * (begin - begin.mean(0))
    start = np.column_stack([begin, noise + 0.3 * rng.standard_normal(WALKERS)])
    found = sample_ensemble(density, start, rng, BURN, KEEP)
    return found[:, :d], found[:, d:-1]


def _moves(cells: Cells) -> Array:
    """How far the temperature goes within each bin; nothing where a bin is one sample."""
    if (cells.count == 1).all():
        return np.zeros_like(cells.celsius)
    return np.abs(np.gradient(cells.celsius, cells.time_s)) * np.gradient(cells.time_s) * (cells.count > 1)


def _level(cells: Cells, search: Array, rises: Array, lag_s: float) -> Array:
    x, ambient = columns(cells, Shapes.of(search), lag_s)
    return np.asarray((x @ rises[..., None])[..., 0] + ambient)


def _log_shown(shown: Array, level: Array, sigma: Array, digit: float) -> Array:
    """ln of the chance of each figure (k, m); a floor keeps one odd figure from deciding all."""
    from scipy.special import ndtr  # noqa: PLC0415

    # The floor lies far above what the difference of two tails loses.
    off, half = (shown - level) / sigma, 0.5 * digit / sigma
    return np.asarray(np.log(np.maximum(ndtr(off + half) - ndtr(off - half), 1e-12)))


def _log_linear(known: Known, rises: Array) -> Array:
    parts = []
    for chance, linear in known.linear:
        off = rises - linear.mean
        parts.append(np.log(chance) + linear.half_log_det - 0.5 * ((off @ linear.precision) * off).sum(1))
    return np.asarray(np.logaddexp.reduce(parts, axis=0))
