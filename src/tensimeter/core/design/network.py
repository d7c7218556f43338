"""The electrical model of a design: the numbers that the path solver works on."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.electrical import fuse as fuses
from tensimeter.core.electrical import wire
from tensimeter.core.electrical.battery import nominal_V
from tensimeter.core.electrical.battery import spread as battery_spread
from tensimeter.core.electrical.reservoir import Curve, source_curve
from tensimeter.core.errors import Trouble
from tensimeter.core.model.job import Job, Spread
from tensimeter.core.model.problems import problems
from tensimeter.core.parts.kinds import (
    Battery,
    Connector,
    Converter,
    Donor,
    Fan,
    FusePart,
    LeadPart,
    PanelMeter,
    RailSupply,
    Transformer,
    Wire,
)
from tensimeter.core.path import ConverterLink, EitherLink, FanLink, LeadLink, Link, MeterLink, UnitLink

#: How far a rail strays from its volts, as a fraction: a rule of thumb.
RAIL_SPREAD = 0.015


@dataclass(frozen=True)
class Series:
    """EMF and resistance in series: a unit (EMF > 0), a fuse or a lead; a diode also drops volts."""

    id: str
    fed_by: str | None
    emf: Figure = 0.0
    resistance: Figure = 0.0
    contact: Figure = 0.0
    limit_A: Figure = np.inf
    efficiency: Figure = 1.0
    #: Volts that it loses for each ampere through another source, Ω, by that one's id.
    couplings: tuple[tuple[str, float], ...] = ()
    #: A source whose volts follow no straight line: amps and volts, in rising amps.
    curve: Curve | None = None
    #: Its curve on the lower tap, and where that one feeds.
    lower: Curve | None = None
    on_lower: Figure = 0.0
    drop_V: Figure = 0.0


@dataclass(frozen=True)
class Conversion:
    """A converter: set volts behind a resistance, a current limit, total loss P0 + a·I + b·I²."""

    id: str
    fed_by: str | None
    set_V: Figure
    limit_A: Figure
    dropout_V: Figure
    loss_fixed_W: Figure
    loss_per_A: Figure
    loss_per_A2: Figure
    resistance: Figure = 0.0
    topology: str = "step_down"

    def loss(self, current: Array) -> Array:
        """Loss in W at an output current in A."""
        return np.asarray(self.loss_fixed_W + self.loss_per_A * current + self.loss_per_A2 * current**2)


@dataclass(frozen=True)
class Sink:
    """Where a load current is drawn: an output, or what runs a fan or a meter and draws `own_A` by itself."""

    id: str
    fed_by: str | None
    own_A: Figure = 0.0


Element = Series | Conversion | Sink


@dataclass(frozen=True)
class Network:
    """Elements in the order of the path, each after what feeds it."""

    elements: tuple[Element, ...]

    def __getitem__(self, element_id: str) -> Element:
        for element in self.elements:
            if element.id == element_id:
                return element
        raise KeyError(element_id)

    def with_values(self, values: Mapping[tuple[str, str], Figure]) -> "Network":
        """A copy with figures replaced, by (element id, field)."""
        known = {(e.id, f.name) for e in self.elements for f in fields(e)}
        for key in values:
            if key not in known:
                raise KeyError(key)
        return Network(tuple(_replaced(element, values) for element in self.elements))

    def spread(self, job: Job, rng: np.random.Generator, draws: int, axes: int = 1) -> "Network":
        """Seeded draws of every figure within its tolerance; each gets the shape (draws, 1, …).

        `axes` is how many axes of operating points stand behind the draws.
        """
        shape = (draws, *[1] * axes)
        return self.with_values(
            {
                (element, field): rng.uniform(value * (1 - share), value * (1 + share), shape)
                for element, field, value, share in self._uncertain(job)
            }
        )

    def ends(self, job: Job) -> dict[tuple[str, str], tuple[Figure, Figure]]:
        """The least and the most that each figure may be within its tolerance, by (element id, field)."""
        return {
            (element, field): (value * (1 - share), value * (1 + share))
            for element, field, value, share in self._uncertain(job)
        }

    def _uncertain(self, job: Job) -> Iterator[tuple[str, str, Figure, float]]:
        for element in self.elements:
            for field, share in _tolerances(job, element).items():
                value = getattr(element, field)
                if share and np.any(value):
                    yield element.id, field, value, share


def _replaced(element: Element, values: Mapping[tuple[str, str], Figure]) -> Element:
    own: dict[str, Any] = {field: v for (name, field), v in values.items() if name == element.id}
    return replace(element, **own)


def _tolerances(job: Job, element: Element) -> dict[str, float]:
    """Rectangular tolerances of an element's figures, as fractions."""
    spread: Spread = job.policy.spread
    part = None if isinstance(element, Sink) else job.part(job.design.link(element.id).part)
    if isinstance(part, Battery):
        # Full and empty are its ends: what lies between is not a tolerance, but acts like one.
        return {"emf": battery_spread(part), "resistance": spread.source_ohm}
    if isinstance(part, Connector):
        return {"contact": spread.contact_ohm}
    if isinstance(part, Donor):
        return {"emf": part.tolerance, "resistance": spread.source_ohm}
    if isinstance(part, RailSupply):
        # A rail's tolerance is what it must keep; set at the factory it strays far less.
        return {"emf": RAIL_SPREAD, "resistance": spread.source_ohm}
    if isinstance(part, Converter):
        return {
            "set_V": part.set_tolerance,
            "resistance": spread.source_ohm,
            "loss_fixed_W": spread.loss,
            "loss_per_A": spread.loss,
            "loss_per_A2": spread.loss,
        }
    if isinstance(part, FusePart):
        return {"resistance": spread.fuse_ohm}
    if isinstance(part, LeadPart | Wire):
        share = 0.02 if isinstance(part, LeadPart) and part.measured_ohm else spread.wire_ohm
        return {"resistance": share, "contact": spread.contact_ohm}
    return {}


def build(job: Job) -> Network:
    """The network of a job's design; Trouble with the first problem's sentence if it has one."""
    wrong = problems(job.design, job.stock)
    if wrong:
        raise Trouble(next(iter(wrong.values())))
    links = [link for _, link in job.design.walk()]
    own_supplies = [_meter_supply(job, link) for link in links if isinstance(link, MeterLink)]
    return Network((*[_element(job, link) for link in links], *own_supplies))


def has_source(job: Job) -> bool:
    """Whether there is a path to solve, or only outputs known by their readings."""
    return any(isinstance(link, UnitLink) for link in job.design.links)


def current_limit_A(job: Job, link: Link) -> float | None:
    """The current in A at which a converter or donor limits; None where it does not, or where unknown."""
    part = job.part(link.part)
    if isinstance(link, ConverterLink) and isinstance(part, Converter):
        return min(link.limit_A or np.inf, part.rated_A)
    if isinstance(part, Battery):
        return part.board_trip_A if part.board else None
    return part.limit_A if isinstance(part, Donor) else None


def _element(job: Job, link: Any) -> Element:
    part = job.part(link.part)
    if isinstance(link, UnitLink) and isinstance(part, Donor):
        return Series(
            link.id,
            link.fed_by,
            emf=part.no_load_V,
            resistance=part.output_resistance_ohm,
            limit_A=part.limit_A or np.inf,
            efficiency=part.efficiency,
        )
    if isinstance(link, UnitLink) and isinstance(part, RailSupply):
        return _rail(job, link, part)
    if isinstance(link, UnitLink) and isinstance(part, Transformer):
        return _rectified(job, link, part)
    if isinstance(link, UnitLink) and isinstance(part, Battery):
        return Series(link.id, link.fed_by, emf=nominal_V(part), resistance=part.resistance_ohm)
    if isinstance(link, EitherLink):
        drop = link.diode_V if link.guard == "diodes" else 0.0
        return Series(link.id, link.fed_by, drop_V=drop)
    if isinstance(link, ConverterLink) and isinstance(part, Converter):
        return Conversion(
            link.id,
            link.fed_by,
            set_V=link.set_V,
            limit_A=min(link.limit_A or np.inf, part.rated_A),
            dropout_V=part.dropout_V,
            loss_fixed_W=part.loss_fixed_W,
            loss_per_A=part.loss_per_A,
            loss_per_A2=part.loss_per_A2,
            resistance=part.output_resistance_ohm,
            topology=part.topology,
        )
    if isinstance(part, FusePart):
        return Series(link.id, link.fed_by, resistance=fuses.resistance(part))
    if isinstance(link, LeadLink) and isinstance(part, LeadPart | Wire):
        resistance, contact = _lead(part, link, job.settings.ambient_C)
        return Series(link.id, link.fed_by, resistance=resistance, contact=contact)
    if isinstance(part, Connector):
        return Series(link.id, link.fed_by, contact=2 * part.contact_ohm / part.contacts)
    if isinstance(link, MeterLink) and isinstance(part, PanelMeter):
        return Series(link.id, link.fed_by, resistance=part.shunt_ohm)
    if isinstance(link, FanLink) and isinstance(part, Fan):
        return Sink(link.id, link.fed_by, own_A=part.rated_A)
    return Sink(link.id, link.fed_by)


def _meter_supply(job: Job, link: MeterLink) -> Sink:
    """What a panel meter draws for itself, from what it measures or from another link."""
    part = job.part(link.part)
    assert isinstance(part, PanelMeter)
    return Sink(f"{link.id}:supply", link.supplied_by or link.fed_by, own_A=part.draws_A)


def _rectified(job: Job, link: UnitLink, part: Transformer) -> Series:
    """A transformer behind its rectifier; switched between taps by what the stage behind it is set to."""
    found = source_curve(part, link.tap, job.settings.mains_Hz).mean
    source = Series(link.id, link.fed_by, emf=found.volts[0], curve=found)
    if link.switch_V is None or len(part.tap_V) < 2:
        return source
    lower = source_curve(part, 0, job.settings.mains_Hz).mean
    set_V = next(
        (x.set_V for x in job.design.links if isinstance(x, ConverterLink) and x.fed_by == link.id), 0
    )
    return replace(source, lower=lower, on_lower=np.asarray(set_V <= link.switch_V, float))


def _rail(job: Job, link: UnitLink, part: RailSupply) -> Series:
    """One rail, with what the others' currents do to it; only rails that are in the path count."""
    rail = part.rail(link.rail)
    assert rail is not None
    by_name = {
        other.rail: other.id
        for other in job.design.links
        if isinstance(other, UnitLink) and other.part == part.id
    }
    couplings = tuple(
        (by_name[c.other], c.ohm) for c in part.couplings if c.rail == rail.name and c.other in by_name
    )
    return Series(
        link.id,
        None,
        emf=rail.volts,
        resistance=rail.output_resistance_ohm,
        efficiency=part.efficiency,
        couplings=couplings,
    )


def _lead(part: LeadPart | Wire, link: LeadLink, ambient: float) -> tuple[float, float]:
    """Ohms of wire and contacts apart; a measured lead is taken as it was measured."""
    if isinstance(part, LeadPart) and part.measured_ohm is not None:
        return part.measured_ohm, 0.0
    length = link.length_m if link.length_m is not None else getattr(part, "length_m", 0.0)
    return wire.resistance(length, part.area_mm2 * 1e-6, ambient), 4 * part.contact_ohm
