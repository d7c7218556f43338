"""A bench file names the instruments of a bench; from it they are opened by role."""

import contextlib
import tomllib
from dataclasses import dataclass, field
from pathlib import Path

from tensimeter.bench.clock import Clock
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.visa import VisaInstrument, load_profile
from tensimeter.core.errors import Trouble
from tensimeter.core.job.document import Job

_DEFAULT_PROFILE = {
    "load": "generic-load",
    "voltmeter": "generic-meter",
    "thermometer": "generic-thermometer",
}


@dataclass
class Bench:
    """Opened instruments, and the clock that they live by."""

    load: VisaInstrument
    voltmeter: VisaInstrument | None = None
    thermometer: VisaInstrument | None = None
    clock: Clock = field(default_factory=Clock)

    def close(self) -> None:
        for instrument in (self.load, self.voltmeter, self.thermometer):
            if instrument:
                instrument.close()

    def identities(self) -> dict[str, str]:
        """What each instrument says of itself, by role."""
        roles = {"load": self.load, "voltmeter": self.voltmeter, "thermometer": self.thermometer}
        return {role: i.identity() for role, i in roles.items() if i}


def open_bench(
    job: Job, resources: dict[str, str], *, profiles: dict[str, str] | None = None, speed: float = 1
) -> Bench:
    """Open the instruments of a campaign by role → resource string; Trouble when one is missing."""
    wanted = {
        "load": job.campaign.load,
        "voltmeter": job.campaign.voltmeter,
        "thermometer": job.campaign.thermometer,
    }
    if "load" not in resources:
        raise Trouble("A run needs a load; the bench names none.")
    opened: dict[str, VisaInstrument] = {}
    try:
        for role, resource in resources.items():
            if role not in wanted:
                raise Trouble(f"“{role}” is no role; use load, voltmeter or thermometer.")
            name = (profiles or {}).get(role) or _DEFAULT_PROFILE[role]
            profile = load_profile(name)
            if profile.role != role:
                raise Trouble(f"The profile {name} is for a {profile.role}, not for a {role}.")
            opened[role] = VisaInstrument(resource, profile, wanted[role] or role)
            # A socket may open on nothing; only an answer tells. Asking who it is switches nothing.
            if "identify" in profile.commands:
                opened[role].identity()
    except (LinkFailed, Trouble) as error:
        for instrument in opened.values():
            instrument.close()
        raise Trouble(f"The bench could not be opened: {error}") from error
    return Bench(opened["load"], opened.get("voltmeter"), opened.get("thermometer"), Clock(speed))


def open_bench_file(job: Job, path: Path) -> Bench:
    """Open what a bench file names: a table a role with `resource` and, if need be, `profile`."""
    resources, profiles, speed = _read_bench_file(path)
    return open_bench(job, resources, profiles=profiles, speed=speed)


def read_voltmeter(job: Job, path: Path) -> float:
    """One reading of the voltmeter that a bench file names, in V; nothing else is opened or switched."""
    resources, profiles, _ = _read_bench_file(path)
    if "voltmeter" not in resources:
        raise Trouble(f"{path} names no voltmeter.")
    profile = load_profile(profiles.get("voltmeter") or _DEFAULT_PROFILE["voltmeter"])
    try:
        meter = VisaInstrument(resources["voltmeter"], profile, job.campaign.voltmeter or "voltmeter")
    except LinkFailed as error:
        raise Trouble(f"The voltmeter could not be opened: {error}") from error
    try:
        return meter.read_volts()
    except LinkFailed as error:
        raise Trouble(f"The voltmeter gave no reading: {error} Nothing was kept.") from error
    finally:
        meter.close()


def _read_bench_file(path: Path) -> tuple[dict[str, str], dict[str, str], float]:
    """Resource and profile by role, and the speed of its clock; Trouble where it is no bench file."""
    try:
        data = tomllib.loads(Path(path).read_text())
    except OSError as error:
        raise Trouble(f"{path} can't be read: {error.strerror}.") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise Trouble(f"{path} is not a bench file: {error}.") from error
    speed = data.pop("speed", 1.0)
    resources, profiles = {}, {}
    for role, entry in data.items():
        if not isinstance(entry, dict) or not isinstance(entry.get("resource"), str):
            raise Trouble(f'{path}: [{role}] needs a line resource = "…".')
        resources[role] = entry["resource"]
        with contextlib.suppress(KeyError):
            profiles[role] = str(entry["profile"])
    if not isinstance(speed, int | float) or speed <= 0:
        raise Trouble(f"{path}: speed must be a number above zero.")
    return resources, profiles, float(speed)
