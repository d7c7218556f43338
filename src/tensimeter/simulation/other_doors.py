"""Simulated meters that are reached by other doors than questions in lines: for each a shipped profile.

They read what the simulated bench's own meter of that role reads.
"""

import asyncio
import contextlib
import math
from collections.abc import Callable
from dataclasses import dataclass

from tensimeter.bench.profile import load_profile
from tensimeter.core.errors import UserError

Read = Callable[[], float]
#: How many lines or frames a second a simulated meter sends of itself.
LINES_PER_S = 10.0


@dataclass
class OtherDoor:
    """One meter behind its door; `frozen` makes it say nothing more, as a meter does that hangs."""

    kind: str
    read: Read
    frozen: bool = False

    async def serve(self) -> str:
        """Open it on 127.0.0.1, in the running loop; its VISA resource."""
        if self.kind == "modbus":
            # Its package is loaded for who wants such a meter.
            from tensimeter.simulation.register_meter import serve_registers  # noqa: PLC0415

            return _resource(await serve_registers(self.read, lambda: self.frozen))
        server = await asyncio.start_server(self._talk, "127.0.0.1", 0)
        return _resource(server.sockets[0].getsockname()[1])

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(ConnectionError, OSError, asyncio.CancelledError):
            if self.kind == "list":
                await self._answer(reader, writer)
            else:
                while not writer.is_closing():
                    await asyncio.sleep(1 / LINES_PER_S)
                    if not self.frozen:
                        writer.write(SENT[self.kind](self.read()))
                        await writer.drain()
        writer.close()

    async def _answer(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """A table meter: `ID`, and `R` for a list that has the figure in its second column."""
        while line := await reader.readline():
            if self.frozen:
                continue
            said = {b"ID": "Simulated,table meter", b"R": f"1,{_written(self.read())},ok"}.get(
                line.strip(), "ERR"
            )
            writer.write(f"{said}\r\n".encode())
            await writer.drain()


def _resource(port: int) -> str:
    return f"TCPIP::127.0.0.1::{port}::SOCKET"


def _written(value: float) -> str:
    return "OL" if math.isinf(value) else f"{value:.5f}"


def _line(value: float) -> bytes:
    return f"DC {_written(value)} V\r\n".encode()


def _frame(value: float) -> bytes:
    """As the shipped framed profile has it: quantity, digits, where the point is, sign and over range."""
    frame = load_profile("framed-meter").frame
    assert frame is not None
    over = not abs(value) < 655.35
    decimals = next((d for d in (4, 3) if abs(value) * 10**d < 65535), 2)
    digits = 0xFFFF if over else round(abs(value) * 10**decimals)
    state = (value < 0) | over << 1
    return frame.sealed(bytes([0x01]) + digits.to_bytes(2, "big") + bytes([decimals, state]))


#: What a meter that sends of itself says of a figure, by its kind.
SENT: dict[str, Callable[[float], bytes]] = {"stream": _line, "frame": _frame}
#: The shipped profile of each door.
PROFILES = {
    "list": "list-meter",
    "stream": "streaming-meter",
    "frame": "framed-meter",
    "modbus": "modbus-meter",
}


def must_be_door(kind: str) -> str:
    """The name of a door; UserError where it is none."""
    if kind not in PROFILES:
        raise UserError(f"“{kind}” is no way to be asked; use one of {', '.join(PROFILES)}.")
    return kind
