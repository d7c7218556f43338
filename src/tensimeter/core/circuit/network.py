"""The network of a design: what each of its links is to the path solver, and how sure that is."""

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from tensimeter.core.arrays import Figure
from tensimeter.core.electrical.elements import CurrentSink, Element, Network, Series, Value
from tensimeter.core.electrical.reservoir import Curve
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.parts.path_part import InlineMeter, PathPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import EitherLink, Link, MeterLink, OutputLink, UnitLink
from tensimeter.core.remembered import remembered


@remembered("design", "stock", "policy", "settings", kept=96)
def build(job: Job) -> Network:
    """The network of a job's design; UserError with the first problem's sentence if it has one."""
    wrong = problems(job.design, job.stock)
    if wrong:
        raise UserError(next(iter(wrong.values())))
    links = [link for _, link in job.design.walk()]
    own_supplies = [_meter_supply(job, link) for link in links if isinstance(link, MeterLink)]
    return Network((*[_element(job, link) for link in links], *own_supplies))


def has_source(job: Job) -> bool:
    """Whether there is a path to solve, or only outputs known by their readings."""
    return any(isinstance(link, UnitLink) for link in job.design.links)


def current_limit_A(job: Job, link: Link) -> float | None:
    """The current in A at which a link limits or trips; None where it does not, or where unknown."""
    part = job.part(link.part)
    return part.current_limit_A(link) if isinstance(part, PathPart) else None


def _element(job: Job, link: Link) -> Element:
    if isinstance(link, EitherLink):
        drop = link.diode_V if link.guard == "diodes" else 0.0
        return Series(link.id, link.fed_by, drop_V=drop)
    part = job.part(link.part)
    if isinstance(link, OutputLink) or not isinstance(part, PathPart):
        return CurrentSink(link.id, link.fed_by)
    return _as_found(part.element(job, link), link)


def _as_found(element: Element, link: Link) -> Element:
    """An element with what readings have shown of it; what it has no such figure for stays."""
    for found in link.found:
        value = getattr(element, found.field, None)
        if value is not None:
            element = replace(element, **{found.field: value * found.times + found.plus})
    return element


def _meter_supply(job: Job, link: MeterLink) -> CurrentSink:
    """What a panel meter draws for itself, from what it measures or from another link."""
    part = job.part(link.part)
    draws_A = part.draws_A if isinstance(part, InlineMeter) else 0.0
    return CurrentSink(f"{link.id}:supply", link.supplied_by or link.fed_by, own_A=draws_A)


def sampled(network: Network, job: Job, rng: "np.random.Generator", draws: int, axes: int = 1) -> Network:
    """Seeded draws of every figure within its tolerance; each gets the shape (draws, 1, …).

    `axes` is how many axes of operating points stand behind the draws.
    """
    shape = (draws, *[1] * axes)
    return network.with_values(
        {
            (element, field): rng.uniform(value * (1 - share), value * (1 + share), shape)
            for element, field, value, share in _uncertain(network, job)
        }
    )


def extremes(network: Network, job: Job, line: float = 1.0) -> dict[tuple[str, str], tuple[Value, Value]]:
    """The least and the most that each figure may be within its tolerance, by (element id, field).

    `line` is the share of the nominal mains that the network stands at.
    """
    return {
        (element.id, field): ends
        for element, link, part in _parts(network, job)
        for field, ends in part.extremes(job, link, element, line).items()
    }


def line_ends(job: Job) -> tuple[float, ...]:
    """Lowest and highest share of the nominal mains, where a source follows it; empty where none does."""
    found = [share for _, part in _mains_followers(job) for share in part.line_ends]
    return (min(found), max(found)) if found else ()


def at_line(job: Job, network: Network, share: float) -> Network:
    """The network with every source that follows the mains at a share of its nominal volts.

    Raises UserError where a source gives nothing there.
    """
    moved = {link.id: part.at_line(job, link, share) for link, part in _mains_followers(job)}
    return Network(tuple(moved.get(e.id, e) for e in network.elements))


def _mains_followers(job: Job) -> Iterator[tuple[Link, SourcePart]]:
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(link, UnitLink) and isinstance(part, SourcePart) and part.line_ends:
            yield link, part


def _parts(network: Network, job: Job) -> Iterator[tuple[Element, Link, PathPart]]:
    for element in network.elements:
        if isinstance(element, CurrentSink):
            continue
        link = job.design.link(element.id)
        part = job.part(link.part)
        if isinstance(part, PathPart):
            yield element, link, part


def strays(network: Network, job: Job) -> Iterator[tuple[tuple[str, str], Value, Value]]:
    """Every figure that strays, by (element id, field): as it is, and at the upper end of its tolerance."""
    for element, field, value, share in _uncertain(network, job):
        yield (element, field), value, value * (1 + share)
    for (element_id, field), (_, high) in extremes(network, job).items():
        if isinstance(high, Curve):
            yield (element_id, field), getattr(network[element_id], field), high


def _uncertain(network: Network, job: Job) -> Iterator[tuple[str, str, Figure, float]]:
    for element, _, part in _parts(network, job):
        for field, share in part.tolerances(job.policy.spread).items():
            value = getattr(element, field)
            if share and np.any(value):
                yield element.id, field, value, share
