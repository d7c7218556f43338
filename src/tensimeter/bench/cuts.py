"""What can cut the supply when the load does not obey: a relay, a coil, a socket, the source's own output."""

import contextlib
import re
import socket
import threading
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tensimeter.bench import wall
from tensimeter.core.errors import UserError
from tensimeter.guard import ANSWER_S, switch_cut


class Cut(BaseModel):
    """One way to cut, from a bench file's `[cut]`; what it switches is its own affair."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    resource: str = Field(min_length=1, max_length=200)
    kind: Literal["command", "bytes", "serial-line", "modbus-coil"] = "command"
    on: str = Field(default="", max_length=200)
    off: str = Field(default="", max_length=200)
    #: A question that is answered by 1 or 0, ON or OFF; leave it out where there is none.
    is_on: str = Field(default="", max_length=200)
    termination: str = Field(default="\n", max_length=4)
    baud: int = Field(default=9600, gt=0, le=4_000_000)
    line: Literal["RTS", "DTR"] = "RTS"
    on_is_high: bool = True
    coil: int = Field(default=0, ge=0, le=65535)
    unit: int = Field(default=1, ge=0, le=255)
    on_is_set: bool = True
    #: Cut first, and only then speak to the load.
    before_load: bool = False

    @model_validator(mode="after")
    def _whole(self) -> "Cut":
        if self.kind in ("command", "bytes") and not (self.on and self.off):
            raise ValueError(f"a cut by {self.kind} needs “on” and “off”")
        if self.kind == "bytes" and not all(_is_hexadecimal(t) for t in (self.on, self.off)):
            raise ValueError("a cut by bytes is written in hexadecimal, such as A0 01 01 A2")
        if address_of(self.resource) is None:
            raise ValueError(f"{self.resource} is no socket and no serial port")
        if self.kind == "serial-line" and "serial" not in (address_of(self.resource) or {}):
            raise ValueError("the line of a serial port needs a serial port")
        if self.kind == "modbus-coil" and "tcp" not in (address_of(self.resource) or {}):
            raise ValueError("a Modbus coil is reached over TCP")
        return self

    def by_number(self) -> "Cut":
        """The same with an address in place of a name."""
        return self.model_copy(update={"resource": by_number(self.resource)})

    def told(self, name: str) -> dict[str, Any]:
        """As the guard is told of it."""
        address = dict(address_of(self.resource) or {})
        if "serial" in address:
            address["baud"] = self.baud
        return {"name": name, "address": address, **self.model_dump(exclude={"resource", "baud"})}

    def switch(self, on: bool, name: str) -> None:
        """Close (on) or open it from here; UserError where that fails."""
        why_not = switch_cut({**self.told(name), "answer_s": wall.of_others(ANSWER_S)}, on)
        if why_not:
            raise UserError(f"The {name} did not switch {'on' if on else 'off'}: {why_not}.")


#: How long the address of a name is looked for before a run begins, s.
LOOKED_FOR_S = 3.0


def by_number(resource: str) -> str:
    """A resource with the address of its host in place of a name; UserError where none is found in time.

    Looked up while nothing is loaded: who switches a load off has no time for it, and no name server may be
    left by then.
    """
    address = address_of(resource)
    if address is None or "tcp" not in address:
        return resource
    host, port = address["tcp"]
    found: list[str] = []

    def look() -> None:
        with contextlib.suppress(OSError, UnicodeError):
            told = socket.getaddrinfo(host, port, socket.AF_INET, socket.SOCK_STREAM)
            found.append(str(told[0][4][0]))

    looking = threading.Thread(target=look, name="address", daemon=True)
    looking.start()
    looking.join(LOOKED_FOR_S)
    if not found:
        raise UserError(f"No address was found for {host}; nothing was switched on. Give its number instead.")
    return resource.replace(f"::{host}::", f"::{found[0]}::", 1)


def _is_hexadecimal(text: str) -> bool:
    try:
        return bool(bytes.fromhex(text))
    except ValueError:
        return False


def address_of(resource: str) -> dict[str, Any] | None:
    """Host and port, or the serial device, behind a VISA resource; None for what is neither."""
    over_tcp = re.fullmatch(r"TCPIP\d*::([^:\s]+)::(\d{1,5})::SOCKET", resource, re.I)
    if over_tcp:
        return {"tcp": [over_tcp[1], int(over_tcp[2])]}
    serial = re.fullmatch(r"ASRL(/dev/[^:\s]+)(::INSTR)?", resource, re.I)
    return {"serial": serial[1]} if serial else None
