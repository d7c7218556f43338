"""Frames of bytes, as handheld meters send them: how they begin and end, where in them a figure stands."""

import math
import struct
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from tensimeter.bench.figures import Scale, number, scaled

Hex = Annotated[str, Field(max_length=120)]
_SETTINGS = ConfigDict(frozen=True, extra="forbid")


def bytes_of(text: str) -> bytes:
    """Bytes written in hexadecimal, such as `AB CD 03`; ValueError where they are none."""
    try:
        return bytes.fromhex(text)
    except ValueError as error:
        raise ValueError(f"“{text[:40]}” is not written in hexadecimal, such as AB CD 03") from error


class FrameValue(BaseModel):
    """Where a figure stands in a frame and how it is written; the first byte is number 0."""

    model_config = _SETTINGS

    at: int = Field(ge=0, le=255)
    size: int = Field(default=2, ge=1, le=16)
    #: Whole numbers (two's complement where signed), IEEE 754 of 4 or 8 bytes, two decimal digits a byte, or
    #: digits as text.
    kind: Literal["unsigned", "signed", "float", "bcd", "text"] = "unsigned"
    little_endian: bool = False
    #: What it is multiplied by so that it is in V, A or °C.
    scale: Scale = 1.0
    #: A byte that says where the point is: its number, and what each of its values multiplies by.
    scale_at: int | None = Field(default=None, ge=0, le=255)
    scales: dict[Hex, Scale] = Field(default_factory=dict, max_length=64)
    #: A bit that is set where the figure is below zero, for digits without a sign of their own.
    negative_at: int | None = Field(default=None, ge=0, le=255)
    negative_mask: int = Field(default=1, ge=1, le=255)
    #: A bit that is set where more is there than can be shown.
    over_at: int | None = Field(default=None, ge=0, le=255)
    over_mask: int = Field(default=1, ge=1, le=255)
    #: Bytes that must be one of those named, by number: else the meter shows another quantity.
    where: dict[Annotated[int, Field(ge=0, le=255)], list[Hex]] = Field(default_factory=dict, max_length=16)

    @model_validator(mode="after")
    def _can_be_read(self) -> "FrameValue":
        if self.kind == "float" and self.size not in (4, 8):
            raise ValueError("a float has a size of 4 or 8 bytes")
        if (self.scale_at is None) != (not self.scales):
            raise ValueError("scale_at and scales go together")
        for text in (*self.scales, *(t for allowed in self.where.values() for t in allowed)):
            if len(bytes_of(text)) != 1:
                raise ValueError(f"“{text}” is not one byte")
        return self

    @property
    def last(self) -> int:
        """The number of the last byte that it looks at."""
        looked = (self.scale_at, self.negative_at, self.over_at, *self.where)
        return max(self.at + self.size - 1, *(k for k in looked if k is not None), 0)

    def read(self, frame: bytes) -> float:
        """The figure, infinite over range; ValueError with the reason where the frame holds none.

        >>> FrameValue(at=1, size=2, scale=0.001).read(bytes.fromhex("AB 35 20"))
        13.6
        >>> FrameValue(at=0, size=5, kind="text", scale=0.001).read(b"13600")
        13.6
        """
        for k, allowed in self.where.items():
            if frame[k] not in [bytes_of(text)[0] for text in allowed]:
                raise ValueError(f"it shows something else (byte {k} is {frame[k]:02X})")
        data = frame[self.at : self.at + self.size]
        over = self.over_at is not None and bool(frame[self.over_at] & self.over_mask)
        sign = -1.0 if self.negative_at is not None and frame[self.negative_at] & self.negative_mask else 1.0
        if over:
            return math.copysign(math.inf, sign)
        return sign * scaled(self._plain(data), self.scale * self._by_byte(frame))

    def _by_byte(self, frame: bytes) -> float:
        if self.scale_at is None:
            return 1.0
        known = {bytes_of(text)[0]: factor for text, factor in self.scales.items()}
        if frame[self.scale_at] not in known:
            raise ValueError(f"its range {frame[self.scale_at]:02X} is not known")
        return known[frame[self.scale_at]]

    def _plain(self, data: bytes) -> float:
        order: Literal["little", "big"] = "little" if self.little_endian else "big"
        if self.kind in ("unsigned", "signed"):
            return float(int.from_bytes(data, order, signed=self.kind == "signed"))
        if self.kind == "float":
            written = ("<" if self.little_endian else ">") + ("f" if self.size == 4 else "d")
            return float(struct.unpack(written, data)[0])
        if self.kind == "bcd":
            digits = (data[::-1] if self.little_endian else data).hex()
            if not digits.isdecimal():
                raise ValueError(f"{data.hex(' ').upper()} are no decimal digits")
            return float(digits)
        return number(data.decode("ascii", "replace"))


class Frame(BaseModel):
    """How a frame is known: bytes at its front or its end, its length, and a sum over it."""

    model_config = _SETTINGS

    length: int = Field(ge=2, le=256)
    start: Hex = ""
    end: Hex = ""
    #: Over all bytes before it: the sum (1 or 2 bytes, the high one first), exclusive-or, or the CRC of
    #: Modbus (Modbus over serial line 1.02, 6.2.2; the low byte first). It stands right before `end`.
    checksum: Literal["none", "sum8", "sum16", "xor8", "crc16"] = "none"
    #: What is sent to get a frame, by command; a meter that is asked nothing sends of itself.
    ask: dict[str, Hex] = Field(default_factory=dict)
    values: dict[str, FrameValue] = Field(min_length=1)

    @field_validator("start", "end")
    @classmethod
    def _is_hexadecimal(cls, text: str) -> str:
        bytes_of(text)
        return text

    @model_validator(mode="after")
    def _can_be_found(self) -> "Frame":
        marks = len(bytes_of(self.start)) + len(bytes_of(self.end))
        if marks + (self.checksum != "none") < 2 or not marks:
            raise ValueError("a frame is known by two bytes of start and end, or by one and a checksum")
        if marks + self._sum_size > self.length:
            raise ValueError("start, end and checksum are longer than the frame")
        for name, value in self.values.items():
            if value.last >= self.length:
                raise ValueError(f"{name} looks at byte {value.last}; the frame has {self.length}")
        for name, text in self.ask.items():
            if not bytes_of(text) or name not in self.values:
                raise ValueError(f"ask: “{name[:40]}” needs bytes, and a place among the values")
        return self

    @property
    def _sum_size(self) -> int:
        return {"none": 0, "sum8": 1, "xor8": 1, "sum16": 2, "crc16": 2}[self.checksum]

    def holds(self, frame: bytes) -> bool:
        """Whether bytes of the right length are a frame."""
        start, end = bytes_of(self.start), bytes_of(self.end)
        if not (frame.startswith(start) and frame.endswith(end)):
            return False
        at = self.length - len(end) - self._sum_size
        return frame[at : at + self._sum_size] == _sum(self.checksum, frame[:at])

    def sealed(self, body: bytes) -> bytes:
        """A frame around what stands between start and checksum, as a meter would send it."""
        whole = bytes_of(self.start) + body
        return whole + _sum(self.checksum, whole) + bytes_of(self.end)

    def first_in(self, data: bytes | bytearray) -> int | None:
        """Where the first whole frame begins in what came so far; None where there is none yet."""
        for k in range(len(data) - self.length + 1):
            if self.holds(bytes(data[k : k + self.length])):
                return k
        return None


def ends_in_sum(kind: str, frame: bytes) -> bool:
    """Whether the last bytes are the sum over those before them.

    >>> ends_in_sum("xor8", bytes.fromhex("AA 55 FF")), ends_in_sum("sum8", bytes.fromhex("AA 55 FE"))
    (True, False)
    """
    size = len(_sum(kind, b""))
    return frame[-size:] == _sum(kind, frame[:-size])


def _sum(kind: str, data: bytes) -> bytes:
    if kind == "sum8":
        return bytes([sum(data) & 0xFF])
    if kind == "sum16":
        return (sum(data) & 0xFFFF).to_bytes(2, "big")
    if kind == "xor8":
        found = 0
        for byte in data:
            found ^= byte
        return bytes([found])
    if kind == "crc16":
        return _crc16(data)
    return b""


def _crc16(data: bytes) -> bytes:
    """The two bytes behind a frame of Modbus, the low one first.

    >>> _crc16(bytes.fromhex("01 03 00 00 00 01")).hex(" ")
    '84 0a'
    """
    from pymodbus.framer.rtu import FramerRTU

    # It gives them in the order in which they are sent.
    return FramerRTU.compute_CRC(data).to_bytes(2, "big")
