"""How far a screw is turned to see what it moves: little until that is known, and not past what is borne."""

from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.tuning.turning import HAND, Sensitivity, Turn, Turned

#: What a screw moves is known well enough to turn by within this share of it.
ENOUGH = 0.5
#: Turned first, and at most while it is tried, turns; not less than a hand can tell.
FIRST, MOST, LEAST = 1 / 8, 1 / 4, 1 / 16
#: What a turn may move of its own figure and of others while nobody knows, and how far above its target a
#: figure may come, as shares of that; rules of thumb.
STEEP, ACROSS, ABOVE = 0.3, 0.1, 0.094
#: A turn goes at most so many times as far as a screw was tried.
FARTHER = 4.0
#: A screw moves nothing where a turn of it moves less than this share of its target.
NOTHING = 1e-3

Effect = Literal["open", "known", "none"]


def effect(found: Sensitivity | None, screw: str, place: str, target: float) -> Effect:
    """What is known of what a screw moves: enough to turn by it, that it is nothing, or not enough."""
    if found is None:
        return "open"
    turn = found.per_turn(place, screw)
    if max(abs(turn.low), abs(turn.high)) < NOTHING * abs(target):
        return "none"
    return "known" if turn.half_width <= ENOUGH * abs(turn.value) else "open"


def tried(
    turned: Turned, screw: str, place: str, guarded: Mapping[str, float], stops: tuple[float, float]
) -> Turn:
    """The next step of a screw of which is not known what it moves.

    On the same way, as its play is taken up then; back where a figure that is `guarded` would come too far
    above its target.
    """
    k = turned.screws.index(screw)
    steps = np.diff(turned.turns[:, k])
    at = float(turned.turns[-1, k])
    last = float(steps[np.flatnonzero(steps)[-1]]) if steps.any() else 0.0
    wanted = abs(last) * (1.0 if _moved(turned, k, place)[-1:].any() else 2.0) if last else FIRST
    way = float(np.sign(last)) or 1.0
    up = {p: _way_up(_moved(turned, k, p)) for p in guarded}
    room = {w: _room(turned, place, guarded, {p: w * u for p, u in up.items()}) for w in (1.0, -1.0)}
    if room[way] < LEAST < room[-way] or not stops[0] <= at + way * LEAST <= stops[1]:
        way = -way
    size = float(np.clip(min(wanted, room[way]), LEAST, MOST))
    by = float(np.clip(way * size, stops[0] - at, stops[1] - at))
    return Turn(screw, by, 0.0, at + by, abs(by) < size - HAND)


def _moved(turned: Turned, screw: int, place: str) -> Array:
    """How a figure moved with each turn of a screw (n,), a turn; none where that is its scatter."""
    j, steps = turned.places.index(place), np.diff(turned.turns[:, screw])
    seen = np.isfinite(turned.figures[:, j])
    found = []
    for turn in np.flatnonzero(steps).tolist():
        before, after = np.flatnonzero(seen[: turn + 1]), np.flatnonzero(seen[turn + 1 :])
        by = (
            turned.figures[turn + 1 + after[0], j] - turned.figures[before[-1], j]
            if len(before) and len(after)
            else 0.0
        )
        found.append(by / steps[turn] if abs(by) > 4 * turned.sd[j] else 0.0)
    return np.array(found)


def _way_up(moved: Array) -> float:
    """Whether a figure rises as its screw is turned up, by what showed it last: 1, or -1; 0 is not known."""
    shown = np.sign(moved[moved != 0])
    return float(shown[-1]) if len(shown) else 0.0


def _room(turned: Turned, own: str, guarded: Mapping[str, float], rises: Mapping[str, float]) -> float:
    """How far a screw may be turned so that no figure comes too far above its target, turns.

    `rises` tells by its sign which figures rise and which fall that way; of none it may be either.
    """
    above = _above(turned, guarded)
    steep = {p: STEEP if p == own else ACROSS for p in above}
    return min(((ABOVE - a) / steep[p] for p, a in above.items() if rises[p] >= 0), default=MOST)


def _above(turned: Turned, targets: Mapping[str, float]) -> dict[str, float]:
    """How far each figure is above its target, as a share of it; below, less than none."""
    found = {}
    for j, place in enumerate(turned.places):
        read = turned.figures[np.isfinite(turned.figures[:, j]), j]
        target = targets.get(place, 0.0)
        if len(read) and target:
            found[place] = float((read[-1] - target) / abs(target) * np.sign(target))
    return found


def first_of(
    found: Sensitivity, turns: Sequence[Turn], targets: Mapping[str, float], guarded: Mapping[str, float]
) -> Turn | None:
    """The turn that is made next: what brings most, as far as it may go before all is read again."""
    gaps = _above(found.turned, targets)

    def left(turn: Turn) -> float:
        """What is left after it, as a sum of squares."""
        k = found.turned.screws.index(turn.screw)
        by = dict(zip(found.turned.places, (found.matrix[:, k] * turn.moves).tolist(), strict=True))
        return float(sum((gap + by[p] / targets[p]) ** 2 for p, gap in gaps.items()))

    may = [_limited(found, t, guarded) for t in turns if t.turns or t.past]
    return min(may, key=left, default=None)


def _limited(found: Sensitivity, turn: Turn, guarded: Mapping[str, float]) -> Turn:
    """A turn, not far beyond what was tried; at the steepest that is open nothing rises too far."""
    k = found.turned.screws.index(turn.screw)
    share = FARTHER * max(float(np.ptp(found.turned.turns[:, k])), FIRST) / max(abs(turn.moves), 1e-9)
    for place, above in _above(found.turned, guarded).items():
        effect = found.per_turn(place, turn.screw)
        if np.isfinite(effect.half_width):
            rises = np.array([effect.low, effect.high]) * turn.moves / guarded[place]
            rise = float(rises.max())
            share = min(share, max(ABOVE / 2 - above, ABOVE / 4) / rise) if rise > 0 else share
    return turn.shortened(float(min(share, 1.0)))
