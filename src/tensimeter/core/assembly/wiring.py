"""The wire list that follows from a design: from, to, gauge, colour, cut length, ends, fuse, label."""

from collections.abc import Iterator
from typing import Literal

import numpy as np
from msgspec import Struct

from tensimeter.core.circuit.guard_of_wire import guard_of
from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.circuit.sources import below_common, commons, earthed, rail_colour
from tensimeter.core.electrical import fuse as fuses
from tensimeter.core.electrical import wire
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import InlineMeter
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import LeadLink, Link, MeterLink, OutputLink, UnitLink
from tensimeter.core.rating.ladder import at
from tensimeter.core.remembered import remembered

Role = Literal["plus", "minus", "middle", "earth", "live", "neutral", "supply"]
#: Sizes that hook-up wire is sold in, mm²; none thinner is drawn through a box.
SIZES_MM2 = (0.5, 0.75, 1.0, 1.5, 2.5, 4.0, 6.0, 10.0, 16.0, 25.0, 35.0)
#: Mains wires inside a box, mm², and a length where no box is known, m: rules of thumb.
MAINS_MM2, USUAL_M = 1.0, 0.3
#: A fuse is asked for by no less than this, A.
LEAST_A = 0.1
#: °C of the air in a box at the least, and of what hook-up wire's insulation stands.
INSIDE_C, WIRE_C = 40.0, 70.0
#: What is crimped on, by the kind of terminal: usual choices.
_ENDS = {
    "screw": "fork or ferrule",
    "tab": "push-on 6.3 mm",
    "stud": "ring, toothed washer",
    "post": "ring",
    "plug": "plug of its own",
    "solder": "soldered, sleeved",
}


class Terminal(Struct, frozen=True):
    """Where a wire ends: a link's (or `inlet`, `chassis`), the name on it, what fits."""

    link: str
    name: str
    kind: str = "screw"


class Conductor(Struct, frozen=True):
    """One wire of the list. `amps` flow at full load; `must_A` is what protects it lets through."""

    id: str
    start: Terminal
    end: Terminal
    role: Role
    amps: float
    must_A: float
    area_mm2: float
    colour: str
    length_m: float
    fuse: str
    label: str
    made: bool

    @property
    def ends(self) -> tuple[str, str]:
        """What is put on the first end and on the other."""
        return _ENDS[self.start.kind], _ENDS[self.end.kind]


@remembered(kept=4)
def wire_list(job: Job) -> tuple[Conductor, ...]:
    """Every wire inside the box, grouped as the path runs; UserError for a path that does not join up.

    A wire is sized so that its fuse protects it (`fuse.protects`); without one for what the limit before it
    lets through. Where nothing guards it a fuse is asked for, and it is sized for that. Inside
    the box it is 40 °C or the hottest room, whichever is more, and the wires lie bundled as the settings say.
    """
    _, solution, _ = at(job, full_load(job), as_set=True)
    found: list[Conductor] = []
    for start, end, role, owner in [*_mains(job), *_joined(job), *_path(job), *_enables(job)]:
        amps = 0.0
        if role not in ("earth", "supply", "live", "neutral") and owner in solution.points:
            point = solution[owner]
            amps = float(np.nan_to_num(point.I_in if end.name.startswith("in ") else point.I))
        found.append(_conductor(job, len(found) + 1, start, end, role, owner, amps))
    return tuple(found)


def _conductor(
    job: Job, number: int, start: Terminal, end: Terminal, role: Role, owner: str, amps: float
) -> Conductor:
    fuse, must = _protected(job, owner, amps)
    if role in ("live", "neutral", "earth"):
        fuse, must, area = "", 0.0, MAINS_MM2
    elif role == "supply":
        fuse, must, area = "", 0.1, SIZES_MM2[0]
    else:
        air_C, bundled = max(INSIDE_C, job.settings.warmest_C), job.settings.bundled
        carrying = (
            s for s in SIZES_MM2 if wire.ampacity(s * 1e-6, WIRE_C, air_C, bundled) >= max(must, amps)
        )
        area = next(carrying, SIZES_MM2[-1])
    wire_id = f"{start.link}.{start.name}:{end.link}.{end.name}".replace(" ", "-")
    choice = next((c for c in job.assembly.wires if c.wire == wire_id), None)
    box = job.settings.box
    usual = round(0.6 * (box.length_mm + box.width_mm) / 1000, 2) if box else USUAL_M
    length = choice.length_m if choice and choice.length_m else usual
    label = f"{number:02d}  {_short(job, start)} → {_short(job, end)}"
    colour = (rail_colour(job, owner) if role == "plus" else "") or getattr(job.assembly.colours, role)
    made = bool(choice and choice.made)
    return Conductor(wire_id, start, end, role, amps, must, area, colour, length, fuse, label, made)


def _short(job: Job, terminal: Terminal) -> str:
    names = {link.id: link.name for link in job.design.links}
    return f"{names.get(terminal.link, terminal.link)} {terminal.name}".strip()


def _protected(job: Job, owner: str, amps: float) -> tuple[str, float]:
    """The fuse before a wire, and what the wire must carry for good so that it is protected, in A."""
    if not owner:
        return "", amps
    found = guard_of(job, owner)
    if not found.bare:
        return found.fuse, max(found.wire_A, amps)
    wanted = fuses.choose(max(amps, LEAST_A), share=job.policy.fuse_share)
    needs = max(wanted.rated_A, wanted.blows_for_certain_A / fuses.OVERLOAD)
    return f"none: wants {wanted.rated_A:g} A", max(needs, amps)


_Wire = tuple[Terminal, Terminal, Role, str]


def mains_units(job: Job) -> list[UnitLink]:
    """Units that are wired to the mains in the box; a brick, a server unit and a PC supply have an inlet."""
    found: list[UnitLink] = []
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(link, UnitLink) and isinstance(part, SourcePart) and part.wired_to_mains:
            found.append(link)
    return found


def metal_box(job: Job) -> bool:
    """Whether the box is metal, and so wants its earth; taken for metal where nothing is said."""
    return job.settings.box is None or job.settings.box.metal


def _mains(job: Job) -> Iterator[_Wire]:
    units = mains_units(job)
    if not units:
        return
    yield Terminal("inlet", "L", "tab"), Terminal("switch", "L in", "tab"), "live", ""
    for unit in units:
        yield Terminal("switch", "L out", "tab"), Terminal(unit.id, "L"), "live", unit.id
        yield Terminal("inlet", "N", "tab"), Terminal(unit.id, "N"), "neutral", unit.id
        yield Terminal("inlet", "earth", "tab"), Terminal(unit.id, "earth"), "earth", unit.id
    if metal_box(job):
        yield Terminal("inlet", "earth", "tab"), Terminal("chassis", "stud", "stud"), "earth", ""
    bottoms = [group[0] for group in commons(job) if not any(earthed(job, x) for x in group)]
    if job.policy.reference == "negative_bonded":
        for bottom in bottoms:
            yield Terminal(bottom.id, "−"), Terminal("chassis", "stud", "stud"), "minus", ""


def _joined(job: Job) -> Iterator[_Wire]:
    """The wires that make one negative of several sources, where they are joined and not by way of earth."""
    bottoms = [group[0] for group in commons(job)]
    if job.policy.commons == "joined" and job.policy.reference != "negative_bonded":
        for other in bottoms[1:]:
            yield Terminal(other.id, "−"), Terminal(bottoms[0].id, "−"), "minus", ""


def _enables(job: Job) -> Iterator[_Wire]:
    """From each enable line to what holds it, and on to the common of that source alone."""
    for link in job.design.links:
        held = job.part(link.enable) if isinstance(link, UnitLink) else None
        if held is not None:
            yield (
                Terminal(link.id, "enable", "solder"),
                Terminal(held.id, f"for {link.name}", "solder"),
                "supply",
                "",
            )
            yield Terminal(held.id, f"back to {link.name}", "solder"), Terminal(link.id, "−"), "supply", ""


def _path(job: Job) -> Iterator[_Wire]:
    for _, link in job.design.walk():
        feeder = next((x for x in job.design.links if x.id == link.fed_by), None)
        if feeder is None:
            continue
        if link.kind == "unit":
            yield _plus(job, feeder), Terminal(link.id, "−"), "middle", link.id
        elif link.kind in ("fuse", "either"):
            yield _plus(job, feeder), Terminal(link.id, "in", "tab"), "plus", link.id
        elif isinstance(link, OutputLink) and feeder.kind == "lead":
            continue
        elif isinstance(link, MeterLink):
            yield from _meter(job, link, feeder)
        else:
            post = isinstance(link, LeadLink | OutputLink)
            kind = "post" if post else "plug" if link.kind == "fan" else "screw"
            names = ("in +", "in −") if link.kind in ("converter", "connector") else ("+", "−")
            if below_common(job, link.id):
                # The rail goes to the negative terminal, common to the positive one.
                names = (names[1], names[0])
            yield _plus(job, feeder), Terminal(link.id, names[0], kind), "plus", link.id
            yield _minus(job, feeder), Terminal(link.id, names[1], kind), "minus", link.id


def _meter(job: Job, link: MeterLink, feeder: Link) -> Iterator[_Wire]:
    part = job.part(link.part)
    assert isinstance(part, InlineMeter)
    source = next((x for x in job.design.links if x.id == link.supplied_by), feeder)
    if part.shunt_in == "negative":
        yield _minus(job, feeder), Terminal(link.id, "source −"), "minus", link.id
    else:
        yield _plus(job, feeder), Terminal(link.id, "source +"), "plus", link.id
    yield _plus(job, source), Terminal(link.id, "supply +", "plug"), "supply", link.id
    yield _plus(job, feeder), Terminal(link.id, "sense +", "plug"), "supply", link.id


def _plus(job: Job, link: Link) -> Terminal:
    """Where a link's positive goes on from."""
    part = job.part(link.part)
    if link.kind == "unit":
        return Terminal(link.id, f"{link.rail} wires" if getattr(link, "rail", None) else "+")
    if link.kind in ("converter", "connector"):
        return Terminal(link.id, "out −" if below_common(job, link.id) else "out +")
    if isinstance(part, InlineMeter):
        feeder = job.design.link(link.fed_by or "")
        return Terminal(link.id, "load +") if part.shunt_in == "positive" else _plus(job, feeder)
    if link.kind in ("fuse", "either"):
        return Terminal(link.id, "out", "tab")
    return Terminal(link.id, "−" if below_common(job, link.id) else "+", "post")


def _minus(job: Job, link: Link) -> Terminal:
    """Where the negative of what a link feeds goes on from: the nearest source or converter before it."""
    part = job.part(link.part)
    if link.kind == "unit":
        bottom = next(x for x in job.design.path_to(link.id) if x.kind == "unit")
        source = job.part(bottom.part)
        plugged = isinstance(source, SourcePart) and source.plug_wire_A is not None
        return Terminal(bottom.id, "common wires" if plugged else "−")
    if link.kind in ("converter", "connector"):
        return Terminal(link.id, "out +" if below_common(job, link.id) else "out −")
    if isinstance(part, InlineMeter) and part.shunt_in == "negative":
        return Terminal(link.id, "load −")
    if link.fed_by is None:
        raise UserError(f"{link.name} has no negative: it is fed by nothing.")
    return _minus(job, job.design.link(link.fed_by))
