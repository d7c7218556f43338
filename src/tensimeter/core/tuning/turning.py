"""Screws that are turned, by numbers alone: what each moves, its play, how far to turn which."""

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval

#: Plays that are tried, so far apart, turns; where in it a screw may have stood at first, as shares of it.
STEP = 1 / 64
PLAYS, STARTS = np.arange(0.0, 0.51, STEP), (1.0, 0.75, 0.5, 0.25, 0.0)
#: Each of them, play and share; without play there is one alone.
TRIED = np.array([(p, s) for p in PLAYS.tolist() for s in (STARTS if p else STARTS[:1])])
#: Turned so far past and back, every setting ends in the same direction, and play has no part in it; turns.
PAST = 0.5
#: What a hand sets a screw to, turns; a rule of thumb.
HAND = 0.02
#: What is open of a position behind it, turns: the hand, and the grid of plays.
OPEN_TURNS = np.hypot(HAND, STEP) / np.sqrt(12)
#: What is as likely as this or likelier is not ruled out: chi-squared of one, 95 %.
OPEN = 3.84


class Turned(Struct, frozen=True, eq=False):
    """What was read while screws stood where: shaft turns (n, k), figures (n, m), NaN where none was read.

    `sd` (m,) is the scatter of each figure.
    """

    screws: tuple[str, ...]
    places: tuple[str, ...]
    turns: Array
    figures: Array
    sd: Array


class Sensitivity(Struct, frozen=True, eq=False):
    """What each screw moves: `matrix` (m, k) figures a turn, 95 % from `low` to `high`; play (k,) likewise.

    `now` (k,) are the screws' own positions behind their play, `shafts` (k,) where the shafts stand. An end
    is not finite where what was read leaves it open.
    """

    turned: Turned
    matrix: Array
    low: Array
    high: Array
    play: Array
    play_ends: Array
    now: Array
    shafts: Array

    @property
    def known(self) -> tuple[bool, ...]:
        """Of each screw, whether what it moves of anything is known at all."""
        return tuple(bool(x) for x in np.isfinite(self.high - self.low).sum(axis=0) > 0)

    def per_turn(self, place: str, screw: str) -> Interval:
        """What a figure moves by in one turn of a screw, 95 %; its ends are not finite where that is open."""
        j, k = self.turned.places.index(place), self.turned.screws.index(screw)
        return Interval(float(self.matrix[j, k]), float(self.low[j, k]), float(self.high[j, k]))

    def was_turned(self, screw: str) -> bool:
        """Whether a screw was turned at all."""
        return bool(np.ptp(self.turned.turns[:, self.turned.screws.index(screw)]))

    def play_of(self, screw: str) -> Interval:
        """The play of a screw, turns, 95 %."""
        k = self.turned.screws.index(screw)
        return Interval(float(self.play[k]), float(self.play_ends[k, 0]), float(self.play_ends[k, 1]))


def behind_play(shafts: Array, play: float | Array, share: float | Array = 1.0) -> Array:
    """Where what a screw moves stands (n, ...), its shaft (n,) having stood at `shafts`.

    It is `play` behind going up. At first it was a `share` of the play behind.
    """
    at = float(shafts[0]) - np.multiply(play, share)
    found = np.empty((len(shafts), *np.shape(at)))
    for n, shaft in enumerate(shafts.tolist()):
        at = np.minimum(np.maximum(at, shaft - play), shaft)
        found[n] = at
    return found


def sensitivity(turned: Turned) -> Sensitivity:
    """Volts a turn of each screw on each figure, and each screw's play, by least squares.

    Where a screw stands in its play at first is not known, so that turned once it may have moved less than
    its shaft. An end of an interval is the outermost of all plays that are not ruled out, each with what the
    meter and the hand leave open.

    Parameters
    ----------
    turned : Turned
        Positions and figures in the order taken; each screw that is to be known was turned once at least.

    Raises
    ------
    UserError
        Where nothing was read at two positions.

    References
    ----------
    Linear least squares with the errors of what is set (Fieller's theorem); play as the play operator of
    hysteresis (Visintin, Differential Models of Hysteresis), by profile likelihood over a grid.
    """
    n, k = turned.turns.shape
    if n < 2 or not np.ptp(turned.turns, axis=0).any():
        raise UserError("Turn a screw and read again: nothing was read at two positions yet.")
    fit = _Fit(turned)
    for _ in range(2):
        for screw in range(k):
            fit.settle(screw)
        fit.allow_for_the_hand()
    m = len(turned.places)
    low, high = np.full((m, k), -np.inf), np.full((m, k), np.inf)
    ends = np.zeros((k, 2))
    for screw in range(k):
        low[:, screw], high[:, screw], ends[screw] = fit.left_open(screw)
    matrix, play = fit.slopes(), TRIED[fit.chosen, 0]
    return Sensitivity(turned, matrix, low, high, play, ends, fit.x[-1], turned.turns[-1])


class _Fit:
    """Figures by positions, each screw at its likeliest play; what is read at one setting is one figure."""

    def __init__(self, turned: Turned) -> None:
        new = np.r_[True, (np.diff(turned.turns, axis=0) != 0).any(axis=1)]
        self.of = np.cumsum(new) - 1
        there = np.isfinite(turned.figures)
        shape = (self.of[-1] + 1, len(turned.places))
        self.count, total = np.zeros(shape), np.zeros(shape)
        np.add.at(self.count, self.of, there)
        np.add.at(total, self.of, np.where(there, turned.figures, 0.0))
        self.figures = total / np.where(self.count > 0, self.count, np.nan)
        #: Standard deviation of each figure, by the meter alone at first.
        self.meter_sd = turned.sd / np.sqrt(np.maximum(self.count, 1))
        self.sd = self.meter_sd
        shafts = turned.turns[new]
        self.tried = [behind_play(s, *TRIED.T) for s in shafts.T]
        self.chosen = [0] * len(self.tried)

    @property
    def x(self) -> Array:
        """Positions behind their play (n, k)."""
        return np.column_stack([t[:, c] for t, c in zip(self.tried, self.chosen, strict=True)])

    def settle(self, screw: int) -> None:
        """Take the likeliest play of one screw; of several alike the least."""
        misfit = np.round(sum(f.misfit for f in self._against(screw)), 6)
        self.chosen[screw] = int(np.argmin(misfit))

    def allow_for_the_hand(self) -> None:
        """A setting is as close as a hand sets it: what that moves is open in each figure."""
        moved = OPEN_TURNS * np.linalg.norm(self.slopes(), axis=1)
        self.sd = np.hypot(self.meter_sd, moved)

    def slopes(self) -> Array:
        """Figures a turn (m, k); none where nothing tells them."""
        found = np.zeros((self.figures.shape[1], len(self.tried)))
        for screw in range(len(self.tried)):
            found[:, screw] = [f.slope[self.chosen[screw]] for f in self._against(screw)]
        return found

    def left_open(self, screw: int) -> tuple[Array, Array, Array]:
        """What a screw moves at least and at most of each figure (m,), and its play (2,)."""
        fits = list(self._against(screw))
        misfit = sum(f.misfit for f in fits)
        freedom = sum(f.freedom for f in fits)
        least = float(np.min(misfit))
        # What scatters more than was foretold leaves as much more open.
        wider = max(least / freedom, 1.0) if freedom > 0 else 1.0
        is_open = misfit - least <= OPEN * wider
        low = np.array([np.min(f.ends(wider)[0], where=is_open, initial=np.inf) for f in fits])
        high = np.array([np.max(f.ends(wider)[1], where=is_open, initial=-np.inf) for f in fits])
        play = TRIED[is_open, 0]
        return low, high, np.array([play.min(), play.max()])

    def _against(self, screw: int) -> Iterator["_Against"]:
        """Each figure against each play of one screw, the others as they were chosen."""
        others = np.delete(self.x, screw, axis=1)
        for j in range(self.figures.shape[1]):
            there = np.isfinite(self.figures[:, j])
            yield _Against.of(
                self.figures[there, j], self.sd[there, j], others[there], self.tried[screw][there]
            )


class _Against(Struct, frozen=True, eq=False):
    """A figure against one screw, by each play (h,): its slope, what speaks of it, and what is left over."""

    slope: Array
    #: Sum of squares of positions that tell the slope, turns², as it weighs; and in turns² alone.
    told: Array
    spread: Array
    misfit: Array
    freedom: int

    @classmethod
    def of(cls, figures: Array, sd: Array, others: Array, tried: Array) -> "_Against":
        """By weighted least squares: figures (n,), their deviations, other positions, those tried (n, h)."""
        w = 1 / sd
        base = w[:, None] * np.column_stack([np.ones(len(figures)), others])
        u, s, _ = np.linalg.svd(base, full_matrices=False) if len(figures) else (base, np.zeros(0), None)
        q = u[:, s > 1e-9 * max(s.max(initial=0.0), 1e-300)]
        y, x = w * figures, w[:, None] * tried
        y, x = y - q @ (q.T @ y), x - q @ (q.T @ x)
        told = (x * x).sum(axis=0)
        spread = told / max(float(w @ w), 1e-300) * len(figures)
        tells = spread > 1e-9
        slope = np.where(tells, y @ x / np.where(tells, told, 1.0), 0.0)
        misfit = np.maximum(float(y @ y) - slope**2 * told, 0.0)
        return cls(slope, np.where(tells, told, 0.0), spread, misfit, max(len(figures) - q.shape[1] - 1, 0))

    def ends(self, wider: float) -> tuple[Array, Array]:
        """What the slope is at least and at most (h,), 95 %, by Fieller's theorem."""
        told = np.maximum(self.told, 1e-300) / wider
        hand = OPEN_TURNS**2 / np.maximum(self.spread, 1e-300)
        g = OPEN * hand
        known = (self.told > 0) & (g < 1)
        g = np.where(known, g, 0.0)
        half = np.sqrt(OPEN * (1 - g) / told) / (1 - g)
        middle = self.slope / (1 - g)
        return np.where(known, middle - half, -np.inf), np.where(known, middle + half, np.inf)


class Turn(Struct, frozen=True):
    """How far to turn one screw; `past` of it first beyond and back, so that it ends turning up.

    `moves` is how far what it moves goes, the rest is play that is taken up.
    """

    screw: str
    turns: float
    past: float
    ends_at: float
    stopped: bool
    moves: float = 0.0

    def shortened(self, share: float) -> "Turn":
        """It by a share of what it was to move."""
        if share >= 1 or not (self.turns or self.past):
            return self
        less = self.moves * (1 - share)
        by = self.turns - less
        return Turn(self.screw, by, PAST if by <= 0 else 0.0, self.ends_at - less, False, self.moves - less)


def turns_for(
    found: Sensitivity,
    targets: Mapping[str, float],
    stops: Mapping[str, tuple[float, float]],
    order: Sequence[str],
) -> tuple[Turn, ...]:
    """How far to turn each screw so that every figure comes to its target, in an order; stops are kept.

    All at once by the sensitivities, so that what one moves of another's figure is in it; where there are
    more figures than screws, or a stop is in the way, with the least sum of squares.
    """
    from scipy.optimize import lsq_linear  # noqa: PLC0415

    read = np.asarray(np.isfinite(found.turned.figures).any(axis=0)).tolist()
    places = [p for p, ok in zip(found.turned.places, read, strict=True) if ok and p in targets]
    rows = [found.turned.places.index(p) for p in places]
    use = [k for k, ok in enumerate(found.known) if ok]
    if not rows or not use:
        return ()
    matrix = found.matrix[np.ix_(rows, use)]
    latest = [found.turned.figures[np.isfinite(found.turned.figures[:, j]), j][-1] for j in rows]
    gap = np.array([targets[p] for p in places]) - np.array(latest)
    # All figures alike, whatever their units.
    scale = np.maximum(np.abs(matrix).max(axis=1), 1e-12)
    names = [found.turned.screws[k] for k in use]
    low = np.array([stops.get(n, (-np.inf, np.inf))[0] for n in names]) - found.now[use]
    high = np.array([stops.get(n, (-np.inf, np.inf))[1] for n in names]) - found.now[use]
    low, high = np.minimum(low, -1e-9), np.maximum(high, 1e-9)
    moved = lsq_linear(matrix / scale[:, None], gap / scale, (low, high)).x
    made = []
    for name, k, by, a, b in zip(names, use, moved.tolist(), low.tolist(), high.tolist(), strict=True):
        ends = found.now[k] + by
        # The shaft ends turning up: then what it moves stands its play behind it.
        shaft = ends + found.play[k] - found.shafts[k]
        past = PAST if shaft <= 0 else 0.0
        if abs(by) < HAND / 2:
            shaft, past = 0.0, 0.0
        stopped = bool(by <= a + 1e-6 or by >= b - 1e-6)
        made.append(Turn(name, float(shaft), past, float(found.shafts[k] + shaft), stopped, by))
    return tuple(sorted(made, key=lambda t: list(order).index(t.screw) if t.screw in order else len(order)))
