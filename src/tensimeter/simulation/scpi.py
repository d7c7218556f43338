"""A small SCPI speaker: command tree with long and short forms, and an error queue.

After SCPI 1999.0, volume 1: short forms (6.2.1), error queue (volume 2, 21.8), and the mandatory
common commands of IEEE 488.2.
"""

import re
from collections import deque
from collections.abc import Callable

#: Standard errors (SCPI 1999.0, volume 2, 21.8).
ERRORS = {
    -100: "Command error",
    -102: "Syntax error",
    -104: "Data type error",
    -108: "Parameter not allowed",
    -109: "Missing parameter",
    -113: "Undefined header",
    -221: "Settings conflict",
    -222: "Data out of range",
    -224: "Illegal parameter value",
    -230: "Data corrupt or stale",
    -350: "Queue overflow",
}
_QUEUE_LENGTH = 20
_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")


class ScpiError(Exception):
    """A command that fails with a standard error number."""

    def __init__(self, number: int) -> None:
        super().__init__(ERRORS[number])
        self.number = number


#: An answer in bytes is a block of data; it stands alone.
Handler = Callable[[str], str | bytes | None]


class ScpiDevice:
    """Base of a stand-in: answers a line with a line or nothing; never raises."""

    def __init__(self, name: str) -> None:
        self.name = name
        self._errors: deque[int] = deque()
        self._tree: list[tuple[re.Pattern[str], Handler]] = []
        self._enabled = 0
        self.on("*ESE?", lambda _: str(self._enabled))
        self.on("*ESE", self._enable)
        self.on("*IDN?", lambda _: f"Simulated,{self.name},0,1")
        self.on("*RST", lambda _: self.reset())
        self.on("*CLS", lambda _: self._errors.clear())
        self.on("*OPC?", lambda _: "1")
        self.on("*OPC", lambda _: None)
        self.on("SYSTem:ERRor[:NEXT]?", lambda _: self._next_error())

    def on(self, pattern: str, handler: Handler) -> None:
        """Answer a header; capitals are the short form, brackets may be left out."""
        self._tree.append((_compile(pattern), handler))

    def _enable(self, argument: str) -> None:
        self._enabled = int(number(argument, 0, 255))

    def reset(self) -> None:
        """To the state after switching on."""

    def push_error(self, number: int) -> None:
        if len(self._errors) >= _QUEUE_LENGTH:
            self._errors[-1] = -350
        else:
            self._errors.append(number)

    def handle(self, line: str) -> str | bytes | None:
        """The answer to one line, which may hold several commands parted by semicolons."""
        answers = [a for part in line.split(";") if (a := self._one(part.strip())) is not None]
        block = next((a for a in answers if isinstance(a, bytes)), None)
        if block is not None:
            return block
        return ";".join(str(a) for a in answers) if answers else None

    def _one(self, command: str) -> str | bytes | None:
        if not command:
            return None
        header, _, argument = command.partition(" ")
        header = header if header.startswith("*") else header.lstrip(":")
        for pattern, handler in self._tree:
            if pattern.fullmatch(header):
                try:
                    return handler(argument.strip())
                except ScpiError as error:
                    self.push_error(error.number)
                    return None
        self.push_error(-113)
        return None

    def _next_error(self) -> str:
        number = self._errors.popleft() if self._errors else 0
        return f'{number},"{ERRORS.get(number, "No error")}"'


def _compile(pattern: str) -> re.Pattern[str]:
    def word(match: re.Match[str]) -> str:
        text = match.group()
        short = "".join(c for c in text if not c.islower())
        return f"(?:{text}|{short})" if short != text else re.escape(text)

    body = re.sub(r"[A-Za-z]+", word, pattern.replace("*", r"\*").replace("?", r"\?"))
    body = body.replace("[", "(?:").replace("]", ")?")
    return re.compile(body, re.IGNORECASE)


def number(argument: str, low: float, high: float) -> float:
    """A numeric parameter within its range; ScpiError otherwise."""
    if not argument:
        raise ScpiError(-109)
    if not _NUMBER.fullmatch(argument):
        raise ScpiError(-104)
    value = float(argument)
    if not low <= value <= high:
        raise ScpiError(-222)
    return value


def boolean(argument: str) -> bool:
    """ON, OFF, 1 or 0; ScpiError otherwise."""
    if not argument:
        raise ScpiError(-109)
    word = argument.upper()
    if word not in ("ON", "OFF", "1", "0"):
        raise ScpiError(-224)
    return word in ("ON", "1")


def shown(value: float) -> str:
    return f"{value:.6E}"


def block(data: bytes) -> bytes:
    """A definite length block (IEEE 488.2, 8.7.9): `#`, a digit, that many digits of length, the data."""
    length = str(len(data))
    return f"#{len(length)}{length}".encode() + data
