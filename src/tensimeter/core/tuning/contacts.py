"""Millivolts along a path: ohms of each link and of its joints beside the design, and which to make anew."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Literal

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.assembly.harness import PINS
from tensimeter.core.circuit.along_path import JOINTS, LEAST, drop_of, joints_of, link_of, pin_of, places_of
from tensimeter.core.circuit.network import build, has_source
from tensimeter.core.derivation import Derivation, Input
from tensimeter.core.electrical.elements import Series
from tensimeter.core.measurement.conformity import Band, Interval, Verdict, half_width_95, judge
from tensimeter.core.measurement.readings import Reading, amps_by_moment, counting
from tensimeter.core.model.instruments import accuracy_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.parts.path_part import PathPart
from tensimeter.core.parts.rail import RAIL_COLOURS
from tensimeter.core.path import Link
from tensimeter.core.quantity import show
from tensimeter.core.testplan.picture import Line, Picture, Spot
from tensimeter.core.tuning.asked import Asked
from tensimeter.core.tuning.observed import ammeter_of

#: A wire is one of a rail where its volts are within this share of the rail's, idle; a rule of thumb.
RAIL_SHARE = 0.06
#: What gives way by more than this share under a small lamp is a signal, no rail; a rule of thumb.
SIGNAL_SHARE = 0.3
#: A wire of so many times the ohms of its neighbours is worse than they are.
WORSE_TIMES = 1.5


Sort = Literal["rail", "signal", "wrong_colour", "dead", "unknown"]


class Joint(Struct, frozen=True):
    """What was read across one place of a path: its ohms, those of the design, W lost at full load."""

    link: str
    name: str
    place: str
    what: str
    amps_A: float
    ohm: Interval
    designed_ohm: float
    allowed: Band
    full_load_A: float

    @property
    def verdict(self) -> Verdict:
        """Whether its ohms are those of the design, within how such joints stray."""
        return judge(self.ohm, self.allowed)

    @property
    def excess_ohm(self) -> float:
        """Ω above the most that the design allows; 0 within."""
        return max(self.ohm.value - self.allowed.ends[1], 0.0)

    @property
    def lost_W(self) -> float:
        """W that it turns into heat at full load by what is above the design."""
        return max(self.ohm.value - self.designed_ohm, 0.0) * self.full_load_A**2


class WireOfPlug(Struct, frozen=True):
    """One wire of a PC supply's main plug: volts idle and under a small load, Ω, its share of the amps."""

    pin: int
    carries: str
    colour: str
    idle_V: float
    loaded_V: float | None
    amps_A: float | None
    kind: Sort
    ohm: Interval | None
    #: Share of its rail's current by the ohms of all of its wires that were read; None where they were not.
    share: float | None
    #: Its ohms over the median of its neighbours'.
    times: float | None

    @property
    def place(self) -> str:
        """Where its volts are filed."""
        return pin_of(self.pin)

    @property
    def worse(self) -> bool:
        """Whether it has clearly more ohms than its neighbours."""
        return self.times is not None and self.ohm is not None and self.times > WORSE_TIMES


class Contacts(Struct, frozen=True):
    """All joints that were read, the costliest first; the wires of a plug; what is still to be read."""

    joints: tuple[Joint, ...]
    wires: tuple[WireOfPlug, ...]
    unread: tuple[tuple[str, str], ...]

    @property
    def redo(self) -> Joint | WireOfPlug | None:
        """The one to make anew; None where none is worse than it may be."""
        bad = [j for j in self.joints if j.verdict is Verdict.NONCONFORMING and j.excess_ohm > 0]
        most = {x.link: max(y.lost_W for y in bad if y.link == x.link) for x in bad}
        # Of a link and its joints the joints are what is made anew.
        bad.sort(key=lambda j: (-most[j.link], not j.place.endswith(JOINTS)))
        wires = [w for w in self.wires if w.worse or w.kind in ("dead", "wrong_colour")]
        return bad[0] if bad else wires[0] if wires else None


def contacts(job: Job, readings: Iterable[Reading]) -> Contacts:
    """What millivolts along the path tell, the newest of each place.

    A drop over the amps that flowed, in Ω, with what both meters may be off by; the meter's own offset counts
    whole, since millivolts are near it.
    """
    live = [r for r in put_right(job, counting(readings)) if np.isfinite(r.value)]
    joints = sorted(_joints(job, live), key=lambda j: (-j.excess_ohm * j.full_load_A**2, -j.lost_W))
    read = {j.place for j in joints}
    unread = [
        (place, link.name)
        for link in job.design.links
        for place in places_of(job, link)
        if place not in read and not place.endswith(LEAST)
    ]
    return Contacts(tuple(joints), tuple(_wires(job, live)), tuple(unread))


def _joints(job: Job, live: Sequence[Reading]) -> list[Joint]:
    if not has_source(job):
        return []
    network = build(job)
    volts = {r.place: r for r in live if r.quantity == "V"}
    amps = amps_by_moment(live)
    found = []
    for link in job.design.links:
        element, part = network[link.id], job.part(link.part)
        if not isinstance(element, Series) or not isinstance(part, PathPart):
            continue
        for place in (drop_of(link.id), joints_of(link.id)):
            v = volts.get(place)
            a = _through(job, link, place, v, amps) if v is not None else None
            if v is None or a is None or a.value <= 0:
                continue
            ohm = _ohm(job, v, a)
            spread = part.tolerances(job.policy.spread)
            wire, joint = float(np.max(element.resistance)), float(np.max(element.contact))
            wire = 0.0 if place.endswith(JOINTS) else wire
            most = wire * (1 + spread.get("resistance", 0.0)) + joint * (1 + spread.get("contact", 0.0))
            least = wire * (1 - spread.get("resistance", 0.0))
            what = "its joints" if place.endswith(JOINTS) else "all of it"
            found.append(
                Joint(link.id, link.name, place, what, a.value, ohm, wire + joint, Band(least, most),
                      _full_load(job, link))
            )  # fmt: skip
    return found


def _ohm(job: Job, v: Reading, a: Reading) -> Interval:
    of_v = v.accuracy or accuracy_of(job, None, "V", v.value, 0.001)[0]
    of_a = a.accuracy or ammeter_of(job)
    ohm = v.value / a.value
    bounds = (
        of_v.of_reading * abs(ohm), of_v.offset / a.value,
        of_a.of_reading * abs(ohm), of_a.offset / a.value * abs(ohm),
    )  # fmt: skip
    half = half_width_95(bounds, float(np.hypot(of_v.scatter, of_a.scatter * ohm)) / a.value)
    return Interval(ohm, ohm - half, ohm + half)


def _full_load(job: Job, link: Link) -> float:
    """Amps through a link at full load of all that it feeds, as far as no converter stands between."""
    below = [o for o in job.design.outputs() if link.id in [x.id for x in job.design.path_to(o.id)]]
    return sum(o.full_load_A for o in below)


def _through(
    job: Job, link: Link, place: str, v: Reading, amps: Mapping[tuple[int, str], Reading]
) -> Reading | None:
    """The amps through a link as it was read: said with it, or those of the one output that it feeds."""
    below = [o.id for o in job.design.outputs() if link in job.design.path_to(o.id)]
    own, others = amps.get((v.scan, place)), [a for o in below if (a := amps.get((v.scan, o))) is not None]
    return own or (others[0] if len(others) == len(below) == 1 else None)


def _wires(job: Job, live: Sequence[Reading]) -> list[WireOfPlug]:
    """The wires of a main plug that were read: idle, and under a small load where that was read too."""
    idle: dict[int, Reading] = {}
    loaded: dict[int, tuple[Reading, Reading]] = {}
    amps = amps_by_moment(live)
    for number in range(1, len(PINS) + 1):
        for r in (r for r in live if r.place == pin_of(number) and r.quantity == "V"):
            with_it = amps.get((r.scan, r.place))
            if with_it is not None and with_it.value > 0:
                loaded[number] = (r, with_it)
            else:
                idle[number] = r
    made = [_wire(job, k, r, loaded.get(k)) for k, r in sorted(idle.items())]
    return [_beside(w, [x for x in made if x.carries == w.carries and x.ohm is not None]) for w in made]


#: Volts of a plug's wires by their colours; the violet one stands by.
_BY_COLOUR = {**{colour: volts for volts, colour in RAIL_COLOURS.items()}, "violet": 5.0}


def _wire(job: Job, pin: int, idle: Reading, loaded: tuple[Reading, Reading] | None) -> WireOfPlug:
    carries, colour = PINS[pin - 1]
    expected = next((v for c, v in _BY_COLOUR.items() if c in colour), 0.0 if carries == "common" else None)
    volts = idle.value
    kind: Sort = "unknown"
    ohm = None
    if expected is not None and abs(volts - expected) <= max(RAIL_SHARE * abs(expected), 0.1):
        kind = "rail"
    elif expected is None:
        # Power good, enable and the empty pin are no rails, whatever stands there.
        kind = "signal"
    elif any(abs(volts - v) <= RAIL_SHARE * abs(v) for v in _BY_COLOUR.values()):
        kind = "wrong_colour"
    elif abs(volts) < 0.1:
        kind = "dead"
    if loaded is not None:
        if abs(volts) > 0.5 and abs(volts - loaded[0].value) > SIGNAL_SHARE * abs(volts):
            kind = "signal"
        elif kind in ("rail", "wrong_colour"):
            drop = loaded[0]._replace(value=abs(idle.value - loaded[0].value))
            ohm = _ohm(job, drop, loaded[1])
    return WireOfPlug(
        pin, carries, colour, volts, loaded[0].value if loaded else None,
        loaded[1].value if loaded else None, kind, ohm, None, None,
    )  # fmt: skip


def _beside(wire: WireOfPlug, neighbours: Sequence[WireOfPlug]) -> WireOfPlug:
    """It with its share of the rail's current, and its ohms over its neighbours'."""
    if wire.ohm is None or len(neighbours) < 2:
        return wire
    ohms = np.array([max(n.ohm.value, 1e-6) for n in neighbours if n.ohm is not None])
    mine = max(wire.ohm.value, 1e-6)
    others = [max(n.ohm.value, 1e-6) for n in neighbours if n.ohm is not None and n.pin != wire.pin]
    share = float((1 / mine) / np.sum(1 / ohms))
    return replace(wire, share=share, times=mine / float(np.median(others)))


def worked(joint: Joint) -> Derivation:
    """How the ohms of a place came about."""
    return Derivation(
        f"{joint.name}, {joint.what}",
        "R = U / I",
        (
            Input("U", "volts across it", joint.ohm.value * joint.amps_A, "V"),
            Input("I", "current through it", joint.amps_A, "A"),
            Input("R0", "by the design", joint.designed_ohm, "ohm"),
            Input("Rmax", "at the most, with the spread of such joints", joint.allowed.ends[1], "ohm"),
        ),
        joint.ohm.value,
        "ohm",
        ("both legs and all of their joints together", "warmed through as it was read"),
        "Ohm's law",
        (joint.ohm.low, joint.ohm.high),
    )


def joint_sentence(joint: Joint) -> str:
    """What a place of a path has, beside what it should have."""
    has = f"{joint.name}, {joint.what}: {show(joint.ohm.value, 'ohm', 3)}"
    most = joint.allowed.ends[1]
    if joint.excess_ohm > 0:
        more = f"{show(joint.excess_ohm, 'ohm', 2)} more than the {show(most, 'ohm', 3)} it may have"
        return f"{has}, {more}; {show(joint.lost_W, 'W', 2)} lost there at full load."
    return f"{has}, of {show(most, 'ohm', 3)} at the most."


def redo_sentence(found: Contacts) -> str:
    """The one to make anew, in a sentence."""
    worst = found.redo
    if worst is None:
        if not found.joints and not found.wires:
            return "Nothing was read along the path yet."
        left = f" {len(found.unread)} places are not read yet." if found.unread else ""
        return f"Nothing of what was read is worse than it may be.{left}"
    if isinstance(worst, Joint):
        return f"To make anew: {joint_sentence(worst)}"
    times = f"has {worst.times or 0:.1f} times the ohms of its neighbours"
    why = {
        "dead": "carries nothing",
        "wrong_colour": f"carries {show(worst.idle_V, 'V', 3)}, not what its colour says",
    }.get(worst.kind, times)
    return f"To look at: the {worst.colour} wire at pin {worst.pin} {why}."


def contact_asked(job: Job, found: Contacts) -> Asked | None:
    """The next place along the path that nobody read, at the full load of what it feeds; None without one."""
    for place, _ in found.unread:
        link = job.design.link(link_of(place))
        below = [o for o in job.design.outputs() if link.id in [x.id for x in job.design.path_to(o.id)]]
        if len(below) == 1:
            return Asked(place, "V", below[0].id, below[0].full_load_A)
    return None


def next_place(job: Job, found: Contacts) -> str:
    """What to read next along the path, and how it is typed; empty where all was read."""
    asked = contact_asked(job, found)
    if asked is None:
        return ""
    name = job.design.link(link_of(asked.place)).name
    across = "the joints of " if asked.place.endswith(JOINTS) else ""
    return f"Read next: volts across {across}{name}. Type “{asked.place} … mV @{asked.amps_A:.3g}A”."


def picture(found: Contacts) -> Picture:
    """Each place's ohms, and the designed ones, as a share of the most that it may have."""
    most = [max(j.allowed.ends[1], 1e-9) for j in found.joints]
    spots = tuple(
        Spot(float(k), 100 * j.ohm.value / m, 100 * j.ohm.half_width / m, j.verdict)
        for k, (j, m) in enumerate(zip(found.joints, most, strict=True))
    )
    x = np.arange(len(spots), dtype=float)
    designed = np.array([100 * j.designed_ohm / m for j, m in zip(found.joints, most, strict=True)])
    names = tuple(f"{j.name}{', joints' if j.place.endswith(JOINTS) else ''}" for j in found.joints)
    return Picture("", "% of the most", spots, (Line("designed", x, designed),), (0.0, 100.0), names=names)
