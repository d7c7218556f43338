"""Edits: each takes a job and gives a new one; none changes what it was given."""

import re
from collections.abc import Iterable
from typing import Literal, TypeVar

from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Campaign, Job, Nameplate
from tensimeter.core.model.nameplate import read_nameplate, read_outlets
from tensimeter.core.model.test_record import Corner
from tensimeter.core.model.tests import LoadRegulation, ReachPoints, Test
from tensimeter.core.parts.converter_part import ConverterPart
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.registry import PART_KINDS, Part
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import ENDS, ConverterLink, Design, EitherLink, Link, OutputLink, UnitLink
from tensimeter.core.record import Record

R = TypeVar("R", bound=Record)


def identifier(name: str, taken: Iterable[str]) -> str:
    """A free id made from a name."""
    base = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-") or "part"
    base = base[:50]
    used = set(taken)
    if base not in used:
        return base
    return next(f"{base}-{n}" for n in range(2, 10_000) if f"{base}-{n}" not in used)


def changed(record: R, **fields: object) -> R:
    """A copy of a record with fields changed and checked; UserError names the field."""
    return record.with_fields(**fields)


def with_links(job: Job, links: Iterable[Link]) -> Job:
    """The job with its path replaced."""
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
    takes_over = link.kind not in ENDS and after is not None
    if takes_over:
        links = [
            changed(old, fed_by=new.id) if old.fed_by == after and old.kind != "unit" else old
            for old in links
        ]
        links = [_choosing(old, after, new.id) for old in links]
    links.insert(place + 1, new)
    return with_links(job, links)


def _choosing(link: Link, before: str | None, after: str | None) -> Link:
    """A link that chooses between sources, with one of the others led up to by another link, or by none."""
    if not isinstance(link, EitherLink) or before not in link.others:
        return link
    others = (after if other == before else other for other in link.others)
    return changed(link, others=tuple(other for other in others if other is not None))


def without_link(job: Job, link_id: str) -> Job:
    """The job without a link; what it fed is fed by what fed it. Its tests go with an output."""
    gone = job.design.link(link_id)
    links = tuple(
        _choosing(changed(old, fed_by=gone.fed_by) if old.fed_by == link_id else old, link_id, gone.fed_by)
        for old in job.design.links
        if old.id != link_id
    )
    tests = tuple(_without(t, link_id) for t in job.campaign.tests if t.output != link_id)
    campaign = job.campaign.model_copy(update={"tests": tests})
    return with_links(job.model_copy(update={"campaign": campaign}), links)


def _without(test: Test, output: str) -> Test:
    """A test that no longer counts on an output that is gone."""
    others = getattr(test, "others", ())
    return changed(test, others=tuple(o for o in others if o != output)) if output in others else test


def with_test(job: Job, test: Test) -> Job:
    """The job with a test put in, or in the place of the one with its id."""
    tests = [test if t.id == test.id else t for t in job.campaign.tests]
    return with_campaign(job, tests=tuple(tests if test in tests else [*tests, test]))


def without_test(job: Job, test_id: str) -> Job:
    """The job without a test; its readings stay facts."""
    return with_campaign(job, tests=tuple(t for t in job.campaign.tests if t.id != test_id))


def new_link(job: Job, text: str, after: str | None) -> Job:
    """The job with a link made from what was typed, put in after another link.

    Either the name of a part in the stock, or `output NAME 13.6V 8A`. A donor stands on the unit
    named, or on top of the stack; after `or` it may feed in its place. After `and` a link begins a branch
    beside what is there, and a donor is a source of its own. UserError when it is neither.
    """
    words = text.strip()
    first, _, rest = words.partition(" ")
    how = first.casefold() if first.casefold() in ("or", "and") and rest else ""
    words = rest.strip() if how else words
    if how == "and":
        after = _branches_from(job, after)
    taken = [link.id for link in job.design.links]
    if words.casefold().startswith("output"):
        plate = read_nameplate(words[len("output") :])
        if plate.amps is None or not plate.name:
            raise UserError("Write an output like “output MOUNT 13.6V 8A”.")
        output = OutputLink(
            id=identifier(plate.name, taken), name=plate.name, nominal_V=plate.volts,
            full_load_A=plate.amps, aim=job.policy.aim,
        )  # fmt: skip
        return with_test_for(_set_for(insert_link(job, output, after), output), output)
    part = _part_named(job, words)
    if not isinstance(part, PathPart):
        raise UserError(f"{part.name} {part.elsewhere}.")
    if isinstance(part, SourcePart) and part.separate_outputs():
        return _outputs_joined(job, part)
    link = part.as_link(identifier(part.name, taken), part.name)
    if isinstance(link, UnitLink):
        if how == "and":
            return with_links(job, (*job.design.links, link))
        return _instead(job, link) if how == "or" else insert_link(job, link, _top_unit(job, after))
    if how == "and":
        return with_links(job, (*job.design.links, changed(link, fed_by=after)))
    return insert_link(job, link, after)


def _branches_from(job: Job, after: str | None) -> str | None:
    """The link that a branch hangs on: the one in hand; from an output, the source or converter before it."""
    path = job.design.path_to(after) if after else ()
    if not path or path[-1].kind not in ENDS:
        return after
    return next((x.id for x in reversed(path) if x.kind in ("unit", "either", "converter")), None)


def _set_for(job: Job, output: OutputLink) -> Job:
    """A converter takes the volts of the first output that is put behind it, where it can give them."""
    above = [x for x in job.design.path_to(output.id) if isinstance(x, ConverterLink)]
    if not above:
        return job
    link, fed = above[-1], [o for o in job.design.outputs() if above[-1] in job.design.path_to(o.id)]
    part = job.part(link.part)
    fits = isinstance(part, ConverterPart) and part.out_min_V <= output.nominal_V <= part.out_max_V
    return with_link(job, changed(link, set_V=output.nominal_V)) if fits and len(fed) == 1 else job


def _instead(job: Job, unit: UnitLink) -> Job:
    """The job with a source that may feed in place of the one there; a link chooses between them."""
    links = list(job.design.links)
    either = next((x for x in links if isinstance(x, EitherLink)), None)
    if either is not None:
        grown = changed(either, others=(*either.others, unit.id))
        return with_links(job, [unit, *[grown if x is either else x for x in links]])
    top = _top_unit(job, None)
    if top is None:
        raise UserError("There is no source yet that this one could stand in for.")
    made = EitherLink(
        id=identifier("either", (x.id for x in links)), name="Either source", fed_by=top, others=(unit.id,)
    )
    links = [changed(x, fed_by=made.id) if x.fed_by == top and x.kind != "unit" else x for x in links]
    place = next(i for i, x in enumerate(links) if x.id == top) + 1
    return with_links(job, [*links[:place], unit, made, *links[place:]])


def _outputs_joined(job: Job, part: SourcePart) -> Job:
    """The job with every rail of a supply as a source of its own; those that are there already stay."""
    there = {link.rail for link in job.design.links if isinstance(link, UnitLink) and link.part == part.id}
    missing = [name for name in part.separate_outputs() if name not in there]
    if not missing:
        raise UserError(f"Every rail of {part.name} is in the path already.")
    for name in missing:
        taken = [link.id for link in job.design.links]
        link = UnitLink(id=identifier(name, taken), name=name, part=part.id, rail=name)
        job = with_links(job, (*job.design.links, link))
    return job


def _part_named(job: Job, words: str) -> Part:
    wanted = words.casefold()
    exact = [p for p in job.stock if wanted in (p.name.casefold(), p.id)]
    begin = exact or [p for p in job.stock if p.name.casefold().startswith(wanted)]
    if not begin or not wanted:
        raise UserError(f"There is no “{words}” in the stock; add it there, or write “output …”.")
    if len(begin) > 1:
        raise UserError(f"“{words}” could be {' or '.join(p.name for p in begin[:3])}.")
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


def with_campaign(job: Job, **fields: object) -> Job:
    """The job with fields of its campaign changed and checked."""
    campaign: Campaign = changed(job.campaign, **fields)
    return job.model_copy(update={"campaign": campaign})


def with_test_for(job: Job, output: OutputLink) -> Job:
    """The job with a load regulation test for an output, where it has none."""
    if any(t.output == output.id and t.kind == "load-regulation" for t in job.campaign.tests):
        return job
    taken = (test.id for test in job.campaign.tests)
    base = f"load-regulation-{output.id}" if job.campaign.tests else "load-regulation"
    test = LoadRegulation(id=identifier(base, taken), output=output.id)
    return with_campaign(job, tests=(*job.campaign.tests, test))


def readings_first(
    name: str,
    nameplate: str,
    tolerance: float = 0.05,
    made: Literal["bought", "repaired", "own_mains"] = "bought",
) -> Job:
    """A job for a supply that exists already: a name, a nameplate, its outlets, no design; what it is.

    An outlet whose volts are set by hand is asked for at its lowest, middle and highest volts.
    """
    outlets = read_outlets(nameplate)
    first = outlets[0]
    links: list[OutputLink] = []
    for outlet in outlets:
        made_id = identifier(outlet.name.replace("−", "minus "), [x.id for x in links])
        links.append(
            OutputLink(
                id=made_id,
                name=outlet.name,
                nominal_V=outlet.volts,
                full_load_A=outlet.amps,
                tolerance=tolerance,
                adjustable=outlet.low_V is not None,
                below=outlet.below,
            )
        )
    volts, amps = first.volts, first.amps
    watts = _watts_of(nameplate, volts * amps)
    plate = Nameplate(text=nameplate, volts=volts, amps=amps, watts=watts, made=made)
    # Nobody has said that the voltmeter has a pair of its own at the terminals.
    campaign = Campaign(wiring="two-wire")
    job = Job(name=name, nameplate=plate, design=Design(links=tuple(links)), campaign=campaign)
    for link, outlet in zip(links, outlets, strict=True):
        if outlet.low_V is not None:
            job = _with_reach(job, link, outlet.low_V)
        job = with_test_for(job, link)
    return job


def _with_reach(job: Job, output: OutputLink, low_V: float) -> Job:
    """The job with points over the volts that an outlet is set between, each at full load."""
    least = max(low_V, 0.1 * output.nominal_V)
    middle = (least + output.nominal_V) / 2
    told = (("lowest volts", least), ("middle", middle), ("highest volts", output.nominal_V))
    points = tuple(Corner(volts=round(v, 2), amps=output.full_load_A, why=why) for why, v in told)
    name = identifier(f"reach-{output.id}", (t.id for t in job.campaign.tests))
    test = ReachPoints(id=name, output=output.id, points=points, allowed=output.tolerance)
    return with_campaign(job, tests=(*job.campaign.tests, test))


def _watts_of(nameplate: str, otherwise: float) -> float:
    """The watts that a label says; those of its volts and amps where it says none."""
    try:
        return read_nameplate(nameplate).watts or otherwise
    except UserError:
        return otherwise
