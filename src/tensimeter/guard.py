"""The guard: a small process of its own that drops the load when the program can't any more.

It is started before a run's first load, with the standard library alone (no Qt, no NumPy). On its input come
a line of JSON (what to switch off, and how) and then single bytes: `.` after each good look at the bench, `a`
when a load may be on, `d` when all are proven off, `!` for at once, `q` when the run is over. After
`silent_s` without a byte, or at the end of its input, while a load may be on, it sends *off* and asks for
amps, up to twenty times; what does not obey is cut by what the bench file names. It tells what it did in
lines of JSON on its output, and the first of them fences the run: nothing is switched on past it.

    python -m tensimeter.guard        (the program starts it; there is nothing to type)
"""

import contextlib
import errno
import json
import os
import select
import signal
import socket
import struct
import sys
import termios
import time
from typing import Any

TRIES = 20
#: How long one answer is waited for, and the pause between two tries, s.
ANSWER_S, PAUSE_S = 0.2, 0.05
#: The last part of the silence, waited for apart: what stood still with the guard may speak in it, s.
GRACE_S = 0.1
#: How long the logbook of a job file that another program holds is tried for, s.
LOGBOOK_S = 600.0
#: Numbers from here on mark the guard's own questions; the program keeps below.
_FIRST_MARK = 200


class Port:
    """A socket or a serial port by its descriptor: bytes out, lines in, everything within a time."""

    def __init__(self, fd: int, *, own: bool) -> None:
        self.fd, self._own = fd, own

    @classmethod
    def open(cls, address: dict[str, Any]) -> "Port":
        """A connection of the guard's own; OSError where there is none to be had."""
        if "tcp" in address:
            host, port = address["tcp"]
            # Addresses alone: to look a name up may take longer than all that comes after it.
            socket.getaddrinfo(host, int(port), flags=socket.AI_NUMERICHOST)
            made = socket.create_connection((host, int(port)), timeout=ANSWER_S)
            return cls(made.detach(), own=True)
        fd = os.open(address["serial"], os.O_RDWR | os.O_NOCTTY | os.O_NONBLOCK)
        _raw(fd, int(address.get("baud", 9600)))
        return cls(fd, own=True)

    def close(self) -> None:
        if self._own:
            # A serial port that takes nothing would be waited for until all that was said to it is out.
            with contextlib.suppress(OSError, termios.error):
                termios.tcflush(self.fd, termios.TCOFLUSH)
            with contextlib.suppress(OSError):
                os.close(self.fd)

    def drain(self) -> None:
        end = time.monotonic() + 0.02
        while time.monotonic() < end and select.select([self.fd], [], [], 0)[0]:
            if not os.read(self.fd, 65536):
                raise OSError(errno.EPIPE, "its link was lost")

    def send(self, data: bytes) -> None:
        end = time.monotonic() + ANSWER_S
        while data:
            if not select.select([], [self.fd], [], max(end - time.monotonic(), 0))[1]:
                raise OSError(errno.ETIMEDOUT, "it takes nothing")
            data = data[os.write(self.fd, data) :]

    def lines(self, end: bytes, seconds: float) -> "list[bytes]":
        """Whole lines that come within a time; ends early at the first when more are not awaited."""
        found, deadline = b"", time.monotonic() + seconds
        while end not in found and len(found) < 65536:
            left = deadline - time.monotonic()
            if left <= 0 or not select.select([self.fd], [], [], left)[0]:
                break
            chunk = os.read(self.fd, 4096)
            if not chunk:
                raise OSError(errno.EPIPE, "its link was lost")
            found += chunk
        return found.split(end)[:-1]

    def exactly(self, count: int, seconds: float) -> bytes:
        found, deadline = b"", time.monotonic() + seconds
        while len(found) < count:
            left = deadline - time.monotonic()
            if left <= 0 or not select.select([self.fd], [], [], left)[0]:
                break
            chunk = os.read(self.fd, count - len(found))
            if not chunk:
                break
            found += chunk
        return found


def _raw(fd: int, baud: int) -> None:
    """A serial port as it has to be for a device: no echo, no translation."""
    mode = termios.tcgetattr(fd)
    speed = getattr(termios, f"B{baud}", termios.B9600)
    mode[0] = mode[1] = mode[3] = 0
    mode[2] = termios.CS8 | termios.CREAD | termios.CLOCAL
    mode[4] = mode[5] = speed
    termios.tcsetattr(fd, termios.TCSANOW, mode)


class Load:
    """One load: how it is told to go off, and what proves that it did."""

    def __init__(self, told: dict[str, Any], mark: int = _FIRST_MARK) -> None:
        self.name, self._told, self._mark = str(told["name"]), told, mark
        self.end = str(told.get("termination", "\n")).encode()
        fd = told.get("fd")
        self._shared = Port(int(fd), own=False) if fd is not None else None
        self._own: Port | None = None
        self.said = ""

    def off(self) -> bool:
        """Tell it to go off, on the shared link or on one of the guard's own; whether its amps prove it."""
        for port in self._ports():
            try:
                if self._tell(port):
                    return True
            except OSError as error:
                self.said = error.strerror or str(error)
                if port is self._shared:
                    self._shared = None
                else:
                    port.close()
                    self._own = None
        return False

    def _ports(self) -> "list[Port]":
        if self._shared is not None:
            return [self._shared]
        if self._own is None and self._told.get("address"):
            try:
                self._own = Port.open(self._told["address"])
            except OSError as error:
                self.said = error.strerror or str(error)
        return [self._own] if self._own is not None else []

    def _tell(self, port: Port) -> bool:
        port.drain()
        # An end first: the program may have been stopped in the middle of a line.
        port.send(self.end + b"".join(c.encode() + self.end for c in self._told["off"]))
        return self.amps_are_gone(port)

    def amps_are_gone(self, port: Port) -> bool:
        """Whether its own ammeter shows nothing; an answer to an older question does not count."""
        question, numbered = str(self._told["amps"]), str(self._told.get("numbered", ""))
        self._mark = _FIRST_MARK + (self._mark + 1 - _FIRST_MARK) % (256 - _FIRST_MARK)
        mark = str(self._mark)
        if numbered:
            question = numbered.replace("{n}", mark)
        port.send(question.encode() + self.end)
        end = time.monotonic() + ANSWER_S
        while (left := end - time.monotonic()) > 0:
            for line in port.lines(self.end, left):
                text = line.strip()
                if numbered:
                    number, parted, text = text.partition(b";")
                    if not parted or number.strip() != mark.encode():
                        continue
                amps = _figure(text)
                if amps is not None:
                    self.said = f"{amps:.3g} A"
                    if abs(amps) <= float(self._told["most_A"]):
                        return True
        return False


def _figure(text: bytes) -> "float | None":
    try:
        value = float(text)
    except ValueError:
        return None
    return value if abs(value) < 9e37 else None


def switch_cut(told: dict[str, Any], on: bool) -> str:
    """Close (on) or open (off) an independent cut; empty where it was done, else why not.

    Kinds: `command` (a line to a socket or serial port), `bytes` (hexadecimal, as small relays want them),
    `serial-line` (RTS or DTR), `modbus-coil` (function 5 of the Modbus application protocol, over TCP).
    """
    try:
        port = Port.open(told["address"])
    except OSError as error:
        return f"it can't be reached: {error.strerror or error}"
    try:
        return _CUTS[told["kind"]](port, told, on)
    except OSError as error:
        return error.strerror or str(error)
    finally:
        if told["kind"] != "serial-line":
            port.close()


def _answer_s(told: dict[str, Any]) -> float:
    return float(told.get("answer_s", ANSWER_S))


def _by_command(port: Port, told: dict[str, Any], on: bool) -> str:
    end = str(told.get("termination", "\n")).encode()
    port.send(str(told["on" if on else "off"]).encode() + end)
    if not told.get("is_on"):
        return ""
    port.send(str(told["is_on"]).encode() + end)
    said = port.lines(end, _answer_s(told))
    state = said[-1].strip().upper() if said else b""
    wanted = (b"1", b"ON") if on else (b"0", b"OFF")
    return "" if state in wanted else "it does not say that it switched"


def _by_bytes(port: Port, told: dict[str, Any], on: bool) -> str:
    port.send(bytes.fromhex(str(told["on" if on else "off"])))
    return ""


def _by_line(port: Port, told: dict[str, Any], on: bool) -> str:
    """The line of a serial port; the port stays open, or its driver would let the line go."""
    import fcntl

    bit = {"RTS": termios.TIOCM_RTS, "DTR": termios.TIOCM_DTR}[told["line"]]
    high = on == bool(told.get("on_is_high", True))
    fcntl.ioctl(port.fd, termios.TIOCMBIS if high else termios.TIOCMBIC, struct.pack("I", bit))
    return ""


def _by_modbus(port: Port, told: dict[str, Any], on: bool) -> str:
    """Write Single Coil (Modbus application protocol 1.1b3, 6.5; MBAP header of the TCP guide, 3.1.3)."""
    pdu = struct.pack(">BHH", 5, int(told.get("coil", 0)), 0xFF00 if on == told.get("on_is_set", True) else 0)
    asked = struct.pack(">HHHB", 1, 0, len(pdu) + 1, int(told.get("unit", 1))) + pdu
    port.send(asked)
    return (
        "" if port.exactly(len(asked), _answer_s(told)) == asked else "it does not confirm that it switched"
    )


_CUTS = {"command": _by_command, "bytes": _by_bytes, "serial-line": _by_line, "modbus-coil": _by_modbus}


def drop(told: dict[str, Any]) -> dict[str, Any]:
    """Switch everything off in the order given, and say what came of it: `off`, `cut`, `said`."""
    loads = [Load(one, _FIRST_MARK + 5 * k) for k, one in enumerate(told["loads"])]
    cuts = list(told.get("cuts", []))
    before = [c for c in cuts if c.get("before_load")]
    used: list[str] = []
    said: list[str] = []
    pending = list(loads)
    for cut in before:
        _use(cut, used, said)
    for attempt in range(int(told.get("tries", TRIES))):
        pending = [load for load in pending if not load.off()]
        if not pending:
            break
        if attempt == 0 or not used:
            # What does not obey at once is not waited for: everything else that cuts is used now.
            for cut in cuts:
                if cut not in before:
                    _use(cut, used, said)
        time.sleep(PAUSE_S)
    said += [f"{load.name}: {load.said}" for load in loads if load.said]
    return {"off": not pending, "cut": used, "said": said, "not_proven": [load.name for load in pending]}


def _use(cut: dict[str, Any], used: "list[str]", said: "list[str]") -> None:
    why_not = switch_cut(cut, False)
    if why_not:
        said.append(f"{cut['name']}: {why_not}")
    elif cut["name"] not in used:
        used.append(str(cut["name"]))


def sentence(found: dict[str, Any], why: str) -> str:
    """What was done, for the logbook and the desktop."""
    by = f", by {' and '.join(found['cut'])}" if found["cut"] else ""
    if found["off"]:
        return f"The guard dropped the load ({why}): off, confirmed by its amps{by}."
    if found["cut"]:
        return f"The guard cut the supply{by} ({why}); the load does not confirm it: see that it is off."
    return f"The guard could not switch the load off ({why}): SWITCH THE SUPPLY OFF BY HAND."


def _watch(told: dict[str, Any]) -> str:
    """Wait for a reason to act; empty when the run is over."""
    silent, armed = float(told.get("silent_s", 1.2)), False
    while True:
        ready = select.select([0], [], [], silent - GRACE_S if armed else None)[0]
        # Where the whole machine stood still, the program is given the moment in which it goes on, too.
        if not ready and not select.select([0], [], [], GRACE_S)[0]:
            return f"the program was silent for {silent:g} s"
        data = os.read(0, 4096)
        if not data:
            return "the program ended" if armed else ""
        for byte in data:
            if byte in b"ad":
                armed = byte == ord("a")
            elif byte == ord("q"):
                return ""
            elif byte == ord("!"):
                return "asked for"


def _tell(line: dict[str, Any]) -> None:
    with contextlib.suppress(OSError):
        os.write(1, json.dumps(line).encode() + b"\n")


def _over(seconds: float) -> bool:
    """Whether the program took its leave within a time: then it writes the logbook itself."""
    try:
        if not select.select([0], [], [], seconds)[0]:
            return False
        data = os.read(0, 4096)
        if not data:
            time.sleep(seconds)
        return b"q" in data
    except OSError:
        return False


def _to_logbook(path: str, text: str) -> None:
    """Write the logbook once no program holds the file; given up after a while, or where it is gone."""
    import fcntl
    import sqlite3

    end = time.monotonic() + LOGBOOK_S
    while time.monotonic() < end and not _over(0.25):
        try:
            with open(path, "rb") as held:
                fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
                db = sqlite3.connect(path, timeout=2)
                with contextlib.closing(db), db:
                    db.execute("INSERT INTO log (at, kind, text) VALUES (?, 'run', ?)", (time.time(), text))
            return
        except BlockingIOError:
            continue
        except (OSError, sqlite3.Error):
            return


def _to_desktop(text: str) -> None:
    """Tell whoever sits there; where no desktop is, nothing is lost."""
    for folder in ("/usr/bin", "/usr/local/bin", "/bin"):
        program = f"{folder}/notify-send"
        if os.access(program, os.X_OK):
            with contextlib.suppress(OSError):
                os.posix_spawn(program, [program, "--urgency=critical", "Tensimeter", text], os.environ)
            return


def main() -> None:
    """Guard one run, as told on standard input."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGHUP, signal.SIG_IGN)
    signal.signal(signal.SIGPIPE, signal.SIG_IGN)
    asked_to_end: list[int] = []

    def ask(number: int, _: object) -> None:
        asked_to_end.append(number)
        raise _Asked

    signal.signal(signal.SIGTERM, ask)
    head = b""
    while not head.endswith(b"\n"):
        byte = os.read(0, 1)
        if not byte:
            return
        head += byte
    told = json.loads(head)
    _tell({"ready": os.getpid()})
    why = _watch_or(told, asked_to_end)
    signal.signal(signal.SIGTERM, signal.SIG_IGN)
    if not why:
        return
    _tell({"acting": why})
    found = drop(told)
    text = sentence(found, why)
    _tell({"acted": text, **found})
    os.close(1)
    if why != "asked for":
        _to_desktop(text)
    if told.get("job"):
        _to_logbook(str(told["job"]), text)


class _Asked(Exception):
    pass


def _watch_or(told: dict[str, Any], asked: "list[int]") -> str:
    try:
        return _watch(told)
    except _Asked:
        return f"the system ends it, signal {asked[-1]}"


if __name__ == "__main__":
    if len(sys.argv) > 1:
        sys.exit("The guard is started by the program; there is nothing to type.")
    main()
