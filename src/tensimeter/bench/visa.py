"""Real and simulated instruments alike, reached through PyVISA by resource string and profile."""

import contextlib
import math
import re
import threading
import warnings
from typing import Any

import numpy as np

from tensimeter.bench.profile import Profile
from tensimeter.bench.roles import LinkFailed
from tensimeter.core.arrays import Array

#: An entry of an error queue: a number and a text (SCPI 1999.0, volume 2, 21.8), or a number alone.
_ERROR = re.compile(r"^[+-]?\d+\s*(,|$)")

_manager: Any = None
_manager_lock = threading.Lock()


def _resource_manager() -> Any:
    global _manager
    with _manager_lock:
        if _manager is None:
            import pyvisa

            _manager = pyvisa.ResourceManager("@py")
        return _manager


def listed() -> list[str]:
    """Resources that this machine's ports and networks show by themselves."""
    import pyvisa

    try:
        with warnings.catch_warnings():
            # What could be found with further packages is no news to a builder.
            warnings.simplefilter("ignore")
            found = [str(r) for r in _resource_manager().list_resources("?*")]
        return [r for r in found if r.endswith(("INSTR", "SOCKET"))]
    except (pyvisa.Error, OSError, ValueError):
        return []


class VisaInstrument:
    """One instrument of any role; plays those for which its profile has commands."""

    def __init__(self, resource: str, profile: Profile, part: str) -> None:
        self.resource, self.profile, self.part = resource, profile, part
        self._link: Any = None
        self._mutex = threading.Lock()
        self.reconnect()

    def reconnect(self) -> None:
        import pyvisa

        self.close()
        try:
            self._link = _resource_manager().open_resource(
                self.resource,
                read_termination=self.profile.termination,
                write_termination=self.profile.termination,
                timeout=int(self.profile.timeout_s * 1000),
                open_timeout=1000,
            )
            if self.resource.upper().startswith("ASRL"):
                self._link.baud_rate = self.profile.baud
        except (pyvisa.Error, OSError, ValueError) as error:
            raise LinkFailed(f"{self.resource} can't be reached: {_first_line(error)}") from error

    def close(self) -> None:
        if self._link is not None:
            with contextlib.suppress(Exception):
                self._link.close()
            self._link = None

    @property
    def has_watchdog(self) -> bool:
        return "watchdog" in self.profile.commands

    def identity(self) -> str:
        return self._ask("identify")

    def arm_watchdog(self, seconds: float) -> None:
        if self.has_watchdog:
            self._say("watchdog", seconds=f"{seconds:.2f}")

    def prepare(self) -> None:
        """Bring it to a known state: reset, no old complaints, constant current."""
        for command in ("reset", "clear", "constant_current"):
            if command in self.profile.commands:
                self._say(command)

    def can(self, command: str) -> bool:
        return command in self.profile.commands

    def set_amps(self, amps: float) -> None:
        self._say("set_amps", amps=f"{amps:.4f}")

    def set_ohms(self, ohms: float) -> None:
        self._say("set_ohms", ohms=f"{ohms:.5g}")

    def set_watts(self, watts: float) -> None:
        self._say("set_watts", watts=f"{watts:.4f}")

    def use(self, mode: str) -> None:
        """Choose what a load holds constant: `constant_current`, `constant_resistance`, `constant_power`."""
        if self.can(mode):
            self._say(mode)
        elif mode != "constant_current":
            raise LinkFailed(f"{self.part} has no {mode.replace('_', ' ')} in its profile.")

    def set_volts(self, volts: float) -> None:
        self._say("set_volts", volts=f"{volts:.2f}")

    def ask_hands(self, command: str, **values: str) -> None:
        """Have simulated hands do what a person would."""
        self._say(command, **values)

    def arm(self, rate_Hz: float, points: int, before: float, source: str) -> None:
        """Make an oscilloscope ready for one record: at once (IMM), or about an event (EXT)."""
        self._say("arm", rate=f"{rate_Hz:.6g}", points=str(points), before=f"{before:.3f}", source=source)

    def fetch(self) -> tuple[Array, float, float]:
        """Volts (n,), samples a second, and the first one's time from the event."""
        answer = self._ask("scaling")
        try:
            step_s, start_s, volts, zero = (float(x) for x in answer.split(","))
        except ValueError as error:
            raise LinkFailed(
                f"{self.part} answered “{answer[:40]}” where four figures were asked."
            ) from error
        if not step_s > 0:
            raise LinkFailed(f"{self.part} gave no time from sample to sample.")
        codes = np.asarray(self.fetch_raw(), float)
        if len(codes) < 2 or not np.isfinite(codes).all() or np.abs(codes).max() >= 9.9e37:
            raise LinkFailed(f"{self.part} gave no waveform.")
        record = codes * volts + zero if self.profile.encoding == "int16" else codes
        return record, 1 / step_s, start_s

    def fetch_raw(self) -> list[float]:
        """The record as it is sent: codes, or volts."""
        if self.profile.encoding == "ascii":
            answer = self._ask("fetch")
            try:
                return [float(x) for x in answer.split(",")]
            except ValueError as error:
                raise LinkFailed(f"{self.part} answered no list of numbers.") from error
        kind = "h" if self.profile.encoding == "int16" else "f"
        text = self._text("fetch")
        try:
            found: list[float] = self._talk(
                lambda link: link.query_binary_values(text, kind, self.profile.big_endian)
            )
        except (ValueError, TypeError) as error:
            raise LinkFailed(f"{self.part} gave no block of data.") from error
        return found

    def say_raw(self, text: str) -> None:
        self._talk(lambda link: link.write(text))

    def ask_raw(self, text: str) -> str:
        return str(self._talk(lambda link: link.query(text))).strip()

    def switch(self, on: bool) -> None:
        self._say("on" if on else "off")

    def is_on(self) -> bool:
        answer = self._ask("is_on").upper()
        if answer not in ("0", "1", "ON", "OFF"):
            raise LinkFailed(f"{self.part} answered “{answer[:40]}” where on or off was asked.")
        return answer in ("1", "ON")

    def read_volts(self) -> float:
        return self._number("read_volts")

    def read_amps(self) -> float:
        return self._number("read_amps")

    def read_watts(self) -> float:
        return self._number("read_watts")

    def read_celsius(self) -> float:
        return self._number("read_celsius")

    def read_all_celsius(self, channels: int) -> list[float]:
        """°C of the first channels, in one question where the profile knows it."""
        if channels == 1 or not self.can("read_all_celsius"):
            return [self.read_celsius()]
        answer = self._ask("read_all_celsius", channels=str(channels))
        try:
            found = [_number_of(x) for x in answer.split(",")]
        except ValueError as error:
            raise LinkFailed(f"{self.part} answered “{answer[:40]}” where numbers were asked.") from error
        if len(found) != channels:
            raise LinkFailed(f"{self.part} answered {len(found)} temperatures where {channels} were asked.")
        return found

    def errors(self) -> list[str]:
        found: list[str] = []
        while "error" in self.profile.commands and len(found) < 32:
            answer = self._ask("error")
            if not _ERROR.match(answer):
                raise LinkFailed(f"{self.part} answered “{answer[:40]}” where its errors were asked.")
            if answer.lstrip("+").startswith("0"):
                break
            found.append(answer)
        return found

    def _number(self, command: str) -> float:
        answer = self._ask(command)
        try:
            value = _number_of(answer)
        except ValueError as error:
            raise LinkFailed(f"{self.part} answered “{answer[:40]}” where a number was asked.") from error
        return value

    def _text(self, command: str, **values: str) -> str:
        text = self.profile.commands[command]
        for name, value in values.items():
            text = text.replace("{" + name + "}", value)
        return text

    def _say(self, command: str, **values: str) -> None:
        self._talk(lambda link: link.write(self._text(command, **values)))

    def _ask(self, command: str, **values: str) -> str:
        return str(self._talk(lambda link: link.query(self._text(command, **values)))).strip()

    def _talk(self, action: Any) -> Any:
        import pyvisa

        with self._mutex:
            if self._link is None:
                raise LinkFailed(f"{self.part} is not connected.")
            try:
                return action(self._link)
            except (pyvisa.Error, OSError, UnicodeDecodeError) as error:
                raise LinkFailed(f"{self.part}: {_first_line(error)}") from error


def _number_of(answer: str) -> float:
    value = float(answer)
    if math.isnan(value):
        raise ValueError(answer)
    # IEEE 488.2 and SCPI 1999 (vol. 1, 7.2.1.4): 9.9E37 stands for infinity.
    return math.copysign(math.inf, value) if abs(value) >= 9.9e37 else value


def _first_line(error: BaseException) -> str:
    text = str(error).splitlines()[0] if str(error) else type(error).__name__
    if "VI_ERROR_TMO" in text:
        return "no answer in time."
    if "VI_ERROR_CONN_LOST" in text or isinstance(error, ConnectionError):
        return "its link was lost."
    return text
