"""The trims of a job by what was read: what each is to bring about, what to turn now, whether all holds."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from tensimeter.core.arrays import Array
from tensimeter.core.circuit.network import build
from tensimeter.core.design.bands import trim as trim_of_design
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.measurement.conformity import Accuracy, Band, Interval, Verdict, half_width_95, judge
from tensimeter.core.measurement.readings import Reading, counting
from tensimeter.core.model.compared_places import set_of
from tensimeter.core.model.instruments import accuracy_of, put_right
from tensimeter.core.model.job import Job
from tensimeter.core.model.states import newest
from tensimeter.core.model.trims import TrimScrew
from tensimeter.core.path import OutputLink
from tensimeter.core.testplan.step import panel_of
from tensimeter.core.tuning.trying import effect, first_of, tried
from tensimeter.core.tuning.turning import Sensitivity, Turn, Turned, sensitivity, turns_for

#: A load is the same within this share of full load.
NEAR_LOAD = 0.05
#: Mechanical stops first, then zero, then span; outputs before displays.
_ORDER = {"trip": 0, "zero": 1, "span": 2, "volts": 2, "limit": 3, "display": 4}


class _Loads:
    """Under which conditions each place was read most: under others it tells of those, not of a turn."""

    def __init__(self, job: Job, live: Sequence[Reading]) -> None:
        outputs = {o.id: o.full_load_A for o in job.design.outputs()}
        self._output = {p: o for o in outputs for p in (o, panel_of(o))}
        self._near = {o: NEAR_LOAD * a for o, a in outputs.items()}
        self._told: dict[tuple[object, str, str], float] = {}
        for r in sorted(live, key=lambda r: r.known == "read"):
            # What was read of a moment stands for what was said of it.
            self._told[_moment(r), r.place, r.quantity] = r.value
        at: dict[str, list[tuple[float, float | None]]] = {}
        for r in live:
            # The amps of an output come along with its volts.
            of = self._of(r) if r.quantity == "V" or (r.quantity == "A" and r.place not in outputs) else None
            if of is not None:
                at.setdefault(self._output.get(r.place, r.place), []).append(of)
        self._most = {output: self._usual(output, seen) for output, seen in at.items()}

    def _of(self, r: Reading) -> tuple[float, float | None] | None:
        """The load, A, and the volts that were set where somebody said; None where the load is not known."""
        output, moment = self._output.get(r.place, r.place), _moment(r)
        amps = self._told.get((moment, output, "A"))
        if amps is None:
            return None if output in self._near else (0.0, None)
        return amps, self._told.get((moment, set_of(output), "V"))

    def _usual(self, output: str, seen: list[tuple[float, float | None]]) -> tuple[float, float | None]:
        """The conditions that most of these are near to; of several the latest."""
        near, count = self._near.get(output, np.inf), np.zeros(len(seen), int)
        amps = np.array([a for a, _ in seen])
        for volts in {v for _, v in seen}:
            here = np.flatnonzero([v == volts for _, v in seen])
            inside = np.sort(amps[here])
            count[here] = np.searchsorted(inside, amps[here] + near, "right")
            count[here] -= np.searchsorted(inside, amps[here] - near, "left")
        return seen[int(np.flatnonzero(count == count.max())[-1])]

    def _alike(self, output: str, a: tuple[float, float | None], b: tuple[float, float | None]) -> bool:
        return a[1] == b[1] and abs(a[0] - b[0]) <= self._near.get(output, np.inf)

    def most(self, place: str) -> float:
        """The load that a place was read at most, A; none where it was not read."""
        return self._most.get(self._output.get(place, place), (0.0, None))[0]

    def usual(self, r: Reading) -> bool:
        """Whether a reading was taken under the conditions that its place was read under most."""
        output, of = self._output.get(r.place, r.place), self._of(r)
        return of is not None and output in self._most and self._alike(output, of, self._most[output])

    def unsaid(self, live: Sequence[Reading], places: Iterable[str]) -> bool:
        """Whether places were read, and at loads that nobody has said alone."""
        read = [r for r in live if r.place in places and r.quantity == "V"]
        return bool(read) and not any(self._of(r) for r in read)


def _moment(r: Reading) -> object:
    """What joins readings of one moment: their step, or where they are of none their scan."""
    return (r.test, r.step) if r.step is not None else r.scan


def turned_of(job: Job, live: Sequence[Reading], load: "_Loads") -> tuple[Turned, dict[str, Reading]]:
    """Turns and figures of a job's trims, in the order read, and the latest reading of each place.

    A turn is a reading of its screw, counted from where it stood at first. Figures are those of the places
    that screws are there for, each with the positions of all screws at that moment.
    """
    screws = job.assembly.trims
    names = [s.id for s in screws]
    quantity = {s.moves: s.quantity for s in screws}
    places = list(quantity)
    at = dict.fromkeys(names, 0.0)
    rows, figures = [[0.0] * len(names)], [[np.nan] * len(places)]
    latest: dict[str, Reading] = {}
    sd = dict.fromkeys(places, 1e-6)
    for r in live:
        turned = r.quantity == "turn" and r.place in at
        read = r.place in places and r.quantity == quantity[r.place] and load.usual(r)
        if turned:
            at[r.place] = r.value
        if turned or (read and np.isfinite(figures[-1][places.index(r.place)])):
            rows.append([at[n] for n in names])
            figures.append([np.nan] * len(places))
        if read:
            figures[-1][places.index(r.place)] = r.value
            latest[r.place] = r
            sd[r.place] = max(sd[r.place], _accuracy(job, r).scatter)
    least = np.array([sd[p] for p in places])
    return Turned(tuple(names), tuple(places), np.array(rows), np.array(figures), least), latest


def _live(job: Job, readings: Iterable[Reading]) -> list[Reading]:
    """What was read in the state of the supply that counts, and where its screws were left before it."""
    mine = newest(job)
    live = put_right(job, counting(readings))
    return [r for r in live if (r.state in mine or r.quantity == "turn") and np.isfinite(r.value)]


def _accuracy(job: Job, r: Reading) -> Accuracy:
    return r.accuracy or accuracy_of(job, r.instrument, r.quantity, r.value)[0]


class Trimming(Struct, frozen=True, eq=False):
    """The trims of a job: what was found, targets with their bands, what to turn, whether all holds.

    `turns` is how far each is to be turned in all, `next` what is turned now, after which all is read again;
    `unread` are the places that were not read since the last turn. `reads` is what each place reads, with
    what its meter leaves open; `stands` where each screw stands.
    """

    screws: tuple[TrimScrew, ...]
    found: Sensitivity | None
    targets: dict[str, float]
    bands: dict[str, Band]
    turns: tuple[Turn, ...]
    held: bool
    said: str
    next: Turn | None = None
    unread: tuple[str, ...] = ()
    reads: dict[str, Interval] = field(default_factory=dict)
    stands: dict[str, float] = field(default_factory=dict)


def positions(job: Job, readings: Iterable[Reading], screw_id: str) -> tuple[Array, Array, str]:
    """Turns of a screw or a knob and what its place read there (n,), and in which unit.

    UserError where it is not named.
    """
    screw = next((s for s in job.assembly.trims if s.id == screw_id.casefold()), None)
    if screw is None:
        names = ", ".join(s.id for s in job.assembly.trims) or "none yet"
        raise UserError(f"There is no trim or knob “{screw_id}”; there is {names}.")
    live = _live(job, readings)
    turned, _ = turned_of(job, live, _Loads(job, live))
    at, of = turned.screws.index(screw.id), turned.places.index(screw.moves)
    return turned.turns[:, at], turned.figures[:, of], screw.quantity


def trimming(job: Job, readings: Iterable[Reading]) -> Trimming:
    """How far to turn which trim next, by what turning them has shown so far."""
    screws = job.assembly.trims
    if not screws:
        return Trimming((), None, {}, {}, (), False, "No trim is named yet.")
    live = _live(job, readings)
    load = _Loads(job, live)
    turned, latest = turned_of(job, live, load)
    targets, bands = _targets(job, screws, live, load)
    reads = {place: _read(job, r, live) for place, r in latest.items()}
    # Every screw has something to bring about; what nobody can tell is not held.
    held = all(
        s.moves in reads and s.moves in bands and judge(reads[s.moves], bands[s.moves]) is Verdict.CONFORMS
        for s in screws
    )
    stands = dict(zip(turned.screws, turned.turns[-1].tolist(), strict=True))
    try:
        found = sensitivity(turned) if latest else None
    except UserError:
        found = None
    unread = _unread(turned)
    known = {s.id: effect(found, s.id, s.moves, targets.get(s.moves, 0.0)) for s in screws}
    untried = [s for s in screws if known[s.id] == "open"]
    # What a display shows too much of hurts nothing.
    volts = {s.moves for s in screws if s.quantity == "V"} & targets.keys()
    guarded = {o.id: min(targets[o.id], o.nominal_V) for o in job.design.outputs() if o.id in volts}
    turns: tuple[Turn, ...] = ()
    at = None
    if latest and not held and not unread and untried:
        at = tried(turned, untried[0].id, untried[0].moves, guarded, _stops(untried[0]))
    elif found is not None and not held:
        aims = _aims(screws, targets)
        turns = turns_for(found, aims, {s.id: _stops(s) for s in screws}, [s.id for s in _in_order(screws)])
        at = None if unread else first_of(found, turns, aims, guarded)
    made = Trimming(screws, found, targets, bands, turns, held, "", at, unread, reads, stands)
    said = _said(made, {s.id for s in screws if known[s.id] == "none"}, untried)
    if not latest and load.unsaid(live, {s.moves for s in screws}):
        said = "At what load was it read? Say it: @unloaded, or such as @2A; a turn is told by it alone."
    return replace(made, said=said)


def _aims(screws: Iterable[TrimScrew], targets: Mapping[str, float]) -> dict[str, float]:
    """What each place will be to read once all is set: a display follows its output, which is set as well."""
    set_too = {(s.moves, s.quantity) for s in screws}
    aims = dict(targets)
    for screw in screws:
        shows = screw.moves.removesuffix("-panel")
        if screw.target is None and shows != screw.moves and (shows, screw.quantity) in set_too:
            aims[screw.moves] = targets.get(shows, targets.get(screw.moves, 0.0))
    return {place: aim for place, aim in aims.items() if place in targets}


def _unread(turned: Turned) -> tuple[str, ...]:
    """Places that were not read since the last turn."""
    last = np.flatnonzero((turned.turns != turned.turns[-1]).any(axis=1))
    since = turned.figures[int(last[-1]) + 1 if len(last) else 0 :]
    read = np.isfinite(since).sum(axis=0) > 0
    return tuple(p for p, now in zip(turned.places, read, strict=True) if not now)


def _in_order(screws: Iterable[TrimScrew]) -> list[TrimScrew]:
    return sorted(screws, key=_rank)


def _rank(screw: TrimScrew) -> int:
    """What is set first; a display after the output that it shows, whatever its screw sets."""
    return _ORDER["display"] if screw.moves.endswith("-panel") else _ORDER[screw.sort]


def _stops(screw: TrimScrew) -> tuple[float, float]:
    return (-np.inf if screw.down is None else -screw.down, np.inf if screw.up is None else screw.up)


def _read(job: Job, r: Reading, live: Sequence[Reading]) -> Interval:
    """What a place reads, and what is open of it: of a display its digits and what was read beside it."""
    accuracy = _accuracy(job, r)
    if not r.place.endswith("-panel"):
        half = accuracy.half_width(r.value)
        return Interval(r.value, r.value - half, r.value + half)
    beside = [x for x in live if x.place == r.place.removesuffix("-panel") and x.quantity == r.quantity]
    of = _accuracy(job, beside[-1]) if beside else accuracy
    bounds = (of.of_reading * abs(r.value), of.offset, accuracy.resolution / 2)
    half = half_width_95(bounds, float(np.hypot(of.scatter, accuracy.scatter)))
    return Interval(r.value, r.value - half, r.value + half)


def _said(found: Trimming, idle: set[str], untried: Sequence[TrimScrew]) -> str:
    """What to do next, in a sentence; `idle` are the screws that move nothing."""
    screws = found.screws
    unaimed = [s for s in screws if s.moves not in found.targets]
    if found.held:
        return "All hold: seal the screws, and note what they are set to."
    if not found.reads:
        return f"Read first, as it stands: {screws[0].moves} … {screws[0].quantity}."
    if found.unread:
        return f"Read again, as it stands now: {', '.join(found.unread)}."
    told = [
        f"{s.name} moves nothing that it is there for: is it the right one?" for s in screws if s.id in idle
    ]
    if untried and found.next is not None:
        screw = untried[0]
        turned = found.found is not None and bool(found.found.was_turned(screw.id))
        what = "is not known well enough yet" if turned else "was not turned yet"
        told.append(
            f"{screw.name} {what}. {turn_sentence(screws, found.next)} What must not be hurt is taken off "
            "before; then read again."
        )
    elif unaimed:
        of = unaimed[0]
        told.append(f"{of.name}: read with a meter what {of.moves} should show, then the display.")
    elif found.next is not None:
        told.append(f"{turn_sentence(screws, found.next)} Then read again.")
    elif any(t.stopped for t in found.turns):
        told.append("A stop is in the way: by these screws it comes no closer.")
    elif not told:
        told.append("Within what a hand can set; a finer meter would tell whether it holds.")
    return " ".join(told)


def turn_sentence(screws: Sequence[TrimScrew], turn: Turn) -> str:
    """How far to turn one screw, and what to type then."""
    screw = next(s for s in screws if s.id == turn.screw)
    typed = f"“{screw.id} {turn.ends_at:.2f} turn”"
    if turn.past:
        first = f"“{screw.id} {turn.ends_at - turn.past:.2f} turn”"
        down = abs(turn.turns) + turn.past
        text = f"Turn {screw.name} down by {down:.2f}, then up by {turn.past:.2f}: {first}, {typed}"
    else:
        way = "up" if turn.turns > 0 else "down"
        text = f"Turn {screw.name} {way} by {abs(turn.turns):.2f}: {typed}"
    return f"{text}; its stop is there." if turn.stopped else f"{text}."


def _targets(
    job: Job, screws: Iterable[TrimScrew], live: Sequence[Reading], load: "_Loads"
) -> tuple[dict[str, float], dict[str, Band]]:
    """What each place is to read: as said, else an output its nominal, a display what its output reads."""
    targets: dict[str, float] = {}
    bands: dict[str, Band] = {}
    for screw in screws:
        output = next((o for o in job.design.outputs() if screw.moves in (o.id, panel_of(o.id))), None)
        wanted = screw.target
        if wanted is None and output is not None and screw.moves == output.id and screw.quantity == "V":
            wanted = _aimed_V(job, output, load.most(output.id))
        elif wanted is None and output is not None:
            of = [r for r in live if r.place == output.id and r.quantity == screw.quantity]
            wanted = of[-1].value if of else None
        if wanted is None:
            continue
        targets[screw.moves] = wanted
        tolerance = min(output.tolerance / 4, 0.005) if output is not None else 0.005
        bands[screw.moves] = Band.around(wanted, tolerance)
    return targets, bands


def _aimed_V(job: Job, output: OutputLink, amps_A: float) -> float:
    """Volts that an output has at a load once it is right where it is aimed, at full load."""
    aimed = trim_of_design(job, output)
    if aimed is None:
        return output.nominal_V
    network = build(job).with_values({(aimed.converter, "set_V"): aimed.set_V})
    volts = float(solve(network, {output.id: np.float64(amps_A)})[output.id].V)
    return volts if np.isfinite(volts) else aimed.no_load_V
