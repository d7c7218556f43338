"""Serves the stand-ins, each on a TCP socket of 127.0.0.1, from one thread with one event loop."""

import asyncio
import contextlib
import threading
from collections.abc import Mapping

from tensimeter.bench.clock import Clock
from tensimeter.bench.simulated.behaviour import Behaviour
from tensimeter.bench.simulated.instruments import (
    SimulatedClamp,
    SimulatedLoad,
    SimulatedMeter,
    SimulatedThermometer,
    World,
)
from tensimeter.bench.simulated.powering import SimulatedHands, SimulatedLine
from tensimeter.bench.simulated.scope import SimulatedScope
from tensimeter.bench.simulated.scpi import ScpiDevice
from tensimeter.bench.simulated.supply import HiddenErrors, SimulatedSupply
from tensimeter.bench.simulated.warmth import HeatTruths
from tensimeter.core.errors import Trouble
from tensimeter.core.job.document import Job
from tensimeter.core.job.parts import Clamp, ElectronicLoad, LineSource, Multimeter, Oscilloscope, Thermometer

_LONGEST_LINE = 4096
#: How late, in s, an answer comes from a stand-in that is told to be late; and other wrong answers.
LATE_S = 1.2
_FAULTY = {"garble": b"\x00?!garbled\n", "overload": b"9.9E37\n"}


class StandIns:
    """The simulated bench of a job; use as a context manager, or start and stop it.

    `truths` are the supply's hidden figures, `seed` draws the instruments' hidden errors. After
    `start`, `resources` holds a VISA resource string for each role.
    """

    def __init__(
        self,
        job: Job,
        *,
        truths: Mapping[tuple[str, str], float] | None = None,
        seed: int = 1,
        speed: float = 1.0,
        output: str | None = None,
        drift: float = 0.0,
        behaviours: Mapping[str, Behaviour] | None = None,
        heat: HeatTruths | None = None,
        clock: Clock | None = None,
    ) -> None:
        outputs = job.design.outputs()
        if not outputs:
            raise Trouble("The job has no output; stand-ins need one to sit on.")
        chosen = job.output(output).id if output else outputs[0].id
        self.clock = clock or Clock(speed)
        supply = SimulatedSupply(job, truths or {}, drift, heat, behaviours or {})
        self.world = World(supply, HiddenErrors(seed), self.clock, chosen)
        self.devices: dict[str, ScpiDevice] = _devices(job, self.world)
        self.resources: dict[str, str] = {}
        #: Ways to go wrong, for trying out: role → "silent", "garble", "close", "late" or "overload".
        self.faults: dict[str, str] = {}
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._serve, name="stand-ins", daemon=True)
        self._ready = threading.Event()

    def start(self) -> "StandIns":
        self._thread.start()
        self._ready.wait(10)
        return self

    def stop(self) -> None:
        if self._loop.is_running():
            self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)

    def __enter__(self) -> "StandIns":
        return self.start()

    def __exit__(self, *exc: object) -> None:
        self.stop()

    def connect(self, output: str) -> None:
        """Move load and meter to another output."""
        done = threading.Event()

        def move() -> None:
            for load in self._loads():
                load.drop()
            self.world.connect(output)
            done.set()

        self._loop.call_soon_threadsafe(move)
        done.wait(5)

    @property
    def load_drawing(self) -> bool:
        return any(load.drawing for load in self._loads())

    def _loads(self) -> list[SimulatedLoad]:
        return [d for d in self.devices.values() if isinstance(d, SimulatedLoad)]

    def _serve(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._open())
        self._ready.set()
        try:
            self._loop.run_forever()
        finally:
            for task in asyncio.all_tasks(self._loop):
                task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                self._loop.run_until_complete(asyncio.sleep(0))
            self._loop.close()

    async def _open(self) -> None:
        self._tasks = [asyncio.ensure_future(self._watch())]
        self._servers = []
        for role, device in self.devices.items():
            server = await asyncio.start_server(
                lambda r, w, role=role, device=device: self._talk(role, device, r, w),  # type: ignore[misc]
                "127.0.0.1",
                0,
            )
            port = server.sockets[0].getsockname()[1]
            self.resources[role] = f"TCPIP::127.0.0.1::{port}::SOCKET"
            self._servers.append(server)

    async def _watch(self) -> None:
        while True:
            await asyncio.sleep(0.05)
            for load in self._loads():
                load.tick()

    async def _talk(
        self, role: str, device: ScpiDevice, reader: asyncio.StreamReader, writer: asyncio.StreamWriter
    ) -> None:
        rest = b""
        try:
            while chunk := await reader.read(4096):
                *lines, rest = (rest + chunk).split(b"\n")
                if len(rest) > _LONGEST_LINE:
                    device.push_error(-100)
                    rest = b""
                for line in lines:
                    fault = self.faults.get(role)
                    if fault == "close":
                        return
                    answer = _answer(device, line)
                    if answer is None or fault == "silent":
                        continue
                    if fault == "late":
                        await asyncio.sleep(LATE_S)
                    writer.write(_FAULTY.get(fault or "", answer))
                    await writer.drain()
        except (ConnectionError, OSError, asyncio.CancelledError):
            pass  # the client left, or the bench was stopped
        finally:
            writer.close()


def _answer(device: ScpiDevice, line: bytes) -> bytes | None:
    try:
        text = line.decode("ascii").strip()
    except UnicodeDecodeError:
        device.push_error(-102)
        return None
    if len(text) > _LONGEST_LINE:
        device.push_error(-100)
        return None
    answer = device.handle(text)
    if answer is None:
        return None
    return (answer if isinstance(answer, bytes) else answer.encode()) + b"\n"


def _devices(job: Job, world: World) -> dict[str, ScpiDevice]:
    load = job.part(job.campaign.load)
    if not isinstance(load, ElectronicLoad):
        raise Trouble("The campaign names no electronic load; choose one from the stock first.")
    devices: dict[str, ScpiDevice] = {"load": SimulatedLoad(world, load)}
    for k, part_id in enumerate(job.campaign.other_loads):
        other = job.part(part_id)
        if isinstance(other, ElectronicLoad):
            devices[f"load{k + 2}"] = SimulatedLoad(world, other, f"load{k + 2}")
    meter = job.part(job.campaign.voltmeter)
    if isinstance(meter, Multimeter):
        devices["voltmeter"] = SimulatedMeter(world, meter)
    thermometer = job.part(job.campaign.thermometer)
    if isinstance(thermometer, Thermometer):
        devices["thermometer"] = SimulatedThermometer(world, thermometer)
    scope = job.part(job.campaign.oscilloscope)
    if isinstance(scope, Oscilloscope):
        devices["scope"] = SimulatedScope(world, scope)
    clamp = job.part(job.campaign.clamp)
    if isinstance(clamp, Clamp):
        devices["clamp"] = SimulatedClamp(world, clamp)
    line = job.part(job.campaign.line_source)
    if isinstance(line, LineSource):
        devices["line"] = SimulatedLine(world, line)
    devices["hands"] = SimulatedHands(world)
    return devices
