"""How large and how deep a job may be: what is beyond is refused when it is read, once and for all."""

from collections.abc import Sequence

from tensimeter.core.errors import UserError
from tensimeter.core.model.test_record import TestRecord
from tensimeter.core.parts.part import PartRecord
from tensimeter.core.path import Design

#: Far above anything that stands on a bench; a file with more was made to do harm, or is damaged.
MOST_LINKS, MOST_DEPTH, MOST_PARTS, MOST_TESTS, MOST_VARIANTS = 300, 100, 3000, 1000, 50


def must_be_bounded(
    stock: Sequence[PartRecord], tests: Sequence[TestRecord], designs: Sequence[Design]
) -> None:
    """UserError where a job is too large, nested too deeply, or two of its things have one id.

    `designs` are the one in hand and those of its variants.
    """
    for what, count, most in (
        ("parts", len(stock), MOST_PARTS),
        ("tests", len(tests), MOST_TESTS),
        ("variants", len(designs) - 1, MOST_VARIANTS),
    ):
        if count > most:
            raise UserError(f"This job has {count} {what}; {most} are the most that is read.")
    _one_id("part", [part.id for part in stock])
    _one_id("test", [test.id for test in tests])
    for design in designs:
        _must_be_walkable(design)


def _one_id(what: str, ids: list[str]) -> None:
    if len(set(ids)) != len(ids):
        twice = next(i for k, i in enumerate(ids) if i in ids[:k])
        raise UserError(f"This job has two {what}s called “{twice}”; nothing was read of it.")


def _must_be_walkable(design: Design) -> None:
    if len(design.links) > MOST_LINKS:
        raise UserError(f"This job has {len(design.links)} links; {MOST_LINKS} are the most that is read.")
    _one_id("link", [link.id for link in design.links])
    fed_by = {link.id: link.fed_by for link in design.links}
    for start in fed_by:
        seen: set[str] = set()
        at: str | None = start
        while at in fed_by:
            if at in seen:
                raise UserError(
                    f"The path of this job goes round in a loop at “{at}”; nothing was read of it."
                )
            seen.add(at)
            at = fed_by[at]
        if len(seen) > MOST_DEPTH:
            raise UserError(f"The path of this job is {len(seen)} links deep; {MOST_DEPTH} are the most.")
