"""Edits: each takes a job and gives a new one; none changes what it was given."""

import re
from collections.abc import Iterable
from typing import Any, TypeVar

from pydantic import ValidationError

from tensimeter.core.errors import Trouble
from tensimeter.core.job.design import (
    PART_KINDS,
    ConverterLink,
    Design,
    FuseLink,
    LeadLink,
    Link,
    OutputLink,
    UnitLink,
)
from tensimeter.core.job.document import Campaign, Job, LoadRegulation, Nameplate
from tensimeter.core.job.nameplate import read_nameplate
from tensimeter.core.job.parts import Converter, Donor, Part, RailSupply, Record, Transformer

R = TypeVar("R", bound=Record)


def identifier(name: str, taken: Iterable[str]) -> str:
    """A free id made from a name."""
    base = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or "part"
    base = base[:50]
    used = set(taken)
    if base not in used:
        return base
    return next(f"{base}-{n}" for n in range(2, 10_000) if f"{base}-{n}" not in used)


def changed(record: R, **fields: Any) -> R:
    """A copy of a record with fields changed and checked; Trouble names the field."""
    try:
        return type(record).model_validate({**record.model_dump(), **fields})
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]) if first["loc"] else "value"
        raise Trouble(f"{field.replace('_', ' ')}: {first['msg'].lower()}.") from error


def with_part(job: Job, part: Part) -> Job:
    """The job with a part added, or replaced where its id is known already."""
    if job.part(part.id) is None:
        grown = job.model_copy(update={"stock": (*job.stock, part)})
        return _first_of_its_role(grown, part)
    stock = tuple(part if old.id == part.id else old for old in job.stock)
    return job.model_copy(update={"stock": stock})


def _first_of_its_role(job: Job, part: Part) -> Job:
    """The campaign takes the first load, meter or thermometer that comes into the stock."""
    campaign, taken = job.campaign, {}
    if part.kind == "load":
        taken = {"load": part.id, "ammeter": campaign.ammeter or part.id}
    elif part.kind == "meter":
        taken = {"voltmeter": part.id}
    elif part.kind == "thermometer":
        taken = {"thermometer": part.id}
    free = {role: i for role, i in taken.items() if getattr(campaign, role) in (None, i)}
    return with_campaign(job, **free) if free else job


def without_part(job: Job, part_id: str) -> Job:
    """The job without a part; refused while a link or the campaign uses it."""
    users = [link.name for link in job.design.links if link.part == part_id]
    campaign = job.campaign
    if part_id in (campaign.load, campaign.voltmeter, campaign.ammeter, campaign.thermometer):
        users.append("the campaign")
    if users:
        raise Trouble(f"It is in use by {', '.join(users)}; take it out there first.")
    return job.model_copy(update={"stock": tuple(p for p in job.stock if p.id != part_id)})


def donor_from_nameplate(job: Job, text: str) -> Donor:
    """A donor card from a typed nameplate; its figures are the label's."""
    plate = read_nameplate(text)
    if plate.amps is None or plate.watts is None:
        raise Trouble(f"The nameplate “{text}” needs amps or watts beside the volts.")
    name = plate.name or f"Donor {plate.volts:g} V {plate.amps:g} A"
    return Donor(
        id=identifier(name, (p.id for p in job.stock)),
        name=name,
        no_load_V=plate.volts,
        rated_A=plate.amps,
        rated_W=plate.watts,
        efficiency=plate.efficiency or 0.85,
        note=plate.note,
        origins={
            "no_load_V": "label",
            "rated_A": "label",
            "rated_W": "label",
            "efficiency": "label" if plate.efficiency else "assumed",
        },
    )


def with_links(job: Job, links: Iterable[Link]) -> Job:
    return job.model_copy(update={"design": Design(links=tuple(links))})


def with_link(job: Job, link: Link) -> Job:
    """The job with one link replaced."""
    return with_links(job, (link if old.id == link.id else old for old in job.design.links))


def insert_link(job: Job, link: Link, after: str | None) -> Job:
    """The job with a link put in after another: it takes over what that one fed.

    An output branches off instead, and so does what is put after a unit that has a unit on top.
    """
    links = list(job.design.links)
    place = next((i for i, old in enumerate(links) if old.id == after), len(links) - 1)
    new = changed(link, fed_by=after)
    takes_over = link.kind not in ("output",) and after is not None
    if takes_over:
        links = [
            changed(old, fed_by=new.id) if old.fed_by == after and old.kind != "unit" else old
            for old in links
        ]
    links.insert(place + 1, new)
    return with_links(job, links)


def without_link(job: Job, link_id: str) -> Job:
    """The job without a link; what it fed is fed by what fed it. Its tests go with an output."""
    gone = job.design.link(link_id)
    links = tuple(
        changed(old, fed_by=gone.fed_by) if old.fed_by == link_id else old
        for old in job.design.links
        if old.id != link_id
    )
    tests = tuple(t for t in job.campaign.tests if t.output != link_id)
    campaign = job.campaign.model_copy(update={"tests": tests})
    return with_links(job.model_copy(update={"campaign": campaign}), links)


def new_link(job: Job, text: str, after: str | None) -> Job:
    """The job with a link made from what was typed, put in after another link.

    Either the name of a part in the stock, or `output NAME 13.6V 8A`. A donor stands on the unit
    named, or on top of the stack. Trouble when it is neither.
    """
    words = text.strip()
    taken = [link.id for link in job.design.links]
    if words.casefold().startswith("output"):
        plate = read_nameplate(words[len("output") :])
        if plate.amps is None or not plate.name:
            raise Trouble("Write an output like “output MOUNT 13.6V 8A”.")
        output = OutputLink(
            id=identifier(plate.name, taken), name=plate.name, nominal_V=plate.volts, full_load_A=plate.amps
        )
        return with_test_for(insert_link(job, output, after), output)
    part = _part_named(job, words)
    common: dict[str, Any] = {"id": identifier(part.name, taken), "name": part.name, "part": part.id}
    if isinstance(part, RailSupply):
        return _rails_joined(job, part)
    if isinstance(part, Donor | Transformer):
        return insert_link(job, UnitLink(**common), _top_unit(job, after))
    if isinstance(part, Converter):
        link: Link = ConverterLink(**common, set_V=min(max(12.0, part.out_min_V), part.out_max_V))
    elif part.kind == "fuse":
        link = FuseLink(**common)
    elif part.kind == "lead":
        link = LeadLink(**common)
    else:
        raise Trouble(f"{part.name} is no link of a path; it measures or loads.")
    return insert_link(job, link, after)


def _rails_joined(job: Job, part: RailSupply) -> Job:
    """The job with every rail of a supply as a source of its own; those that are there already stay."""
    there = {link.rail for link in job.design.links if isinstance(link, UnitLink) and link.part == part.id}
    missing = [rail for rail in part.rails if rail.name not in there]
    if not missing:
        raise Trouble(f"Every rail of {part.name} is in the path already.")
    for rail in missing:
        taken = [link.id for link in job.design.links]
        link = UnitLink(id=identifier(rail.name, taken), name=rail.name, part=part.id, rail=rail.name)
        job = with_links(job, (*job.design.links, link))
    return job


def _part_named(job: Job, words: str) -> Part:
    wanted = words.casefold()
    exact = [p for p in job.stock if wanted in (p.name.casefold(), p.id)]
    begin = exact or [p for p in job.stock if p.name.casefold().startswith(wanted)]
    if not begin or not wanted:
        raise Trouble(f"There is no “{words}” in the stock; add it there, or write “output …”.")
    if len(begin) > 1:
        raise Trouble(f"“{words}” could be {' or '.join(p.name for p in begin[:3])}.")
    return begin[0]


def _top_unit(job: Job, after: str | None) -> str | None:
    """The unit that a further one stands on: the one named, else the top of the stack."""
    units = [link for link in job.design.links if isinstance(link, UnitLink)]
    if any(unit.id == after for unit in units):
        return after
    carried = {unit.fed_by for unit in units}
    return next((unit.id for unit in reversed(units) if unit.id not in carried), None)


def parts_for(job: Job, kind: str) -> tuple[Part, ...]:
    """The parts of the stock that a kind of link can be made of."""
    return tuple(p for p in job.stock if p.kind in PART_KINDS.get(kind, ()))


def with_campaign(job: Job, **fields: Any) -> Job:
    campaign: Campaign = changed(job.campaign, **fields)
    return job.model_copy(update={"campaign": campaign})


def with_test_for(job: Job, output: OutputLink) -> Job:
    """The job with a load regulation test for an output, where it has none."""
    if any(test.output == output.id for test in job.campaign.tests):
        return job
    taken = (test.id for test in job.campaign.tests)
    base = f"load-regulation-{output.id}" if job.campaign.tests else "load-regulation"
    test = LoadRegulation(id=identifier(base, taken), output=output.id)
    return with_campaign(job, tests=(*job.campaign.tests, test))


def readings_first(name: str, nameplate: str, tolerance: float = 0.05) -> Job:
    """A job for a supply that exists already: a name, a nameplate, one output, no design."""
    plate = read_nameplate(nameplate)
    if plate.amps is None:
        raise Trouble(f"The nameplate “{nameplate}” needs amps or watts beside the volts.")
    output = OutputLink(
        id="out", name="OUT", nominal_V=plate.volts, full_load_A=plate.amps, tolerance=tolerance
    )
    job = Job(
        name=name,
        nameplate=Nameplate(text=nameplate, volts=plate.volts, amps=plate.amps, watts=plate.watts),
        design=Design(links=(output,)),
    )
    return with_test_for(job, output)
