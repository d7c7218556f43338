"""A serial port that this program has for itself: looked after before anything is set on it.

Who opens a port that another program speaks on sets its speed, and takes answers from it. Linux lets two have
it open; so it is looked whether anybody has, by a lock on it, by a lock file as terminals leave them, and by
what other processes have open as far as this user may see.
"""

import fcntl
import os
from pathlib import Path

from tensimeter.bench.cuts import address_of
from tensimeter.bench.roles import LinkFailed

#: Where programs say by a file that they have a port (Filesystem Hierarchy Standard 3.0, 5.9).
LOCKS = Path("/var/lock")


def hold_port(resource: str) -> int | None:
    """Hold the serial port of a resource until the descriptor is closed; None for what is no serial port.

    LinkFailed where another program has it, or it is not there.
    """
    address = address_of(resource)
    if address is None or "serial" not in address:
        return None
    device = Path(address["serial"])
    by = _locked_by(device) or _open_in(device)
    if by:
        raise LinkFailed(f"{device} is in use by another program ({by}); close it there first.")
    try:
        fd = os.open(device, os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError as error:
        raise LinkFailed(f"{resource} can't be reached: {error.strerror}.") from error
    try:
        fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        os.close(fd)
        raise LinkFailed(f"{device} is in use by another program; close it there first.") from error
    return fd


def must_be_free(resource: str) -> None:
    """LinkFailed where another program has the serial port of a resource; nothing is held."""
    held = hold_port(resource)
    if held is not None:
        os.close(held)


def _locked_by(device: Path) -> str:
    """The program that says by a lock file that it has a port and still runs; empty where none does."""
    try:
        number = int((LOCKS / f"LCK..{device.name}").read_text().split()[0])
        os.kill(number, 0)
    except (OSError, ValueError, IndexError):
        return ""
    return "" if number == os.getpid() else _name_of(number)


def _open_in(device: Path) -> str:
    """Another program that has a device open, of those that can be seen; its own children are none."""
    try:
        wanted = os.stat(device).st_rdev
    except OSError:
        return ""
    for folder in Path("/proc").glob("[0-9]*"):
        number = int(folder.name)
        if number == os.getpid() or _is_a_child(folder):
            continue
        try:
            for fd in (folder / "fd").iterdir():
                if os.readlink(fd).startswith("/dev/") and os.stat(fd).st_rdev == wanted:
                    return _name_of(number)
        except OSError:
            # Another user's, or gone meanwhile.
            continue
    return ""


def _is_a_child(folder: Path) -> bool:
    try:
        return int((folder / "stat").read_text().rpartition(")")[2].split()[1]) == os.getpid()
    except (OSError, ValueError, IndexError):
        return False


def _name_of(number: int) -> str:
    try:
        return Path(f"/proc/{number}/comm").read_text().strip() or f"process {number}"
    except OSError:
        return f"process {number}"
