"""What a flyback is wound on: gap with its fringing, flux, strands, fill, and the plan of its layers."""

import math

from msgspec import Struct

from tensimeter.core.electrical.wire import RHO_20
from tensimeter.core.errors import UserError

MU_0 = 4e-7 * math.pi
#: Ferrite without a gap; copper at 100 °C beside 20 °C; amps a mm²; how much thicker enamel makes a strand.
FERRITE_MU, HOT_COPPER, AMPS_MM2, ENAMEL = 2000.0, 1.314, 5.0, 1.1
#: Share of a window that copper fills at the most, beside bobbin, tape, margins; rule of thumb.
MOST_FILL = 0.4
#: Mm of margin at each end of a layer, so that primary and secondary lie twice that apart; rule of thumb.
MARGIN_MM = 3.0


class Core(Struct, frozen=True):
    """A core by its figures: Ae in m², le in m, window in m², the breadth of a layer in m, T at 100 °C."""

    area_m2: float
    path_m: float
    window_m2: float
    flux_T: float
    breadth_m: float = 0.0

    @property
    def pole_m(self) -> float:
        """Breadth of a square pole; a gap as long as that is beyond what its fringing is counted by."""
        return math.sqrt(self.area_m2)

    @property
    def layer_m(self) -> float:
        """Breadth of a layer; not stated, of a window twice as broad as it is high."""
        return self.breadth_m or math.sqrt(2 * self.window_m2)

    def inductance_H(self, turns: float, gap_m: float) -> float:
        """Of turns on the core with a gap, the field's fringing counted.

        L = µ0·N²/(lg/(Ae·F) + le/(µr·Ae)); the gap's area is that of a square pole, a gap broader each way.

        References
        ----------
        Magnetic circuit of a core and a gap in series; area of the gap with its length added to each side
        of the pole, the usual correction for short gaps (rule of thumb beyond a fifth of the pole).
        """
        fringed = (self.pole_m + gap_m) ** 2
        return MU_0 * turns**2 / (gap_m / fringed + self.path_m / (FERRITE_MU * self.area_m2))

    def gap_m(self, turns: float, henry: float) -> float:
        """The gap that gives turns an inductance; nothing where it is less without one.

        Raises
        ------
        UserError
            Where no gap up to the breadth of the pole gives so little.
        """
        from scipy.optimize import brentq  # noqa: PLC0415 - a window that has none of it does not wait

        if self.inductance_H(turns, 0.0) <= henry:
            return 0.0
        if self.inductance_H(turns, self.pole_m) > henry:
            raise UserError("No gap makes the inductance as small as that: fewer turns, or another core.")
        return float(brentq(lambda g: self.inductance_H(turns, g) - henry, 0.0, self.pole_m, xtol=1e-9))

    def flux_at(self, henry: float, amps: float, turns: float) -> float:
        """B = L·I/(N·Ae), in T."""
        return henry * amps / (turns * self.area_m2)


def skin_depth_m(frequency_Hz: float) -> float:
    """δ = √(ρ/(π·f·µ0)) of copper at 100 °C.

    >>> round(skin_depth_m(65e3) * 1e3, 2)
    0.3
    """
    return math.sqrt(RHO_20 * HOT_COPPER / (math.pi * frequency_Hz * MU_0))


class Winding(Struct, frozen=True):
    """One winding: its name, turns, rms amps; strands no thicker than two skin depths."""

    name: str
    turns: int
    rms_A: float
    frequency_Hz: float

    @property
    def copper_m2(self) -> float:
        """Copper that its amps want."""
        return max(self.rms_A / AMPS_MM2, 0.008) * 1e-6

    @property
    def strand_m(self) -> float:
        """Thickness of a strand."""
        return min(2 * skin_depth_m(self.frequency_Hz), math.sqrt(4 * self.copper_m2 / math.pi))

    @property
    def strands(self) -> int:
        """Strands side by side that make its copper."""
        return max(1, math.ceil(self.copper_m2 / (math.pi * self.strand_m**2 / 4) - 1e-9))

    @property
    def filled_m2(self) -> float:
        """Copper of all turns."""
        return self.turns * self.strands * math.pi * self.strand_m**2 / 4

    def layers(self, breadth_m: float) -> int:
        """Layers that its strands take side by side between the margins."""
        room = max(breadth_m - 2e-3 * MARGIN_MM, self.strand_m * ENAMEL)
        in_one = max(1, math.floor(room / (self.strand_m * ENAMEL)))
        return math.ceil(self.turns * self.strands / in_one)


def winding_plan(core: Core, primary: Winding, others: list[Winding]) -> list[str]:
    """Layer by layer from the middle of the core: half the primary, what is fed, the other half.

    With fewer than two layers of primary it is wound in one piece.
    """
    breadth = core.layer_m
    first = math.ceil(primary.turns / 2) if primary.layers(breadth) > 1 else primary.turns
    said, wall = [], f"three layers of tape, {MARGIN_MM:g} mm of margin at both ends"

    def laid(winding: Winding, turns: int) -> str:
        part = Winding(winding.name, turns, winding.rms_A, winding.frequency_Hz)
        wire = f"{part.strands} × {part.strand_m * 1e3:.2f} mm"
        return f"{winding.name}: {turns} turns of {wire}, {part.layers(breadth)} layer(s)"

    said += [laid(primary, first), wall]
    for winding in others:
        said += [laid(winding, winding.turns), "a layer of tape"]
    said[-1] = wall if first < primary.turns else "three layers of tape around all"
    if first < primary.turns:
        said += [laid(primary, primary.turns - first), "three layers of tape around all"]
    return said


def fill(core: Core, windings: list[Winding]) -> float:
    """Copper of all windings as a share of the window."""
    return sum(w.filled_m2 for w in windings) / core.window_m2
