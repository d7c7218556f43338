"""The forecast of a heat-up: where it ends, when it gets to a limit, and how sure that is.

Every figure comes from weighted draws of the final temperature and what is still to come with each time
constant. While the readings can't tell one time constant from two, the draws say so by their width.
"""

from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.heatup.sampler import quantile
from tensimeter.core.measurement.conformity import Interval

#: Beyond this many K above the ambient an end is not told: it is what the data cannot bound.
BEYOND_K = 400.0
#: An end that lies in the range of a record's own time constants times this is not told either.
BEYOND_SPANS = 20.0
#: A chance below this is told as none.
UNLIKELY = 0.025


class Forecast(Struct, frozen=True, eq=False, dict=True):
    """Weighted draws (k,): °C at the end under this load, the slow and fast time constant in s.

    `slow_K` and `fast_K` are what is still to come with each; `span_s` is how long the load has been on.
    `order` is how many time constants the readings ask for, `alone_K` the width of the final interval without
    the design, `design_K` that of the design without readings, None where there is none.
    """

    weights: Array
    final_C: Array
    slow_s: Array
    fast_s: Array
    slow_K: Array
    fast_K: Array
    span_s: float
    order: int
    noise_K: float
    best_C: float | None = None
    best_tau_s: float | None = None
    stretch: float = 1.0
    open_end: bool = False
    alone_K: float | None = None
    design_K: float | None = None
    #: °C where the design alone lets it end.
    design_C: float | None = None
    #: The hottest °C (k,) where something changes on the way, as a fan that comes on; None: nothing does.
    held_C: Array | None = None

    # -- figures --------------------------------------------------------------------------------

    def _interval(self, values: Array, value: float | None = None) -> Interval:
        low, middle, high = quantile(values, self.weights, (0.025, 0.5, 0.975))
        at = middle if value is None else value
        return Interval(at, at - self.stretch * (at - low), at + self.stretch * (high - at))

    @property
    def hottest_C(self) -> Array:
        """°C (k,) that it comes to, and stays at or swings up to."""
        return self.final_C if self.held_C is None else self.held_C

    @cached_property
    def final(self) -> Interval:
        """°C in the end; its high end is infinite where the readings cannot bound it."""
        found = self._interval(self.hottest_C, self.best_C)
        return replace(found, high=float("inf")) if self.open_end else found

    @cached_property
    def time_constant(self) -> Interval:
        """The slow time constant in s."""
        found = self._interval(self.slow_s, self.best_tau_s)
        return replace(found, high=float("inf")) if self.open_end else found

    @cached_property
    def remaining(self) -> Interval:
        """K still to come."""
        found = self._interval(self.slow_K + self.fast_K + self.hottest_C - self.final_C)
        return replace(found, high=float("inf")) if self.open_end else found

    @cached_property
    def now(self) -> Interval:
        """°C now, by all readings."""
        return self._interval(self.final_C - self.slow_K - self.fast_K)

    def at(self, after_s: Array) -> Array:
        """Draws of °C (k, m) at seconds from now, under this load."""
        s = np.asarray(after_s, float)[None, :]
        slow = self.slow_K[:, None] * np.exp(-s / self.slow_s[:, None])
        found = self.final_C[:, None] - slow - self.fast_K[:, None] * np.exp(-s / self.fast_s[:, None])
        if self.held_C is None:
            return np.asarray(found)
        # On the way it goes as if nothing changed: sooner hot than it will be.
        held = self.held_C[:, None]
        return np.where(held > self.final_C[:, None], held, np.minimum(found, held))

    def cone(self, after_s: Array) -> Array:
        """°C at seconds from now: 2.5 %, half, 97.5 %; (3, m)."""
        drawn = self.at(after_s)
        return np.array([quantile(c, self.weights, (0.025, 0.5, 0.975)) for c in drawn.T]).T

    # -- a limit --------------------------------------------------------------------------------

    def chance_above(self, limit_C: float, within_s: float = np.inf) -> float:
        """Chance that it comes to the limit within a time from now, as wide as its interval is told."""
        hottest = self.hottest_C if np.isinf(within_s) else self.at(np.linspace(0, within_s, 40)).max(1)
        middle = float(quantile(hottest, self.weights, (0.5,))[0])
        # An interval that few readings stretch lets the limit come as much nearer.
        return float(self.weights[hottest > middle + (limit_C - middle) / self.stretch].sum())

    def minutes_to(self, limit_C: float) -> Interval | None:
        """Minutes from now to a limit; an end is infinite where it may never come, None if it never does."""
        seconds = self._seconds_to(limit_C)
        low, middle, high = _with_never(seconds, self.weights)
        if np.isinf(low):
            return None
        return Interval(middle / 60, low / 60, high / 60)

    def _seconds_to(self, limit_C: float) -> Array:
        """Seconds from now of each draw, by halving; it only rises from now on where it will cross."""
        low = np.zeros_like(self.final_C)
        high = np.full_like(self.final_C, 30.0) * self.slow_s
        crosses = self.hottest_C > limit_C
        for _ in range(50):
            middle = (low + high) / 2
            at = (
                self.final_C
                - self.slow_K * np.exp(-middle / self.slow_s)
                - self.fast_K * np.exp(-middle / self.fast_s)
            )
            low, high = np.where(at < limit_C, middle, low), np.where(at < limit_C, high, middle)
        return np.where(crosses, high, np.inf)

    # -- what it means --------------------------------------------------------------------------

    def steady(self, within_K: float = 1.0) -> bool:
        """Whether what is still to come is under a set figure, both ways, as far as 95 % tell."""
        left = self.remaining
        return bool(np.isfinite(left.high) and max(abs(left.high), abs(left.low)) < within_K)

    def seconds_to_steady(self, within_K: float = 1.0) -> Interval:
        """Seconds from now until no more than `within_K` is to come."""
        within = within_K + np.maximum(self.final_C - self.hottest_C, 0.0)
        with np.errstate(divide="ignore", invalid="ignore"):
            wait = self.slow_s * np.log(np.maximum(np.abs(self.slow_K), 1e-12) / within)
        return self._interval(np.maximum(wait, 0.0))

    @property
    def ground(self) -> str:
        """What the forecast rests on: the readings, the design model, or both."""
        if self.design_K is None:
            return "readings"
        if self.changes:
            return "readings and design model"
        width = self.final.high - self.final.low
        if self.alone_K is not None and self.alone_K < 1.25 * width:
            return "readings"
        moved = self.design_C is not None and abs(self.final.value - self.design_C) > 0.25 * self.design_K
        return "readings and design model" if moved or width < 0.8 * self.design_K else "design model"

    @cached_property
    def changes(self) -> bool:
        """Whether what changes on the way makes it end elsewhere."""
        moved = np.abs(self.hottest_C - self.final_C) > 1e-9
        return float(self.weights[moved].sum()) > UNLIKELY

    def held(self, at_C: Array) -> "Forecast":
        """With the °C (k,) that each draw is held at; an end that this bounds is open no more."""
        free = float(self.weights[at_C >= self.final_C].sum()) > UNLIKELY
        found = replace(self, held_C=at_C, open_end=self.open_end and free)
        return replace(found, best_C=None) if found.changes else self

    def scaled(self, room_C: float, by: float) -> "Forecast":
        """The same if the heat were `by` times as much from now on: every rise grows with it."""
        final = room_C + (self.final_C - room_C) * by
        return replace(self, final_C=final, slow_K=self.slow_K + final - self.final_C, best_C=None)

    def shifted(self, by: Array | float) -> "Forecast":
        """The same for a place that is hotter by `by` (one figure, or one a draw) from now on."""
        best = None if self.best_C is None else self.best_C + float(np.mean(by))
        return replace(self, final_C=self.final_C + by, best_C=best)

    def read_with(self, accuracy_K: float, seed: int = 3) -> "Forecast":
        """With the thermometer's unknown offset in it, shared by all its readings."""
        offset = np.random.default_rng(seed).uniform(-accuracy_K, accuracy_K, self.final_C.shape)
        return replace(self, final_C=self.final_C + offset)


def _with_never(seconds: Array, weights: Array) -> tuple[float, float, float]:
    """Quantiles of a time that may be infinite."""
    order = np.argsort(seconds)
    gone = np.cumsum(weights[order])
    found = [
        float(seconds[order][min(int(np.searchsorted(gone, p)), len(order) - 1)]) for p in (0.025, 0.5, 0.975)
    ]
    return found[0], found[1], found[2]
