"""A supply with several rails on one common."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

import numpy as np

from tensimeter.core.analysis.cross import Cross
from tensimeter.core.arrays import Array
from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Element, Extremes, Series, extremes_of
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import Unit
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.limit import Limit, least_load, limit
from tensimeter.core.parts.mains_side import mains_side
from tensimeter.core.parts.rail import (
    CombinedLimit,
    Coupling,
    Rail,
    RailTrim,
    dummy_figures,
    idle_notices,
    trim_figures,
    trim_notices,
)
from tensimeter.core.parts.sized import Sized
from tensimeter.core.parts.source_part import LeastLoad, SourcePart, Stored
from tensimeter.core.parts.source_share import donor_share
from tensimeter.core.parts.steps import (
    FIRST,
    MAINS,
    STOP,
    UNIT_BAND,
    Alone,
    FaultCurrent,
    IncomingStep,
    PowerUpStep,
    incoming_step,
)
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import (
    HARNESS_WIRE_OHM,
    Suspect,
    harness_wire_missing,
    missing_least_load,
    more_source_ohms,
    off_volts,
)
from tensimeter.core.path import ConverterLink, Link, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.record import Efficiency, Positive
from tensimeter.core.settings import Spread

#: How far a rail strays from its volts, as a fraction: a rule of thumb.
RAIL_SPREAD = 0.015


class RailSupply(SourcePart):
    """A supply with several rails on one common, such as a 24-pin PC supply.

    `wire_A` is what one wire and its contact carry, a rule of thumb; its common is bonded to earth.
    """

    shelf: ClassVar[str] = "Supplies with rails"
    lists: ClassVar[dict[str, str]] = {"rails": "rail", "couplings": "coupling", "combined": "combined limit"}
    cased: ClassVar[bool] = True
    ohms_across: ClassVar[bool] = False
    isolates_mains: ClassVar[bool] = False
    common_earthed: ClassVar[bool] = True
    shared_case: ClassVar[bool] = True
    shorted_by_ohms: ClassVar[bool] = False
    fused_at_once: ClassVar[bool] = False

    kind: Literal["rails"] = "rails"
    rails: Annotated[tuple[Rail, ...], Quantity("", "rails", "its rails, one by one")]
    couplings: Annotated[
        tuple[Coupling, ...], Quantity("", "couplings", "what the load of one rail does to another")
    ] = ()
    combined: Annotated[
        tuple[CombinedLimit, ...], Quantity("", "combined", "watts that rails may give together")
    ] = ()
    wire_A: Annotated[
        Positive, Quantity("A", "wire", "amps that one wire and its contact carry; a rule of thumb")
    ] = 6.0
    efficiency: Annotated[Efficiency, Quantity("%", "efficiency", "share of the input that comes out")] = 0.8
    trim: Annotated[RailTrim | None, Quantity("", "trim of a rail", "how the volts of a rail are moved")] = (
        None
    )

    def rail(self, name: str | None) -> Rail | None:
        return next((r for r in self.rails if r.name == name), None)

    def _of(self, link: Link) -> Rail:
        """The rail that a link is; the path was found to name one before."""
        rail = self.rail(link.rail) if isinstance(link, UnitLink) else None
        assert rail is not None
        return rail

    def separate_outputs(self) -> tuple[str, ...]:
        return tuple(rail.name for rail in self.rails)

    def summary(self) -> tuple[str, str]:
        least = min(self.combined, key=lambda c: c.watts, default=None)
        watts = (
            f"{' + '.join(least.rails)} together {least.watts:g} W" if least else "combined limits not known"
        )
        return "  ".join(f"{r.name} {r.rated_A:g} A" for r in self.rails[:3]), watts

    def rated(self) -> None:
        return None

    def ratings_text(self, link: Link) -> str:
        rail = self.rail(link.rail) if isinstance(link, UnitLink) else None
        return f"{show(rail.volts, 'V')} {show(rail.rated_A, 'A')}" if rail else ""

    # -- in the network -------------------------------------------------------------------------

    def as_link(self, link_id: str, name: str) -> Link:
        return UnitLink(id=link_id, name=name, part=self.id)

    def problem(self, link: Link) -> str:
        if link.fed_by is not None:
            return f"{link.name}: its common is bonded to earth inside, so it can't stand on another unit."
        if isinstance(link, UnitLink) and self.rail(link.rail) is None:
            names = ", ".join(r.name for r in self.rails)
            return f"{link.name} names no rail of {self.name}; it has {names}."
        return ""

    def element(self, job: Surroundings, link: Link) -> Series:
        """One rail, with what the others' currents do to it; only rails that are in the path count."""
        rail = self._of(link)
        by_name = {
            other.rail: other.id
            for other in job.design.links
            if isinstance(other, UnitLink) and other.part == self.id
        }
        couplings = tuple(
            (by_name[c.other], c.ohm) for c in self.couplings if c.rail == rail.name and c.other in by_name
        )
        return Series(
            link.id,
            None,
            emf=rail.volts,
            resistance=rail.output_resistance_ohm,
            couplings=couplings,
            limit_A=rail.limit_A or np.inf,
        )

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        rail = self._of(link)
        yield off_volts(link, RAIL_SPREAD)
        yield more_source_ohms(link, job.policy.spread.source_ohm)
        if rail.wires > 1:
            yield harness_wire_missing(link, rail.wires)
        if rail.minimum_A:
            yield missing_least_load(link, rail.minimum_A)

    def strand_ohm(self, link: Link) -> float | None:
        wires = self._of(link).wires
        return HARNESS_WIRE_OHM / 2 / wires if wires > 1 else None

    def tolerances(self, spread: Spread) -> dict[str, float]:
        # A rail's tolerance is what it must keep; set at the factory it strays far less.
        return {"emf": RAIL_SPREAD, "resistance": spread.source_ohm}

    def extremes(self, job: Surroundings, link: Link, element: Element, line: float = 1.0) -> Extremes:
        # What it must keep is judged, unless its rails were measured.
        kept = RAIL_SPREAD if self.origins.get("rails") == "measured" else self._of(link).tolerance
        return extremes_of(element, {**self.tolerances(job.policy.spread), "emf": kept})

    def stack_unit(self, tap_A: float = 0.0, *, believed: bool = False) -> Unit | None:
        return None

    def below_common(self, link: Link) -> bool:
        rail = self.rail(link.rail) if isinstance(link, UnitLink) else None
        return rail is not None and rail.below

    @property
    def rail_colours(self) -> dict[str, str]:
        return {rail.wire_colour: rail.name for rail in self.rails if rail.wire_colour}

    def wire_colour(self, link: Link) -> str:
        rail = self.rail(link.rail) if isinstance(link, UnitLink) else None
        return rail.wire_colour if rail is not None else ""

    # -- limits ---------------------------------------------------------------------------------

    def limits(self, here: Operating) -> list[Limit]:
        rail, link, amps = self._of(here.link), here.link, here.point.I
        share, note = donor_share(here.job.policy, self)
        carries = rail.wires * self.wire_A
        wires = f"{rail.wires} wires of {self.wire_A:g} A each, rule of thumb"
        return [
            limit(link, "continuous amps", amps, rail.rated_A * share, "A", note, rail.rated_A),
            limit(link, "wires and contacts", amps, carries, "A", wires),
            *least_load(link, rail.minimum_A, amps),
            *self._combined(here, share, note),
        ]

    def _combined(self, here: Operating, share: float, note: str) -> list[Limit]:
        """Watts of rails together, each told once: at the first of them in the path."""
        found = []
        links = [x for x in here.job.design.links if isinstance(x, UnitLink) and x.part == self.id]
        for combined in self.combined:
            together = [x for x in links if x.rail in combined.rails]
            if not together or together[0].id != here.link.id:
                continue
            watts = sum((here.solution[x.id].power_out for x in together), start=np.float64(0.0))
            name = f"{self.name}, {' + '.join(combined.rails)}"
            allowed = combined.watts * share
            found.append(
                Limit(
                    here.link.id,
                    name,
                    "combined watts",
                    np.asarray(watts),
                    allowed,
                    "W",
                    note,
                    combined.watts,
                )
            )
        return found

    def current_limit_A(self, link: Link) -> float | None:
        rail = self.rail(link.rail) if isinstance(link, UnitLink) else None
        return rail.limit_A if rail is not None else None

    @property
    def beyond_words(self) -> str:
        return ""

    @property
    def holds_at_A(self) -> float | None:
        return None

    @property
    def over_voltage_V(self) -> float | None:
        return min((rail.trip_V for rail in self.rails if rail.trip_V), default=None)

    def trips_at_V(self, link: Link) -> float | None:
        rail = self.rail(link.rail) if isinstance(link, UnitLink) else None
        return rail.trip_V if rail is not None else None

    def claimed_A(self, link: Link) -> float:
        return self._of(link).rated_A

    @property
    def drives_A(self) -> float:
        return max(rail.rated_A for rail in self.rails)

    def least_load(self, link: Link) -> LeastLoad | None:
        rail = self.rail(link.rail) if isinstance(link, UnitLink) else None
        return None if rail is None else LeastLoad(rail.volts, rail.minimum_A, rail.rated_A)

    def shifted(self, link: Link, by_V: float) -> "RailSupply | None":
        rail = self._of(link)
        moved = rail.with_fields(volts=round(rail.volts + by_V, 3))
        rails = tuple(moved if r.name == rail.name else r for r in self.rails)
        return self.with_fields(rails=rails)

    def with_cross(self, found: Cross) -> "RailSupply":
        """Its card with what was measured; UserError where a measured rail is not on it."""
        names = {rail.name for rail in self.rails}
        unknown = [name for name in found.rails if name not in names]
        if unknown:
            raise UserError(f"{self.name} has no rail {unknown[0]}; it has {', '.join(sorted(names))}.")
        at = {name: k for k, name in enumerate(found.rails)}
        rails = []
        for rail in self.rails:
            if rail.name in at:
                k = at[rail.name]
                ohms = max(found.resistance_ohm[k][k].value, 0.0)
                rail = rail.with_fields(volts=found.no_load_V[k].value, output_resistance_ohm=ohms)
            rails.append(rail)
        fitted = tuple(
            Coupling(rail=a, other=b, ohm=found.resistance_ohm[at[a]][at[b]].value)
            for a in found.rails
            for b in found.rails
            if a != b
        )
        kept = tuple(c for c in self.couplings if c.rail not in at or c.other not in at)
        origins = {**self.origins, "rails": "measured", "couplings": "measured"}
        fields: dict[str, object] = {"rails": tuple(rails), "couplings": (*kept, *fitted), "origins": origins}
        return self.with_fields(**fields)

    def sized(self, here: Operating) -> Sized:
        rail = self._of(here.link)
        figures, notes = dummy_figures(rail, float(here.air_C)), []
        trim = self._trim_of(rail)
        figures += trim_figures(trim, rail) if trim else []
        if rail.minimum_A:
            notes.append("Mount the dummy load on metal, away from wires and wood.")
        else:
            notes.append("This rail asks for no least load.")
        return Sized(tuple(figures), tuple(notes))

    # -- heat, charge, case ---------------------------------------------------------------------

    def loss_W(self, job: Surroundings, link: Link, solution: Solution) -> Array:
        point = solution[link.id]
        below = solution[link.fed_by].V if link.fed_by else 0.0
        return np.asarray((point.V - below) * point.I * (1 / self.efficiency - 1))

    def stored(self, job: Surroundings, link: Link) -> Stored | None:
        first = next((x for x in job.design.links if x.part == self.id), link)
        if first.id != link.id:
            return None
        watts = max((c.watts for c in self.combined), default=0.0)
        watts = max(watts, max(rail.volts * rail.rated_A for rail in self.rails))
        return mains_side(self, job, link, watts)

    @property
    def metal_case(self) -> bool:
        return True

    @property
    def wired_to_mains(self) -> bool:
        return False

    @property
    def negative_on_case(self) -> bool:
        return False

    @property
    def plug_wire_A(self) -> float | None:
        return self.wire_A

    # -- before and at first power --------------------------------------------------------------

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        text = (
            f"{self.name}: its standby rail is live whenever it is plugged in. It runs while its enable line "
            "is joined to common; the 3.3 V sense wire stays joined to 3.3 V. Its common is bonded to earth."
        )
        said = [Notice(f"standby:{self.id}", "caution", "Off, but live", text, "design", link.id)]
        rail = self._of(link)
        for output in job.design.outputs():
            path = job.design.path_to(output.id)
            if link in path and not any(isinstance(x, ConverterLink) for x in path):
                said += idle_notices(self.rails, self.couplings, rail, output)
        trim = self._trim_of(rail)
        return [*said, *(trim_notices(self.name, trim, rail, link.id) if trim else [])]

    def _trim_of(self, rail: Rail) -> RailTrim | None:
        named = self.trim is not None and (self.trim.rail or self.rails[0].name) == rail.name
        return self.trim if named else None

    @property
    def strays(self) -> float:
        return UNIT_BAND

    def alone(self, link: Link) -> Alone:
        rail = self._of(link)
        return Alone(rail.volts, rail.tolerance, "Enable joined to common, its least load on.")

    def enabling(self, link: Link) -> Iterator[PowerUpStep]:
        alone = self.alone(link)
        yield PowerUpStep(
            "standby", f"{self.name}: standby", "Plugged in, enable open.", "violet wire to a black one",
            f"wake-{self.id}-standby", "V", Band.around(5.0, 0.05), 5.0, STOP, link.id,
        )  # fmt: skip
        yield PowerUpStep(
            f"sense-{self.id}", f"{self.name}: a rail, not a signal",
            "Enable joined to a black wire, a small lamp of some tens of milliamperes on the wire you "
            "mean to use. A rail stands up to it, a signal falls.",
            f"{self._probe(self._of(link))}, lamp on", f"wake-{link.id}-lamp", "V",
            Band.around(alone.volts, alone.share), alone.volts,
            "It falls below a volt: that is a signal wire.", link.id, True,
        )  # fmt: skip

    @staticmethod
    def _probe(rail: Rail) -> str:
        if rail.below:
            return f"red probe on common, black on {rail.name}"
        return f"{rail.name} wire to a black one"

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        yield incoming_step(
            self, "standby", f"{FIRST} Only the standby rail is live.", "standby wire to common", "V",
            Band.around(5.0, 0.05), expected=5.0, caution=MAINS,
            rules_out="No standby: its mains side is dead.",
        )  # fmt: skip
        enable = "Join the enable wire to common; give the 5 V rail its least load."
        for k, rail in enumerate(self.rails):
            yield incoming_step(
                self, f"rail-{k + 1}", enable if k == 0 else "Still running.", self._probe(rail), "V",
                Band.around(rail.volts, rail.tolerance), expected=rail.volts,
                rules_out=f"{rail.name} out of its band: see whether load on 5 V brings it in.",
            )  # fmt: skip
        yield incoming_step(
            self, "good", "Still running.", "power-good wire to common, through a light load", "V",
            Band(2.4, 5.25), expected=5.0,
            rules_out="Low: it says itself that a rail is wrong. A signal, no rail: it falls under a lamp.",
        )  # fmt: skip
