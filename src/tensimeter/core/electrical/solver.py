"""The path solver: every link's volts, amps, watts and state for given load currents.

The path falls into segments, each from a source (the stack, or a converter's output) to the
outputs and converter inputs that it feeds. Outputs draw a set current; a switching converter draws
a constant power, so that its input voltage is the upper root of V² − V0·V + P·R = 0. Segments are
solved from the loads towards the wall, then voltages are laid down from the wall outwards.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import IntEnum

import numpy as np
import numpy.typing as npt

from tensimeter.core.arrays import Array, Figure, Flags
from tensimeter.core.electrical.network import Conversion, Network, Series, Sink


class State(IntEnum):
    """What a link does at an operating point; the names are shown."""

    RUNS = 0
    DROPOUT = 1
    LIMITED = 2
    COLLAPSED = 3
    OVER = 4

    @property
    def words(self) -> str:
        return (
            "runs",
            "drops out",
            "limits its current",
            "collapses under constant power",
            "is past its limit",
        )[self]


@dataclass(frozen=True)
class Point:
    """One link at the operating points solved for; arrays of one shape, V, A, W."""

    V: Array
    I: Array  # noqa: E741 - the field's symbol
    V_in: Array
    I_in: Array
    loss: Array
    state: npt.NDArray[np.int64]

    @property
    def power_in(self) -> Array:
        return self.V_in * self.I_in

    @property
    def power_out(self) -> Array:
        return self.V * self.I


@dataclass(frozen=True)
class Solution:
    """Every link of a network at every operating point; NaN where there is no running state."""

    points: dict[str, Point]
    wall_W: Array

    def __getitem__(self, link: str) -> Point:
        return self.points[link]

    @property
    def runs(self) -> Flags:
        """Where every link regulates."""
        states = [p.state == State.RUNS for p in self.points.values()]
        return np.asarray(np.logical_and.reduce(states), bool)


def constant_power_volts(emf: Figure, resistance: Figure, power: Figure) -> Array:
    """Upper root in V of V² − V0·V + P·R = 0; NaN where V0² < 4·P·R (collapse)."""
    v0, r, p = np.broadcast_arrays(*(np.asarray(x, float) for x in (emf, resistance, power)))
    under_root = v0 * v0 - 4 * p * r
    root = np.sqrt(np.where(under_root >= 0, under_root, np.nan))
    return np.asarray((v0 + root) / 2)


def _coupled_volts(open_V: Array, shared: Array, power: Array) -> Array:
    """Voltages (…, k) of k constant-power loads; shared (…, k, k) is their common resistance.

    V ← U − R·(P/V) from V = U is a monotone map: it falls to the greatest fixed point, the upper
    root, or leaves V > 0 where there is none (Ortega and Rheinboldt, Iterative Solution of
    Nonlinear Equations, 13.2, monotone iteration). Far from collapse each turn gains digits; the
    few points near it are finished by Newton's method.
    """
    volts = np.where(np.isfinite(open_V) & np.isfinite(power), open_V, np.nan)
    size = volts.shape[-1]
    with np.errstate(invalid="ignore", divide="ignore"):
        for _ in range(10):
            drawn = power / np.where(volts > 0, volts, np.nan)
            fallen = open_V - sum(shared[..., :, k] * drawn[..., k, None] for k in range(size))
            moved = np.abs(fallen - volts)
            volts = fallen
        near = np.isfinite(volts).all(-1) & (moved > 1e-13 * np.abs(open_V)).any(-1)
    if near.any():
        shared = np.broadcast_to(shared, (*volts.shape, size))
        volts[near] = _near_collapse(volts[near], open_V[near], shared[near], power[near])
    return np.asarray(np.where((volts > 0).all(-1, keepdims=True), volts, np.nan))


def _near_collapse(volts: Array, open_V: Array, shared: Array, power: Array) -> Array:
    """Newton's method from above for points (n, k) close to collapse; NaN where there is no root.

    The equations are convex, so it falls without overshoot (Ortega and Rheinboldt, 13.3).
    """
    lost: Flags = np.zeros(len(volts), bool)
    eye = np.eye(volts.shape[-1])
    for _ in range(80):
        drawn = power / np.where(lost[:, None], 1.0, volts)
        residual = volts + np.einsum("njm,nm->nj", shared, drawn) - open_V
        slope = np.where(lost[:, None, None], eye, eye - shared * (drawn / volts)[:, None, :])
        singular = np.abs(np.linalg.det(slope)) < 1e-13
        step = np.linalg.solve(np.where(singular[:, None, None], eye, slope), residual[..., None])[..., 0]
        lost |= singular | (volts - step <= 0).any(-1) | (step < -1e-6 * open_V).any(-1)
        volts = np.where(lost[:, None], volts, volts - step)
        if np.all(np.abs(step) <= 1e-15 * np.abs(open_V), axis=-1)[~lost].all():
            break
    return np.asarray(np.where(lost[:, None], np.nan, volts))


class _Path:
    """One pass of the solver over a network with the set volts of its converters given."""

    def __init__(self, network: Network, load: Mapping[str, Figure]) -> None:
        self.by_id = {e.id: e for e in network.elements}
        shapes = [np.shape(v) for v in load.values()]
        for element in network.elements:
            shapes += [np.shape(v) for v in vars(element).values() if isinstance(v, np.ndarray)]
        self.shape = np.broadcast_shapes((), *shapes)
        self.load = {
            e.id: np.broadcast_to(np.asarray(load.get(e.id, 0.0), float), self.shape)
            for e in network.elements
            if isinstance(e, Sink)
        }
        self.elements = network.elements

    def root_of(self, element_id: str) -> str | None:
        """The converter whose output feeds this element, or None for the wall's side."""
        parent = self.by_id[element_id].fed_by
        while parent is not None and not isinstance(self.by_id[parent], Conversion):
            parent = self.by_id[parent].fed_by
        return parent

    def leaves(self, root: str | None) -> list[str]:
        return [
            e.id for e in self.elements if isinstance(e, Sink | Conversion) and self.root_of(e.id) == root
        ]

    def chain(self, leaf: str) -> list[Series]:
        """The series elements between a leaf and its segment's root."""
        found = []
        parent = self.by_id[leaf].fed_by
        while parent is not None:
            element = self.by_id[parent]
            if not isinstance(element, Series):
                break
            found.append(element)
            parent = element.fed_by
        return found


def _ohms(chain: list[Series]) -> Figure:
    return sum((e.resistance + e.contact for e in chain), start=np.float64(0.0))


def solve(network: Network, load_A: Mapping[str, Figure]) -> Solution:
    """Solve a network for load currents in A by output id; outputs not named draw nothing.

    Currents may be arrays; they broadcast with the network's figures, and every result has the
    common shape. Where there is no steady running state, V and I are NaN and the state of the link
    at fault says why. Current limit into a constant-current sink pulls the output to 0 V.
    """
    path = _Path(network, load_A)
    converters = [e for e in network.elements if isinstance(e, Conversion)]
    emf = {c.id: np.broadcast_to(np.asarray(c.set_V, float), path.shape) for c in converters}
    limited, scaled = _apply_limits(path, converters, emf)
    state = {e.id: np.zeros(path.shape, np.int64) for e in network.elements}
    for attempt in range(60):
        draw, volts = _currents(path, converters, emf, scaled)
        changed = False
        for c in converters:
            short = _short_of_input(c, emf[c.id], volts[c.id], limited[c.id])
            state[c.id] = np.where(short | (state[c.id] == 1), State.DROPOUT, State.RUNS)
            dropped = (state[c.id] == State.DROPOUT) & np.isfinite(volts[c.id])
            follow = np.maximum(np.where(dropped, volts[c.id] - c.dropout_V, emf[c.id]), 0.0)
            follow = np.minimum(follow, c.set_V)
            if not np.allclose(follow, emf[c.id], rtol=1e-12, atol=1e-12):
                emf[c.id], changed = follow, True
        if not changed or attempt == 59:
            break
    for c in converters:
        state[c.id] = np.where(np.isnan(volts[c.id]), State.COLLAPSED, state[c.id])
        state[c.id] = np.where(limited[c.id], State.LIMITED, state[c.id])
    return _lay_down(path, emf, draw, scaled, state)


def _short_of_input(c: Conversion, emf: Array, volts: Array, limited: Flags) -> Flags:
    """Where a converter has too little input for what it is set to give."""
    if c.topology in ("step_up", "both_ways"):
        return np.zeros(np.shape(volts), bool)
    with np.errstate(invalid="ignore"):
        return np.asarray((volts < emf + c.dropout_V) & ~limited)


def _apply_limits(
    path: _Path, converters: list[Conversion], emf: dict[str, Array]
) -> tuple[dict[str, Flags], dict[str, Array]]:
    """Where a converter limits, and the load currents that are left; its volts fall to match."""
    scaled = dict(path.load)
    limited = {c.id: np.zeros(path.shape, bool) for c in converters}
    for c in converters:
        leaves = path.leaves(c.id)
        sinks = [leaf for leaf in leaves if isinstance(path.by_id[leaf], Sink)]
        total = sum((scaled[s] for s in sinks), start=np.zeros(path.shape))
        over = total > c.limit_A
        if not over.any():
            continue
        limited[c.id] = over
        share = np.where(over, c.limit_A / np.where(over, total, 1.0), 1.0)
        drop = np.zeros(path.shape)
        for sink in sinks:
            scaled[sink] = scaled[sink] * share
        for sink in sinks:
            drop = np.maximum(drop, _chain_drop(path, sink, sinks, scaled))
        needed = drop + np.asarray(c.resistance) * total * share
        emf[c.id] = np.where(over, np.minimum(needed, emf[c.id]), emf[c.id])
        for leaf in set(leaves) - set(sinks):
            # A converter behind a limiting one is starved; no steady state is claimed for it.
            emf[leaf] = np.where(over, np.nan, emf[leaf])
    return limited, scaled


def _chain_drop(path: _Path, leaf: str, others: list[str], current: dict[str, Array]) -> Array:
    drop = np.zeros(path.shape)
    for element in path.chain(leaf):
        through = sum((current[o] for o in others if element in path.chain(o)), start=np.zeros(path.shape))
        drop = drop + (element.resistance + element.contact) * through
    return drop


def _currents(
    path: _Path, converters: list[Conversion], emf: dict[str, Array], scaled: dict[str, Array]
) -> tuple[dict[str, Array], dict[str, Array]]:
    """Input current and input volts of every converter, from the loads towards the wall."""
    draw: dict[str, Array] = dict(scaled)
    volts: dict[str, Array] = {}
    order = [c.id for c in reversed(converters)]
    for root in [*order, None]:
        leaves = path.leaves(root)
        switching = [
            leaf
            for leaf in leaves
            if isinstance(e := path.by_id[leaf], Conversion) and e.topology != "linear"
        ]
        for leaf in leaves:
            element = path.by_id[leaf]
            if isinstance(element, Conversion) and element.topology == "linear":
                # A linear one passes its input current; its own supply is the fixed loss.
                out = _output_current(path, leaf, draw)
                draw[leaf] = out + element.loss_fixed_W / np.maximum(emf[leaf], 1e-9)
        _draw_power(path, root, leaves, switching, emf, draw, volts)
    return draw, volts


def _output_current(path: _Path, root: str, draw: dict[str, Array]) -> Array:
    return sum((draw[leaf] for leaf in path.leaves(root)), start=np.zeros(path.shape))


def _draw_power(
    path: _Path,
    root: str | None,
    leaves: list[str],
    switching: list[str],
    emf: dict[str, Array],
    draw: dict[str, Array],
    volts: dict[str, Array],
) -> None:
    """Solve one segment; fills in what its constant-power loads draw, and converter input volts."""
    chains = {leaf: path.chain(leaf) for leaf in leaves}
    own = path.by_id[root] if root is not None else None
    base = emf[root] if root is not None else np.zeros(path.shape)
    inner = own.resistance if isinstance(own, Conversion) else 0.0

    def common(a: str, b: str) -> Figure:
        return inner + _ohms([e for e in chains[a] if e in chains[b]])

    steady = [leaf for leaf in leaves if leaf not in switching]

    def open_volts(leaf: str) -> Array:
        source = base + sum((e.emf for e in chains[leaf]), start=np.float64(0.0))
        return np.asarray(
            source
            - sum((common(leaf, s) * draw[s] for s in steady), start=np.float64(0.0))
            + np.zeros(path.shape)
        )

    power = {}
    for leaf in switching:
        c = path.by_id[leaf]
        assert isinstance(c, Conversion)
        out = _output_current(path, leaf, draw)
        power[leaf] = (emf[leaf] - c.resistance * out) * out + c.loss(out)
    if len(switching) == 1:
        leaf = switching[0]
        volts[leaf] = constant_power_volts(open_volts(leaf), common(leaf, leaf), power[leaf])
    elif switching:
        shared = np.stack(
            [np.stack([np.broadcast_to(common(a, b), path.shape) for b in switching], -1) for a in switching],
            -2,
        )
        u = np.stack([open_volts(leaf) for leaf in switching], -1)
        found = _coupled_volts(u, shared, np.stack([power[leaf] for leaf in switching], -1))
        volts |= {leaf: found[..., k] for k, leaf in enumerate(switching)}
    for leaf in switching:
        draw[leaf] = power[leaf] / volts[leaf]
    for leaf in steady:
        if isinstance(path.by_id[leaf], Conversion):
            volts[leaf] = open_volts(leaf) - sum(
                (common(leaf, s) * draw[s] for s in switching), start=np.float64(0.0)
            )


def _lay_down(
    path: _Path,
    emf: dict[str, Array],
    draw: dict[str, Array],
    scaled: dict[str, Array],
    state: dict[str, npt.NDArray[np.int64]],
) -> Solution:
    """Currents summed towards the wall, voltages laid down from it, losses link by link."""
    through: dict[str, Array] = {}
    for element in reversed(path.elements):
        below = [e for e in path.elements if e.fed_by == element.id]
        total = sum((_taken(e, through, draw) for e in below), start=np.zeros(path.shape))
        through[element.id] = scaled[element.id] if isinstance(element, Sink) else total
    out: dict[str, Array] = {}
    points: dict[str, Point] = {}
    wall = np.zeros(path.shape)
    for element in path.elements:
        source = out[element.fed_by] if element.fed_by is not None else np.zeros(path.shape)
        i = through[element.id]
        i_in = i
        if isinstance(element, Series):
            ohms = element.resistance + element.contact
            v = source + element.emf - ohms * i
            loss = ohms * i**2
            if np.any(element.emf):
                over = i > element.limit_A
                state[element.id] = np.where(over, State.OVER, state[element.id])
                v = np.where(over, np.nan, v)
                wall = wall + element.emf * i / element.efficiency
        elif isinstance(element, Conversion):
            v = emf[element.id] - element.resistance * i
            i_in = draw[element.id]
            loss = element.loss(i)
            if element.topology == "linear":
                loss = source * i_in - v * i
            v = np.where(np.isfinite(source), v, np.nan)
        else:
            v, loss = source, np.zeros(path.shape)
        out[element.id] = np.asarray(v)
        drawn = source + element.emf if isinstance(element, Series) else source
        points[element.id] = Point(
            np.asarray(v),
            np.asarray(i),
            np.asarray(drawn),
            np.asarray(i_in),
            np.asarray(loss),
            state[element.id],
        )
    return Solution(points, np.asarray(wall))


def _taken(element: object, through: dict[str, Array], draw: dict[str, Array]) -> Array:
    if isinstance(element, Conversion):
        return draw[element.id]
    assert isinstance(element, Series | Sink)
    return through[element.id]
