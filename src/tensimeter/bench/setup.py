"""A bench file names the instruments of a bench; from it they are opened by role."""

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from msgspec import Struct
from pydantic import ValidationError

from tensimeter.bench import doors
from tensimeter.bench.by_file import PREFIX
from tensimeter.bench.clock import PATIENT_S, Clock
from tensimeter.bench.cuts import Cut
from tensimeter.bench.profile import GENERIC, load_profile, role_of
from tensimeter.bench.profiled import ProfiledInstrument
from tensimeter.bench.replay import Replay
from tensimeter.bench.roles import LinkFailed
from tensimeter.bench.visa import VisaInstrument
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.store.regular import read_toml


@dataclass
class Bench:
    """Opened instruments, and the clock that they live by; `others` are further loads by role."""

    load: VisaInstrument | Replay
    voltmeter: ProfiledInstrument | Replay | None = None
    thermometer: ProfiledInstrument | Replay | None = None
    others: dict[str, VisaInstrument] = field(default_factory=dict)
    scope: VisaInstrument | None = None
    clamp: ProfiledInstrument | None = None
    line: VisaInstrument | None = None
    #: Simulated hands; a person is asked where there are none.
    hands: VisaInstrument | None = None
    clock: Clock = field(default_factory=Clock)
    #: What cuts the supply where a load does not obey, by name, in the order used.
    cuts: dict[str, Cut] = field(default_factory=dict)

    def longest_of(self, instrument: ProfiledInstrument | Replay, seconds: float) -> float:
        """How long an exchange with an instrument may take, s: at most so many while time goes on."""
        return PATIENT_S if self.clock.stepped else min(instrument.longest_s, seconds)

    def loads(self) -> dict[str, VisaInstrument | Replay]:
        """Every load by its role."""
        return {"load": self.load, **self.others}

    @property
    def simulated(self) -> bool:
        """Whether any instrument of it is a simulated one: then nothing that it reads proves anything."""
        return any(i.simulated for i in self.all().values())

    @property
    def loads_a_supply(self) -> bool:
        """Whether a real load may draw from it: what is simulated or played from a log hurts nobody."""
        return any(not (load.simulated or load.plays_back) for load in self.loads().values())

    @property
    def drops_by_itself(self) -> bool:
        """Whether nothing flows after this program, or a load's link, has died, with nobody there."""
        return bool(self.cuts) or all(load.has_watchdog for load in self.loads().values())

    def break_off(self) -> None:
        """End every exchange that is on; from any thread."""
        for instrument in (*self.all().values(), self.hands):
            if instrument:
                instrument.break_off()

    def all(self) -> dict[str, ProfiledInstrument | Replay]:
        named: dict[str, ProfiledInstrument | Replay | None] = {
            "load": self.load,
            "voltmeter": self.voltmeter,
            "thermometer": self.thermometer,
            "scope": self.scope,
            "clamp": self.clamp,
            "line": self.line,
            **self.others,
        }
        return {role: i for role, i in named.items() if i is not None}

    def close(self) -> None:
        for instrument in (*self.all().values(), self.hands):
            if instrument:
                instrument.close()

    def identities(self) -> dict[str, str]:
        """What each instrument says of itself, by role."""
        return {role: i.identity() for role, i in self.all().items()}


def parts_by_role(job: Job) -> dict[str, str | None]:
    """Which card of the stock each role of a campaign is."""
    c = job.campaign
    found = {
        "load": c.load,
        "voltmeter": c.voltmeter,
        "thermometer": c.thermometer,
        "scope": c.oscilloscope,
        "clamp": c.clamp,
        "line": c.line_source,
    }
    return found | {f"load{k + 2}": part for k, part in enumerate(c.other_loads)}


def open_bench(
    job: Job,
    resources: dict[str, str],
    *,
    profiles: dict[str, str] | None = None,
    speed: float = 1,
    clock: Clock | None = None,
) -> Bench:
    """Open the instruments of a campaign by role → resource string; UserError when one is missing.

    `replay:` and a path stand for a log that is played again instead of an instrument.
    """
    wanted = parts_by_role(job)
    if "load" not in resources:
        raise UserError("A run needs a load; the bench names none.")
    clock = clock or Clock(speed)
    opened: dict[str, ProfiledInstrument | Replay] = {}
    replays: dict[str, Replay] = {}
    try:
        for name, resource in resources.items():
            part = wanted.get(name) or name
            if resource.startswith("replay:"):
                path = resource.removeprefix("replay:")
                if path not in replays:
                    replays[path] = Replay(Path(path), part)
                opened[name] = replays[path].as_part(part)
                continue
            profile = (profiles or {}).get(name, "")
            opened[name] = open_instrument(name, resource, profile, part, patient=clock.stepped)
    except (LinkFailed, UserError) as error:
        for instrument in opened.values():
            instrument.close()
        raise UserError(f"The bench could not be opened: {error}") from error
    named: dict[str, Any] = {k: v for k, v in opened.items() if not k[-1].isdigit()}
    others = {k: v for k, v in opened.items() if k[-1].isdigit() and isinstance(v, VisaInstrument)}
    return Bench(**named, others=others, clock=clock)


def open_instrument(
    name: str, resource: str, profile_name: str, part: str, *, patient: bool = False
) -> ProfiledInstrument:
    """Open one instrument and ask who it is, which switches nothing; `patient` waits long for its answers.

    UserError or LinkFailed when it fails.
    """
    role = role_of(name)
    chosen = profile_name or GENERIC[role]
    profile = load_profile(chosen)
    if profile.role != role:
        raise UserError(f"The profile {chosen} is for a {profile.role}, not for a {role}.")
    instrument = doors.opened(resource, profile, part)
    if patient:
        instrument.longest_s = PATIENT_S
    try:
        # A socket may open on nothing; only an answer tells.
        instrument.identity()
    except LinkFailed:
        instrument.close()
        raise
    return instrument


def open_bench_file(job: Job, path: Path) -> Bench:
    """Open what a bench file names: a table a role with `resource` and, if need be, `profile`."""
    told = read_bench_file(path)
    bench = open_bench(job, told.resources, profiles=told.profiles, speed=told.speed)
    bench.cuts = told.cuts
    return bench


def write_bench_file(path: Path, wanted: dict[str, tuple[str, str]]) -> None:
    """Write a bench file from role → (resource, profile); UserError where it can't be."""
    if "load" not in wanted:
        raise UserError("A bench needs a load; say where it is.")
    lines = ["# Written by Tensimeter; edit it as you like."]
    for role, (resource, profile) in wanted.items():
        load_profile(profile)
        lines += [f"[{role}]", f"resource = {json.dumps(resource)}", f"profile = {json.dumps(profile)}", ""]
    try:
        path.write_text("\n".join(lines))
    except OSError as error:
        raise UserError(f"{path} can't be written: {error.strerror}.") from error


def read_voltmeter(job: Job, path: Path) -> tuple[float, bool]:
    """One reading of the voltmeter that a bench file names, in V, and whether it is simulated.

    Nothing else is opened or switched.
    """
    told = read_bench_file(path)
    if "voltmeter" not in told.resources:
        raise UserError(f"{path} names no voltmeter.")
    part = job.campaign.voltmeter or "voltmeter"
    try:
        meter = open_instrument(
            "voltmeter", told.resources["voltmeter"], told.profiles.get("voltmeter", ""), part
        )
    except LinkFailed as error:
        raise UserError(f"The voltmeter could not be opened: {error}") from error
    try:
        return meter.read_volts(), meter.simulated
    except LinkFailed as error:
        raise UserError(f"The voltmeter gave no reading: {error} Nothing was kept.") from error
    finally:
        meter.close()


class BenchFile(Struct, frozen=True):
    """What a bench file says: resource and profile by role, cuts by name, the speed of its clock."""

    resources: dict[str, str]
    profiles: dict[str, str]
    cuts: dict[str, Cut]
    speed: float = 1.0


def read_bench_file(path: Path) -> BenchFile:
    """A bench file; UserError where it is none. Paths in it are meant from where it lies."""
    path = Path(path)
    data = read_toml(path, "a bench file")
    speed = data.pop("speed", 1.0)
    if isinstance(speed, bool) or not isinstance(speed, int | float) or not 1e-3 <= speed <= 1e6:
        raise UserError(f"{path}: speed must be a number above zero.")
    resources, profiles, cuts = {}, {}, {}
    for role, entry in data.items():
        if not isinstance(entry, dict):
            raise UserError(f'{path}: [{role[:40]}] needs a line resource = "…".')
        if role.rstrip("0123456789") == "cut":
            cuts[role] = _cut(path, role, entry)
            continue
        role_of(role)
        unknown = set(entry) - {"resource", "profile", "replay"}
        if unknown:
            raise UserError(f"{path}: [{role}] has “{sorted(unknown)[0][:40]}”, which is not known.")
        if isinstance(entry.get("replay"), str):
            resources[role] = f"replay:{path.parent / entry['replay']}"
        elif isinstance(entry.get("resource"), str):
            resources[role] = _from_beside(path, entry["resource"])
        else:
            raise UserError(f'{path}: [{role}] needs a line resource = "…".')
        if "profile" in entry:
            profiles[role] = _profile_from(path, entry["profile"])
    return BenchFile(resources, profiles, cuts, float(speed))


def _from_beside(path: Path, resource: str) -> str:
    """A resource; one that is a file is meant from where the bench file lies."""
    if resource.startswith(PREFIX):
        return f"{PREFIX}{path.parent / resource.removeprefix(PREFIX)}"
    return resource


def _profile_from(path: Path, named: object) -> str:
    """A shipped profile's name, or a path from where the bench file lies."""
    if not isinstance(named, str):
        raise UserError(f"{path}: a profile is named by text.")
    beside = path.parent / named
    return str(beside) if ("/" in named or named.endswith(".toml")) else named


def _cut(path: Path, name: str, entry: dict[str, object]) -> Cut:
    try:
        return Cut.model_validate(entry)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(step) for step in first["loc"]) or "the whole"
        raise UserError(f"{path}: [{name}]: {where}: {first['msg']}.") from error
