"""Edits of what is decided and done while building; readings are facts and are kept apart."""

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import changed, identifier
from tensimeter.core.model.job import Adjusted, Assembly, Job, Mark, Pulled, WireChoice


def with_assembly(job: Job, **fields: object) -> Job:
    """The job with fields of its assembly changed and checked."""
    assembly: Assembly = changed(job.assembly, **fields)
    return job.model_copy(update={"assembly": assembly})


def with_wire(job: Job, wire_id: str, **fields: object) -> Job:
    """The job with one wire's cut length or tick changed."""
    known = {choice.wire: choice for choice in job.assembly.wires}
    known[wire_id] = changed(known.get(wire_id, WireChoice(wire=wire_id)), **fields)
    return with_assembly(job, wires=tuple(known.values()))


def with_pulled(job: Job, unit: str, what: str, where: str, keyed: bool, label: str) -> Job:
    """The take-apart register with one more entry; UserError where it names nothing."""
    if not unit.strip() or not what.strip():
        raise UserError("Write what was pulled, and of which unit.")
    entry = Pulled(
        id=identifier(f"{unit} {what}", (p.id for p in job.assembly.pulled)),
        unit=unit.strip(),
        what=what.strip(),
        where=where.strip(),
        keyed=keyed,
        label=label.strip(),
    )
    return with_assembly(job, pulled=(*job.assembly.pulled, entry))


def put_back(job: Job, entry_id: str, back: bool) -> Job:
    """The register with one entry ticked as put back, or not."""
    pulled = tuple(changed(p, back=back) if p.id == entry_id else p for p in job.assembly.pulled)
    return with_assembly(job, pulled=pulled)


def mixed_up(job: Job) -> list[str]:
    """Connectors that could be put back the wrong way: alike, of one unit, neither keyed nor told apart."""
    said = []
    pulled = job.assembly.pulled
    for k, entry in enumerate(pulled):
        for other in pulled[k + 1 :]:
            alike = entry.unit == other.unit and entry.what.casefold() == other.what.casefold()
            if alike and (not entry.label or entry.label == other.label):
                said.append(
                    f"Two of “{entry.what}” in {entry.unit} with no label to tell them apart: label both."
                )
        if not entry.keyed and not entry.label and not entry.where:
            said.append(f"“{entry.what}” of {entry.unit} is not keyed: note where it sat, and which way.")
    return list(dict.fromkeys(said))


def with_mark(job: Job, photo: int, x: float, y: float, text: str) -> Job:
    """A photo with one more place marked on it; UserError where it is not said what is there."""
    if not text.strip():
        raise UserError("Write what is there: a trim, a test point, a connector.")
    mark = Mark(photo=photo, x=min(max(x, 0.0), 1.0), y=min(max(y, 0.0), 1.0), text=text.strip())
    return with_assembly(job, marks=(*job.assembly.marks, mark))


def without_mark(job: Job, mark: Mark) -> Job:
    """The job without a mark on a photo."""
    return with_assembly(job, marks=tuple(m for m in job.assembly.marks if m != mark))


def with_setting(job: Job, what: str, value: str, shown_by: str) -> Job:
    """The settings register with one more line, or a line of the same name replaced."""
    if not what.strip() or not value.strip():
        raise UserError("Write what was set, and to what.")
    entry = Adjusted(what=what.strip(), value=value.strip(), shown_by=shown_by.strip())
    rest = tuple(s for s in job.assembly.settings if s.what != entry.what)
    return with_assembly(job, settings=(*rest, entry))
