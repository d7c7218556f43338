"""The job files that this process has open, known by device and inode.

Whoever closes any descriptor of a file lets go of every lock that its process has on it by `fcntl`
(POSIX.1-2017, fcntl), SQLite's own among them; a program outside then takes itself for alone, and removes the
log that entries still go into. So each file is opened once, its descriptor stays until the last `JobFile` on
it is closed, and no other reader of this process opens it meanwhile (`regular.open_regular` asks here).
"""

import fcntl
import os
import threading
from pathlib import Path
from typing import IO

Key = tuple[int, int]
_mutex = threading.RLock()


class Holding:
    """One open job file: its only plain descriptor, and how many have it open."""

    def __init__(self, path: Path, handle: IO[bytes], *, exclusive: bool, alone: bool) -> None:
        self.path, self.handle = path.resolve(), handle
        #: Whether it is held for writing; whether nobody else can write it while it is held.
        self.exclusive, self.alone = exclusive, alone
        self.users = 1

    @property
    def key(self) -> Key:
        """Device and inode of the file."""
        found = os.fstat(self.handle.fileno())
        return found.st_dev, found.st_ino

    def release(self) -> None:
        """One less has it open; closed with the last of them."""
        with _mutex:
            self.users -= 1
            if self.users > 0:
                # Whoever is left only reads.
                if self.exclusive:
                    fcntl.flock(self.handle, fcntl.LOCK_UN)
                    self.exclusive = self.alone = False
                return
            _holdings.pop(self.key, None)
            self.handle.close()


_holdings: dict[Key, Holding] = {}


def holding_of(path: Path) -> Holding | None:
    """What this process has open of a job file, or of a log of SQLite's beside one; None for any other."""
    with _mutex:
        if not _holdings:
            return None
        try:
            found = os.stat(path)
        except (OSError, ValueError):
            return None
        asked = (found.st_dev, found.st_ino)
        return _holdings.get(asked) or next((h for h in _holdings.values() if asked in _beside(h.path)), None)


def _beside(path: Path) -> list[Key]:
    keys = []
    for ending in ("-wal", "-shm"):
        try:
            found = os.stat(path.with_name(path.name + ending))
        except OSError:
            continue
        keys.append((found.st_dev, found.st_ino))
    return keys


def hold(path: Path, handle: IO[bytes], *, exclusive: bool, alone: bool) -> Holding:
    """Take a descriptor that was just opened for this process's only one of a job file."""
    made = Holding(path, handle, exclusive=exclusive, alone=alone)
    with _mutex:
        _holdings[made.key] = made
    return made


def one_at_a_time() -> "threading.RLock":
    """Held while a file is looked for here and then opened, so that no two do it at once."""
    return _mutex
