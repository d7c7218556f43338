"""The seven stages, and what stands before the builder at each: hold points and cautions."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from tensimeter.core.electrical.bands import allowed, cases
from tensimeter.core.electrical.loadline import full_load
from tensimeter.core.electrical.network import has_source
from tensimeter.core.electrical.startup import inrushes, lock_ins
from tensimeter.core.errors import Trouble
from tensimeter.core.job.design import OutputLink, UnitLink, problems
from tensimeter.core.job.document import Job
from tensimeter.core.job.parts import Donor, ElectronicLoad, FusePart
from tensimeter.core.limits import at, fault_notes, ranked
from tensimeter.core.quantity import show
from tensimeter.core.verify.readings import Reading, standing


@dataclass(frozen=True)
class Stage:
    """A stage: its name and, while it is not built yet, what it will hold."""

    id: str
    name: str
    will_hold: str = ""


STAGES = (
    Stage("stock", "Stock"),
    Stage("design", "Design"),
    Stage(
        "assemble",
        "Assemble",
        "Assemble will hold the wire list, the take-apart register and the isolation and "
        "continuity matrix that follow from the design.",
    ),
    Stage(
        "wake",
        "Wake",
        "Wake will hold the steps of first power behind a limit, with what to expect on every "
        "node and when to pull the plug.",
    ),
    Stage("prove", "Prove"),
    Stage(
        "tune",
        "Tune",
        "Tune will hold panel meters against a reference, trims, and the ranked causes of what "
        "was predicted otherwise than it was measured.",
    ),
    Stage("plate", "Plate"),
)


@dataclass(frozen=True)
class Notice:
    """One card of the right column: what, why, what to do.

    A hold is lifted only by the reading named in `lifted_by` (a place); a caution stands.
    """

    id: str
    kind: Literal["miss", "hold", "caution"]
    title: str
    text: str
    stage: str
    link: str | None = None
    lifted_by: str | None = None
    overruled: str = ""


def notices(job: Job, readings: Sequence[Reading] = ()) -> list[Notice]:
    """What to mind before going on, over all stages, the gravest first."""
    found = [
        *_stock_notices(job),
        *_path_notices(job),
        *_band_notices(job),
        *_stack_notices(job),
        *_pair_notices(job),
        *_start_notices(job),
        *_prove_notices(job, readings),
    ]
    reasons = {o.hold: o.reason for o in job.overruled}
    found = [
        Notice(n.id, n.kind, n.title, n.text, n.stage, n.link, n.lifted_by, reasons.get(n.id, ""))
        for n in found
    ]
    order = {"miss": 0, "hold": 1, "caution": 2}
    return sorted(found, key=lambda n: order[n.kind])


def open_holds(found: Sequence[Notice], stage: str, link: str | None = None) -> list[Notice]:
    """Hold points of a stage (and of one link) that no reading has lifted and nobody overruled."""
    return [
        n
        for n in found
        if n.kind == "hold"
        and n.stage == stage
        and not n.overruled
        and (link is None or n.link in (None, link))
    ]


def must_be_lifted(job: Job, readings: Sequence[Reading], output: str) -> None:
    """Trouble while a hold stands before loading an output on a real bench."""
    stopping = open_holds(notices(job, readings), "prove", output)
    if stopping:
        raise Trouble(
            f"Hold point open: {stopping[0].title}. {stopping[0].text} Or overrule it, with a reason."
        )


def _stock_notices(job: Job) -> list[Notice]:
    used = {link.part for link in job.design.links}
    untested = [
        p.name
        for p in job.stock
        if p.id in used and p.condition == "untested" and p.kind in ("donor", "converter")
    ]
    if not untested:
        return []
    return [
        Notice(
            "stock:untested",
            "caution",
            "Untested parts in the path",
            f"{', '.join(untested)}. Try each alone, its case closed, before the path relies on it; "
            "then say so on its card.",
            "stock",
        )
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
    except Trouble:
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
        if isinstance(part, FusePart) and job.policy.protection == "electronic":
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
        low, high = allowed(output)
        try:
            volts = cases(job, output)
        except Trouble:
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


def _stack_notices(job: Job) -> list[Notice]:
    above = [link for link in job.design.links if isinstance(link, UnitLink) and link.fed_by]
    if not above:
        return []
    carrying = {link.fed_by for link in above}
    units = [link for link in job.design.links if link.id in carrying or link in above]
    parts = [job.part(unit.part) for unit in units]
    volts = sum((p.trip_V or p.no_load_V * 1.3) for p in parts if p is not None and p.kind == "donor")
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
    no_load = sum(p.no_load_V for p in parts if p is not None and p.kind == "donor")
    if no_load > 60:
        found.append(
            Notice(
                "stack:60V",
                "hold",
                "More than 60 V DC",
                f"The stack stands at {no_load:.0f} V: a hazard to touch. Read the volts from each end "
                "to earth and enter them.",
                "design",
                units[-1].id,
                "earth-stack",
            )
        )
    return found


#: What two units of a stack are compared by, and how it is called.
_COMPARED = (
    ("no_load_V", "no-load volts"),
    ("output_resistance_ohm", "output resistance"),
    ("rated_A", "rated amps"),
    ("rated_W", "rated watts"),
    ("limit_A", "limit"),
    ("beyond", "behaviour beyond the limit"),
    ("trip_V", "trip"),
    ("note", "note"),
)


def _pair_notices(job: Job) -> list[Notice]:
    """Units that are joined as a pair, compared field by field."""
    found = []
    for link in job.design.links:
        upper, below = job.part(link.part), None
        if isinstance(link, UnitLink) and link.fed_by:
            below = next((job.part(x.part) for x in job.design.links if x.id == link.fed_by), None)
        if not (isinstance(upper, Donor) and isinstance(below, Donor)):
            continue
        differs = [words for field, words in _COMPARED if getattr(upper, field) != getattr(below, field)]
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


#: Ohms from a floating output to earth below which it is not floating, and above which a bonded
#: one is not bonded; rules of thumb for a handheld meter.
FLOATING_OHM, BONDED_OHM = 100e3, 1.0


def _earth_notice(job: Job, output: OutputLink, readings: Sequence[Reading]) -> Notice | None:
    """The hold on an output's way to earth: open, lifted (None), or read and wrong."""
    place = f"earth-{output.id}"
    found = [r for r in readings if r.place == place and r.quantity == "ohm"]
    if not found:
        return Notice(
            f"earth:{output.id}",
            "hold",
            f"{output.name} to earth",
            f"Supply off and unplugged: read ohms from the {output.name} negative to the earth pin "
            f"and type it, e.g. “{place} OL”.",
            "prove",
            output.id,
            place,
        )
    ohms = found[-1].value
    floating = job.policy.reference == "floating"
    if (ohms >= FLOATING_OHM) if floating else (ohms <= BONDED_OHM):
        return None
    wanted = "floating" if floating else "bonded to earth"
    return Notice(
        f"earth:{output.id}",
        "hold",
        f"{output.name} is not {wanted}",
        f"{show(ohms, 'ohm')} from its negative to earth, while the policy says {wanted}. Find out "
        f"why, mend it, and read “{place}” again.",
        "prove",
        output.id,
        place,
    )


def _prove_notices(job: Job, readings: Sequence[Reading]) -> list[Notice]:
    found: list[Notice] = []
    live = standing(readings)
    if has_source(job):
        earth = (_earth_notice(job, output, live) for output in job.design.outputs())
        found += [notice for notice in earth if notice is not None]
    load = job.part(job.campaign.load)
    if isinstance(load, ElectronicLoad) and not load.watchdog:
        found.append(
            Notice(
                "load:watchdog",
                "caution",
                "Stay with the load",
                f"{load.name} has no watchdog: if its link dies, nothing but you drops it. Keep the "
                "supply's switch within reach during a run.",
                "prove",
                None,
            )
        )
    if job.design.outputs():
        found.append(
            Notice(
                "prove:amps-socket",
                "caution",
                "Mind the amps socket",
                "A meter left in its amps socket shorts the output it is put across. Check the socket "
                "before every reading of volts.",
                "prove",
                None,
            )
        )
        found.append(
            Notice(
                "prove:hot",
                "caution",
                "Hot after the load is off",
                "Sinks, bolts and resistors stay hot for many minutes. Keep wood and printed plastic "
                "away from them.",
                "prove",
                None,
            )
        )
    return found
