"""A stand-in oscilloscope: one record of volts at a set rate, as a binary block or as text."""

import zlib

import numpy as np

from tensimeter.core.arrays import Array
from tensimeter.core.parts.instrument_part import WaveformRecorder
from tensimeter.simulation.behaviour import off_wave, on_wave, ripple_wave, step_wave
from tensimeter.simulation.instruments import World
from tensimeter.simulation.scpi import ScpiDevice, ScpiError, block, number, shown

#: Codes to each side of the middle that a digitiser of sixteen bits with averaging shows.
_CODES = 32_000


class SimulatedScope(ScpiDevice):
    """Armed by INITiate; with TRIGger:SOURce EXT the record begins about the next step or switching."""

    def __init__(self, world: World, part: WaveformRecorder) -> None:
        super().__init__("oscilloscope")
        self.world, self.part = world, part
        self._rate, self._points, self._before = part.sample_Hz, int(part.samples), 0.2
        self._source, self._format, self._armed = "IMM", "WORD", False
        self._record: Array | None = None
        self._scale = (1.0, 0.0)
        self._count = 0
        self.on("ACQuire:SRATe?", lambda _: shown(self._rate))
        self.on("ACQuire:SRATe", self._set_rate)
        self.on("ACQuire:POINts?", lambda _: str(self._points))
        self.on("ACQuire:POINts", self._set_points)
        self.on("TRIGger:POSition", self._set_before)
        self.on("TRIGger:SOURce", self._set_source)
        self.on("FORMat", self._set_format)
        self.on("INITiate", lambda _: self._arm())
        self.on("WAVeform:PREamble?", lambda _: self._preamble())
        self.on("WAVeform:DATA?", lambda _: self._data())

    def reset(self) -> None:
        self._rate, self._points, self._before = self.part.sample_Hz, int(self.part.samples), 0.2
        self._source, self._format, self._armed, self._record = "IMM", "WORD", False, None

    def _set_rate(self, argument: str) -> None:
        self._rate = number(argument, 1.0, self.part.sample_Hz)

    def _set_points(self, argument: str) -> None:
        self._points = int(number(argument, 10, self.part.samples))

    def _set_before(self, argument: str) -> None:
        self._before = number(argument, 0.0, 1.0)

    def _set_source(self, argument: str) -> None:
        if argument.upper() not in ("IMM", "EXT"):
            raise ScpiError(-224)
        self._source = argument.upper()

    def _set_format(self, argument: str) -> None:
        if argument.upper() not in ("WORD", "REAL", "ASC", "ASCII"):
            raise ScpiError(-224)
        self._format = argument.upper()

    def _arm(self) -> None:
        self.world.pass_time()
        self._armed, self._record = True, None
        self.world.events.pop(self.world.place("voltmeter"), None)

    def _take(self) -> Array:
        """The record of what happened since it was armed, made when it is first asked for."""
        if self._record is not None:
            return self._record
        output = self.world.place("voltmeter")
        event = self.world.events.get(output)
        if not self._armed or (self._source == "EXT" and event is None):
            raise ScpiError(-230)
        supply, b = self.world.supply, self.world.supply.behaviour(output)
        self._count += 1
        rng = np.random.default_rng([zlib.crc32(output.encode()), self._count])
        before = self._before if self._source == "EXT" else 0.0
        t = (np.arange(self._points) - round(before * self._points)) / self._rate
        share = min(supply.amps(output) / max(supply.job.output(output).full_load_A, 1e-9), 2.0)
        volts = np.full(self._points, supply.settled(output))
        if self._source == "EXT" and event is not None:
            kind, from_V, to_V, from_A, to_A = event
            if kind == "load_step":
                volts = step_wave(b, t, from_V, to_V, to_A - from_A)
            elif kind == "power_on":
                volts = on_wave(b, t, to_V)
            else:
                full = supply.job.output(output).full_load_A
                volts = off_wave(b, t, from_V, from_A / full)
        up = np.clip(volts / max(float(np.abs(volts).max()), 1e-9), 0.0, 1.0)
        made = volts + up * ripple_wave(b, t, supply.job.settings.mains_Hz, share, rng)
        self._record, self._armed = made, False
        return made

    def _codes(self) -> Array:
        """The record in steps of its digitiser, whose scale fits it."""
        record = self._take()
        middle = (float(record.max()) + float(record.min())) / 2
        step = max(float(np.ptp(record)) / (2 * _CODES), 1e-7)
        self._scale = (step, middle)
        return np.rint((record - middle) / step)

    def _preamble(self) -> str:
        """Seconds a sample, time of the first one, volts a code, volts of code zero."""
        self._codes()
        first = -round(self._before * self._points) / self._rate if self._source == "EXT" else 0.0
        return ",".join(shown(x) for x in (1 / self._rate, first, *self._scale))

    def _data(self) -> str | bytes:
        codes = self._codes()
        step, middle = self._scale
        if self._format == "WORD":
            return block(codes.astype(">i2").tobytes())
        if self._format == "REAL":
            return block((codes * step + middle).astype(">f4").tobytes())
        return ",".join(shown(v) for v in codes * step + middle)
