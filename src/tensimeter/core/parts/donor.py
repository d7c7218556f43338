"""A donor: an AC–DC unit with one output."""

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

import numpy as np

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.described import Quantity
from tensimeter.core.electrical.elements import Series
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.stack import Unit
from tensimeter.core.measurement.conformity import Band
from tensimeter.core.notice import Notice
from tensimeter.core.parts.donor_inside import Inside
from tensimeter.core.parts.hot_part import HotPart
from tensimeter.core.parts.limit import Limit, least_load, limit
from tensimeter.core.parts.mains_side import mains_side
from tensimeter.core.parts.source_part import SourcePart, Stored
from tensimeter.core.parts.source_share import donor_share
from tensimeter.core.parts.steps import (
    FIRST,
    ISOLATED_OHM,
    LIGHT,
    MAINS,
    UNIT_BAND,
    Alone,
    FaultCurrent,
    IncomingStep,
    incoming_step,
    no_short,
)
from tensimeter.core.parts.surroundings import Operating, Surroundings
from tensimeter.core.parts.suspect import Suspect, more_source_ohms, off_volts
from tensimeter.core.path import Link, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.record import Efficiency, Fraction, NotNegative, Positive, Record
from tensimeter.core.settings import Spread
from tensimeter.core.thermal.derating import allowed_at
from tensimeter.core.thermal.heatsink import SinkFigures

BeyondLimit = Literal["constant_current", "constant_power", "foldback", "hiccup", "latch_off", "brown_out"]

#: What becomes of a device whose first draw trips a unit, by what the unit does then.
_TRIPPED = {
    "constant_current": "it starts slowly, at the limit",
    "constant_power": "it starts slowly, at the limit",
    "foldback": "folded back it may never start",
    "hiccup": "it tries again and again and may never start",
    "latch_off": "it switches off and stays off",
    "brown_out": "the volts sag until it has started",
}


class DeratingPoint(Record):
    """What share of its rating a unit gives at a temperature of the air around it."""

    air_C: Annotated[float, Quantity("°C", "air", "temperature of the air around it")] = 50.0
    share: Annotated[
        Fraction,
        Quantity("%", "at this share of full load", "share of what it is rated for, or of full load"),
    ] = 1.0


#: What is left into a short of a limit that folds back, where it was not read: a rule of thumb.
FOLDED_SHARE = 0.3


class Donor(SourcePart):
    """An AC–DC unit with one output: enclosed, a hot-swap server unit, or a laptop brick.

    `limit_A` is where its behaviour beyond the rating begins; None: not known. `bonded` says that its
    negative is joined to its case inside, `standby_V` what stands at a pin whenever it is plugged in.
    """

    shelf: ClassVar[str] = "Donors"
    cased: ClassVar[bool] = True
    tried_first: ClassVar[bool] = True
    ohms_across: ClassVar[bool] = True
    isolates_mains: ClassVar[bool] = False
    common_earthed: ClassVar[bool] = False
    #: Its own few milliohms say nothing of what it gives into a short.
    shorted_by_ohms: ClassVar[bool] = False
    fused_at_once: ClassVar[bool] = False
    shared_label: ClassVar[bool] = True

    kind: Literal["donor"] = "donor"
    family: Annotated[
        Literal["enclosed", "server", "brick"],
        Quantity("", "family", "how it is built: enclosed, a server unit, a brick"),
    ] = "enclosed"
    no_load_V: Annotated[Positive, Quantity("V", "no load", "read with nothing connected")]
    tolerance: Annotated[Fraction, Quantity("%", "tolerance", "how far its volts may stray")] = 0.01
    output_resistance_ohm: Annotated[
        NotNegative, Quantity("Ω", "output resistance", "volts it loses for each ampere")
    ] = 0.0
    rated_A: Annotated[Positive, Quantity("A", "rated", "amps on its label, for good")]
    rated_W: Annotated[Positive, Quantity("W", "rated", "watts on its label, for good")]
    limit_A: Annotated[
        Positive | None, Quantity("A", "limit", "amps where it acts beyond its rating; empty where not known")
    ] = None
    beyond: Annotated[BeyondLimit, Quantity("", "beyond its limit", "what it does past its limit")] = "hiccup"
    short_A: Annotated[
        Positive | None, Quantity("A", "into a short", "amps that are left into a short where it folds back")
    ] = None
    trip_V: Annotated[Positive | None, Quantity("V", "trip", "volts at which it switches itself off")] = None
    efficiency: Annotated[Efficiency, Quantity("%", "efficiency", "share of the input that comes out")] = 0.85
    #: None: not known. A server unit's is joined as a rule; those of the other families float.
    bonded: Annotated[
        bool | None,
        Quantity("", "negative joined to case", "its negative meets its case; a server unit's mostly does"),
    ] = None
    minimum_A: Annotated[
        NotNegative, Quantity("A", "minimum", "amps it must be loaded with to keep its volts")
    ] = 0.0
    #: Its mains-side reservoir, where it was read off an opened unit.
    #: Where its label tells; else the most that such a unit may hold counts.
    bulk_V: Annotated[Positive | None, Quantity("V", "bulk volts", "volts of its mains-side reservoir")] = (
        None
    )
    bulk_F: Annotated[
        Positive | None, Quantity("F", "bulk", "its reservoir on the mains side, read off an opened unit")
    ] = None
    standby_V: Annotated[
        Positive | None, Quantity("V", "standby", "volts at a pin whenever it is plugged in")
    ] = None
    air_max_C: Annotated[
        float | None, Quantity("°C", "air, most", "hottest air it may stand in, by its label or sheet")
    ] = None
    #: From its sheet, in rising temperature; straight between two points, nothing above the last.
    derating: Annotated[
        tuple[DeratingPoint, ...],
        Quantity(
            "",
            "derating: °C of the air = % of its rating",
            "what share it gives at a temperature of the air around it",
        ),
    ] = ()

    #: What gets hot in it, where it was opened or its circuit is known.
    inside: Annotated[Inside | None, Quantity("", "inside", "what gets hottest in it")] = None

    def summary(self) -> tuple[str, str]:
        family = "" if self.family == "enclosed" else f"{self.family}, "
        resistance = show(self.output_resistance_ohm, "ohm")
        return (
            f"{self.no_load_V:g} V  {self.rated_A:g} A  {self.rated_W:g} W",
            f"{family}± {self.tolerance * 100:g} %, {resistance}",
        )

    def rated(self) -> tuple[float, float, float]:
        return self.no_load_V, self.rated_A, self.rated_W

    def ratings_text(self, link: Link) -> str:
        return f"{show(self.no_load_V, 'V')} {show(self.rated_A, 'A')}"

    # -- in the network -------------------------------------------------------------------------

    def as_link(self, link_id: str, name: str) -> Link:
        return UnitLink(id=link_id, name=name, part=self.id)

    def element(self, job: Surroundings, link: Link) -> Series:
        return Series(
            link.id,
            link.fed_by,
            emf=self.no_load_V,
            resistance=self.output_resistance_ohm,
            limit_A=self.limit_A or np.inf,
        )

    def suspects(self, job: Surroundings, link: Link) -> Iterator[Suspect]:
        yield off_volts(link, self.tolerance)
        yield more_source_ohms(link, job.policy.spread.source_ohm)

    def tolerances(self, spread: Spread) -> dict[str, float]:
        return {"emf": self.tolerance, "resistance": spread.source_ohm}

    def stack_unit(self, tap_A: float = 0.0, *, believed: bool = False) -> Unit:
        share = self.believed if believed else 1.0
        return Unit(
            self.no_load_V,
            self.rated_A * share,
            self.rated_W * share,
            self.tolerance,
            self.trip_V,
            self.limit_A,
            tap_A,
        )

    # -- limits ---------------------------------------------------------------------------------

    def limits(self, here: Operating) -> list[Limit]:
        believed, note = donor_share(here.job.policy, self)
        share = np.asarray(believed * self._derated(here)) if self.derating else believed
        if self.derating:
            note = f"{note}, less its derating in the air inside"
        link, amps = here.link, here.point.I
        return [
            limit(link, "continuous amps", amps, self.rated_A * share, "A", note, self.rated_A),
            limit(link, "continuous watts", here.own_V * amps, self.rated_W * share, "W", note, self.rated_W),
            *least_load(link, self.minimum_A, amps),
            *self._in_air(here),
        ]

    def _in_air(self, here: Operating) -> list[Limit]:
        """The air around it, where its card says how hot that may be: counted from freezing point."""
        tops = [x for x in (self.air_max_C, self.derating[-1].air_C if self.derating else None) if x]
        if not tops:
            return []
        return [limit(here.link, "air around it", here.air_C, min(tops), "C", "hottest air on its card")]

    def _derated(self, here: Operating) -> Figure:
        """The share that its derating curve leaves in the air inside."""
        if len(self.derating) < 2:
            return 1.0
        curve = [(point.air_C, point.share) for point in self.derating]
        return np.maximum(allowed_at(curve, here.air_C), 1e-9)

    def current_limit_A(self, link: Link) -> float | None:
        return self.limit_A

    @property
    def beyond_words(self) -> str:
        return self.beyond.replace("_", " ")

    def limiting_words(self, name: str, amps: str) -> str:
        return f"{name}: {self.beyond_words} at {amps}"

    @property
    def when_tripped(self) -> str:
        return _TRIPPED[self.beyond]

    @property
    def folds_to_A(self) -> float:
        if self.beyond != "foldback":
            return self.holds_at_A or 0.0
        return self.short_A or FOLDED_SHARE * (self.holds_at_A or 0.0)

    @property
    def fold_assumed(self) -> bool:
        return self.beyond == "foldback" and self.short_A is None

    @property
    def latches_off(self) -> bool:
        return self.beyond == "latch_off"

    @property
    def holds_at_A(self) -> float | None:
        return self.limit_A if self.beyond in ("constant_current", "foldback") else None

    @property
    def over_voltage_V(self) -> float | None:
        return self.trip_V

    @property
    def drives_A(self) -> float:
        return self.rated_A

    # -- heat, charge, case ---------------------------------------------------------------------

    def loss_W(self, job: Surroundings, link: Link, solution: Solution) -> Array:
        point = solution[link.id]
        below = solution[link.fed_by].V if link.fed_by else 0.0
        return np.asarray((point.V - below) * point.I * (1 / self.efficiency - 1))

    def stored(self, job: Surroundings, link: Link) -> Stored | None:
        return mains_side(self, job, link, self.rated_W, self.bulk_F, self.bulk_V)

    def hot_part(self) -> HotPart | None:
        return self.inside.hot_part() if self.inside else None

    def with_heat(self, case_K_W: float, case_J_K: float, sink: SinkFigures) -> "Donor":
        if self.inside is None:
            return self
        inside = self.inside.as_read(case_K_W, case_J_K, sink)
        return self.model_copy(update={"id": f"{self.id}-as-read", "inside": inside})

    @property
    def metal_case(self) -> bool:
        return self.family != "brick"

    @property
    def wired_to_mains(self) -> bool:
        return self.family == "enclosed"

    @property
    def negative_on_case(self) -> bool:
        return self.joined_to_case is True

    @property
    def joined_to_case(self) -> bool | None:
        if self.isolation_ohm is not None:
            return self.isolation_ohm < ISOLATED_OHM
        return self.bonded if self.bonded is not None or self.family == "server" else False

    # -- before and at first power --------------------------------------------------------------

    def notices(self, job: Surroundings, link: Link, fault_A: FaultCurrent) -> list[Notice]:
        stacked = [self._unread(link)] if link.fed_by and self.joined_to_case is None else []
        if not (self.standby_V or self.family == "server"):
            return stacked
        volts = f" {show(self.standby_V, 'V')} standby" if self.standby_V else " a standby"
        text = (
            f"{link.name} has{volts} output that is live whenever it is plugged in, whatever its enable "
            "line says, and a source behind it that can weld a tool. Unplug it before you touch its pins."
        )
        return [*stacked, Notice(f"standby:{link.id}", "caution", "Off, but live", text, "design", link.id)]

    def _unread(self, link: Link) -> Notice:
        text = (
            "Whether its negative meets its case is not known, and in a server unit it mostly does: then it "
            "shorts the unit below through the earth. Read it, unplugged, and say it on its card."
        )
        return Notice(f"case:{link.id}", "miss", f"{link.name} in a stack", text, "design", link.id)

    @property
    def strays(self) -> float:
        return UNIT_BAND

    def alone(self, link: Link) -> Alone:
        enable = "Pull its enable pin to common." if self.family == "server" else "Switch on."
        return Alone(self.no_load_V, max(self.tolerance, UNIT_BAND), enable)

    def incoming(self, job: Surroundings) -> Iterator[IncomingStep]:
        nominal, light = self.no_load_V, LIGHT * self.rated_A
        server, do = self.family == "server", FIRST
        yield no_short(self)
        meets = (
            "its negative meets the case: it earths what it feeds and can only be at the bottom of a stack."
        )
        yield incoming_step(
            self, "case", "Still unplugged: read ohms to the case.", "output − to metal case or earth pin",
            "ohm", Band(None, None) if server else Band(ISOLATED_OHM, None), field="isolation_ohm",
            rules_out=f"Below a megohm {meets}" + (" That is usual for a server unit." if server else ""),
        )  # fmt: skip
        if server and self.standby_V:
            yield incoming_step(
                self, "standby", f"{FIRST} Only the standby is live.", "standby pin to common", "V",
                Band.around(self.standby_V, 0.05), expected=self.standby_V, caution=MAINS,
                rules_out="No standby: its mains side is dead; the enable pin will do nothing.",
            )  # fmt: skip
            do = "Pull the enable pin to common through a kilohm."
        yield incoming_step(
            self, "volts", do, "output, without load", "V", Band.around(nominal, max(self.tolerance, 0.05)),
            expected=nominal, caution="" if server else MAINS, field="no_load_V",
            rules_out="Far below or pulsing: it protects itself. Far above: unplug at once.",
        )  # fmt: skip
        loaded = nominal - self.output_resistance_ohm * light
        yield incoming_step(
            self, "light", f"Load it lightly, about {light:.2g} A.", "output", "V",
            Band.around(loaded, 0.05), expected=loaded,
            rules_out="It sags under next to nothing: it needs repair, or a least load that it did not get.",
        )  # fmt: skip
        yield incoming_step(
            self, "warm", "After five minutes of that.", "case, the hottest place", "C", Band(None, 50.0),
            rules_out="Hot under a light load: leave it.",
        )  # fmt: skip
