"""What a design foretells of figures that were read, how sure that is, and what a suspect would change."""

from collections.abc import Iterator, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import asdict, replace

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.along_path import drop_of, joints_of, least_of, link_of, other_of
from tensimeter.core.circuit.network import build, strays
from tensimeter.core.electrical.elements import CurrentSink, Network, Value
from tensimeter.core.electrical.reservoir import Curve
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.suspect import SIZES, Suspect, both_ways, column, nothing_electrical
from tensimeter.core.path import MeterLink
from tensimeter.core.testplan.step import panel_of
from tensimeter.core.tuning.heat import THETA, designed_theta, heat_suspects, theta_strays
from tensimeter.core.tuning.observed import Observed

#: Standard deviation of a rectangular distribution over its half-width.
RECTANGULAR = 3**-0.5
#: What strays by more than this share of a figure is no tolerance, but a collapse.
STEEP = 0.1
#: A step, as a share, for what a figure changes with the amps.
NUDGE = 1e-3


class Effect(Struct, frozen=True, eq=False):
    """A suspect with what it would change of every figure, by its sizes (g, m).

    Where the figures then share something else than as designed, `sd` and `common` say what.
    """

    suspect: Suspect
    change: Array
    sd: Array | None = None
    common: Array | None = None
    #: How much of all of its sizes these are.
    share: float = 1.0


class Foretold:
    """Figures (m,) by a design: `base`, the independent deviation of each, and what they have in common.

    `common` (m, p) has a column for each unknown that several figures share, one standard deviation of it:
    tolerances of parts, gain and offset of each meter, gain of the ammeter.
    """

    def __init__(self, job: Job, seen: Observed, network: Network | None = None) -> None:
        self.job, self.seen = job, seen
        self.network = network or build(job)
        self.solution = solve(self.network, seen.loads)
        self._cases = np.array([f.case for f in seen.figures], int)
        self.base = self._read(self.network, self.solution)

    # -- what a solution shows ------------------------------------------------------------------

    def _read(self, network: Network, solution: Solution) -> Array:
        """What each figure would be (…, m)."""
        found = [self._figure(network, solution, k) for k in range(len(self.seen.figures))]
        return np.nan_to_num(np.stack(found, axis=-1)) if found else np.zeros((*solution.shape[:-1], 0))

    def _figure(self, network: Network, solution: Solution, k: int) -> Array:
        figure = self.seen.figures[k]
        place, case = figure.place, figure.case
        if figure.quantity == THETA:
            return np.full(solution.shape[:-1], designed_theta(self.job, place))
        link = self._links[k]
        if figure.quantity == "A":
            return solution.whole(solution[link].I)[..., case]
        if place == drop_of(link):
            point = solution[link]
            return solution.whole(point.V_in - point.V)[..., case]
        if place == joints_of(link):
            joints = getattr(network[link], "contact", 0.0)
            return solution.whole(solution[link].I * joints)[..., case]
        if place == least_of(link):
            return solution.whole(solution[link].I)[..., case] * self._strand(link)
        return solution.whole(solution[link].V)[..., case]

    def _strand(self, link: str) -> float:
        joined = self.job.design.link(link)
        part = self.job.part(joined.part)
        return (part.strand_ohm(joined) or 0.0) if isinstance(part, PathPart) else 0.0

    @cached_property
    def _links(self) -> list[str]:
        """The link that each figure is of."""
        found, design = [], self.job.design
        for f in self.seen.figures:
            bare = link_of(f.place)
            if f.place.endswith("-panel"):
                bare = f.place.removesuffix("-panel")
                meters = [x.id for x in design.path_to(bare) if isinstance(x, MeterLink)]
                bare = meters[-1] if meters and f.quantity == "V" else bare
            found.append(bare)
        return found

    @cached_property
    def _per_amp(self) -> Array:
        """What each figure changes by where all amps are larger by a share of one (m,)."""
        more = {o: a * (1 + NUDGE) for o, a in self.seen.loads.items()}
        return np.asarray((self._read(self.network, solve(self.network, more)) - self.base) / NUDGE)

    @cached_property
    def _amps(self) -> Array:
        """The sum of all loads at each figure, A (m,)."""
        whole = np.asarray(np.sum(list(self.seen.loads.values()), axis=0), float)
        return np.asarray(whole[self._cases])

    # -- how sure it is -------------------------------------------------------------------------

    @cached_property
    def sd(self) -> Array:
        """Standard deviation of what each figure has for itself (m,): scatter of both meters."""
        own = np.array([f.accuracy.scatter for f in self.seen.figures])
        through = np.abs(self._per_amp) / np.maximum(self._amps, 1e-9) * self.seen.ammeter.scatter
        return np.asarray(np.hypot(own, np.where(self._amps > 0, through, 0.0)))

    @cached_property
    def common(self) -> Array:
        """What figures have in common (m, p), a column for one standard deviation of each unknown."""
        found = [*self._of_parts(), *self._of_meters()]
        found += theta_strays(self.seen.figures)
        strands = [f.place.endswith("-least") for f in self.seen.figures]
        if any(strands):
            found.append(np.where(strands, self.job.policy.spread.contact_ohm * self.base, 0.0) * RECTANGULAR)
        ammeter = self.seen.ammeter
        found.append(self._per_amp * ammeter.of_reading * RECTANGULAR)
        shift = np.where(self._amps > 0, self._per_amp / np.maximum(self._amps, 1e-9), 0.0)
        found.append(shift * ammeter.offset * RECTANGULAR)
        return np.stack(found, axis=1)

    def _of_parts(self) -> Iterator[Array]:
        """One column for each figure of a part that strays, by as much as the designed one does."""
        moved = list(strays(build(self.job), self.job))
        plain = [(key, is_, high) for key, is_, high in moved if not isinstance(high, Curve)]
        rows = np.eye(len(plain))
        values: dict[tuple[str, str], Value] = {
            key: self._here(key) + (np.asarray(high) - np.asarray(is_)) * rows[k][:, None]
            for k, (key, is_, high) in enumerate(plain)
        }
        bent: list[dict[tuple[str, str], Value]] = [
            {key: self._bent(key, is_, high)}
            for key, is_, high in moved
            if isinstance(high, Curve) and isinstance(is_, Curve)
        ]
        worlds: list[dict[tuple[str, str], Value]] = [*([values] if plain else []), *bent]
        for world in worlds:
            network = self.network.with_values(world)
            read = self._read(network, solve(network, self.seen.loads))
            yield from RECTANGULAR * (np.atleast_2d(read) - self.base)

    def _here(self, key: tuple[str, str]) -> Array:
        """A figure as it is here, which may be a supply that is off."""
        return np.asarray(getattr(self.network[key[0]], key[1]), float)

    def _bent(self, key: tuple[str, str], designed: Curve, high: Curve) -> Curve:
        """A source's curve as it is here, moved by as many volts as the designed one strays."""
        here = getattr(self.network[key[0]], key[1])
        assert isinstance(here, Curve)
        if here == designed:
            return high
        more = high.volts[0] - designed.volts[0]
        return replace(here, volts=tuple(v + more for v in here.volts))

    def _of_meters(self) -> Iterator[Array]:
        figures = self.seen.figures
        for key in dict.fromkeys((f.meter, f.quantity, f.accuracy.resolution) for f in figures):
            mine = [(f.meter, f.quantity, f.accuracy.resolution) == key for f in figures]
            share = np.array([f.accuracy.of_reading for f in figures])
            yield np.where(mine, share * self.base, 0.0) * RECTANGULAR
            yield np.where(mine, [f.accuracy.offset for f in figures], 0.0) * RECTANGULAR

    # -- what may be wrong ----------------------------------------------------------------------

    @cached_property
    def known_effects(self) -> list[Effect]:
        """Every suspect of the parts in the path, of the meters and of how they are joined."""
        found = [Effect(s, self._by_worlds(s)) for s in self._of_path()]
        found += [Effect(s, change) for s, change in heat_suspects(self.job, self.seen.figures, self.base)]
        return [*found, *self._gains(), *self._load_gain(), *self._two_wire(), *self._swapped()]

    def _of_path(self) -> Iterator[Suspect]:
        design = self.job.design
        feeding = {x.id for o in design.outputs() for x in design.path_to(o.id)}
        for link in (x for x in design.links if x.id in feeding):
            part = self.job.part(link.part)
            if isinstance(part, PathPart) and not isinstance(self.network[link.id], CurrentSink):
                yield from part.suspects(self.job, link)

    def _by_worlds(self, suspect: Suspect, worlds: Sequence[Network] | None = None) -> Array:
        """What a suspect changes, by its sizes (g, m); of `worlds` where they are made already."""
        worlds = worlds or suspect.worlds(self.network, self.solution)
        read = [self._read(world, solve(world, self.seen.loads)) for world in worlds]
        whole = read[0] if len(read) == 1 and read[0].ndim == 2 else np.stack(read)
        change = np.broadcast_to(whole, (len(suspect.sizes), len(self.base))) - self.base
        if suspect.one_idle:
            # What carries nothing drops nothing.
            idle = [f.place == least_of(suspect.link) for f in self.seen.figures]
            change = np.where(idle, -self.base, change)
        return np.asarray(change)

    def as_found(self, effect: Effect, index: int) -> Effect:
        """A suspect with what figures share where it is so: tolerances act otherwise on a supply that is off.

        `index` is the size nearest to what was found.
        """
        if effect.sd is not None:
            return effect
        suspect, share = effect.suspect, 1.0
        if suspect.closer is not None:
            low, high = max(index - 1, 0), min(index + 1, len(suspect.sizes) - 1)
            share = (high - low) / (len(suspect.sizes) - 1)
            suspect, index = suspect.closer(float(suspect.sizes[low]), float(suspect.sizes[high])), -1
        worlds = suspect.worlds(self.network, self.solution)
        if index < 0:
            effect, index = Effect(suspect, self._by_worlds(suspect, worlds)), len(suspect.sizes) // 2
        if worlds[0] is self.network:
            return effect
        world = worlds[index] if len(worlds) > 1 else _one_of(worlds[0], index)
        then = Foretold(self.job, self.seen, world)
        # Where a tolerance would make it collapse, no straight line says how a figure strays.
        steep = np.abs(then.common) > STEEP * np.abs(then.base)[:, None]
        common = np.where(steep, self.common, then.common)
        return replace(effect, sd=self.sd, common=common, share=share)

    def _gains(self) -> Iterator[Effect]:
        """A meter, or an output's own display, whose gain is off."""
        figures = self.seen.figures
        of = [(f.meter, f.quantity, f.place if f.place.endswith("-panel") else "") for f in figures]
        for meter, quantity, panel in dict.fromkeys(key for key in of if key[1] != THETA):
            mine = np.array([key == (meter, quantity, panel) for key in of])
            worst = max(f.accuracy.of_reading for f, own in zip(figures, mine, strict=True) if own)
            sizes = both_ways(max(2 * worst, 0.003), 0.25)
            output = next((o for o in self.job.design.outputs() if panel_of(o.id) == panel), None)
            part = self.job.part(meter)
            name = f"{output.name}’s own display" if output else part.name if part else "The meter"
            key = "display_gain" if output else "meter_gain"
            what = {"V": "volts", "A": "amps"}[quantity]
            suspect = Suspect(
                key, f"{output.id}-panel-{what}" if output else meter, name, "%", sizes, nothing_electrical,
                f"{name} is off by {{size}} in {what}.",
                "Read the same with another meter, at both ends of its range.",
            )  # fmt: skip
            yield Effect(suspect, np.where(mine, column(sizes) * self.base, 0.0))

    def _load_gain(self) -> Iterator[Effect]:
        if not np.any(self._amps):
            return
        sizes = both_ways(max(2 * self.seen.ammeter.of_reading, 0.004), 0.3)
        loads = {o: a * (1 + column(sizes)) for o, a in self.seen.loads.items()}
        part = self.job.part(self.job.campaign.ammeter)
        name = part.name if part is not None else "The load"
        suspect = Suspect(
            "load_gain", self.job.campaign.ammeter or "load", name, "%", sizes, nothing_electrical,
            f"What {name} says of amps is off: {{size}} beside that flows.",
            "A second ammeter in the same loop; leads can't make amps differ there.",
        )  # fmt: skip
        yield Effect(suspect, self._read(self.network, solve(self.network, loads)) - self.base)

    def _two_wire(self) -> Iterator[Effect]:
        """Volts that were read at the load instead of at the outputs."""
        at_output = np.array([f.place in self.seen.outputs and f.quantity == "V" for f in self.seen.figures])
        if not (at_output & (self._amps > 0)).any():
            return
        amps = np.array([self.seen.loads.get(f.place, self._none)[f.case] for f in self.seen.figures])
        sizes = np.geomspace(2e-3, 0.3, SIZES)
        suspect = Suspect(
            "two_wire", "load", "The load's leads", "ohm", sizes, nothing_electrical,
            "Volts were read at the load, not at the output: {size} of its leads are in them.",
            "Move the meter's probes right to the output's terminals.",
        )  # fmt: skip
        yield Effect(suspect, np.where(at_output, -column(sizes) * amps, 0.0))

    @cached_property
    def _none(self) -> Array:
        return np.zeros(max(self._cases.max(initial=0) + 1, 1))

    def _swapped(self) -> Iterator[Effect]:
        outputs = self.job.design.outputs()
        read = {f.place for f in self.seen.figures}
        for k, a in enumerate(outputs):
            for b in outputs[k + 1 :]:
                if a.id not in read and b.id not in read:
                    continue
                loads = {**self.seen.loads, a.id: self.seen.loads[b.id], b.id: self.seen.loads[a.id]}
                there = {p(x.id): p(y.id) for p in (str, other_of) for x, y in ((a, b), (b, a))}
                figures = tuple(
                    replace(f, place=there.get(f.place, f.place)) if f.quantity == "V" else f
                    for f in self.seen.figures
                )
                other = Foretold(self.job, replace(self.seen, figures=figures, loads=loads))
                suspect = Suspect(
                    "swapped", f"{a.id}+{b.id}", f"{a.name} and {b.name}", "", np.ones(1), nothing_electrical,
                    f"The wires of {a.name} and {b.name} are swapped.",
                    "Follow both wires from their sources to the terminals.",
                    np.ones(1),
                )  # fmt: skip
                yield Effect(suspect, (other.base - self.base)[None, :], other.sd, other.common)


def _one_of(world: Network, index: int) -> Network:
    """One of the networks that one with figures by sizes (g, …) stands for."""
    values: dict[tuple[str, str], Value] = {}
    for e in world.elements:
        for name, value in asdict(e).items():
            if isinstance(value, np.ndarray) and value.ndim == 2:
                row = value[index]
                values[e.id, name] = float(row[0]) if row.size == 1 else row
    return world.with_values(values)
