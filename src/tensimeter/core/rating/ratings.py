"""The limits of each kind of link: what is used of what is allowed."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.design.network import Conversion, Element, Network, Series
from tensimeter.core.electrical import fuse as fuses
from tensimeter.core.electrical import wire
from tensimeter.core.electrical.battery import hours
from tensimeter.core.electrical.reservoir import ReservoirSource, source_curve
from tensimeter.core.electrical.solution import Point, Solution
from tensimeter.core.explain import Given, Worked
from tensimeter.core.model.job import Job
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
from tensimeter.core.path import ConverterLink, Link, MeterLink, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.rating.dissipation import inside_air_C
from tensimeter.core.thermal.derating import allowed_at


@dataclass(frozen=True)
class Limit:
    """One limit of one link: what is used of what is allowed (arrays over operating points)."""

    link: str
    name: str
    short: str
    used: Array
    allowed: Figure
    unit: str
    note: str
    rated: Figure
    #: Added to what is used and allowed where it is shown: a rise is shown as a temperature.
    offset: Figure = 0.0
    #: A limit that is only reached after a while.
    heat: bool = False
    #: A least load: below it, not above it, is the trouble.
    floor: bool = False

    @property
    def shown(self) -> tuple[float, float]:
        """Used and allowed as they are shown, for a single operating point."""
        return float(self.used + self.offset), float(self.allowed + self.offset)

    @property
    def sentence(self) -> str:
        """Used of allowed, for a single operating point."""
        used, allowed = self.shown
        return f"{show(used, self.unit, 4)} of {show(allowed, self.unit, 4)}"

    @property
    def fraction(self) -> Array:
        """Share used; infinite where there is no running state."""
        with np.errstate(over="ignore", divide="ignore", invalid="ignore"):
            share = np.asarray(self.used, float) / self.allowed
        return np.where(np.isfinite(share), share, np.inf)

    def worked(self) -> Worked:
        """Why this limit stands where it does; for a single operating point."""
        used, allowed = self.shown
        given = [Given("used", self.short, used, self.unit), Given("limit", self.note, allowed, self.unit)]
        if self.heat:
            given.append(Given("air", "what both are counted from", float(self.offset), "C"))
        if self.rated is not self.allowed:
            given.append(Given("rated", "before the policy's share", float(self.rated), self.unit))
        return Worked(self.name, "share used = used / limit", tuple(given), float(self.fraction), "%")


def ratings(job: Job, link: Link, solution: Solution, network: Network) -> list[Limit]:
    """Every limit of one link at the operating points of a solution."""
    part, point = job.part(link.part), solution[link.id]
    if isinstance(part, Donor):
        below = solution[link.fed_by].V if link.fed_by else 0.0
        return _donor(job, link, part, point, below, _derated(job, part, solution))
    if isinstance(part, RailSupply):
        return _rail(job, link, part, point, solution)
    if isinstance(part, Transformer):
        return _transformer(job, link, part, point, network)
    if isinstance(part, Battery):
        return _battery(link, part, point)
    if isinstance(part, Converter):
        return _converter(link, part, point, network, _valley_sag(job, link, solution, network))
    if isinstance(part, FusePart):
        return _fuse(job, link, part, point)
    if isinstance(part, LeadPart | Wire):
        carries = wire.ampacity(part.area_mm2 * 1e-6, part.insulation_C, job.settings.ambient_C)
        note = f"{part.area_mm2:g} mm² in free air, rule of thumb"
        return [_limit(link, "wire heat", point.I, carries, "A", note)]
    if isinstance(part, Connector):
        carries = part.contacts * part.contact_A
        note = f"{part.contacts} contacts of {part.contact_A:g} A a leg"
        return [
            _limit(link, "contacts", point.I, carries, "A", note),
            _limit(link, "volts", point.V, part.rated_V, "V", "rating"),
        ]
    if isinstance(part, PanelMeter) and isinstance(link, MeterLink):
        return _panel_meter(link, part, point, solution)
    if isinstance(part, Fan):
        return [
            _limit(link, "volts", point.V, part.rated_V * 1.15, "V", "15 % over its rating, rule of thumb")
        ]
    return []


def _limit(
    link: Link, short: str, used: Figure, allowed: Figure, unit: str, note: str, rated: Figure | None = None
) -> Limit:
    name = f"{link.name}, {short}"
    before = allowed if rated is None else rated
    return Limit(link.id, name, short, np.asarray(used), allowed, unit, note, before)


def _derated(job: Job, part: Donor, solution: Solution) -> Figure:
    """The share that a unit's derating curve leaves in the air inside."""
    if len(part.derating) < 2:
        return 1.0
    curve = [(point.air_C, point.share) for point in part.derating]
    return np.maximum(allowed_at(curve, inside_air_C(job, solution)), 1e-9)


def _donor(
    job: Job, link: Link, part: Donor, point: Point, below: Figure, derated: Figure = 1.0
) -> list[Limit]:
    believed, note = _share(job, part)
    share = np.asarray(believed * derated) if part.derating else believed
    if part.derating:
        note = f"{note}, less its derating in the air inside"
    watts = (point.V - below) * point.I
    found = [
        _limit(link, "continuous amps", point.I, part.rated_A * share, "A", note, part.rated_A),
        _limit(link, "continuous watts", watts, part.rated_W * share, "W", note, part.rated_W),
    ]
    return found + _least_load(link, part.minimum_A, point)


def _share(job: Job, part: Donor | RailSupply | Transformer) -> tuple[float, str]:
    """How hard a source is run: the policy's share, and less where its label is doubted."""
    share = job.policy.donor_share * part.believed
    note = f"{share * 100:.0f} % of its rating"
    return share, note + (f", {part.doubt * 100:.0f} % off for doubt" if part.doubt else "")


def _least_load(link: Link, minimum_A: float, point: Point) -> list[Limit]:
    if not minimum_A:
        return []
    least = _limit(link, "least load", minimum_A, np.maximum(point.I, 1e-9), "A", "what flows now")
    return [replace(least, floor=True)]


def _rail(job: Job, link: Link, part: RailSupply, point: Point, solution: Solution) -> list[Limit]:
    rail = part.rail(link.rail if isinstance(link, UnitLink) else None)
    assert rail is not None
    share, note = _share(job, part)
    carries = rail.wires * part.wire_A
    wires = f"{rail.wires} wires of {part.wire_A:g} A each, rule of thumb"
    found = [
        _limit(link, "continuous amps", point.I, rail.rated_A * share, "A", note, rail.rated_A),
        _limit(link, "wires and contacts", point.I, carries, "A", wires),
    ]
    found += _least_load(link, rail.minimum_A, point)
    links = [x for x in job.design.links if isinstance(x, UnitLink) and x.part == part.id]
    for combined in part.combined:
        together = [x for x in links if x.rail in combined.rails]
        if not together or together[0].id != link.id:
            continue
        watts = sum((solution[x.id].power_out for x in together), start=np.float64(0.0))
        name = f"{part.name}, {' + '.join(combined.rails)}"
        allowed = combined.watts * share
        found.append(
            Limit(link.id, name, "combined watts", np.asarray(watts), allowed, "W", note, combined.watts)
        )
    return found


def _by_tap(job: Job, link: UnitLink, network: Network, asked: Callable[[ReservoirSource], Figure]) -> Figure:
    """A figure of the tap that feeds, point by point where the taps are switched."""
    part, element = job.part(link.part), network[link.id]
    assert isinstance(part, Transformer)
    assert isinstance(element, Series)
    own = asked(source_curve(part, link.tap, job.settings.mains_Hz))
    if element.lower is None:
        return own
    lower = asked(source_curve(part, 0, job.settings.mains_Hz))
    return np.where(np.asarray(element.on_lower) > 0, lower, own)


def _transformer(job: Job, link: Link, part: Transformer, point: Point, network: Network) -> list[Limit]:
    assert isinstance(link, UnitLink)
    share, note = _share(job, part)
    winding = _by_tap(job, link, network, lambda source: source.winding_A.at(point.I))
    highest = source_curve(part, link.tap, job.settings.mains_Hz).no_load_high_line_V
    return [
        _limit(link, "winding", winding, part.rated_A * share, "A", f"{note}, rms", part.rated_A),
        _limit(link, "reservoir volts", highest, part.capacitor_V, "V", "no load, high line"),
    ]


def _valley_sag(job: Job, link: Link, solution: Solution, network: Network) -> Figure:
    """How far the reservoir's valley at low line lies below the mean volts that feed a converter, in V."""
    above = job.design.path_to(link.id)[:-1]
    if any(isinstance(x, ConverterLink) for x in above):
        return 0.0
    sag: Figure = 0.0
    for unit in above:
        if isinstance(unit, UnitLink) and isinstance(job.part(unit.part), Transformer):
            amps = solution[unit.id].I

            def sagging(source: ReservoirSource, amps: Array = amps) -> Array:
                return np.asarray(source.mean.at(amps) - source.low_line_valley.at(amps))

            sag = sag + _by_tap(job, unit, network, sagging)
    return sag


def _battery(link: Link, part: Battery, point: Point) -> list[Limit]:
    found = [_limit(link, "discharge amps", point.I, part.rated_A * part.believed, "A", "its rating")]
    if part.board and part.board_trip_A:
        found.append(_limit(link, "board trips", point.I, part.board_trip_A, "A", "its protection board"))
    return found


def battery_hours(job: Job, solution: Solution) -> dict[str, float]:
    """Hours that each battery lasts at a single operating point, by link id; none where it is idle."""
    found = {}
    for link in job.design.links:
        part = job.part(link.part)
        if isinstance(part, Battery) and link.id in solution.points:
            amps = float(solution[link.id].I)
            if amps > 0:
                found[link.id] = hours(part, amps)
    return found


def _panel_meter(link: MeterLink, part: PanelMeter, point: Point, solution: Solution) -> list[Limit]:
    """What it can read and, where it runs from, what it needs."""
    supply = solution[link.supplied_by].V if link.supplied_by else point.V_in
    return [
        _limit(link, "volts it can read", point.V, part.reads_V, "V", "end of its range"),
        _limit(link, "amps it can read", point.I, part.reads_A, "A", "end of its range"),
        _limit(link, "own supply, most", supply, part.supply_max_V, "V", "rating of its supply"),
        _limit(link, "own supply, least", part.supply_min_V, supply, "V", "volts that it runs from"),
    ]


def _converter(
    link: Link, part: Converter, point: Point, network: Network, valley_sag: Figure = 0.0
) -> list[Limit]:
    model = network[link.id]
    assert isinstance(model, Conversion)
    limit_A, rated = float(np.max(model.limit_A)), part.rated_A * part.believed
    note = f"rating, {part.doubt * 100:.0f} % off for doubt" if part.doubt else "rating"
    found = [_limit(link, "rated amps", point.I, rated, "A", note, part.rated_A if part.doubt else None)]
    if limit_A < part.rated_A:
        found.append(_limit(link, "current limit", point.I, limit_A, "A", "as set"))
    if part.rated_W:
        watts = part.rated_W * part.believed
        found.append(_limit(link, "rated watts", point.power_out, watts, "W", note))
    found.append(_limit(link, "input volts", point.V_in, part.in_max_V, "V", "rating of its input"))
    if part.topology in ("step_down", "linear"):
        need = np.asarray(model.set_V + model.dropout_V)
        sagging = bool(np.any(valley_sag))
        note = "its input in the valley, at low line" if sagging else "volts at its input"
        left = point.V_in - valley_sag if sagging else point.V_in
        found.append(_limit(link, "headroom", need, left, "V", note))
    if part.topology != "linear":
        stiff = _stiff_volts(network, link.id)
        note = "half the no-load volts, where constant power collapses"
        found.append(_limit(link, "input sag", stiff - point.V_in, stiff / 2, "V", note))
    return found


def _fuse(job: Job, link: Link, part: FusePart, point: Point) -> list[Limit]:
    share = job.policy.fuse_share
    carries, note = fuses.continuous_A(part, share), f"{share * 100:.0f} % of {part.rated_A:g} A"
    return [
        _limit(link, "continuous", point.I, carries, "A", note, part.rated_A),
        _limit(link, "volts to break", point.V, part.rated_V, "V", "DC rating"),
    ]


def _no_load_volts(element: Element) -> Figure:
    if not isinstance(element, Series):
        return 0.0
    if element.lower is None:
        return float(np.max(element.emf))
    return np.where(np.asarray(element.on_lower) > 0, element.lower.volts[0], np.max(element.emf))


def _stiff_volts(network: Network, link_id: str) -> Figure:
    """No-load volts in V at the input of a converter, from whatever source feeds it."""
    total: Figure = 0.0
    parent = network[link_id].fed_by
    while parent is not None:
        element = network[parent]
        if isinstance(element, Conversion):
            return total + float(np.max(element.set_V))
        total = total + _no_load_volts(element)
        parent = element.fed_by
    return total
