"""A flyback from what is wanted, or as it is wound: turns, gap, flux at its limit, what its parts stand."""

import math
from functools import cached_property
from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.electrical.flyback import Cycle, Stage, bulk_peak_V, bulk_valley_V, leakage_clamp_W
from tensimeter.core.electrical.flyback_core import Core, Winding, fill
from tensimeter.core.errors import UserError

#: Where the limit lies over the highest working peak; a clamp over the reflected volts; the lightest pulse as
#: a share of the limit; how far output volts wander at no load; aux volts at no load. Rules of thumb.
LIMIT_OVER, CLAMP_OVER, LIGHT_PULSE, WANDER, AUX_AT_NO_LOAD = 1.2, 1.5, 0.25, 0.01, 0.85
#: Most turns of a secondary that are tried.
MOST_TURNS = 400
Mode = Literal["dcm", "crm", "ccm"]


class Output(Struct, frozen=True):
    """One output: V, A, and its capacitor where it is known."""

    volts: float
    amps: float
    farad: float | None = None
    esr_ohm: float = 0.0


class AuxSupply(Struct, frozen=True):
    """What the control lives on: V, A, its capacitor and the least volts it runs at, where known."""

    volts: float
    amps: float
    farad: float | None = None
    least_V: float | None = None


class Wanted(Struct, frozen=True, dict=True):
    """What a flyback is to do; V rms of the line, Hz, F, shares.

    `ramp` is how far primary amps rise over their middle in continuous mode, `preload_A` what the first
    output always takes (None: not known).
    """

    line_V: tuple[float, float]
    mains_Hz: float
    bulk_F: float
    outputs: tuple[Output, ...]
    frequency_Hz: float
    core: Core
    aux: AuxSupply | None = None
    mode: Mode = "dcm"
    duty: float = 0.45
    efficiency: float = 0.85
    ramp: float = 1.0
    limit_A: float | None = None
    diode_V: float = 0.5
    clamp_V: float | None = None
    leakage: float = 0.02
    hold_up_s: float = 0.0
    preload_A: float | None = None

    @property
    def watts_in(self) -> float:
        """What it takes at full load."""
        aux = self.aux.volts * self.aux.amps if self.aux else 0.0
        return (sum(o.volts * o.amps for o in self.outputs) + aux) / self.efficiency

    @cached_property
    def valley_V(self) -> float:
        """Least bulk volts at the lowest line and full load."""
        return bulk_valley_V(self.line_V[0], self.mains_Hz, self.bulk_F, self.watts_in)

    @cached_property
    def lowest_V(self) -> float:
        """Least bulk volts that it works from: the valley, or what is left after the hold-up."""
        left = self.valley_V**2 - 2 * self.watts_in * self.hold_up_s / self.bulk_F
        if left <= 0:
            raise UserError("The bulk capacitor does not hold up for so long: a larger one, or less time.")
        return math.sqrt(left)

    @property
    def primary_H(self) -> float:
        """H that give the duty at the lowest volts: L = V·D/(ΔI·f); without `ccm` at the boundary."""
        middle = self.watts_in / (self.lowest_V * self.duty)
        ramp = middle * (self.ramp if self.mode == "ccm" else 2.0)
        return self.lowest_V * self.duty / (ramp * self.frequency_Hz)


class Flyback(Struct, frozen=True, dict=True):
    """A flyback as wound: turns of primary, outputs and aux, the primary's H, its gap in m."""

    wanted: Wanted
    primary_turns: int
    turns: tuple[int, ...]
    aux_turns: int | None
    primary_H: float
    gap_m: float

    def cycle(self, bulk_V: float, output: int = 0, load: float = 1.0) -> Cycle:
        """Its cycle at bulk volts, of one output, at a share of full load; critical: at its own frequency."""
        wanted, first = self.wanted, self.wanted.outputs[0]
        ratio, watts = self.primary_turns / self.turns[0], wanted.watts_in * load
        stage = Stage(self.primary_H, wanted.frequency_Hz, ratio, first.volts, wanted.diode_V)
        if wanted.mode == "crm" and watts > 0:
            one = stage.reflected_V / (bulk_V + stage.reflected_V)
            hertz = (bulk_V * one) ** 2 / (2 * watts * self.primary_H)
            stage = replace(stage, frequency_Hz=hertz)
        return Cycle(stage, bulk_V, wanted.outputs[output].amps * load, watts)

    @cached_property
    def worst(self) -> Cycle:
        """At its lowest bulk volts and full load."""
        return self.cycle(self.wanted.lowest_V)

    @property
    def limit_A(self) -> float:
        """Where its control cuts each pulse off; not stated, by a rule of thumb over its highest peak."""
        return self.wanted.limit_A or LIMIT_OVER * self.worst.peak_A

    @property
    def flux_T(self) -> float:
        """At the current limit: the worst that its core sees."""
        return self.wanted.core.flux_at(self.primary_H, self.limit_A, self.primary_turns)

    @property
    def reflected_V(self) -> float:
        """What stands across the primary while the outputs are fed."""
        return self.worst.stage.reflected_V

    @property
    def clamp_V(self) -> float:
        """Volts of the clamp over the bulk; not stated, by a rule of thumb over the reflected ones."""
        return self.wanted.clamp_V or CLAMP_OVER * self.reflected_V

    @property
    def high_V(self) -> float:
        """Bulk volts at the highest line, without load."""
        return bulk_peak_V(self.wanted.line_V[1])

    @property
    def switch_V(self) -> float:
        """Most volts across the switch: bulk at high line and its clamp."""
        return self.high_V + self.clamp_V

    @property
    def clamp_W(self) -> float:
        """Watts in the clamp at the lowest bulk volts and full load."""
        leak = self.wanted.leakage * self.primary_H
        hertz = self.worst.stage.frequency_Hz
        return leakage_clamp_W(leak, self.worst.peak_A, hertz, self.clamp_V, self.reflected_V)

    def diode_V(self, output: int = 0) -> float:
        """Inverse volts of an output's diode: its output, and high line by the turns."""
        return self.wanted.outputs[output].volts + self.high_V * self.turns[output] / self.primary_turns

    def volts_of(self, turns: int) -> float:
        """Volts that so many turns give beside the first output, which is held."""
        first = self.wanted.outputs[0].volts + self.wanted.diode_V
        return first * turns / self.turns[0] - self.wanted.diode_V

    @cached_property
    def windings(self) -> list[Winding]:
        """Primary, outputs, aux, each with the rms amps of the worst cycle."""
        hertz = self.worst.stage.frequency_Hz
        found = [Winding("primary", self.primary_turns, self.worst.primary_rms_A, hertz)]
        for k, turns in enumerate(self.turns):
            rms = self.cycle(self.wanted.lowest_V, k).secondary_rms_A
            found.append(Winding(f"output {k + 1}", turns, rms, hertz))
        if self.aux_turns and self.wanted.aux:
            found.append(Winding("aux", self.aux_turns, 2 * self.wanted.aux.amps, hertz))
        return found

    @property
    def fill(self) -> float:
        """Copper of all windings as a share of the window."""
        return fill(self.wanted.core, self.windings)

    @property
    def most_W(self) -> float:
        """Watts out that the limit lets through at the lowest bulk volts."""
        stage, volts = self.worst.stage, self.wanted.lowest_V
        one = stage.reflected_V / (volts + stage.reflected_V)
        ramp = volts * one / (stage.primary_H * stage.frequency_Hz)
        if self.wanted.mode == "crm":
            # At the edge its frequency follows its peak: half of it flows as a mean while it is on.
            return 0.5 * volts * one * self.limit_A * self.wanted.efficiency
        middle = self.limit_A - ramp / 2
        if middle > ramp / 2:
            return volts * one * middle * self.wanted.efficiency
        return 0.5 * stage.primary_H * self.limit_A**2 * stage.frequency_Hz * self.wanted.efficiency

    def coasts_s(self) -> float | None:
        """How long the first output needs no pulse without load; None where that is not known."""
        first, preload = self.wanted.outputs[0], self.wanted.preload_A
        if preload is None or first.farad is None:
            return None
        return math.inf if preload == 0 else first.farad * WANDER * first.volts / preload

    def aux_holds_s(self) -> float | None:
        """How long the aux capacitor keeps the control alive between pulses; None where that is not known."""
        aux = self.wanted.aux
        if aux is None or self.aux_turns is None or aux.farad is None or aux.least_V is None:
            return None
        spare = AUX_AT_NO_LOAD * self.volts_of(self.aux_turns) - aux.least_V
        return max(aux.farad * spare / aux.amps, 0.0) if aux.amps else math.inf


def checked(wanted: Wanted) -> Wanted:
    """Itself; UserError where a figure can't be."""
    core = wanted.core
    above = (
        *wanted.line_V, wanted.mains_Hz, wanted.bulk_F, wanted.frequency_Hz, wanted.ramp, core.area_m2,
        core.path_m, core.window_m2, core.flux_T, *(x for o in wanted.outputs for x in (o.volts, o.amps)),
    )  # fmt: skip
    if not wanted.outputs or not all(math.isfinite(x) and x > 0 for x in above):
        raise UserError("Line, mains, bulk, frequency, core and every output are above zero.")
    if not (0 < wanted.efficiency <= 1 and 0.02 <= wanted.duty <= 0.9):
        raise UserError("An efficiency lies above 0 up to 100 %, a duty between 0.02 and 0.9.")
    if wanted.line_V[0] > wanted.line_V[1]:
        raise UserError("Write the line as its lowest and its highest volts: 180V..264V.")
    if wanted.ramp > 2 or (wanted.limit_A is not None and wanted.limit_A <= 0):
        raise UserError("A ramp is at most twice its middle, and a limit is above zero.")
    if wanted.aux and not (wanted.aux.volts > 0 and wanted.aux.amps >= 0):
        raise UserError("The aux winding has volts above zero.")
    return wanted


def designed(wanted: Wanted) -> Flyback:
    """The fewest turns whose flux at the current limit the core bears, and their gap.

    Turns from N ≥ L·I/(B·Ae) with the ratio that gives the duty at the lowest bulk volts.

    Raises
    ------
    UserError
        For figures that can't be, or where no winding of a sensible size is found.

    References
    ----------
    Volt-seconds and energy of a coupled inductor; Faraday's law for the turns. Textbook.
    """
    wanted, first = checked(wanted), wanted.outputs[0]
    reflected = wanted.lowest_V * wanted.duty / (1 - wanted.duty)
    ratio, henry = reflected / (first.volts + wanted.diode_V), wanted.primary_H
    for secondary in range(1, MOST_TURNS + 1):
        primary = round(ratio * secondary)
        if primary < 1:
            continue
        found = _wound(wanted, primary, secondary, henry)
        if found.flux_T <= wanted.core.flux_T:
            return replace(found, gap_m=wanted.core.gap_m(primary, henry))
    raise UserError(f"Not with {MOST_TURNS} turns either: the core is far too small for these watts.")


def _wound(wanted: Wanted, primary: int, secondary: int, henry: float) -> Flyback:
    held = wanted.outputs[0].volts + wanted.diode_V
    by_volts = [max(1, round(secondary * (o.volts + wanted.diode_V) / held)) for o in wanted.outputs]
    aux = max(1, round(secondary * (wanted.aux.volts + wanted.diode_V) / held)) if wanted.aux else None
    return Flyback(wanted, primary, tuple(by_volts), aux, henry, 0.0)


def as_wound(wanted: Wanted, turns: tuple[int, ...], gap_m: float) -> Flyback:
    """A winding that exists: turns of primary, each output, aux if there is one; its gap."""
    wanted = checked(wanted)
    named = 1 + len(wanted.outputs)
    if len(turns) not in (named, named + bool(wanted.aux)) or min(turns) < 1:
        raise UserError("Turns are those of the primary, of every output, and of the aux winding: 37:4:6.")
    aux = turns[named] if len(turns) > named else None
    if not 0 <= gap_m < wanted.core.pole_m:
        raise UserError("A gap is nothing or more, and shorter than the pole of the core is broad.")
    henry = wanted.core.inductance_H(turns[0], gap_m)
    return Flyback(wanted, turns[0], turns[1:named], aux, henry, gap_m)
