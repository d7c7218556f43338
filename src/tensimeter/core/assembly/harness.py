"""The harness of a 24-pin PC supply: which wires for which output, how many, what to do with the rest."""

import math

from msgspec import Struct

from tensimeter.core.circuit.load_line import full_load
from tensimeter.core.model.job import Job
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import UnitLink
from tensimeter.core.rating.ladder import at

#: The main plug of a 24-pin PC supply, pin by pin: what it carries, and its colour by the published
#: standard for such supplies. Read each before you trust it.
PINS: tuple[tuple[str, str], ...] = (
    ("3.3 V", "orange"), ("3.3 V", "orange"), ("common", "black"), ("5 V", "red"),
    ("common", "black"), ("5 V", "red"), ("common", "black"), ("power good", "grey"),
    ("standby 5 V", "violet"), ("12 V", "yellow"), ("12 V", "yellow"), ("3.3 V", "orange"),
    ("3.3 V and its sense", "orange, brown"), ("−12 V", "blue"), ("common", "black"), ("enable", "green"),
    ("common", "black"), ("common", "black"), ("common", "black"), ("empty", "–"),
    ("5 V", "red"), ("5 V", "red"), ("5 V", "red"), ("common", "black"),
)  # fmt: skip


class Bundle(Struct, frozen=True):
    """Wires of one purpose: their pins, colour, the amps they carry and how many that takes."""

    purpose: str
    carries: str
    colour: str
    pins: tuple[int, ...]
    amps: float
    needed: int
    note: str = ""

    @property
    def enough(self) -> bool:
        """Whether as many pins share the current as it needs."""
        return len(self.pins) >= self.needed


def _wire_A(job: Job, link: UnitLink) -> float | None:
    """Amps that one wire of its main plug carries; None for a source without such a plug."""
    part = job.part(link.part)
    return part.plug_wire_A if isinstance(part, SourcePart) else None


def harness(job: Job) -> list[Bundle]:
    """The main plug's wires shared out to the rails in use; empty without a PC supply in the path.

    Each rail gets as many wires as its current takes, and as many commons. The sense wire stays joined to
    3.3 V; enable goes to the switch; the rest is kept insulated or cut at the board, as the policy says.
    """
    plugged = [
        (x, wire_A) for x in job.design.links if isinstance(x, UnitLink) and (wire_A := _wire_A(job, x))
    ]
    if not plugged:
        return []
    wire_A = plugged[0][1]
    _, solution, _ = at(job, full_load(job), as_set=True)
    left = {
        carried: [k for k, (c, _) in enumerate(PINS, 1) if c == carried] for carried in {c for c, _ in PINS}
    }
    found = []
    for link, _ in plugged:
        amps = float(solution[link.id].I)
        needed = max(math.ceil(amps / wire_A), 1)
        for carried in (link.rail or "", "common"):
            pins, left[carried] = left.get(carried, [])[:needed], left.get(carried, [])[needed:]
            colour = next((c for k, c in PINS if k == carried), "not in this plug")
            purpose = link.name if carried != "common" else f"{link.name}, return"
            short = "" if len(pins) >= needed else f"only {len(pins)} of {needed} are in this plug"
            found.append(Bundle(purpose, carried, colour, tuple(pins), amps, needed, short))
    found.append(Bundle("switch", "enable", "green", (16,), 0.0, 1, "joined to a common by the switch"))
    sense = "stays joined to 3.3 V; without it that rail runs away"
    found.append(Bundle("sense", "3.3 V and its sense", "orange, brown", (13,), 0.0, 1, sense))
    what = "kept, each end insulated" if job.policy.spare_wires == "insulated" else "cut at the board"
    spare = sorted(p for c, pins in left.items() for p in pins if c not in ("enable", "empty") and p != 13)
    live = "; violet is live whenever it is plugged in" if 9 in spare else ""
    found.append(Bundle("spare", "all the rest", "as they are", tuple(spare), 0.0, 0, what + live))
    return found
