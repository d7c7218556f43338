"""What powers the supply, and the hands that turn its trims, move leads and join devices."""

from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.instrument_part import LineFeeder
from tensimeter.simulation.behaviour import Demand
from tensimeter.simulation.instruments import World
from tensimeter.simulation.scpi import ScpiDevice, ScpiError, boolean, number, shown

#: What a source that states no accuracy for its watts is given.
PLAIN_WATTS = Accuracy(of_reading=0.01, counts=2, resolution=0.1)


class SimulatedLine(ScpiDevice):
    """A line source: volts, a switch, and the watts that are taken from it."""

    def __init__(self, world: World, part: LineFeeder) -> None:
        super().__init__("line source")
        self.world, self.part = world, part
        self.on("VOLTage?", lambda _: shown(self.world.supply.line_V))
        self.on("VOLTage", self._set)
        self.on("OUTPut?", lambda _: str(int(self.world.supply.powered)))
        self.on("OUTPut", lambda text: self.world.power(boolean(text)))
        self.on("MEASure:POWer?", lambda _: self._watts())

    def _set(self, argument: str) -> None:
        self.world.pass_time()
        self.world.supply.set_line(number(argument, 0.0, self.part.most_V))

    def _watts(self) -> str:
        self.world.pass_time()
        accuracy = self.part.watts or PLAIN_WATTS
        return shown(self.world.errors.read(self.part.id, self.world.supply.wall_W, accuracy))


class SimulatedHands(ScpiDevice):
    """Does what a person would do with the hands: `TRIM output,volts`, `METEr output`, `LOAD role,output`."""

    def __init__(self, world: World) -> None:
        super().__init__("hands")
        self.world = world
        self.on("TRIM", self._trim)
        self.on("METEr", self._meter)
        self.on("LOAD", self._load)
        self.on("POWer", lambda text: self.world.power(boolean(text)))
        self.on("DEVIce", self._device)

    def _output(self, name: str) -> str:
        known = [o.id for o in self.world.supply.job.design.outputs()]
        if name.strip() not in known:
            raise ScpiError(-224)
        return name.strip()

    def _trim(self, argument: str) -> None:
        output, _, volts = argument.partition(",")
        self.world.pass_time()
        self.world.supply.set_trim(self._output(output), number(volts.strip(), 0.0, 1000.0))

    def _meter(self, argument: str) -> None:
        self.world.places["voltmeter"] = self._output(argument)

    def _load(self, argument: str) -> None:
        role, _, output = argument.partition(",")
        to = self._output(output)
        self.world.draw(self.world.place(role.strip()), Demand())
        if role.strip() == "load":
            self.world.connect(to)
        else:
            self.world.places[role.strip()] = to

    def _device(self, argument: str) -> None:
        output, _, amps = argument.partition(",")
        self.world.draw(self._output(output), Demand("CC", number(amps.strip(), 0.0, 1000.0)))
