"""The limits ladder: how much of every limit is used, and what gives up first."""

from collections.abc import Mapping
from functools import partial

import numpy as np
from msgspec import Struct

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.circuit.fault import fault_A
from tensimeter.core.circuit.network import at_line, build, has_source, line_ends
from tensimeter.core.electrical.elements import Network
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.model.job import Job
from tensimeter.core.parts.limit import Limit
from tensimeter.core.parts.path_part import OvercurrentPart, PathPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.parts.surroundings import Operating
from tensimeter.core.path import Link, OutputLink
from tensimeter.core.rating.dissipation import hot_spots, inside_air_C
from tensimeter.core.remembered import remembered

#: The room that is left where none is, so that a share of it is a number.
LEAST_ROOM_K = 1e-6


def ladder(job: Job, solution: Solution, network: Network) -> list[Limit]:
    """Every limit of every link at the operating points of a solution."""
    found: list[Limit] = []
    for link in job.design.links:
        part = job.part(link.part)
        if link.id in solution.points and isinstance(part, PathPart):
            found += part.limits(operating(job, link, solution, network))
    for hot in hot_spots(job, solution):
        room = np.maximum(hot.limit_C - hot.air_C, LEAST_ROOM_K)
        found.append(
            Limit(
                hot.link, f"{hot.name}, hot spot", "hot spot", np.asarray(hot.hot_C - hot.air_C), room, "C",
                "hottest it may get at these amps", room, hot.air_C, heat=True,
            )
        )  # fmt: skip
    return found


def operating(job: Job, link: Link, solution: Solution, network: Network) -> Operating:
    """A link at the operating points of a solution, as its part looks at it."""
    return Operating(job, link, solution, network, partial(inside_air_C, job, solution))


def battery_hours(job: Job, solution: Solution) -> dict[str, float]:
    """Hours that each battery lasts at a single operating point, by link id; none where it is idle."""
    found = {}
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, SourcePart) and link.id in solution.points:
            amps = float(solution[link.id].I)
            hours = part.hours_at(amps) if amps > 0 else None
            if hours is not None:
                found[link.id] = hours
    return found


def ranked(limits: list[Limit]) -> list[Limit]:
    """What gives up first on top, for a single operating point."""
    return sorted(limits, key=lambda limit: -float(limit.fraction))


def at(
    job: Job, load_A: Mapping[str, Figure], network: Network | None = None, *, as_set: bool = False
) -> tuple[Network, Solution, list[Limit]]:
    """Network (the job's own where none is given), solution and ladder at given loads.

    With `as_set` past the limits too, so that it can be said how far past.
    """
    network = network or build(job)
    solution = solve(network, load_A, as_set=as_set)
    return network, solution, ladder(job, solution, network)


class FullLoad(Struct, frozen=True):
    """The current an output is tested to, and what set it."""

    amps: float
    reason: str


@remembered("design", "stock", "policy", "settings")
def continuous_full_load(job: Job, output: str) -> FullLoad:
    """The largest current in A, up to the output's own full load, at which no limit is passed.

    Found on a grid of 0.1 % of full load, the other outputs idle, in the hottest room and at every mains
    voltage where a source follows it. `reason` names what set it.
    """
    wanted = job.design.link(output)
    assert isinstance(wanted, OutputLink)
    if not has_source(job):
        return FullLoad(wanted.full_load_A, "the nameplate's current")
    amps = np.linspace(0, wanted.full_load_A, 1001)
    hot = job.in_room(job.settings.warmest_C)
    nominal = build(hot)
    found = [_stops(hot, output, amps, nominal, "")]
    for share in line_ends(hot):
        word = f", mains {'above' if share > 1 else 'below'} nominal"
        found.append(_stops(hot, output, amps, at_line(hot, nominal, share), word))
    first, reason = min(found, key=lambda stop: stop[0])
    if first == len(amps):
        return FullLoad(wanted.full_load_A, "the output's full load")
    return FullLoad(float(amps[max(first - 1, 0)]), reason)


def _stops(job: Job, output: str, amps: Array, network: Network, word: str) -> tuple[int, str]:
    """The index of the first current that a limit stops, their count where none does, and which limit."""
    _, solution, limits = at(job, {output: amps}, network)
    over = {limit.name: solution.whole(limit.fraction) > 1 + 1e-9 for limit in limits if not limit.floor}
    broken = ~np.isfinite(solution.whole(solution[output].V)) | ~solution.runs
    stopped = np.logical_or.reduce([broken, *over.values()])
    if not stopped.any():
        return len(amps), ""
    first = int(np.argmax(stopped))
    names = [name for name, flags in over.items() if flags[first]]
    return first, (names[0] if names else "the path gives up") + word


def fault_notes(job: Job) -> list[tuple[str, str]]:
    """Fuses that can't do their work, as (link id, sentence)."""
    found = []
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(part, OvercurrentPart):
            continue
        fault = fault_A(job, link.id)
        if fault is not None and not part.can_blow(fault.amps):
            found.append(
                (
                    link.id,
                    (
                        f"{fault.words}; a {part.rated_A:g} A fuse needs about "
                        f"{part.certain_A:.3g} A to blow for certain. Behind this "
                        "limit it protects against a failed limit only."
                    ),
                )
            )
    return found
