"""Reach: every voltage and current that an output can deliver, and what stops it at each border."""

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array, Figure, Flags
from tensimeter.core.circuit.network import at_line, build, line_ends, sampled
from tensimeter.core.electrical.elements import Conversion, CurrentSink, Network, Series
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.instrument_part import SetLoad
from tensimeter.core.parts.limit import Limit
from tensimeter.core.path import ConverterLink, UnitLink
from tensimeter.core.rating.dissipation import hot_spots
from tensimeter.core.rating.ladder import ladder

COLLAPSE = "collapse under constant power"
#: Less than this, in minutes, is no time that an output may be used for: a rule of thumb.
SHORTEST_MIN = 1.0


class Border(Struct, frozen=True):
    """Where the reach ends at one voltage: V, A (not a number where it has none), the limiter's name."""

    volts: float
    amps: float
    limiter: str


class Reach(Struct, frozen=True):
    """The grid: `share` (n, m) is the largest share used of any limit, `limiter` names it by index.

    `minutes` (n, m): infinite where it may stay, 0 where it may not be at all, else until the heat stops it.
    """

    output: str
    volts: Array
    amps: Array
    names: tuple[str, ...]
    share: Array
    limiter: npt.NDArray[np.int64]
    minutes: Array

    @property
    def inside(self) -> Flags:
        """Where the output may stay."""
        return self.share <= 1

    def border(self, *, timed: bool = False) -> list[Border]:
        """For each voltage the largest current up to which all is inside; `timed`: for a while at least.

        Between two currents of the grid the border lies where the share crosses 1 (linear).
        """
        inside = self.minutes > 0 if timed else self.inside
        found = []
        for k, volts in enumerate(self.volts.tolist()):
            # Below its least load a source does not hold: the border lies beyond.
            start = int(np.argmax(inside[k]))
            left = inside[k, start:]
            stop = start + int(np.argmin(left)) if not left.all() else len(self.amps)
            if stop == len(self.amps):
                found.append(Border(volts, float(self.amps[-1]), ""))
                continue
            name = self.names[self.limiter[k, stop]]
            if stop == start:
                found.append(Border(volts, float("nan"), name))
                continue
            low, high = self.share[k, stop - 1], self.share[k, stop]
            part = (1 - low) / (high - low) if not timed and np.isfinite(high) and high > low else 0.0
            amps = self.amps[stop - 1] + part * (self.amps[stop] - self.amps[stop - 1])
            found.append(Border(volts, float(amps), name))
        return found


def adjustable(job: Job, output: str) -> ConverterLink:
    """The converter whose set volts make an output's; UserError where none does."""
    for link in reversed(job.design.path_to(output)):
        if isinstance(link, ConverterLink):
            return link
    raise UserError(f"{job.output(output).name} has no converter to set: its load line says all of it.")


def volts_span(job: Job, output: str) -> tuple[float, float]:
    """The volts that the converter before an output can be set to."""
    part = job.part(adjustable(job, output).part)
    assert isinstance(part, ConverterPart)
    return max(part.out_min_V, 0.5), part.out_max_V


def most_A(job: Job, output: str) -> float:
    """What the converter before an output is rated for: the current beyond which no reach goes."""
    part = job.part(adjustable(job, output).part)
    assert isinstance(part, ConverterPart)
    return part.rated_A


def reach(
    job: Job, output: str, volts: Array, amps: Array, others: Mapping[str, float] | None = None
) -> Reach:
    """The reach of an output over volts at its terminals (n,) and amps (m,), in one call of the solver.

    `others` are the loads of the other outputs in A (idle where not named). Every limit of the ladder
    counts, the policy's shares in it, in the hottest room and at the worst of the mains where a source
    follows it. Raises UserError for a broken path or an output that can't be set.
    """
    hot = job.in_room(job.settings.warmest_C)
    nominal = build(hot)
    found = _reach(hot, output, volts, amps, others, nominal)
    for line in line_ends(hot):
        other = _reach(hot, output, volts, amps, others, at_line(hot, nominal, line))
        worse = other.share > found.share
        found = replace(
            found,
            share=np.where(worse, other.share, found.share),
            limiter=np.where(worse, other.limiter, found.limiter),
            minutes=np.minimum(found.minutes, other.minutes),
        )
    return found


def _reach(
    job: Job, output: str, volts: Array, amps: Array, others: Mapping[str, float] | None, network: Network
) -> Reach:
    """The reach at one mains voltage."""
    current = np.asarray(amps, float)[None, :]
    loads: dict[str, Figure] = {**(others or {}), output: current}
    changed = set_to(job, output, np.asarray(volts, float)[:, None], loads, network)
    solution = solve(changed, loads, as_set=True)
    # What feeds no output, a fan or its own supply, shrinks no reach: it is in the ladder, where it belongs.
    feeding = {link.id for o in job.design.outputs() for link in job.design.path_to(o.id)}
    limits = [limit for limit in ladder(job, solution, changed) if limit.link in feeding]
    share, limiter, cold = _largest(limits, solution)
    # Another branch may collapse as well; there is no share of a limit to be told then.
    lost = np.isnan(share) | ~np.isfinite(solution.whole(solution[output].V))
    names = (*[limit.name for limit in limits], COLLAPSE)
    if lost.any():
        share[lost], limiter[lost] = np.inf, len(limits)
    minutes = _minutes(job, solution, share, cold, lost)
    return Reach(output, np.asarray(volts), np.asarray(amps), names, share, limiter, minutes)


class Borders(Struct, frozen=True):
    """The border's amps over volts (n,) for 2.5 %, half and 97.5 % of seeded builds; no worst case."""

    volts: Array
    low: Array
    median: Array
    high: Array


def spread_border(
    job: Job,
    output: str,
    volts: Array,
    amps: Array,
    others: Mapping[str, float] | None = None,
    draws: int = 200,
    seed: int = 1,
) -> Borders:
    """How far the border of the reach strays with the parts' tolerances, all draws in one call.

    The output is set to each voltage by its meter, so that the converter's own setting error is left out.
    """
    current = np.asarray(amps, float)[None, None, :]
    loads: dict[str, Figure] = {**(others or {}), output: current}
    drawn = sampled(build(job), job, np.random.default_rng(seed), draws, 2)
    network = set_to(job, output, np.asarray(volts, float)[None, :, None], loads, drawn)
    solution = solve(network, loads, as_set=True)
    share, _, _ = _largest(ladder(job, solution, network), solution)
    share = np.where(np.isfinite(share) & np.isfinite(solution.whole(solution[output].V)), share, np.inf)
    outside = share > 1
    stop = np.where(outside.any(-1), outside.argmax(-1), len(amps))
    after, before = np.minimum(stop, len(amps) - 1), np.clip(stop - 1, 0, None)
    low, high = (np.take_along_axis(share, k[..., None], -1)[..., 0] for k in (before, after))
    with np.errstate(invalid="ignore", divide="ignore"):
        part = np.where(np.isfinite(high) & (high > low), (1 - low) / (high - low), 0.0)
    ends = amps[before] + np.clip(part, 0, 1) * (amps[after] - amps[before])
    ends = np.where(stop == 0, 0.0, ends)
    return Borders(np.asarray(volts), *np.quantile(ends, [0.025, 0.5, 0.975], axis=0))


def set_to(
    job: Job, output: str, volts: Figure, loads: Mapping[str, Figure], network: Network | None = None
) -> Network:
    """The network with an output's converter set so that `volts` stand at its terminals under `loads`."""
    link, network = adjustable(job, output), network or build(job)
    set_V = np.asarray(volts + _drop(network, link.id, output, loads))
    values: dict[tuple[str, str], Figure] = {(link.id, "set_V"): set_V}
    feeder = job.design.link(link.fed_by or link.id)
    if isinstance(feeder, UnitLink) and feeder.switch_V is not None:
        values[feeder.id, "on_lower"] = np.asarray(set_V <= feeder.switch_V, float)
    return network.with_values(values)


def _drop(network: Network, converter: str, output: str, loads: Mapping[str, Figure]) -> Figure:
    """Volts lost between a converter's set point and the output's terminals."""
    drawn = {e.id: loads.get(e.id, e.own_A) for e in network.elements if isinstance(e, CurrentSink)}
    below = {
        sink: _chain(network, sink, converter)
        for sink in drawn
        if converter in [e.id for e in _above(network, sink)]
    }
    model = network[converter]
    assert isinstance(model, Conversion)
    total = sum((drawn[sink] for sink in below), start=np.float64(0.0))
    drop: Figure = model.resistance * total
    for element in _chain(network, output, converter):
        through = sum((drawn[s] for s, chain in below.items() if element in chain), start=np.float64(0.0))
        drop = drop + (element.resistance + element.contact) * through + element.drop_V
    return drop


def _above(network: Network, element_id: str) -> list[Series | Conversion]:
    found: list[Series | Conversion] = []
    parent = network[element_id].fed_by
    while parent is not None:
        element = network[parent]
        assert isinstance(element, Series | Conversion)
        found.append(element)
        if isinstance(element, Conversion):
            break
        parent = element.fed_by
    return found


def _chain(network: Network, element_id: str, converter: str) -> list[Series]:
    return [e for e in _above(network, element_id) if isinstance(e, Series)]


def _largest(limits: list[Limit], solution: Solution) -> tuple[Array, npt.NDArray[np.int64], Array]:
    """The largest share used at every point, which limit it is, and the largest but for heat.

    Rows and columns are gone through before the grid.
    """
    groups: dict[tuple[int, ...], tuple[Array, npt.NDArray[np.int64]]] = {}
    warm = []
    with np.errstate(invalid="ignore", divide="ignore"):
        for k, limit in enumerate(limits):
            share = np.asarray(limit.used / limit.allowed)
            if limit.heat:
                warm.append((k, share))
            elif share.shape not in groups:
                groups[share.shape] = share.copy(), np.full(share.shape, k)
            else:
                most, which = groups[share.shape]
                np.copyto(which, k, where=share > most)
                np.maximum(most, share, out=most)
    total, index = np.full(solution.shape, -np.inf), np.zeros(solution.shape, np.int64)
    for most, which in groups.values():
        np.copyto(index, which, where=most > total)
        np.maximum(total, most, out=total)
    cold = total.copy() if warm else total
    for k, share in warm:
        np.copyto(index, k, where=share > total)
        np.maximum(total, share, out=total)
    return total, index, cold


def _minutes(job: Job, solution: Solution, share: Array, cold: Array, lost: Flags) -> Array:
    """How long each point may be held: only the heat gives time."""
    minutes = np.where(share <= 1, np.inf, 0.0)
    if cold is share:
        return minutes
    only_heat = (share > 1) & (cold <= 1) & ~lost
    if only_heat.any():
        least = np.full(solution.shape, np.inf)
        for hot in hot_spots(job, solution):
            np.minimum(least, hot.minutes(), out=least)
        minutes[only_heat] = np.where(least < SHORTEST_MIN, 0.0, least)[only_heat]
    return minutes


def load_reach_A(load: SetLoad, volts: Figure) -> Array:
    """The current in A that a load can sink for good at each voltage, by its A, W and lowest volts."""
    v = np.asarray(volts, float)
    by_volts = v / load.on_ohm if load.on_ohm else np.inf
    amps = np.minimum(np.minimum(load.max_A, load.max_W / np.maximum(v, 1e-9)), by_volts)
    return np.where((v > 0) & (v <= load.max_V), amps, 0.0)
