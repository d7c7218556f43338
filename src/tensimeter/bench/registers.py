"""Registers of an instrument that speaks Modbus: which one holds what, and how it is written there."""

import math
import struct
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tensimeter.bench.figures import Scale, scaled

_SETTINGS = ConfigDict(frozen=True, extra="forbid")
Table = Literal["holding", "input"]
Kind = Literal["uint16", "int16", "uint32", "int32", "float32"]


class Register(BaseModel):
    """Where a figure stands; `at` is the address as it goes over the wire, counted from 0."""

    model_config = _SETTINGS

    at: int = Field(ge=0, le=65535)
    table: Table = "holding"
    kind: Kind = "uint16"
    #: Of two registers, the lower address holds the low word.
    low_word_first: bool = False
    #: Multiplied by this, and this added, it is in V, A, W or °C.
    scale: Scale = 1.0
    add: float = Field(default=0.0, allow_inf_nan=False)
    #: What stands there where more is there than can be shown.
    over: int | None = None
    #: Of several channels: how many registers on the next one is; 0 for right behind.
    apart: int = Field(default=0, ge=0, le=1000)

    @model_validator(mode="after")
    def _says_something(self) -> "Register":
        if self.at + self.words > 65536:
            raise ValueError("it is past the last register")
        return self

    @property
    def words(self) -> int:
        """How many registers the figure takes."""
        return 2 if self.kind.endswith("32") else 1

    def address(self, channel: int) -> int:
        """Where a channel's figure stands; the first channel is 0."""
        return self.at + channel * (self.apart or self.words)

    def in_si(self, value: float) -> float:
        """What was read in V, A, W or °C, infinite over range; ValueError where it is no figure.

        >>> Register(at=0, scale=0.01).in_si(1360)
        13.6
        """
        if math.isnan(value):
            raise ValueError("no figure stands there")
        if self.over is not None and value == self.over:
            return math.inf
        return scaled(value, self.scale) + self.add


class Registers(BaseModel):
    """An instrument behind Modbus (application protocol 1.1b3): its unit, and its registers by command."""

    model_config = _SETTINGS

    unit: int = Field(default=1, ge=0, le=247)
    #: Whether it answers who it is (function 43 / 14).
    identifies: bool = False
    values: dict[str, Register] = Field(min_length=1)


def value_of(words: list[int], register: Register) -> float:
    """What registers hold as the kind that they are said to be, before it is scaled.

    >>> value_of([0x4159, 0x999A], Register(at=0, kind="float32"))
    13.600000381469727
    """
    ordered = words[::-1] if register.low_word_first else words
    data = b"".join(word.to_bytes(2, "big") for word in ordered)
    if register.kind == "float32":
        return float(struct.unpack(">f", data)[0])
    return float(int.from_bytes(data, "big", signed=register.kind.startswith("int")))
