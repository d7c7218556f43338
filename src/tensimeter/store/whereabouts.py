"""Whether an open job file is still where it was, and has room: what was kept must not end in an orphan."""

import os
import shutil
import sqlite3
from pathlib import Path
from typing import IO

from tensimeter.core.errors import UserError
from tensimeter.store.database import cannot_write, said

#: What must be free on the disk before a run begins.
ROOM_BYTES = 32_000_000


class WriteAheadLog:
    """SQLite's log beside an open file, known by its inode: another program may remove or replace it."""

    def __init__(self, path: Path) -> None:
        real = path.resolve()
        self._path = real.with_name(real.name + "-wal")
        self._inode = self._found()

    def _found(self) -> int:
        try:
            return os.stat(self._path).st_ino
        except OSError:
            return 0

    def is_there(self) -> bool:
        """Whether it is still the one that entries go into."""
        if not self._inode:
            # Nothing was written yet when it was looked for.
            self._inode = self._found()
        return self._found() == self._inode


def must_have_room(path: Path, bytes_needed: int) -> None:
    """UserError where the disk has no room for a run's readings."""
    try:
        free = shutil.disk_usage(path.resolve().parent).free
    except OSError as error:
        raise UserError(cannot_write(path, error)) from error
    if free < bytes_needed:
        raise UserError(
            f"Only {free / 1e6:.0f} MB are free where {path.name} lies; a run wants "
            f"{bytes_needed / 1e6:.0f} MB before it starts. Make room first."
        )


def must_be_there(path: Path, held: IO[bytes], db: sqlite3.Connection) -> None:
    """UserError where a file was moved or removed while `held` is open on it; all kept is in it then."""
    open_one = os.fstat(held.fileno())
    try:
        there = os.stat(path)
        if (there.st_dev, there.st_ino) == (open_one.st_dev, open_one.st_ino):
            return
    except OSError:
        pass  # gone, or its folder is
    # The log beside the file keeps the old name: nothing may stay in it.
    with said(path):
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    if open_one.st_nlink:
        raise UserError(
            f"{path.name} was moved or renamed while it is open. All that was kept is in it where "
            "it lies now; open it there, and enter the last reading again."
        )
    saved = _rescued(path, db)
    raise UserError(
        f"{path.name} was removed while it is open. All that was kept is in {saved.name} beside it; "
        "open that, and enter the last reading again."
    )


def _rescued(path: Path, db: sqlite3.Connection) -> Path:
    """What the removed file held, written anew under another name."""
    names = (path.with_name(f"{path.stem}-rescued{k or ''}.tensi") for k in range(1000))
    saved = next(p for p in names if not p.exists())
    with said(saved):
        copy = sqlite3.connect(saved)
        try:
            db.backup(copy)
        finally:
            copy.close()
    return saved
