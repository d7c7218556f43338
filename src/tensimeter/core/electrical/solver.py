"""The path solver: every link's volts, amps, watts and state for given load currents.

The path falls into segments, each from a source (the stack, or a converter's output) to the
outputs and converter inputs that it feeds. Outputs draw a set current; a switching converter draws
a constant power, so that its input voltage is the upper root of V² − V0·V + P·R = 0. Segments are
solved from the loads towards the wall, then voltages are laid down from the wall outwards.
"""

from collections.abc import Mapping
from functools import partial

import numpy as np
import numpy.typing as npt
from msgspec.structs import asdict

from tensimeter.core.arrays import Array, Figure, Flags
from tensimeter.core.electrical.bent_source import mended
from tensimeter.core.electrical.constant_power import constant_power_volts, coupled_volts
from tensimeter.core.electrical.elements import Conversion, CurrentSink, Element, Network, Series
from tensimeter.core.electrical.solution import Point, Solution, State, total


class _Path:
    """One pass of the solver over a network with the set volts of its converters given."""

    def __init__(self, network: Network, load: Mapping[str, Figure]) -> None:
        self.by_id = {e.id: e for e in network.elements}
        shapes = [np.shape(v) for v in load.values()]
        for element in network.elements:
            shapes += [np.shape(v) for v in asdict(element).values() if isinstance(v, np.ndarray)]
        self.shape = np.broadcast_shapes((), *shapes)
        self.load = {
            e.id: np.asarray(load.get(e.id, e.own_A), float)
            for e in network.elements
            if isinstance(e, CurrentSink)
        }
        self.elements = network.elements
        self.leaves: dict[str | None, list[str]] = {None: []}
        self.below: dict[str, list[Element]] = {}
        self._chains: dict[str, list[Series]] = {}
        # An element stands behind the one that feeds it.
        roots: dict[str | None, str | None] = {None: None}
        for e in self.elements:
            root = roots[e.fed_by]
            roots[e.id] = e.id if isinstance(e, Conversion) else root
            self.below[e.id] = []
            if e.fed_by is not None:
                self.below[e.fed_by].append(e)
            if isinstance(e, CurrentSink | Conversion):
                self.leaves.setdefault(root, []).append(e.id)
            if isinstance(e, Conversion):
                self.leaves.setdefault(e.id, [])

    def chain(self, leaf: str) -> list[Series]:
        """The series elements between a leaf and the converter or the wall that feeds it."""
        if leaf not in self._chains:
            found = []
            parent = self.by_id[leaf].fed_by
            while parent is not None:
                element = self.by_id[parent]
                if not isinstance(element, Series):
                    break
                found.append(element)
                parent = element.fed_by
            self._chains[leaf] = found
        return self._chains[leaf]


def _ohms(chain: list[Series]) -> Figure:
    return sum((e.resistance + e.contact for e in chain), start=np.float64(0.0))


def solve(network: Network, load_A: Mapping[str, Figure], *, as_set: bool = False) -> Solution:
    """Solve a network as `solve_straight` does, with sources that bend or act on one another.

    Such a source is a straight one around its own current; the current is found in turns (Newton's
    method on a piecewise straight curve), which end when no source's volts move any more. Where they do not
    settle on a single bent source's line, every piece of it is tried.
    """
    bent = [e for e in network.elements if isinstance(e, Series) and (e.curve or e.couplings)]
    solution = solve_straight(network, load_A, as_set=as_set)
    before: dict[str, tuple[Array, Array]] = {}
    for _ in range(60 if bent else 0):
        values: dict[tuple[str, str], Figure] = {}
        moved = False
        for e in bent:
            amps = np.nan_to_num(solution[e.id].I)
            emf, ohms = _straight(e, amps)
            pulled = total(ohm * np.nan_to_num(solution[other].I) for other, ohm in e.couplings)
            values[e.id, "emf"], values[e.id, "resistance"] = emf - pulled, ohms
            last = before.get(e.id)
            now = (np.asarray(emf - pulled), ohms)
            moved |= last is None or not all(
                np.allclose(a, b, rtol=1e-13, atol=1e-13) for a, b in zip(last, now, strict=True)
            )
            before[e.id] = now
        if not moved:
            break
        solution = solve_straight(network.with_values(values), load_A, as_set=as_set)
    curved = [e for e in bent if e.curve is not None]
    if len(curved) == 1 and len(bent) == 1:
        return mended(network, load_A, solution, curved[0], partial(solve_straight, as_set=as_set))
    return solution


def _straight(e: Series, amps: Array) -> tuple[Array, Array]:
    """EMF and resistance of a source around its own current; on its lower tap where that one feeds."""
    if e.curve is None:
        return np.asarray(e.emf), np.asarray(e.resistance)
    emf, ohms = e.curve.tangent(amps)
    if e.lower is None or not np.any(e.on_lower):
        return emf, ohms
    low_emf, low_ohms = e.lower.tangent(amps)
    lower = np.asarray(e.on_lower) > 0
    return np.where(lower, low_emf, emf), np.where(lower, low_ohms, ohms)


def solve_straight(network: Network, load_A: Mapping[str, Figure], *, as_set: bool = False) -> Solution:
    """Solve a network for load currents in A by output id; outputs not named draw nothing.

    Currents may be arrays; they broadcast with the network's figures. Where there is no steady running
    state, V and I are NaN and the state of the link at fault says why. Current limit into a
    constant-current sink pulls the output to 0 V. With `as_set` every source and converter gives what
    it is set to, past its limits too: margins are taken there, and only collapse has no solution.
    """
    path = _Path(network, load_A)
    converters = [e for e in network.elements if isinstance(e, Conversion)]
    emf = {c.id: np.asarray(c.set_V, float) for c in converters}
    state = {e.id: np.zeros((), np.int64) for e in network.elements}
    dropped: dict[str, Flags] = {c.id: np.zeros((), bool) for c in converters}
    if as_set:
        draw, volts = _passed_on(path, converters, emf, dropped)
        for c in converters:
            state[c.id] = np.where(dropped[c.id], State.PASSES, state[c.id])
            state[c.id] = _collapsed(state[c.id], volts[c.id])
        return _lay_down(path, emf, draw, path.load, state, as_set=True)
    limited, scaled = _apply_limits(path, converters, emf)
    # Which converters drop out is found turn by turn; behind one that does, volts have to settle too.
    for _ in range(200):
        draw, volts = _currents(path, converters, emf, scaled, dropped)
        moved: dict[str, Flags] = {}
        for c in converters:
            dropped[c.id] = dropped[c.id] | _short_of_input(c, emf[c.id], volts[c.id], limited[c.id])
            if dropped[c.id].any():
                left = volts[c.id] - c.dropout_V
                if c.topology == "step_up":
                    left = np.maximum(left, c.set_V)
                follow = np.where(dropped[c.id], np.where(left > 0, left, np.nan), emf[c.id])
                same = (follow == emf[c.id]) | (np.isnan(follow) & np.isnan(emf[c.id]))
                moved[c.id] = ~same & ~(np.abs(follow - emf[c.id]) <= 1e-12 * np.abs(follow))
                emf[c.id] = follow
        if not any(m.any() for m in moved.values()):
            break
    else:
        for unsettled, m in moved.items():
            emf[unsettled] = np.where(m, np.nan, emf[unsettled])
    for c in converters:
        follows = State.PASSES if c.topology == "step_up" else State.DROPOUT
        state[c.id] = np.where(dropped[c.id], follows, state[c.id])
        state[c.id] = _collapsed(state[c.id], volts[c.id])
        state[c.id] = np.where(limited[c.id], State.LIMITED, state[c.id])
    return _lay_down(path, emf, draw, scaled, state)


def _collapsed(state: npt.NDArray[np.int64], volts: Array) -> npt.NDArray[np.int64]:
    lost = np.isnan(volts)
    return np.asarray(np.where(lost, State.COLLAPSED, state)) if lost.any() else state


def _passed_on(
    path: _Path, converters: list[Conversion], emf: dict[str, Array], dropped: dict[str, Flags]
) -> tuple[dict[str, Array], dict[str, Array]]:
    """As `_currents`, where step-up converters that are set below their input pass it on."""
    ups = [c for c in converters if c.topology == "step_up"]
    for _ in range(50):
        draw, volts = _currents(path, converters, emf, path.load, dropped)
        moved = False
        for c in ups:
            left = volts[c.id] - c.dropout_V
            with np.errstate(invalid="ignore"):
                dropped[c.id] = left > c.set_V
                follow = np.where(dropped[c.id], left, c.set_V)
                moved |= bool((np.abs(follow - emf[c.id]) > 1e-12 * np.abs(follow)).any())
            emf[c.id] = follow
        if not moved:
            break
    return draw, volts


def _short_of_input(c: Conversion, emf: Array, volts: Array, limited: Flags) -> Flags:
    """Where a converter's input decides its volts: too little for what is set, or for a step-up too much.

    The latter is a coil and a diode: what lies above its setting flows straight through.
    """
    if c.topology == "both_ways":
        return np.zeros(np.shape(volts), bool)
    if c.topology == "step_up":
        with np.errstate(invalid="ignore"):
            return np.asarray((volts - c.dropout_V > emf) & ~limited)
    with np.errstate(invalid="ignore"):
        return np.asarray((volts < emf + c.dropout_V) & ~limited)


def _apply_limits(
    path: _Path, converters: list[Conversion], emf: dict[str, Array]
) -> tuple[dict[str, Flags], dict[str, Array]]:
    """Where a converter limits, and the load currents that are left; its volts fall to match."""
    scaled = dict(path.load)
    limited = {c.id: np.zeros((), bool) for c in converters}
    for c in converters:
        leaves = path.leaves[c.id]
        sinks = [leaf for leaf in leaves if isinstance(path.by_id[leaf], CurrentSink)]
        wanted = total(scaled[s] for s in sinks)
        over = wanted > c.limit_A
        if not over.any():
            continue
        limited[c.id] = over
        share = np.where(over, c.limit_A / np.where(over, wanted, 1.0), 1.0)
        drop: Array = np.zeros(())
        for sink in sinks:
            scaled[sink] = scaled[sink] * share
        for sink in sinks:
            drop = np.maximum(drop, _chain_drop(path, sink, sinks, scaled))
        needed = drop + np.asarray(c.resistance) * wanted * share
        emf[c.id] = np.where(over, np.minimum(needed, emf[c.id]), emf[c.id])
        for leaf in set(leaves) - set(sinks):
            # A converter behind a limiting one is starved; no steady state is claimed for it.
            emf[leaf] = np.where(over, np.nan, emf[leaf])
    return limited, scaled


def _chain_drop(path: _Path, leaf: str, others: list[str], current: dict[str, Array]) -> Array:
    drop: Array = np.zeros(())
    for element in path.chain(leaf):
        through = total(current[o] for o in others if element in path.chain(o))
        drop = drop + (element.resistance + element.contact) * through
    return drop


def _currents(
    path: _Path,
    converters: list[Conversion],
    emf: dict[str, Array],
    scaled: dict[str, Array],
    dropped: dict[str, Flags],
) -> tuple[dict[str, Array], dict[str, Array]]:
    """Input current and input volts of every converter, from the loads towards the wall."""
    draw: dict[str, Array] = dict(scaled)
    volts: dict[str, Array] = {}
    for root in [*(c.id for c in reversed(converters)), None]:
        _segment(path, root, emf, draw, volts, dropped)
    return draw, volts


def _taken_in(c: Conversion, emf: Array, out: Array, dropped: Flags) -> tuple[Array, Array]:
    """What a converter draws: a current that it passes on, and a power in W besides.

    A switching one draws power alone. A linear one passes its output's current, and its fixed loss
    comes on top; so does a step-down that has dropped out, where only its loss less what the dropout
    takes is left as power, where any is.
    """
    if c.topology == "linear":
        return out, np.asarray(c.loss_fixed_W, float)
    power = (emf - c.resistance * out) * out + c.loss(out)
    if not dropped.any():
        return np.zeros(()), power
    # Its switch shut for good it can't pass on more than it takes in: what dropout takes is the least loss.
    rest = np.maximum(c.loss(out) - (c.dropout_V + c.resistance * out) * out, 0.0)
    return np.where(dropped, out, 0.0), np.where(dropped, rest, power)


def _segment(
    path: _Path,
    root: str | None,
    emf: dict[str, Array],
    draw: dict[str, Array],
    volts: dict[str, Array],
    dropped: dict[str, Flags],
) -> None:
    """Solve one segment: what its converters draw, and the volts at their inputs, are filled in."""
    leaves = path.leaves[root]
    chains = {leaf: path.chain(leaf) for leaf in leaves}
    along = {leaf: {e.id for e in chain} for leaf, chain in chains.items()}
    own = path.by_id[root] if root is not None else None
    base = emf[root] if root is not None else np.zeros(())
    inner = own.resistance if isinstance(own, Conversion) else 0.0
    passed = {leaf: draw[leaf] for leaf in leaves if isinstance(path.by_id[leaf], CurrentSink)}
    power: dict[str, Array] = {}
    for leaf in leaves:
        c = path.by_id[leaf]
        if isinstance(c, Conversion):
            out = total(draw[below] for below in path.leaves[leaf])
            passed[leaf], power[leaf] = _taken_in(c, emf[leaf], out, dropped[leaf])

    def common(a: str, b: str) -> Figure:
        return inner + _ohms([e for e in chains[a] if e.id in along[b]])

    def open_volts(leaf: str) -> Array:
        source = base + total(np.asarray(e.emf - e.drop_V) for e in chains[leaf])
        return np.asarray(source - total(common(leaf, s) * passed[s] for s in leaves))

    wanting = list(power)
    if len(wanting) == 1:
        leaf = wanting[0]
        volts[leaf] = constant_power_volts(open_volts(leaf), common(leaf, leaf), power[leaf])
    elif wanting:
        shared = [[common(a, b) for b in wanting] for a in wanting]
        opened = [open_volts(leaf) for leaf in wanting]
        volts |= dict(zip(wanting, coupled_volts(opened, shared, list(power.values())), strict=True))
    for leaf in wanting:
        draw[leaf] = power[leaf] / volts[leaf]
        if passed[leaf].any():
            draw[leaf] = passed[leaf] + draw[leaf]


def _lay_down(
    path: _Path,
    emf: dict[str, Array],
    draw: dict[str, Array],
    scaled: dict[str, Array],
    state: dict[str, npt.NDArray[np.int64]],
    *,
    as_set: bool = False,
) -> Solution:
    """Currents summed towards the wall, voltages laid down from it, losses link by link."""
    through: dict[str, Array] = {}
    for element in reversed(path.elements):
        drawn = total(_taken(e, through, draw) for e in path.below[element.id])
        through[element.id] = scaled[element.id] if isinstance(element, CurrentSink) else drawn
    out: dict[str, Array] = {}
    points: dict[str, Point] = {}
    for element in path.elements:
        source = drawn = out[element.fed_by] if element.fed_by is not None else np.zeros(())
        i = through[element.id]
        i_in = i
        if isinstance(element, Series):
            ohms = element.resistance + element.contact
            drawn = source + element.emf
            v = drawn - e_drop - ohms * i if np.any(e_drop := element.drop_V) else drawn - ohms * i
            loss = (ohms * i + element.drop_V) * i
            if np.any(element.emf):
                over = np.zeros((), bool) if as_set else i > element.limit_A
                if over.any():
                    state[element.id] = np.where(over, State.OVER, state[element.id])
                    v = np.where(over, np.nan, v)
        elif isinstance(element, Conversion):
            v = emf[element.id] - element.resistance * i
            i_in = draw[element.id]
            loss = element.loss(i)
            if element.topology == "linear":
                loss = source * i_in - v * i
            elif (straight := _passes_on(state[element.id])).any():
                loss = np.where(straight, source * i_in - v * i, loss)
            lost = ~np.isfinite(source)
            v = np.where(lost, np.nan, v) if lost.any() else v
        else:
            v, loss = source, np.zeros(())
        out[element.id] = np.asarray(v)
        points[element.id] = Point(
            np.asarray(v),
            np.asarray(i),
            np.asarray(drawn),
            np.asarray(i_in),
            np.asarray(loss),
            state[element.id],
        )
    return Solution(points, path.shape)


def _passes_on(state: npt.NDArray[np.int64]) -> Flags:
    """Where a converter's switch stays shut, or its coil and diode conduct by themselves."""
    return np.asarray((state == State.DROPOUT) | (state == State.PASSES))


def _taken(element: object, through: dict[str, Array], draw: dict[str, Array]) -> Array:
    if isinstance(element, Conversion):
        return draw[element.id]
    assert isinstance(element, Series | CurrentSink)
    return through[element.id]
