"""If this one fails: every link open and shorted, what stands at each outlet then, and what acts.

A table of single faults. Volts are shown under full load; what harms a device is looked for without load,
with each output loaded alone, at either end of the mains and at the upper end of what is set, too. Where a
fault lets more through than a device stands, and nothing acts, it says so.
"""

from collections.abc import Callable, Iterator, Mapping
from typing import Literal

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import at_line, build, current_limit_A, extremes, has_source, line_ends
from tensimeter.core.electrical.elements import Network, Series
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import OvercurrentPart, PathPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ConverterLink, FuseLink, Link, MeterLink, OutputLink, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.envelope import loads
from tensimeter.core.rating.ladder import operating
from tensimeter.core.remembered import remembered

#: What is left of a converter whose switch is shorted, Ω: a rule of thumb.
SHORTED_OHM = 0.05
#: Of a fault that harms nothing.
NEEDLESS = "nothing needs to"


#: A network with one fault in it.
_Fault = Callable[[Network], Network]
#: Figures that stand at their upper end where the most that a fault lets through is looked for.
_RAISED = ("emf", "curve", "lower", "set_V")


class Failure(Struct, frozen=True):
    """One fault: volts at each outlet by its id, what acts and how fast, what it leaves hot or live.

    `volts` are those under full load; `harm` has the outlets and parts that get more than they stand, by
    name, with the most that stands there and the state that gives it.
    """

    link: str
    name: str
    how: Literal["open", "short"]
    volts: dict[str, float]
    acts: str
    speed: str
    leaves: str
    harm: dict[str, tuple[float, str]]

    @property
    def unguarded(self) -> bool:
        """Something is harmed and nothing acts."""
        return bool(self.harm) and self.acts == "nothing"


@remembered(kept=8)
def failures(job: Job) -> list[Failure]:
    """Every link of a path, open and shorted; empty where there is none. UserError for a broken path."""
    if not has_source(job):
        return []
    bench = _Bench(job)
    found = []
    for link in job.design.links:
        if not isinstance(link, OutputLink):
            found.append(_open(bench, link))
        found.append(_short(bench, link))
    return found


def _as_it_is(network: Network) -> Network:
    return network


class _Bench:
    """A design in each state that a fault is looked at in."""

    def __init__(self, job: Job) -> None:
        self.job, self.outputs = job, job.design.outputs()
        self.loads = loads(job)
        self.states = list(self._states())
        self.sound = self.by_state(_as_it_is, set())

    def _states(self) -> Iterator[tuple[str, Network]]:
        nominal = build(self.job)
        for share in (1.0, *line_ends(self.job)):
            network = nominal if share == 1 else at_line(self.job, nominal, share)
            word = "" if share == 1 else f"mains {'above' if share > 1 else 'below'} nominal"
            ends = extremes(network, self.job, share)
            raised = network.with_values({k: most for k, (_, most) in ends.items() if k[1] in _RAISED})
            yield word, network
            yield ", ".join(x for x in (word, "at the upper end") if x), raised

    def below(self, link: Link) -> set[str]:
        """Outlets that a link feeds."""
        return {o.id for o in self.outputs if link in self.job.design.path_to(o.id)}

    def volts(self, fault: _Fault, dead: set[str]) -> dict[str, float]:
        """Volts at every outlet under full load, those in `dead` without load and at 0 V."""
        load: Mapping[str, Figure] = {k: v for k, v in full_load(self.job).items() if k not in dead}
        solution = solve(fault(self.states[0][1]), load, as_set=True)
        volts = {o.id: float(np.nan_to_num(solution[o.id].V)) for o in self.outputs}
        return {k: 0.0 if k in dead else v for k, v in volts.items()}

    def by_state(self, fault: _Fault, dead: set[str]) -> list[dict[str, Array]]:
        """Volts at every outlet that lives, over what is drawn (n,), for each state of the network."""
        columns = {
            o.id: np.array([0.0 if o.id in dead else one[o.id] for one in self.loads.values()])
            for o in self.outputs
        }
        found = []
        for _, network in self.states:
            solution = solve(fault(network), columns, as_set=True)
            volts = {o.id: np.nan_to_num(solution.whole(solution[o.id].V)) for o in self.outputs}
            found.append({k: v for k, v in volts.items() if k not in dead})
        return found

    def harm(self, fault: _Fault, dead: set[str]) -> dict[str, tuple[float, str]]:
        """Outlets that a fault gives more volts than their device, or else twice their tolerance, allows.

        What the same state gives without the fault is told of elsewhere.
        """
        found: dict[str, tuple[float, str]] = {}
        drawn = list(self.loads)
        for (words, _), sound, faulty in zip(
            self.states, self.sound, self.by_state(fault, dead), strict=True
        ):
            for o in self.outputs:
                if o.id not in faulty:
                    continue
                stands = connected(self.job, o).highest_V or o.nominal_V * (1 + 2 * o.tolerance)
                raised = faulty[o.id] > np.maximum(stands, sound[o.id]) + 1e-9
                volts = np.where(raised, faulty[o.id], 0.0)
                at = int(np.argmax(volts))
                if raised.any() and float(volts[at]) > found.get(o.name, (0.0, ""))[0]:
                    state = ", ".join(x for x in (drawn[at], words) if x)
                    found[o.name] = float(volts[at]), state
        return found

    def parts_over(self, fault: _Fault, link: Link) -> dict[str, tuple[float, str]]:
        """Parts behind a link that see more volts than they stand with no load, and what is seen there."""
        found = {}
        for words, network in self.states:
            faulty = fault(network)
            solution = solve(faulty, self.loads["no load"], as_set=True)
            for behind in self.job.design.links:
                part = self.job.part(behind.part)
                on_it = link in self.job.design.path_to(behind.id)[:-1]
                on_it |= isinstance(behind, MeterLink) and behind.supplied_by == link.id
                if not (on_it and isinstance(part, PathPart)):
                    continue
                for limit in part.limits(operating(self.job, behind, solution, faulty)):
                    if limit.unit == "V" and not limit.floor and float(limit.fraction) > 1 + 1e-9:
                        state = ", ".join(x for x in ("no load", words) if x)
                        found[behind.name] = float(limit.used), state
        return found

    def failure(
        self, link: Link, name: str, how: Literal["open", "short"], fault: _Fault, dead: set[str],
        acts: tuple[str, str], leaves: str,
    ) -> Failure:  # fmt: skip
        """One row: where nothing needs to act but something is harmed, nothing does."""
        harm = self.harm(fault, dead)
        done, speed = acts
        if done == NEEDLESS and harm:
            done, speed = "nothing", "never"
        return Failure(link.id, name, how, self.volts(fault, dead), done, speed, leaves, harm)


def _stands_on_another(job: Job, link: Link) -> bool:
    """Whether a source stands on another, or another on it."""
    stacked = any(isinstance(x, UnitLink) for x in job.design.fed_from(link.id))
    return isinstance(link, UnitLink) and (link.fed_by is not None or stacked)


def _open(bench: _Bench, link: Link) -> Failure:
    dead = bench.below(link)
    names = [o.name for o in bench.outputs if o.id in dead]
    leaves = f"{', '.join(names)} dead; all before it live" if names else "nothing hangs on it"
    if _stands_on_another(bench.job, link):
        leaves += "; its reverse diode must block the rest of the stack"
    return bench.failure(link, link.name, "open", _as_it_is, dead, (NEEDLESS, "–"), leaves)


def _short(bench: _Bench, link: Link) -> Failure:
    if isinstance(link, UnitLink):
        return _unit_short(bench, link)
    if isinstance(link, ConverterLink):
        return _converter_short(bench, link)
    if isinstance(link, FuseLink):
        text = "nothing shows until an overload finds no fuse"
        return bench.failure(link, link.name, "short", _as_it_is, set(), ("nothing", "never"), text)
    # A lead or an outlet shorted from leg to leg: everything behind the same limit goes down with it.
    acts, speed, down = _stops_overcurrent(bench, link)
    leaves = (
        "the short and the wires to it carry the limit's current" if acts != "nothing" else "all of it hot"
    )
    return bench.failure(link, f"{link.name}, leg to leg", "short", _as_it_is, down, (acts, speed), leaves)


def _whole_supply(bench: _Bench, link: Link) -> tuple[str, set[str]] | None:
    """Name and outlets of a supply that switches all of its rails off at once; None where a link is none."""
    part = bench.job.part(link.part)
    if not (isinstance(part, SourcePart) and part.shared_case):
        return None
    rails = [x for x in bench.job.design.links if x.part == link.part]
    return part.name, set().union(*(bench.below(x) for x in rails))


def _stops_overcurrent(bench: _Bench, link: Link) -> tuple[str, str, set[str]]:
    """What ends a short behind a link, how fast, and the outlets that go down.

    It is the nearest limit, and a fuse if that limit can blow it.
    """
    job = bench.job
    fuse: tuple[Link, OvercurrentPart] | None = None
    before = job.design.path_to(link.id)[:-1]
    for at in reversed(before):
        part = job.part(at.part)
        if isinstance(part, OvercurrentPart) and fuse is None:
            fuse = at, part
        most = current_limit_A(job, at)
        if most is None:
            continue
        if fuse is not None and fuse[1].can_blow(most):
            return f"{fuse[0].name} blows", "seconds", bench.below(fuse[0])
        assert isinstance(part, PathPart)
        return part.limiting_words(at.name, show(most, "A", 3)), "at once", bench.below(at)
    whole = _whole_supply(bench, before[0]) if before else None
    if fuse is not None:
        unknown = f"{fuse[0].name} may blow; the source's limit is not known"
        down = whole[1] if whole else bench.below(fuse[0])
        return (f"{fuse[0].name} blows, or {whole[0]} trips" if whole else unknown), "not known", down
    if whole:
        return f"{whole[0]} trips", "at once", whole[1]
    return "nothing", "never", bench.below(link)


def _unit_short(bench: _Bench, link: UnitLink) -> Failure:
    """A unit's output shorted: its own volts are gone, what stands on it stands lower."""
    stacked = _stands_on_another(bench.job, link)

    def gone(network: Network) -> Network:
        element = network[link.id]
        assert isinstance(element, Series)
        empty = replace(element, emf=0.0, curve=None, lower=None, couplings=())
        return Network(tuple(empty if e.id == link.id else e for e in network.elements))

    whole = _whole_supply(bench, link)
    part = bench.job.part(link.part)
    assert isinstance(part, SourcePart)
    if whole:
        leaves = "its other rails go down with it"
        return bench.failure(
            link, link.name, "short", gone, whole[1], (f"{whole[0]} trips", "at once"), leaves
        )
    dead = set() if stacked else bench.below(link)
    leaves = (
        "the others push their current through it: its reverse diode carries it" if stacked else "it is dead"
    )
    return bench.failure(link, link.name, "short", gone, dead, part.shorted_words, leaves)


def _converter_short(bench: _Bench, link: ConverterLink) -> Failure:
    """A converter's switch shorted: what feeds it stands at its outlets."""
    through = Series(link.id, link.fed_by, resistance=SHORTED_OHM)

    def passing(network: Network) -> Network:
        return Network(tuple(through if e.id == link.id else e for e in network.elements))

    found = bench.failure(link, f"{link.name}, switch", "short", passing, set(), (NEEDLESS, "–"), "")
    path = bench.job.design.path_to
    harm = {**found.harm, **bench.parts_over(passing, link)}
    if harm:
        found = replace(found, harm=harm, acts="nothing", speed="never")
    leaves = f"{', '.join(harm)} at the volts before it" if harm else "unregulated, within what devices stand"
    if harm and any(isinstance(x, FuseLink) for o in bench.below(link) for x in path(o)):
        leaves += "; a fuse alone does not act on volts"
    return replace(found, leaves=leaves)
