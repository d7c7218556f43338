"""The stand-ins: an electronic load, a multimeter, a thermometer, all on one simulated supply."""

import time

from tensimeter.bench.clock import Clock
from tensimeter.bench.simulated.scpi import ScpiDevice, ScpiError, boolean, number, shown
from tensimeter.bench.simulated.supply import HiddenErrors, SimulatedSupply
from tensimeter.core.job.parts import ElectronicLoad, Multimeter, Thermometer
from tensimeter.core.judge import Accuracy


class World:
    """The supply, what is joined to it, and its time. `output` is where load and meter sit."""

    def __init__(self, supply: SimulatedSupply, errors: HiddenErrors, clock: Clock, output: str):
        self.supply, self.errors, self.clock, self.output = supply, errors, clock, output
        self._last = clock.now()

    def pass_time(self) -> None:
        now = self.clock.now()
        self.supply.advance(now - self._last)
        self._last = now

    def connect(self, output: str) -> None:
        """Move load and meter to another output, with the load off."""
        self.supply.draw(self.output, 0.0)
        self.output = output


class SimulatedLoad(ScpiDevice):
    """Constant current; limits of volts, amps and watts; a watchdog in real seconds."""

    def __init__(self, world: World, part: ElectronicLoad) -> None:
        super().__init__("electronic load")
        self.world, self.part = world, part
        self._amps, self._on, self._watchdog = 0.0, False, 0.0
        self._heard = time.monotonic()
        self.on("FUNCtion?", lambda _: "CURR")
        self.on("FUNCtion", self._function)
        self.on("CURRent?", lambda _: shown(self._amps))
        self.on("CURRent", self._set_amps)
        self.on("INPut?", lambda _: str(int(self._on)))
        self.on("INPut", self._switch)
        self.on("MEASure:VOLTage?", lambda _: self._volts())
        self.on("MEASure:CURRent?", lambda _: self._current())
        self.on("SYSTem:WDOG?", lambda _: shown(self._watchdog))
        self.on("SYSTem:WDOG", self._arm)

    @property
    def drawing(self) -> bool:
        return self._on

    def reset(self) -> None:
        self._amps, self._watchdog = 0.0, 0.0
        self.drop()

    def drop(self) -> None:
        self._on = False
        self._apply()

    def handle(self, line: str) -> str | None:
        self._heard = time.monotonic()
        self._protect()
        return super().handle(line)

    def tick(self) -> None:
        """Called every so often: the watchdog, and limits while nobody asks."""
        if self._on and self._watchdog and time.monotonic() - self._heard > self._watchdog:
            self.drop()
        self._protect()

    def _protect(self) -> None:
        self.world.pass_time()
        if not self._on:
            return
        volts = self.world.supply.volts(self.world.output)
        flows = self.world.supply.amps(self.world.output)
        if volts > self.part.max_V or volts * flows > self.part.max_W * 1.02:
            self.drop()
            self.push_error(-221)

    def _apply(self) -> None:
        self.world.pass_time()
        drawn = 0.0
        if self._on and self._amps > 0:
            # What it sinks is off by its setting's own error; what it reads back by another.
            drawn = self.world.errors.shifted(f"{self.part.id}|set", self._amps, self.part.amps)
        self.world.supply.draw(self.world.output, max(drawn, 0.0))

    def _function(self, argument: str) -> None:
        if argument.upper() not in ("CURR", "CURRENT"):
            raise ScpiError(-224)

    def _set_amps(self, argument: str) -> None:
        self._amps = number(argument, 0.0, self.part.max_A)
        self._apply()

    def _switch(self, argument: str) -> None:
        self._on = boolean(argument)
        self._apply()

    def _arm(self, argument: str) -> None:
        self._watchdog = number(argument, 0.0, 60.0)

    def _volts(self) -> str:
        true = self.world.supply.volts(self.world.output)
        return shown(self.world.errors.read(f"{self.part.id}|V", true, self.part.volts))

    def _current(self) -> str:
        true = self.world.supply.amps(self.world.output)
        return shown(self.world.errors.read(f"{self.part.id}|A", true, self.part.amps))


class SimulatedMeter(ScpiDevice):
    """Volts on the finest range that fits; over range it answers 9.9E37."""

    def __init__(self, world: World, part: Multimeter) -> None:
        super().__init__("multimeter")
        self.world, self.part = world, part
        self.on("CONFigure:VOLTage[:DC]", lambda _: None)
        self.on("MEASure:VOLTage[:DC]?", self._read)
        self.on("READ?", self._read)

    def _read(self, argument: str) -> str:
        self.world.pass_time()
        true = self.world.supply.volts(self.world.output)
        fitting = self.part.range_for("V", true)
        if argument:
            wanted = number(argument, 0.0, 1e4)
            fitting = self.part.range_for("V", wanted)
        if fitting is None or abs(true) > fitting.full_scale:
            return "9.9E37"
        key = f"{self.part.id}|{fitting.full_scale:g} V"
        return shown(self.world.errors.read(key, true, fitting.accuracy))


class SimulatedThermometer(ScpiDevice):
    """Reads the hottest converter's sink."""

    def __init__(self, world: World, part: Thermometer) -> None:
        super().__init__("thermometer")
        self.world, self.part = world, part
        self.on("MEASure:TEMPerature?", self._read)

    def _read(self, argument: str) -> str:
        self.world.pass_time()
        step = self.part.resolution_K
        accuracy = Accuracy(of_reading=0, counts=self.part.accuracy_K / step, resolution=step)
        return shown(self.world.errors.read(self.part.id, self.world.supply.case_C, accuracy))
