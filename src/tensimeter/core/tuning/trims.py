"""Trims by turns and readings: volts a turn, play, what each moves; how far to turn which, in what order."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.design.bands import trim as trim_of_design
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band, Interval
from tensimeter.core.measurement.readings import Reading, counting
from tensimeter.core.model.instruments import accuracy_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.model.trims import TrimScrew
from tensimeter.core.testplan.step import panel_of

#: Plays that are tried, turns.
PLAYS = np.arange(0.0, 0.51, 1 / 32)
#: Turned so far past and back, every setting ends in the same direction, and play has no part in it; turns.
PAST = 0.5
#: A load is the same within this share of full load.
NEAR_LOAD = 0.05
#: What a hand sets a screw to, turns; a rule of thumb.
HAND = 0.02
#: Mechanical stops first, then zero, then span; outputs before displays.
_ORDER = {"trip": 0, "zero": 1, "span": 2, "volts": 2, "limit": 3, "display": 4}


@dataclass(frozen=True, eq=False)
class Turned:
    """What was read while screws stood where: shaft turns (n, k), figures (n, m), NaN where none was read.

    `sd` (m,) is the scatter of each figure.
    """

    screws: tuple[str, ...]
    places: tuple[str, ...]
    turns: Array
    figures: Array
    sd: Array


@dataclass(frozen=True, eq=False)
class Sensitivity:
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
        rest[j], matrix[j] = found[0], found[1:]
        freedom = int(there.sum()) - np.linalg.matrix_rank(design[there])
        left = turned.figures[there, j] - design[there] @ found
        seen = float(np.sqrt(left @ left / freedom)) if freedom > 0 else 0.0
        sd[j] = max(seen, float(turned.sd[j])) * np.linalg.norm(of[1:], axis=1)
    known = tuple(bool(np.ptp(turned.turns[:, s]) > 0) for s in range(k))
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


@dataclass(frozen=True)
class Turn:
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


class _Loads:
    """At which load each place was read most: at another one it tells of the load, not of a turn."""

    def __init__(self, job: Job, live: Sequence[Reading]) -> None:
        outputs = {o.id: o.full_load_A for o in job.design.outputs()}
        self._near = {p: NEAR_LOAD * a for o, a in outputs.items() for p in (o, panel_of(o))}
        self._amps = {_moment(r): r.value for r in live if r.quantity == "A" and r.place in outputs}
        at: dict[str, list[float]] = {}
        for r in live:
            # The amps of an output come along with its volts.
            if r.quantity == "V" or (r.quantity == "A" and r.place not in outputs):
                at.setdefault(r.place, []).append(self._of(r))
        self._most = {place: self._usual(place, loads) for place, loads in at.items()}

    def _usual(self, place: str, loads: list[float]) -> float:
        """The load that is nearest to most of these; of several the latest."""
        seen = np.array(loads)
        count = (np.abs(seen[:, None] - seen) <= self._near.get(place, np.inf)).sum(axis=1)
        return float(seen[np.flatnonzero(count == count.max())[-1]])

    def _of(self, r: Reading) -> float:
        # Where nobody said a current there was none.
        return self._amps.get(_moment(r), 0.0)

    def usual(self, r: Reading) -> bool:
        """Whether a reading was taken at the load that its place was read at most."""
        return abs(self._of(r) - self._most.get(r.place, 0.0)) <= self._near.get(r.place, np.inf)


def _moment(r: Reading) -> object:
    """What joins readings of one moment: their step, or where they are of none their scan."""
    return (r.test, r.step) if r.step is not None else r.scan


def turned_of(job: Job, readings: Iterable[Reading]) -> Turned | None:
    """Turns and figures of a job's trims, in the order read; None where no screw is named.

    A turn is a reading of its screw, counted from where it stood at first. Figures are those of the places
    that screws are there for, each with the positions of all screws at that moment.
    """
    screws = job.assembly.trims
    if not screws:
        return None
    names = [s.id for s in screws]
    places = list(dict.fromkeys(s.moves for s in screws))
    at = dict.fromkeys(names, 0.0)
    rows, figures = [[0.0] * len(names)], [[np.nan] * len(places)]
    open_row: list[float] | None = None
    quantity = {s.moves: s.quantity for s in screws}
    sd = dict.fromkeys(places, 0.0)
    live = [r for r in put_right(job, counting(readings)) if np.isfinite(r.value)]
    load = _Loads(job, live)
    for r in live:
        if r.quantity == "turn" and r.place in at:
            at[r.place] = r.value
            open_row = [np.nan] * len(places)
            rows.append([at[n] for n in names])
            figures.append(open_row)
        elif r.place in places and r.quantity == quantity[r.place] and np.isfinite(r.value):
            if not load.usual(r):
                continue
            if open_row is None or np.isfinite(open_row[places.index(r.place)]):
                open_row = [np.nan] * len(places)
                rows.append([at[n] for n in names])
                figures.append(open_row)
            open_row[places.index(r.place)] = r.value
            accuracy = r.accuracy or accuracy_of(job, None, r.quantity, r.value)[0]
            sd[r.place] = max(sd[r.place], accuracy.scatter)
    least = np.array([max(sd[p], 1e-6) for p in places])
    return Turned(tuple(names), tuple(places), np.array(rows), np.array(figures), least)


@dataclass(frozen=True, eq=False)
class Trimming:
    """The trims of a job: what was found, targets with their bands, what to turn now, whether all holds."""

    screws: tuple[TrimScrew, ...]
    found: Sensitivity | None
    targets: dict[str, float]
    bands: dict[str, Band]
    turns: tuple[Turn, ...]
    held: bool
    said: str
    reads: dict[str, float] = field(default_factory=dict)
    stands: dict[str, float] = field(default_factory=dict)


def trimming(job: Job, readings: Iterable[Reading]) -> Trimming:
    """How far to turn which trim next, by what turning them has shown so far."""
    kept = list(readings)
    found, turned = _trimming(job, kept), turned_of(job, kept)
    if turned is None:
        return found
    latest = {
        p: float(c[np.isfinite(c)][-1])
        for p, c in zip(turned.places, turned.figures.T, strict=True)
        if np.isfinite(c).any()
    }
    stands = dict(zip(turned.screws, turned.turns[-1].tolist(), strict=True))
    return replace(found, reads=latest, stands=stands)


def _trimming(job: Job, kept: list[Reading]) -> Trimming:
    screws = job.assembly.trims
    if not screws:
        return Trimming((), None, {}, {}, (), False, "No trim is named yet.")
    turned = turned_of(job, kept)
    assert turned is not None
    targets, bands = _targets(job, screws, kept)
    first = screws[0]
    if not np.isfinite(turned.figures).any():
        return Trimming(
            screws, None, targets, bands, (), False, f"Read first: {first.moves} … V, as it stands."
        )
    latest = {
        p: float(column[np.isfinite(column)][-1])
        for p, column in zip(turned.places, turned.figures.T, strict=True)
        if np.isfinite(column).any()
    }
    held = all(p in latest and bands[p].ends[0] <= latest[p] <= bands[p].ends[1] for p in targets)
    try:
        found = sensitivity(turned)
    except UserError as trouble:
        said = "All hold." if held else f"{trouble} {_try(first)}"
        return Trimming(screws, None, targets, bands, (), held, said)
    order = [s.id for s in sorted(screws, key=lambda s: _ORDER[s.sort])]
    stops = {
        s.id: (-s.down if s.down is not None else -np.inf, s.up if s.up is not None else np.inf)
        for s in screws
    }
    turns = () if held else turns_for(found, targets, stops, order)
    untried = [s for s, ok in zip(screws, found.known, strict=True) if not ok]
    if held:
        said = "All hold: seal the screws, and note what they are set to."
    elif untried:
        said = f"{untried[0].name} was not turned yet. {_try(untried[0])}"
    else:
        said = (
            " Then ".join(turn_sentence(screws, t) for t in turns if t.turns or t.past) or "Nothing to turn."
        )
    return Trimming(screws, found, targets, bands, turns, held, said)


def _try(screw: TrimScrew) -> str:
    return f"Turn {screw.name} half a turn up, type “{screw.id} 0.5 turn”, and read again."


def turn_sentence(screws: Sequence[TrimScrew], turn: Turn) -> str:
    """How far to turn one screw, and what to type then."""
    screw = next(s for s in screws if s.id == turn.screw)
    typed = f"“{screw.id} {turn.ends_at:.2f} turn”"
    if turn.past:
        first = f"“{screw.id} {turn.ends_at - turn.past:.2f} turn”"
        down = abs(turn.turns) + turn.past
        text = f"Turn {screw.name} down by {down:.2f}, then up by {turn.past:.2f}: {first}, {typed}"
    else:
        text = f"Turn {screw.name} up by {turn.turns:.2f}: {typed}"
    return f"{text}; its stop is there." if turn.stopped else f"{text}."


def _targets(
    job: Job, screws: Iterable[TrimScrew], readings: Iterable[Reading]
) -> tuple[dict[str, float], dict[str, Band]]:
    """What each place is to read: as said, else an output its nominal, a display what its output reads."""
    targets: dict[str, float] = {}
    bands: dict[str, Band] = {}
    live = [r for r in put_right(job, counting(readings)) if np.isfinite(r.value)]
    for screw in screws:
        output = next((o for o in job.design.outputs() if screw.moves in (o.id, panel_of(o.id))), None)
        wanted = screw.target
        if wanted is None and output is not None and screw.moves == output.id and screw.quantity == "V":
            aimed = trim_of_design(job, output)
            wanted = aimed.no_load_V if aimed is not None else output.nominal_V
        elif wanted is None and output is not None:
            of = [r for r in live if r.place == output.id and r.quantity == screw.quantity]
            wanted = of[-1].value if of else None
        if wanted is None:
            continue
        targets[screw.moves] = wanted
        tolerance = min(output.tolerance / 4, 0.005) if output is not None else 0.005
        bands[screw.moves] = Band.around(wanted, tolerance)
    return targets, bands
