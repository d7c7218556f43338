"""What a supply with several rails is made of: its rails, what they do to each other, how one is trimmed."""

from collections.abc import Sequence
from typing import Annotated

from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.described import Quantity
from tensimeter.core.electrical.dummy_load import DERATING, dummy_load
from tensimeter.core.electrical.feedback import Inferred, Shift, infer, span_of
from tensimeter.core.electrical.missing_load import MissingLoad, missing_load
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.sized import figure
from tensimeter.core.path import OutputLink
from tensimeter.core.quantity import show
from tensimeter.core.record import Count, Fraction, Name, NotNegative, Positive, Record

#: Colours of rails' wires by their volts, by the published standard for 24-pin supplies.
RAIL_COLOURS = {3.3: "orange", 5.0: "red", 12.0: "yellow", -12.0: "blue", -5.0: "white"}


class Rail(Record):
    """One rail of a supply with several: volts and their tolerance, amps, Ω, its wires, its least load.

    The volts of a rail `below` its common are counted from the rail up to the common, so that they are above
    zero like those of any other.
    """

    name: Annotated[Name, Quantity("", "name", "what it is called; links and lists show it")]
    volts: Annotated[Positive, Quantity("", "volts", "volts, or how well it reads them")]
    below: Annotated[bool, Quantity("", "below common", "a negative rail: its volts stand below common")] = (
        False
    )
    tolerance: Annotated[Fraction, Quantity("%", "tolerance", "how far its volts may stray")] = 0.05
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    output_resistance_ohm: Annotated[
        NotNegative, Quantity("Ω", "output resistance", "volts it loses for each ampere")
    ] = 0.0
    wires: Annotated[Count, Quantity("", "wires", "how many wires of the rail are used")] = 1
    colour: Annotated[
        str, Quantity("", "colour of its wires", "where it is not that of the published standard")
    ] = ""
    minimum_A: Annotated[
        NotNegative, Quantity("A", "minimum", "amps it must be loaded with to keep its volts")
    ] = 0.0
    limit_A: Annotated[
        Positive | None, Quantity("A", "limit", "amps where it acts beyond its rating; empty where not known")
    ] = None
    trip_V: Annotated[Positive | None, Quantity("V", "trip", "volts at which it switches itself off")] = None

    @property
    def wire_colour(self) -> str:
        """The colour of its wires: its own, else the published standard's; empty for none."""
        signed = -self.volts if self.below else self.volts
        usual = (c for volts, c in RAIL_COLOURS.items() if abs(signed - volts) <= 0.1 * abs(volts))
        return self.colour or next(usual, "")


class Coupling(Record):
    """Volts that `rail` loses for each ampere on `other`, in Ω; negative where it rises."""

    rail: Annotated[Name, Quantity("", "rail", "which rail of the supply")]
    other: Annotated[Name, Quantity("", "other", "the rail whose load acts on it")]
    ohm: Annotated[float, Quantity("", "ohm", "volts lost for each ampere on the other rail")]


class CombinedLimit(Record):
    """Watts that some rails may give together."""

    rails: Annotated[tuple[Name, ...], Quantity("", "rails", "its rails, one by one")]
    watts: Annotated[Positive, Quantity("", "watts", "watts, or how well it reads them")]


class TrimPair(Record):
    """What a resistor across the lower leg of a rail's divider did."""

    ohm: Annotated[Positive, Quantity("Ω", "resistor", "what was put across the lower leg")]
    volts: Annotated[Positive, Quantity("V", "volts then", "what the rail gave with it")]


class RailTrim(Record):
    """How one rail is moved: its divider, known by pairs only, and the leg that is added to it for good."""

    rail: Annotated[str, Quantity("", "rail", "which rail of the supply; empty: the first")] = ""
    pairs: Annotated[
        tuple[TrimPair, ...],
        Quantity("Ω, V", "tried: Ω across the lower leg = V", "two resistors or more, and what they gave"),
    ] = ()
    fixed_ohm: Annotated[Positive, Quantity("Ω", "fixed", "the resistor in series with the pot")] = 10e3
    pot_ohm: Annotated[NotNegative, Quantity("Ω", "pot", "a potentiometer in series with it")] = 0.0

    def inferred(self) -> Inferred | None:
        """Its divider from the pairs; None while fewer than two different ones are known."""
        if len({pair.ohm for pair in self.pairs}) < 2:
            return None
        return infer([(pair.ohm, pair.volts) for pair in self.pairs])

    def span(self, trip_V: float | None) -> Shift | None:
        """What the added leg reaches; None while its divider is not known."""
        found = self.inferred()
        return None if found is None else span_of(found, self.fixed_ohm, self.pot_ohm, trip_V=trip_V)


def idle_cure(
    rails: Sequence[Rail], couplings: Sequence[Coupling], rail: str, band: tuple[float, float]
) -> MissingLoad | None:
    """The load that brings a rail into its band at idle; None where it needs none, or none does."""
    ohm = {(c.rail, c.other): c.ohm for c in couplings}
    ohm |= {(r.name, r.name): r.output_resistance_ohm for r in rails}
    idle = {r.name: r.volts for r in rails}
    return missing_load(rail, band, idle, ohm, {r.name: r.rated_A for r in rails})


def idle_notices(
    rails: Sequence[Rail], couplings: Sequence[Coupling], rail: Rail, output: OutputLink
) -> list[Notice]:
    """A rail that strays out of an outlet's band while all idles, and the missing load that does it."""
    band = Band.around(output.nominal_V, output.tolerance).ends
    if band[0] <= rail.volts <= band[1]:
        return []
    cure = idle_cure(rails, couplings, rail.name, band)
    says = f"Without load {rail.name} stands at {show(rail.volts, 'V', 4)}, out of what {output.name} allows."
    if cure is None:
        text = f"{says} By its couplings no load of any rail brings it in: measure them, by a cross test."
    else:
        others = [f"{n} then {show(v, 'V', 4)}" for n, v in cure.volts.items() if n != cure.rail]
        whose = "its own missing load" if cure.rail == rail.name else f"the missing load of {cure.rail}"
        text = (
            f"{says} It is {whose} that does it: {show(cure.amps, 'A')} there, {show(cure.watts, 'W')}, "
            f"bring it in ({'; '.join(others)})."
        )
    title = f"{rail.name} strays at idle"
    return [Notice(f"idle:{output.id}", "caution", title, text, "design", output.id)]


def trim_notices(supply: str, trim: RailTrim, rail: Rail, link: str) -> list[Notice]:
    """A trim whose wiper, or whose top, comes to the rail's trip."""
    span = trim.span(rail.trip_V)
    if span is None:
        return []
    wrong = []
    if span.fails == "high":
        wrong.append(f"an open wiper lets it rise to {show(span.open_V, 'V', 4)}")
    if span.trip_margin_V is not None and span.trip_margin_V <= 0:
        wrong.append(f"its top comes to its trip of {show(rail.trip_V or 0.0, 'V', 4)}")
    if rail.trip_V is None:
        wrong.append("the volts at which it trips are not known: look for them from below")
    text = f"{supply}, {rail.name}: {'; '.join(wrong)}."
    told = Notice(f"trim:{link}", "caution", "A rail that is trimmed", text, "design", link)
    return [told] if wrong else []


def dummy_figures(rail: Rail, air_C: float) -> list[Derivation]:
    """The dummy load of a rail that asks for a least one."""
    if not rail.minimum_A:
        return []
    found = dummy_load(rail.volts, rail.minimum_A, air_C)
    least = Input("I", "least load of the rail", rail.minimum_A, "A")
    rule = f"run at {DERATING * 100:g} % of it (rule of thumb)"
    of_rail, takes = (
        Input("U", "of the rail", rail.volts, "V"),
        Input("P", "what it takes", found.power_W, "W"),
    )
    return [
        figure("Dummy load", "R = U/I", found.resistance_ohm, "ohm", of_rail, least),
        figure("Rating to take", rule, found.rating_W, "W", takes),
        figure("Its surface", "T = T_air + rise·P/P_rated", found.surface_C, "C", least),
    ]


def trim_figures(trim: RailTrim, rail: Rail) -> list[Derivation]:
    """What the trim of a rail reaches, by the pairs that were tried."""
    found, span = trim.inferred(), trim.span(rail.trip_V)
    if found is None or span is None:
        return []
    rule = "V = V0 + s/R, fitted to the pairs"
    before = Input("V0", "without a resistor", found.before_V, "V")
    fixed = Input("R", "fixed resistor", trim.fixed_ohm, "ohm")
    made = [
        figure("Trim, highest", rule, span.high_V, "V", before, fixed),
        figure("Trim, lowest", rule, span.low_V, "V", before, fixed),
        figure(f"With its wiper open (fails {span.fails})", rule, span.open_V, "V", before),
    ]
    if span.trip_margin_V is not None:
        trip = Input("U_trip", "its trip", rail.trip_V or 0.0, "V")
        made.append(figure("Left below its trip", "U_trip − V", span.trip_margin_V, "V", trip, fixed))
    return made
