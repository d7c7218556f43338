"""The user's own bin, in the data directory; opened for a moment at a time."""

from collections.abc import Callable

from platformdirs import user_data_path

from tensimeter.core.errors import Trouble
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
    except Trouble as trouble:
        say(str(trouble))
        return []
