"""A home-made electronic load as a whole: what it holds, how well it is set and reads, what its loop does."""

from functools import cached_property

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.electrical.sink_load import RDS_PER_K, SHUNT_RISE_K, SinkLoad, unequal_C
from tensimeter.core.electrical.sink_loop import Amplifier, GateDriven, SinkLoop
from tensimeter.core.electrical.sink_start import Start, started
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, half_width_95

#: Ω of solder and wire that a shunt without four wires counts besides, and how much warmer than the shop an
#: amplifier works; rules of thumb.
TWO_WIRE_OHM, AMPLIFIER_RISE_K = 0.002, 15.0
#: Shares of full amps at which the loop and the errors are looked at.
SHARES = (0.1, 0.5, 1.0)
#: So often a start is looked at where somebody waits for it: a third of a second.
LOOKS = 20_000


class Shunt(Struct, frozen=True):
    """How well a shunt is known: shares, ppm/K, W that it is rated for, whether four wires go to it."""

    tolerance: float = 0.01
    ppm_K: float = 100.0
    rated_W: float = 5.0
    four_wire: bool = True


class Scale(Struct, frozen=True):
    """What sets a load, or reads it: full scale in V at the shunt, bits, how well its reference is known."""

    full_V: float
    bits: int
    reference: float = 0.01

    @property
    def count_V(self) -> float:
        """One count at the shunt."""
        return self.full_V / 2.0**self.bits


class MadeSink(Struct, frozen=True, dict=True):
    """A load by its circuit: `gate` with `amplifier` where they are known; V of offset, V/K of its drift."""

    sink: SinkLoad
    shunt: Shunt = Shunt()
    offset_V: float = 0.0
    drift_V_K: float = 0.0
    set_by: Scale | None = None
    read_by: Scale | None = None
    gate: GateDriven | None = None
    amplifier: Amplifier | None = None
    leads_H: float = 1e-6
    #: K/W of the sink as its fan stands; None where it has none. J/K of the sink; None where not known.
    still_K_W: float | None = None
    sink_J_K: float | None = None

    @property
    def own_A(self) -> float:
        """Full amps of one device."""
        return self.sink.amps / self.sink.devices

    # -- how well it is known --------------------------------------------------------------------

    @property
    def shunt_rise_K(self) -> float:
        """How much warmer its shunts are at full amps; rule of thumb by their watts."""
        return SHUNT_RISE_K * self.sink.shunt_W / self.shunt.rated_W

    @property
    def gain(self) -> float:
        """How far one shunt may be off at full amps, as a share: tolerance, heat, its own leads."""
        two_wire = 0.0 if self.shunt.four_wire else TWO_WIRE_OHM / self.sink.shunt_ohm
        return self.shunt.tolerance + self.shunt.ppm_K * 1e-6 * self.shunt_rise_K + two_wire

    @property
    def per_V(self) -> float:
        """Amps of the whole load for each volt at its shunts, A/V."""
        return self.sink.devices / self.sink.shunt_ohm

    @property
    def offset_A(self) -> float:
        """Amps that all amplifiers may be off together at their worst."""
        return abs(self.offset_V) * self.per_V

    def _gain_terms(self, scale: Scale | None) -> list[float]:
        """Bounds of rectangular errors for each ampere: those of every shunt apart, and the reference's."""
        n, shunt = self.sink.devices, self.shunt
        heat = shunt.ppm_K * 1e-6 * self.shunt_rise_K
        two_wire = 0.0 if shunt.four_wire else TWO_WIRE_OHM / self.sink.shunt_ohm
        each = [share / n for share in (shunt.tolerance, heat, two_wire) if share for _ in range(n)]
        return [*each, scale.reference] if scale else each

    def _offset_terms(self) -> list[float]:
        """Bounds of rectangular errors in A, whatever it sinks: every amplifier apart."""
        each = (self.offset_V / self.sink.shunt_ohm, self.drift_V_K * AMPLIFIER_RISE_K / self.sink.shunt_ohm)
        return [abs(x) for x in each if x for _ in range(self.sink.devices)]

    def half_width_A(self, scale: Scale | None, amps: float) -> float:
        """95 % half-width of amps that are set, or read, by a scale: all errors of its parts together."""
        count = scale.count_V * self.per_V / 2 if scale else 0.0
        gain = [share * amps for share in self._gain_terms(scale)]
        return half_width_95([*gain, *self._offset_terms(), count])

    def accuracy(self, scale: Scale | None) -> Accuracy:
        """The same as an instrument's: right at no amps and at full amps, and near between them."""
        from scipy.optimize import brentq  # noqa: PLC0415 - a window that has none of it does not wait

        count = scale.count_V * self.per_V if scale else max(self.sink.amps * 1e-4, 1e-6)
        offset = half_width_95(self._offset_terms()) / 0.95
        wanted, full = self.half_width_A(scale, self.sink.amps), self.sink.amps

        def stated(gain: float) -> Accuracy:
            return Accuracy(of_reading=gain, counts=offset / count, resolution=count, noise_counts=0.0)

        if stated(0.0).half_width(full) >= wanted:
            return stated(0.0)
        if stated(1.0).half_width(full) <= wanted:
            return stated(1.0)
        return stated(float(brentq(lambda g: stated(g).half_width(full) - wanted, 0.0, 1.0, xtol=1e-7)))

    @property
    def most_share(self) -> float:
        """Of all amps, in the device with the lowest shunt, the others' as high as they may be: as 1/R."""
        others, stray = self.sink.devices - 1, self.shunt.tolerance
        return (1 + stray) / ((1 + stray) + others * (1 - stray))

    @property
    def unequal_C(self) -> float:
        """Hottest junction where one shunt is as low as it may be and the others as high, for good."""
        n, sink, stray = self.sink.devices, self.sink, self.shunt.tolerance
        volts, amps = sink.area
        at = int(np.argmax(sink.each_W))
        ohms = [sink.shunt_ohm * (1 - stray), *[sink.shunt_ohm * (1 + stray)] * (n - 1)]
        each = [amps[at] / n * sink.shunt_ohm / ohm for ohm in ohms]
        hot = unequal_C([sink.device] * n, each, ohms, float(volts[at]), sink.sink_K_W, sink.ambient_C)
        return float(hot.max())

    # -- what it needs and does ------------------------------------------------------------------

    def loop(self, share: float = 1.0) -> SinkLoop | None:
        """The loop of one device at a share of full amps; None where gate or amplifier is not known."""
        if self.gate is None or self.amplifier is None:
            return None
        sink, n = self.sink, self.sink.devices
        # What all devices share counts n times for one of them.
        leads = max(sink.leads_ohm * n, 1e-4)
        return SinkLoop(
            self.gate, self.amplifier, sink.shunt_ohm, self.own_A * share, sink.volts, leads, self.leads_H * n
        )

    @property
    def gate_margin_V(self) -> float | None:
        """Volts left to the amplifier over what a gate wants at full amps; None where that is not known."""
        loop = self.loop()
        return loop.gate_left_V if loop else None

    @property
    def lowest_V(self) -> float:
        """Volts below which it can't sink all of its amps, hot; inf where its gates are not driven so far."""
        loop = self.loop()
        if loop is None:
            return self.sink.lowest_V
        hot = min(float(self.sink.junction_C.max()), self.sink.device.hottest_C)
        return loop.lowest_V(1 + RDS_PER_K * max(hot - 25.0, 0.0))

    @cached_property
    def margins(self) -> list[tuple[float, float, float]]:
        """Share of full amps, phase margin in degrees (−180 where it oscillates), how near to −1 it comes."""
        found = []
        for share in SHARES:
            one = self.loop(share)
            if one is None:
                return []
            margin = one.phase_margin if one.loop.stable else -180.0
            found.append((share, 180.0 if margin is None else margin, one.loop.nearest))
        return found

    @cached_property
    def start(self) -> Start | None:
        """As its source comes while full amps are set; None where its loop is not known, or oscillates."""
        one = self.loop()
        try:
            able = one is not None and self.lowest_V < self.sink.volts and one.loop.stable
            found = started(one, looks=LOOKS) if one and able else None
        except UserError:
            return None
        return Start(found.peak_A * self.sink.devices, found.above_s) if found else None

    def without_fan(self) -> tuple[float, float | None] | None:
        """Watts for good as its fan stands, and minutes at its watts until too hot; None without a fan."""
        if self.still_K_W is None:
            return None
        still = replace(self.sink, sink_K_W=self.still_K_W)
        minutes = still.minutes_at(self.sink.watts, self.sink_J_K) if self.sink_J_K else None
        return still.continuous_W(), minutes
