"""One program running: a second start hands its job to the first, which opens it or comes forward."""

import hashlib
import json
import os
from pathlib import Path

from platformdirs import user_data_path
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

from tensimeter.ui.parts.present import present

#: How long a start waits for one that is running, ms; the longest message that is taken, bytes.
WAITS_MS, MOST_BYTES = 400, 8192


def _name() -> str:
    """One for each user and data folder."""
    told = f"{os.getuid()}:{user_data_path('tensimeter')}"
    return f"tensimeter-{hashlib.sha256(told.encode()).hexdigest()[:16]}"


def handed_over(path: Path | None) -> bool:
    """Whether a running program has taken what this start was to open; False where none answers."""
    socket = QLocalSocket()
    socket.connectToServer(_name())
    if not socket.waitForConnected(WAITS_MS):
        return False
    told = {"path": str(path.resolve()) if path else ""}
    socket.write(json.dumps(told).encode() + b"\n")
    socket.waitForBytesWritten(WAITS_MS)
    # One that hangs does not answer; then this start opens its own window.
    return bool(socket.waitForReadyRead(5 * WAITS_MS)) and socket.readAll().data().strip() == b"taken"


class OneProgram(QObject):
    """Listens for further starts; `asked` tells the job that one was to open, empty for none."""

    asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        if not self._server.listen(_name()):
            # What an earlier one left behind as it died.
            QLocalServer.removeServer(_name())
            self._server.listen(_name())
        self._server.newConnection.connect(self._called)

    def end(self) -> None:
        """Hear nobody any more: a further start opens its own window at once."""
        self._server.close()

    def _called(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            socket.readyRead.connect(lambda socket=socket: self._read(socket))
            socket.disconnected.connect(socket.deleteLater)
            if socket.bytesAvailable():
                self._read(socket)

    def _read(self, socket: QLocalSocket) -> None:
        if not socket.canReadLine():
            return
        try:
            told = json.loads(present(socket).readLine(MOST_BYTES))
            path = told["path"]
        except (ValueError, KeyError, TypeError):
            socket.disconnectFromServer()
            return
        socket.write(b"taken\n")
        socket.flush()
        self.asked.emit(path if isinstance(path, str) else "")
