"""Fault current: what flows into a short at a place of the path, and what holds it down."""

import numpy as np
from msgspec import Struct

from tensimeter.core.circuit.network import build, current_limit_A, extremes
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.electrical.elements import Series, Value
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.quantity import show


class Fault(Struct, frozen=True):
    """Amps into a short, and whether a limit or only the resistances of the path hold them there.

    `amps` by nominal figures; `most_A` with the source at its upper end and all resistance at its lower.
    """

    amps: float
    limiter: str
    volts: float = 0.0
    ohms: float = 0.0
    most_A: float = 0.0
    #: A winding behind a rectifier drives it, so that it is no DC.
    rectified: bool = False

    @property
    def words(self) -> str:
        """What holds a short, and to how much."""
        if self.limiter:
            return f"The path limits at {show(self.amps, 'A', 3)} ({self.limiter})"
        return f"Only resistance holds a short to {show(self.amps, 'A', 3)}"

    def worked(self, name: str) -> Derivation:
        """The fault current as a worked answer."""
        title = f"Fault current at {name}"
        if self.limiter:
            held = (Input("I_limit", self.limiter, self.amps, "A"),)
            assumed = ("a limit holds within a moment; before it a reservoir empties into the short",)
            return Derivation(title, "I = the nearest limit before it", held, self.amps, "A", assumed)
        if self.rectified:
            beyond = (Input("R_path", "path up to the short", self.ohms, "ohm"),)
            formula = "I = rms of (|e| − diodes) / (R_winding + R_path) over a cycle"
            return Derivation(title, formula, beyond, self.amps, "A", ("the reservoir is empty at once",))
        given = (
            Input("U0", "no-load volts of the source", self.volts, "V"),
            Input("R", "source and path up to the short", self.ohms, "ohm"),
        )
        return Derivation(title, "I = U0 / R", given, self.amps, "A", ("the short itself has no resistance",))


def fault_A(job: Job, link_id: str) -> Fault | None:
    """What a short right behind a link draws; None where a source's limit and resistance are not known.

    The nearest limit before it counts: beyond a converter the amps are others. Where none is known, the
    no-load volts over the resistances of the path.
    """
    try:
        network = build(job)
    except UserError:
        return None
    volts = ohms = high_V = low_ohm = 0.0
    ends = extremes(network, job)
    for link in reversed(job.design.path_to(link_id)):
        most = current_limit_A(job, link)
        if most is not None:
            return Fault(most, link.name, most_A=most)
        element = network[link.id]
        if isinstance(element, Series):
            volts += float(element.emf)
            ohms += float(element.resistance + element.contact)
            high_V += _end(ends, element, "emf", 1)
            low_ohm += _end(ends, element, "resistance", 0) + _end(ends, element, "contact", 0)
    first = job.design.path_to(link_id)[0]
    part = job.part(first.part)
    if isinstance(part, SourcePart) and (driven := part.shorted_A(job, first, ohms)) is not None:
        worst = part.shorted_A(job, first, low_ohm, highest=True) or driven
        return Fault(driven, "", volts, ohms, worst, rectified=True)
    # A donor whose limit is not known may give anything: its own few milliohms say nothing of it.
    if not isinstance(part, SourcePart) or not part.shorted_by_ohms or ohms <= 0:
        return None
    return Fault(volts / ohms, "", volts, ohms, high_V / max(low_ohm, 1e-9))


def _end(ends: dict[tuple[str, str], tuple[Value, Value]], element: Series, field: str, end: int) -> float:
    """A figure of an element at its lower (0) or upper (1) end."""
    found = ends.get((element.id, field))
    return float(np.asarray(found[end] if found else getattr(element, field), float))
