"""Claimed against found: the amps and the charge of every outlet and unit, by what was read."""

from collections.abc import Iterable, Sequence

import numpy as np
from msgspec import Struct

from tensimeter.core.circuit.network import has_source
from tensimeter.core.errors import UserError
from tensimeter.core.held.points import Point, held_point, loaded, points, points_of
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, judge
from tensimeter.core.model.job import Job
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import Link, OutputLink
from tensimeter.core.rating.ladder import at
from tensimeter.core.testplan.step import Finding, Outcome


class Claim(Struct, frozen=True):
    """What is claimed of an outlet or a unit, and what was found; A and Ah, 95 % intervals.

    `reached_A` is the most that was read with the volts inside the band, `collapse_A` where they leave it.
    Charge is told at the outlet, and in terms of its cells where the claim is one of cells. `pretended`
    says that only simulated instruments, or the practice supply, showed it.
    """

    name: str
    what: str
    claimed_A: float
    reached_A: Interval | None
    collapse_A: Interval | None
    verdict: Verdict
    claimed_Ah: float | None = None
    found_Ah: Interval | None = None
    claimed_cell_Ah: float | None = None
    found_cell_Ah: Interval | None = None
    charge_verdict: Verdict = Verdict.NOT_MEASURED
    pretended: str = ""


def claims(job: Job, outcomes: Iterable[Outcome]) -> list[Claim]:
    """A row for each outlet, then one for each unit that feeds them, by every test that was judged."""
    by_output: dict[str, list[Outcome]] = {}
    for result in outcomes:
        by_output.setdefault(result.plan.output.id, []).append(result)
    outlets = [_of_outlet(job, output, by_output.get(output.id, [])) for output in job.design.outputs()]
    return [*outlets, *_of_units(job, outlets)]


def _of_outlet(job: Job, output: OutputLink, results: Sequence[Outcome]) -> Claim:
    found = points(job, results, output.id)
    pretended = next((r.pretended for r in results if r.pretended), "")
    if not found and pretended:
        # Only simulated instruments showed it: told, and marked as that.
        found = [p for r in results for p in points_of(r, output.id)]
    held, soaked = held_point(found), loaded(job, results, output.id)
    reached = held.ends if held is not None else None
    longest = max((one.amps for one in soaked), default=0.0)
    if longest > (held.amps if held is not None else 0.0):
        reached = Interval(longest, longest, longest)
    below = [p for p in found if p.low and p.set_V is None]
    collapse = _finding(results, "limit_begins_at") or min(
        (p.ends for p in below if p.ends is not None), key=lambda x: x.value, default=None
    )
    charge, cells = _row(results, "charge"), _row(results, "charge_at_the_cells")
    return Claim(
        output.name,
        "outlet",
        output.full_load_A,
        reached,
        collapse,
        _verdict(reached, output, below),
        charge.allowed.low if charge and charge.allowed else None,
        charge.value if charge else None,
        cells.allowed.low if cells and cells.allowed else None,
        cells.value if cells else None,
        (charge.verdict if charge else None) or Verdict.NOT_MEASURED,
        pretended,
    )


#: A load that was set to what is claimed reads so much of it at the least: its setting has an error too.
CLOSE = 0.97


def _verdict(reached: Interval | None, output: OutputLink, below: Sequence[Point]) -> Verdict:
    """A miss where the volts left the band within what is claimed; open while nobody went so far."""
    if any(p.ends is not None and p.ends.value <= output.full_load_A for p in below):
        return Verdict.NONCONFORMING
    verdict = judge(reached, Band(output.full_load_A * CLOSE, None))
    return Verdict.NOT_MEASURED if verdict is Verdict.NONCONFORMING else verdict


def _row(results: Sequence[Outcome], key: str) -> Finding | None:
    rows = [f for r in results for f in r.findings if f.key == key and f.value is not None]
    return rows[-1] if rows else None


def _finding(results: Sequence[Outcome], key: str) -> Interval | None:
    row = _row(results, key)
    return row.value if row is not None else None


def _of_units(job: Job, outlets: Sequence[Claim]) -> list[Claim]:
    """What each unit gave while an outlet did what was read there, one at a time, as solved."""
    if not has_source(job):
        return []
    found = []
    ids = {o.name: o.id for o in job.design.outputs()}
    for link in job.design.links:
        part = job.part(link.part)
        rated = part.claimed_A(link) if isinstance(part, SourcePart) else None
        if rated is None:
            continue
        through: list[Interval] = []
        for claim in outlets:
            if claim.reached_A is not None and link in job.design.path_to(ids[claim.name]):
                through += _through(job, link, ids[claim.name], claim.reached_A)
        best = max(through, key=lambda x: x.value, default=None)
        pretended = next((c.pretended for c in outlets if c.pretended), "")
        verdict = judge(best, Band(rated * CLOSE, None)) if best else Verdict.NOT_MEASURED
        # Nobody has loaded it to its label: that is no miss.
        verdict = verdict if verdict is Verdict.CONFORMS else Verdict.NOT_MEASURED
        found.append(Claim(link.name, "unit", rated, best, None, verdict, pretended=pretended))
    return found


def _through(job: Job, link: Link, output: str, amps: Interval) -> list[Interval]:
    """Amps of a unit at the amps of an outlet; none where the path has no point there."""
    try:
        _, solution, _ = at(job, {output: np.array([amps.value, amps.low, amps.high])}, as_set=True)
    except UserError:
        return []
    made = np.broadcast_to(solution[link.id].I, (3,))
    return [Interval(*(float(x) for x in made))] if np.isfinite(made).all() else []
