"""Screws that are turned, by numbers alone: what each moves, its play, how far to turn which."""

from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval

#: Plays that are tried, turns.
PLAYS = np.arange(0.0, 0.51, 1 / 32)
#: Turned so far past and back, every setting ends in the same direction, and play has no part in it; turns.
PAST = 0.5
#: What a hand sets a screw to, turns; a rule of thumb.
HAND = 0.02


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
    """What each screw moves: `matrix` (m, k) figures a turn with deviations `sd`, play (k,), figures at rest.

    `now` (k,) are the screws' own positions behind their play, `shafts` (k,) where the shafts stand.
    """

    turned: Turned
    matrix: Array
    sd: Array
    play: Array
    rest: Array
    now: Array
    shafts: Array
    known: tuple[bool, ...]

    def per_turn(self, place: str, screw: str) -> Interval:
        """What a figure moves by in one turn of a screw, 95 %."""
        j, k = self.turned.places.index(place), self.turned.screws.index(screw)
        value, half = float(self.matrix[j, k]), 1.96 * float(self.sd[j, k])
        return Interval(value, value - half, value + half)


def behind_play(shafts: Array, play: float) -> Array:
    """Where what a screw moves stands (n,), its shaft having stood at `shafts`: `play` behind going up."""
    at = float(shafts[0]) - play
    found = np.empty(len(shafts))
    for n, shaft in enumerate(shafts.tolist()):
        at = min(max(at, shaft - play), shaft)
        found[n] = at
    return found


def sensitivity(turned: Turned) -> Sensitivity:
    """Volts a turn of each screw on each figure, and each screw's play, by least squares.

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
    Linear least squares; play as the play operator of hysteresis (Visintin, Differential Models of
    Hysteresis), searched over a grid, the likeliest taken.
    """
    n, k = turned.turns.shape
    if n < 2 or not np.ptp(turned.turns, axis=0).any():
        raise UserError("Turn a screw and read again: nothing was read at two positions yet.")
    play = np.zeros(k)
    for _ in range(2):
        for screw in range(k):
            if _turned_back(turned.turns[:, screw]):
                tried = [_misfit(turned, np.where(np.arange(k) == screw, p, play)) for p in PLAYS.tolist()]
                play[screw] = PLAYS[int(np.argmin(np.round(tried, 6)))]
    x = _positions(turned, play)
    design = np.column_stack([np.ones(n), x])
    m = len(turned.places)
    matrix, sd, rest = np.zeros((m, k)), np.full((m, k), np.inf), np.zeros(m)
    for j in range(m):
        there = np.isfinite(turned.figures[:, j])
        if not there.any():
            continue
        of = np.linalg.pinv(design[there])
        found = of @ turned.figures[there, j]
        # What a screw moves is told only where figures were read at positions that tell it from the rest.
        told = np.abs(of @ design[there] - np.eye(k + 1))[1:].max(axis=1) < 1e-6
        rest[j], matrix[j] = found[0], np.where(told, found[1:], 0.0)
        freedom = int(there.sum()) - np.linalg.matrix_rank(design[there])
        left = turned.figures[there, j] - design[there] @ found
        seen = float(np.sqrt(left @ left / freedom)) if freedom > 0 else 0.0
        sd[j] = np.where(told, max(seen, float(turned.sd[j])) * np.linalg.norm(of[1:], axis=1), np.inf)
    known = tuple(bool(np.isfinite(sd[:, s]).any()) for s in range(k))
    return Sensitivity(turned, matrix, sd, play, rest, x[-1], turned.turns[-1], known)


def _turned_back(shafts: Array) -> bool:
    steps = np.diff(shafts)
    return bool((steps > 0).any() and (steps < 0).any())


def _positions(turned: Turned, play: Array) -> Array:
    return np.column_stack([behind_play(turned.turns[:, s], float(p)) for s, p in enumerate(play)])


def _misfit(turned: Turned, play: Array) -> float:
    design = np.column_stack([np.ones(len(turned.turns)), _positions(turned, play)])
    total = 0.0
    for j, sd in enumerate(turned.sd.tolist()):
        there = np.isfinite(turned.figures[:, j])
        if there.any():
            y = turned.figures[there, j] / sd
            left = y - (design[there] / sd) @ (np.linalg.pinv(design[there] / sd) @ y)
            total += float(left @ left)
    return total


class Turn(Struct, frozen=True):
    """How far to turn one screw; `past` of it first beyond and back, so that it ends turning up."""

    screw: str
    turns: float
    past: float
    ends_at: float
    stopped: bool


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
        made.append(Turn(name, float(shaft), past, float(found.shafts[k] + shaft), stopped))
    return tuple(sorted(made, key=lambda t: list(order).index(t.screw) if t.screw in order else len(order)))
