"""One open link to an instrument: whole answers within one deadline and one size, broken off by anyone.

VISA's own time-outs count from byte to byte, so that an instrument that drips or floods could hold its reader
for ever. Here the wait is ours: for what is there, for a call to break off, or for the end of the time.
"""

import array
import contextlib
import fcntl
import os
import select
import socket
import termios
import threading
import warnings
from collections import deque
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from tensimeter.bench import wall
from tensimeter.bench.roles import LinkFailed

#: The longest line and the longest block that are taken, in bytes; the first is far above any figure.
MOST_LINE, MOST_BLOCK = 65_536, 64_000_000
#: Bytes a second that a block must come at.
SLOWEST_BLOCK = 100_000.0
#: Bytes that VISA is asked for at once: of more it would keep some back, unseen.
TAKEN_AT_ONCE = 4096
#: What is there already is taken so long past the end: a computer that was busy is no silent instrument, s.
GRACE_S = 0.3
#: How long what an instrument sends of itself may go on before it is called a flood, s.
MOST_DRAIN_S = 0.1

#: Bytes that are text.
_SEEN = frozenset((*range(32, 127), *b"\r\n\t"))

#: Names the VISA library of this machine, where pyvisa-py is not to be used.
VISA_VARIABLE = "TENSIMETER_VISA"
_managers: dict[str, Any] = {}
_manager_lock = threading.Lock()


def _resource_manager() -> Any:  # noqa: ANN401 - pyvisa tells no types
    """The VISA library in use, opened once: pyvisa-py, or the one that the environment names."""
    library = os.environ.get(VISA_VARIABLE, "") or "@py"
    with _manager_lock:
        if library not in _managers:
            import pyvisa

            try:
                _managers[library] = pyvisa.ResourceManager(library)
            except (pyvisa.Error, OSError, ValueError) as error:
                raise LinkFailed(f"The VISA library {library} can't be used: {_first_line(error)}") from error
        return _managers[library]


def listed() -> list[str]:
    """Resources that this machine's ports and networks show by themselves."""
    import pyvisa

    try:
        with warnings.catch_warnings():
            # What could be found with further packages is no news to a builder.
            warnings.simplefilter("ignore")
            found = [str(r) for r in _resource_manager().list_resources("?*")]
        return [r for r in found if r.endswith(("INSTR", "SOCKET"))]
    except (pyvisa.Error, OSError, ValueError, LinkFailed):
        return []


class Said(Struct, frozen=True):
    """Bytes that went over a link: sent by this program, or come from the instrument."""

    sent: bool
    data: bytes

    def __str__(self) -> str:
        return shown_bytes(self.data)


def shown_bytes(data: bytes) -> str:
    r"""Bytes so that each can be seen: as text where it is text, else in hexadecimal.

    >>> shown_bytes(b"OK\r\n"), shown_bytes(b"\xab\xcd\x03")
    ('OK\\r\\n', 'AB CD 03')
    """
    if all(byte in _SEEN for byte in data):
        return data.decode("ascii").replace("\r", r"\r").replace("\n", r"\n").replace("\t", r"\t")
    return data.hex(" ").upper()


class BrokenOff(LinkFailed):
    """Someone else wanted the exchange to end; nothing is said of the instrument."""


class Serial(Struct, frozen=True):
    """How a serial port is set up."""

    baud: int = 9600
    data_bits: int = 8
    parity: str = "none"
    stop_bits: int = 1
    flow: str = "none"

    def set_up(self, port: Any) -> None:  # noqa: ANN401 - pyvisa tells no types
        from pyvisa.constants import ControlFlow, Parity, StopBits

        port.baud_rate, port.data_bits = self.baud, self.data_bits
        port.parity = {"none": Parity.none, "even": Parity.even, "odd": Parity.odd}[self.parity]
        port.stop_bits = {1: StopBits.one, 2: StopBits.two}[self.stop_bits]
        port.flow_control = {
            "none": ControlFlow.none, "xon_xoff": ControlFlow.xon_xoff, "rts_cts": ControlFlow.rts_cts,
        }[self.flow]  # fmt: skip


class Link:
    """A VISA session. One thread speaks; any thread may `break_off`. LinkFailed for all that goes wrong."""

    def __init__(
        self,
        resource: str,
        termination: str,
        timeout_s: float,
        serial: "Serial | None" = None,
        talk: "deque[Said] | None" = None,
    ) -> None:
        import pyvisa
        from pyvisa.constants import StatusCode

        self.resource, self._end = resource, termination.encode()
        self._buffer = bytearray()
        self._talk: deque[Said] = deque(maxlen=1) if talk is None else talk
        #: When what stood in the buffer began to come, s of the wall: the line or the frame that was
        #: taken last began then or later, so that its age may be told too large, never too small.
        self.began_at = 0.0
        #: Whether what came last ended with a line's end: then the next line is a whole one.
        self._whole = False
        self._wake = os.eventfd(0, os.EFD_NONBLOCK | os.EFD_CLOEXEC)
        #: Whether an exchange was left half-way: what comes next may belong to it.
        self.torn = False
        try:
            self._visa = _resource_manager().open_resource(
                resource, timeout=int(timeout_s * 1000), open_timeout=1000
            )
            if resource.upper().startswith("ASRL"):
                (serial or Serial()).set_up(self._visa)
        except Exception as error:
            # What a back end raises for a name or a port it can't use has no common kind.
            os.close(self._wake)
            raise LinkFailed(f"{resource} can't be reached: {_first_line(error)}") from error
        assert isinstance(self._visa, pyvisa.resources.MessageBasedResource)
        self._quiet = contextlib.ExitStack()
        self._quiet.enter_context(self._visa.ignore_warning(StatusCode.success_max_count_read))
        self._library, self._session = self._visa.visalib, self._visa.session
        session = getattr(self._library, "sessions", {}).get(self._session)
        self._interface: Any = getattr(session, "interface", None)
        self._fd = self._descriptor()
        self._poll = select.poll()
        self._poll.register(self._wake, select.POLLIN)
        if self._fd is not None:
            self._poll.register(self._fd, select.POLLIN)

    def _descriptor(self) -> int | None:
        try:
            return int(self._interface.fileno())
        except (AttributeError, OSError, ValueError, TypeError):
            # A link by messages (VXI-11, USBTMC) has none; its driver keeps the time.
            return None

    @property
    def descriptor(self) -> int | None:
        """The file descriptor of a socket or a serial port, for whoever guards it."""
        return self._fd

    def close(self) -> None:
        if isinstance(self._interface, socket.socket):
            # Whoever shares it would keep it open, and an instrument with one client would let nobody in.
            with contextlib.suppress(OSError):
                self._interface.shutdown(socket.SHUT_RDWR)
        with contextlib.suppress(Exception):
            self._quiet.close()
            self._visa.close()
        if self._wake >= 0:
            os.close(self._wake)
            self._wake = -1

    def break_off(self) -> None:
        """End the exchange that is on, or the next one; from any thread."""
        with contextlib.suppress(OSError):
            os.eventfd_write(self._wake, 1)

    def calm(self) -> None:
        """A call to break off that nobody heeded yet is forgotten."""
        with contextlib.suppress(OSError):
            os.eventfd_read(self._wake)

    def say(self, data: bytes, deadline: float) -> None:
        """Send a line; a link that takes none until the deadline (s of the wall) has failed."""
        self.send(data + self._end, deadline)

    def send(self, data: bytes, deadline: float) -> None:
        """Send bytes as they are; a link that takes none until the deadline has failed."""
        if self._fd is not None:
            left = max(deadline - wall.now(), 0.0)
            if not select.select([], [self._fd], [], left)[1]:
                raise LinkFailed("it takes nothing any more.")
        with _told():
            self._library.write(self._session, data)
        self._talk.append(Said(True, data))

    def line(self, deadline: float, most: int = MOST_LINE) -> bytes:
        """The next line of `most` bytes or fewer, without its end; it must be whole by the deadline."""
        begin = 0
        while True:
            at = self._buffer.find(self._end, begin)
            if at >= 0:
                found = bytes(self._buffer[:at])
                del self._buffer[: at + len(self._end)]
                self.torn = bool(self._buffer)
                return found
            begin = max(len(self._buffer) - len(self._end) + 1, 0)
            if len(self._buffer) > most:
                raise LinkFailed("it sends without end.")
            self._fill(deadline)

    def block(self, deadline: float) -> bytes:
        """The data of a definite length block (IEEE 488.2, 8.7.9) and its line's end."""
        while len(self._buffer) < 2 or len(self._buffer) < 2 + _digit(self._buffer):
            self._fill(deadline)
        digits = _digit(self._buffer)
        try:
            length = int(self._buffer[2 : 2 + digits])
        except ValueError as error:
            raise LinkFailed("it gave no block of data.") from error
        if length > MOST_BLOCK:
            raise LinkFailed(f"it announces a block of {length} bytes; {MOST_BLOCK} are the most.")
        whole = 2 + digits + length
        # A long record takes its time, and none between two bytes of it that an answer would not have.
        left = max(deadline - wall.now(), 0.0)
        at_last = deadline + length / SLOWEST_BLOCK
        while len(self._buffer) < whole + len(self._end):
            self._fill(min(wall.now() + left, at_last))
        found = bytes(self._buffer[2 + digits : whole])
        del self._buffer[: whole + len(self._end)]
        self.torn = bool(self._buffer)
        return found

    def drain(self) -> int:
        """Throw away what came unasked; how many bytes that was. A flood is a failure."""
        thrown, end = len(self._buffer), wall.now() + MOST_DRAIN_S
        self._buffer.clear()
        if self._fd is None:
            return thrown
        while self._waits(0.0):
            self._take()
            thrown += len(self._buffer)
            self._buffer.clear()
            if wall.now() > end or thrown > MOST_LINE:
                raise LinkFailed("it sends without end.")
        self.torn = False
        return thrown

    def fresh_line(self, deadline: float, most: int = MOST_LINE) -> bytes:
        """The first whole line that begins from now on; what came before, or is half-way, is none."""
        self.drain()
        if not self._whole:
            self.line(deadline, most)
        return self.line(deadline, most)

    def frame(self, first_in: Callable[[bytearray], int | None], length: int, deadline: float) -> bytes:
        """The first frame in what comes, as `first_in` finds it; what stands before it is passed over."""
        passed = 0
        while (at := first_in(self._buffer)) is None:
            # Where no frame begins none is looked for again.
            over = max(len(self._buffer) - length + 1, 0)
            del self._buffer[:over]
            passed += over
            if passed > MOST_LINE:
                raise LinkFailed("it sends no frame as its profile has it.")
            self._fill(deadline)
        found = bytes(self._buffer[at : at + length])
        del self._buffer[: at + length]
        self.torn = False
        return found

    def quiet_for(self, seconds: float) -> bool:
        """Whether nothing more comes for a while."""
        return not self._buffer and (self._fd is None or not self._waits(seconds))

    def _waits(self, seconds: float) -> bool:
        """Whether something is there within a time; BrokenOff where that is wanted."""
        ready = [fd for fd, _ in wall.ready(self._poll, seconds)]
        if self._wake in ready:
            self.calm()
            self.torn = True
            raise BrokenOff("the exchange was broken off.")
        return bool(ready)

    def _fill(self, deadline: float) -> None:
        self.torn = True
        left = deadline - wall.now()
        if self._fd is None:
            self._take_message(deadline)
        elif left < -GRACE_S or not self._waits(left):
            half = " to its end" if self._buffer else ""
            raise LinkFailed(f"no answer in time{half}.")
        else:
            self._take()

    def _take(self) -> None:
        """What is waiting, no more: VISA would wait for the rest of it."""
        assert self._fd is not None
        count = array.array("i", [0])
        try:
            fcntl.ioctl(self._fd, termios.FIONREAD, count)
        except OSError as error:
            raise LinkFailed("its link was lost.") from error
        if count[0] == 0:
            raise LinkFailed("its link was lost.")
        with _told():
            data, _ = self._library.read(self._session, min(count[0], TAKEN_AT_ONCE))
        self._came(data)
        self._whole = data.endswith(self._end)

    def _came(self, data: bytes) -> None:
        if not self._buffer:
            self.began_at = wall.now()
        self._buffer += data
        self._talk.append(Said(False, data))

    def _take_message(self, deadline: float) -> None:
        left = deadline - wall.now()
        if left <= 0:
            raise LinkFailed("no answer in time.")
        with _told():
            self._visa.timeout = max(int(left * 1000), 1)
            data, _ = self._library.read(self._session, MOST_LINE)
        self._came(data)
        if not data.endswith(self._end) and len(data) < MOST_LINE:
            # The message's own end stands for the line's.
            self._buffer += self._end


def _digit(buffer: bytearray) -> int:
    if buffer[:1] != b"#" or not buffer[1:2].isdigit() or buffer[1:2] == b"0":
        raise LinkFailed("it gave no block of data.")
    return int(buffer[1:2])


class _told:  # noqa: N801 - reads as the word it is, where it stands
    """Whatever VISA raises is a failed link, in one sentence; no generator, as it stands in each exchange."""

    def __enter__(self) -> None:
        return None

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if error is not None and isinstance(error, Exception) and not isinstance(error, LinkFailed):
            raise LinkFailed(_first_line(error)) from error


def _first_line(error: BaseException) -> str:
    text = str(error).splitlines()[0] if str(error) else type(error).__name__
    if "VI_ERROR_TMO" in text:
        return "no answer in time."
    if "VI_ERROR_CONN_LOST" in text or isinstance(error, ConnectionError):
        return "its link was lost."
    return text[:200]
