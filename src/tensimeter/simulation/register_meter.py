"""A simulated meter with registers, behind Modbus."""

import asyncio
from collections.abc import Callable

from pymodbus import ModbusDeviceIdentification
from pymodbus.client import ModbusTcpClient
from pymodbus.constants import ExcCodes
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice


async def serve_registers(read: Callable[[], float], frozen: Callable[[], bool]) -> int:
    """Serve it on 127.0.0.1 in the running loop; its port."""
    server = ModbusTcpServer(register_meter(read, frozen), address=("127.0.0.1", 0))
    await server.serve_forever(background=True)
    assert isinstance(server.transport, asyncio.Server)
    return int(server.transport.sockets[0].getsockname()[1])


def register_meter(read: Callable[[], float], frozen: Callable[[], bool] = lambda: False) -> SimDevice:
    """A device whose registers 0 and 1 hold the figure as a float, the high word first."""

    async def fill(
        function: int, start: int, address: int, count: int, held: list[int], written: object
    ) -> ExcCodes | None:
        while frozen():
            await asyncio.sleep(0.02)
        words = ModbusTcpClient.convert_to_registers(read(), ModbusTcpClient.DATATYPE.FLOAT32)
        held[0 - start : 2 - start] = words
        return None

    identity = ModbusDeviceIdentification(  # type: ignore[no-untyped-call]
        info_name={"VendorName": "Simulated", "ProductCode": "register meter", "MajorMinorRevision": "1"}
    )
    registers = SimData(0, values=[0, 0], datatype=DataType.REGISTERS)
    return SimDevice(1, [registers], identity=identity, action=fill)
