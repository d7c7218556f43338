"""The thermal stages of a part, fitted to what was read while it warmed: θ and C of each, with uncertainty.

Heat goes from the case of the part through its mounting to the sink, from there into the air inside, and out
through the box. Every stage is a node of an RC network; its response to heat and ambient that are straight
between two moments is exact (network.py).
"""

from collections.abc import Mapping

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Interval
from tensimeter.core.thermal.network import AMBIENT, ThermalNetwork, relaxed

#: Nodes from the heat outwards.
PLACES = ("case", "sink", "air")
#: How far a design's θ and C may be off before they are read, in ln: rules of thumb.
THETA_SPREAD, CAPACITY_SPREAD = 0.5, 0.5
#: How well the heat itself is known, as a share: θ and C can be known no better.
POWER_SHARE = 0.05
#: How far a start may be off in K, where it was read and where not; how little is known of a lag, s.
START_READ_K, START_GUESS_K, LEAST_LAG_S = 0.3, 2.0, 2.0


class CauerLadder(Struct, frozen=True):
    """θ in K/W from each place to the next outwards, C in J/K of each; the outermost ends at the room.

    Places are the first ones of `PLACES`, or `sink` and `air`, or any run of them.
    """

    theta_K_W: Mapping[str, float]
    capacity_J_K: Mapping[str, float]

    @property
    def places(self) -> tuple[str, ...]:
        """Its nodes from the inside out."""
        return tuple(p for p in PLACES if p in self.theta_K_W)

    def network(self) -> ThermalNetwork:
        """The ladder as a network that can be solved."""
        ends = (*self.places[1:], AMBIENT)
        ties = {(a, b): self.theta_K_W[a] for a, b in zip(self.places, ends, strict=True)}
        return ThermalNetwork({p: self.capacity_J_K[p] for p in self.places}, ties)

    def vector(self) -> Array:
        """Logarithms of all θ, then of all C: what a fit moves."""
        return np.log(
            [*(self.theta_K_W[p] for p in self.places), *(self.capacity_J_K[p] for p in self.places)]
        )

    def with_vector(self, logs: Array) -> "CauerLadder":
        """The ladder with the figures that such logarithms stand for."""
        values = np.exp(logs)
        half = len(self.places)
        return CauerLadder(
            dict(zip(self.places, values[:half].tolist(), strict=True)),
            dict(zip(self.places, values[half:].tolist(), strict=True)),
        )


class Heating(Struct, frozen=True, eq=False):
    """What warmed it: W into each place from each moment (s) on, and the room, s and °C, straight between."""

    from_s: Array
    power_W: Mapping[str, Array]
    room_s: Array
    room_C: Array


class Track(Struct, frozen=True, eq=False):
    """What one thermometer read at a place: s and °C (n,), its noise in K, its accuracy, its lag in s."""

    place: str
    time_s: Array
    celsius: Array
    noise_K: float = 0.1
    accuracy_K: float = 0.0
    lag_s: float = 0.0


def response(
    stages: CauerLadder, heating: Heating, time_s: Array, start_K: Mapping[str, float]
) -> dict[str, Array]:
    """°C of every place at times (n,), from rises over the room at the first moment; exact between turns."""
    network = stages.network()
    modes = network.modes()
    capacity = np.array([stages.capacity_J_K[p] for p in stages.places])
    conductance = network.conductance()
    turns = np.unique(np.concatenate([heating.from_s, heating.room_s]))
    turns = turns[(turns >= heating.from_s[0]) & (turns <= max(float(time_s[-1]), turns[0]))]
    on = np.searchsorted(heating.from_s, turns, side="right") - 1
    idle = np.zeros(len(heating.from_s))
    watts = np.array([heating.power_W.get(p, idle)[on] for p in stages.places])
    # Seen from a room that drifts, every capacity takes up as much heat as the drift asks of it.
    drifts = np.array([_drift(heating, begin) for begin in turns.tolist()])
    finals = np.linalg.solve(conductance, watts - drifts * capacity[:, None]).T
    states = np.zeros((len(turns), len(stages.places)))
    states[0] = [start_K.get(p, 0.0) for p in stages.places]
    for k, gap in enumerate(np.diff(turns)):
        states[k + 1] = relaxed(modes, finals[k], states[k], gap)
    # All times at once: each goes on from the last turn before it; before the first nothing has begun.
    since = np.maximum(np.searchsorted(turns, time_s, side="right") - 1, 0)
    found = relaxed(modes, finals[since], states[since], np.maximum(time_s - turns[since], 0.0))
    room = np.interp(time_s, heating.room_s, heating.room_C)
    return {p: room + found[:, k] for k, p in enumerate(stages.places)}


def _drift(heating: Heating, begin: float) -> float:
    """K/s by which the room drifts from a moment on."""
    if begin < heating.room_s[0] or begin >= heating.room_s[-1]:
        return 0.0
    k = int(np.searchsorted(heating.room_s, begin, side="right")) - 1
    gap = heating.room_s[k + 1] - heating.room_s[k]
    return float((heating.room_C[k + 1] - heating.room_C[k]) / gap) if gap > 0 else 0.0


class Fitted(Struct, frozen=True, eq=False):
    """Stages as read: their best figures, covariance of their logarithms, and what they were before."""

    stages: CauerLadder
    covariance: Array
    design: CauerLadder
    birge: float
    readings: int
    #: Places at which a thermometer sat.
    read: frozenset[str] = frozenset()

    def _interval(self, index: int) -> Interval:
        at = float(self.stages.vector()[index])
        half = 1.959964 * float(np.sqrt(self.covariance[index, index]))
        return Interval(float(np.exp(at)), float(np.exp(at - half)), float(np.exp(at + half)))

    def theta(self, place: str) -> Interval:
        """K/W from a place to the next outwards."""
        return self._interval(self.stages.places.index(place))

    def capacity(self, place: str) -> Interval:
        """J/K of a place."""
        return self._interval(len(self.stages.places) + self.stages.places.index(place))

    def drawn(self, count: int = 1000, seed: int = 5) -> list[CauerLadder]:
        """Ladders drawn from the fit's own uncertainty, seeded."""
        rng = np.random.default_rng(seed)
        rows = rng.multivariate_normal(self.stages.vector(), self.covariance, count)
        return [self.stages.with_vector(row) for row in rows]


def fit_ladder(
    design: CauerLadder, heating: Heating, tracks: list[Track], power_share: float = POWER_SHARE
) -> Fitted:
    """Fit θ and C of every stage to what thermometers read; UserError where none sits at a place of it.

    Least squares in logarithms, with the design as prior and each thermometer's offset as an unknown of its
    own; uncertainty from the curvature, widened where the residuals scatter more than the noise (Birge 1932).
    """
    from scipy.optimize import least_squares  # noqa: PLC0415

    tracks = [_thinned(t) for t in tracks if t.place in design.places and len(t.time_s) >= 5]
    if not tracks:
        raise UserError("No thermometer sat at a place of this part: its stages can't be fitted.")
    first = design.vector()
    half, size = len(design.places), len(design.vector())
    spread = np.array([THETA_SPREAD] * half + [CAPACITY_SPREAD] * half)
    offsets = np.array([max(t.accuracy_K, 1e-3) / np.sqrt(3) for t in tracks])
    began = heating.from_s[0]
    room = float(np.interp(began, heating.room_s, heating.room_C))
    # The first reading alone: a small case is well on its way by the second.
    starts = {t.place: float(t.celsius[0]) - room for t in tracks}
    starts = {p: _start_of(p, starts, design.places) for p in design.places}

    read = {t.place: k for k, t in enumerate(tracks)}
    # A start that was read is off by what its thermometer is off by; one that was not is a guess.
    start_sd = np.array([START_READ_K if p in read else START_GUESS_K for p in design.places])
    lag_sd = max(0.5 * max(t.lag_s for t in tracks), LEAST_LAG_S)

    def residuals(x: Array) -> Array:
        stages, lag = design.with_vector(x[:size]), x[-1]
        off = x[size + half : -1]
        begin = {
            p: starts[p] + x[size + k] - (off[read[p]] if p in read else 0.0)
            for k, p in enumerate(design.places)
        }
        parts = []
        for k, track in enumerate(tracks):
            level = response(stages, heating, track.time_s - track.lag_s - lag, begin)[track.place]
            parts.append((track.celsius - level - off[k]) / track.noise_K)
        before = (x[:size] - first) / spread
        rest = (x[size : size + half] / start_sd, off / offsets, x[-1:] / lag_sd)
        return np.concatenate([*parts, before, *rest])

    start = np.concatenate([first, np.zeros(half + len(tracks) + 1)])
    found = least_squares(residuals, start, x_scale="jac", method="trf", max_nfev=60)
    count = sum(len(t.time_s) for t in tracks)
    chi2 = float((found.fun[:count] ** 2).sum()) / max(count - size, 1)
    birge = float(np.sqrt(max(chi2, 1.0)))
    covariance = np.linalg.inv(found.jac.T @ found.jac)[:size, :size] * birge**2
    # θ goes as one over the heat, C as the heat itself: both share its error.
    signs = np.array([-1.0] * half + [1.0] * half)
    covariance = covariance + power_share**2 * np.outer(signs, signs)
    places = frozenset(t.place for t in tracks)
    return Fitted(design.with_vector(found.x[:size]), np.asarray(covariance), design, birge, count, places)


def _start_of(place: str, known: Mapping[str, float], places: tuple[str, ...]) -> float:
    """A place that nothing was read at starts as warm as its nearest neighbour."""
    if place in known:
        return known[place]
    at = places.index(place)
    return known[min(known, key=lambda p: abs(places.index(p) - at))]


#: A track is thinned to about so many means.
_MOST = 1000


def _thinned(track: Track) -> Track:
    """Means over stretches of time, the noise smaller by the root of their number but never under a share."""
    n = len(track.time_s)
    if n <= _MOST:
        return track
    span = track.time_s[-1] - track.time_s[0]
    bins = np.unique(np.floor((track.time_s - track.time_s[0]) / span * _MOST), return_inverse=True)[1]
    count = np.bincount(bins)
    noise = max(track.noise_K / float(np.sqrt(count.mean())), 0.1 * track.noise_K)
    return replace(
        track,
        time_s=np.bincount(bins, track.time_s) / count,
        celsius=np.bincount(bins, track.celsius) / count,
        noise_K=noise,
    )
