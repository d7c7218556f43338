"""If this one fails: every link open and shorted, what stands at each outlet then, and what acts.

A table of single faults under full load. Where a fault lets more through than a device stands, and
nothing acts, it says so: a protection that is only assumed shows here.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from tensimeter.core.arrays import Figure
from tensimeter.core.circuit.connected import connected
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import build, current_limit_A, has_source
from tensimeter.core.electrical.elements import Network, Series
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import OvercurrentPart, PathPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ConverterLink, FuseLink, Link, OutputLink, UnitLink
from tensimeter.core.quantity import show

#: What is left of a converter whose switch is shorted, Ω: a rule of thumb.
SHORTED_OHM = 0.05


@dataclass(frozen=True)
class Failure:
    """One fault: volts at each outlet by its id, what acts and how fast, what it leaves hot or live.

    `harm` names the outlets that get more than they stand.
    """

    link: str
    name: str
    how: Literal["open", "short"]
    volts: dict[str, float]
    acts: str
    speed: str
    leaves: str
    harm: tuple[str, ...]

    @property
    def unguarded(self) -> bool:
        """Something is harmed and nothing acts."""
        return bool(self.harm) and self.acts == "nothing"


def failures(job: Job) -> list[Failure]:
    """Every link of a path, open and shorted; empty where there is none. UserError for a broken path."""
    if not has_source(job):
        return []
    network = build(job)
    found = []
    for link in job.design.links:
        if not isinstance(link, OutputLink):
            found.append(_open(job, network, link))
        found.append(_short(job, network, link))
    return found


def _below(job: Job, link: Link) -> set[str]:
    """Outlets that a link feeds."""
    return {o.id for o in job.design.outputs() if link in job.design.path_to(o.id)}


def _volts(job: Job, network: Network, dead: set[str]) -> dict[str, float]:
    """Volts at every outlet under full load, those in `dead` without load and at 0 V."""
    load: Mapping[str, Figure] = {k: v for k, v in full_load(job).items() if k not in dead}
    solution = solve(network, load, as_set=True)
    return {
        o.id: 0.0 if o.id in dead else float(np.nan_to_num(solution[o.id].V)) for o in job.design.outputs()
    }


def _harm(job: Job, volts: Mapping[str, float]) -> tuple[str, ...]:
    """Outlets with more volts than their device, or else twice their tolerance, allows."""
    return tuple(
        o.name
        for o in job.design.outputs()
        if volts[o.id] > (connected(job, o).highest_V or o.nominal_V * (1 + 2 * o.tolerance)) + 1e-9
    )


def _open(job: Job, network: Network, link: Link) -> Failure:
    dead = _below(job, link)
    volts = _volts(job, network, dead)
    names = [o.name for o in job.design.outputs() if o.id in dead]
    leaves = f"{', '.join(names)} dead; all before it live" if names else "nothing hangs on it"
    if isinstance(link, UnitLink) and job.design.fed_from(link.id):
        leaves += "; its reverse diode must block the rest of the stack"
    return Failure(link.id, link.name, "open", volts, "nothing needs to", "–", leaves, ())


def _short(job: Job, network: Network, link: Link) -> Failure:
    if isinstance(link, UnitLink):
        return _unit_short(job, network, link)
    if isinstance(link, ConverterLink):
        return _converter_short(job, network, link)
    if isinstance(link, FuseLink):
        volts = _volts(job, network, set())
        text = "nothing shows until an overload finds no fuse"
        return Failure(link.id, link.name, "short", volts, "nothing", "never", text, _harm(job, volts))
    # A lead or an outlet shorted from leg to leg: everything behind the same limit goes down with it.
    acts, speed, source = _stops_overcurrent(job, link)
    down = _below(job, source) if source is not None else _below(job, link)
    volts = _volts(job, network, down)
    leaves = (
        "the short and the wires to it carry the limit's current" if acts != "nothing" else "all of it hot"
    )
    return Failure(link.id, f"{link.name}, leg to leg", "short", volts, acts, speed, leaves, ())


def _stops_overcurrent(job: Job, link: Link) -> tuple[str, str, Link | None]:
    """What ends a short behind a link: the nearest limit, and a fuse if that limit can blow it."""
    fuse: tuple[Link, OvercurrentPart] | None = None
    for before in reversed(job.design.path_to(link.id)[:-1]):
        part = job.part(before.part)
        if isinstance(part, OvercurrentPart) and fuse is None:
            fuse = before, part
        most = current_limit_A(job, before)
        if most is None:
            continue
        if fuse is not None and fuse[1].can_blow(most):
            return f"{fuse[0].name} blows", "seconds", fuse[0]
        assert isinstance(part, PathPart)
        return part.limiting_words(before.name, show(most, "A", 3)), "at once", before
    if fuse is not None:
        return f"{fuse[0].name} may blow; the source's limit is not known", "not known", fuse[0]
    return "nothing", "never", None


def _unit_short(job: Job, network: Network, link: UnitLink) -> Failure:
    """A unit's output shorted: its own volts are gone, what stands on it stands lower."""
    stacked = link.fed_by is not None or any(isinstance(x, UnitLink) for x in job.design.fed_from(link.id))
    element = network[link.id]
    assert isinstance(element, Series)
    gone = replace(element, emf=0.0, curve=None, couplings=())
    lowered = Network(tuple(gone if e.id == link.id else e for e in network.elements))
    volts = _volts(job, lowered, set() if stacked else _below(job, link))
    part = job.part(link.part)
    beyond = (part.beyond_words if isinstance(part, SourcePart) else "") or "limit"
    leaves = (
        "the others push their current through it: its reverse diode carries it" if stacked else "it is dead"
    )
    return Failure(
        link.id, link.name, "short", volts, f"its own {beyond}", "at once", leaves, _harm(job, volts)
    )


def _converter_short(job: Job, network: Network, link: ConverterLink) -> Failure:
    """A converter's switch shorted: what feeds it stands at its outlets."""
    through = Series(link.id, link.fed_by, resistance=SHORTED_OHM)
    passing = Network(tuple(through if e.id == link.id else e for e in network.elements))
    volts = _volts(job, passing, set())
    harm = _harm(job, volts)
    acts, speed = "nothing", "never"
    if not harm:
        acts, speed = "nothing needs to", "–"
    leaves = f"{', '.join(harm)} at the volts before it" if harm else "unregulated, within what devices stand"
    fused = any(isinstance(x, FuseLink) for o in _below(job, link) for x in job.design.path_to(o))
    if harm and fused:
        leaves += "; a fuse alone does not act on volts"
    return Failure(link.id, f"{link.name}, switch", "short", volts, acts, speed, leaves, harm)
