"""The library of generic parts: what is shipped, and the builder's own file read after it."""

from collections.abc import Iterable
from functools import cache
from importlib import resources
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from tensimeter.core.errors import UserError
from tensimeter.core.model.edits import identifier
from tensimeter.core.parts.registry import Part
from tensimeter.store.regular import parse_toml, read_regular

#: Longest file that is read: a library is typed by hand.
MOST_BYTES = 2_000_000


@cache
def shipped_parts() -> tuple[Part, ...]:
    """The generic parts that come with the program."""
    text = resources.files("tensimeter.store").joinpath("parts.toml").read_text(encoding="utf-8")
    return tuple(read_parts(text, "the shipped library"))


def library(own: Path) -> tuple[Part, ...]:
    """Shipped parts and those of the builder's own file, where there is one; a name of it replaces.

    UserError in one sentence where the own file can't be read.
    """
    found = {part.name: part for part in shipped_parts()}
    if own.exists():
        try:
            text = read_regular(own, MOST_BYTES).decode("utf-8")
        except UserError as trouble:
            raise UserError(f"{trouble} The shipped library is used alone.") from trouble
        except UnicodeDecodeError as error:
            raise UserError(f"{own.name} can't be read; the shipped library is used alone.") from error
        found |= {part.name: part for part in read_parts(text, own.name)}
    return tuple(found.values())


def part_named(parts: Iterable[Part], words: str) -> Part | None:
    """The part of this name, or the only one whose name begins so or has it in it; else None."""
    wanted = words.strip().casefold()
    there = list(parts)
    exact = [p for p in there if p.name.casefold() == wanted]
    begin = exact or [p for p in there if wanted and p.name.casefold().startswith(wanted)]
    inside = begin or [p for p in there if wanted and wanted in p.name.casefold()]
    return inside[0] if len(inside) == 1 else None


def read_parts(text: str, source: str) -> list[Part]:
    """The parts of a TOML text, `[[part]]` each; UserError names the entry and what is wrong with it."""
    try:
        data = parse_toml(text.encode(), source, "TOML")
    except UserError as trouble:
        raise UserError(f"{trouble} Nothing of it was taken.") from trouble
    entries = data.get("part")
    if not isinstance(entries, list) or set(data) != {"part"}:
        raise UserError(f"{source} holds something else than a list of [[part]]. Nothing of it was taken.")
    reader: TypeAdapter[Part] = TypeAdapter(Part)
    found: list[Part] = []
    for k, entry in enumerate(entries, 1):
        name = entry.get("name", f"entry {k}") if isinstance(entry, dict) else f"entry {k}"
        try:
            taken = [part.id for part in found]
            found.append(reader.validate_python({"id": identifier(str(name), taken), **entry}))
        except (ValidationError, TypeError, RecursionError) as error:
            reason = error.errors()[0] if isinstance(error, ValidationError) else None
            where = ".".join(str(step) for step in reason["loc"][1:]) if reason else "the whole"
            why = reason["msg"] if reason else "is no table"
            raise UserError(
                f"{source}, “{name}”: {where or 'kind'}: {why}. Nothing of it was taken."
            ) from error
    return found
