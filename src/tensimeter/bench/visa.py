"""Real and simulated instruments alike, reached through PyVISA by resource string and profile."""

import contextlib
import math
import threading
import tomllib
from importlib import resources
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tensimeter.bench.roles import LinkFailed
from tensimeter.core.errors import Trouble

_manager: Any = None
_manager_lock = threading.Lock()


class Profile(BaseModel):
    """What to say to an instrument, from a TOML file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    role: Literal["load", "voltmeter", "thermometer"]
    termination: str = "\n"
    timeout_s: float = Field(default=0.7, gt=0, le=10)
    commands: dict[str, str]


_NEEDED = {
    "load": {"set_amps", "on", "off", "is_on", "read_volts", "read_amps"},
    "voltmeter": {"read_volts"},
    "thermometer": {"read_celsius"},
}


def load_profile(name: str) -> Profile:
    """A shipped profile by name, or one of the user's by path; Trouble when it can't be used."""
    path = Path(name)
    shipped = resources.files("tensimeter.bench").joinpath("profiles", f"{path.name}.toml")
    try:
        text = shipped.read_text() if shipped.is_file() else path.read_text()
        profile = Profile.model_validate(tomllib.loads(text))
    except OSError as error:
        raise Trouble(f"The profile {name} can't be read: {error.strerror}.") from error
    except (tomllib.TOMLDecodeError, ValidationError, UnicodeDecodeError) as error:
        first = str(error).splitlines()[0]
        raise Trouble(f"The profile {name} is not one that can be used: {first}.") from error
    missing = _NEEDED[profile.role] - set(profile.commands)
    if missing:
        raise Trouble(f"The profile {name} lacks the command {', '.join(sorted(missing))}.")
    return profile


def _resource_manager() -> Any:
    global _manager
    with _manager_lock:
        if _manager is None:
            import pyvisa

            _manager = pyvisa.ResourceManager("@py")
        return _manager


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

    def set_amps(self, amps: float) -> None:
        self._say("set_amps", amps=f"{amps:.4f}")

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

    def read_celsius(self) -> float:
        return self._number("read_celsius")

    def errors(self) -> list[str]:
        found: list[str] = []
        while "error" in self.profile.commands and len(found) < 32:
            answer = self._ask("error")
            if answer.lstrip("+").startswith("0"):
                break
            found.append(answer)
        return found

    def _number(self, command: str) -> float:
        answer = self._ask(command)
        try:
            value = float(answer)
        except ValueError as error:
            raise LinkFailed(f"{self.part} answered “{answer[:40]}” where a number was asked.") from error
        if math.isnan(value):
            raise LinkFailed(f"{self.part} answered that it has no number.")
        # IEEE 488.2 and SCPI 1999 (vol. 1, 7.2.1.4): 9.9E37 stands for infinity.
        return math.copysign(math.inf, value) if abs(value) >= 9.9e37 else value

    def _text(self, command: str, **values: str) -> str:
        text = self.profile.commands[command]
        for name, value in values.items():
            text = text.replace("{" + name + "}", value)
        return text

    def _say(self, command: str, **values: str) -> None:
        self._talk(lambda link: link.write(self._text(command, **values)))

    def _ask(self, command: str) -> str:
        return str(self._talk(lambda link: link.query(self._text(command)))).strip()

    def _talk(self, action: Any) -> Any:
        import pyvisa

        with self._mutex:
            if self._link is None:
                raise LinkFailed(f"{self.part} is not connected.")
            try:
                return action(self._link)
            except (pyvisa.Error, OSError, UnicodeDecodeError) as error:
                raise LinkFailed(f"{self.part}: {_first_line(error)}") from error


def _first_line(error: BaseException) -> str:
    text = str(error).splitlines()[0] if str(error) else type(error).__name__
    if "VI_ERROR_TMO" in text:
        return "no answer in time."
    if "VI_ERROR_CONN_LOST" in text or isinstance(error, ConnectionError):
        return "its link was lost."
    return text
