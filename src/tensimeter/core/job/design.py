"""How parts are joined: links, each naming what feeds it.

Units of a stack stand on one another through `fed_by`: the unit that stands on another carries
its negative on the other's positive. What is fed by a unit taps the stack at that unit's positive.
"""

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field

from tensimeter.core.job.parts import Fraction, Identifier, Name, NotNegative, Part, Positive, Record


class LinkRecord(Record):
    """What every link has: an id, a name, what feeds it, and the part it is made of."""

    id: Identifier
    name: Name
    fed_by: Identifier | None = None
    part: Identifier | None = None


class UnitLink(LinkRecord):
    """A donor in the path; fed by another unit it stands on it.

    Of a supply with rails it is one `rail`; of a transformer, its tap number `tap` (0 the lowest).
    """

    kind: Literal["unit"] = "unit"
    rail: Name | None = None
    tap: Annotated[int, Field(ge=0)] = 0
    #: Its negative is joined to its case, and so to earth.
    earthed: bool = False


class ConverterLink(LinkRecord):
    """A converter set to `set_V`, limiting at `limit_A` (None: at its rating)."""

    kind: Literal["converter"] = "converter"
    set_V: Positive
    limit_A: Positive | None = None


class FuseLink(LinkRecord):
    kind: Literal["fuse"] = "fuse"


class LeadLink(LinkRecord):
    kind: Literal["lead"] = "lead"


class OutputLink(LinkRecord):
    """Where something is connected: nominal volts, allowed band, current it must deliver.

    `regulation_limit` is the allowed change from no load to full load, of nominal.
    """

    kind: Literal["output"] = "output"
    nominal_V: Positive
    tolerance: Fraction = 0.05
    full_load_A: Positive
    aim: Literal["terminals", "far_end"] = "terminals"
    regulation_limit: Fraction = 0.02
    #: Whether its volts are set by hand in use: then its reach counts, not one line.
    adjustable: bool = False
    device_min_V: NotNegative | None = None
    device_max_V: NotNegative | None = None
    #: What the device draws at first: a cold lamp some ten times its current, a motor six (rules of thumb).
    inrush_A: NotNegative | None = None


Link = Annotated[UnitLink | ConverterLink | FuseLink | LeadLink | OutputLink, Field(discriminator="kind")]

#: Which kind of part a kind of link is made of.
PART_KINDS: dict[str, tuple[str, ...]] = {
    "unit": ("donor", "rails", "transformer"),
    "converter": ("converter",),
    "fuse": ("fuse",),
    "lead": ("lead",),
}


class Design(Record):
    """The path as a flat list of links; order is the order of the outline."""

    links: tuple[Link, ...] = ()

    def link(self, link_id: str) -> Link:
        """The link with this id; KeyError when there is none."""
        for link in self.links:
            if link.id == link_id:
                return link
        raise KeyError(link_id)

    def outputs(self) -> tuple[OutputLink, ...]:
        return tuple(link for link in self.links if isinstance(link, OutputLink))

    def fed_from(self, link_id: str | None) -> tuple[Link, ...]:
        return tuple(link for link in self.links if link.fed_by == link_id)

    def path_to(self, link_id: str) -> tuple[Link, ...]:
        """The links from the wall to this one, in order; stops at a loop or a missing link."""
        known = {link.id: link for link in self.links}
        path: list[Link] = []
        current: str | None = link_id
        while current in known and known[current] not in path:
            path.append(known[current])
            current = known[current].fed_by
        return tuple(reversed(path))

    def walk(self) -> Iterator[tuple[int, Link]]:
        """Every link with its depth, each after what feeds it; loops are left out.

        Units and what they feed stand at the left; a branch is set in by one below its first link.
        """

        def below(parent: Link | None, depth: int) -> Iterator[tuple[int, Link]]:
            children = self.fed_from(parent.id if parent else None)
            for child in children:
                own = 0 if parent is None or parent.kind == "unit" else depth
                yield own, child
                chained = len(children) == 1 and parent is not None and parent.kind != "unit"
                yield from below(child, own if chained else own + 1)

        yield from below(None, 0)


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
        elif link.fed_by and known[link.fed_by].kind == "output":
            found[link.id] = f"{link.name} is fed by an output, where the path ends."
        else:
            sentence = _converter_problem(link, parts) or _unit_problem(link, parts)
            if sentence:
                found[link.id] = sentence
    found.update(_parallel_problem(design))
    return found


def _stands_alone(link: Link) -> bool:
    """An output with nothing before it: a supply that is known only by its readings."""
    return isinstance(link, OutputLink)


def _converter_problem(link: Link, parts: dict[str, Part]) -> str:
    part = parts.get(link.part or "")
    if not isinstance(link, ConverterLink) or part is None or part.kind != "converter":
        return ""
    if not part.out_min_V <= link.set_V <= part.out_max_V:
        return (
            f"{link.name} is set to {link.set_V:g} V, outside its {part.out_min_V:g} to {part.out_max_V:g} V."
        )
    return ""


def _unit_problem(link: Link, parts: dict[str, Part]) -> str:
    part = parts.get(link.part or "")
    if not isinstance(link, UnitLink):
        return ""
    if part is not None and part.kind == "rails":
        if link.fed_by is not None:
            return f"{link.name}: its common is bonded to earth inside, so it can't stand on another unit."
        if part.rail(link.rail) is None:
            names = ", ".join(r.name for r in part.rails)
            return f"{link.name} names no rail of {part.name}; it has {names}."
    if link.earthed and link.fed_by is not None:
        return (
            f"{link.name}: its negative is joined to earth, so standing on another unit it shorts that one "
            "through the earth. Isolate its negative from its case; the case stays earthed."
        )
    if part is not None and part.kind == "transformer" and link.tap >= len(part.tap_V):
        return f"{link.name} has no tap {link.tap + 1}; {part.name} has {len(part.tap_V)}."
    return ""


def _parallel_problem(design: Design) -> dict[str, str]:
    roots = [link for link in design.fed_from(None) if isinstance(link, UnitLink)]
    found = {}
    for k, link in enumerate(roots[1:], 1):
        # Rails of one supply share its common, and each is a source of its own.
        if any(link.rail is None or link.part != r.part or link.rail == r.rail for r in roots[:k]):
            found[link.id] = f"{link.name} is a second source; units in parallel need a way to share current."
    for unit in (link for link in design.links if isinstance(link, UnitLink)):
        on_top = [link for link in design.fed_from(unit.id) if isinstance(link, UnitLink)]
        for link in on_top[1:]:
            found[link.id] = f"{link.name} stands where {on_top[0].name} stands already."
    return found
