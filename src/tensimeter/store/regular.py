"""Files that are taken in: ordinary ones of a bounded size, nothing that waits or points elsewhere."""

import os
import stat
from pathlib import Path
from typing import IO, Any

from tensimeter.core.errors import UserError
from tensimeter.store.held import holding_of

#: The most that is read of a table, and of a text that people write, bytes.
MOST_TABLE, MOST_TEXT = 1_000_000_000, 1_000_000


def open_regular(path: Path, most: int, *, links: bool = True) -> IO[bytes]:
    """Open an ordinary file of at most so many bytes; UserError for a pipe, a device, a folder, a longer one.

    Without `links` a symbolic link is refused: what an import names must lie in its folder.
    """
    path = Path(path)
    if holding_of(path) is not None:
        raise UserError(f"{path.name} is a job that is open here, or belongs to one; it was left alone.")
    flags = os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK | (0 if links else os.O_NOFOLLOW)
    try:
        fd = os.open(path, flags)
    except OSError as error:
        if not links and path.is_symlink():
            raise UserError(f"{path.name} is a link to somewhere else; it was not followed.") from error
        raise UserError(f"{path.name} can't be read: {error.strerror}.") from error
    except ValueError as error:
        raise UserError("That is no name of a file.") from error
    found = os.fstat(fd)
    if not stat.S_ISREG(found.st_mode):
        os.close(fd)
        what = "a folder" if stat.S_ISDIR(found.st_mode) else "a pipe or a device"
        raise UserError(f"{path.name} is {what}, not an ordinary file; save it as a file first.")
    if found.st_size > most:
        os.close(fd)
        raise UserError(f"{path.name} has {found.st_size / 1e6:.0f} MB; up to {most / 1e6:.0f} are taken in.")
    return os.fdopen(fd, "rb")


def read_regular(path: Path, most: int, *, links: bool = True) -> bytes:
    """The bytes of an ordinary file of at most so many; UserError as in `open_regular`."""
    with open_regular(path, most, links=links) as file:
        try:
            data = file.read(most + 1)
        except OSError as error:
            raise UserError(f"{Path(path).name} can't be read: {error.strerror}.") from error
    if len(data) > most:
        raise UserError(f"{Path(path).name} grew while it was read; try again.")
    return data


def read_toml(path: Path, what: str) -> dict[str, Any]:
    """A TOML file of people's own; UserError in one sentence where it is none."""
    return parse_toml(read_regular(path, MOST_TEXT), f"{path}", what)


def parse_toml(data: bytes, source: str, what: str) -> dict[str, Any]:
    """TOML text as data; UserError names the source and what it should have been."""
    import tomllib

    try:
        return tomllib.loads(data.decode("utf-8"))
    except (ValueError, RecursionError) as error:
        # Not UTF-8, no TOML, a figure of thousands of digits, or nested beyond all sense.
        reason = str(error).splitlines()[0][:200] or "nested too deeply"
        raise UserError(f"{source} is not {what}: {reason}.") from error
