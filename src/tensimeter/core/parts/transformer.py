"""A transformer with its rectifier and reservoir."""

from collections.abc import Callable, Iterator
from typing import Annotated, ClassVar, Literal

import numpy as np
from msgspec.structs import replace
from pydantic import Field

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.derivation import Input
from tensimeter.core.described import Quantity
from tensimeter.core.electrical import fuse as fuses
from tensimeter.core.electrical.discharge import discharge
from tensimeter.core.electrical.elements import Element, Extremes, Series
from tensimeter.core.electrical.rectifier import (
    Rectifier,
    no_load_V,
    peak_inverse_V,
    rectified,
    shorted_rms_A,
)
from tensimeter.core.electrical.reservoir import Curve, ReservoirSource, curves, mean_curves
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import Unit
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.parts.limit import Limit, limit
from tensimeter.core.parts.sized import Sized, figure
from tensimeter.core.parts.source_part import SourcePart, Stored
from tensimeter.core.parts.source_share import donor_share
from tensimeter.core.parts.steps import FIRST, ISOLATED_OHM, MAINS, Alone, IncomingStep, incoming_step
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, other_mains, weak_reservoir, wrong_tap
from tensimeter.core.path import ConverterLink, Link, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.record import Fraction, NotNegative, Positive
from tensimeter.core.settings import Spread

#: Volts that a reservoir is bled to, and within how long, s.
BLED_V, BLED_S = 5.0, 60.0
#: How far its volts stray, as a fraction: they follow the mains.
MAINS_BAND = 0.12


class Transformer(SourcePart):
    """A transformer with its rectifier and reservoir; one winding, tapped where it has several volts.

    `tap_V` are no-load rms volts, lowest first; `resistance_ohm` lies behind the highest of them, and
    behind a lower one its share. `rated_A` is rms, `capacitor_V` what the reservoir stands.
    """

    shelf: ClassVar[str] = "Transformers"
    cased: ClassVar[bool] = True
    ohms_across: ClassVar[bool] = True
    isolates_mains: ClassVar[bool] = True
    common_earthed: ClassVar[bool] = False
    shorted_by_ohms: ClassVar[bool] = True
    fused_at_once: ClassVar[bool] = False

    kind: Literal["transformer"] = "transformer"
    tap_V: Annotated[
        tuple[Positive, ...], Quantity("V", "tap", "no-load rms volts of each tap, lowest first")
    ] = Field(min_length=1)
    resistance_ohm: Annotated[Positive, Quantity("Ω", "resistance", "its resistance")]
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    topology: Annotated[
        Literal["bridge", "centre_tap", "half_wave"], Quantity("", "topology", "how it is wired inside")
    ] = "bridge"
    diode_V: Annotated[NotNegative, Quantity("V", "diode", "volts across one diode as it conducts")] = 0.9
    capacitance_F: Annotated[Positive, Quantity("F", "capacitance", "the reservoir behind the rectifier")]
    esr_ohm: Annotated[NotNegative, Quantity("Ω", "esr", "resistance in series with the reservoir")] = 0.0
    capacitor_V: Annotated[Positive, Quantity("V", "capacitor", "volts that the reservoir stands")]
    #: A resistor across the reservoir that empties it when the mains is off.
    bleed_ohm: Annotated[Positive | None, Quantity("Ω", "bleed", "a resistor that empties the reservoir")] = (
        None
    )
    bleed_W: Annotated[Positive | None, Quantity("W", "bleed", "watts that the bleed resistor stands")] = None
    tolerance: Annotated[
        Fraction, Quantity("%", "tolerance", "how far its volts stray from these, winding to winding")
    ] = 0.05
    high_line: Annotated[Fraction, Quantity("%", "high line", "how far the mains may rise")] = 0.1
    low_line: Annotated[Fraction, Quantity("%", "low line", "how far the mains may sag")] = 0.1

    def summary(self) -> tuple[str, str]:
        taps = " / ".join(f"{v:g}" for v in self.tap_V)
        reservoir = f"{show(self.capacitance_F, 'F')} {self.capacitor_V:g} V"
        return f"{taps} V rms  {self.rated_A:g} A", f"{self.topology.replace('_', ' ')}, {reservoir}"

    def rated(self) -> None:
        return None

    def ratings_text(self, link: Link) -> str:
        tap = link.tap if isinstance(link, UnitLink) else 0
        return f"{show(self.tap_V[min(tap, len(self.tap_V) - 1)], 'V')} rms"

    # -- what its rectifier does ----------------------------------------------------------------

    def circuit(self, tap: int, mains_Hz: float, line: float = 1.0) -> Rectifier:
        """The rectifier that a tap feeds, at a share `line` of the nominal mains."""
        volts = self.tap_V[tap]
        ohms = self.resistance_ohm * volts / self.tap_V[-1]
        return Rectifier(
            volts * line, ohms, self.capacitance_F, self.diode_V, self.topology, self.esr_ohm, mains_Hz
        )

    def source_curve(self, tap: int, mains_Hz: float, line: float = 1.0) -> ReservoirSource:
        """What a tap gives behind its rectifier, up to the winding's rated rms current as DC.

        The winding's rms current exceeds the DC, so the curve reaches past what may be drawn. Raises
        UserError where the tap can't feed a reservoir at all.
        """
        at_nominal = self.circuit(tap, mains_Hz)
        at_line = self.circuit(tap, mains_Hz, line)
        found = curves(at_line, self.circuit(tap, mains_Hz, 1 - self.low_line), self.rated_A)
        if found is None:
            raise UserError(f"{self.name}: its tap of {self.tap_V[tap]:g} V can't feed the reservoir.")
        return replace(found, no_load_high_line_V=no_load_V(at_nominal, self.highest))

    @property
    def highest(self) -> float:
        """How far its EMF may lie above nominal: high mains and the winding's own tolerance, a share."""
        return (1 + self.high_line) * (1 + self.tolerance) - 1

    def by_tap(self, here: Operating, asked: Callable[[ReservoirSource], Figure]) -> Figure:
        """A figure of the tap that feeds, point by point where the taps are switched."""
        element = here.network[here.link.id]
        assert isinstance(element, Series)
        assert isinstance(here.link, UnitLink)
        own = asked(self.source_curve(here.link.tap, here.job.settings.mains_Hz))
        if element.lower is None:
            return own
        lower = asked(self.source_curve(0, here.job.settings.mains_Hz))
        return np.where(np.asarray(element.on_lower) > 0, lower, own)

    # -- in the network -------------------------------------------------------------------------

    def as_link(self, link_id: str, name: str) -> Link:
        return UnitLink(id=link_id, name=name, part=self.id)

    def problem(self, link: Link) -> str:
        if isinstance(link, UnitLink) and link.tap >= len(self.tap_V):
            return f"{link.name} has no tap {link.tap + 1}; {self.name} has {len(self.tap_V)}."
        return ""

    def element(self, job: Surroundings, link: Link) -> Series:
        """Behind its rectifier; switched between taps by what the stage behind it is set to."""
        return self.at_line(job, link, 1.0)

    def shorted_A(
        self, job: Surroundings, link: Link, beyond_ohm: float, *, highest: bool = False
    ) -> float | None:
        """What the winding drives past its rectifier: the reservoir is empty, and holds nothing up."""
        assert isinstance(link, UnitLink)
        circuit = self.circuit(link.tap, job.settings.mains_Hz, 1 + self.highest if highest else 1.0)
        return shorted_rms_A(circuit, beyond_ohm)

    @property
    def line_ends(self) -> tuple[float, ...]:
        return (1 - self.low_line, 1 + self.high_line)

    def _mean(self, tap: int, mains_Hz: float, share: float) -> Curve:
        """Mean volts of a tap at a share of its EMF.

        All that the envelope asks for is worked out at once. Raises UserError where the tap can't feed the
        reservoir at all there.
        """
        if share == 1:
            return self.source_curve(tap, mains_Hz).mean
        lines = (1.0, *self.line_ends)
        asked = tuple(line * (1 + end * self.tolerance) for line in lines for end in (-1, 0, 1))
        asked = asked if share in asked else (share,)
        found = mean_curves(self.circuit(tap, mains_Hz), asked, self.rated_A)
        if found is None:
            raise UserError(f"{self.name}: its tap of {self.tap_V[tap]:g} V can't feed the reservoir.")
        return found[asked.index(share)]

    def at_line(self, job: Surroundings, link: Link, share: float) -> Series:
        assert isinstance(link, UnitLink)
        found = self._mean(link.tap, job.settings.mains_Hz, share)
        source = Series(link.id, link.fed_by, emf=found.volts[0], curve=found)
        if link.switch_V is None or len(self.tap_V) < 2:
            return source
        lower = self._mean(0, job.settings.mains_Hz, share)
        behind = (x.set_V for x in job.design.links if isinstance(x, ConverterLink) and x.fed_by == link.id)
        return replace(source, lower=lower, on_lower=np.asarray(next(behind, 0) <= link.switch_V, float))

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        def weak(share: float) -> Series:
            return self.with_fields(capacitance_F=share * self.capacitance_F).at_line(job, link, 1.0)

        yield other_mains(link, lambda off: self.at_line(job, link, 1 + off))
        others = [k + 1.0 for k in range(len(self.tap_V)) if isinstance(link, UnitLink) and k != link.tap]
        if others:
            yield wrong_tap(link, others, lambda n: self.at_line(job, link.with_fields(tap=int(n) - 1), 1.0))
        yield weak_reservoir(link, weak)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {}

    def extremes(self, job: Surroundings, link: Link, element: Element, line: float = 1.0) -> Extremes:
        low, high = (self.at_line(job, link, line * (1 + end * self.tolerance)) for end in (-1, 1))
        return {
            field: (getattr(low, field), getattr(high, field))
            for field in ("curve", "lower")
            if self.tolerance and getattr(low, field) is not None
        }

    def stack_unit(self, tap_A: float = 0.0, *, believed: bool = False) -> Unit | None:
        return None

    # -- limits ---------------------------------------------------------------------------------

    def limits(self, here: Operating) -> list[Limit]:
        assert isinstance(here.link, UnitLink)
        share, note = donor_share(here.job.policy, self)
        winding = self.by_tap(here, lambda source: source.winding_A.at(here.point.I))
        highest = self.source_curve(here.link.tap, here.job.settings.mains_Hz).no_load_high_line_V
        return [
            limit(
                here.link, "winding", winding, self.rated_A * share, "A", f"{note}, rms", self.rated_A
            ),
            limit(here.link, "reservoir volts", highest, self.capacitor_V, "V", "no load, high line"),
        ]  # fmt: skip

    def valley_sag_V(self, here: Operating) -> Figure:
        """How far its reservoir's valley at low line lies below its mean volts, in V."""
        amps = here.point.I

        def sagging(source: ReservoirSource) -> Array:
            return np.asarray(source.mean.at(amps) - source.low_line_valley.at(amps))

        return self.by_tap(here, sagging)

    def tap_switching(self, mains_Hz: float, full_A: float, dropout_V: float) -> tuple[int, float] | None:
        if len(self.tap_V) < 2:
            return None
        valley = self.source_curve(0, mains_Hz).low_line_valley
        up_to = np.floor(2 * (float(valley.at(np.asarray(full_A))) - dropout_V)) / 2
        return (len(self.tap_V) - 1, float(up_to)) if up_to > 0 else None

    def current_limit_A(self, link: Link) -> float | None:
        return None

    @property
    def beyond_words(self) -> str:
        return ""

    @property
    def shorted_words(self) -> tuple[str, str]:
        return "the fuse on its mains side, if it has one", "seconds"

    @property
    def holds_at_A(self) -> float | None:
        return None

    @property
    def over_voltage_V(self) -> float | None:
        return None

    @property
    def drives_A(self) -> float:
        return self.rated_A

    # -- heat, charge, case ---------------------------------------------------------------------

    def loss_W(self, job: Surroundings, link: Link, solution: Solution) -> Array:
        """Of its copper, diodes and capacitor.

        Its iron is left out: it warms its core whether loaded or not, some watts.
        """
        assert isinstance(link, UnitLink)
        point = solution[link.id]
        source = self.source_curve(link.tap, job.settings.mains_Hz)
        path = self.circuit(link.tap, job.settings.mains_Hz)
        diodes = 2 if self.topology == "bridge" else 1
        winding, ripple = source.winding_A.at(point.I), source.capacitor_A.at(point.I)
        copper = self.legs * path.resistance_ohm * winding**2 + self.esr_ohm * ripple**2
        return np.asarray(copper + diodes * self.diode_V * point.I)

    def stored(self, job: Surroundings, link: Link) -> Stored | None:
        tap = link.tap if isinstance(link, UnitLink) else 0
        volts = self.source_curve(tap, job.settings.mains_Hz).no_load_high_line_V
        why = "the reservoir behind the rectifier"
        return Stored(link.id, link.name, self.capacitance_F, volts, f"charge-{link.id}", why)

    @property
    def charged_after_off(self) -> bool:
        return True

    @property
    def legs(self) -> int:
        """Halves of its winding that carry the current in turn."""
        return 2 if self.centre_tapped else 1

    @property
    def centre_tapped(self) -> bool:
        return self.topology == "centre_tap"

    @property
    def metal_case(self) -> bool:
        return True

    @property
    def wired_to_mains(self) -> bool:
        return True

    @property
    def negative_on_case(self) -> bool:
        return False

    def sized(self, here: Operating) -> Sized:
        assert isinstance(here.link, UnitLink)
        mains, tap = here.job.settings, here.link.tap
        amps, volts = float(here.point.I), self.tap_V[tap]
        state = rectified(self.circuit(tap, mains.mains_Hz), load_A=np.asarray(amps))
        highest = self.source_curve(tap, mains.mains_Hz).no_load_high_line_V
        given = Input("I", "DC drawn", amps, "A")
        integrated = "integrated over cycles until it repeats"
        figures = [
            figure("Ripple, p-p", integrated, float(state.peak_V - state.valley_V), "V", given),
            figure("Valley", integrated, float(state.valley_V), "V", given),
            figure("Diode, peak", integrated, float(state.diode_peak_A), "A", given),
            figure("Winding, rms", integrated, float(state.transformer_rms_A), "A", given),
            figure("Capacitor, rms", integrated, float(state.capacitor_rms_A), "A", given),
            figure(
                "Each diode blocks",
                "no load, high line",
                peak_inverse_V(self.circuit(tap, mains.mains_Hz), self.highest),
                "V",
                Input("U", "no-load rms volts of the tap", volts, "V"),
            ),
        ]
        if amps > 0:
            # Both halves of a centre-tapped winding draw through the one primary.
            rms = float(state.transformer_rms_A) * self.legs**0.5
            factor = max(rms / amps, 1.0)
            primary = fuses.transformer_primary_A(amps, volts, mains.mains_V, factor)
            figures.append(
                figure(
                    "Primary fuse, slow", "I = I_rms·U2/U1, times 1.5, next of the series",
                    fuses.choose(primary * 1.5, share=1.0).rated_A, "A",
                    Input("I_rms", "of all of the winding", rms, "A"),
                    Input("U1", "mains", mains.mains_V, "V"),
                )
            )  # fmt: skip
        ohms = self.bleed_ohm or BLED_S / (self.capacitance_F * np.log(max(highest / BLED_V, 1.01)))
        bled = discharge(self.capacitance_F, max(highest, BLED_V * 1.01), BLED_V, ohms)
        words = "Bled to 5 V in" if self.bleed_ohm else "A bleed resistor of"
        figures.append(
            figure(
                words, "t = R·C·ln(U0/U)", *((bled.time_s, "s") if self.bleed_ohm else (ohms, "ohm")),
                Input("R", "across the reservoir", ohms, "ohm"),
                Input("U0", "no load, high line", highest, "V"),
                Input("P", "it takes at first", bled.power_W, "W"),
            )
        )  # fmt: skip
        notes = ["The mains side is for those licensed for it; local codes decide."]
        if self.bleed_ohm and self.bleed_W is not None and bled.power_W > self.bleed_W:
            rated = f"it is rated {show(self.bleed_W, 'W')}."
            notes.insert(0, f"The bleed resistor takes {show(bled.power_W, 'W')}; {rated}")
        return Sized(tuple(figures), tuple(notes))

    # -- before and at first power --------------------------------------------------------------

    @property
    def strays(self) -> float:
        return MAINS_BAND

    def alone(self, link: Link) -> Alone | None:
        return None

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        dc = self.source_curve(len(self.tap_V) - 1, job.settings.mains_Hz).mean.volts[0]
        yield incoming_step(
            self, "isolation", "Unplugged, reservoir read empty: read ohms.", "primary to secondary", "ohm",
            Band(ISOLATED_OHM, None), rules_out="It does not isolate: dangerous. Cut its cable off.",
            caution="Read the volts of the reservoir first; they creep back after it was emptied.",
        )  # fmt: skip
        yield incoming_step(
            self, "winding", "Still unplugged.", "across the secondary", "ohm",
            Band(0.0, max(20 * self.resistance_ohm, 5.0)), expected=self.resistance_ohm,
            rules_out="Open: its winding or its thermal fuse is gone.",
        )  # fmt: skip
        missing = "Half of it: a diode or half a winding is missing."
        yield incoming_step(
            self, "reservoir", f"{FIRST} No load.", "across the reservoir, DC", "V",
            Band.around(dc, self.high_line + 0.03), expected=dc, caution=MAINS,
            rules_out=f"{missing} It comes from {max(self.tap_V):g} V rms.",
        )  # fmt: skip
