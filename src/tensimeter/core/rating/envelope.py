"""The envelope of a design: the least and the most that every link comes to, over all states it can be in.

A rating that protects is judged here, not at nominal volts and full load: with nothing drawn, with one
output loaded alone, at either end of the mains and of every tolerance, and with one source at its trip.
"""

from collections.abc import Iterator
from contextlib import suppress
from functools import cached_property
from itertools import product

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from tensimeter.core.arrays import Array, Figure
from tensimeter.core.circuit.network import at_line, build, extremes, line_ends
from tensimeter.core.electrical.elements import Network, Series, Value
from tensimeter.core.electrical.solution import Solution
from tensimeter.core.electrical.solver import solve
from tensimeter.core.errors import UserError
from tensimeter.core.model.job import Job
from tensimeter.core.parts.limit import Limit
from tensimeter.core.parts.source_part import SourcePart
from tensimeter.core.path import UnitLink
from tensimeter.core.quantity import localised
from tensimeter.core.rating.ladder import ladder
from tensimeter.core.remembered import remembered

#: Figures whose tolerances go to the same end together, and what that is called.
GROUPS = (
    ("sources", ("emf", "curve", "lower")),
    ("settings", ("set_V",)),
    ("resistances", ("resistance", "contact")),
    ("losses", ("loss_fixed_W", "loss_per_A", "loss_per_A2")),
)
#: To which end each group goes; what leaves most of them where they are stands first, and is named on a tie.
CORNERS = tuple(sorted(product((-1, 0, 1), repeat=len(GROUPS)), key=lambda c: sum(map(abs, c))))
#: With one source at its trip the others stand high, what is set as well.
FAULT_CORNERS = ((1, 0, 0, 0), (1, 1, -1, 0))
#: What is told of a link: V before and after it, A into and out of it, W that it passes on and loses.
QUANTITIES = ("V_in", "V", "I_in", "I", "power_out", "loss")


class State(Struct, frozen=True):
    """One state: what is drawn, where the mains stands, to which end each group of tolerances went.

    `fault` is the source that stands at its trip, and whether that trip is known.
    """

    load: str
    line: float = 1.0
    ends: tuple[int, ...] = (0, 0, 0, 0)
    fault: str = ""
    assumed: bool = False
    #: The room where it is another than the one set, °C.
    room_C: float | None = None

    @property
    def words(self) -> str:
        """The state in words, nominal ends left out."""
        said = [self.load]
        if self.line != 1:
            high = "above" if self.line > 1 else "below"
            said.append(f"mains {localised(f'{100 * abs(self.line - 1):.3g}')} % {high} nominal")
        for end in (1, -1):
            at_it = [name for (name, _), e in zip(GROUPS, self.ends, strict=True) if e == end]
            if at_it:
                said.append(f"{' and '.join(at_it)} at the {'upper' if end > 0 else 'lower'} end")
        if self.room_C is not None:
            said.append(f"the room at {localised(f'{self.room_C:g}')} °C")
        if self.fault:
            said.append(f"{self.fault} at its trip{' (assumed)' if self.assumed else ''}")
        return ", ".join(said)


class End(Struct, frozen=True):
    """One end of a figure, and the state that gives it."""

    value: float
    state: State


class _Part(Struct, frozen=True):
    """States that are solved in one call: those of one line in one room."""

    job: Job
    states: tuple[State, ...]
    solution: Solution
    network: Network

    def of(self, values: Figure, faults: bool) -> Array:
        """Values (states,); NaN where a source stands at its trip, unless that counts."""
        found = np.ravel(self.solution.whole(values))
        return found if faults else np.where([bool(s.fault) for s in self.states], np.nan, found)


class Envelope(Struct, frozen=True, dict=True):
    """Every state of a design, solved; its ends by link and quantity, and its limits at their worst."""

    job: Job
    parts: tuple[_Part, ...]

    def ends(self, link: str, quantity: str, *, faults: bool = False) -> tuple[End, End] | None:
        """The least and the most of a link's quantity (of `QUANTITIES`), SI units; None where nothing runs.

        With `faults` a source at its trip counts as well.
        """
        low: End | None = None
        high: End | None = None
        for part in self.parts:
            found = part.of(getattr(part.solution[link], quantity), faults)
            if not np.isfinite(found).any():
                continue
            least, most = int(np.nanargmin(found)), int(np.nanargmax(found))
            if low is None or found[least] < low.value:
                low = End(float(found[least]), part.states[least])
            if high is None or found[most] > high.value:
                high = End(float(found[most]), part.states[most])
        return None if low is None or high is None else (low, high)

    def worst(self, *, faults: bool = False) -> list[tuple[Limit, State]]:
        """Each limit at the state where most of it is used, as a single operating point."""
        return self._with_faults if faults else self._without

    @cached_property
    def _without(self) -> list[tuple[Limit, State]]:
        return self._worst(faults=False)

    @cached_property
    def _with_faults(self) -> list[tuple[Limit, State]]:
        return self._worst(faults=True)

    def _worst(self, *, faults: bool) -> list[tuple[Limit, State]]:
        found: dict[str, tuple[float, Limit, State]] = {}
        for part in self.parts:
            for limit in ladder(part.job, part.solution, part.network):
                share = part.of(limit.fraction, faults)
                share = np.where(np.isfinite(share), share, -np.inf)
                at = int(np.argmax(share))
                if limit.name not in found or share[at] > found[limit.name][0]:
                    found[limit.name] = (float(share[at]), _alone(limit, part.solution, at), part.states[at])
        return [(limit, state) for _, limit, state in found.values()]

    @cached_property
    def states(self) -> tuple[State, ...]:
        """Every state, in the order solved."""
        return tuple(state for part in self.parts for state in part.states)


@remembered("design", "stock", "policy", "settings", kept=12)
def envelope(job: Job) -> Envelope:
    """Solve every state of a design; UserError for a path that does not join up."""
    parts = [
        _solved(here, network, line, moved, end, None if here is job else room)
        for room in job.settings.rooms_C
        for here in (job.in_room(room),)
        for line, network, moved in _lines(here, build(here))
        for end in ((-1, 0, 1) if any(_bent(key) for key in moved) else (None,))
    ]
    return Envelope(job, tuple(parts))


def loads(job: Job) -> dict[str, dict[str, float]]:
    """What may be drawn, A by output: nothing, all at full load, each output alone."""
    outputs = job.design.outputs()
    found = {"no load": dict.fromkeys((o.id for o in outputs), 0.0)}
    if outputs:
        found["full load"] = {o.id: o.full_load_A for o in outputs}
    if len(outputs) > 1:
        for o in outputs:
            found[f"only {o.name} loaded"] = {**found["no load"], o.id: o.full_load_A}
    return found


#: The ends of what strays, by (element id, field).
_Moved = dict[tuple[str, str], tuple[Value, Value]]


def _lines(job: Job, nominal: Network) -> Iterator[tuple[float, Network, _Moved]]:
    """The network and its ends at each mains voltage that changes it: nominal, low and high."""
    for share in (1.0, *line_ends(job)):
        with suppress(UserError):
            network = nominal if share == 1 else at_line(job, nominal, share)
            yield share, network, extremes(network, job, share)


def _bent(key: tuple[str, str]) -> bool:
    """Whether it is a source's curve that strays: one that is put to its end for a whole call."""
    return key[1] in ("curve", "lower")


class _Trip(Struct, frozen=True):
    """A source at the volts at which it trips."""

    link: str
    name: str
    volts: float
    assumed: bool


def _trips(job: Job) -> Iterator[_Trip]:
    for link in job.design.links:
        part = job.part(link.part)
        unit = part.stack_unit() if isinstance(link, UnitLink) and isinstance(part, SourcePart) else None
        if unit is not None:
            yield _Trip(link.id, link.name, unit.highest_V, unit.trip_V is None)


def _solved(
    job: Job, network: Network, line: float, moved: _Moved, sources: int | None, room_C: float | None
) -> _Part:
    """The states of one mains voltage; with `sources` those alone with the sources at that end."""
    trips = list(_trips(job))
    every: list[tuple[tuple[int, ...], _Trip | None]] = [(c, None) for c in CORNERS]
    every += [(c, trip) for trip in trips for c in FAULT_CORNERS]
    every = [x for x in every if sources is None or x[0][0] == sources]
    corners, at_trip = [c for c, _ in every], [trip for _, trip in every]
    drawn = loads(job)
    values: dict[tuple[str, str], Value] = {}
    for k, (_, names) in enumerate(GROUPS):
        signs = np.array([c[k] for c in corners], float)
        for key, (least, most) in moved.items():
            if _bent(key):
                if sources:
                    values[key] = most if sources > 0 else least
            elif key[1] in names:
                low, high = np.asarray(least, float), np.asarray(most, float)
                own = np.asarray(getattr(network[key[0]], key[1]), float)
                values[key] = np.where(signs > 0, high, np.where(signs < 0, low, own))
    for trip in trips:
        raised = np.array([t is trip for t in at_trip])
        element = network[trip.link]
        assert isinstance(element, Series)
        plain = np.asarray(values.get((trip.link, "emf"), element.emf), float)
        values[trip.link, "emf"] = np.where(raised, trip.volts, plain)
    columns: dict[str, Figure] = {
        o.id: np.array([one[o.id] for one in drawn.values()])[:, None] for o in job.design.outputs()
    }
    solution = solve(network.with_values(values), columns, as_set=True)
    states = tuple(
        State(load, line, corner, trip.name if trip else "", bool(trip and trip.assumed), room_C)
        for load in drawn
        for corner, trip in zip(corners, at_trip, strict=True)
    )
    return _Part(job, states, replace(solution, shape=(len(drawn), len(corners))), network)


def _alone(limit: Limit, solution: Solution, at: int) -> Limit:
    """A limit at one of the states."""

    def one(values: Figure) -> Array:
        return np.asarray(np.ravel(solution.whole(values))[at])

    return replace(
        limit,
        used=one(limit.used),
        allowed=one(limit.allowed),
        rated=one(limit.rated),
        offset=one(limit.offset),
    )
