"""Ways in which an instrument's answers go wrong, for trying out what a run does with them."""

import asyncio
import contextlib
import random
from collections.abc import AsyncIterator
from dataclasses import dataclass, field

from tensimeter.bench import wall

#: How late, in s, an answer comes from a simulated instrument that is told to be late.
LATE_S = 1.2
_GARBLED, _OVERLOAD = b"\x00?!garbled\n", b"9.9E37\n"
#: Bytes of an answer that goes on and on.
HUGE = 100_000_000


@dataclass
class Fault:
    """What is wrong, and with which answers: those to commands with `query` in them, all where it is empty.

    kind: silent, close, garble, overload, late; drip (a byte now and then, no end), flood (no end), huge (an
    end after 100 MB), half (no end); twice, swapped, pieces, previous, dawdling (late by chance), each mixing
    up which answer belongs to which question.
    """

    kind: str
    query: str = ""
    rng: random.Random = field(default_factory=lambda: random.Random(0))
    _held: bytes | None = None
    #: When it first befell an answer, s of the wall.
    met_at: float | None = None

    def meets(self, line: bytes) -> bool:
        """Whether it befalls the answer to a line."""
        found = self.query.encode() in line.upper()
        if found and self.met_at is None:
            self.met_at = wall.now()
        return found

    async def spoilt(self, answer: bytes) -> AsyncIterator[bytes]:
        """What is sent instead of an answer, piece by piece."""
        if self.kind in ("silent", "close"):
            return
        if self.kind in ("garble", "overload"):
            yield _GARBLED if self.kind == "garble" else _OVERLOAD
        elif self.kind in ("drip", "flood", "huge", "half"):
            async for piece in self._without_end(answer):
                yield piece
        else:
            async for piece in self._mixed_up(answer):
                yield piece

    async def _without_end(self, answer: bytes) -> AsyncIterator[bytes]:
        if self.kind == "half":
            yield answer[: max(len(answer) // 2, 1)]
            return
        if self.kind == "drip":
            while True:
                yield b"1"
                await asyncio.sleep(0.05)
        sent = 0
        while self.kind == "flood" or sent < HUGE:
            yield b"7" * 65536
            sent += 65536
            await asyncio.sleep(0)
        yield b"\n"

    async def _mixed_up(self, answer: bytes) -> AsyncIterator[bytes]:
        if self.kind == "late":
            await asyncio.sleep(LATE_S)
            yield answer
        elif self.kind == "dawdling":
            await asyncio.sleep(self.rng.choice((0.0, 0.0, 0.05, 0.3, 1.0)))
            yield answer
        elif self.kind == "twice":
            yield answer
            if self.rng.random() < 0.5:
                await asyncio.sleep(self.rng.uniform(0.0, 0.03))
                yield answer
        elif self.kind == "pieces":
            for k in range(len(answer)):
                yield answer[k : k + 1]
                if self.rng.random() < 0.2:
                    await asyncio.sleep(0.002)
        else:
            for piece in self._reordered(answer):
                yield piece

    def _reordered(self, answer: bytes) -> list[bytes]:
        """`previous`: always the one before; `swapped`: now and then one is held back behind the next."""
        held, self._held = self._held, None
        if self.kind == "previous":
            self._held = answer
            return [held if held is not None else answer]
        if held is not None:
            return [answer, held]
        if self.rng.random() < 0.2:
            self._held = answer
            return []
        return [answer]


async def stream(writer: asyncio.StreamWriter, lines_per_s: float, line: "list[bytes]") -> None:
    """Send what was read a while ago again and again, without being asked."""
    with contextlib.suppress(ConnectionError, OSError):
        while not writer.is_closing():
            await asyncio.sleep(1 / lines_per_s)
            if line:
                writer.write(line[-1])
                await writer.drain()
