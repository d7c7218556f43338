"""A source whose volts follow a bent line, where turns around its own current do not settle.

Such a line is straight between its points. Near collapse, and at a sharp bend as that of a limit, turn after
turn may miss the one piece on which the network stands, or leave its range. There every piece is tried: the
right one gives a current that lies on it, and of several the least counts, which has the highest volts.
"""

from collections.abc import Callable, Mapping

import numpy as np
from msgspec.structs import asdict, replace

from tensimeter.core.arrays import Array, Figure, Flags
from tensimeter.core.electrical.elements import Network, Series, Value
from tensimeter.core.electrical.reservoir import Curve
from tensimeter.core.electrical.solution import Point, Solution, State

#: Volts may leave the line by this share before turns count as not settled.
OFF_LINE = 1e-9

#: Solves a network of straight sources for loads.
_Straight = Callable[[Network, Mapping[str, Figure]], Solution]


def mended(
    network: Network, load_A: Mapping[str, Figure], solution: Solution, source: Series, straight: _Straight
) -> Solution:
    """A solution with the points mended at which a bent source does not stand on its line.

    Where no piece of the line stands there is no running state: all of the network is not a number there.
    """
    wrong = _off_line(solution, source)
    if not wrong.any():
        return solution
    shape, rows = solution.shape, int(wrong.sum())

    def there(values: Figure) -> Array:
        return np.broadcast_to(np.asarray(values, float), shape)[wrong][:, None]

    own = {
        (e.id, name): there(value)
        for e in network.elements
        for name, value in asdict(e).items()
        if isinstance(value, np.ndarray)
    }
    emf, ohms, edges = _pieces(source, there(source.on_lower))
    tried: dict[tuple[str, str], Value] = {
        **own, (source.id, "emf"): emf, (source.id, "resistance"): ohms, (source.id, "curve"): None,
        (source.id, "lower"): None,
    }  # fmt: skip
    found = straight(network.with_values(tried), {k: there(v) for k, v in load_A.items()})
    amps = np.broadcast_to(found[source.id].I, emf.shape)
    slack = 1e-9 * (1 + np.abs(edges))
    with np.errstate(invalid="ignore"):
        stands = (amps >= edges[:, :-1] - slack[:, :-1]) & (amps <= edges[:, 1:] + slack[:, 1:])
    stands &= np.isfinite(np.broadcast_to(found[source.id].V, emf.shape))
    first, any_ = stands.argmax(1), stands.any(1)

    def merged(before: Array, after: Array, none: float) -> Array:
        whole = np.array(np.broadcast_to(before, shape))
        picked = np.broadcast_to(after, emf.shape)[np.arange(rows), first]
        whole[wrong] = np.where(any_, picked, none)
        return whole

    points = {}
    for key, point in solution.points.items():
        new = found[key]
        values = {
            name: merged(values, getattr(new, name), np.nan)
            for name, values in asdict(point).items()
            if name != "state"
        }
        before, after = np.asarray(point.state, float), np.asarray(new.state, float)
        state = merged(before, after, float(State.COLLAPSED)).astype(np.int64)
        points[key] = Point(**values, state=state)
    return replace(solution, points=points)


def _off_line(solution: Solution, source: Series) -> Flags:
    """Where a source is not at the volts that its line gives at its current, or has none."""
    point = solution[source.id]
    below = solution[source.fed_by].V if source.fed_by else 0.0
    amps = np.nan_to_num(solution.whole(point.I))
    line = _line(source, amps)
    own = solution.whole(point.V - below)
    with np.errstate(invalid="ignore"):
        return ~(np.abs(own - line) <= OFF_LINE * (1 + np.abs(line)))


def _line(source: Series, amps: Array) -> Array:
    assert source.curve is not None
    own = source.curve.at(amps)
    if source.lower is None:
        return own
    return np.where(np.asarray(source.on_lower) > 0, source.lower.at(amps), own)


def _pieces(source: Series, on_lower: Array) -> tuple[Array, Array, Array]:
    """EMF and Ω of each piece (n, k), and where the pieces meet, A (n, k + 1); the outer ones go on."""

    def of(curve: Curve) -> tuple[Array, Array, Array]:
        x, y = np.array(curve.amps), np.array(curve.volts)
        ohms = (y[:-1] - y[1:]) / (x[1:] - x[:-1])
        return y[:-1] + ohms * x[:-1], ohms, np.concatenate([[-np.inf], x[1:-1], [np.inf]])

    assert source.curve is not None
    emf, ohms, edges = (np.broadcast_to(a, (len(on_lower), len(a))) for a in of(source.curve))
    if source.lower is None or len(source.lower.amps) != len(source.curve.amps):
        return emf, ohms, edges
    other = of(source.lower)
    low = on_lower > 0
    return np.where(low, other[0], emf), np.where(low, other[1], ohms), np.where(low, other[2], edges)
