"""The trims of a job by what was read: what each is to bring about, what to turn now, whether all holds."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from msgspec import Struct, field

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
from tensimeter.core.tuning.turning import Sensitivity, Turn, Turned, sensitivity, turns_for

#: A load is the same within this share of full load.
NEAR_LOAD = 0.05
#: How far a screw is turned to see what it does, turns.
TRIED = 0.5
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
    """The trims of a job: what was found, targets with their bands, what to turn now, whether all holds.

    `reads` is what each place reads, with what its meter leaves open; `stands` where each screw stands.
    """

    screws: tuple[TrimScrew, ...]
    found: Sensitivity | None
    targets: dict[str, float]
    bands: dict[str, Band]
    turns: tuple[Turn, ...]
    held: bool
    said: str
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
    turns = _turns(screws, found, targets) if found is not None and not held else ()
    said = _said(screws, found, targets, turns, stands, bool(latest), held)
    if not latest and load.unsaid(live, {s.moves for s in screws}):
        said = "At what load was it read? Say it: @unloaded, or such as @2A; a turn is told by it alone."
    return Trimming(screws, found, targets, bands, turns, held, said, reads, stands)


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


def _turns(screws: Sequence[TrimScrew], found: Sensitivity, targets: Mapping[str, float]) -> tuple[Turn, ...]:
    order = [s.id for s in sorted(screws, key=lambda s: _ORDER[s.sort])]
    stops = {s.id: (-np.inf if s.down is None else -s.down, np.inf if s.up is None else s.up) for s in screws}
    return turns_for(found, targets, stops, order)


def _said(
    screws: Sequence[TrimScrew],
    found: Sensitivity | None,
    targets: Mapping[str, float],
    turns: Sequence[Turn],
    stands: Mapping[str, float],
    read: bool,
    held: bool,
) -> str:
    """What to do next, in a sentence."""
    known = found.known if found is not None else (False,) * len(screws)
    untried = [s for s, ok in zip(screws, known, strict=True) if not ok]
    unaimed = [s for s in screws if s.moves not in targets]
    if held:
        return "All hold: seal the screws, and note what they are set to."
    if not read:
        return f"Read first, as it stands: {screws[0].moves} … {screws[0].quantity}."
    if untried:
        screw = untried[0]
        to = stands.get(screw.id, 0.0) + TRIED
        return (
            f"{screw.name} was not turned yet. Turn {screw.name} half a turn up, what must not be hurt taken "
            f"off before, type “{screw.id} {to:.2f} turn”, and read again."
        )
    if unaimed:
        return f"{unaimed[0].name}: read with a meter what {unaimed[0].moves} should show, then the display."
    acts = [turn_sentence(screws, t) for t in turns if t.turns or t.past]
    return " ".join(acts) or "Within what a hand can set; a finer meter would tell whether it holds."


def turn_sentence(screws: Sequence[TrimScrew], turn: Turn) -> str:
    """How far to turn one screw, and what to type then."""
    screw = next(s for s in screws if s.id == turn.screw)
    typed = f"“{screw.id} {turn.ends_at:.2f} turn”"
    if turn.past:
        first = f"“{screw.id} {turn.ends_at - turn.past:.2f} turn”"
        down = abs(turn.turns) + turn.past
        text = f"Turn {screw.name} down by {down:.2f}, then up by {turn.past:.2f}: {first}, {typed}"
    else:
        text = f"Turn {screw.name} up by {turn.turns:.2f}: {typed}"
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
