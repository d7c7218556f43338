"""The reach that an adjustable output has shown: the convex set of the points that were held, and no more."""

from collections.abc import Sequence

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.held.points import Point


def held_reach(found: Sequence[Point], near_V: float) -> Array:
    """Corners (n, 2) of volts and amps of what was held, from the lowest volts up; empty where nothing was.

    Parameters
    ----------
    found : sequence of Point
        What was read, at its own volts and at others, whether it holds or not.
    near_V : float
        Nominal volts: the side that is kept where a point that does not hold parts the volts.

    Notes
    -----
    What was held at some amps is taken to be held at less. Between two held points the straight line is
    taken; a point that does not hold lies never inside: the amps are lowered below it, or the volts cut.
    """
    own = {(p.volts, p.amps) for p in found if p.holds and p.set_V is None}
    held = [(p.volts, p.amps) for p in found if p.holds]
    missed = [(p.volts, p.amps) for p in found if not p.holds]
    # What stands at its own volts alone is no reach.
    while set(held) - own:
        corners = upper_corners(np.array(held))
        inside = [m for m in missed if _covers(corners, m)]
        if not inside:
            return corners
        volts, amps = min(inside, key=lambda m: m[1])
        left = [h for h in held if h[1] < amps]
        if not left or amps <= 0:
            # Nothing is held there at any amps: the volts end before it.
            left = [h for h in held if (h[0] < volts) == (near_V < volts) and h[0] != volts]
        held = left
    return np.zeros((0, 2))


def upper_corners(held: Array) -> Array:
    """Corners (n, 2) of the upper edge of the convex hull of points (m, 2), from the lowest volts up.

    References
    ----------
    Andrew, Another efficient algorithm for convex hulls in two dimensions, Inf. Proc. Letters 9 (1979) 216:
    its upper half.
    """
    edge: list[tuple[float, float]] = []
    best: dict[float, float] = {}
    for volts, amps in held.tolist():
        best[volts] = max(best.get(volts, 0.0), amps)
    for point in sorted(best.items()):
        while len(edge) > 1 and _turns_left(edge[-2], edge[-1], point):
            edge.pop()
        edge.append(point)
    return np.array(edge)


def _turns_left(a: tuple[float, float], b: tuple[float, float], c: tuple[float, float]) -> bool:
    """Whether b lies on or below the straight line from a to c."""
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) >= 0


def most_at(corners: Array, volts: float) -> float | None:
    """The most amps of a reach at given volts; None outside of it."""
    if not len(corners) or not corners[0, 0] <= volts <= corners[-1, 0]:
        return None
    return float(np.interp(volts, corners[:, 0], corners[:, 1]))


def _covers(corners: Array, point: tuple[float, float]) -> bool:
    most = most_at(corners, point[0])
    return most is not None and point[1] <= most
