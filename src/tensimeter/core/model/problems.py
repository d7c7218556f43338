"""What is wrong with a path: one sentence at each link, before anything is solved."""

from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.registry import PART_KINDS, Part
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import (
    ENDS,
    ConverterLink,
    Design,
    EitherLink,
    Link,
    MeterLink,
    OutputLink,
    UnitLink,
)
from tensimeter.core.remembered import remembered


@remembered()
def problems(design: Design, stock: tuple[Part, ...]) -> dict[str, str]:
    """What is wrong with the path, by link id, one sentence each; empty when it can be solved."""
    parts = {part.id: part for part in stock}
    known = {link.id: link for link in design.links}
    found: dict[str, str] = {}
    reached = {link.id for _, link in design.walk()}
    for link in design.links:
        wanted = PART_KINDS.get(link.kind, ())
        if link.fed_by is not None and link.fed_by not in known:
            found[link.id] = f"{link.name} is fed by “{link.fed_by}”, which is not in the path."
        elif link.id not in reached and link.id not in found:
            found[link.id] = f"{link.name} is part of a loop: it feeds itself."
        elif wanted and (link.part not in parts or parts[link.part].kind not in wanted):
            found[link.id] = f"{link.name} has no {wanted[0]} from the stock."
        elif link.kind == "unit" and link.fed_by and known[link.fed_by].kind != "unit":
            found[link.id] = f"{link.name} can only stand on another unit."
        elif link.kind != "unit" and link.fed_by is None and not _stands_alone(link):
            found[link.id] = f"{link.name} is fed by nothing."
        elif link.fed_by and known[link.fed_by].kind in ENDS:
            where = {"output": "an output", "fan": "a fan"}.get(known[link.fed_by].kind, "a load")
            found[link.id] = f"{link.name} is fed by {where}, where the path ends."
        else:
            sentence = _part_problem(link, parts) or _other_problem(design, link, parts, known)
            if sentence:
                found[link.id] = sentence
    found.update(_parallel_problem(design))
    return found


def _stands_alone(link: Link) -> bool:
    """An output with nothing before it: a supply that is known only by its readings."""
    return isinstance(link, OutputLink)


def _part_problem(link: Link, parts: dict[str, Part]) -> str:
    """What is wrong with a part where its link joins it."""
    part = parts.get(link.part or "")
    if not isinstance(part, PathPart):
        return ""
    own = part.problem(link)
    if own or not isinstance(link, UnitLink) or link.fed_by is None:
        return own
    if link.earthed or (isinstance(part, SourcePart) and part.negative_on_case):
        return (
            f"{link.name}: its negative is joined to earth, so standing on another unit it shorts that one "
            "through the earth. Isolate its negative from its case; the case stays earthed."
        )
    return ""


def _other_problem(design: Design, link: Link, parts: dict[str, Part], known: dict[str, Link]) -> str:
    if isinstance(link, MeterLink) and link.supplied_by is not None:
        if link.supplied_by not in known:
            return f"{link.name} runs from “{link.supplied_by}”, which is not in the path."
        if link in design.path_to(link.supplied_by) or known[link.supplied_by].kind in ENDS:
            return f"{link.name} can't run from {known[link.supplied_by].name}."
    if isinstance(link, UnitLink) and link.enable is not None:
        return _enable_problem(design, link, parts)
    if isinstance(link, EitherLink):
        bottoms = [_bottom(design, i) for i in (link.fed_by, *link.others)]
        if (
            len(bottoms) < 2
            or None in bottoms
            or any(i in known and known[i].kind in ENDS for i in link.others)
        ):
            return f"{link.name} chooses between two or more units; name them."
    if isinstance(link, ConverterLink) and (rail := _rail_below(design, link, parts)):
        return (
            f"{link.name} would have its common on {rail}, below that of all the rest: a rail below common "
            "feeds an output, not a converter."
        )
    if isinstance(link, OutputLink) and link.device and link.device not in parts:
        return f"{link.name} feeds a part that is no longer in the stock."
    if isinstance(link, ConverterLink) and link.sink and link.sink not in parts:
        return f"{link.name} stands on a heat sink that is no longer in the stock."
    return ""


def _enable_problem(design: Design, link: UnitLink, parts: dict[str, Part]) -> str:
    """What is wrong with what holds an enable line: the commons of units in a stack are volts apart."""
    held = parts.get(link.enable or "")
    if held is None or not held.enable_ways:
        return f"{link.name} is enabled by a part that is no longer in the stock."
    held_by_it = [x for x in design.links if isinstance(x, UnitLink) and x.enable == link.enable]
    stacked = [x for x in held_by_it if x.fed_by is not None]
    if stacked and link in held_by_it[1:] and len(held_by_it) > held.enable_ways:
        return (
            f"{link.name} and {held_by_it[0].name} share {held.name}: in a stack their enable lines stand "
            "volts apart, and joined they short a unit. Give each its own, or one with a way for each."
        )
    return ""


def _rail_below(design: Design, link: Link, parts: dict[str, Part]) -> str:
    """The rail below common that feeds a link; empty where none does."""
    first = next(iter(design.path_to(link.id)), None)
    part = parts.get(first.part or "") if first is not None else None
    below = first is not None and isinstance(part, SourcePart) and part.below_common(first)
    return first.name if below and first is not None else ""


def _bottom(design: Design, link_id: str | None) -> str | None:
    """The unit at the bottom of what leads to a link; None where no unit does."""
    path = design.path_to(link_id) if link_id else ()
    return path[0].id if path and isinstance(path[0], UnitLink) else None


def alternatives(design: Design) -> dict[str, EitherLink]:
    """The bottom units of sources that may feed instead of another, with the link that chooses."""
    return {
        bottom: link
        for link in design.links
        if isinstance(link, EitherLink)
        for source in (link.fed_by, *link.others)
        if (bottom := _bottom(design, source)) is not None
    }


def _parallel_problem(design: Design) -> dict[str, str]:
    spare = alternatives(design)
    roots = [link for link in design.fed_from(None) if isinstance(link, UnitLink)]
    roots = [r for r in roots if r.id not in spare or _bottom(design, spare[r.id].fed_by) == r.id]
    found = {}
    for k, link in enumerate(roots[1:], 1):
        # Each source with outlets of its own is a path of its own; only one thing can't be two sources.
        if any(link.part is not None and link.part == r.part and link.rail == r.rail for r in roots[:k]):
            what = f"the {link.rail} rail of its supply" if link.rail else "the same unit of the stock"
            found[link.id] = f"{link.name} is {what} a second time; a second unit needs a card of its own."
    for unit in (link for link in design.links if isinstance(link, UnitLink)):
        on_top = [link for link in design.fed_from(unit.id) if isinstance(link, UnitLink)]
        for link in on_top[1:]:
            found[link.id] = f"{link.name} stands where {on_top[0].name} stands already."
    return found
