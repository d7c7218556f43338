"""The stand-ins: loads, a multimeter, a thermometer, all on one simulated supply."""

import re
from functools import partial

from tensimeter.bench import wall
from tensimeter.bench.clock import Clock
from tensimeter.core.measurement.conformity import Accuracy
from tensimeter.core.parts.instrument_part import CurrentClamp, SetLoad, TemperatureMeter, VoltMeter
from tensimeter.simulation.behaviour import Demand
from tensimeter.simulation.scpi import ScpiDevice, ScpiError, boolean, number, shown
from tensimeter.simulation.supply import HiddenErrors, SimulatedSupply


class World:
    """The supply, what is joined to it, and its time. `output` is where load and meter sit.

    `places` says where each further load sits, by its role, and where the meter was moved to. `events` are
    the last changes that an oscilloscope could be set off by, by output.
    """

    def __init__(self, supply: SimulatedSupply, errors: HiddenErrors, clock: Clock, output: str):
        self.supply, self.errors, self.clock, self.output = supply, errors, clock, output
        self.places: dict[str, str] = {}
        self.events: dict[str, tuple[str, float, float, float, float]] = {}
        self._last = clock.now()

    def pass_time(self) -> None:
        now = self.clock.now()
        self.supply.advance(now - self._last)
        self._last = now

    def connect(self, output: str) -> None:
        """Move load and meter to another output, with the load off."""
        self.supply.draw(self.output, 0.0)
        self.output = output
        self.places.pop("voltmeter", None)

    def place(self, role: str) -> str:
        """The output at which something sits."""
        return self.places.get(role, self.output)

    def draw(self, output: str, demand: Demand) -> None:
        """Load an output, and remember the step for whoever records it."""
        self.pass_time()
        before = self.supply.settled(output), self.supply.amps(output)
        self.supply.draw(output, demand)
        after = self.supply.settled(output), self.supply.amps(output)
        if after[1] != before[1]:
            self._keep(output, ("load_step", before[0], after[0], before[1], after[1]))

    def _keep(self, output: str, event: tuple[str, float, float, float, float]) -> None:
        """The first that happens since a recorder was armed triggers it; what follows does not."""
        self.events.setdefault(output, event)

    def power(self, on: bool) -> None:
        self.pass_time()
        outputs = [o.id for o in self.supply.job.design.outputs()]
        before = {o: (self.supply.settled(o), self.supply.amps(o)) for o in outputs}
        self.supply.power(on)
        for o in outputs:
            kind = "power_on" if on else "power_off"
            self._keep(o, (kind, before[o][0], self.supply.settled(o), before[o][1], self.supply.amps(o)))


class SimulatedLoad(ScpiDevice):
    """Constant current, resistance or power; limits of volts, amps, watts; a watchdog in real seconds."""

    def __init__(self, world: World, part: SetLoad, role: str = "load") -> None:
        super().__init__("electronic load")
        self.world, self.part, self.role = world, part, role
        self._mode, self._on, self._watchdog = "CC", False, 0.0
        self._set = {"CC": 0.0, "CR": 1e4, "CP": 0.0}
        self._heard = wall.now()
        self._short = {"CURR": "CC", "CURRENT": "CC", "RES": "CR", "RESISTANCE": "CR"}
        self._short |= {"POW": "CP", "POWER": "CP"}
        self.on("FUNCtion?", lambda _: {"CC": "CURR", "CR": "RES", "CP": "POW"}[self._mode])
        self.on("FUNCtion", self._function)
        for word, mode, most in (
            ("CURRent", "CC", part.max_A),
            ("RESistance", "CR", 1e5),
            ("POWer", "CP", part.max_W),
        ):
            self.on(f"{word}?", partial(self._setting, mode))
            self.on(word, partial(self._put, mode, most))
        self.on("INPut?", lambda _: str(int(self._on)))
        self.on("INPut", self._switch)
        self.on("MEASure:VOLTage?", lambda _: self._volts())
        self.on("MEASure:CURRent?", lambda _: self._current())
        self.on("SYSTem:WDOG?", lambda _: shown(self._watchdog))
        self.on("SYSTem:WDOG", self._arm)

    @property
    def output(self) -> str:
        return self.world.place(self.role)

    @property
    def drawing(self) -> bool:
        return self._on

    def reset(self) -> None:
        self._mode, self._watchdog = "CC", 0.0
        self._set = {"CC": 0.0, "CR": 1e4, "CP": 0.0}
        self.drop()

    def drop(self) -> None:
        self._on = False
        self._apply()

    def handle(self, line: str) -> str | bytes | None:
        self._heard = wall.now()
        self._protect()
        return super().handle(line)

    def tick(self) -> None:
        """Called every so often: the watchdog, and limits while nobody asks."""
        silent = wall.now() - self._heard > self._watchdog
        # Where bench time stands still meanwhile, the wall's seconds are no silence.
        if self._on and self._watchdog and silent and not self.world.clock.stepped:
            self.drop()
        self._protect()

    def _protect(self) -> None:
        self.world.pass_time()
        if not self._on:
            return
        volts, amps = self.world.supply.volts(self.output), self.world.supply.amps(self.output)
        if volts > self.part.max_V or volts * amps > self.part.max_W * 1.02 or amps > self.part.max_A * 1.02:
            self.drop()
            self.push_error(-221)

    def _apply(self) -> None:
        demand, value = Demand(), self._set[self._mode]
        if self._on and (value > 0 or self._mode == "CR"):
            # What it sinks is off by its setting's own error; what it reads back by another.
            if self._mode == "CC":
                value = max(self.world.errors.shifted(f"{self.part.id}|set", value, self.part.amps), 0.0)
            elif self._mode == "CR":
                value = max(value, self.part.on_ohm)
            demand = Demand(self._mode, value, self.part.on_ohm)
        self.world.draw(self.output, demand)

    def _function(self, argument: str) -> None:
        mode = self._short.get(argument.upper())
        if mode is None or mode not in self.part.modes:
            raise ScpiError(-224)
        if mode != self._mode:
            # A load that changes its mode lets go first.
            self._on, self._mode = False, mode
            self._apply()

    def _setting(self, mode: str, argument: str) -> str:
        return shown(self._set[mode])

    def _put(self, mode: str, most: float, argument: str) -> None:
        self._set[mode] = number(argument, 0.0, most)
        if mode == self._mode:
            self._apply()

    def _switch(self, argument: str) -> None:
        self._on = boolean(argument)
        self._apply()

    def _arm(self, argument: str) -> None:
        self._watchdog = number(argument, 0.0, 60.0)

    def _volts(self) -> str:
        true = self.world.supply.volts(self.output)
        return shown(self.world.errors.read(f"{self.part.id}|V", true, self.part.volts))

    def _current(self) -> str:
        true = self.world.supply.amps(self.output)
        return shown(self.world.errors.read(f"{self.part.id}|A", true, self.part.amps))


class SimulatedMeter(ScpiDevice):
    """Volts on the finest range that fits; over range it answers 9.9E37."""

    def __init__(self, world: World, part: VoltMeter) -> None:
        super().__init__("multimeter")
        self.world, self.part = world, part
        self.on("CONFigure:VOLTage[:DC]", lambda _: None)
        self.on("MEASure:VOLTage[:DC]?", self._read)
        self.on("READ?", self._read)

    def _read(self, argument: str) -> str:
        self.world.pass_time()
        true = self.world.supply.volts(self.world.place("voltmeter"))
        fitting = self.part.range_for("V", true)
        if argument:
            wanted = number(argument, 0.0, 1e4)
            fitting = self.part.range_for("V", wanted)
        if fitting is None or abs(true) > fitting.full_scale:
            return "9.9E37"
        key = f"{self.part.id}|{fitting.full_scale:g} V"
        return shown(self.world.errors.read(key, true, fitting.accuracy))


class SimulatedThermometer(ScpiDevice):
    """Reads where the job says that its probes sit; without that the sink of what loses most."""

    def __init__(self, world: World, part: TemperatureMeter) -> None:
        super().__init__("thermometer")
        self.world, self.part = world, part
        self.on("MEASure:TEMPerature?", self._read)

    def _read(self, argument: str) -> str:
        self.world.pass_time()
        step = self.part.resolution_K
        accuracy = Accuracy(of_reading=0, counts=self.part.accuracy_K / step, resolution=step)
        places = self.world.supply.job.campaign.probes or ("sink",)
        asked = 1
        if argument:
            match = re.fullmatch(r"\(@1:(\d+)\)", argument)
            if not match or not 1 <= int(match[1]) <= max(self.part.channels, 1):
                raise ScpiError(-224)
            asked = int(match[1])
        read = []
        for k in range(asked):
            place = places[k] if k < len(places) else "ambient"
            key = self.part.id if k == 0 else f"{self.part.id}|{k + 1}"
            read.append(shown(self.world.errors.read(key, self.world.supply.warmth.shown(place), accuracy)))
        return ",".join(read)


class SimulatedClamp(ScpiDevice):
    """Amps of the output that the load sits on."""

    def __init__(self, world: World, part: CurrentClamp) -> None:
        super().__init__("clamp")
        self.world, self.part = world, part
        self.on("MEASure:CURRent?", self._read)

    def _read(self, argument: str) -> str:
        self.world.pass_time()
        true = self.world.supply.amps(self.world.output)
        if true > self.part.most_A:
            return "9.9E37"
        return shown(self.world.errors.read(self.part.id, true, self.part.amps))
