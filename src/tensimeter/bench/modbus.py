"""An instrument that speaks Modbus, over TCP or as RTU on a serial port, through pymodbus."""

import contextlib
import socket
import threading
from typing import TYPE_CHECKING, Any

from tensimeter.bench import wall
from tensimeter.bench.cuts import address_of
from tensimeter.bench.link import BrokenOff, Said
from tensimeter.bench.profile import Profile
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.registers import Register, Table, value_of
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.serial_port import must_be_free

if TYPE_CHECKING:
    from pymodbus.client import ModbusBaseSyncClient

#: How long a late answer is waited for before a link is opened anew, s.
_LATE_S = 1.0
_PARITY = {"none": "N", "even": "E", "odd": "O"}


#: So many registers of each table are looked through where it is not known what stands where.
LOOKED_THROUGH = 48


class Refused(LinkFailed):
    """It answered that it has no such register; the link is as good as before."""


class ModbusInstrument(ProfiledInstrument):
    """Each figure is asked for anew; which answer belongs to which question the protocol itself tells."""

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self._client: ModbusBaseSyncClient | None = None
        self._broken = threading.Event()
        self._failed = False
        super().__init__(resource, profile, part)

    def reconnect(self) -> None:
        late = self._client is not None and self._failed
        self.close()
        if late:
            # RTU marks no answer with its question: one that is late must have come, and be thrown away.
            wall.pause(min(self.longest_s, _LATE_S))
        self._client, self._failed = self._opened(), False

    def _opened(self) -> "ModbusBaseSyncClient":
        address, p = address_of(self.resource), self.profile
        common: dict[str, Any] = {"timeout": self.longest_s, "retries": 0, "trace_packet": self._traced}
        if address is None:
            raise LinkFailed(f"{self.resource} is no socket and no serial port, and Modbus needs one.")
        # It is loaded where a profile asks for it: most benches have none.
        from pymodbus.client import ModbusSerialClient, ModbusTcpClient

        client: ModbusBaseSyncClient
        if "tcp" in address:
            host, port = address["tcp"]
            client = ModbusTcpClient(host, port=port, **common)
        else:
            # Its client locks it for itself.
            must_be_free(self.resource)
            client = ModbusSerialClient(
                address["serial"], baudrate=p.baud, bytesize=p.data_bits, parity=_PARITY[p.parity],
                stopbits=p.stop_bits, **common,
            )  # fmt: skip
        with contextlib.suppress(OSError):
            if client.connect():
                return client
        _close(client)
        raise LinkFailed(f"{self.resource} can't be reached.")

    def _traced(self, sending: bool, data: bytes) -> bytes:
        if data:
            self.talk.append(Said(sending, bytes(data)))
        return data

    def close(self) -> None:
        client, self._client = self._client, None
        if client is not None:
            _close(client)

    def break_off(self) -> None:
        self._broken.set()
        client = self._client
        held = getattr(client, "socket", None)
        with contextlib.suppress(OSError):
            # Whoever waits on it sees its end; a serial port knows no other end than to be closed.
            if isinstance(held, socket.socket):
                held.shutdown(socket.SHUT_RDWR)
            elif client is not None:
                _close(client)

    def calm(self) -> None:
        self._broken.clear()
        if self._client is None or self._failed:
            self.reconnect()

    def identity(self) -> str:
        """Maker and product as it tells them (function 43 / 14), where its profile says that it does."""
        registers = self.profile.registers
        if registers is not None and registers.identifies and not self._known_as:
            try:
                with self._mutex:
                    answer = self._asked(
                        lambda client: client.read_device_information(device_id=registers.unit)
                    )
            except Refused:
                # Many don't know that question; what they hold they tell all the same.
                return ""
            told: dict[int, bytes] = getattr(answer, "information", {})
            self._known_as = b",".join(told[k] for k in sorted(told))
        return super().identity()

    def read(self, command: str, channels: int = 1) -> list[float]:
        registers = self.profile.registers
        if registers is None or command not in registers.values:
            raise LinkFailed(f"{self.part} has no {command.replace('_', ' ')} in its profile.")
        with self._mutex:
            return [self._figure(registers.values[command], k, registers.unit) for k in range(channels)]

    def first_registers(self, count: int = LOOKED_THROUGH) -> dict[tuple[Table, int], int]:
        """What stands in its first registers of both tables; those that it has not are left out."""
        found: dict[tuple[Table, int], int] = {}
        unit = self.profile.registers.unit if self.profile.registers else 1
        tables: tuple[Table, ...] = ("input", "holding")
        for table in tables:
            for at in range(count):
                try:
                    with self._mutex:
                        word = self._words(Register(at=at, table=table), at, unit)
                except Refused:
                    continue
                found[table, at] = word[0]
        return found

    def _figure(self, register: Register, channel: int, unit: int) -> float:
        words = self._words(register, register.address(channel), unit)
        try:
            return register.in_si(value_of(words, register))
        except ValueError as error:
            raise LinkFailed(f"{self.part}: {error}.") from error

    def _words(self, register: Register, at: int, unit: int) -> list[int]:
        count = register.words

        def ask(client: "ModbusBaseSyncClient") -> Any:  # noqa: ANN401 - one of pymodbus's answers
            if register.table == "input":
                return client.read_input_registers(at, count=count, device_id=unit)
            return client.read_holding_registers(at, count=count, device_id=unit)

        answer = self._asked(ask)
        if answer.function_code != (4 if register.table == "input" else 3):
            # The answer to another question, late: it has as many registers, and other figures.
            self._failed = True
            raise LinkFailed(f"{self.part} answered another question (function {answer.function_code}).")
        words = list(getattr(answer, "registers", []))
        if len(words) != count:
            raise LinkFailed(f"{self.part} answered {len(words)} registers where {count} were asked.")
        return words

    def _asked(self, ask: Any) -> Any:  # noqa: ANN401 - pymodbus's clients and answers
        from pymodbus.exceptions import ModbusException

        client = self._client
        if client is None or self._failed:
            raise LinkFailed(f"{self.part} is not connected.")
        client.comm_params.timeout_connect = self.longest_s
        try:
            answer = ask(client)
        except (ModbusException, OSError, ValueError, TypeError, AttributeError) as error:
            self._failed = True
            _close(client)
            if self._broken.is_set():
                raise BrokenOff("the exchange was broken off.") from error
            raise LinkFailed(f"{self.part}: no answer in time.") from error
        if answer.isError():
            code = getattr(answer, "exception_code", "?")
            raise Refused(f"{self.part} refuses that register (exception {code}).")
        return answer


def _close(client: "ModbusBaseSyncClient") -> None:
    with contextlib.suppress(OSError):
        client.close()  # type: ignore[no-untyped-call]
