"""The isolation and continuity matrix that a design implies: which nodes are joined, which are apart.

Read with everything unplugged and every reservoir read empty. A pair's reading lies at its own place.
"""

import math
from collections.abc import Iterator, Sequence
from typing import Literal

from msgspec import Struct

from tensimeter.core.assembly.wiring import mains_units, metal_box
from tensimeter.core.circuit.sources import below_common, bonded, outputs_by_common, stacks, units_of_stack
from tensimeter.core.electrical.stack import stack
from tensimeter.core.measurement.conformity import Band, Verdict, judge
from tensimeter.core.measurement.readings import HEARD, Measurand, Reading, counting, interval_of
from tensimeter.core.model.job import Job
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import Link, OutputLink, UnitLink
from tensimeter.core.quantity import show
from tensimeter.core.remembered import remembered

#: Ω up to which two nodes count as joined, from which as apart, and as not shorted: rules of thumb for a
#: handheld meter. A converter's input may read some tens of ohms while its capacitors charge.
JOINED_OHM, APART_OHM, NOT_SHORTED_OHM = 1.0, 1e6, 10.0
#: Volts of a diode that is there and the right way round, in the meter's diode range.
DIODE_V = (0.15, 0.9)


class Node(Struct, frozen=True):
    """A point that a probe can touch."""

    id: str
    name: str


class NodePair(Struct, frozen=True):
    """Two nodes, what is expected between them, why, and what it means where it is not so.

    A `hold` keeps the stage from going on until it is read.
    """

    first: Node
    second: Node
    kind: Literal["joined", "apart", "not_shorted", "diode", "either"]
    why: str
    wrong: str
    hold: bool = False
    own_place: str = ""

    @property
    def place(self) -> str:
        """Where its reading is filed."""
        return self.own_place or f"{self.kind.replace('_', '-')}-{self.first.id}-{self.second.id}"

    @property
    def name(self) -> str:
        """The pair in words."""
        return f"{self.first.name} to {self.second.name}"

    @property
    def quantity(self) -> Measurand:
        """What is read: volts of a diode, else ohms."""
        return "V" if self.kind == "diode" else "ohm"

    @property
    def band(self) -> Band:
        """What it must read."""
        return {
            "joined": Band(None, JOINED_OHM),
            "apart": Band(APART_OHM, None),
            "not_shorted": Band(NOT_SHORTED_OHM, None),
            "diode": Band(*DIODE_V),
            "either": Band(None, None),
        }[self.kind]

    @property
    def expected(self) -> str:
        """In words: what the meter should show."""
        return {
            "joined": f"up to {show(JOINED_OHM, 'ohm')}; a beep alone is no figure",
            "apart": f"{show(APART_OHM, 'ohm')} or more, or OL",
            "not_shorted": f"more than {show(NOT_SHORTED_OHM, 'ohm')}",
            "either": f"up to {show(JOINED_OHM, 'ohm')}, or {show(APART_OHM, 'ohm')} and more: not known yet",
            "diode": f"{DIODE_V[0]:g} to {DIODE_V[1]:g} V in the diode range",
        }[self.kind]


class Checked(Struct, frozen=True):
    """A pair with its latest reading and verdict."""

    pair: NodePair
    reading: Reading | None
    verdict: Verdict


EARTH, LIVE, NEUTRAL = Node("earth", "earth pin"), Node("live", "live pin"), Node("neutral", "neutral pin")
CHASSIS = Node("chassis", "chassis")


@remembered(kept=8)
def matrix(job: Job) -> list[NodePair]:
    """Every pair to read, the mains side first, then the units, then the outputs."""
    units = [x for x in job.design.links if isinstance(x, UnitLink)]
    if not units:
        return list(_by_its_terminals(job))
    return [*_mains(job), *_cases(job, units), *_stacks(job, units), *_outputs(job, units), *_sources(job)]


def numbered(job: Job) -> dict[int, tuple[str, str, Measurand]]:
    """Place, name and quantity of every pair by the number that stands before it."""
    return {k: (p.place, p.name, p.quantity) for k, p in enumerate(matrix(job), start=1)}


def checked(job: Job, readings: Sequence[Reading]) -> list[Checked]:
    """Every pair judged by its latest reading; over range is open."""
    latest = {(r.place, r.quantity): r for r in counting(readings)}
    found = []
    for pair in matrix(job):
        reading = latest.get((pair.place, pair.quantity))
        found.append(Checked(pair, reading, _verdict(pair, reading)))
    return found


def _verdict(pair: NodePair, reading: Reading | None) -> Verdict:
    if reading is None:
        return Verdict.NOT_MEASURED
    if pair.kind == "either" and reading.range == HEARD:
        return Verdict.TOO_CLOSE
    if pair.kind == "either":
        known = reading.value <= JOINED_OHM or reading.value >= APART_OHM
        return Verdict.CONFORMS if known else Verdict.NONCONFORMING
    if math.isinf(reading.value):
        return Verdict.CONFORMS if pair.band.high is None else Verdict.NONCONFORMING
    return judge(interval_of(reading), pair.band)


def case_of(link: Link) -> Node:
    """The metal case of a link."""
    return Node(f"{link.id}-case", f"{link.name} case")


def pole(link: Link, sign: Literal["plus", "minus"]) -> Node:
    """The plus or minus of a link."""
    return Node(f"{link.id}-{sign}", f"{link.name} {'+' if sign == 'plus' else '−'}")


def _mains(job: Job) -> Iterator[NodePair]:
    wired = mains_units(job)
    if not wired:
        return
    leak = "A path to earth on the mains side: a wet or damaged part, or a wire trapped. Don't plug it in."
    why = "switch off, unplugged"
    short = "A short behind the switch, or the switch is on."
    yield NodePair(LIVE, NEUTRAL, "apart", why, short, hold=True)
    yield NodePair(LIVE, EARTH, "apart", "switch on, unplugged", leak, hold=True)
    yield NodePair(NEUTRAL, EARTH, "apart", "unplugged", leak, hold=True)


def _by_its_terminals(job: Job) -> Iterator[NodePair]:
    """What is read of a supply that is known by its readings only: at its plug, its case and its outlets.

    A bought one that nobody opened keeps what its maker gave it; one that was repaired, or whose mains side
    is the builder's own, is read before anything is loaded.
    """
    if job.nameplate is None:
        return
    hold = job.nameplate.made != "bought"
    leak = "A path to earth on the mains side: a wet or damaged part, or a wire trapped. Don't plug it in."
    if hold:
        short = "A short behind the switch, or the switch is on."
        yield NodePair(LIVE, NEUTRAL, "apart", "switch off, unplugged", short, hold=True)
        yield NodePair(LIVE, EARTH, "apart", "switch on, unplugged", leak, hold=True)
        yield NodePair(NEUTRAL, EARTH, "apart", "unplugged", leak, hold=True)
        if metal_box(job):
            lost = "Its protective earth is missing: a fault inside would put the mains on its case."
            yield NodePair(EARTH, CHASSIS, "joined", "a metal case is earthed", lost, hold=True)
    for output in job.design.outputs():
        plus, minus = pole(output, "plus"), pole(output, "minus")
        short = "A short across the outlet, or in the supply."
        yield NodePair(plus, minus, "not_shorted", "nothing plugged in", short, hold=hold)
        bonded_here = job.policy.reference == "negative_bonded"
        kind: Literal["joined", "apart"] = "joined" if bonded_here else "apart"
        met = "It is not as the policy has it: find out what it is, and choose the policy by that."
        place = f"earth-{output.id}"
        yield NodePair(minus, EARTH, kind, "by the policy", met, hold=hold, own_place=place)
        lost = "The mains side meets the output: dangerous. Don't plug it in."
        yield NodePair(LIVE, minus, "apart", "mains to output", lost, hold=hold)


def _cases(job: Job, units: list[UnitLink]) -> Iterator[NodePair]:
    """Protective earth of every metal case, and of the box."""
    lost = "Its protective earth is missing: a fault inside would put the mains on its case."
    for unit in units:
        part = job.part(unit.part)
        if isinstance(part, SourcePart) and part.metal_case and not part.shared_case:
            yield NodePair(EARTH, case_of(unit), "joined", "protective earth stays", lost, hold=True)
    for part in job.stock:
        shared = isinstance(part, SourcePart) and part.metal_case and part.shared_case
        if shared and any(x.part == part.id for x in units):
            case = Node(f"{part.id}-case", f"{part.name} case")
            yield NodePair(EARTH, case, "joined", "protective earth stays", lost, hold=True)
    if metal_box(job):
        yield NodePair(EARTH, CHASSIS, "joined", "a metal box is earthed", lost, hold=True)


def _stacks(job: Job, units: list[UnitLink]) -> Iterator[NodePair]:
    """Units on one another: joints, the insulation of each, its reverse diode."""
    carrying = {unit.fed_by for unit in units}
    for unit in units:
        part = job.part(unit.part)
        if not isinstance(part, SourcePart) or not part.ohms_across:
            continue
        short = "A short in its output, or a wire across it."
        yield NodePair(pole(unit, "plus"), pole(unit, "minus"), "not_shorted", "nothing connected", short)
        if part.isolates_mains:
            lost = "It does not isolate: dangerous. Take it out."
            yield NodePair(LIVE, pole(unit, "minus"), "apart", "primary to secondary", lost, hold=True)
        if unit.fed_by is None and unit.id not in carrying:
            continue
        below = next((x for x in units if x.id == unit.fed_by), None)
        if below is not None:
            lost = "The joint between the two is open: the stack gives nothing."
            yield NodePair(pole(below, "plus"), pole(unit, "minus"), "joined", "they stand in series", lost)
        stands = f"must stand {_stack_trip_V(job, unit):.0f} V, at trip"
        if unit.fed_by is None and bonded(job, unit.id):
            lost = "The one bond to earth is missing."
            yield NodePair(
                pole(unit, "minus"), case_of(unit), "joined", "bonded at one point", lost, hold=True
            )
            lost = "A short in its output: its plus meets the case that its minus is joined to."
            yield NodePair(pole(unit, "plus"), case_of(unit), "not_shorted", stands, lost, hold=True)
        else:
            if below is not None and bonded(job, unit.id):
                stands = f"its joint to the unit below open; {stands}"
            lost = "Its output meets its case, and so the earth: in a stack that shorts the unit below."
            yield NodePair(pole(unit, "minus"), case_of(unit), "apart", stands, lost, hold=True)
            yield NodePair(pole(unit, "plus"), case_of(unit), "apart", stands, lost, hold=True)
        lost = (
            "Its reverse diode is missing, open or the wrong way round: when it is down the others drive it."
        )
        yield NodePair(
            pole(unit, "minus"),
            pole(unit, "plus"),
            "diode",
            "red probe on −: its reverse diode",
            lost,
            hold=True,
        )


def _stack_trip_V(job: Job, unit: UnitLink) -> float:
    made = units_of_stack(job, next(s for s in stacks(job) if unit in s))
    return stack(made).isolation_V if made else 0.0


def _outputs(job: Job, units: list[UnitLink]) -> Iterator[NodePair]:
    short = "A short across the outlet: a strand, a screw, or a wire on the wrong post."
    crossed = "Its wires are crossed, or broken, between supply and outlet."
    mains = bool(mains_units(job))
    for output in job.design.outputs():
        plus, minus = pole(output, "plus"), pole(output, "minus")
        yield NodePair(plus, minus, "not_shorted", "nothing plugged in", short)
        if below_common(job, output.id):
            # Its rail stands below common: what meets common, and earth with it, is its positive.
            plus, minus = minus, plus
        bottom = _bottom(job, output)
        if bottom is not None:
            yield NodePair(pole(bottom, "minus"), minus, "joined", "one negative for all", crossed)
        if bonded(job, output.id):
            lost = "The one bond to earth is missing."
            yield NodePair(
                minus, EARTH, "joined", "bonded at one point", lost, own_place=f"earth-{output.id}"
            )
        elif bottom is not None and _case_unknown(job, bottom):
            why = f"{bottom.name}: its negative may meet its case; a server unit's mostly does"
            met = "Neither joined nor apart: a leak or a filter's resistor. Find it, then say it on its card."
            yield NodePair(minus, EARTH, "either", why, met, own_place=f"earth-{output.id}")
        else:
            met = "Something joins it to earth: find it before a second earth shorts part of the supply."
            yield NodePair(minus, EARTH, "apart", "it floats", met, own_place=f"earth-{output.id}")
            yield NodePair(plus, EARTH, "apart", "it floats", met)
        if mains:
            lost = "The mains side meets the output: dangerous. Don't plug it in."
            yield NodePair(LIVE, minus, "apart", "mains to output", lost, hold=True)


def _sources(job: Job) -> Iterator[NodePair]:
    """Sources that stand side by side: their negatives as the policy has them, their pluses never joined."""
    groups = outputs_by_common(job)
    joined = job.policy.commons == "joined" or job.policy.reference == "negative_bonded"
    for k, (first, *_) in enumerate(groups):
        for other, *_ in groups[k + 1 :]:
            ends = pole(first, "minus"), pole(other, "minus")
            if joined or (bonded(job, first.id) and bonded(job, other.id)):
                yield NodePair(
                    *ends, "joined", "one negative for all sources", "Their commons are not joined."
                )
            else:
                met = "The two supplies meet: each is no longer a supply of its own."
                yield NodePair(*ends, "apart", "each source has its own negative", met)
            met = "The pluses of two sources meet: the higher one drives the other. Don't switch on."
            ends = pole(first, "plus"), pole(other, "plus")
            yield NodePair(*ends, "not_shorted", "two sources", met, hold=True)


def _bottom(job: Job, output: OutputLink) -> Link | None:
    first = job.design.path_to(output.id)[0]
    return first if first.kind == "unit" else None


def _case_unknown(job: Job, unit: Link) -> bool:
    part = job.part(unit.part)
    return isinstance(part, SourcePart) and part.joined_to_case is None
