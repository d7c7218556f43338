"""Stored charge: what stays charged after the plug is out, how it is emptied, and what shows that it is."""

from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.electrical.discharge import Discharge, discharge
from tensimeter.core.measurement.readings import Reading, counting
from tensimeter.core.model.job import Job
from tensimeter.core.parts.fed_part import PlainLoad
from tensimeter.core.parts.source_part import SourcePart, Stored
from tensimeter.core.path import UnitLink
from tensimeter.core.quantity import show

#: Below this a reservoir counts as empty, V; a rule of thumb.
EMPTY_V = 5.0
#: Ω of a voltmeter that is left connected, and of the resistor that is usually made up for the job.
METER_OHM, USUAL_OHM, USUAL_W = 10e6, 10e3, 5.0


class Way(Struct, frozen=True):
    """One way to empty it: s, W at first, J; what is wrong with it, if anything."""

    name: str
    ohm: float
    worked: Discharge
    trouble: str


def stored(job: Job) -> list[Stored]:
    """Every reservoir that hands may meet: behind a transformer, and inside a unit whose case is opened."""
    found = []
    for link in job.design.links:
        part = job.part(link.part)
        own = part.stored(job, link) if isinstance(link, UnitLink) and isinstance(part, SourcePart) else None
        if own is not None:
            found.append(own)
    return found


def ways(job: Job, at: Stored) -> list[Way]:
    """A meter left connected, and each resistor of the stock or else the usual one: what each must stand."""
    resistors = [(p.name, *made) for p in job.stock if isinstance(p, PlainLoad) and (made := p.as_resistor())]
    usual = (f"{show(USUAL_OHM, 'ohm')} {USUAL_W:g} W, insulated probes", USUAL_OHM, USUAL_W)
    found = [_way(at, "the meter left connected", METER_OHM, 1.0)]
    return found + [_way(at, *made) for made in (resistors or [usual])]


def _way(at: Stored, name: str, ohm: float, rated_W: float) -> Way:
    worked = discharge(at.farad, max(at.start_V, EMPTY_V * 1.01), EMPTY_V, ohm)
    # For some seconds a wire-wound resistor stands five times its rating (a rule of thumb).
    stands = rated_W * (5 if worked.time_s < 5 else 1)
    trouble = ""
    if worked.power_W > stands:
        trouble = f"takes {show(worked.power_W, 'W')} at first; {show(rated_W, 'W')} is too small for it"
    elif worked.current_A > 5:
        trouble = f"draws {show(worked.current_A, 'A')} at first: a spark that pits what it touches"
    elif worked.time_s > 600:
        trouble = f"takes {how_long(worked.time_s)}"
    return Way(name, ohm, worked, trouble)


def how_long(seconds: float) -> str:
    """Seconds, minutes or hours, as one would say it."""
    if seconds < 120:
        return show(seconds, "s", 3)
    return f"{seconds / 60:.0f} min" if seconds < 7200 else f"{seconds / 3600:.0f} h"


def is_empty(at: Stored, readings: Sequence[Reading]) -> bool:
    """Whether the latest reading shows it empty; elapsed time alone does not."""
    own = [r for r in counting(readings) if r.place == at.place and r.quantity == "V"]
    return bool(own) and abs(own[-1].value) < EMPTY_V
