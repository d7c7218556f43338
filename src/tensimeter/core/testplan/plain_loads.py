"""Loads that can't be set: resistors, lamps, LED strings, motors and devices, alone and together."""

from itertools import combinations

from msgspec import Struct

from tensimeter.core.model.job import Job
from tensimeter.core.parts.fed_part import PlainLoad
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.quantity import show

#: So many at once at the most, and so many points of a test.
MOST_AT_ONCE, MOST_POINTS = 3, 8


class Load(Struct, frozen=True):
    """What is joined for one point: A at the output's volts, what it is, what speaks against it."""

    amps: float
    words: str
    trouble: str = ""


def plain_loads(job: Job) -> list[PartRecord]:
    """The campaign's loads that can't be set; empty where an electronic load is in hand."""
    ids = (job.campaign.load, *job.campaign.other_loads)
    parts = [job.part(i) for i in ids if i]
    return [p for p in parts if p is not None and isinstance(p, PlainLoad)]


def points(job: Job, volts: float, most_A: float) -> tuple[list[Load], list[str]]:
    """Every load and combination up to `most_A`, least first and back to none; and what can't be used."""
    parts = plain_loads(job)
    if not parts or (job.campaign.load and job.part(job.campaign.load) not in parts):
        return [], []
    one = {p.id: _one(p, volts) for p in parts}
    refused = [f"{p.name}: {one[p.id].trouble}" for p in parts if one[p.id].trouble]
    usable = [p for p in parts if not one[p.id].trouble]
    found = [Load(0.0, "no load")]
    for count in range(1, min(len(usable), MOST_AT_ONCE) + 1):
        for group in combinations(usable, count):
            amps = sum(one[p.id].amps for p in group)
            if amps <= most_A * (1 + 1e-9):
                found.append(Load(amps, " with ".join(p.name for p in group)))
            elif count == 1:
                refused.append(f"{group[0].name} draws {show(amps, 'A')}, more than {show(most_A, 'A')}.")
    found.sort(key=lambda load: load.amps)
    if len(found) > MOST_POINTS - 1:
        keep = [round(k * (len(found) - 1) / (MOST_POINTS - 2)) for k in range(MOST_POINTS - 1)]
        found = [found[k] for k in keep]
    return [*found, Load(0.0, "no load again")], refused


def _one(part: PartRecord, volts: float) -> Load:
    assert isinstance(part, PlainLoad)
    return Load(part.draw_A(volts), part.name, part.unfit(volts))
