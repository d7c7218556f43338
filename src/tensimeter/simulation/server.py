"""Serves the stand-ins, each on a TCP socket of 127.0.0.1, from one thread with one event loop."""

import asyncio
import contextlib
import threading
from collections.abc import Mapping

from tensimeter.bench import wall
from tensimeter.bench.clock import Clock
from tensimeter.bench.figures import number
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.instrument_part import (
    CurrentClamp,
    LineFeeder,
    SetLoad,
    TemperatureMeter,
    VoltMeter,
    WaveformRecorder,
)
from tensimeter.simulation.behaviour import Behaviour
from tensimeter.simulation.instruments import (
    SimulatedClamp,
    SimulatedLoad,
    SimulatedMeter,
    SimulatedThermometer,
    World,
)
from tensimeter.simulation.misbehaving import Fault, stream
from tensimeter.simulation.other_doors import PROFILES, OtherDoor, must_be_door
from tensimeter.simulation.powering import SimulatedHands, SimulatedLine
from tensimeter.simulation.scope import SimulatedScope
from tensimeter.simulation.scpi import ScpiDevice
from tensimeter.simulation.supply import HiddenErrors, SimulatedSupply
from tensimeter.simulation.warmth import HiddenHeat

_LONGEST_LINE = 4096
#: How a request of a web browser begins.
_OF_BROWSERS = (b"GET ", b"POST ", b"PUT ", b"HEAD ", b"OPTIONS ", b"DELETE ", b"CONNECT ", b"PRI * HTTP")


class _Loop(asyncio.SelectorEventLoop):
    """Its pauses are the wall's, as those of who waits for an answer."""

    def time(self) -> float:
        return wall.now()


class SimulatedBench:
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
        heat: HiddenHeat | None = None,
        clock: Clock | None = None,
        voltmeter_as: str = "",
    ) -> None:
        outputs = job.design.outputs()
        if not outputs:
            raise UserError("The job has no output; stand-ins need one to sit on.")
        chosen = job.output(output).id if output else outputs[0].id
        self.clock = clock or Clock(speed)
        supply = SimulatedSupply(job, truths or {}, drift, heat, behaviours or {})
        self.world = World(supply, HiddenErrors(seed), self.clock, chosen)
        self.devices: dict[str, ScpiDevice] = _devices(job, self.world)
        self.resources: dict[str, str] = {}
        #: The profile of each instrument that is not asked as its role's generic one is.
        self.profiles: dict[str, str] = {}
        #: The voltmeter behind another door than questions in lines.
        self.other_door = self._other_voltmeter(voltmeter_as) if voltmeter_as else None
        #: Ways to go wrong, for trying out, by role: a fault, or the name of one that meets every answer.
        self.faults: dict[str, str | Fault] = {}
        #: Lines a second that an instrument sends without being asked, by role.
        self.streams: dict[str, float] = {}
        #: Roles that take one client at a time: who comes while one is there is turned away.
        self.one_client: set[str] = set()
        #: Roles whose link is dead: nobody gets in, and who is in gets nothing.
        self.dead: set[str] = set()
        self._clients: dict[str, list[asyncio.StreamWriter]] = {}
        self._loop = _Loop()
        self._thread = threading.Thread(target=self._serve, name="stand-ins", daemon=True)
        self._ready = threading.Event()

    def start(self) -> "SimulatedBench":
        self._thread.start()
        self._ready.wait(10)
        return self

    def stop(self) -> None:
        if self._loop.is_running():
            self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)

    def __enter__(self) -> "SimulatedBench":
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

        if self.other_door is not None:
            self.resources["voltmeter"] = await self.other_door.serve()
            self.profiles["voltmeter"] = PROFILES[self.other_door.kind]

    def _other_voltmeter(self, kind: str) -> OtherDoor:
        meter = self.devices.get("voltmeter")
        if meter is None:
            raise UserError("The campaign names no voltmeter; choose one from the stock first.")
        return OtherDoor(must_be_door(kind), lambda: number(str(meter.handle("MEAS:VOLT:DC?"))))

    async def _watch(self) -> None:
        while True:
            await asyncio.sleep(0.05)
            for load in self._loads():
                load.tick()

    async def _talk(
        self, role: str, device: ScpiDevice, reader: asyncio.StreamReader, writer: asyncio.StreamWriter
    ) -> None:
        clients = self._clients.setdefault(role, [])
        if role in self.dead or (role in self.one_client and clients):
            writer.close()
            return
        clients.append(writer)
        rest, last = b"", list[bytes]()
        streaming = None
        if role in self.streams:
            streaming = asyncio.ensure_future(stream(writer, self.streams[role], last))
        try:
            while chunk := await reader.read(4096):
                *lines, rest = (rest + chunk).split(b"\n")
                if len(rest) > _LONGEST_LINE:
                    device.push_error(-100)
                    rest = b""
                for line in lines:
                    if role in self.dead or not await self._answer_line(role, device, line, writer, last):
                        return
        except (ConnectionError, OSError, asyncio.CancelledError):
            pass  # the client left, or the bench was stopped
        finally:
            if streaming is not None:
                streaming.cancel()
            clients.remove(writer)
            writer.close()

    async def _answer_line(
        self, role: str, device: ScpiDevice, line: bytes, writer: asyncio.StreamWriter, last: list[bytes]
    ) -> bool:
        """Answer one line as the instrument does, or as its fault has it; False where the link closes."""
        if line.startswith(_OF_BROWSERS):
            # A page on the web may make a browser speak to this port: what it would send is not obeyed.
            return False
        told = self.faults.get(role)
        fault = Fault(told) if isinstance(told, str) else told
        met = fault is not None and fault.meets(line)
        if met and fault is not None and fault.kind == "close":
            return False
        answer = _answer(device, line)
        if answer is None:
            return True
        last[:] = [answer]
        if not met or fault is None:
            writer.write(answer)
            await writer.drain()
            return True
        async for piece in fault.spoilt(answer):
            if self.faults.get(role) is not told:
                # It was mended meanwhile.
                return False
            writer.write(piece)
            await writer.drain()
        return True

    def kill_link(self, role: str) -> None:
        """Let the link of an instrument die, as a pulled cable does: what it does goes on."""
        self.dead.add(role)

        def close() -> None:
            for writer in list(self._clients.get(role, [])):
                writer.transport.abort()

        self._loop.call_soon_threadsafe(close)


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
    if not isinstance(load, SetLoad):
        raise UserError("The campaign names no electronic load; choose one from the stock first.")
    devices: dict[str, ScpiDevice] = {"load": SimulatedLoad(world, load)}
    for k, part_id in enumerate(job.campaign.other_loads):
        other = job.part(part_id)
        if isinstance(other, SetLoad):
            devices[f"load{k + 2}"] = SimulatedLoad(world, other, f"load{k + 2}")
    meter = job.part(job.campaign.voltmeter)
    if isinstance(meter, VoltMeter):
        devices["voltmeter"] = SimulatedMeter(world, meter)
    thermometer = job.part(job.campaign.thermometer)
    if isinstance(thermometer, TemperatureMeter):
        devices["thermometer"] = SimulatedThermometer(world, thermometer)
    scope = job.part(job.campaign.oscilloscope)
    if isinstance(scope, WaveformRecorder):
        devices["scope"] = SimulatedScope(world, scope)
    clamp = job.part(job.campaign.clamp)
    if isinstance(clamp, CurrentClamp):
        devices["clamp"] = SimulatedClamp(world, clamp)
    line = job.part(job.campaign.line_source)
    if isinstance(line, LineFeeder):
        devices["line"] = SimulatedLine(world, line)
    devices["hands"] = SimulatedHands(world)
    return devices
