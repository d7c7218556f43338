"""Derating: what a device may carry at a temperature, from a piecewise linear curve."""

import itertools
from collections.abc import Sequence

import numpy as np

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.errors import UserError


def checked_curve(curve: Sequence[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """Points (°C, allowed) in rising temperature; UserError where they are no derating curve."""
    points = sorted(curve)
    if len(points) < 2 or len({t for t, _ in points}) < len(points):
        raise UserError("A derating curve has at least two points at different temperatures.")
    allowed = [a for _, a in points]
    if min(allowed) < 0 or any(b > a for a, b in itertools.pairwise(allowed)):
        raise UserError("A derating curve never rises with temperature, and never falls below zero.")
    return tuple(points)


def allowed_at(curve: Sequence[tuple[float, float]], celsius: Figure) -> Array:
    """What a derating curve allows at a temperature.

    Parameters
    ----------
    curve : sequence of (float, float)
        °C and what is allowed there, rising in temperature.
    celsius : float or array
        Temperatures, °C.

    Returns
    -------
    array
        Flat below the first point, straight between two, nothing above the last.

    Examples
    --------
    >>> float(allowed_at([(50, 6.0), (70, 3.0)], 60))
    4.5
    """
    points = checked_curve(curve)
    temperatures, allowed = np.array(points).T
    at = np.asarray(celsius, float)
    return np.where(at > temperatures[-1], 0.0, np.interp(at, temperatures, allowed))


def hottest_at(curve: Sequence[tuple[float, float]], used: Figure) -> Array:
    """The highest temperature at which a derating curve still allows what is used.

    Parameters
    ----------
    curve : sequence of (float, float)
        As for `allowed_at`.
    used : float or array
        In the unit of the curve.

    Returns
    -------
    array
        °C; −∞ where it is never allowed.

    Examples
    --------
    >>> hottest_at([(50, 6.0), (70, 3.0)], [2.0, 4.5, 7.0]).tolist()
    [70.0, 60.0, -inf]
    """
    temperatures, allowed = np.array(checked_curve(curve)).T
    at = np.asarray(used, float)
    return np.where(at > allowed[0], -np.inf, np.interp(-at, -allowed, temperatures))


def hottest_for(curve: Sequence[tuple[float, float]], used: float) -> float:
    """The highest temperature in °C at which `used` is still allowed; UserError where it never is."""
    found = float(hottest_at(curve, used))
    if not np.isfinite(found):
        cold = checked_curve(curve)[0][1]
        raise UserError(f"{used:.3g} is more than the {cold:.3g} that is allowed cold.")
    return found
