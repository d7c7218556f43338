"""What the design itself gives to mind: joints, limits, bands, stacks, pairs, starting."""

import math

from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.network import has_source
from tensimeter.core.design.bands import allowed, cases
from tensimeter.core.design.startup import inrushes, lock_ins
from tensimeter.core.errors import UserError
from tensimeter.core.model.compare import differences
from tensimeter.core.model.job import Job
from tensimeter.core.model.problems import problems
from tensimeter.core.notice import Notice
from tensimeter.core.parts.path_part import OvercurrentPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import Link, UnitLink
from tensimeter.core.procedure.edge_notices import edge_notices, edges_of
from tensimeter.core.procedure.wire_notices import jack_notices, wire_notices
from tensimeter.core.quantity import show
from tensimeter.core.rating.envelope import Envelope
from tensimeter.core.rating.ladder import at, fault_notes, ranked
from tensimeter.core.remembered import remembered

#: A unit's output stands off its case when the meter says at least this, Ω: a rule of thumb.
ISOLATED_OHM = 1e6


@remembered(kept=8)
def design_notices(job: Job) -> list[Notice]:
    """Everything of the design stage that the path as a whole gives to mind."""
    bands, edges = _band_notices(job), edges_of(job)
    return [
        *_path_notices(job),
        *bands,
        *edge_notices(job, {n.link for n in bands if n.link}, edges),
        *_stack_notices(job, edges),
        *_pair_notices(job),
        *wire_notices(job),
        *jack_notices(job),
        *_start_notices(job),
    ]


def _path_notices(job: Job) -> list[Notice]:
    wrong = problems(job.design, job.stock)
    if wrong:
        return [
            Notice(f"path:{link}", "miss", "The path does not join up", text, "design", link)
            for link, text in wrong.items()
        ]
    if not has_source(job):
        return []
    try:
        _, _, limits = at(job, full_load(job), as_set=True)
    except UserError:
        return []
    found = []
    over = [limit for limit in ranked(limits) if limit.fraction > 1]
    for limit in over[:6]:
        found.append(
            Notice(
                f"over:{limit.name}",
                "miss",
                f"{limit.name}: over",
                f"{limit.sentence} at full load ({limit.note}).",
                "design",
                limit.link,
            )
        )
    for link, text in fault_notes(job):
        found.append(Notice(f"fuse:{link}", "caution", "A fuse that may never blow", text, "design", link))
    for link_ in job.design.links:
        part = job.part(link_.part)
        if part is not None and part.condition in ("faulty", "for parts"):
            found.append(
                Notice(
                    f"part:{part.id}",
                    "miss",
                    f"{part.name} is {part.condition}",
                    "It is in the path. Repair and test it, or take another.",
                    "design",
                    link_.id,
                )
            )
        if isinstance(part, OvercurrentPart) and job.policy.protection == "electronic":
            found.append(
                Notice(
                    f"policy:{part.id}",
                    "caution",
                    "Policy says electronic limit only",
                    "The path has a fuse all the same.",
                    "design",
                    link_.id,
                )
            )
    return found


def _band_notices(job: Job) -> list[Notice]:
    """Outputs that leave their band, or what their device stands, as the others are loaded or idle."""
    if not has_source(job) or problems(job.design, job.stock):
        return []
    found = []
    for output in job.design.outputs():
        low, high = allowed(job, output)
        try:
            volts = cases(job, output)
        except UserError:
            continue
        outside = [(words, v) for words, v in volts if not low <= v <= high]
        lost = next((words for words, v in outside if math.isnan(v)), None)
        if lost is not None:
            text = f"It has no running state {lost}: the path before it gives up. See what gives up first."
            found.append(
                Notice(f"band:{output.id}", "miss", f"{output.name} does not run", text, "design", output.id)
            )
        elif outside:
            words, v = max(outside, key=lambda case: max(case[1] - high, low - case[1]))
            side = "above" if v > high else "below"
            found.append(
                Notice(
                    f"band:{output.id}",
                    "miss",
                    f"{output.name} leaves its band",
                    f"{show(v, 'V', 5)} {words}: {side} the {show(high if v > high else low, 'V', 5)} that "
                    "its band and its device allow.",
                    "design",
                    output.id,
                )
            )
    return found


def _stack_notices(job: Job, edges: Envelope | None) -> list[Notice]:
    above = [link for link in job.design.links if isinstance(link, UnitLink) and link.fed_by]
    if not above or edges is None:
        return []
    carrying = {link.fed_by for link in above}
    units = [link for link in job.design.links if link.id in carrying or link in above]
    no_load = max((ends[1].value for x in units if (ends := edges.ends(x.id, "V"))), default=0.0)
    volts = sum(_highest_V(job, link, edges) for link in units)
    found = [
        Notice(
            "stack:earth",
            "caution",
            "Units stacked",
            f"Each output must stand up to {volts:.0f} V against its case, at trip voltages. The "
            "protective earth of every case stays. At most one point may meet earth.",
            "design",
            units[-1].id,
        )
    ]
    if no_load > job.settings.touch_V:
        found.append(
            Notice(
                "stack:60V",
                "hold",
                f"More than {show(job.settings.touch_V, 'V')} DC",
                f"The stack stands at up to {no_load:.0f} V: a hazard to touch. Read the volts from each end "
                "to earth and enter them.",
                "design",
                units[-1].id,
                "earth-stack",
            )
        )
    return found


def _highest_V(job: Job, link: Link, edges: Envelope) -> float:
    """The most that a unit itself may come to: its trip, or the top of its volts where it has none."""
    part = job.part(link.part)
    unit = part.stack_unit() if isinstance(part, SourcePart) else None
    if unit is not None:
        return unit.highest_V
    own, below = edges.ends(link.id, "V"), edges.ends(link.fed_by, "V") if link.fed_by else None
    return own[1].value - (below[1].value if below else 0.0) if own else 0.0


def _pair_notices(job: Job) -> list[Notice]:
    """Units that are joined as a pair, compared field by field."""
    found = []
    for link in job.design.links:
        upper, below = job.part(link.part), None
        if isinstance(link, UnitLink) and link.fed_by:
            below = next((job.part(x.part) for x in job.design.links if x.id == link.fed_by), None)
        if not (isinstance(upper, SourcePart) and isinstance(below, SourcePart)):
            continue
        if upper.stack_unit() is None or below.stack_unit() is None:
            continue
        differs = differences(upper, below)
        if differs:
            found.append(
                Notice(
                    f"pair:{link.id}",
                    "caution",
                    "Two units that are not alike",
                    f"{link.name} and the unit it stands on differ in {', '.join(differs)}. Compare no-load "
                    "volts and start-up before they share a current.",
                    "design",
                    link.id,
                )
            )
    return found


def _start_notices(job: Job) -> list[Notice]:
    if problems(job.design, job.stock):
        return []
    found = [
        Notice(f"start:{lock.link}", "caution", "It may not start", lock.sentence, "design", lock.link)
        for lock in lock_ins(job)
    ]
    return found + [
        Notice(f"inrush:{rush.output}", "miss", f"{rush.name}: inrush", rush.sentence, "design", rush.output)
        for rush in inrushes(job)
    ]
