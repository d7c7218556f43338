"""Fitting a heat-up with one or two time constants, by the readings and by what the design expects."""

from typing import Literal

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.heatup.basis import Linear, Shapes, residuals, sums
from tensimeter.core.heatup.forecast import BEYOND_K, BEYOND_SPANS, Forecast
from tensimeter.core.heatup.known import Known
from tensimeter.core.heatup.prior import Expected
from tensimeter.core.heatup.quantised import sample_quantised
from tensimeter.core.heatup.record import Cells, HeatUp, gathered
from tensimeter.core.heatup.sampler import Density, curvature, drawn_on_grid, log_evidence, mode

Order = Literal["1", "2", "auto"]

#: What is believed of any mounted part before it is read: K of its slow and fast stage, ln τ1 in records,
#: ln(τ2/τ1). Rules of thumb, wide; a design replaces them. The fast stage as a share of what was seen so far.
PLAIN_SLOW_K, PLAIN_FAST, PLAIN_TAU, PLAIN_RATIO = 150.0, (0.3, 0.3), (0.0, 1.7), (-1.5, 0.6)
#: Chance of a part with a single time constant, without and with a design of two stages.
ONE_STAGE, ONE_STAGE_OF_DESIGN = 0.2, 0.05
#: Chances that the sink's or the mounting's stage is three times as wrong as a design says.
SLOW_WRONG, FAST_WRONG, WRONG = 0.1, 0.15, 3.0
#: Scatter over noise from which on it is the model that does not fit, and digits matter no more.
MISFIT = 1.5
#: How many draws tell what is searched for.
DRAWN = 2400


def fit_heat_up(
    record: HeatUp,
    expected: Expected | None = None,
    order: Order = "auto",
    seed: int = 1,
    *,
    compare: bool = True,
) -> Forecast:
    """The forecast of a heat-up; UserError where it is too short to tell anything.

    With order 1 or 2 given, that many time constants; else both, weighted by their evidence. `compare` works
    out too what the readings say without the design, which tells what the forecast rests on.
    """
    cells = gathered(record)
    found = _fitted(cells, record, expected, order, seed)
    if expected is None or not compare:
        return found
    # Only its width is asked for: a part of the draws tells that.
    alone = _fitted(cells, record, None, order, seed, count=DRAWN // 3)
    by_design = float(cells.ambient_C[-1]) + sum(expected.rises_K)
    return replace(found, alone_K=_width(alone), design_K=_design_width(expected), design_C=by_design)


def _fitted(
    cells: Cells, record: HeatUp, expected: Expected | None, order: Order, seed: int, *, count: int = DRAWN
) -> Forecast:
    rng = np.random.default_rng(seed)
    if order != "auto":
        return _told_by(_placed(cells, record, expected, int(order), rng, given=True), record, rng, count)
    two = _placed(cells, record, expected, 2, rng)
    # Both are weighed at the noise that the better one leaves: a misfit must not pass for noise.
    one = _placed(cells, record, expected, 1, rng, wider=two.wider)
    before = ONE_STAGE if expected is None else ONE_STAGE_OF_DESIGN
    odds = np.exp(np.clip(one.evidence - two.evidence, -50, 50))
    chance = before * odds / (before * odds + 1 - before)
    found = _told_by(two, record, rng, count)
    if chance > 1e-3:
        found = _mixed(_told_by(one, record, rng, count), found, chance)
    return replace(found, order=1 if odds > 1 else 2)


def _mixed(one: Forecast, two: Forecast, chance: float) -> Forecast:
    def joined(a: Array, b: Array) -> Array:
        return np.concatenate([a, b])

    return replace(
        two,
        weights=joined(chance * one.weights, (1 - chance) * two.weights),
        final_C=joined(one.final_C, two.final_C),
        slow_s=joined(one.slow_s, two.slow_s),
        fast_s=joined(one.fast_s, two.fast_s),
        slow_K=joined(one.slow_K, two.slow_K),
        fast_K=joined(one.fast_K, two.fast_K),
        open_end=two.open_end or (one.open_end and chance > 0.025),
    )


def _known(cells: Cells, expected: Expected | None, order: int, *, given: bool) -> Known:
    """What is believed before the fit."""
    steps = len(cells.steps_s)
    excess = float(cells.start_C - cells.ambient_C[0])
    starts = [(excess, cells.start_sd_K)]
    if cells.warm and order == 2:
        starts.append((0.0, 0.5 * abs(excess) + 0.5))
    if expected is None:
        mean, sd = [np.log(cells.span_s) + PLAIN_TAU[0], PLAIN_RATIO[0]], [PLAIN_TAU[1], PLAIN_RATIO[1]]
        if given and order == 1:
            sd[0] = 30.0
        seen = float(np.ptp(cells.celsius)) or 1.0
        levels = [0.0] if order == 1 else [0.0, PLAIN_FAST[0] * seen]
        wide = [1e4 if given else PLAIN_SLOW_K] if order == 1 else [PLAIN_SLOW_K, PLAIN_FAST[1] * seen]
        linear = Linear.of(starts, np.array(levels * steps), np.diag(np.array(wide * steps) ** 2))
        return Known(np.array(mean[:order]), np.array(sd[:order]), ((1.0, linear),))
    rises = np.array((*expected.rises_K, *[expected.rises_K[-1]] * steps))[:steps]
    share = expected.fast_share
    stages = [(1.0, expected.slow_spread)]
    if order == 2:
        stages = [(1 - share, expected.slow_spread), (share, expected.fast_spread)]
    level = np.array([part * rise for rise in rises for part, _ in stages])
    linears = []
    both_right = 1 - SLOW_WRONG - FAST_WRONG
    for chance, *wrong in ((both_right, 1.0, 1.0), (SLOW_WRONG, WRONG, 1.0), (FAST_WRONG, 1.0, WRONG)):
        covariance = np.diag((expected.step_spread * level) ** 2 + 1e-6)
        for k, (_, spread) in enumerate(stages):
            own = np.zeros(len(level))
            own[k :: len(stages)] = level[k :: len(stages)]
            covariance += (wrong[k] * spread) ** 2 * np.outer(own, own)
        linears.append((chance, Linear.of(starts, level, covariance)))
    mean = [np.log(expected.slow_s), np.log(expected.fast_ratio)]
    sd = [expected.tau_spread, expected.ratio_spread]
    return Known(np.array(mean[:order]), np.array(sd[:order]), tuple(linears))


class Placed(Struct, frozen=True):
    """A fit before it is drawn from: where it is best, how wide it is there, ln of its evidence."""

    cells: Cells
    known: Known
    order: int
    by_design: bool
    density: Density
    best: Array
    spread: Array
    evidence: float
    #: How much wider than its noise the readings scatter about it.
    wider: float
    freedom: int


def _placed(
    cells: Cells,
    record: HeatUp,
    expected: Expected | None,
    order: int,
    rng: "np.random.Generator",
    *,
    given: bool = False,
    wider: float | None = None,
) -> Placed:
    """Where one or two time constants fit best."""
    known = _known(cells, expected, order, given=given)
    lag, scale = record.lag_s, wider or 1.0
    linears = [linear for _, linear in known.linear]
    chances = np.log([chance for chance, _ in known.linear])[:, None]

    def density(search: Array) -> Array:
        parts = sums(cells, search, lag, scale).log_evidence(linears) + chances
        return np.asarray(np.logaddexp.reduce(parts, axis=0) + known.log(search))

    wide = known.mean + np.minimum(known.sd, 2.5) * rng.standard_normal((600, len(known.mean)))
    best = mode(density, wide)
    at_best = sums(cells, best[None, :], lag)
    fits = [at_best.joined(linear) for _, linear in known.linear]
    fit = min(fits, key=lambda f: float(f.chi2[0]))
    chi2 = float(fit.chi2[0])
    freedom = len(cells.time_s) - (order * (1 + len(cells.steps_s)) + (record.start_C is None))
    if freedom >= 3 and wider is None:
        # Residuals that scatter more than the noise explains widen everything (Birge 1932).
        reduced, few = chi2 / freedom, len(cells.time_s) < 60 and record.noise_K is None
        scale = float(np.sqrt(reduced)) if few or reduced > 1 + 2 * np.sqrt(2 / freedom) else 1.0
        if not cells.coarse:
            scale *= _alike(residuals(cells, best[None, :], fit.mean, lag))
    best = mode(density, best[None, :] + 0.02 * rng.standard_normal((4, len(best))))
    spread = curvature(density, best, np.minimum(known.sd, 2.5) ** 2)
    evidence = log_evidence(float(density(best[None, :])[0]), spread)
    return Placed(cells, known, order, expected is not None, density, best, spread, evidence, scale, freedom)


def _alike(residual: Array) -> float:
    """How much wider neighbours that err alike make it: √n over the root of the effective number of samples.

    For a lag-one correlation ρ that is (1 + ρ)/(1 − ρ) (Bayley and Hammersley 1946); one where none shows.
    """
    off = residual - residual.mean()
    rho = float(off[1:] @ off[:-1]) / max(float(off @ off), 1e-30)
    if len(residual) < 30 or rho < 2.5 / np.sqrt(len(residual)):
        return 1.0
    return float(np.sqrt((1 + min(rho, 0.98)) / (1 - min(rho, 0.98))))


def _told_by(fit: Placed, record: HeatUp, rng: "np.random.Generator", count: int) -> Forecast:
    """The forecast drawn from a fit."""
    cells, known, lag = fit.cells, fit.known, record.lag_s
    search = drawn_on_grid(fit.density, fit.best, fit.spread, count, rng)
    rises = _linear_draws(cells, search, known, lag, fit.wider, rng)
    if cells.coarse and fit.wider < MISFIT:
        search, rises = sample_quantised(cells, known, search, rises, lag, rng)
    weights = np.full(len(search), 1 / len(search))
    found = _told(cells, search, rises, weights, fit.order, rng)
    # Small records leave their noise uncertain: Student's t for the normal.
    if fit.freedom < 60 and record.noise_K is None:
        from scipy.stats import t  # noqa: PLC0415

        found = replace(found, stretch=float(t.ppf(0.975, max(fit.freedom, 1)) / 1.959964))
    if not fit.by_design:
        found = replace(found, open_end=_open(found, cells))
        if fit.order == 1 and not cells.coarse:
            found = _at_least_squares(found, cells, fit.best, known.linear[0][1], lag)
    return found


def _at_least_squares(found: Forecast, cells: Cells, near: Array, flat: Linear, lag: float) -> Forecast:
    """With its value where the squares are least, which is what the plain fit of one exponential gives."""
    from scipy.optimize import minimize_scalar  # noqa: PLC0415

    def squares(log_tau: float) -> float:
        return float(sums(cells, np.array([[log_tau]]), lag).joined(flat).chi2[0])

    low, high = near[0] - 0.5, near[0] + 0.5
    tau = minimize_scalar(squares, bounds=(low, high), method="bounded", options={"xatol": 1e-11}).x
    search = np.array([[tau]])
    rises = sums(cells, search, lag).joined(flat).mean
    at = _told(cells, search, rises, np.ones(1), 1, None)
    return replace(found, best_C=float(at.final_C[0]), best_tau_s=float(at.slow_s[0]))


def _linear_draws(
    cells: Cells, search: Array, known: Known, lag: float, scale: float, rng: "np.random.Generator"
) -> Array:
    """T0 − Ta0 and rises, drawn for every row of what was searched for, (k, p)."""
    read = sums(cells, search, lag, scale)
    parts = [read.joined(linear) for _, linear in known.linear]
    logs = np.stack([np.log(c) + s.log_evidence for (c, _), s in zip(known.linear, parts, strict=True)])
    chance = np.exp(logs - np.logaddexp.reduce(logs, axis=0))
    pick = (rng.random(len(search)) > np.cumsum(chance, axis=0)[:-1]).sum(0)
    rows = np.arange(len(search))
    mean = np.stack([s.mean for s in parts])[pick, rows]
    covariance = np.stack([s.covariance for s in parts])[pick, rows]
    root = np.linalg.cholesky(covariance)
    return np.asarray(mean + (root @ rng.standard_normal((*mean.shape, 1)))[..., 0])


def _told(
    cells: Cells, search: Array, rises: Array, weights: Array, order: int, rng: "np.random.Generator | None"
) -> Forecast:
    """What draws of the fit say about the end and what is still to come."""
    shapes = Shapes.of(search)
    span = cells.span_s
    still = []
    begun = 2 if cells.warm and order == 2 else 1
    for k, tau in enumerate(shapes.constants_s):
        parts = rises[:, begun + k :: len(shapes.constants_s)]
        gone = span - cells.steps_s
        still.append((parts * np.exp(-gone / tau[:, None])).sum(1))
    slow, fast = still if len(still) == 2 else (still[0], np.zeros(len(search)))
    ambient = shapes.through(cells)[:, -1]
    quick = rises[:, 1] if begun == 2 else np.zeros(len(search))
    slow = slow - (rises[:, 0] - quick) * np.exp(-span / shapes.slow_s) + (cells.ambient_C[-1] - ambient)
    final = cells.ambient_C[-1] + rises[:, begun:].sum(1)
    if rng is not None and cells.ambient_sd_K:
        final = final + cells.ambient_sd_K * rng.standard_normal(len(final))
    fast_s = shapes.slow_s if shapes.fast_s is None else shapes.fast_s
    fast = fast - quick * np.exp(-span / fast_s)
    return Forecast(weights, final, shapes.slow_s, fast_s, slow, fast, span, order, cells.noise_K)


def _open(found: Forecast, cells: Cells) -> bool:
    """Whether the readings leave the end without a bound."""
    rise = found.final_C - cells.ambient_C[-1]
    spread = float(np.ptp(cells.celsius)) or 1.0
    beyond = (found.slow_s > BEYOND_SPANS * cells.span_s) | (rise > max(BEYOND_K, BEYOND_SPANS * spread))
    return float(found.weights[beyond].sum()) > 0.025


def _width(found: Forecast) -> float:
    return float(found.final.high - found.final.low)


def _design_width(expected: Expected) -> float:
    """Width in K of the 95 % interval that the design alone gives the rise."""
    rng, total = np.random.default_rng(7), sum(expected.rises_K)
    pick = rng.random(20_000)
    slow = np.where(pick < SLOW_WRONG, WRONG, 1.0) * expected.slow_spread * (1 - expected.fast_share)
    fast = np.where(pick > 1 - FAST_WRONG, WRONG, 1.0) * expected.fast_spread * expected.fast_share
    drawn = total * (1 + slow * rng.standard_normal(20_000) + fast * rng.standard_normal(20_000))
    low, high = np.quantile(drawn, [0.025, 0.975])
    return float(high - low)
