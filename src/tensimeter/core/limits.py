"""The limits ladder: how much of every limit is used, and what gives up first."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.electrical import fuse as fuses
from tensimeter.core.electrical import wire
from tensimeter.core.electrical.network import Conversion, Network, build, current_limit_A, has_source
from tensimeter.core.electrical.reservoir import source_curve
from tensimeter.core.electrical.solver import Point, Solution, solve
from tensimeter.core.explain import Given, Worked
from tensimeter.core.job.design import ConverterLink, Link, UnitLink
from tensimeter.core.job.document import Job
from tensimeter.core.job.parts import Converter, Donor, FusePart, LeadPart, RailSupply, Transformer
from tensimeter.core.quantity import show
from tensimeter.core.thermal.heat import hot_spots


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


def ladder(job: Job, solution: Solution, network: Network) -> list[Limit]:
    """Every limit of every link at the operating points of a solution."""
    found: list[Limit] = []
    for link in job.design.links:
        if link.id not in solution.points:
            continue
        part, point = job.part(link.part), solution[link.id]
        if isinstance(part, Donor):
            below = solution[link.fed_by].V if link.fed_by else 0.0
            found += _donor(job, link, part, point, below)
        elif isinstance(part, RailSupply):
            found += _rail(job, link, part, point, solution)
        elif isinstance(part, Transformer):
            found += _transformer(job, link, part, point)
        elif isinstance(part, Converter):
            found += _converter(link, part, point, network, _valley_sag(job, link, solution))
        elif isinstance(part, FusePart):
            found += _fuse(job, link, part, point)
        elif isinstance(part, LeadPart):
            area, ambient = part.area_mm2 * 1e-6, job.settings.ambient_C
            carries = wire.ampacity(area, part.insulation_C, ambient)
            note = f"{part.area_mm2:g} mm² in free air, rule of thumb"
            found.append(_limit(link, "wire heat", point.I, carries, "A", note))
    for hot in hot_spots(job, solution):
        room = hot.limit_C - hot.air_C
        found.append(
            Limit(
                hot.link, f"{hot.name}, hot spot", "hot spot", np.asarray(hot.hot_C - hot.air_C), room, "C",
                "hottest it may get", room, hot.air_C, heat=True,
            )
        )  # fmt: skip
    return found


def _limit(
    link: Link, short: str, used: Figure, allowed: Figure, unit: str, note: str, rated: Figure | None = None
) -> Limit:
    name = f"{link.name}, {short}"
    before = allowed if rated is None else rated
    return Limit(link.id, name, short, np.asarray(used), allowed, unit, note, before)


def _donor(job: Job, link: Link, part: Donor, point: Point, below: Figure) -> list[Limit]:
    share = job.policy.donor_share
    note = f"{share * 100:.0f} % of its rating"
    watts = (point.V - below) * point.I
    return [
        _limit(link, "continuous amps", point.I, part.rated_A * share, "A", note, part.rated_A),
        _limit(link, "continuous watts", watts, part.rated_W * share, "W", note, part.rated_W),
    ]


def _rail(job: Job, link: Link, part: RailSupply, point: Point, solution: Solution) -> list[Limit]:
    rail = part.rail(link.rail if isinstance(link, UnitLink) else None)
    assert rail is not None
    share = job.policy.donor_share
    note = f"{share * 100:.0f} % of its rating"
    carries = rail.wires * part.wire_A
    wires = f"{rail.wires} wires of {part.wire_A:g} A each, rule of thumb"
    found = [
        _limit(link, "continuous amps", point.I, rail.rated_A * share, "A", note, rail.rated_A),
        _limit(link, "wires and contacts", point.I, carries, "A", wires),
    ]
    if rail.minimum_A:
        least = np.maximum(point.I, 1e-9)
        least_load = _limit(link, "least load", rail.minimum_A, least, "A", "what flows now")
        found.append(replace(least_load, floor=True))
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


def _transformer(job: Job, link: Link, part: Transformer, point: Point) -> list[Limit]:
    assert isinstance(link, UnitLink)
    source = source_curve(part, link.tap, job.settings.mains_Hz)
    share = job.policy.donor_share
    note = f"{share * 100:.0f} % of its rating, rms"
    winding = source.winding_A.at(point.I)
    highest = source.no_load_high_line_V
    return [
        _limit(link, "winding", winding, part.rated_A * share, "A", note, part.rated_A),
        _limit(link, "reservoir volts", highest, part.capacitor_V, "V", "no load, high line"),
    ]


def _valley_sag(job: Job, link: Link, solution: Solution) -> Figure:
    """How far the reservoir's valley at low line lies below the mean volts that feed a converter, in V."""
    above = job.design.path_to(link.id)[:-1]
    if any(isinstance(x, ConverterLink) for x in above):
        return 0.0
    sag: Figure = 0.0
    for unit in above:
        part = job.part(unit.part)
        if isinstance(unit, UnitLink) and isinstance(part, Transformer):
            source = source_curve(part, unit.tap, job.settings.mains_Hz)
            amps = solution[unit.id].I
            sag = sag + source.mean.at(amps) - source.low_line_valley.at(amps)
    return sag


def _converter(
    link: Link, part: Converter, point: Point, network: Network, valley_sag: Figure = 0.0
) -> list[Limit]:
    model = network[link.id]
    assert isinstance(model, Conversion)
    limit_A = float(np.max(model.limit_A))
    found = [_limit(link, "rated amps", point.I, part.rated_A, "A", "rating")]
    if limit_A < part.rated_A:
        found.append(_limit(link, "current limit", point.I, limit_A, "A", "as set"))
    if part.rated_W:
        found.append(_limit(link, "rated watts", point.power_out, part.rated_W, "W", "rating"))
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


def _stiff_volts(network: Network, link_id: str) -> float:
    """No-load volts in V at the input of a converter, from whatever source feeds it."""
    total, parent = 0.0, network[link_id].fed_by
    while parent is not None:
        element = network[parent]
        if isinstance(element, Conversion):
            return total + float(np.max(element.set_V))
        total += float(np.max(getattr(element, "emf", 0.0)))
        parent = element.fed_by
    return total


def ranked(limits: list[Limit]) -> list[Limit]:
    """What gives up first on top, for a single operating point."""
    return sorted(limits, key=lambda limit: -float(limit.fraction))


def at(
    job: Job, load_A: Mapping[str, Figure], network: Network | None = None, *, as_set: bool = False
) -> tuple[Network, Solution, list[Limit]]:
    """Network (the job's own where none is given), solution and ladder at given loads.

    With `as_set` past the limits too, so that it can be said how far past.
    """
    network = network or build(job)
    solution = solve(network, load_A, as_set=as_set)
    return network, solution, ladder(job, solution, network)


@dataclass(frozen=True)
class FullLoad:
    """The current an output is tested to, and what set it."""

    amps: float
    reason: str


def continuous_full_load(job: Job, output: str) -> FullLoad:
    """The largest current in A, up to the output's own full load, at which no limit is passed.

    Found on a grid of 0.1 % of full load, the other outputs idle. `reason` names what set it.
    """
    wanted = job.design.link(output)
    assert wanted.kind == "output"
    if not has_source(job):
        return FullLoad(wanted.full_load_A, "the nameplate's current")
    amps = np.linspace(0, wanted.full_load_A, 1001)
    _, solution, limits = at(job, {output: amps})
    over = {limit.name: solution.whole(limit.fraction) > 1 + 1e-9 for limit in limits if not limit.floor}
    broken = ~np.isfinite(solution.whole(solution[output].V)) | ~solution.runs
    stopped = np.logical_or.reduce([broken, *over.values()])
    if not stopped.any():
        return FullLoad(wanted.full_load_A, "the output's full load")
    first = int(np.argmax(stopped))
    names = [name for name, flags in over.items() if flags[first]]
    reason = names[0] if names else "the path gives up"
    return FullLoad(float(amps[max(first - 1, 0)]), reason)


def fault_notes(job: Job) -> list[tuple[str, str]]:
    """Fuses that can't do their work, as (link id, sentence)."""
    found = []
    for link in job.design.links:
        part = job.part(link.part)
        if not isinstance(part, FusePart):
            continue
        before = job.design.path_to(link.id)[:-1]
        # The nearest limit before the fuse counts; beyond a converter the amps are others.
        nearest = (most for b in reversed(before) if (most := current_limit_A(job, b)) is not None)
        most = next(nearest, None)
        if most is not None and not fuses.can_blow(part, most):
            found.append(
                (
                    link.id,
                    (
                        f"The path limits at {most:.3g} A; a {part.rated_A:g} A fuse needs about "
                        f"{fuses.CERTAIN_TO_BLOW * part.rated_A:.3g} A to blow for certain. Behind this "
                        "limit it protects against a failed limit only."
                    ),
                )
            )
    return found
