"""What can cut the supply when the load does not obey: a relay, a coil, a socket, the source's own output."""

import re
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tensimeter.core.errors import UserError
from tensimeter.guard import switch_cut


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

    def told(self, name: str) -> dict[str, Any]:
        """As the guard is told of it."""
        address = dict(address_of(self.resource) or {})
        if "serial" in address:
            address["baud"] = self.baud
        return {"name": name, "address": address, **self.model_dump(exclude={"resource", "baud"})}

    def switch(self, on: bool, name: str) -> None:
        """Close (on) or open it from here; UserError where that fails."""
        why_not = switch_cut(self.told(name), on)
        if why_not:
            raise UserError(f"The {name} did not switch {'on' if on else 'off'}: {why_not}.")


def _is_hexadecimal(text: str) -> bool:
    try:
        return bool(bytes.fromhex(text))
    except ValueError:
        return False


def address_of(resource: str) -> dict[str, Any] | None:
    """Host and port, or the serial device, behind a VISA resource; None for what is neither."""
    socket = re.fullmatch(r"TCPIP\d*::([^:\s]+)::(\d{1,5})::SOCKET", resource, re.I)
    if socket:
        return {"tcp": [socket[1], int(socket[2])]}
    serial = re.fullmatch(r"ASRL(/dev/[^:\s]+)(::INSTR)?", resource, re.I)
    return {"serial": serial[1]} if serial else None
