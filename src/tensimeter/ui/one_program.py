"""One program running: a second start hands its job to the first, which opens it or comes forward."""

import hashlib
import json
import os
import socket
import stat
import struct
import tempfile
from pathlib import Path

from platformdirs import user_cache_path, user_data_path, user_runtime_path
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

from tensimeter.ui.parts.present import present

#: How long a start waits for one that is running, ms; the longest message that is taken, bytes.
WAITS_MS, MOST_BYTES = 400, 8192
#: The longest path that a socket may have (`sun_path` of unix(7), with its end), bytes.
LONGEST_NAME = 108


def _name() -> str:
    """The path of the socket, one for each user and data folder; empty where there is no place for it.

    It lies in a folder that nobody else can write to: another user could take a name that can be guessed.
    """
    told = hashlib.sha256(f"{os.getuid()}:{user_data_path('tensimeter')}".encode("utf-8", "surrogateescape"))
    for place in _places():
        try:
            place.mkdir(parents=True, exist_ok=True, mode=0o700)
            found, above = place.stat(follow_symlinks=False), place.parent.stat()
        except OSError:
            continue
        ours = found.st_uid == os.getuid() and above.st_uid in (os.getuid(), 0)
        if stat.S_ISDIR(found.st_mode) and ours and not found.st_mode & 0o077:
            path = str(place / f"{told.hexdigest()[:16]}.socket")
            if len(os.fsencode(path)) < LONGEST_NAME:
                return path
    return ""


def _places() -> list[Path]:
    """Folders that may hold the socket, the best first."""
    # Without the variable there is no such folder, and asking for one would complain on the terminal.
    runtime = [user_runtime_path("tensimeter")] if os.environ.get("XDG_RUNTIME_DIR") else []
    return [
        *runtime,
        user_cache_path("tensimeter"),
        Path(tempfile.gettempdir()) / f"tensimeter-{os.getuid()}",
    ]


def _is_ours(connected: QLocalSocket) -> bool:
    """Whether who is at the other end of a socket is the same user."""
    held = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM, fileno=int(connected.socketDescriptor()))
    try:
        told = held.getsockopt(socket.SOL_SOCKET, socket.SO_PEERCRED, struct.calcsize("3i"))
    except OSError:
        return False
    finally:
        # Qt goes on with it, and closes it.
        held.detach()
    return bool(struct.unpack("3i", told)[1] == os.getuid())


def handed_over(path: Path | None) -> bool:
    """Whether a running program has taken what this start was to open; False where none answers."""
    name, called = _name(), QLocalSocket()
    if not name:
        return False
    called.connectToServer(name)
    if not called.waitForConnected(WAITS_MS) or not _is_ours(called):
        return False
    told = {"path": str(path.resolve()) if path else ""}
    called.write(json.dumps(told).encode() + b"\n")
    called.waitForBytesWritten(WAITS_MS)
    # One that hangs does not answer; then this start opens its own window.
    return bool(called.waitForReadyRead(5 * WAITS_MS)) and called.readAll().data().strip() == b"taken"


class OneProgram(QObject):
    """Listens for further starts; `asked` tells the job that one was to open, empty for none."""

    asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        name = _name()
        if name and not self._server.listen(name):
            # What an earlier one left behind as it died.
            QLocalServer.removeServer(name)
            self._server.listen(name)
        self._server.newConnection.connect(self._called)

    def end(self) -> None:
        """Hear nobody any more: a further start opens its own window at once."""
        self._server.close()

    def _called(self) -> None:
        while (caller := self._server.nextPendingConnection()) is not None:
            if not _is_ours(caller):
                caller.abort()
                continue
            caller.readyRead.connect(lambda caller=caller: self._read(caller))
            caller.disconnected.connect(caller.deleteLater)
            if caller.bytesAvailable():
                self._read(caller)

    def _read(self, caller: QLocalSocket) -> None:
        if not caller.canReadLine():
            if caller.bytesAvailable() > MOST_BYTES:
                caller.abort()
            return
        try:
            told = json.loads(present(caller).readLine(MOST_BYTES))
            path = told["path"]
        except (ValueError, KeyError, TypeError, RecursionError):
            caller.disconnectFromServer()
            return
        caller.write(b"taken\n")
        caller.flush()
        self.asked.emit(path if isinstance(path, str) else "")
