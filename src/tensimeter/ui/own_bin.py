"""The user's own bin and library, in the data directory; opened for a moment at a time."""

from collections.abc import Callable

from platformdirs import user_data_path

from tensimeter.core.errors import UserError
from tensimeter.core.parts.registry import Part
from tensimeter.store.bin import Bin, Kept


def own_bin() -> Bin:
    return Bin(user_data_path("tensimeter") / "bin.db")


def own_bin_parts(say: Callable[[str], None]) -> list[Kept]:
    """What is in the bin; nothing, and a sentence, where it can't be read."""
    if not (user_data_path("tensimeter") / "bin.db").exists():
        return []
    try:
        with own_bin() as bin_:
            return bin_.parts()
    except UserError as trouble:
        say(str(trouble))
        return []


def own_library(say: Callable[[str], None]) -> tuple[Part, ...]:
    """Generic parts and those of the user's own file; the shipped ones alone, and a sentence, where it
    can't be read."""
    from tensimeter.store.library import library, shipped_parts

    try:
        return library(user_data_path("tensimeter") / "parts.toml")
    except UserError as trouble:
        say(str(trouble))
        return shipped_parts()


def to_own_bin(part: Part, say: Callable[[str], None]) -> None:
    """Write down in the bin what is known of a part now, where it is owned; a sentence where that fails."""
    kept = own_bin_parts(say)
    if not any(k.part.id == part.id for k in kept):
        return
    try:
        with own_bin() as bin_:
            bin_.keep(part)
    except UserError as trouble:
        say(str(trouble))
