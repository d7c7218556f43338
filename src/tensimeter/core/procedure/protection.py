"""Protection parts against polarity and position: what the design asks for, where it sits, how it stands."""

from collections.abc import Sequence

from msgspec import Struct

from tensimeter.core.circuit.sources import stacks, units_of_stack
from tensimeter.core.electrical.stack import stack
from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.measurement.readings import Reading
from tensimeter.core.model.job import Job
from tensimeter.core.parts.fed_part import FedPart
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import EitherLink, FuseLink, UnitLink
from tensimeter.core.procedure.matrix import EARTH, Checked, checked
from tensimeter.core.procedure.wire_notices import unprotected
from tensimeter.core.quantity import show


class ProtectionPart(Struct, frozen=True):
    """One part that protects: where it sits and which way, what it must stand, and its verdict."""

    what: str
    where: str
    stands: str
    verdict: Verdict


def protection(job: Job, readings: Sequence[Reading] = ()) -> list[ProtectionPart]:
    """Reverse diodes, fuses, earths and guards against backfeed that a design asks for.

    What only a reading can show has the verdict of its pair in the matrix; what the design itself shows
    holds or misses by it.
    """
    found = checked(job, readings)
    pairs = {c.pair.place: c.verdict for c in found}
    return [*_diodes(job, pairs), *_fuses(job), *_earths(found), *_backfeed(job)]


def _diodes(job: Job, pairs: dict[str, Verdict]) -> list[ProtectionPart]:
    units = [x for x in job.design.links if isinstance(x, UnitLink)]
    carrying = {x.fed_by for x in units}
    found = []
    for unit in units:
        if unit.fed_by is None and unit.id not in carrying:
            continue
        made = units_of_stack(job, next(s for s in stacks(job) if unit in s))
        if len(made) < 2:
            continue
        worked = stack(made)
        verdict = pairs.get(f"diode-{unit.id}-minus-{unit.id}-plus", Verdict.NOT_MEASURED)
        needs = f"{show(worked.diode_A, 'A', 3)} and {show(max(worked.diode_inverse_V), 'V', 3)} backwards"
        where = f"across {unit.name}: its ring to +, its other end to −"
        found.append(ProtectionPart("reverse diode", where, needs, verdict))
    return found


def _fuses(job: Job) -> list[ProtectionPart]:
    found = []
    for output in job.design.outputs():
        fuse = next((x for x in reversed(job.design.path_to(output.id)) if isinstance(x, FuseLink)), None)
        part = job.part(fuse.part) if fuse else None
        wanted = job.policy.protection != "electronic"
        if fuse is not None and part is not None:
            where = f"{fuse.name}, in the plus of {output.name}"
            bare = [(x, carries) for x, carries, guard in unprotected(job) if guard.fuse == fuse.name]
            stands = f"{getattr(part, 'rated_A', 0):g} A"
            if bare:
                stands += f"; {bare[0][0].name} behind it carries {show(bare[0][1], 'A', 3)}"
            verdict = Verdict.NONCONFORMING if bare else Verdict.CONFORMS
            found.append(ProtectionPart("fuse", where, stands, verdict))
        elif wanted:
            where = f"none in the plus of {output.name}, while the policy asks for one"
            found.append(
                ProtectionPart("fuse", where, show(output.full_load_A, "A", 3), Verdict.NONCONFORMING)
            )
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, SourcePart) and part.fused_at_once:
            fused = any(isinstance(x, FuseLink) for x in job.design.fed_from(link.id))
            where = f"right at {link.name}'s plus"
            found.append(
                ProtectionPart(
                    "fuse", where, "its wire", Verdict.CONFORMS if fused else Verdict.NONCONFORMING
                )
            )
    return found


def _earths(found: Sequence[Checked]) -> list[ProtectionPart]:
    return [
        ProtectionPart(
            "protective earth", f"from the inlet to {c.pair.second.name}", "a wire of its own, on bare metal",
            c.verdict,
        )
        for c in found
        if c.pair.kind == "joined" and c.pair.first == EARTH
    ]  # fmt: skip


def _backfeed(job: Job) -> list[ProtectionPart]:
    found = []
    for link in job.design.links:
        if isinstance(link, EitherLink):
            verdict = Verdict.NONCONFORMING if link.guard == "nothing" else Verdict.CONFORMS
            found.append(
                ProtectionPart("against backfeed", f"{link.name}: {link.guard}", "the higher source", verdict)
            )
    for output in job.design.outputs():
        device = job.part(output.device)
        if isinstance(device, FedPart) and device.charging() is not None:
            verdict = Verdict.NONCONFORMING if output.backfeed_guard == "nothing" else Verdict.CONFORMS
            where = f"{output.name}: {output.backfeed_guard}"
            found.append(
                ProtectionPart("against backfeed", where, "the battery's short-circuit current", verdict)
            )
    return found
