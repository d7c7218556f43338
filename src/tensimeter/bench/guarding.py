"""A run's guard process from the run's side: told what to drop, fed after good looks, heeded once it acts."""

import contextlib
import json
import os
import select
import shutil
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tensimeter import guard as guard_process
from tensimeter.bench import wall
from tensimeter.bench.cuts import address_of, by_number
from tensimeter.bench.visa import VisaInstrument
from tensimeter.core.errors import UserError

if TYPE_CHECKING:
    from tensimeter.bench.setup import Bench

#: After how many seconds without a good look the guard acts, and within which it must have begun.
SILENT_S, BEGINS_S = 1.2, 3.0


def told_of(bench: "Bench", nothing_A: dict[str, float], job_path: Path) -> dict[str, Any]:
    """Everything that a guard needs to know of a bench, in addresses; UserError where a name has none."""
    loads = [
        _load_told(role, one, nothing_A[role]) for role, one in bench.loads().items()
        if isinstance(one, VisaInstrument)
    ]  # fmt: skip
    cuts = [cut.told(name) for name, cut in bench.cuts.items()]
    if isinstance(bench.line, VisaInstrument) and (address := address_of(by_number(bench.line.resource))):
        p = bench.line.profile
        cuts.append(
            {
                "name": "line source",
                "kind": "command",
                "address": address,
                "termination": p.termination,
                **{k: p.commands.get(k, "") for k in ("on", "off", "is_on")},
            }
        )
    return {
        "loads": loads,
        "cuts": cuts,
        "job": str(job_path),
        "silent_s": wall.of_others(SILENT_S),
        "tries": guard_process.TRIES,
    }


def _load_told(role: str, load: VisaInstrument, nothing_A: float) -> dict[str, Any]:
    p = load.profile
    return {
        "name": role,
        "fd": load.link.descriptor if load.link is not None else None,
        "address": address_of(load.reached_at or load.resource),
        "off": [p.commands["off"], p.commands["set_amps"].replace("{amps}", "0")],
        "amps": p.commands["read_amps"],
        "numbered": load.behind_number(p.commands["read_amps"]),
        "termination": p.termination,
        "most_A": nothing_A,
    }


class RunGuard:
    """One guard process for one run. Any thread may ask it to drop; the run's own thread feeds it."""

    def __init__(self, told: dict[str, Any]) -> None:
        self.told = told
        self._process: subprocess.Popen[bytes] | None = None
        self._heard = b""
        self._mutex = threading.Lock()
        #: What it did, once it has acted; empty before.
        self.acted: dict[str, Any] = {}

    def start(self) -> None:
        """Begin to guard; UserError where no guard can be had."""
        program = [sys.executable, "-I", "-S", str(Path(guard_process.__file__))]
        fds = [one["fd"] for one in self.told["loads"] if one["fd"] is not None]
        for command in (*_in_own_scope(program), program):
            try:
                self._process = subprocess.Popen(
                    command,
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    stderr=subprocess.DEVNULL,
                    pass_fds=fds,
                    start_new_session=True,
                    cwd="/",
                )
            except OSError:
                continue
            assert self._process.stdin is not None
            with contextlib.suppress(OSError):
                self._process.stdin.write(json.dumps(self.told).encode() + b"\n")
                self._process.stdin.flush()
            if self._wait_for("ready", BEGINS_S):
                return
            self._process.kill()
            self._process.wait()
        raise UserError("The guard, which drops the load when this program can't, did not start.")

    @property
    def pid(self) -> int:
        return self._process.pid if self._process is not None else 0

    def beat(self) -> None:
        """A good look was had."""
        self._send(b".")

    def arm(self) -> None:
        """A load may be on from now on."""
        self._send(b"a")

    def disarm(self) -> None:
        """Every load is proven off."""
        self._send(b"d")

    def drop(self, seconds: float = 1.5) -> dict[str, Any]:
        """Have it drop the load at once, whatever this program is doing; what came of it."""
        self._send(b"!")
        self._wait_for("acted", seconds)
        return self.acted

    def leave(self) -> None:
        """The run is over."""
        self._send(b"q")
        process = self._process
        if process is not None:
            if process.stdin is not None:
                with contextlib.suppress(OSError):
                    process.stdin.close()
            threading.Thread(target=process.wait, daemon=True).start()

    def fenced(self) -> str:
        """Why nothing may be switched on any more: it acted, or is gone itself; empty while all is well."""
        with self._mutex:
            alive = self._listen(0.0)
            if self.acted:
                return str(self.acted.get("acted") or "The guard is dropping the load.")
            return (
                ""
                if alive
                else "The guard has gone, so that nothing would drop the load if this program died."
            )

    def _wait_for(self, word: str, seconds: float) -> bool:
        end = time.monotonic() + wall.of_others(seconds)
        while (left := end - time.monotonic()) > 0:
            with self._mutex:
                alive = self._listen(min(left, 0.02))
                if word in self.acted or (word == "ready" and b'"ready"' in self._heard):
                    return True
            if not alive:
                return word in self.acted
        return False

    def _listen(self, seconds: float) -> bool:
        """Take in what it says; False once it says no more."""
        process = self._process
        if process is None or process.stdout is None:
            return False
        fd = process.stdout.fileno()
        while select.select([fd], [], [], seconds)[0]:
            data = os.read(fd, 65536)
            if not data:
                return False
            self._heard += data
            for line in self._heard.split(b"\n")[:-1]:
                told = json.loads(line)
                if "acting" in told or "acted" in told:
                    self.acted = {**self.acted, **told}
            seconds = 0.0
        return True

    def _send(self, byte: bytes) -> None:
        process = self._process
        if process is not None and process.stdin is not None:
            with contextlib.suppress(OSError, ValueError):
                os.write(process.stdin.fileno(), byte)


def _in_own_scope(program: list[str]) -> list[list[str]]:
    """The same in a scope of its own where systemd keeps the session's: it outlives the session's end."""
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    if not (runtime and (Path(runtime) / "systemd").is_dir()):
        return []
    found = shutil.which("systemd-run")
    return [[found, "--user", "--scope", "--quiet", "--collect", "--", *program]] if found else []


class StaysAwake:
    """Keeps the machine from going to sleep while a run is on, where logind is there to ask."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        found = shutil.which("systemd-inhibit")
        if found is None or not Path("/run/systemd/seats").exists():
            return
        words = [
            "--what=sleep:idle:handle-lid-switch",
            "--who=Tensimeter",
            "--why=A load is on",
            "--mode=block",
        ]
        with contextlib.suppress(OSError):
            self._process = subprocess.Popen(
                [found, *words, "cat"],
                stdin=subprocess.PIPE,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )

    def end(self) -> None:
        if self._process is not None:
            if self._process.stdin is not None:
                self._process.stdin.close()
            self._process.terminate()
            threading.Thread(target=self._process.wait, daemon=True).start()
